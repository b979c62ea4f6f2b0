"""A sheet on a machine with a beam over HTTP: its moves, its tests and ways to engrave, and its run on the machine."""

import json
from dataclasses import asdict
from datetime import date
from typing import Annotated, Any, Literal

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Field, Query, Router, Schema

from files.results import STORE
from jobs import queries
from jobs.api import ChangeIn
from jobs.keeping import ticket_of
from jobs.models import Revision
from library.queries import library
from nibble_core.errors import CannotMake
from nibble_core.pipeline.engraving_ways import engraving_ways
from nibble_core.pipeline.turn_trial import turn_learnt
from nibble_core.ticket import Ticket, apply, fingerprint, ticket_from_plain
from nibble_core.ticket.heads import BeamHead
from nibble_core.ticket.model import Sheet
from nibble_core.ticket.piece import Piece
from production import runs
from production.answers import as_file, as_json, sheet_of
from production.api import TryOutOut
from production.sources import safe_sources
from production.workers import DESK

router = Router(tags=["machine"])


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


class TurnIn(Schema):
    """gap: mm from the second line round to where it belongs, below nothing where it came too late."""

    gap: float
    turn: str = "a whole turn"


class TurnOut(Schema):
    """changes: that put what was learnt into the job; correction: what turns are made longer by, of 1."""

    changes: list[ChangeIn]
    correction: float


@router.get("/jobs/{job_id}/sheets/{sheet_id}/test-turn", operation_id="test_turn")
def test_turn(request: HttpRequest, job_id: int, sheet_id: str, turn: str = "a whole turn") -> HttpResponse:
    """Two lines a turn apart and a letter, as G-code."""
    return _test_file("turn_trial", job_id, sheet_id, turn)


@router.post("/jobs/{job_id}/sheets/{sheet_id}/test-turn", response=TurnOut, operation_id="learn_turn")
def learn_turn(request: HttpRequest, job_id: int, sheet_id: str, body: TurnIn) -> dict[str, Any]:
    """What a test turn tells of a sheet's machine; nothing is written."""
    _, ticket, sheet = sheet_of(job_id, sheet_id)
    correction, changes = turn_learnt(ticket, sheet, body.gap, date.today().isoformat(), body.turn)
    return {"changes": [asdict(one) for one in changes], "correction": correction}


def _test_file(kind: str, job_id: int, sheet_id: str, *more: Any) -> HttpResponse:
    revision, _, _ = sheet_of(job_id, sheet_id)
    key = fingerprint(kind, job_id, revision.number, sheet_id, list(more))
    return as_file(DESK.ask(kind, revision.ticket, sheet_id, *more, lane=key, key=key), "text/x-gcode")


@router.get("/jobs/{job_id}/sheets/{sheet_id}/carved", operation_id="carved")
def carved(
    request: HttpRequest, job_id: int, sheet_id: str, share: Annotated[float, Field(ge=0.0, le=1.0)] = 1.0
) -> HttpResponse:
    """The surface that a sheet's router leaves, packed; see production.carved_view."""
    revision, ticket, _ = sheet_of(job_id, sheet_id)
    safe_sources(ticket, STORE)
    share = round(share, 3)
    key = fingerprint("carved", job_id, revision.number, sheet_id, share)
    content = DESK.ask("carved", revision.ticket, sheet_id, share, lane=key, key=key)
    return HttpResponse(content, content_type="application/octet-stream")


@router.get("/jobs/{job_id}/sheets/{sheet_id}/moves", operation_id="moves")
def moves(request: HttpRequest, job_id: int, sheet_id: str) -> HttpResponse:
    """Every move of a sheet's beam, packed; see production.moves_view."""
    revision, ticket, _ = sheet_of(job_id, sheet_id)
    safe_sources(ticket, STORE)
    key = fingerprint("moves", job_id, revision.number, sheet_id)
    content = DESK.ask("moves", revision.ticket, sheet_id, lane=key, key=key)
    return HttpResponse(content, content_type="application/octet-stream")


class RunOut(Schema):
    """A program on its way to a machine. may_move: whether it is over and nobody knows that the machine stands still.
    done: lines of ``lines`` whose moves were made; moves: of the sheet, that were
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
    may_move: bool

    @staticmethod
    def resolve_moves(run: Any) -> int:
        return runs.moves_made(run)


class CommandIn(Schema):
    """back: mm, while it is paused."""

    what: Literal["pause", "resume", "back", "stop", "go on", "it stands still"]
    length: float = Field(20.0, ge=0, le=10_000)


@router.get("/jobs/{job_id}/sheets/{sheet_id}/run", response=RunOut | None, operation_id="run")
def machine_run(request: HttpRequest, job_id: int, sheet_id: str) -> Any:
    """The last run of a sheet on its machine."""
    return runs.newest(job_id, sheet_id)


class MovingOut(Schema):
    """A machine that moves, or may: the job and the sheet that are on it, and how far it is."""

    job: int
    job_name: str
    sheet: str
    machine: str
    state: str
    may_move: bool
    done: int
    lines: int
    message: str


@router.get("/moving", response=list[MovingOut], operation_id="moving")
def machines_that_move(request: HttpRequest) -> Any:
    """Machines that move, or may, whichever job they work for."""
    return [_moving_out(run) for run in runs.moving()]


def _moving_out(run: Any) -> MovingOut:
    sent = Revision.objects.get(job_id=run.job_id, number=run.revision)
    ticket = ticket_of(sent)
    machine = next((one.machine.name for one in ticket.sheets if one.id == run.sheet), "machine")
    return MovingOut(
        job=run.job_id, job_name=ticket.name, sheet=run.sheet, machine=machine, state=run.state,
        may_move=run.may_move, done=run.done, lines=run.lines, message=run.message,
    )  # fmt: skip


class FoundIn(Schema):
    """found: where each printed mark lies in the machine's axes, mm; empty where the sheet lies as meant."""

    found: list[tuple[float, float]] = Field([], max_length=100)


class MarksOut(Schema):
    """meant: where printed marks should lie in the machine's axes; found: where they do; said: how the sheet lies; at:
    the map from the one to the other, as SVG has it."""

    meant: list[tuple[float, float]]
    found: list[tuple[float, float]]
    said: str
    at: list[float] | None


@router.post("/jobs/{job_id}/sheets/{sheet_id}/marks", response=MarksOut, operation_id="marks")
def marks(request: HttpRequest, job_id: int, sheet_id: str, body: FoundIn) -> HttpResponse:
    """Where the marks of a sheet should lie on its machine, and how it lies by where they were found."""
    return as_json(_marks(job_id, sheet_id, body.found))


@router.post("/jobs/{job_id}/sheets/{sheet_id}/camera", response=MarksOut, operation_id="camera")
def camera(request: HttpRequest, job_id: int, sheet_id: str) -> HttpResponse:
    """Let the machine's camera find the marks."""
    meant = json.loads(_marks(job_id, sheet_id, []))["meant"]
    found = runs.seen(_port(sheet_of(job_id, sheet_id)[2]), [(x, y) for x, y in meant])
    return as_json(_marks(job_id, sheet_id, found))


def _marks(job_id: int, sheet_id: str, found: list[tuple[float, float]]) -> bytes:
    revision, ticket, _ = sheet_of(job_id, sheet_id)
    safe_sources(ticket, STORE)
    key = fingerprint("marks", job_id, revision.number, sheet_id, found)
    return DESK.ask("marks", revision.ticket, sheet_id, found, lane=key, key=key)


def _port(sheet: Sheet) -> int:
    """Where a sheet's machine listens, as its record in the library says: a ticket, which may come from anywhere, does
    not choose what is written to. Raises CannotMake for one that is not connected."""
    port = next((record.port for record in library().machines if record.key == sheet.machine.key), None)
    if port is None:
        raise CannotMake(f"The {sheet.machine.name} is not connected.", "Give its record in the library a port.")
    return port


@router.post("/jobs/{job_id}/sheets/{sheet_id}/run", response=RunOut, operation_id="begin_run")
def begin_run(request: HttpRequest, job_id: int, sheet_id: str, body: FoundIn) -> Any:
    """Send the newest revision of a sheet to its machine, as it lies there."""
    revision, ticket, sheet = sheet_of(job_id, sheet_id)
    port = _port(sheet)
    safe_sources(ticket, STORE)
    key = fingerprint("program", job_id, revision.number, sheet_id, body.found)
    content = DESK.ask("program", revision.ticket, sheet_id, revision.number, body.found, lane=key, key=key)
    lies = json.loads(_marks(job_id, sheet_id, body.found))["at"] if body.found else None
    return runs.begin(job_id, sheet_id, revision.number, port, content, lies=lies)


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


class WayIn(Schema):
    """line: its path in the ticket."""

    line: str
    changes: list[ChangeIn]


class WayOut(Schema):
    """minutes: of one sheet, None while power or speed are missing; look: a picture."""

    minutes: float | None
    strokes: int
    look: str


@router.get("/jobs/{job_id}/engraving-ways", response=list[TryOutOut], operation_id="engraving_ways")
def list_engraving_ways(request: HttpRequest, job_id: int, line: str) -> Any:
    """Ways to engrave the area of a line, to lay side by side."""
    ticket = ticket_from_plain(queries.newest_revision(job_id).ticket)
    piece = _piece_of_line(ticket, line)
    pictures = any(element.artwork for element in piece.elements)
    return [asdict(way) for way in engraving_ways(line, pictures=pictures)]


@router.post("/jobs/{job_id}/engraving-ways", response=WayOut, operation_id="engraving_way")
def show_engraving_way(request: HttpRequest, job_id: int, body: WayIn) -> HttpResponse:
    """What one way takes and looks like; nothing is written."""
    revision = queries.newest_revision(job_id)
    ticket = ticket_from_plain(revision.ticket)
    _piece_of_line(ticket, body.line)
    changes = [item.change() for item in body.changes]
    safe_sources(apply(ticket, changes), STORE)
    plain = [asdict(change) for change in changes]
    key = fingerprint("one way", job_id, revision.number, body.line, plain)
    return as_json(DESK.ask("one_way", revision.ticket, body.line, plain, lane=key, key=key))


def _piece_of_line(ticket: Ticket, line: str) -> Piece:
    """The piece of a line that lies on a sheet whose machine has a beam; raises Http404 for another path."""
    for piece in ticket.pieces:
        for layer in piece.layers:
            on_beam = any(isinstance(sheet.machine.head, BeamHead) for sheet in ticket.sheets_of(layer.id))
            paths = [f"pieces/{piece.id}/layers/{layer.id}/lines/{one.id}" for one in layer.lines]
            if on_beam and line in paths:
                return piece
    raise Http404
