"""What a station has to say: notes in words, each with its place in the ticket and the ways to mend it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from nibble_core.ticket import Change

FINE, LOOK, BLOCKED, WAITING = "fine", "look", "blocked", "waiting"


@dataclass(frozen=True)
class Mend:
    """A way out, as changes to the ticket to make with one press; or words to copy and send."""

    label: str
    changes: tuple[Change, ...] = ()
    copy: str = ""


@dataclass(frozen=True)
class Note:
    """Something to know or to mend; ``where`` is a path into the ticket, ``place`` a point in mm in the piece's or
    artwork's coordinates. ``of``: what it belongs to, in words, where the job has several of the kind. Only a blocking
    note stops files."""

    text: str
    what_to_do: str = ""
    where: str = ""
    weight: str = "told"  # told, look or blocked
    mends: tuple[Mend, ...] = ()
    place: tuple[float, float] | None = None
    of: str = ""


@dataclass
class Draft:
    """What a station says of one artwork, piece or sheet, under construction."""

    fact: str = ""
    notes: list[Note] = field(default_factory=list)
    figures: list[tuple[str, str]] = field(default_factory=list)


def setting(label: str, path: str, value: Any) -> Mend:
    """A mend that sets one value."""
    return Mend(label, (Change(path, value),))
