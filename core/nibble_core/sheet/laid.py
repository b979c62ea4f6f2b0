"""A laid sheet: its size, where every copy lies, its marks, and how often it is run."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from nibble_core.geometry import Affine, Bundle, Path, Point


class Placement(NamedTuple):
    """One copy of a layer. at: from the piece's coordinates to the sheet's, a similarity."""

    layer: str
    at: Affine


@dataclass(frozen=True)
class Marks:
    """Registration marks: centres in mm on the sheet, discs of a diameter."""

    places: tuple[Point, ...] = ()
    diameter: float = 6.0

    def paths(self) -> Bundle:
        return Bundle.of(Path.circle(x, y, self.diameter / 2) for x, y in self.places)


@dataclass(frozen=True, eq=False)
class LaidSheet:
    """One sheet, mm, origin top left. times: how often it is run to make the quantities. blocks: columns and rows of
    each layer's copies where they stand in a grid."""

    width: float
    height: float
    placements: tuple[Placement, ...]
    marks: Marks
    times: int = 1
    blocks: tuple[tuple[int, int], ...] = ()

    @property
    def copies(self) -> int:
        return len(self.placements)

    @property
    def layers(self) -> Sequence[str]:
        """Each layer that lies on it, once."""
        return list(dict.fromkeys(placement.layer for placement in self.placements))

    def copies_of(self, layer: str) -> int:
        return sum(placement.layer == layer for placement in self.placements)

    def mirrored(self) -> LaidSheet:
        """Left and right exchanged, marks and all."""
        turn = Affine.mirror(self.width)
        return replace(
            self,
            placements=tuple(Placement(layer, at.then(turn)) for layer, at in self.placements),
            marks=replace(self.marks, places=tuple(Point(self.width - x, y) for x, y in self.marks.places)),
        )
