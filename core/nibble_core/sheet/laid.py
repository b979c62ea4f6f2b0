"""A laid sheet: its size, where every copy lies, its marks, and how often it is run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from nibble_core.geometry import Affine, Bundle, Path, Point


class Placement(NamedTuple):
    """One copy of a layer. at: from the piece's coordinates to the sheet's, a similarity."""

    layer: str
    at: Affine


@dataclass(frozen=True)
class Marks:
    """Registration marks: centres in mm on the sheet, filled shapes as wide as the diameter. shape: a circle, square,
    cross, or corner; corners open towards the middle of the sheet, ``middle``."""

    places: tuple[Point, ...] = ()
    diameter: float = 6.0
    shape: str = "circles"
    middle: tuple[float, float] = (0.0, 0.0)

    def paths(self) -> Bundle:
        """Their outlines."""
        return Bundle.of(self._outline(place) for place in self.places)

    def _outline(self, place: Point) -> Path:
        if self.shape == "circles":
            return Path.circle(place.x, place.y, self.diameter / 2)
        size = self.diameter / 2
        across, down = (size if at <= mid else -size for at, mid in zip(place, self.middle, strict=True))
        return Path.polygon([(place.x + across * x, place.y + down * y) for x, y in _SHAPES[self.shape]])


_BAR = 0.25  # of half a mark's width that half a bar is wide
_SHAPES: dict[str, tuple[tuple[float, float], ...]] = {
    "squares": ((-1, -1), (1, -1), (1, 1), (-1, 1)),
    "crosses": (
        (-_BAR, -1), (_BAR, -1), (_BAR, -_BAR), (1, -_BAR), (1, _BAR), (_BAR, _BAR), (_BAR, 1), (-_BAR, 1),
        (-_BAR, _BAR), (-1, _BAR), (-1, -_BAR), (-_BAR, -_BAR),
    ),
    "corners": ((-1, -1), (1, -1), (1, 2 * _BAR - 1), (2 * _BAR - 1, 2 * _BAR - 1), (2 * _BAR - 1, 1), (-1, 1)),
}  # fmt: skip
"""Outlines in a box from -1 to 1; corners have their angle at the upper left."""


@dataclass(frozen=True, eq=False)
class LaidSheet:
    """One sheet, mm, origin top left. times: how often it is run to make the quantities. blocks: columns and rows of
    each layer's copies where they stand in a grid. used: width and height of the corner that is used of a plate; None
    where the sheet is cut to what is used."""

    width: float
    height: float
    placements: tuple[Placement, ...]
    marks: Marks
    times: int = 1
    blocks: tuple[tuple[int, int], ...] = ()
    used: tuple[float, float] | None = None

    @property
    def used_width(self) -> float:
        return self.width if self.used is None else self.used[0]

    @property
    def used_height(self) -> float:
        return self.height if self.used is None else self.used[1]

    def on_plate(self, width: float, height: float, corner: str, *, moved: bool) -> LaidSheet:
        """The same on a whole plate, which is never trimmed. corner: the one it is used from, or “the centre”. moved:
        whether the copies are brought there; else they lie where they are."""
        width, height = max(width, self.width), max(height, self.height)
        across = {"left": 0.0, "right": 1.0, "centre": 0.5}[corner.split()[-1]] * (width - self.width)
        down = {"upper": 0.0, "lower": 1.0, "the": 0.5}[corner.split()[0]] * (height - self.height)
        shift = Affine.translation(across, down)
        put = tuple(Placement(layer, at.then(shift)) for layer, at in self.placements) if moved else self.placements
        return replace(self, width=width, height=height, placements=put, used=(self.width, self.height))

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
        return self._seen(Affine.mirror(self.width))

    def behind(self, over: Mapping[str, str], turned: str) -> LaidSheet:
        """Its second side, turned over “left to right” or “head to foot”, marks and all: of the layers in ``over``
        what lies behind each. A copy of another has nothing behind it."""
        put = tuple(Placement(over[layer], at) for layer, at in self.placements if layer in over)
        turn = Affine.mirror(self.width) if turned == "left to right" else Affine(d=-1.0, f=self.height)
        return replace(self, placements=put, blocks=())._seen(turn)

    def _seen(self, turn: Affine) -> LaidSheet:
        return replace(
            self,
            placements=tuple(Placement(layer, at.then(turn)) for layer, at in self.placements),
            marks=replace(
                self.marks,
                places=tuple(Point(turn.a * x + turn.e, turn.d * y + turn.f) for x, y in self.marks.places),
                middle=(self.width / 2, self.height / 2),
            ),
        )
