"""Work of a job over HTTP: its final results, previews of drafts, and the tasks that make files."""

import json
import secrets
import tempfile
from dataclasses import asdict
from typing import Any, Literal

from django.db import connection
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from ninja import Field, Router, Schema

from files import blobs, pictures
from files.api import as_download
from files.results import STORE
from jobs import queries
from jobs.actions import change_job
from jobs.api import ChangeIn, ChangesIn, DifferingOut, JobOut, SeenIn, job_out, who
from jobs.keeping import ticket_of
from jobs.models import Job, Revision
from jobs.waiting import waits_for
from library.queries import library, machines
from nibble_core.errors import CannotMake
from nibble_core.formats.package import pack
from nibble_core.formats.registry import OUTLINE_FORMATS
from nibble_core.pipeline.names import slug
from nibble_core.pipeline.store import MemoryStore
from nibble_core.processes import PROCESSES
from nibble_core.things import THINGS
from nibble_core.ticket import Change, apply, fingerprint, ticket_from_plain, to_plain
from nibble_core.ticket.saying import STATIONS
from production import stocktaking
from production.answers import as_file, as_json, sheet_of
from production.events import EXCHANGE
from production.models import Task
from production.schemas import DrawingOut, ProcessOut, ShapeOut, WorkOut
from production.sources import safe_sources
from production.tasks import make_files
from production.workers import DESK, PREVIEWS

MOST_SIZES = 400  # letters, that a job is found by
router = Router(tags=["work"])

TrialKind = Literal["one copy", "a test cut", "a framing pass", "a framing pass along the hull", "a pen run", "guides"]


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
def work(request: HttpRequest, job_id: int) -> HttpResponse:
    """Everything that follows from the newest revision."""
    return as_json(refresh_card(queries.newest_revision(job_id)))


@router.post("/jobs/{job_id}/work/stop", response=dict[str, bool], operation_id="stop_work")
def stop_work(request: HttpRequest, job_id: int) -> dict[str, bool]:
    """Give up the work of a job that is under way; whoever waits for it is told."""
    DESK.stop(_lane(job_id))
    return {"stopped": True}


class DraftIn(ChangesIn):
    """station: what is looked at. No more than that and what it needs is worked out and told."""

    station: Literal[*STATIONS] = STATIONS[-1]  # type: ignore[valid-type]


@router.post("/jobs/{job_id}/preview", response=WorkOut, operation_id="preview")
def preview(request: HttpRequest, job_id: int, body: DraftIn) -> HttpResponse:
    """What the job would look like after draft changes; nothing is written."""
    revision = queries.newest_revision(job_id)
    held = library()
    ticket = apply(ticket_of(revision), [item.change() for item in body.changes], held)
    safe_sources(ticket, STORE)
    plain = to_plain(ticket)
    return as_json(PREVIEWS.ask("preview", plain, revision.number, body.station, machines(held), lane=_lane(job_id)))


class NestIn(Schema):
    """seconds: how long to look, 0 to 60."""

    seconds: float = Field(5.0, ge=0.0, le=60.0)


class NestOut(Schema):
    """name: by which it is taken; copies, on so many runs, each so long in mm; waste: its share of the sheet."""

    name: str
    copies: int
    runs: int
    length: float
    waste: float | None


NESTS = MemoryStore(32, most_bytes=200_000_000)
"""Nests that were found lately, by their names: thousands of places are not sent there and back to be taken."""


@router.post("/jobs/{job_id}/sheets/{sheet_id}/nest", response=NestOut, operation_id="nest")
def nest(request: HttpRequest, job_id: int, sheet_id: str, body: NestIn) -> HttpResponse:
    """Look for a tight way to lay a sheet's copies; nothing is written. How far it is comes as “doing”."""
    revision, ticket, _ = sheet_of(job_id, sheet_id)
    safe_sources(ticket, STORE)
    key = fingerprint("nest", revision.number, sheet_id, body.seconds)
    found = DESK.ask("nest", revision.ticket, sheet_id, body.seconds, lane=_nest_lane(job_id), key=key)
    told = json.loads(found)
    name = secrets.token_hex(8)
    NESTS.put(name, (job_id, [Change(**one) for one in told.pop("changes")]), size=10 * len(found))
    return as_json(json.dumps(told | {"name": name}).encode())


@router.post("/jobs/{job_id}/nests/{name}/take", response=JobOut | DifferingOut, operation_id="take_nest")
def take_nest(request: HttpRequest, job_id: int, name: str, body: SeenIn, since: str = "") -> HttpResponse:
    """Lay a sheet as it was found."""
    of, changes = NESTS.get(name) or (None, [])
    if of != job_id:
        raise CannotMake("That nest is not known here any more.", "Nest the sheet again.")
    return job_out(change_job(who(request), job_id, body.seen, changes), since)


class OneMoreIn(Schema):
    layer: str


class OneMoreOut(Schema):
    """changes: that put it where there is room."""

    changes: list[ChangeIn]


@router.post("/jobs/{job_id}/sheets/{sheet_id}/one-more", response=OneMoreOut, operation_id="one_more")
def one_more(request: HttpRequest, job_id: int, sheet_id: str, body: OneMoreIn) -> HttpResponse:
    """Look for room for one more copy of a layer; nothing is written."""
    revision = queries.newest_revision(job_id)
    ticket = ticket_of(revision)
    if not any(one.id == sheet_id and any(h.layer == body.layer for h in one.holds) for one in ticket.sheets):
        raise Http404
    safe_sources(ticket, STORE)
    key = fingerprint("one more", revision.number, sheet_id, body.layer)
    asked = ("one_more_copy", revision.ticket, sheet_id, body.layer)
    return as_json(DESK.ask(*asked, lane=_nest_lane(job_id), key=key))


class ClickIn(Schema):
    """what: is clicked. line: id of the line in hand, empty for none. x, y: as fractions of the piece's box."""

    seen: int
    what: Literal["hole", "region", "kerf"]
    line: str = ""
    x: float = Field(ge=-1.0, le=2.0)
    y: float = Field(ge=-1.0, le=2.0)


@router.post("/jobs/{job_id}/layers/{layer_id}/clicks", response=JobOut, operation_id="click")
def click(request: HttpRequest, job_id: int, layer_id: str, body: ClickIn) -> HttpResponse:
    """A hole kept or filled, a region chosen, the side of a kerf said by a click at Lines; or taken back by it."""
    revision = queries.newest_revision(job_id)
    ticket = ticket_of(revision)
    if all(layer.id != layer_id for piece in ticket.pieces for layer in piece.layers):
        raise Http404
    safe_sources(ticket, STORE)
    key = fingerprint("click", job_id, revision.number, layer_id, body.dict())
    told = DESK.ask("click", revision.ticket, layer_id, body.what, body.line, body.x, body.y, lane=key, key=key)
    changes = [Change(**one) for one in json.loads(told)]
    return job_out(change_job(who(request), job_id, body.seen, changes))


@router.get("/jobs/{job_id}/sheets/{sheet_id}/trial/{kind}", operation_id="trial")
def trial(request: HttpRequest, job_id: int, sheet_id: str, kind: TrialKind) -> HttpResponse:
    """Files to try a sheet's settings with, in a zip; of a beam's framing pass and pen run, one file."""
    revision, ticket, _ = sheet_of(job_id, sheet_id)
    safe_sources(ticket, STORE)
    key = fingerprint("trial", job_id, revision.number, sheet_id, kind)
    kept = "application/zip" if kind in ("one copy", "a test cut") else "text/x-gcode"
    return as_file(DESK.ask("trial", revision.ticket, sheet_id, kind, lane=key, key=key), kept)


class TakenOut(Schema):
    """said: what was taken off and kept, in words."""

    sheet: str
    revision: int
    said: str


@router.get("/jobs/{job_id}/taken", response=list[TakenOut], operation_id="taken")
def taken(request: HttpRequest, job_id: int) -> Any:
    """Which sheets of a job were taken off their stocks."""
    job = Job.objects.filter(id=job_id).first()
    if job is None:
        raise Http404
    return job.taken


@router.post("/jobs/{job_id}/sheets/{sheet_id}/take", response=TakenOut, operation_id="take")
def take(request: HttpRequest, job_id: int, sheet_id: str) -> Any:
    """Take a sheet that was made off its stock, once, and keep its offcut."""
    revision, ticket, sheet = sheet_of(job_id, sheet_id)
    safe_sources(ticket, STORE)
    key = fingerprint("take", job_id, revision.number, sheet_id)
    told = json.loads(DESK.ask("take", revision.ticket, sheet_id, lane=key, key=key))
    return stocktaking.take(who(request), job_id, revision.number, sheet_id, told, sheet.stock.key)


@router.post("/jobs/{job_id}/nest/stop", response=dict[str, bool], operation_id="stop_nest")
def stop_nest(request: HttpRequest, job_id: int) -> dict[str, bool]:
    """Keep the best nest that was found so far."""
    DESK.hurry(_nest_lane(job_id))
    return {"stopped": True}


class TryOutOut(Schema):
    name: str
    changes: list[ChangeIn]


class TryOutIn(Schema):
    changes: list[ChangeIn]


class TriedOut(Schema):
    width: float
    height: float
    shapes: list[ShapeOut]
    nodes: int
    worst: float | None
    thinnest: float | None
    reduced: bool


class DeviationRun(Schema):
    level: int
    d: str


class DeviationOut(Schema):
    """Outlines in runs by how far they lie from the pixels; ``classes`` in mm; the worst place in mm and px."""

    classes: list[float]
    runs: list[DeviationRun]
    worst: tuple[float, float, float]
    worst_px: float


@router.get("/jobs/{job_id}/artworks/{artwork_id}/try-outs", response=list[TryOutOut], operation_id="try_outs")
def list_try_outs(request: HttpRequest, job_id: int, artwork_id: str) -> HttpResponse:
    """Settings to lay side by side."""
    return _asked("list_try_outs", job_id, artwork_id)


@router.post("/jobs/{job_id}/artworks/{artwork_id}/try-outs", response=TriedOut, operation_id="try_out")
def show_try_out(request: HttpRequest, job_id: int, artwork_id: str, body: TryOutIn) -> HttpResponse:
    """What one setting gives; nothing is written."""
    ticket = ticket_from_plain(queries.newest_revision(job_id).ticket)
    changes = [item.change() for item in body.changes]
    safe_sources(apply(ticket, changes), STORE)
    return _asked("one_try_out", job_id, artwork_id, [asdict(change) for change in changes])


@router.get("/jobs/{job_id}/artworks/{artwork_id}/deviation", response=DeviationOut, operation_id="deviation")
def show_deviation(request: HttpRequest, job_id: int, artwork_id: str) -> HttpResponse:
    """How far the outlines lie from the pixels, along them."""
    return _asked("deviation", job_id, artwork_id)


@router.get("/jobs/{job_id}/artworks/{artwork_id}/outlines.{ending}", operation_id="outlines")
def outlines(request: HttpRequest, job_id: int, artwork_id: str, ending: str) -> HttpResponse:
    """The kept shapes of an artwork as a file of their own, at the finished size."""
    if ending not in OUTLINE_FORMATS:
        raise Http404
    answer = _asked("outlines", job_id, artwork_id, ending)
    return as_file(answer.content, OUTLINE_FORMATS[ending].content_type)


class ChangesOut(Schema):
    changes: list[ChangeIn]


@router.get("/jobs/{job_id}/artworks/{artwork_id}/sized", response=ChangesOut, operation_id="sized")
def sized(
    request: HttpRequest, job_id: int, artwork_id: str, what: Literal["subject", "piece"],
    side: Literal["wide", "high"], wanted: float,
) -> HttpResponse:  # fmt: skip
    """Changes that make the subject, or the finished piece, as large as is wanted, mm; nothing is written."""
    return _asked("sized", job_id, artwork_id, what, side, wanted)


@router.get("/jobs/{job_id}/layers/{layer_id}/lines.{ending}", operation_id="layer_lines")
def layer_lines(
    request: HttpRequest, job_id: int, layer_id: str, ending: str, perforation: Literal["dashes", "plain"] = "dashes"
) -> HttpResponse:
    """The finished lines of a layer as a file of their own, at true size, origin at the work."""
    if ending not in OUTLINE_FORMATS:
        raise Http404
    answer = _asked("lines", job_id, layer_id, ending, perforation)
    return as_file(answer.content, OUTLINE_FORMATS[ending].content_type)


@router.get("/jobs/{job_id}/papers/{kind}", operation_id="paper")
def paper(
    request: HttpRequest, job_id: int, kind: Literal["ticket", "proof", "quote"], size: Literal["a4", "letter"] = "a4"
) -> HttpResponse:
    """A page of the newest revision: the ticket for the machine, the proof or the quote for the client."""
    revision = queries.newest_revision(job_id)
    safe_sources(ticket_from_plain(revision.ticket), STORE)
    rates = to_plain(library().rates)
    key = fingerprint("paper", job_id, revision.number, kind, size, rates)
    code = f"{job_id}.{revision.number}"
    return as_file(DESK.ask("paper", revision.ticket, kind, code, size, rates, lane=key, key=key), "application/pdf")


@router.get("/drawings/{key}", operation_id="drawing", response=DrawingOut)
def drawing(request: HttpRequest, key: str) -> HttpResponse:
    """What a card of the board shows of its job."""
    try:
        answer = as_json(pictures.drawing(key))
    except FileNotFoundError as error:
        raise Http404 from error
    answer["Cache-Control"] = "private, max-age=31536000, immutable"
    return answer


@router.get("/processes", response=list[ProcessOut], operation_id="processes")
def processes(request: HttpRequest) -> list[dict[str, Any]]:
    """Everything a machine does along a line."""
    return [{"key": key, **asdict(process)} for key, process in PROCESSES.items()]


class ThingOut(Schema):
    """Something that pieces go on: SVG path data in mm, and where a piece sits."""

    key: str
    outline: str
    details: str
    x: float
    y: float
    down: float
    from_top: bool


@router.get("/things", response=list[ThingOut], operation_id="things")
def things(request: HttpRequest) -> list[dict[str, Any]]:
    """Everything that a piece can be seen on."""
    return [{"key": key, **asdict(thing)} for key, thing in THINGS.items()]


@router.post("/jobs/{job_id}/files", response=TaskOut, operation_id="make_files")
def start_files(request: HttpRequest, job_id: int) -> Any:
    """Make the job files of the newest revision in the queue's process."""
    task = Task.objects.create(job_id=job_id, revision=queries.newest_revision(job_id).number)
    make_files(task.id)
    EXCHANGE.publish(job_id, "task", _plain_task(task))
    return task


@router.get("/jobs/{job_id}/events", operation_id="events")
def events(request: HttpRequest, job_id: int) -> HttpResponseBase:
    """Server-sent events of a job: “revision” with the newest number, “doing” with what its final work is at,
    “task” with how far its files are."""
    if EXCHANGE.is_full():
        return HttpResponse(status=503, headers={"Retry-After": "10"})

    def newest_task() -> Any:
        found = Task.objects.filter(job_id=job_id).order_by("-id").first()
        connection.close()  # a stream holds none while it waits
        return found and _plain_task(found)

    since = EXCHANGE.now()
    first = {"revision": queries.newest_revision(job_id).number, "task": newest_task()}
    response = StreamingHttpResponse(
        EXCHANGE.stream(job_id, first, since, task=newest_task), content_type="text/event-stream"
    )
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response


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
def job_file(request: HttpRequest, task_id: int, name: str) -> HttpResponseBase:
    found = next((file for file in _task(task_id).files if file["name"] == name), None)
    if found is None:
        raise Http404
    return as_download(found["sha256"], name)


@router.get("/tasks/{task_id}/all.zip", operation_id="all_files")
def all_files(request: HttpRequest, task_id: int) -> HttpResponseBase:
    """All files of a task in one zip."""
    task = _task(task_id)
    if task.state != Task.State.DONE:
        raise Http404
    whole = tempfile.TemporaryFile()  # noqa: SIM115 - the response closes it
    pack(((file["name"], blobs.fetch(file["sha256"])) for file in task.files), whole)
    whole.seek(0)
    name = f"{slug(task.job.name)}-rev{task.revision}.zip"
    response = FileResponse(whole, as_attachment=True, filename=name, content_type="application/zip")
    response["X-Content-Type-Options"] = "nosniff"
    return response


@router.get("/jobs/{job_id}/artworks/{artwork_id}", operation_id="client_file")
def client_file(request: HttpRequest, job_id: int, artwork_id: str) -> HttpResponseBase:
    """The client's own file, untouched, as a download."""
    ticket = ticket_from_plain(queries.newest_revision(job_id).ticket)
    found = next((artwork for artwork in ticket.artworks if artwork.id == artwork_id), None)
    if found is None:
        raise Http404
    return as_download(found.file, found.name)


def refresh_card(revision: Revision) -> bytes:
    """The final view of a job's newest revision as JSON, whose picture is kept for the board."""
    ticket = ticket_of(revision)
    safe_sources(ticket, STORE)
    number, lane = revision.number, _lane(revision.job_id)
    told = DESK.ask("final", revision.ticket, number, machines(library()), lane=lane, key=str(number))
    card, _, view = told.partition(b"\n")
    job = Job.objects.get(id=revision.job_id)
    told_card = json.loads(card)
    drawing = json.dumps(told_card.pop("drawing")).encode()
    told_card["drawing"] = pictures.keep_drawing(drawing)
    sizes, waits = told_card.pop("sizes")[:MOST_SIZES], waits_for(told_card, job.done)
    if (told_card, sizes, waits) != (job.card, job.sizes, job.waits):
        Job.objects.filter(id=job.pk).update(card=told_card, sizes=sizes, waits=waits)
    return view


def _asked(kind: str, job_id: int, id: str, *more: Any) -> HttpResponse:
    """What a worker says of an artwork or a layer in the newest revision. Questions that differ do not take each
    other's place."""
    revision = queries.newest_revision(job_id)
    ticket = ticket_of(revision)
    layers = {layer.id for piece in ticket.pieces for layer in piece.layers}
    if id not in (layers if kind == "lines" else {artwork.id for artwork in ticket.artworks}):
        raise Http404
    safe_sources(ticket, STORE)
    key = fingerprint(kind, job_id, revision.number, id, list(more))
    return as_json(DESK.ask(kind, revision.ticket, id, *more, lane=key, key=key))


def _lane(job_id: int) -> str:
    """Where the work of one job waits: the newest takes the place of the older."""
    return f"job {job_id}"


def _nest_lane(job_id: int) -> str:
    """Where a job's nesting waits, beside its other work."""
    return f"nest {job_id}"


def _plain_task(task: Task) -> dict[str, Any]:
    return TaskOut.from_orm(task).dict()


def _task(task_id: int) -> Task:
    task = Task.objects.filter(id=task_id).first()
    if task is None:
        raise Http404
    return task
