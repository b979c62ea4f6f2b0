"""How far places lie from the nearest of many segments."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry.nearest_kernels import boxes_over, nearest_of
from nibble_core.geometry.points import Points

BITS = 16


def distances_to_segments(places: Points, starts: Points, ends: Points) -> NDArray[np.float64]:
    """Distance of each place (n, 2) to the nearest segment from ``starts`` to ``ends`` (m, 2); infinite where there is
    none. Segments are put in the order of a Z-curve (Morton 1966) beneath a tree of boxes; the cost of a place grows
    with the logarithm of their number."""
    if not len(starts):
        return np.full(len(places), np.inf)
    order = np.argsort(_along_curve((starts + ends) / 2), kind="stable")
    a, b = np.ascontiguousarray(starts[order]), np.ascontiguousarray(ends[order])
    return np.asarray(np.sqrt(nearest_of(np.ascontiguousarray(places), a, b, boxes_over(a, b))), np.float64)


def distances_to_lines(places: Points, lines: Sequence[Points]) -> NDArray[np.float64]:
    """Distance of each place (n, 2) to the nearest of some open polylines."""
    starts, ends = ([np.empty((0, 2)), *(line[cut] for line in lines)] for cut in (slice(None, -1), slice(1, None)))
    return distances_to_segments(places, np.concatenate(starts), np.concatenate(ends))


def nearest_places(places: Points, lines: Sequence[Points]) -> Points:
    """The place nearest to each of some places (n, 2) on any of some open polylines (m, 2), of which there is one at
    least."""
    every = np.array([shapely.LineString(line) for line in lines])
    points = shapely.points(places)
    near = every[shapely.STRtree(every).nearest(points)]
    there = shapely.line_interpolate_point(near, shapely.line_locate_point(near, points))
    return np.asarray(shapely.get_coordinates(there), np.float64)


def _along_curve(places: Points) -> NDArray[np.uint64]:
    """How far along a Z-curve places (n, 2) come: the bits of both coordinates by turns."""
    low = places.min(0)
    size = max(float((places.max(0) - low).max()), 1e-300)
    bits = ((places - low) / size * (2**BITS - 1)).astype(np.uint64)
    for shift, mask in ((8, 0x00FF00FF), (4, 0x0F0F0F0F), (2, 0x33333333), (1, 0x55555555)):
        bits = (bits | (bits << np.uint64(shift))) & np.uint64(mask)
    return np.asarray(bits[:, 0] | (bits[:, 1] << np.uint64(1)), np.uint64)
