"""Rehearsals of a sheet over HTTP: its files through the press and the cutter that ship with Nibble."""

from django.http import HttpRequest, HttpResponse
from ninja import Field, Router, Schema

from files.results import STORE
from nibble_core.ticket import fingerprint
from production.answers import as_json, sheet_of
from production.schemas import MendOut
from production.sources import safe_sources
from production.workers import DESK

MOST_DRAWS = 500
router = Router(tags=["rehearsal"])


class RehearsalIn(Schema):
    """turn: the number of the rehearsal; each has chances of its own."""

    turn: int = Field(1, ge=1, le=1_000_000)


class CopyOut(Schema):
    """A copy that came off. worst, mean: mm between its cuts and where they belong; left: mm of print beyond them;
    into: mm that they run into the print."""

    number: int
    name: str
    worst: float
    mean: float
    left: float | None
    white: bool
    into: float
    picture: str


class RehearsalOut(Schema):
    """said: in sentences. off: mean, 95th percentile and worst distance, mm; None where nothing was cut."""

    said: list[str]
    left: float | None
    off: tuple[float, float, float] | None
    worst_at: tuple[float, float]
    copies: list[CopyOut]


class RehearsalsIn(Schema):
    draws: int = Field(200, ge=1, le=MOST_DRAWS)


class RehearsalsOut(Schema):
    said: list[str]
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
    return _asked("rehearsal", job_id, sheet_id, body.turn)


@router.post("/jobs/{job_id}/sheets/{sheet_id}/rehearsals", response=RehearsalsOut, operation_id="rehearse_often")
def rehearse_often(request: HttpRequest, job_id: int, sheet_id: str, body: RehearsalsIn) -> HttpResponse:
    """Print and cut a sheet many times, by maps. How far it is comes as “doing”."""
    return _asked("rehearsals", job_id, sheet_id, body.draws)


@router.post("/jobs/{job_id}/sheets/{sheet_id}/fed-wrong", response=FedWrongOut, operation_id="feed_wrong")
def feed_wrong(request: HttpRequest, job_id: int, sheet_id: str) -> HttpResponse:
    """Put a printed sheet into the cutter in each wrong way."""
    return _asked("rehearsal_fed_wrong", job_id, sheet_id)


@router.post("/jobs/{job_id}/rehearsals/stop", response=dict[str, bool], operation_id="stop_rehearsals")
def stop_rehearsals(request: HttpRequest, job_id: int) -> dict[str, bool]:
    """Have what was rehearsed so far told."""
    DESK.hurry(_lane("rehearsals", job_id))
    return {"stopped": True}


def _asked(kind: str, job_id: int, sheet_id: str, *more: int) -> HttpResponse:
    revision, ticket, _ = sheet_of(job_id, sheet_id)
    safe_sources(ticket, STORE)
    key = fingerprint(kind, revision.number, sheet_id, list(more))
    return as_json(DESK.ask(kind, revision.ticket, sheet_id, *more, lane=_lane(kind, job_id), key=key))


def _lane(kind: str, job_id: int) -> str:
    """Where a job's rehearsals wait, beside its other work."""
    return f"{kind} {job_id}"
