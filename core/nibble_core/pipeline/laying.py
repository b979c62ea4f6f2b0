"""Stage *lay out*: each arrangement is a way from the copies that are wanted to a laid sheet."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from shapely.geometry.base import BaseGeometry

from nibble_core.errors import CannotMake
from nibble_core.geometry import Affine, Box
from nibble_core.sheet import LaidSheet, Part, Placement, Room, as_placed, grid, hull, interlocked, marked
from nibble_core.ticket.model import Placed


@dataclass(frozen=True)
class LayingOut:
    """What a laid sheet depends on, beside the true shapes of its layers. wanted: of each layer its box and how many
    copies. width: mm that it has at least. plate: width, length and corner of a board that it lies on."""

    arrangement: str
    within: Room
    wanted: tuple[tuple[str, Box, int], ...]
    full: bool
    placed: tuple[Placed, ...]
    runs: int
    marks: int
    mark_diameter: float
    mark_shape: str
    mark_every: float
    keyed: bool
    width: float
    plate: tuple[float, float, str] | None
    mirrored: bool


@dataclass(frozen=True)
class Arrangement:
    """lay: copies on a sheet that has no marks yet. by_shapes: whether it needs the true shapes of layers, beside their
    boxes. by_hand: whether copies lie where somebody put them, and stay there whatever board lies below."""

    lay: Callable[[LayingOut, Sequence[Part]], LaidSheet]
    by_shapes: bool = True
    by_hand: bool = False


def placement(one: Placed) -> Placement:
    """A copy's place on its sheet, as a map."""
    flip = Affine(a=-1.0) if one.flip == "mirrored" else Affine()
    return Placement(one.layer, flip.then(Affine.rotation(one.turn)).then(Affine.translation(one.x, one.y)))


def _in_a_grid(by: LayingOut, parts: Sequence[Part]) -> LaidSheet:
    return grid(list(parts), by.within, full=by.full)


def _interlocked(by: LayingOut, parts: Sequence[Part]) -> LaidSheet:
    return interlocked(list(parts), by.within, full=by.full)


def _as_placed(by: LayingOut, parts: Sequence[Part]) -> LaidSheet:
    hulls = {part.layer: hull(part.shape) for part in parts if part.shape is not None}
    return replace(as_placed([placement(one) for one in by.placed], hulls, by.within), times=by.runs)


WAYS: dict[str, Arrangement] = {
    "a grid": Arrangement(_in_a_grid, by_shapes=False),
    "interlocked pairs": Arrangement(_interlocked),
    "as placed": Arrangement(_as_placed, by_hand=True),
}
"""By the names that tickets have for them."""


def arrangement_of(name: str) -> Arrangement:
    """Raises CannotMake for one that nobody knows."""
    if name not in WAYS:
        raise CannotMake(f"Nobody knows how copies are laid “{name}”.", f"Choose {', '.join(WAYS)}.")
    return WAYS[name]


def laid_out(by: LayingOut, *shapes: BaseGeometry) -> LaidSheet:
    """A sheet with its marks. shapes: of the layers that are wanted, where they are not laid by their boxes."""
    way = arrangement_of(by.arrangement)
    parts = [Part(*wanted) for wanted in by.wanted]
    if way.by_shapes:
        parts = [part._replace(shape=shape) for part, shape in zip(parts, shapes, strict=True)]
    made = way.lay(by, parts)
    made = marked(made, by.marks, by.mark_diameter, shape=by.mark_shape, every=by.mark_every, keyed=by.keyed)
    made = replace(made, width=max(made.width, by.width))  # a cross-cut goes across all of the roll
    if by.plate is not None:
        made = made.on_plate(*by.plate, moved=not way.by_hand)
    return made.mirrored() if by.mirrored else made
