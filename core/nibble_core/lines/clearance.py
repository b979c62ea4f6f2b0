"""Lines that would run across each other: one of them is led round the other."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry.regions import polygons
from nibble_core.lines.offsetting import quarter_segments

LEAST = 0.05  # mm² that must lie in either line alone, and in both, for them to cross
ROUNDS = 4  # leading a line round one neighbour may bring it across another


def kept_clear(area: MultiPolygon, others: Sequence[BaseGeometry], gap: float) -> tuple[MultiPolygon, int]:
    """An area whose edges cross no edge of the others, and how many of its edges were led round one.

    Every edge stands for what it encloses, holes likewise. Of two that cross, with more than half of the smaller in
    both, one lies within the other: then this one is grown to hold the other, or cut back to lie inside it, ``gap`` mm
    away. Otherwise they lie side by side, and this one gives way.
    """
    fixed = _solids([part for other in others for part in polygons(other)])
    if not len(fixed) or area.is_empty:
        return area, 0
    tree = shapely.STRtree(fixed)
    parts = polygons(area)
    outer = [Polygon(part.exterior) for part in parts]
    holes = [Polygon(ring) for part in parts for ring in part.interiors]
    led = 0
    cleared: list[list[BaseGeometry]] = []
    for solids in (outer, holes):
        own: list[BaseGeometry] = []
        for solid in solids:
            made = _cleared(solid, fixed, tree, gap)
            led += made is not solid
            own.append(made)
        cleared.append(own)
    if not led:
        return area, 0
    whole = shapely.union_all(cleared[0]).difference(shapely.union_all(cleared[1]))
    return MultiPolygon(polygons(whole)), led


def cross(one: BaseGeometry, other: BaseGeometry) -> bool:
    """Whether two areas overlap, each with a part of its own outside the other."""
    both = float(one.intersection(other).area)
    return both > LEAST and float(min(one.area, other.area)) - both > LEAST


def _cleared(solid: Polygon, fixed: np.ndarray, tree: shapely.STRtree, gap: float) -> BaseGeometry:
    made: BaseGeometry = solid
    quarter = quarter_segments(gap)
    for _ in range(ROUNDS):
        met = [fixed[k] for k in np.sort(tree.query(made, predicate="intersects")) if cross(made, fixed[k])]
        if not met:
            break
        for other in met:
            nested = made.intersection(other).area > min(made.area, other.area) / 2
            if nested and made.area >= other.area:
                made = made.union(other.buffer(gap, quad_segs=quarter))
            elif nested:
                made = made.intersection(other.buffer(-gap, quad_segs=quarter))
            else:
                made = made.difference(other.buffer(gap, quad_segs=quarter))
    return made


def _solids(parts: Sequence[Polygon]) -> np.ndarray:
    return np.array([Polygon(ring) for part in parts for ring in (part.exterior, *part.interiors)])
