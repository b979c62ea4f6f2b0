"""Tasks: pure core functions over files by hash, with progress, stoppable, safe to run twice."""

from files import blobs
from files.results import STORE
from jobs.models import Revision
from library.queries import library
from nibble_core.errors import Cancelled, NibbleError
from nibble_core.pipeline.files import make_files as made_files
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import ticket_from_plain
from production.models import Task
from production.queue import QUEUE
from production.sources import safe_sources


@QUEUE.task()  # type: ignore[untyped-decorator]
def make_files(task_id: int) -> None:
    """Make the job files of a task's revision; its row tells how far it is and what came of it."""
    task = Task.objects.get(id=task_id)
    if task.state not in (Task.State.WAITING, Task.State.WORKING):
        return
    _tell(task_id, state=Task.State.WORKING, doing="the drawing")

    def stopped() -> bool:
        return Task.objects.filter(id=task_id, stop_wanted=True).exists()

    def progress(share: float, doing: str) -> None:
        _tell(task_id, progress=share, doing=doing)

    try:
        ticket = ticket_from_plain(Revision.objects.get(job_id=task.job_id, number=task.revision).ticket)
        held = library()
        work = work_out(ticket, safe_sources(ticket, STORE), STORE, library=held, cancelled=stopped)
        names = held.rates.file_names
        made = made_files(ticket, work, revision=task.revision, names=names, progress=progress, cancelled=stopped)
        kept = [
            {"name": file.name, "purpose": file.purpose, "bytes": len(file.content), "sha256": blobs.keep(file.content)}
            for file in made.files
        ]
        refused = " ".join(f"{one.name} was not made: {one.error.message}" for one in made.refused)
        advice = "The other files are as they should be." if refused else ""
        _tell(task_id, state=Task.State.DONE, progress=1.0, doing="", files=kept, message=refused, what_to_do=advice)
    except Cancelled as error:
        _tell(task_id, state=Task.State.STOPPED, doing="", message=error.message, what_to_do=error.what_to_do)
    except NibbleError as error:
        _tell(task_id, state=Task.State.FAILED, doing="", message=error.message, what_to_do=error.what_to_do)
    except Exception:
        _tell(
            task_id, state=Task.State.FAILED, doing="", message="Something went wrong on Nibble's side.",
            what_to_do="Nothing was lost. Try again.",
        )  # fmt: skip
        raise


def _tell(task_id: int, **values: object) -> None:
    Task.objects.filter(id=task_id).update(**values)
