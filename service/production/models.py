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
