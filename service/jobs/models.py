"""A job and its revisions: every change that was ever made to it."""

from datetime import date
from typing import Any

from django.conf import settings
from django.db import models
from django.db.models import Value
from django.db.models.functions import Coalesce

from jobs import keeping

STEPS = ("printed", "cut", "weeded", "pressed", "delivered")
"""What happens to a job after its files are made."""


class Job(models.Model):
    """What one client ordered. ``card``: its state on the board and the key of its picture, refreshed with each final
    result. ``done``: what was ticked of ``STEPS``, by whom and when. ``taken``: which sheets were taken off their
    stocks. ``turn``: where it stands there; what has no due date comes last. ``sought``: what its ticket says that a
    search finds it by; ``sizes``: of its pieces, likewise. ``waits``: what it waits for, see ``jobs.waiting``."""

    created = models.DateTimeField(auto_now_add=True)
    archived = models.BooleanField(default=False)
    name = models.CharField(max_length=120)
    client = models.CharField(max_length=120, blank=True)
    due = models.DateField(null=True, blank=True)
    card = models.JSONField(null=True, blank=True)
    done = models.JSONField(default=list, blank=True)
    taken = models.JSONField(default=list, blank=True)
    sought = models.TextField(blank=True, default="")
    sizes = models.CharField(max_length=400, blank=True, default="")
    waits = models.CharField(max_length=40, blank=True, default="")
    turn = models.GeneratedField(
        expression=Coalesce("due", Value(date.max)), output_field=models.DateField(), db_persist=True
    )

    class Meta:
        indexes = (
            models.Index(fields=["archived", "turn", "-created"], name="board_order"),
            models.Index(fields=["archived", "client", "turn"], name="board_by_client"),
            models.Index(fields=["archived", "waits", "turn"], name="board_by_waiting"),
            models.Index(fields=["archived"], condition=models.Q(card__isnull=True), name="board_undrawn"),
        )

    def __str__(self) -> str:
        return self.name


class Revision(models.Model):
    """One accepted change, undo or redo. Rows are only ever added.

    ``state``: number of the change whose ticket this row shows (its own for a change). ``parent``: the state a
    change was made on. ``redo_from``: the row that a redo from here shows again; None after a change.
    ``touched``: paths whose values this row settled. ``packed``: its ticket, or what makes it of the ticket of change
    ``base``, ``depth`` such steps from a whole one, in ``schema``; nothing in an undo. ``whole``: the ticket, in rows
    of before. See ``jobs.keeping``.
    """

    class Kind(models.TextChoices):
        CHANGE = "change"
        UNDO = "undo"
        REDO = "redo"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    kind = models.CharField(max_length=6, choices=Kind.choices)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    time = models.DateTimeField(auto_now_add=True)
    words = models.CharField(max_length=400)
    whole = models.JSONField(null=True)
    packed = models.BinaryField(null=True)
    base = models.PositiveIntegerField(null=True)
    depth = models.PositiveSmallIntegerField(default=0)
    schema = models.PositiveSmallIntegerField(default=0)
    touched = models.JSONField(default=list)
    state = models.PositiveIntegerField()
    parent = models.PositiveIntegerField(null=True)
    redo_from = models.PositiveIntegerField(null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["job", "number"], name="one_row_a_number"),)
        ordering = ("number",)

    def __str__(self) -> str:
        return f"{self.job_id}.{self.number} {self.words}"

    @property
    def ticket(self) -> Any:
        """Plain values, in the schema that they were written in. Raises InvalidTicket."""
        return keeping.plain_of(self)
