"""Places on a piece, and colours of it, that the operator chose by a click. Places are fractions of the piece's box."""

from __future__ import annotations

from dataclasses import dataclass

from nibble_core.ticket.fields import choice, colour, length, share, text

HOLES = {
    "filled": "Only the outside counts.",
    "kept": "Holes large enough are cut as well.",
}
KERF_SIDES = {
    "by its depth": "Outside an outline, inside a hole, outside an island in it, and so on.",
    "outside": "Always outside: what lies within keeps its size.",
    "inside": "Always inside: the opening keeps its size.",
    "on the line": "Its middle runs on the line.",
}


NEAR = 60
"""Levels of 255: the largest difference of a channel between a chosen colour and one that counts as the same."""


def alike(one: str, other: str) -> bool:
    """Whether two colours, #rrggbb, count as one where colours are chosen."""
    return all(abs(a - b) <= NEAR for a, b in zip(bytes.fromhex(one[1:]), bytes.fromhex(other[1:]), strict=True))


@dataclass(frozen=True)
class Anchor:
    """A place on the piece, as fractions of its box."""

    id: str
    x: float = share(0.0, "place", low=-1.0, high=2.0)
    y: float = share(0.0, "place", low=-1.0, high=2.0)


@dataclass(frozen=True)
class HoleMark:
    """A hole kept or filled by a click, at a place on the piece; a kept one may have a distance of its own."""

    id: str
    x: float = share(0.0, "place", low=-1.0, high=2.0)
    y: float = share(0.0, "place", low=-1.0, high=2.0)
    holes: str = choice("kept", "hole", HOLES)
    distance: float | None = length(None, -20.0, 50.0, "distance in this hole", auto="that of the line")


@dataclass(frozen=True)
class KerfMark:
    """A ring whose waste lies where a click said, at a place on the piece."""

    id: str
    x: float = share(0.0, "place", low=-1.0, high=2.0)
    y: float = share(0.0, "place", low=-1.0, high=2.0)
    side: str = choice("outside", "side of the kerf", KERF_SIDES)


@dataclass(frozen=True)
class Span:
    """Two places on the piece: a fold line, or a bridge."""

    id: str
    x: float = share(0.0, "place", low=-1.0, high=2.0)
    y: float = share(0.0, "place", low=-1.0, high=2.0)
    x2: float = share(0.0, "second place", low=-1.0, high=2.0)
    y2: float = share(0.0, "second place", low=-1.0, high=2.0)


@dataclass(frozen=True)
class Chosen:
    """A colour that counts, as shapes show it; a client's name for it, if it has one, must agree as well."""

    id: str
    colour: str = colour("#000000", "colour")
    named: str = text("", 120, "ink or layer", empty="any name")
