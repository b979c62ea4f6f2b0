"""A place for one more copy among copies that lie already: where it touches what is there, tried exactly.

A bitmap (see ``nesting``) takes a hole for too small by up to a cell. Here a copy is tried where its box meets the
edges of the room or the boxes of others at the wanted gap, and in line with others of its kind: these are the places
at which a hole that fits exactly is filled.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Affine, Points
from nibble_core.sheet.arranging import Room
from nibble_core.sheet.borders import at_place
from nibble_core.sheet.laid import Placement

MOST_TRIED = 40_000  # places of one turn
AT_ONCE = 2000
NEARER = 1e-4  # mm that a copy may lie nearer than the gap: places are rounded


def place_in_hole(
    layer: str, shape: BaseGeometry, copies: Sequence[BaseGeometry], alike: Sequence[Affine], within: Room,
    turns: Sequence[float], length: float,
) -> Placement | None:  # fmt: skip
    """The topmost place, then the leftmost, at which a shape keeps the room's spacing from all copies and lies within
    the room, no lower than ``length``; None where there is none. copies: what each fills, on the sheet. alike: maps of
    those that are of this layer."""
    tree = shapely.STRtree(np.array(copies, object))
    boxes = shapely.bounds(np.array(copies, object)).reshape(-1, 4)
    gap, edge = within.spacing, within.edge
    best: tuple[float, float, Placement] | None = None
    for turn in turns:
        about = Affine.rotation(turn)
        turned = at_place(shape, about)
        left, top, right, bottom = turned.bounds
        low = np.array([edge - left, edge - top])
        high = np.array([within.width - edge - right, min(within.length, length) - edge - bottom])
        in_line = np.array([(at.e, at.f) for at in alike if _same_turn(at, about)]).reshape(-1, 2)
        across = _offsets(boxes[:, 0], boxes[:, 2], left, right, gap, low[0], high[0], in_line[:, 0])
        down = _offsets(boxes[:, 1], boxes[:, 3], top, bottom, gap, low[1], high[1], in_line[:, 1])
        if not len(across) or not len(down):
            continue
        down = down[: max(1, MOST_TRIED // len(across))]
        tried = np.stack(np.meshgrid(across, down), -1).reshape(-1, 2)  # row by row, from the top
        found = _first_free(turned, tried, tree, gap)
        if found is not None:
            x, y = found
            made = Placement(layer, about.then(Affine.translation(x, y)))
            rank = (round(y + bottom, 6), round(x + left, 6))
            if best is None or rank < best[:2]:
                best = (*rank, made)
    return None if best is None else best[2]


def _offsets(
    lows: Points, highs: Points, low: float, high: float, gap: float, least: float, most: float, in_line: Points
) -> Points:
    """Shifts along one axis at which a box from ``low`` to ``high`` meets others or the room's ends, or is in line."""
    every = np.concatenate([[least, most], highs + gap - low, lows - gap - high, lows - low, highs - high, in_line])
    every = every[(every >= least - 1e-6) & (every <= most + 1e-6)]
    return np.unique(np.round(np.clip(every, least, max(least, most)), 6))


def _first_free(shape: BaseGeometry, tried: Points, tree: shapely.STRtree, gap: float) -> tuple[float, float] | None:
    for start in range(0, len(tried), AT_ONCE):
        some = tried[start : start + AT_ONCE]
        moved = np.array([shapely.transform(shape, lambda points, by=by: points + by) for by in some], object)
        taken, _ = tree.query(moved, predicate="dwithin", distance=max(gap - NEARER, 0.0))
        free = np.setdiff1d(np.arange(len(some)), taken)
        if len(free):
            x, y = some[free[0]].tolist()
            return x, y
    return None


def _same_turn(one: Affine, other: Affine) -> bool:
    return max(abs(one.a - other.a), abs(one.b - other.b), abs(one.c - other.c), abs(one.d - other.d)) < 1e-4
