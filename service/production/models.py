"""Long work: a task of the queue, its progress and what it made."""

from django.db import models

from jobs.models import Job


class Task(models.Model):
    """Making the files of one revision of a job. ``files``: name, purpose, size and SHA-256 of each."""

    class State(models.TextChoices):
        WAITING = "waiting"
        WORKING = "working"
        DONE = "done"
        FAILED = "failed"
        STOPPED = "stopped"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="tasks")
    revision = models.PositiveIntegerField()
    created = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0.0)
    doing = models.CharField(max_length=120, blank=True)
    stop_wanted = models.BooleanField(default=False)
    message = models.TextField(blank=True)
    what_to_do = models.TextField(blank=True)
    files = models.JSONField(default=list)

    def __str__(self) -> str:
        return f"files of {self.job_id}.{self.revision}: {self.state}"


class MachineRun(models.Model):
    """A program that is, or was, sent to a machine. program: SHA-256 of its file. lines: how many; done: of those
    whose moves were made. moves_before: of the sheet, that an earlier run made. x, y: of the head, mm in the machine's
    axes. lies: the map from where the sheet was meant to lie to where its marks were found; none where they were not
    looked for. may_move: whether it is over and nobody knows that the machine stands still."""

    class State(models.TextChoices):
        RUNNING = "running"
        PAUSED = "paused"
        DONE = "done"
        BROKEN = "broken"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="machine_runs")
    sheet = models.CharField(max_length=40)
    revision = models.PositiveIntegerField()
    port = models.PositiveIntegerField()
    created = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=8, choices=State.choices, default=State.RUNNING)
    program = models.CharField(max_length=64)
    lines = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    moves_before = models.PositiveIntegerField(default=0)
    x = models.FloatField(default=0.0)
    y = models.FloatField(default=0.0)
    message = models.TextField(blank=True)
    lies = models.JSONField(null=True, default=None)
    may_move = models.BooleanField(default=False)

    def __str__(self) -> str:
        return f"run of {self.job_id}.{self.revision} at {self.port}: {self.state}"
