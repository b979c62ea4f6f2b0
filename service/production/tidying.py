"""Files that nobody asks for any more are let go, by a stated rule.

Of each job the files made last are kept, whatever their age, and all that were made within so many days. What was made
before can be made again, from its revision, byte for byte; its task says so. A stored file goes once nothing names it:
no revision, no task, nothing that was sent to a machine, no font, no record; and never within those days, for it may be
about to be named.
"""

import time
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

from django.utils import timezone

from production.checking import named_files
from production.models import Task

DAYS = 90
LEAST_DAYS = 2
LET_GO = "These files were let go, for newer ones were made."
AGAIN = "Open the job as of that change to make them again: they come out the same."


@dataclass(frozen=True)
class Tidied:
    """Of how many tasks the files were let go, how many stored files went, and how many bytes those were."""

    tasks: int
    files: int
    size: int


def tidied(files: Path, days: int = DAYS, *, trial: bool = False) -> Tidied:
    """Let go of what is older than ``days`` by the rule above; nothing is altered in a ``trial``. files: the folder of
    stored files. The service may run meanwhile."""
    old = _outdated(days)
    named = named_files()
    if trial:
        kept = {file["sha256"] for task in Task.objects.exclude(pk__in=old) for file in task.files}
        for task in Task.objects.filter(pk__in=old):
            for file in task.files:
                if file["sha256"] not in kept and named.get(file["sha256"], "").startswith("the files made"):
                    named.pop(file["sha256"], None)
    else:
        Task.objects.filter(pk__in=old).update(files=[], message=LET_GO, what_to_do=AGAIN)
        named = named_files()
    before = time.time() - days * 24 * 3600
    count = size = 0
    for file in files.glob("??/*"):
        stat = file.stat()
        if file.name not in named and stat.st_mtime < before:
            count, size = count + 1, size + stat.st_size
            if not trial:
                file.unlink(missing_ok=True)
    return Tidied(len(old), count, size)


def _outdated(days: int) -> list[int]:
    """Tasks that made files over so many days ago, and were not the last to make some for their job."""
    newest: dict[int, int] = {}
    made = Task.objects.filter(state=Task.State.DONE).exclude(files=[]).order_by("pk")
    before = timezone.now() - timedelta(days=days)
    old = []
    for pk, job, created in made.values_list("pk", "job_id", "created"):
        newest[job] = pk
        if created < before:
            old.append(pk)
    return [pk for pk in old if pk not in newest.values()]
