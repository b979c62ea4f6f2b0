"""Work of a job over HTTP: its final results, previews of drafts, and the tasks that make files."""

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router, Schema

from files.api import as_download
from files.results import STORE
from jobs import queries
from jobs.api import ChangesIn
from jobs.models import Job, Revision
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import apply, ticket_from_plain, to_plain
from production.models import Task
from production.previews import PREVIEWS
from production.sources import safe_sources
from production.tasks import make_files
from production.view import card_view, work_view

router = Router(tags=["work"])


class NoteOut(Schema):
    text: str
    what_to_do: str
    where: str
    weight: str


class StationOut(Schema):
    key: str
    state: str
    fact: str
    notes: list[NoteOut]
    figures: list[tuple[str, str]]


class ShapeOut(Schema):
    d: str
    colour: str
    rgb: tuple[int, int, int]
    x: float
    y: float
    size: float
    dropped: str
    nodes: int


class ArtworkOut(Schema):
    width: float
    height: float | None
    original: str
    cleaned: str
    pixels: tuple[int, int] | None
    shapes: list[ShapeOut]
    lost: list[str]
    level: float | None


class LineOut(Schema):
    id: str
    process: str
    d: str
    nodes: int
    length: float
    parts: int


class LayerOut(Schema):
    box: tuple[float, float, float, float]
    lines: list[LineOut]


class SheetOut(Schema):
    layer: str
    width: float
    height: float
    copies: int
    sheets: int
    mirrored: bool
    colour: str
    places: list[tuple[float, float]]
    marks: list[tuple[float, float]]
    mark_diameter: float


class WorkOut(Schema):
    preview: bool
    stations: list[StationOut]
    artworks: dict[str, ArtworkOut]
    layers: dict[str, LayerOut]
    sheets: dict[str, SheetOut]
    suggested: dict[str, float]
    computed: int = 0


class FileOut(Schema):
    name: str
    purpose: str
    bytes: int
    sha256: str


class TaskOut(Schema):
    id: int
    revision: int
    state: str
    progress: float
    doing: str
    message: str
    what_to_do: str
    files: list[FileOut]


@router.get("/jobs/{job_id}/work", response=WorkOut, operation_id="work")
def work(request: HttpRequest, job_id: int) -> Any:
    """Everything that follows from the newest revision."""
    return refresh_card(_newest(job_id).job)


@router.post("/jobs/{job_id}/preview", response=WorkOut, operation_id="preview")
def preview(request: HttpRequest, job_id: int, body: ChangesIn) -> HttpResponse:
    """What the job would look like after draft changes; nothing is written."""
    ticket = apply(ticket_from_plain(_newest(job_id).ticket), [item.change() for item in body.changes])
    safe_sources(ticket, STORE)
    return HttpResponse(PREVIEWS.draw(job_id, to_plain(ticket)), content_type="application/json")


@router.post("/jobs/{job_id}/files", response=TaskOut, operation_id="make_files")
def start_files(request: HttpRequest, job_id: int) -> Any:
    """Make the job files of the newest revision in the queue's process."""
    task = Task.objects.create(job_id=job_id, revision=_newest(job_id).number)
    make_files(task.id)
    return task


@router.get("/jobs/{job_id}/files", response=TaskOut | None, operation_id="newest_files")
def newest_files(request: HttpRequest, job_id: int) -> Any:
    """The job's newest task, whatever came of it."""
    return Task.objects.filter(job_id=job_id).order_by("-id").first()


@router.get("/tasks/{task_id}", response=TaskOut, operation_id="task")
def task(request: HttpRequest, task_id: int) -> Any:
    return _task(task_id)


@router.post("/tasks/{task_id}/stop", response=TaskOut, operation_id="stop_task")
def stop_task(request: HttpRequest, task_id: int) -> Any:
    """Ask a task to stop; a waiting one stops at once."""
    Task.objects.filter(id=task_id).update(stop_wanted=True)
    Task.objects.filter(id=task_id, state=Task.State.WAITING).update(state=Task.State.STOPPED)
    return _task(task_id)


@router.get("/tasks/{task_id}/files/{name}", operation_id="job_file")
def job_file(request: HttpRequest, task_id: int, name: str) -> HttpResponse:
    found = next((file for file in _task(task_id).files if file["name"] == name), None)
    if found is None:
        raise Http404
    return as_download(found["sha256"], name)


@router.get("/jobs/{job_id}/artworks/{artwork_id}", operation_id="client_file")
def client_file(request: HttpRequest, job_id: int, artwork_id: str) -> HttpResponse:
    """The client's own file, untouched, as a download."""
    ticket = ticket_from_plain(_newest(job_id).ticket)
    found = next((artwork for artwork in ticket.artworks if artwork.id == artwork_id), None)
    if found is None:
        raise Http404
    return as_download(found.file, found.name)


def refresh_card(job: Job) -> dict[str, Any]:
    """The final view of a job's newest revision, whose picture is kept for the board."""
    ticket = ticket_from_plain(queries.newest_revision(job.pk).ticket)
    view = work_view(ticket, work_out(ticket, safe_sources(ticket, STORE), STORE), preview=False)
    card = card_view(ticket, view)
    if card != job.card:
        Job.objects.filter(id=job.pk).update(card=card)
    return view


def _task(task_id: int) -> Task:
    task = Task.objects.filter(id=task_id).first()
    if task is None:
        raise Http404
    return task


def _newest(job_id: int) -> Revision:
    try:
        return queries.newest_revision(job_id)
    except Job.DoesNotExist as error:
        raise Http404 from error
