"""Groups: layers that are kept together on a sheet, as one thing that is laid like a part."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import reduce

import shapely

from nibble_core.geometry import Box
from nibble_core.sheet.arranging import Part, Room
from nibble_core.sheet.borders import at_place
from nibble_core.sheet.laid import Placement
from nibble_core.sheet.nesting import Limits, nest

GROUP = "one of each together"
WIDTHS = (1.0, 1.3, 1.7, 2.2, 3.0, 4.0, 6.0)
"""Of the widest member: strips that a group is laid in; the one with the smallest box is taken."""


def grouped(parts: Sequence[Part], within: Room, turns: str) -> tuple[Part, list[Placement]]:
    """The smallest set of all parts in the proportion of their quantities, as one part, and where its members lie."""
    sets = reduce(math.gcd, (part.quantity for part in parts))
    few = [part._replace(quantity=part.quantity // sets) for part in parts]
    widest = max(part.box.width for part in parts)
    found = []
    for share in WIDTHS:
        strip = Room(min(share * widest, within.inner), 1e5, within.spacing, 0.0)
        if strip.width < widest - 1e-9:
            continue
        made, _ = nest(few, strip, turns=turns, limits=Limits(seconds=0.2))
        found.append((made.width * made.length, share, made))
    _, _, best = min(found, key=lambda one: one[:2])
    shapes = {part.layer: shapely.box(*part.box) if part.shape is None else part.shape for part in parts}
    whole = shapely.union_all([at_place(shapes[layer], at) for layer, at in best.placements])
    reach = within.spacing + 1.0  # what lies between its members is its own: nothing else is laid there
    closed = shapely.union(whole, whole.buffer(reach).buffer(-reach))
    return Part(GROUP, Box(*closed.bounds), sets, closed), list(best.placements)


def ungrouped(placements: Sequence[Placement], members: Sequence[Placement]) -> list[Placement]:
    """The copies of the members, group by group."""
    return [Placement(layer, own.then(at)) for _, at in placements for layer, own in members]
