"""Step and repeat: copies of a piece in a grid on one sheet, with registration marks round them."""

from __future__ import annotations

import math
from dataclasses import dataclass

from nibble_core.errors import DoesNotFit, InvalidTicket
from nibble_core.geometry import Affine, Box, Path, Point

MARK_COUNTS = (0, 3, 4, 5, 6)


@dataclass(frozen=True)
class Layout:
    """One sheet, mm, origin top left: its size, the place of each copy (the piece's own origin), the centres of
    the marks, and how many sheets make the quantity."""

    width: float
    height: float
    columns: int
    rows: int
    placements: tuple[Affine, ...]
    marks: tuple[Point, ...]
    mark_diameter: float
    sheets: int

    @property
    def copies(self) -> int:
        """Copies on one sheet."""
        return len(self.placements)

    def mark_paths(self) -> tuple[Path, ...]:
        return tuple(Path.circle(x, y, self.mark_diameter / 2) for x, y in self.marks)


def grid(
    piece: Box,
    quantity: int,
    *,
    spacing: float,
    usable_width: float,
    usable_length: float,
    mark_count: int = 4,
    mark_diameter: float = 6.0,
    mark_gap: float = 5.0,
) -> Layout:
    """``quantity`` copies of a piece, whose lines fill ``piece``, on as few sheets as possible.

    The sheet is as wide and long as the copies, their ``spacing`` and the marks need, within the usable width and
    length. Marks stand in the corners, ``mark_gap`` from the nearest copy; without any, ``spacing`` stays free at the
    edges. When a sheet cannot hold all copies,
    every sheet is a full one. Raises DoesNotFit when not even one copy fits, InvalidTicket for odd options.
    """
    if mark_count not in MARK_COUNTS:
        raise InvalidTicket(f"{mark_count} registration marks cannot be laid.", "Choose none, or 3, 4, 5 or 6.")
    if quantity < 1:
        raise InvalidTicket("A sheet needs at least one copy.", "Set the quantity to 1 or more.")
    edge = mark_diameter + mark_gap if mark_count else spacing
    columns = math.floor((usable_width - 2 * edge + spacing + 1e-9) / (piece.width + spacing))
    rows = math.floor((usable_length - 2 * edge + spacing + 1e-9) / (piece.height + spacing))
    if columns < 1 or rows < 1:
        side, room = ("wide", usable_width) if columns < 1 else ("long", usable_length)
        size = piece.width if columns < 1 else piece.height
        raise DoesNotFit(
            f"With its {'marks' if mark_count else 'margins'} the piece is {size + 2 * edge:.1f} mm {side}; the sheet "
            f"has {room:.0f} mm.",
            "Make it smaller, or choose a wider stock.",
        )
    columns = min(columns, quantity)
    rows = min(rows, math.ceil(quantity / columns))
    sheets = math.ceil(quantity / (columns * rows))
    on_sheet = quantity if sheets == 1 else columns * rows
    columns = math.ceil(on_sheet / rows)  # rows as even as can be: no copy stands alone in the last
    step_x, step_y = piece.width + spacing, piece.height + spacing
    width = 2 * edge + columns * step_x - spacing
    height = 2 * edge + rows * step_y - spacing
    placements = tuple(
        Affine.translation(
            edge - piece.left + (index % columns) * step_x, edge - piece.top + (index // columns) * step_y
        )
        for index in range(on_sheet)
    )
    return Layout(
        width, height, columns, rows, placements,
        _mark_places(width, height, mark_diameter / 2, mark_count), mark_diameter, sheets,
    )  # fmt: skip


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
