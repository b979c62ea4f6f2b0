"""Arrangements: rows of boxes, interlocked pairs, or copies where they were put, with registration marks round them."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import DoesNotFit, InvalidTicket
from nibble_core.geometry import Affine, Box, Point, Points
from nibble_core.sheet.interlocking import TURNS, Lattice, lattices, placed, strip
from nibble_core.sheet.laid import LaidSheet, Marks, Placement

MARK_COUNTS = (0, 3, 4, 5, 6)
MOST_COPIES = 20_000  # on one sheet
KEY = 2.5  # of their width, that the direction mark stands beside the first
SLACK = 0.02  # mm that a place may lie off what is usable: shapes are simplified by as much


class Part(NamedTuple):
    """What is to be laid: a layer, the box that its lines and its print fill, how many copies, and its true shape."""

    layer: str
    box: Box
    quantity: int
    shape: BaseGeometry | None = None


class _Block(NamedTuple):
    """The copies of one part on one sheet: where each lies from the block's top left corner, told when asked for, and
    what they fill, mm. grid: columns and rows, if they stand in one."""

    part: Part
    places: Callable[[], list[Affine]]
    width: float
    length: float
    grid: tuple[int, int] | None = None


@dataclass(frozen=True)
class Room:
    """What copies may fill, mm. width, length: usable of the sheet. spacing: between copies. edge: kept free all round,
    for ``edge_of``: the marks, or margins."""

    width: float
    length: float
    spacing: float
    edge: float
    edge_of: str = "margins"

    @property
    def inner(self) -> float:
        """The width between the edges."""
        return self.width - 2 * self.edge


def room(
    *,
    usable_width: float,
    usable_length: float,
    spacing: float,
    mark_count: int = 4,
    mark_diameter: float = 6.0,
    mark_gap: float = 5.0,
    least_edge: float = 0.0,
) -> Room:
    """The room within marks that stand in the corners, ``mark_gap`` from the nearest copy; without any, ``spacing`` or
    ``least_edge`` stays free. Raises InvalidTicket for a number of marks that cannot be laid."""
    if mark_count not in MARK_COUNTS:
        raise InvalidTicket(f"{mark_count} registration marks cannot be laid.", "Choose none, or 3, 4, 5 or 6.")
    if mark_count:
        return Room(usable_width, usable_length, spacing, mark_diameter + mark_gap, "marks")
    return Room(usable_width, usable_length, spacing, max(spacing, least_edge))


def grid(parts: Sequence[Part], within: Room, *, full: bool = False) -> LaidSheet:
    """Copies of each part in rows of their boxes, one part below the other, on as few runs of one sheet as possible.

    The sheet is as wide and long as the copies and the edge need. When one sheet cannot hold all copies, each run holds
    its even share of every part. full: as many as one sheet takes instead, in the proportion of the quantities. Raises
    DoesNotFit when not even one copy of each fits, InvalidTicket for no copies.
    """
    return _stacked(parts, lambda part, count: _rows_of_boxes(part, count, within), within, full)


def interlocked(
    parts: Sequence[Part], within: Room, *, full: bool = False, turns: Sequence[float] = TURNS
) -> LaidSheet:
    """As ``grid``, but by their true shapes, every other copy turned where that saves material, rows pushed into each
    other; see ``interlocking``. turns: degrees in which the others of a pair may stand."""
    ways = {part.layer: lattices(_shape(part), within.spacing, turns=turns) for part in parts}

    def block(part: Part, count: int) -> _Block | None:
        found = [_interlocked(part, way, count, within.inner) for way in ways[part.layer]]
        found += [_rows_of_boxes(part, count, within, turn) for turn in TURNS]
        fitting = [made for made in found if made is not None]
        return min(fitting, key=lambda made: (round(made.length, 3), made.width), default=None)

    return _stacked(parts, block, within, full)


def _stacked(
    parts: Sequence[Part], block_of: Callable[[Part, int], _Block | None], within: Room, full: bool
) -> LaidSheet:
    spacing, edge = within.spacing, within.edge
    if not parts or min(part.quantity for part in parts) < 1:
        raise InvalidTicket("A sheet needs at least one copy.", "Set the quantity to 1 or more.")
    for part in parts:
        one = block_of(part, 1)
        size = part.box if one is None else Box(0, 0, one.width, one.length)
        for extent, side, most in ((size.width, "wide", within.width), (size.height, "long", within.length)):
            if extent + 2 * edge > most + 1e-9:
                raise DoesNotFit(
                    f"With its {within.edge_of} the piece is {extent + 2 * edge:.1f} mm {side}; the sheet has "
                    f"{most:.0f} mm.",
                    "Make it smaller, choose a wider stock, or part it into panels.",
                )

    def blocks_of(some: Sequence[Part], times: int) -> list[_Block]:
        blocks = [block_of(part, math.ceil(part.quantity / times)) for part in some]
        return [block for block in blocks if block is not None]

    def fits(some: Sequence[Part], times: int) -> bool:
        needed = sum(block.length + spacing for block in blocks_of(some, times)) - spacing
        return needed <= within.length - 2 * edge + 1e-9

    if full:
        parts = _filling(parts, lambda some: fits(some, 1))
    most = max(part.quantity for part in parts)
    if not fits(parts, 1 if full else most):
        raise DoesNotFit(
            "One copy of each piece does not fit on this sheet.", "Lay them on sheets of their own, or on a longer one."
        )
    low = 1
    while not full and low < most:  # more runs never need a longer sheet
        middle = (low + most) // 2
        low, most = (low, middle) if fits(parts, middle) else (middle + 1, most)
    blocks = blocks_of(parts, low)
    placements: list[Placement] = []
    top = edge
    for block in blocks:
        corner = Affine.translation(edge, top)
        placements += [Placement(block.part.layer, place.then(corner)) for place in block.places()]
        top += block.length + spacing
    width = 2 * edge + max(block.width for block in blocks)
    counted = tuple(block.grid for block in blocks if block.grid is not None)
    return LaidSheet(width, top - spacing + edge, tuple(placements), Marks(), low, counted)


def _filling(parts: Sequence[Part], fits: Callable[[Sequence[Part]], bool]) -> list[Part]:
    """The parts with as many copies as still fit, in the proportion of their quantities; one of each at least."""

    def with_first(count: int) -> list[Part]:
        return [part._replace(quantity=math.ceil(part.quantity * count / parts[0].quantity)) for part in parts]

    low, high = 1, 2
    while high < MOST_COPIES and fits(with_first(high)):
        low, high = high, 2 * high
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if fits(with_first(middle)) else (low, middle)
    return with_first(low)


def _rows_of_boxes(part: Part, count: int, within: Room, turn: float = 0.0) -> _Block | None:
    """As many columns as the width takes, then rows as even as can be: no copy stands alone in the last. None when not
    one fits."""
    about = Affine.rotation(turn)
    box = placed_box(part.box, about)
    spacing = within.spacing
    if box.width > within.inner + 1e-9:
        return None
    columns = min(count, math.floor((within.inner + spacing + 1e-9) / (box.width + spacing)))
    rows = math.ceil(count / columns)
    columns = math.ceil(count / rows)
    step_x, step_y = box.width + spacing, box.height + spacing

    def places() -> list[Affine]:
        return [
            about.then(Affine.translation((i % columns) * step_x - box.left, (i // columns) * step_y - box.top))
            for i in range(count)
        ]

    return _Block(part, places, columns * step_x - spacing, rows * step_y - spacing, (columns, rows))


def _interlocked(part: Part, way: Lattice, count: int, room: float) -> _Block | None:
    """Copies of a lattice whose outermost half gaps lie over the edge of the strip, in the narrowest strip of that
    length: its last row is as full as the others."""
    wide = room + 2 * way.margin
    some = strip(way, count, wide)
    if some is None:
        return None
    low, high = way.width, some.width
    while high - low > way.pitch / 8:
        middle = (low + high) / 2
        narrower = strip(way, count, middle)
        if narrower is not None and narrower.length <= some.length + 1e-6:
            some, high = narrower, min(middle, narrower.width)
        else:
            low = middle
    found = some
    back = Affine.translation(-way.margin, -way.margin)

    def places() -> list[Affine]:
        return [place.then(back) for place in placed(way, found, _shape(part))]

    return _Block(part, places, found.width - 2 * way.margin, found.length - 2 * way.margin)


def _shape(part: Part) -> BaseGeometry:
    return shapely.box(*part.box) if part.shape is None or part.shape.is_empty else part.shape


class Beyond(NamedTuple):
    """A copy that lies on the edge of its sheet or beyond it: its number, and by how much it would have to be moved to
    lie within, mm; None where it is larger than the room."""

    number: int
    inward: tuple[float, float] | None


def as_placed(copies: Sequence[Placement], hulls: Mapping[str, Points], within: Room) -> LaidSheet:
    """Copies where they were put, on one sheet as wide and long as they and the edge need, and never larger than it is.

    ``hulls``: the corners of the convex hull of what each layer fills, (n, 2), in its piece. Places are measured from
    the sheet's corner. Raises InvalidTicket when there is no copy.
    """
    if not copies:
        raise InvalidTicket("No copy lies on this sheet yet.", "Lay it in a grid, or put copies on it.")
    right, bottom = _extents(copies, hulls)[:, 2:].max(0).tolist()
    width, height = right + within.edge, bottom + within.edge
    least = 2 * within.edge + SLACK
    return LaidSheet(
        min(max(width, least), within.width), min(max(height, least), within.length), tuple(copies), Marks()
    )


def beyond(copies: Sequence[Placement], hulls: Mapping[str, Points], within: Room) -> list[Beyond]:
    """Copies that do not lie within the room, by their true extents."""
    edge = within.edge
    low = np.array([edge, edge])
    high = np.array([within.width - edge, within.length - edge])
    extents = _extents(copies, hulls)
    over = (extents[:, :2] < low - SLACK).any(1) | (extents[:, 2:] > high + SLACK).any(1)
    found = []
    for number in np.nonzero(over)[0].tolist():
        first, last = extents[number, :2], extents[number, 2:]
        fits = (last - first <= high - low + SLACK).all()
        inward = np.maximum(low - first, 0.0) + np.minimum(np.minimum(high - last, 0.0), 0.0)
        # what is as large as the room is brought to its corner
        inward = np.where(last - first >= high - low, low - first, inward)
        found.append(Beyond(number, (float(inward[0]), float(inward[1])) if fits else None))
    return found


def hull(shape: BaseGeometry) -> Points:
    """The corners of a shape's convex hull, (n, 2): all that its extents depend on, however it is turned."""
    corners: Points = shapely.get_coordinates(shape.convex_hull)
    return corners


def _extents(copies: Sequence[Placement], hulls: Mapping[str, Points]) -> Points:
    """Left, top, right and bottom of each copy on its sheet, (n, 4)."""
    found = np.empty((len(copies), 4))
    layers = np.array([layer for layer, _ in copies], object)
    maps = np.array([at for _, at in copies], float).reshape(-1, 6)
    for layer in dict.fromkeys(layers.tolist()):
        chosen = np.nonzero(layers == layer)[0]
        x, y = hulls[layer].T
        a, b, c, d, e, f = maps[chosen].T[:, :, None]
        across, down = a * x + c * y + e, b * x + d * y + f
        found[chosen] = np.stack([across.min(1), down.min(1), across.max(1), down.max(1)], 1)
    return found


def placed_box(box: Box, at: Affine) -> Box:
    """The upright box round a box that is mapped."""
    xs, ys = zip(*((at.a * x + at.c * y + at.e, at.b * x + at.d * y + at.f)
                   for x in (box.left, box.right) for y in (box.top, box.bottom)), strict=True)  # fmt: skip
    return Box(min(xs), min(ys), max(xs), max(ys))


def marked(
    laid: LaidSheet, count: int, diameter: float, *, shape: str = "circles", every: float = 0.0, keyed: bool = False
) -> LaidSheet:
    """A laid sheet with marks in its corners: none, or three to six. every: further pairs along its longer sides, so
    that no two follow each other at a greater distance, mm; 0 for none. keyed: one more beside the first, so that the
    sheet looks otherwise turned by half a turn."""
    if not count:
        return replace(laid, marks=Marks((), diameter, shape))
    places = _mark_places(laid.width, laid.height, diameter / 2, count)
    if every > 0:
        places = (*places, *(one for one in _pairs(laid, diameter / 2, every) if one not in places))
    beside = Point(places[0].x + KEY * diameter, places[0].y)
    if keyed and beside.x + diameter / 2 < laid.width - KEY * diameter:
        places = (*places, beside)
    return replace(laid, marks=Marks(places, diameter, shape, (laid.width / 2, laid.height / 2)))


def _pairs(laid: LaidSheet, radius: float, every: float) -> list[Point]:
    long = max(laid.width, laid.height) - 2 * radius
    steps = max(1, math.ceil(long / max(every, 6 * radius) - 1e-9))  # never nearer than three of their widths
    along = [radius + long * k / steps for k in range(1, steps)]
    if laid.width >= laid.height:
        return [Point(at, side) for at in along for side in (radius, laid.height - radius)]
    return [Point(side, at) for at in along for side in (radius, laid.width - radius)]


def _mark_places(width: float, height: float, radius: float, count: int) -> tuple[Point, ...]:
    """Three leave the top right corner free, which tells the camera the sheet's direction; five and six add the middles
    of the longer sides."""
    left, right, top, bottom = radius, width - radius, radius, height - radius
    places = [Point(left, top), Point(left, bottom), Point(right, bottom), Point(right, top)]
    if width >= height:
        places += [Point(width / 2, top), Point(width / 2, bottom)]
    else:
        places += [Point(left, height / 2), Point(right, height / 2)]
    return tuple(places[:count])
