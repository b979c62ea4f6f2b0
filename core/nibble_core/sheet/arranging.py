"""Arrangements: step and repeat in rows, or copies where they were put, with registration marks round them."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from nibble_core.errors import DoesNotFit, InvalidTicket
from nibble_core.geometry import Affine, Box, Point
from nibble_core.sheet.laid import LaidSheet, Marks, Placement

MARK_COUNTS = (0, 3, 4, 5, 6)


class Part(NamedTuple):
    """What is to be laid: a layer, the box its lines fill, and how many copies."""

    layer: str
    box: Box
    quantity: int


class _Block(NamedTuple):
    """The copies of one part on one sheet."""

    part: Part
    copies: int
    columns: int
    rows: int

    def height(self, spacing: float) -> float:
        return self.rows * (self.part.box.height + spacing)


def grid(
    parts: Sequence[Part],
    *,
    spacing: float,
    usable_width: float,
    usable_length: float,
    mark_count: int = 4,
    mark_diameter: float = 6.0,
    mark_gap: float = 5.0,
) -> LaidSheet:
    """Copies of each part in rows, one part below the other, on as few runs of one sheet as possible.

    The sheet is as wide and long as the copies, their ``spacing`` and the marks need, within the usable width and
    length. Marks stand in the corners, ``mark_gap`` from the nearest copy; without any, ``spacing`` stays free at the
    edges. When one sheet cannot hold all copies, each run holds its even share of every part. Raises DoesNotFit when
    not even one copy of each fits, InvalidTicket for odd options.
    """
    edge = _edge(mark_count, mark_diameter, mark_gap, spacing)
    if not parts or min(part.quantity for part in parts) < 1:
        raise InvalidTicket("A sheet needs at least one copy.", "Set the quantity to 1 or more.")
    marked = "marks" if mark_count else "margins"
    for part in parts:
        for size, side, room in ((part.box.width, "wide", usable_width), (part.box.height, "long", usable_length)):
            if size + 2 * edge > room + 1e-9:
                raise DoesNotFit(
                    f"With its {marked} the piece is {size + 2 * edge:.1f} mm {side}; the sheet has {room:.0f} mm.",
                    "Make it smaller, or choose a wider stock.",
                )

    def blocks_of(times: int) -> list[_Block]:
        return [_block(part, math.ceil(part.quantity / times), spacing, usable_width - 2 * edge) for part in parts]

    def fits(times: int) -> bool:
        return sum(block.height(spacing) for block in blocks_of(times)) - spacing <= usable_length - 2 * edge + 1e-9

    low, most = 1, max(part.quantity for part in parts)
    if not fits(most):
        raise DoesNotFit(
            "One copy of each piece does not fit on this sheet.", "Lay them on sheets of their own, or on a longer one."
        )
    while low < most:  # more runs never need a longer sheet
        middle = (low + most) // 2
        low, most = (low, middle) if fits(middle) else (middle + 1, most)
    blocks = blocks_of(low)
    width = 2 * edge + max(block.columns * (block.part.box.width + spacing) for block in blocks) - spacing
    height = 2 * edge + sum(block.height(spacing) for block in blocks) - spacing
    placements: list[Placement] = []
    top = edge
    for block in blocks:
        part, copies, columns, _ = block
        step_x, step_y = part.box.width + spacing, part.box.height + spacing
        placements += [
            Placement(
                part.layer,
                Affine.translation(
                    edge - part.box.left + (i % columns) * step_x, top - part.box.top + (i // columns) * step_y
                ),
            )
            for i in range(copies)
        ]
        top += block.height(spacing)
    marks = Marks(_mark_places(width, height, mark_diameter / 2, mark_count), mark_diameter)
    return LaidSheet(width, height, tuple(placements), marks, low, tuple((b.columns, b.rows) for b in blocks))


def as_placed(
    placed: Sequence[Placement],
    boxes: Mapping[str, Box],
    *,
    spacing: float,
    usable_width: float,
    usable_length: float,
    mark_count: int = 4,
    mark_diameter: float = 6.0,
    mark_gap: float = 5.0,
) -> LaidSheet:
    """Copies where they were put, on one sheet as wide and long as they, their edge and the marks need.

    ``boxes``: what the lines of each layer fill. Places are measured from the sheet's corner. Raises DoesNotFit for a
    copy that lies outside of what is usable, InvalidTicket when there is none.
    """
    edge = _edge(mark_count, mark_diameter, mark_gap, spacing)
    if not placed:
        raise InvalidTicket("No copy lies on this sheet yet.", "Lay it in a grid, or put copies on it.")
    filled = Box.around([_placed_box(boxes[layer], at) for layer, at in placed])
    if filled.left < edge - 1e-6 or filled.top < edge - 1e-6:
        raise DoesNotFit("A copy lies on the edge of the sheet.", f"Keep {edge:g} mm from it.")
    width, height = filled.right + edge, filled.bottom + edge
    for size, side, room in ((width, "width", usable_width), (height, "length", usable_length)):
        if size > room + 1e-6:
            raise DoesNotFit(
                f"The copies need {size:.1f} mm of the sheet's {side}; it has {room:.0f} mm.", "Move them together."
            )
    return LaidSheet(
        width, height, tuple(placed),
        Marks(_mark_places(width, height, mark_diameter / 2, mark_count), mark_diameter),
    )  # fmt: skip


def _edge(mark_count: int, diameter: float, gap: float, spacing: float) -> float:
    if mark_count not in MARK_COUNTS:
        raise InvalidTicket(f"{mark_count} registration marks cannot be laid.", "Choose none, or 3, 4, 5 or 6.")
    return diameter + gap if mark_count else spacing


def _block(part: Part, count: int, spacing: float, room: float) -> _Block:
    """As many columns as the width takes, then rows as even as can be: no copy stands alone in the last."""
    columns = min(count, max(1, math.floor((room + spacing + 1e-9) / (part.box.width + spacing))))
    rows = math.ceil(count / columns)
    return _Block(part, count, math.ceil(count / rows), rows)


def _placed_box(box: Box, at: Affine) -> Box:
    xs, ys = zip(*((at.a * x + at.c * y + at.e, at.b * x + at.d * y + at.f)
                   for x in (box.left, box.right) for y in (box.top, box.bottom)), strict=True)  # fmt: skip
    return Box(min(xs), min(ys), max(xs), max(ys))


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
