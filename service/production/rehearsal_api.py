"""Rehearsals of a sheet over HTTP: its files through the press and the cutter that ship with Nibble."""

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Field, Router, Schema

from files.results import STORE
from jobs.api import ChangeIn
from nibble_core.pipeline.error_sheet import learnt
from nibble_core.ticket import fingerprint
from production.answers import as_file, as_json, sheet_of
from production.schemas import MendOut
from production.sources import safe_sources
from production.workers import DESK

MOST_DRAWS, MOST_PANELS, MOST_COPIES = 500, 1000, 20_000
router = Router(tags=["rehearsal"])


class OfPanel(Schema):
    """panel: from 0, of a sheet that is made in several."""

    panel: int = Field(0, ge=0, le=MOST_PANELS)


class RehearsalIn(OfPanel):
    """turn: the number of the rehearsal; each has chances of its own."""

    turn: int = Field(1, ge=1, le=1_000_000)


class OfCopy(RehearsalIn):
    """copy_number: from 1, among the sheet's copies."""

    copy_number: int = Field(ge=1, le=MOST_COPIES)


class CopyPictureOut(Schema):
    """picture: its address; empty where nothing was cut."""

    picture: str


class SheetPictureOut(Schema):
    """The whole sheet as it came off, width by height px; edges: of each copy by its number, as places, px."""

    picture: str
    width: int
    height: int
    edges: dict[int, list[tuple[float, float]]]


class CopyOut(Schema):
    """A copy that came off. worst, mean: mm between its cuts and where they belong; left: mm of print beyond them;
    into: mm that they run into the print; strange: mm of a neighbour's print within them."""

    number: int
    name: str
    worst: float
    mean: float
    left: float | None
    white: bool
    into: float
    strange: float
    picture: str


class SaidOut(Schema):
    """A sentence, and whether it says that something is spoilt."""

    words: str
    spoilt: bool


class RehearsalOut(Schema):
    """panels: that the sheet is made in. off: mean, 95th percentile and worst distance, mm; None
    where nothing was cut."""

    said: list[SaidOut]
    panels: int
    left: float | None
    off: tuple[float, float, float] | None
    copies: list[CopyOut]
    sheet: SheetPictureOut | None
    mends: list[MendOut]


class RehearsalsIn(OfPanel):
    draws: int = Field(200, ge=1, le=MOST_DRAWS)


class RehearsalsOut(Schema):
    said: list[SaidOut]
    mends: list[MendOut]


class FedOut(Schema):
    way: str
    said: str
    safe: bool


class FedWrongOut(Schema):
    ways: list[FedOut]
    mends: list[MendOut]


@router.post("/jobs/{job_id}/sheets/{sheet_id}/rehearsal", response=RehearsalOut, operation_id="rehearse")
def rehearse(request: HttpRequest, job_id: int, sheet_id: str, body: RehearsalIn) -> HttpResponse:
    """Print and cut a sheet once; nothing is written."""
    return _asked("rehearsal", job_id, sheet_id, body.turn, body.panel)


@router.post("/jobs/{job_id}/sheets/{sheet_id}/rehearsal/copy", response=CopyPictureOut, operation_id="rehearsed_copy")
def rehearsed_copy(request: HttpRequest, job_id: int, sheet_id: str, body: OfCopy) -> HttpResponse:
    """One copy that came off such a rehearsal, from close by."""
    return _asked("rehearsed_copy", job_id, sheet_id, body.turn, body.panel, body.copy_number)


@router.post("/jobs/{job_id}/sheets/{sheet_id}/rehearsals", response=RehearsalsOut, operation_id="rehearse_often")
def rehearse_often(request: HttpRequest, job_id: int, sheet_id: str, body: RehearsalsIn) -> HttpResponse:
    """Print and cut a sheet many times, by maps. How far it is comes as “doing”."""
    return _asked("rehearsals", job_id, sheet_id, body.draws, body.panel)


@router.post("/jobs/{job_id}/sheets/{sheet_id}/fed-wrong", response=FedWrongOut, operation_id="feed_wrong")
def feed_wrong(request: HttpRequest, job_id: int, sheet_id: str, body: OfPanel) -> HttpResponse:
    """Put a printed sheet into the cutter in each wrong way."""
    return _asked("rehearsal_fed_wrong", job_id, sheet_id, body.panel)


@router.post("/jobs/{job_id}/rehearsals/stop", response=dict[str, bool], operation_id="stop_rehearsals")
def stop_rehearsals(request: HttpRequest, job_id: int) -> dict[str, bool]:
    """Have what was rehearsed so far told."""
    DESK.hurry(_lane("rehearsals", job_id))
    return {"stopped": True}


class ErrorsIn(Schema):
    """readings: mm, across and down at the upper left, then at the lower right. across, along: the rulers as measured,
    mm."""

    readings: list[float] = Field(min_length=4, max_length=4)
    across: float | None = None
    along: float | None = None


class ErrorsOut(Schema):
    """changes: that put what was learnt into the job. stretch_across, stretch_along: per cent; None where a ruler was
    not measured."""

    changes: list[ChangeIn]
    stretch_across: float | None
    stretch_along: float | None
    camera_error: float


@router.get("/jobs/{job_id}/sheets/{sheet_id}/test-sheet", operation_id="test_sheet")
def test_sheet(request: HttpRequest, job_id: int, sheet_id: str) -> HttpResponse:
    """Print and cut files of a sheet that tells what a press and a cutter are off by, in a zip."""
    revision, _, _ = sheet_of(job_id, sheet_id)
    key = fingerprint("test sheet", revision.number, sheet_id)
    return as_file(DESK.ask("test_sheet", revision.ticket, sheet_id, lane=key, key=key), "application/zip")


@router.post("/jobs/{job_id}/sheets/{sheet_id}/errors", response=ErrorsOut, operation_id="learn_errors")
def learn_errors(request: HttpRequest, job_id: int, sheet_id: str, body: ErrorsIn) -> dict[str, Any]:
    """What a test sheet tells of a sheet's machine; nothing is written."""
    _, _, sheet = sheet_of(job_id, sheet_id)
    told = learnt(sheet.machine, body.readings, body.across, body.along)
    changes = [asdict(one) for one in told.changes(sheet)]
    return {
        "changes": changes, "stretch_across": told.across, "stretch_along": told.along, "camera_error": told.camera,
    }  # fmt: skip


def _asked(kind: str, job_id: int, sheet_id: str, *more: int) -> HttpResponse:
    revision, ticket, _ = sheet_of(job_id, sheet_id)
    safe_sources(ticket, STORE)
    key = fingerprint(kind, revision.number, sheet_id, list(more))
    return as_json(DESK.ask(kind, revision.ticket, sheet_id, *more, lane=_lane(kind, job_id), key=key))


def _lane(kind: str, job_id: int) -> str:
    """Where a job's rehearsals wait, beside its other work."""
    return f"{kind} {job_id}"
