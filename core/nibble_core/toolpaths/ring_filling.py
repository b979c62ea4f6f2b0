"""Filling an area with contours set further and further in: strokes that follow the shape."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Bundle
from nibble_core.geometry.regions import polygons
from nibble_core.geometry.segments import LINE

TIDY = 0.06  # of an interval that a ring may be simplified by
ROUND = 4  # chords of a quarter circle of a ring's corner
LEAST = 0.002  # of an interval squared: what is missed and smaller is no place
MOST_RINGS = 20_000


def ringed(area: BaseGeometry, interval: float, *, outward: bool = False) -> Bundle:
    """Closed rings ``interval`` mm apart, the first half an interval within the edge, until nothing is left: every
    place of the area lies within the interval of one. Outer ones first, unless ``outward``.

    Bands too thin for a ring are followed along their edge, a little within it.
    """
    rings: list[BaseGeometry] = []
    inner = area.simplify(interval * TIDY / 2).buffer(-interval / 2, quad_segs=ROUND)
    while not inner.is_empty and len(rings) < MOST_RINGS:
        rings.append(inner.boundary)
        inner = inner.buffer(-interval, quad_segs=ROUND).simplify(interval * TIDY)
    covered = shapely.union_all([ring.buffer(interval * (1 - TIDY), quad_segs=ROUND) for ring in rings[:2]])
    missed = [part for part in polygons(area.difference(_filled(covered, area, interval)))
              if part.area > LEAST * interval**2]  # fmt: skip
    extra = [_within(part, interval).boundary for part in missed]
    every = [*extra, *(rings[::-1] if outward else rings)]
    return _closed(every)


def _filled(covered: BaseGeometry, area: BaseGeometry, interval: float) -> BaseGeometry:
    """What the two outermost rings cover, and all that lies further in."""
    deep = area.buffer(-interval / 2, quad_segs=ROUND)
    return shapely.union_all([covered, deep])


def _within(part: BaseGeometry, interval: float) -> BaseGeometry:
    """A thin part set in a little, or itself where that would leave some of it: at the tip of a spike."""
    for by in (interval / 4, interval / 16):
        inner = part.buffer(-by, quad_segs=ROUND)
        if len(polygons(inner)) == 1 and part.difference(inner.boundary.buffer(interval)).area < LEAST * interval**2:
            return inner
    return part


def _closed(boundaries: list[BaseGeometry]) -> Bundle:
    """Rings of boundaries, in turn, as closed paths."""
    lines = [line for boundary in boundaries for line in shapely.get_parts(boundary)]
    points = [shapely.get_coordinates(line)[:-1] for line in lines]
    points = [one for one in points if len(one) > 2]
    if not points:
        return Bundle.of(())
    sizes = np.array([len(one) for one in points])
    offsets = np.concatenate([[0], np.cumsum(sizes)])
    starts = np.vstack(points)
    following = np.roll(starts, -1, 0)
    following[offsets[1:] - 1] = starts[offsets[:-1]]
    rows = np.zeros((len(starts), 8))
    rows[:, :2], rows[:, 6:] = starts, following
    return Bundle(np.full(len(rows), LINE, np.uint8), rows, offsets.astype(np.int64), np.ones(len(points), bool))
