"""What other apps may listen to."""

from django.dispatch import Signal

revised = Signal()
"""Sent when a revision is kept, with ``job_id`` and ``number``."""
