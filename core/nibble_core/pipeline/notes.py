"""What a station has to say: notes in words, each with its place in the ticket and the ways to mend it."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, field, replace
from typing import Any

from nibble_core.ticket import Change, Ticket

FINE, LOOK, BLOCKED, WAITING = "fine", "look", "blocked", "waiting"
MONEY = "¤"  # stands for the shop's own, which a screen knows
TOLD, ACCEPTED = "told", "accepted"


@dataclass(frozen=True)
class Mend:
    """A way out, as changes to the ticket to make with one press; or words to copy and send."""

    label: str
    changes: tuple[Change, ...] = ()
    copy: str = ""


@dataclass(frozen=True)
class Note:
    """Something to know or to mend; ``where`` is a path into the ticket, ``place`` a point in mm in the piece's or
    artwork's coordinates, ``more_places`` others where the same is the case. ``of``: what it belongs to, in words,
    where the job has several of the kind. Only a blocking note stops files; any other can be accepted, which ``key``
    tells it by: ``accepted`` says by whom and when."""

    text: str
    what_to_do: str = ""
    where: str = ""
    weight: str = TOLD  # told, look, blocked or accepted
    mends: tuple[Mend, ...] = ()
    place: tuple[float, float] | None = None
    of: str = ""
    more_places: tuple[tuple[float, float], ...] = ()
    key: str = ""
    accepted: str = ""


@dataclass
class Draft:
    """What a station says of one artwork, piece or sheet, under construction."""

    fact: str = ""
    notes: list[Note] = field(default_factory=list)
    figures: list[tuple[str, str]] = field(default_factory=list)


def note_key(station: str, note: Note, file: str = "") -> str:
    """What tells a note from others, for as long as it says the same of the same place. file: digest of the client's
    file that it is about, if any."""
    places = [note.place, *note.more_places] if note.place else []
    at = [[round(x, 1), round(y, 1)] for x, y in filter(None, places)]
    told = json.dumps([station, note.where, note.text, at, file], ensure_ascii=False)
    return "n" + hashlib.sha256(told.encode()).hexdigest()[:20]


def judged(station: str, note: Note, ticket: Ticket) -> Note:
    """A note with its key, and accepted if somebody has said that it is fine. What blocks cannot be accepted."""
    way = note.where.split("/")
    file = next((one.file for one in ticket.artworks if way[0] == "artworks" and one.id == way[1]), "")
    key = note_key(station, note, file)
    found = next((one for one in ticket.accepted if one.id == key), None)
    if found is None or note.weight == BLOCKED:
        return replace(note, key=key)
    who = " ".join(filter(None, (f"by {found.by}" if found.by else "", f"on {found.on}" if found.on else "")))
    return replace(note, key=key, weight=ACCEPTED, accepted=f"accepted {who}".strip())


def minutes(value: float, decimals: int = 1) -> str:
    """A time in minutes: what is done sooner than can be told takes no nothing."""
    least = 10.0**-decimals
    return f"under {least:g}" if 0 < value < least / 2 else f"{value:.{decimals}f}"


def setting(label: str, path: str, value: Any) -> Mend:
    """A mend that sets one value."""
    return Mend(label, (Change(path, value),))
