"""What turns a thing under a machine's head, as its record says."""

from __future__ import annotations

from dataclasses import KW_ONLY, dataclass

from nibble_core.ticket.fields import choice, length, share, text

TURNERS = {
    "no turned axis": "It works on what lies flat.",
    "rollers": "They move the surface of what lies on them: millimetres at the ring that they touch.",
    "a chuck": "It holds the thing at one end and turns it: so many units a turn.",
}
RIMS = {
    "to the left": "Seen by who stands before the machine.",
    "to the right": "Seen by who stands before the machine.",
}


@dataclass(frozen=True)
class Turned:
    """What turns things under a machine's head: nothing."""

    _: KW_ONLY
    kind: str = choice("no turned axis", "what turns things", TURNERS)

    @property
    def turns(self) -> bool:
        return self.kind != "no turned axis"


@dataclass(frozen=True)
class Rollers(Turned):
    """They move the surface. rim: which way the rim points. correction: of every turn, learnt by a test turn: slip, and
    what the true girth differs by. learnt: the day. widest, longest: of what they carry."""

    rim: str = choice("to the left", "way the rim points", RIMS)
    correction: float = share(1.0, "correction of turns", low=0.8, high=1.25)
    learnt: str = text("", 40, "day the turn was tried", empty="never")
    widest: float = length(120.0, 1.0, 2000.0, "widest thing it turns", step=1.0)
    longest: float = length(320.0, 1.0, 5000.0, "longest thing it turns", step=1.0)
    _: KW_ONLY
    kind: str = choice("rollers", "what turns things", TURNERS)


@dataclass(frozen=True)
class Chuck(Rollers):
    """It turns the thing itself. a_turn: units of its axis in a whole turn: degrees, or mm of a controller that counts
    so."""

    a_turn: float = length(360.0, 1.0, 100_000.0, "units of a turn", step=1.0)
    _: KW_ONLY
    kind: str = choice("a chuck", "what turns things", TURNERS)


_TURNERS: dict[str, type[Turned]] = {"no turned axis": Turned, "rollers": Rollers, "a chuck": Chuck}


def type_of_turner(kind: str) -> type[Turned]:
    return _TURNERS[kind]
