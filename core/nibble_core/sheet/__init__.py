"""Layouts: copies of the layers of pieces on one sheet of one stock, with their marks: a ``LaidSheet``.

A grid is a rule and is derived; what a nest or a hand decided comes as placements. All places are similarities.
"""

from nibble_core.sheet.arranging import (
    MARK_COUNTS,
    Beyond,
    Part,
    Room,
    as_placed,
    beyond,
    grid,
    hull,
    interlocked,
    marked,
    room,
)
from nibble_core.sheet.borders import at_place, border_along_each, border_round_all, border_round_each
from nibble_core.sheet.caption import caption
from nibble_core.sheet.distances import Near, too_near
from nibble_core.sheet.grouping import grouped, ungrouped
from nibble_core.sheet.holes import place_in_hole
from nibble_core.sheet.laid import LaidSheet, Marks, Placement
from nibble_core.sheet.nesting import TURNS, Limits, Nest, nest
from nibble_core.sheet.panels import Panel, Seam, clipped, panels, seams
from nibble_core.sheet.pins import pin_places
from nibble_core.sheet.weed_lines import pieces_of_waste, weed_lines

__all__ = [
    "MARK_COUNTS",
    "TURNS",
    "Beyond",
    "LaidSheet",
    "Limits",
    "Marks",
    "Near",
    "Nest",
    "Panel",
    "Part",
    "Placement",
    "Room",
    "Seam",
    "as_placed",
    "at_place",
    "beyond",
    "border_along_each",
    "border_round_all",
    "border_round_each",
    "caption",
    "clipped",
    "grid",
    "grouped",
    "hull",
    "interlocked",
    "marked",
    "nest",
    "panels",
    "pieces_of_waste",
    "pin_places",
    "place_in_hole",
    "room",
    "seams",
    "too_near",
    "ungrouped",
    "weed_lines",
]  # fmt: skip
