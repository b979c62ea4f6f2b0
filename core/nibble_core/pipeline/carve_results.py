"""What is found out of a board that a router makes: what its cutters do on each layer, and every move of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from nibble_core.carve import Course, Edge
from nibble_core.errors import NibbleError
from nibble_core.geometry import Affine, Box, Bundle, Path, Point
from nibble_core.graphics.routing import RouterMoves

CHANGE = 20.0  # seconds that a change of cutters takes


@dataclass(frozen=True, eq=False)
class Cutting:
    """Courses of one cutter for one line. when: see ``FREES``. cutter: its number in the rack. edges: run after them,
    as the grain lies under each copy."""

    line: str
    when: int
    cutter: int
    courses: tuple[Course, ...]
    edges: tuple[Edge, ...] = ()


@dataclass(frozen=True)
class CarveNote:
    """Something that is to be told of a line: its kind, mm or mm² of it, and a place on the piece."""

    line: str
    kind: str
    amount: float
    place: tuple[float, float]


@dataclass(frozen=True, eq=False)
class CarvedLayer:
    """What is cut on one copy of a layer, in the piece's coordinates, or in those of its mirror image (``FLIP``) for
    copies that lie mirrored; box: round all of it. Places of notes lie on the piece."""

    cuttings: tuple[Cutting, ...]
    notes: tuple[CarveNote, ...]
    failed: tuple[tuple[str, NibbleError], ...]
    box: Box


@dataclass(frozen=True)
class PinHoles:
    """Holes for pins: their middles on the board, mm; depth: that they go into the bed below it."""

    places: tuple[Point, ...]
    diameter: float
    depth: float

    def paths(self) -> Bundle:
        return Bundle.of(Path.circle(x, y, self.diameter / 2) for x, y in self.places)


@dataclass(frozen=True, eq=False)
class RouterRun:
    """A board as its router makes it. start: the machine's origin, a place on the sheet. home: where the cutter begins
    and ends. seconds: of each move. thick: of the board; from_bed: whether depths are counted from the bed. when: of
    each course, as ``carving`` has it."""

    moves: RouterMoves
    start: tuple[float, float]
    home: tuple[float, float, float]
    seconds: NDArray[np.float64]
    thick: float
    from_bed: bool
    when: tuple[int, ...]

    @property
    def minutes(self) -> float:
        changes = CHANGE * int((np.diff(self.moves.tool, prepend=-1) != 0).sum())
        return (float(self.seconds.sum()) + changes) / 60

    @property
    def to_machine(self) -> Affine:
        """From the sheet to the machine's axes: y away from the operator."""
        x, y = self.start
        return Affine.translation(-x, -y).then(Affine(d=-1.0))

    def height(self, z: NDArray[np.float64] | float) -> NDArray[np.float64]:
        """A height above the surface as the machine counts it."""
        return np.asarray(z + (self.thick if self.from_bed else 0.0), float)


class Between(NamedTuple):
    """Wood between two sides: the least, mm, below nothing where they meet; mm² of what is thinner than it may be."""

    least: float
    area: float
