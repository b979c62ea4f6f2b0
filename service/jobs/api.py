"""Jobs over HTTP."""

import json
import secrets
from datetime import date, datetime
from typing import Annotated, Any, Literal

from django.conf import settings
from django.contrib.auth.models import User
from django.http import Http404, HttpRequest, HttpResponse
from ninja import Field, File, Router, Schema, UploadedFile
from pydantic import BeforeValidator, WithJsonSchema

from demo.loose_files import LOOSE_FILES, draw_loose_file
from jobs import actions, queries
from jobs.keeping import size_of, ticket_of
from jobs.models import Revision
from library.queries import library
from nibble_core.errors import FileTooLarge
from nibble_core.pipeline.store import MemoryStore
from nibble_core.ticket import Change, Ticket, difference, json_schema, outdated, sentences, to_plain
from nibble_core.ticket.adding import new_elements, new_lines
from nibble_core.ticket.changes import OPERATIONS
from nibble_core.ticket.line import Line
from nibble_core.ticket.piece import Element
from nibble_core.ticket.steps import Step

PAGE = 60  # jobs of the board that are told together
MOST_PAGES = 100_000
router = Router(tags=["jobs"])

# checked by the core when they come in, and told to clients by its types
Operation = Annotated[str, WithJsonSchema({"type": "string", "enum": list(OPERATIONS)})]
PlainLine = Annotated[dict[str, Any], WithJsonSchema(json_schema(Line))]
PlainElement = Annotated[dict[str, Any], WithJsonSchema(json_schema(Element))]
PlainTicket = Annotated[dict[str, Any], WithJsonSchema(json_schema(Ticket))]


class ChangeIn(Schema):
    path: str
    value: Any = None
    operation: Operation = "set"
    before: str | None = None

    def change(self) -> Change:
        return Change(self.path, self.value, self.operation, self.before)


class ChangesIn(Schema):
    seen: int
    changes: list[ChangeIn]


class StepIn(Schema):
    """step: what one press does, by its kind; the core tells what that changes."""

    seen: int
    step: Annotated[Step, Field(discriminator="kind")]


class SeenIn(Schema):
    seen: int


class ScaleIn(Schema):
    seen: int
    factor: float


class RememberedOut(Schema):
    """A client's ink or layer, and the line that an earlier job drew along it."""

    named: str
    colour: str
    process: str
    line: PlainLine


class NewLineOut(Schema):
    words: str
    line: PlainLine


class NewElementOut(Schema):
    words: str
    element: PlainElement


class AdditionsOut(Schema):
    """What a layer and its piece may get; each has its id still to be given."""

    lines: list[NewLineOut]
    elements: list[NewElementOut]


class ArchiveIn(Schema):
    archived: bool


class DemoFileIn(Schema):
    name: str


class ChoiceOut(Schema):
    value: str
    label: str
    words: str


class SlotOut(Schema):
    path: str
    kind: str
    value: str | float | int | None
    text: str
    called: str
    low: float
    high: float
    step: float
    auto: str
    choices: list[ChoiceOut]
    changed: bool


class SentenceOut(Schema):
    id: str
    station: str
    parts: list[str | SlotOut]
    more: list[str | SlotOut]
    process: str
    owner: str
    on: bool
    about: str


class RevisionOut(Schema):
    number: int
    words: str
    author: str
    time: datetime
    undo_words: str
    redo_words: str


class OutdatedOut(Schema):
    """A record that the shop has changed since it was copied: its path in the ticket, its name and key."""

    path: str
    called: str
    key: str


class MovedOnOut(Schema):
    """A piece brought from another job that has changed there since."""

    piece: str
    called: str
    job: int
    of: str


class BringIn(Schema):
    seen: int
    job: int
    piece: str


class JobOut(Schema):
    """money: what the shop writes behind amounts. wanted: how many of each piece, by its id; nothing where full sheets
    decide. answer: the name of this answer, that a later one may say its difference from."""

    answer: str
    id: int
    archived: bool
    revision: RevisionOut
    ticket: PlainTicket
    sentences: list[SentenceOut]
    outdated: list[OutdatedOut]
    moved_on: list[MovedOnOut]
    money: str
    wanted: dict[str, int | None]


class DifferingOut(Schema):
    """A ``JobOut`` as what makes it of an earlier answer: see ``nibble_core.ticket.differences``."""

    since: str
    difference: dict[str, Any]


class DoneOut(Schema):
    """A step after the files: by whom it was ticked, and when."""

    step: str
    by: str
    at: datetime


class DoneIn(Schema):
    step: str
    done: bool


class StateOut(Schema):
    key: str
    state: str


class PictureOut(Schema):
    """A job's picture and state as they were worked out last. drawing: key of its drawing. looks: notes that need one;
    why: what the first of them says. steps: what happens after the files. Those of earlier versions may lack some."""

    drawing: Annotated[str, BeforeValidator(lambda key: key if isinstance(key, str) else "")] = ""
    stock: str = ""
    stock_colour: str = "#ffffff"
    quantity: int = 0
    stations: list[StateOut] = Field(default_factory=list)
    looks: int = 0
    why: str = ""
    steps: list[str] = Field(default_factory=list)


class CardOut(Schema):
    """waits: see ``jobs.waiting``; empty while its picture is not there yet."""

    id: int
    name: str
    client: str
    due: date | None
    archived: bool
    card: PictureOut | None
    done: list[DoneOut]
    waits: str


class BoardOut(Schema):
    """A page of the board; ``more``: whether another follows; ``undrawn``: how many jobs, on whatever page, wait for
    their card, which a search cannot find by size yet."""

    cards: list[CardOut]
    more: bool
    undrawn: int


class StartedOut(Schema):
    id: int


class LooseFileOut(Schema):
    name: str
    words: str


SENT = MemoryStore(64, most_bytes=64_000_000)
"""What was answered lately, by its name: another answer says no more than what became different, wherever it comes
from: a change, the library, another piece's job."""


def job_out(revision: Revision, since: str = "") -> HttpResponse:
    """A ``JobOut``, written straight from the core's own values: they are checked already, and it is asked for with
    every edit. since: an earlier answer, that whoever asks still has; answered is a ``DifferingOut`` where it is known
    here."""
    ticket = ticket_of(revision)
    held = library()
    told = {
        "answer": secrets.token_hex(8),
        "id": revision.job_id,
        "archived": revision.job.archived,
        "revision": {
            "number": revision.number, "words": revision.words, "author": _author(revision),
            "time": revision.time.isoformat(), "undo_words": queries.undo_words(revision),
            "redo_words": queries.redo_words(revision),
        },
        "ticket": ticket,
        "sentences": sentences(ticket, held),
        "outdated": outdated(ticket, held),
        "moved_on": queries.changed_origins(ticket),
        "money": held.rates.money,
        "wanted": {piece.id: ticket.wanted(piece) for piece in ticket.pieces},
    }  # fmt: skip
    before = SENT.get(since)
    SENT.put(str(told["answer"]), told, size=size_of(ticket))
    if before is not None and before["id"] == told["id"]:
        return _as_json({"since": since, "difference": difference(before, told)})
    return _as_json({name: to_plain(value) for name, value in told.items()})


def _as_json(told: dict[str, Any]) -> HttpResponse:
    return HttpResponse(json.dumps(told, separators=(",", ":")), content_type="application/json")


def _author(revision: Revision) -> str:
    return revision.author.get_username() if revision.author else ""


@router.get("", response=BoardOut, operation_id="jobs")
def jobs(
    request: HttpRequest,
    search: str = "",
    archived: bool = False,
    page: int = 0,
    order: Literal["due", "client", "waiting"] = "due",
) -> Any:
    start = max(0, min(page, MOST_PAGES)) * PAGE
    found = list(queries.jobs_on_board(search, archived, order)[start : start + PAGE + 1])
    return {"cards": found[:PAGE], "more": len(found) > PAGE, "undrawn": queries.undrawn_jobs(archived)}


@router.post("", response=StartedOut, operation_id="start_job")
def start(request: HttpRequest, file: File[UploadedFile]) -> StartedOut:
    return StartedOut(id=actions.start_job(who(request), *_taken(file)).id)


@router.get("/loose-files", response=list[LooseFileOut], operation_id="loose_files")
def loose_files(request: HttpRequest) -> list[LooseFileOut]:
    """Files to try, as a client might send them; drawn by our own code."""
    return [LooseFileOut(name=name, words=words) for name, words in LOOSE_FILES.items()]


@router.post("/loose-files", response=StartedOut, operation_id="start_from_loose_file")
def start_from_loose_file(request: HttpRequest, body: DemoFileIn) -> StartedOut:
    if body.name not in LOOSE_FILES:
        raise Http404
    return StartedOut(id=actions.start_job(who(request), draw_loose_file(body.name), body.name).id)


@router.get("/{job_id}", response=JobOut | DifferingOut, operation_id="job")
def job(request: HttpRequest, job_id: int, since: str = "") -> HttpResponse:
    return job_out(actions.reopened(queries.newest_revision(job_id)), since)


@router.post("/{job_id}/changes", response=JobOut | DifferingOut, operation_id="change_job")
def change(request: HttpRequest, job_id: int, body: ChangesIn, since: str = "") -> HttpResponse:
    changes = [item.change() for item in body.changes]
    return job_out(actions.change_job(who(request), job_id, body.seen, changes), since)


@router.post("/{job_id}/steps", response=JobOut | DifferingOut, operation_id="take_step")
def take_step(request: HttpRequest, job_id: int, body: StepIn, since: str = "") -> HttpResponse:
    """Something that one press does to lines, layers, pieces or sheets."""
    return job_out(actions.take_step(who(request), job_id, body.seen, body.step), since)


@router.post("/{job_id}/undo", response=JobOut | DifferingOut, operation_id="undo")
def undo(request: HttpRequest, job_id: int, body: SeenIn, since: str = "") -> HttpResponse:
    return job_out(actions.undo(who(request), job_id, body.seen), since)


@router.post("/{job_id}/redo", response=JobOut | DifferingOut, operation_id="redo")
def redo(request: HttpRequest, job_id: int, body: SeenIn, since: str = "") -> HttpResponse:
    return job_out(actions.redo(who(request), job_id, body.seen), since)


@router.post("/{job_id}/duplicate", response=StartedOut, operation_id="duplicate_job")
def duplicate(request: HttpRequest, job_id: int) -> StartedOut:
    return StartedOut(id=actions.duplicate_job(who(request), job_id).id)


@router.post("/{job_id}/artworks/{artwork_id}/file", response=JobOut, operation_id="replace_artwork")
def replace_artwork(
    request: HttpRequest,
    job_id: int,
    artwork_id: str,
    seen: int,
    file: File[UploadedFile],
) -> HttpResponse:
    """Another file in an artwork's place."""
    queries.newest_revision(job_id)  # before the file is read
    return job_out(actions.replace_artwork(who(request), job_id, seen, artwork_id, *_taken(file)))


@router.post("/{job_id}/pieces/{piece_id}/artworks", response=JobOut, operation_id="add_artwork")
def add_artwork(
    request: HttpRequest,
    job_id: int,
    piece_id: str,
    seen: int,
    file: File[UploadedFile],
) -> HttpResponse:
    """One more client's file as an element of a piece."""
    queries.newest_revision(job_id)  # before the file is read
    return job_out(actions.add_artwork(who(request), job_id, seen, piece_id, *_taken(file)))


@router.post("/{job_id}/pieces", response=JobOut, operation_id="add_piece")
def add_piece(request: HttpRequest, job_id: int, seen: int, file: File[UploadedFile]) -> HttpResponse:
    """One more client's file as a piece of its own."""
    queries.newest_revision(job_id)  # before the file is read
    return job_out(actions.add_piece(who(request), job_id, seen, *_taken(file)))


@router.post("/{job_id}/artworks/{artwork_id}/parts", response=JobOut, operation_id="add_parts")
def add_parts(request: HttpRequest, job_id: int, artwork_id: str, body: SeenIn) -> HttpResponse:
    """Each further file of a zip, or page of a document, as a piece of its own."""
    return job_out(actions.add_parts(who(request), job_id, body.seen, artwork_id))


@router.post("/{job_id}/scale-distances", response=JobOut, operation_id="scale_distances")
def scale_distances(request: HttpRequest, job_id: int, body: ScaleIn) -> HttpResponse:
    """Distances of all lines with the size, when the operator wants that."""
    return job_out(actions.scale_distances(who(request), job_id, body.seen, body.factor))


@router.get("/{job_id}/layers/{layer_id}/additions", response=AdditionsOut, operation_id="additions")
def additions(request: HttpRequest, job_id: int, layer_id: str) -> Any:
    """Lines and elements that can be added to a layer and its piece."""
    ticket = ticket_of(queries.newest_revision(job_id))
    for piece in ticket.pieces:
        for layer in piece.layers:
            if layer.id == layer_id:
                lines = [{"words": one.words, "line": to_plain(one.line)} for one in new_lines(ticket, layer)]
                elements = [{"words": one.words, "element": to_plain(one.element)} for one in new_elements(piece)]
                return {"lines": lines, "elements": elements}
    raise Http404


@router.get("/{job_id}/remembered", response=list[RememberedOut], operation_id="remembered")
def remembered(request: HttpRequest, job_id: int) -> Any:
    """What earlier jobs of this client made of the same inks and layers."""
    return queries.remembered_lines(job_id)


@router.post("/{job_id}/archive", response=CardOut, operation_id="archive_job")
def archive(request: HttpRequest, job_id: int, body: ArchiveIn) -> Any:
    return actions.archive_job(job_id, body.archived)


@router.post("/{job_id}/sheets/{sheet_id}/bring", response=JobOut, operation_id="bring_piece")
def bring(request: HttpRequest, job_id: int, sheet_id: str, body: BringIn) -> HttpResponse:
    """A piece of another job onto a sheet of this one."""
    return job_out(actions.bring_piece(who(request), job_id, body.seen, sheet_id, body.job, body.piece))


@router.post("/{job_id}/pieces/{piece_id}/bring-again", response=JobOut, operation_id="bring_again")
def bring_again(request: HttpRequest, job_id: int, piece_id: str, body: SeenIn) -> HttpResponse:
    """A brought piece as it is now in its own job."""
    return job_out(actions.bring_again(who(request), job_id, body.seen, piece_id))


@router.post("/{job_id}/done", response=CardOut, operation_id="tick_job")
def tick(request: HttpRequest, job_id: int, body: DoneIn) -> Any:
    """Tick a step after the files, or take the tick back."""
    return actions.tick_job(who(request), job_id, body.step, body.done)


def who(request: HttpRequest) -> User:
    """The operator who asks; nobody else gets this far."""
    assert isinstance(request.user, User)
    return request.user


def _taken(file: UploadedFile) -> tuple[bytes, str]:
    """The bytes and the name of an upload. Raises FileTooLarge before reading it."""
    if (file.size or 0) > settings.MOST_UPLOAD_BYTES:
        raise FileTooLarge(f"“{file.name}” is over 250 MB.", "Ask for a smaller one.")
    return file.read(), file.name or "artwork"
