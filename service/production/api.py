"""Work of a job over HTTP: its final results, previews of drafts, and the tasks that make files."""

import json
import tempfile
import zipfile
from dataclasses import asdict
from typing import Any, Literal

from django.db import connection
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from ninja import Field, Query, Router, Schema

from files import blobs, pictures
from files.api import as_download
from files.results import STORE
from jobs import queries
from jobs.api import ChangeIn, ChangesIn, who
from jobs.models import Job, Revision
from library.queries import library
from nibble_core.errors import CannotMake
from nibble_core.formats.registry import OUTLINE_FORMATS
from nibble_core.pipeline.engraving_ways import engraving_ways
from nibble_core.pipeline.names import slug
from nibble_core.processes import PROCESSES
from nibble_core.things import THINGS
from nibble_core.ticket import Ticket, apply, fingerprint, ticket_from_plain, to_plain
from nibble_core.ticket.model import Sheet
from nibble_core.ticket.piece import Piece
from production import runs, stocktaking
from production.events import EXCHANGE
from production.models import Task
from production.sources import safe_sources
from production.tasks import make_files
from production.workers import DESK, PREVIEWS

router = Router(tags=["work"])

TrialKind = Literal["one copy", "a test cut", "a framing pass", "a framing pass along the hull", "a pen run"]


class MendOut(Schema):
    label: str
    changes: list[ChangeIn]
    copy_text: str = Field(validation_alias="copy")


class NoteOut(Schema):
    text: str
    what_to_do: str
    where: str
    weight: str
    mends: list[MendOut]
    place: tuple[float, float] | None
    of: str


class FigureOut(Schema):
    """A value with its label, and the id of the artwork, piece or sheet it is about."""

    value: str
    label: str
    about: str


class StationOut(Schema):
    """facts: those of each artwork, piece or sheet, by id."""

    key: str
    state: str
    fact: str
    notes: list[NoteOut]
    figures: list[FigureOut]
    facts: dict[str, str]


class ShapeOut(Schema):
    d: str
    colour: str
    rgb: tuple[int, int, int]
    x: float
    y: float
    place: tuple[float, float]
    size: float
    dropped: str
    nodes: int
    stroke: float | None
    holes: int


class ArtworkOut(Schema):
    width: float
    height: float | None
    original: str
    cleaned: str
    pixels: tuple[int, int] | None
    anchor: tuple[float, float, float, float, float, float] | None
    kind: str
    shapes: list[ShapeOut]
    lost: list[str]
    level: float | None
    lettering: list[tuple[float, float, float, float]]
    left_out: str
    palette: list[str]
    tones: list[float]


class SliceOut(Schema):
    """Some of a line's dashes, and the box round them."""

    d: str
    box: tuple[float, float, float, float]


class LineOut(Schema):
    """``d``: its paths; those of very many dashes are told in ``slices``, and ``d`` is then the plain line they lie
    on. filled: whether they fill an area; wide: mm that each is, 0 for a hairline; area: its
    outline; picture: whether its strokes are the dots of one."""

    id: str
    process: str
    d: str
    nodes: int
    length: float
    parts: int
    name: str
    ties: list[tuple[float, float]]
    dashes: int
    slices: list[SliceOut]
    filled: bool
    wide: float
    picture: bool
    area: str


class PrintOut(Schema):
    """A picture of width by height mm brought to the piece by its matrix, or a painted shape."""

    kind: str
    url: str
    width: float
    height: float
    matrix: tuple[float, float, float, float, float, float]
    d: str
    colour: str


class PieceShapeOut(Schema):
    element: str
    d: str
    colour: str
    stroke: float | None


class RegionOut(Schema):
    d: str
    nodes: int


class HoleOut(Schema):
    """A hole of the piece; the place within it as fractions of the frame; the widest circle it holds, mm."""

    d: str
    x: float
    y: float
    width: float


class FaceOut(Schema):
    d: str
    kind: str
    island: bool


class HangingOut(Schema):
    balance: tuple[float, float]
    place: tuple[float, float]
    wall: float
    tilt: float


class LooksOut(Schema):
    """What the views show: what falls, necks thinner than the stock holds (both ends, width), the finished piece, what
    stays solid when weeded, and the white a cutting error would show with the bleed that leaves none."""

    falls: list[FaceOut]
    weak: list[tuple[float, float, float, float, float]]
    neck: tuple[float, float, float, float, float] | None
    work: str
    solid: str
    slivers: str
    error: float
    needed: float


class LayerOut(Schema):
    box: tuple[float, float, float, float]
    frame: tuple[float, float, float, float]
    lines: list[LineOut]
    prints: list[PrintOut]
    shapes: list[PieceShapeOut]
    shown: str
    edge: str
    regions: list[RegionOut]
    holes: list[HoleOut]
    bridges: list[tuple[float, float, float, float]]
    marks: str
    marks_process: str
    plate: str
    hanging: HangingOut | None
    minutes: float | None
    looks: LooksOut | None


class PlacementsOut(Schema):
    """Where the copies of a layer lie: maps of its coordinates to the sheet's."""

    layer: str
    matrices: list[tuple[float, float, float, float, float, float]]


class DrawingLineOut(Schema):
    process: str
    d: str


class DrawingOut(Schema):
    """A job in small: what it prints and its lines, in mm."""

    box: tuple[float, float, float, float]
    lines: list[DrawingLineOut]
    prints: list[PrintOut]


class ProcessOut(Schema):
    """How a process looks on screen: colour, width and dash in CSS pixels."""

    key: str
    words: str
    colour: str
    width: float
    dash: list[float]


class SheetOut(Schema):
    name: str
    width: float
    height: float
    copies: int
    times: int
    mirrored: bool
    colour: str
    placements: list[PlacementsOut]
    marks: list[tuple[float, float]]
    mark_diameter: float
    mark_paths: str
    minutes: float | None
    caption: str
    own: list[DrawingLineOut]


class WorkOut(Schema):
    """``revision``: the one that it follows from; a preview's draft was made on it."""

    revision: int
    preview: bool
    stations: list[StationOut]
    artworks: dict[str, ArtworkOut]
    layers: dict[str, LayerOut]
    sheets: dict[str, SheetOut]
    suggested: dict[str, float]


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
    return _json(refresh_card(_newest(job_id)))


@router.post("/jobs/{job_id}/work/stop", response=dict[str, bool], operation_id="stop_work")
def stop_work(request: HttpRequest, job_id: int) -> dict[str, bool]:
    """Give up the work of a job that is under way; whoever waits for it is told."""
    DESK.stop(_lane(job_id))
    return {"stopped": True}


@router.post("/jobs/{job_id}/preview", response=WorkOut, operation_id="preview")
def preview(request: HttpRequest, job_id: int, body: ChangesIn) -> HttpResponse:
    """What the job would look like after draft changes; nothing is written."""
    newest = _newest(job_id)
    ticket = apply(ticket_from_plain(newest.ticket), [item.change() for item in body.changes], library())
    safe_sources(ticket, STORE)
    return _json(PREVIEWS.ask("preview", to_plain(ticket), newest.number, _machines(), lane=_lane(job_id)))


class NestIn(Schema):
    """seconds: how long to look, 0 to 60."""

    seconds: float = Field(5.0, ge=0.0, le=60.0)


class NestOut(Schema):
    """changes: that lay the sheet so; up: copies, on so many runs, each so long in mm."""

    changes: list[ChangeIn]
    up: int
    runs: int
    length: float


@router.post("/jobs/{job_id}/sheets/{sheet_id}/nest", response=NestOut, operation_id="nest")
def nest(request: HttpRequest, job_id: int, sheet_id: str, body: NestIn) -> HttpResponse:
    """Look for a tight way to lay a sheet's copies; nothing is written. How far it is comes as “doing”."""
    revision = _newest(job_id)
    ticket = ticket_from_plain(revision.ticket)
    if all(sheet.id != sheet_id for sheet in ticket.sheets):
        raise Http404
    safe_sources(ticket, STORE)
    key = fingerprint("nest", revision.number, sheet_id, body.seconds)
    return _json(DESK.ask("nest", revision.ticket, sheet_id, body.seconds, lane=_nest_lane(job_id), key=key))


class OneMoreIn(Schema):
    layer: str


@router.post("/jobs/{job_id}/sheets/{sheet_id}/one-more", response=NestOut, operation_id="one_more")
def one_more(request: HttpRequest, job_id: int, sheet_id: str, body: OneMoreIn) -> HttpResponse:
    """Look for room for one more copy of a layer; nothing is written."""
    revision = _newest(job_id)
    ticket = ticket_from_plain(revision.ticket)
    if not any(one.id == sheet_id and any(h.layer == body.layer for h in one.holds) for one in ticket.sheets):
        raise Http404
    safe_sources(ticket, STORE)
    key = fingerprint("one more", revision.number, sheet_id, body.layer)
    asked = ("one_more_copy", revision.ticket, sheet_id, body.layer)
    return _json(DESK.ask(*asked, lane=_nest_lane(job_id), key=key))


@router.get("/jobs/{job_id}/sheets/{sheet_id}/trial/{kind}", operation_id="trial")
def trial(request: HttpRequest, job_id: int, sheet_id: str, kind: TrialKind) -> HttpResponse:
    """Files to try a sheet's settings with, in a zip; of a beam's framing pass and pen run, one file."""
    revision = _newest(job_id)
    ticket = ticket_from_plain(revision.ticket)
    if all(sheet.id != sheet_id for sheet in ticket.sheets):
        raise Http404
    safe_sources(ticket, STORE)
    key = fingerprint("trial", job_id, revision.number, sheet_id, kind)
    kept = "application/zip" if kind in ("one copy", "a test cut") else "text/x-gcode"
    return _as_file(DESK.ask("trial", revision.ticket, sheet_id, kind, lane=key, key=key), kept)


@router.get("/jobs/{job_id}/sheets/{sheet_id}/swatch", operation_id="swatch")
def test_swatch(
    request: HttpRequest, job_id: int, sheet_id: str, process: str, across: str,
    powers: Query[list[float]], values: Query[list[float]],
) -> HttpResponse:  # fmt: skip
    """A labelled grid of settings to be burnt, as G-code."""
    grid = {"process": process, "across": across, "powers": powers, "values": values}
    return _test_file("test_swatch", job_id, sheet_id, grid)


@router.get("/jobs/{job_id}/sheets/{sheet_id}/kerf-comb", operation_id="kerf_comb")
def kerf_comb(
    request: HttpRequest, job_id: int, sheet_id: str, thickness: float, kerfs: Query[list[float]]
) -> HttpResponse:
    """A comb of slots that measures the kerf, as G-code."""
    return _test_file("test_comb", job_id, sheet_id, thickness, kerfs)


def _test_file(kind: str, job_id: int, sheet_id: str, *more: Any) -> HttpResponse:
    revision = _newest(job_id)
    ticket = ticket_from_plain(revision.ticket)
    if all(sheet.id != sheet_id for sheet in ticket.sheets):
        raise Http404
    key = fingerprint(kind, job_id, revision.number, sheet_id, list(more))
    return _as_file(DESK.ask(kind, revision.ticket, sheet_id, *more, lane=key, key=key), "text/x-gcode")


@router.get("/jobs/{job_id}/sheets/{sheet_id}/moves", operation_id="moves")
def moves(request: HttpRequest, job_id: int, sheet_id: str) -> HttpResponse:
    """Every move of a sheet's beam, packed; see production.moves_view."""
    revision = _newest(job_id)
    ticket = ticket_from_plain(revision.ticket)
    if all(sheet.id != sheet_id for sheet in ticket.sheets):
        raise Http404
    safe_sources(ticket, STORE)
    key = fingerprint("moves", job_id, revision.number, sheet_id)
    content = DESK.ask("moves", revision.ticket, sheet_id, lane=key, key=key)
    return HttpResponse(content, content_type="application/octet-stream")


class RunOut(Schema):
    """A program on its way to a machine. done: lines of ``lines`` whose moves were made; moves: of the sheet, that were
    made; x, y: of the head in the machine's axes."""

    id: int
    sheet: str
    revision: int
    state: str
    lines: int
    done: int
    moves: int
    x: float
    y: float
    message: str

    @staticmethod
    def resolve_moves(run: Any) -> int:
        return runs.moves_made(run)


class CommandIn(Schema):
    """back: mm, while it is paused."""

    what: Literal["pause", "resume", "back", "stop", "go on"]
    length: float = Field(20.0, ge=0, le=10_000)


@router.get("/jobs/{job_id}/sheets/{sheet_id}/run", response=RunOut | None, operation_id="run")
def machine_run(request: HttpRequest, job_id: int, sheet_id: str) -> Any:
    """The last run of a sheet on its machine."""
    return runs.newest(job_id, sheet_id)


class FoundIn(Schema):
    """found: where each printed mark lies in the machine's axes, mm; empty where the sheet lies as meant."""

    found: list[tuple[float, float]] = Field([], max_length=100)


class MarksOut(Schema):
    """meant: where printed marks should lie in the machine's axes; found: where they do; said: how the sheet lies."""

    meant: list[tuple[float, float]]
    found: list[tuple[float, float]]
    said: str


@router.post("/jobs/{job_id}/sheets/{sheet_id}/marks", response=MarksOut, operation_id="marks")
def marks(request: HttpRequest, job_id: int, sheet_id: str, body: FoundIn) -> HttpResponse:
    """Where the marks of a sheet should lie on its machine, and how it lies by where they were found."""
    return _json(_marks(job_id, sheet_id, body.found))


@router.post("/jobs/{job_id}/sheets/{sheet_id}/camera", response=MarksOut, operation_id="camera")
def camera(request: HttpRequest, job_id: int, sheet_id: str) -> HttpResponse:
    """Let the machine's camera find the marks."""
    meant = json.loads(_marks(job_id, sheet_id, []))["meant"]
    found = runs.seen(_port(_sheet_of(job_id, sheet_id)), [(x, y) for x, y in meant])
    return _json(_marks(job_id, sheet_id, found))


def _marks(job_id: int, sheet_id: str, found: list[tuple[float, float]]) -> bytes:
    _sheet_of(job_id, sheet_id)
    revision = _newest(job_id)
    safe_sources(ticket_from_plain(revision.ticket), STORE)
    key = fingerprint("marks", job_id, revision.number, sheet_id, found)
    return DESK.ask("marks", revision.ticket, sheet_id, found, lane=key, key=key)


def _sheet_of(job_id: int, sheet_id: str) -> Sheet:
    ticket = ticket_from_plain(_newest(job_id).ticket)
    sheet = next((one for one in ticket.sheets if one.id == sheet_id), None)
    if sheet is None:
        raise Http404
    return sheet


def _port(sheet: Sheet) -> int:
    """Where a sheet's machine listens. Raises CannotMake for one that is not connected."""
    if sheet.machine.port is None:
        raise CannotMake(
            f"The {sheet.machine.name} is not connected.", "Give its record a port in the library, and choose it anew."
        )
    return sheet.machine.port


@router.post("/jobs/{job_id}/sheets/{sheet_id}/run", response=RunOut, operation_id="begin_run")
def begin_run(request: HttpRequest, job_id: int, sheet_id: str, body: FoundIn) -> Any:
    """Send the newest revision of a sheet to its machine, as it lies there."""
    port = _port(_sheet_of(job_id, sheet_id))
    revision = _newest(job_id)
    safe_sources(ticket_from_plain(revision.ticket), STORE)
    key = fingerprint("program", job_id, revision.number, sheet_id, body.found)
    content = DESK.ask("program", revision.ticket, sheet_id, revision.number, body.found, lane=key, key=key)
    return runs.begin(job_id, sheet_id, revision.number, port, content)


@router.post("/jobs/{job_id}/sheets/{sheet_id}/run/command", response=RunOut, operation_id="command_run")
def command_run(request: HttpRequest, job_id: int, sheet_id: str, body: CommandIn) -> Any:
    """Hold a run, let it go on, back it up, stop it, or take it up where it broke off."""
    run = runs.newest(job_id, sheet_id)
    if run is None:
        raise Http404
    if body.what == "go on":
        return runs.go_on(run)
    runs.command(run, body.what, body.length)
    return runs.newest(job_id, sheet_id)


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
    revision = _newest(job_id)
    ticket = ticket_from_plain(revision.ticket)
    sheet = next((one for one in ticket.sheets if one.id == sheet_id), None)
    if sheet is None:
        raise Http404
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


class WayIn(Schema):
    """line: its path in the ticket."""

    line: str
    changes: list[ChangeIn]


class WayOut(Schema):
    """minutes: of one sheet, None while power or speed are missing; look: a picture."""

    minutes: float | None
    strokes: int
    look: str


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
    ticket = ticket_from_plain(_newest(job_id).ticket)
    changes = [item.change() for item in body.changes]
    safe_sources(apply(ticket, changes), STORE)
    return _asked("one_try_out", job_id, artwork_id, [asdict(change) for change in changes])


@router.get("/jobs/{job_id}/engraving-ways", response=list[TryOutOut], operation_id="engraving_ways")
def list_engraving_ways(request: HttpRequest, job_id: int, line: str) -> Any:
    """Ways to engrave the area of a line, to lay side by side."""
    ticket = ticket_from_plain(_newest(job_id).ticket)
    piece = _piece_of_line(ticket, line)
    pictures = any(element.kind == "artwork" for element in piece.elements)
    return [asdict(way) for way in engraving_ways(line, pictures=pictures)]


@router.post("/jobs/{job_id}/engraving-ways", response=WayOut, operation_id="engraving_way")
def show_engraving_way(request: HttpRequest, job_id: int, body: WayIn) -> HttpResponse:
    """What one way takes and looks like; nothing is written."""
    revision = _newest(job_id)
    ticket = ticket_from_plain(revision.ticket)
    _piece_of_line(ticket, body.line)
    changes = [item.change() for item in body.changes]
    safe_sources(apply(ticket, changes), STORE)
    plain = [asdict(change) for change in changes]
    key = fingerprint("one way", job_id, revision.number, body.line, plain)
    return _json(DESK.ask("one_way", revision.ticket, body.line, plain, lane=key, key=key))


def _piece_of_line(ticket: Ticket, line: str) -> Piece:
    """The piece of a line that lies on a sheet whose machine has a beam; raises Http404 for another path."""
    for piece in ticket.pieces:
        for layer in piece.layers:
            on_beam = any(sheet.machine.burns for sheet in ticket.sheets_of(layer.id))
            paths = [f"pieces/{piece.id}/layers/{layer.id}/lines/{one.id}" for one in layer.lines]
            if on_beam and line in paths:
                return piece
    raise Http404


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
    return _as_file(answer.content, OUTLINE_FORMATS[ending].content_type)


def _as_file(named: bytes, content_type: str) -> HttpResponse:
    """A download of what a worker made: its name on one line, then its bytes."""
    name, _, content = named.partition(b"\n")
    response = HttpResponse(content, content_type=content_type)
    response["Content-Disposition"] = f'attachment; filename="{name.decode()}"'
    response["Content-Security-Policy"] = "default-src 'none'; sandbox"
    response["X-Content-Type-Options"] = "nosniff"
    return response


@router.get("/jobs/{job_id}/papers/{kind}", operation_id="paper")
def paper(
    request: HttpRequest, job_id: int, kind: Literal["ticket", "proof", "quote"], size: Literal["a4", "letter"] = "a4"
) -> HttpResponse:
    """A page of the newest revision: the ticket for the machine, the proof or the quote for the client."""
    revision = _newest(job_id)
    safe_sources(ticket_from_plain(revision.ticket), STORE)
    rates = to_plain(library().rates)
    key = fingerprint("paper", job_id, revision.number, kind, size, rates)
    code = f"{job_id}.{revision.number}"
    return _as_file(DESK.ask("paper", revision.ticket, kind, code, size, rates, lane=key, key=key), "application/pdf")


@router.get("/drawings/{key}", operation_id="drawing", response=DrawingOut)
def drawing(request: HttpRequest, key: str) -> HttpResponse:
    """What a card of the board shows of its job."""
    try:
        answer = _json(pictures.drawing(key))
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
    task = Task.objects.create(job_id=job_id, revision=_newest(job_id).number)
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
    first = {"revision": _newest(job_id).number, "task": newest_task()}
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
    with zipfile.ZipFile(whole, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as packed:
        for file in task.files:
            packed.write(blobs.path(file["sha256"]), file["name"])
    whole.seek(0)
    name = f"{slug(task.job.name)}-rev{task.revision}.zip"
    response = FileResponse(whole, as_attachment=True, filename=name, content_type="application/zip")
    response["X-Content-Type-Options"] = "nosniff"
    return response


@router.get("/jobs/{job_id}/artworks/{artwork_id}", operation_id="client_file")
def client_file(request: HttpRequest, job_id: int, artwork_id: str) -> HttpResponseBase:
    """The client's own file, untouched, as a download."""
    ticket = ticket_from_plain(_newest(job_id).ticket)
    found = next((artwork for artwork in ticket.artworks if artwork.id == artwork_id), None)
    if found is None:
        raise Http404
    return as_download(found.file, found.name)


def refresh_card(revision: Revision) -> bytes:
    """The final view of a job's newest revision as JSON, whose picture is kept for the board."""
    ticket = ticket_from_plain(revision.ticket)
    safe_sources(ticket, STORE)
    number, lane = revision.number, _lane(revision.job_id)
    told = DESK.ask("final", revision.ticket, number, _machines(), lane=lane, key=str(number))
    card, _, view = told.partition(b"\n")
    job = Job.objects.get(id=revision.job_id)
    told_card = json.loads(card)
    drawing = json.dumps(told_card.pop("drawing")).encode()
    told_card["drawing"] = pictures.keep_drawing(drawing)
    if told_card != job.card:
        Job.objects.filter(id=job.pk).update(card=told_card)
    return view


def _asked(kind: str, job_id: int, artwork_id: str, *more: Any) -> HttpResponse:
    """What a worker says of an artwork in the newest revision. Questions that differ do not take each other's place."""
    revision = _newest(job_id)
    ticket = ticket_from_plain(revision.ticket)
    if all(artwork.id != artwork_id for artwork in ticket.artworks):
        raise Http404
    safe_sources(ticket, STORE)
    key = fingerprint(kind, job_id, revision.number, artwork_id, list(more))
    return _json(DESK.ask(kind, revision.ticket, artwork_id, *more, lane=key, key=key))


def _machines() -> list[Any]:
    """The shop's machines as plain values, for what mends name: workers read no database."""
    told: list[Any] = to_plain(library().machines)
    return told


def _lane(job_id: int) -> str:
    """Where the work of one job waits: the newest takes the place of the older."""
    return f"job {job_id}"


def _nest_lane(job_id: int) -> str:
    """Where a job's nesting waits, beside its other work."""
    return f"nest {job_id}"


def _json(content: bytes) -> HttpResponse:
    return HttpResponse(content, content_type="application/json")


def _plain_task(task: Task) -> dict[str, Any]:
    return TaskOut.from_orm(task).dict()


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
