"""Weak parts: necks thinner than a material holds, with their width, by the shortest ways across the area.

A neck is a way across the material, from edge to edge, that is shorter than every way beside it. Boundary samples
closer than the limit but far apart along the edge are candidates; each is led downhill to the exact shortest way.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Point, Points
from nibble_core.geometry.regions import polygons

ROUNDABOUT = 2.5  # a neck's edges are at least so many widths apart along the edge: else it is a corner
SAMPLES = 6  # per limit, along the edge
MOST = 200
MOST_TRIES = 600


@dataclass(frozen=True)
class Neck:
    """The shortest way across a thin place: its width in mm and its two ends."""

    width: float
    one: Point
    other: Point

    @property
    def middle(self) -> Point:
        return Point((self.one.x + self.other.x) / 2, (self.one.y + self.other.y) / 2)


def necks(area: BaseGeometry, limit: float) -> list[Neck]:
    """Places of an area narrower than ``limit`` mm, the thinnest first, at most 200; one for each thin place."""
    found: list[Neck] = []
    for part in polygons(area):
        found += _necks_of(part, limit)
    found.sort(key=lambda neck: neck.width)
    thin = np.array(thin_areas(area, limit))
    kept: list[Neck] = []
    spoken_for: set[int] = set()
    for neck in found:  # one for each thin place, however long
        place = int(shapely.STRtree(thin).nearest(shapely.Point(neck.middle))) if len(thin) else -len(kept) - 1
        if place not in spoken_for:
            spoken_for.add(place)
            kept.append(neck)
        if len(kept) == MOST:
            break
    return kept


def thin_areas(area: BaseGeometry, limit: float) -> list[shapely.Polygon]:
    """What a disc ``limit`` mm across cannot reach within an area, tips of corners among it."""
    opened = area.buffer(-limit / 2, quad_segs=16).buffer(limit / 2 * 1.001, quad_segs=16)
    return polygons(area.difference(opened))


def weakest(area: BaseGeometry) -> Neck | None:
    """The thinnest neck of an area however wide; None for one without any, as a disc."""
    boxes = [part.bounds for part in polygons(area)]
    if not boxes:
        return None
    size = max(max(b[2] - b[0], b[3] - b[1]) for b in boxes)
    limit = size / 64
    while limit < size:
        found = necks(area, limit)
        if found:
            return found[0]
        limit *= 2
    return None


def _necks_of(part: shapely.Polygon, limit: float) -> list[Neck]:
    rings = [shapely.get_coordinates(ring)[:-1] for ring in (part.exterior, *part.interiors)]
    step = limit / SAMPLES
    points, along, length, ring_of = [], [], [], []
    starts = [np.zeros((0, 2))]
    ends = [np.zeros((0, 2))]
    seg_along, seg_ring = [], []
    for k, ring in enumerate(rings):
        following = np.roll(ring, -1, 0)
        chords = np.hypot(*(following - ring).T)
        total, at = float(chords.sum()), np.concatenate([[0.0], np.cumsum(chords)])
        count = max(8, int(np.ceil(total / step)))
        # the vertices themselves as well: a neck may be at one
        s = np.unique(np.concatenate([np.arange(count) * total / count, at[:-1]]))
        index = np.clip(np.searchsorted(at, s, side="right") - 1, 0, len(ring) - 1)
        share = (s - at[index]) / np.maximum(chords[index], 1e-12)
        points.append(ring[index] + (following[index] - ring[index]) * share[:, None])
        along.append(s)
        length.append(np.full(len(s), total))
        ring_of.append(np.full(len(s), k))
        starts.append(ring)
        ends.append(following)
        seg_along.append((at[:-1] + at[1:]) / 2)
        seg_ring.append(np.full(len(ring), k))
    places, s_of, total_of, own = (
        np.vstack(points),
        np.concatenate(along),
        np.concatenate(length),
        np.concatenate(ring_of),
    )
    a, b = np.vstack(starts), np.vstack(ends)
    mid_of, seg_own = np.concatenate(seg_along), np.concatenate(seg_ring)
    segments = shapely.linestrings(np.stack([a, b], 1))
    i, j = shapely.STRtree(segments).query(shapely.points(places), predicate="dwithin", distance=limit)
    foot, gap = _foot(places[i], a[j], b[j])
    at_foot = mid_of[j] + (np.hypot(*(foot - a[j]).T) - np.hypot(*(b[j] - a[j]).T) / 2)
    round_way = np.abs(s_of[i] - at_foot)
    round_way = np.minimum(round_way, total_of[i] - round_way)
    across = (own[i] != seg_own[j]) | (round_way > np.maximum(ROUNDABOUT * gap, step))
    across &= (gap < limit) & (gap > 1e-9)
    i, j, foot, gap = i[across], j[across], foot[across], gap[across]
    if not len(i):
        return []
    middles = (places[i] + foot) / 2
    inside = shapely.contains_xy(part, middles[:, 0], middles[:, 1])
    i, foot, gap, middles = i[inside], foot[inside], gap[inside], middles[inside]
    order = np.argsort(gap, kind="stable")
    cells: dict[tuple[int, int], list[Neck]] = {}
    made: list[Neck] = []
    tried = 0
    for k in order.tolist():
        cell = (int(middles[k, 0] // limit), int(middles[k, 1] // limit))
        near = [n for dx in (-1, 0, 1) for dy in (-1, 0, 1) for n in cells.get((cell[0] + dx, cell[1] + dy), ())]
        if any(np.hypot(*(middles[k] - n.middle)) < (limit if n.width >= 0 else 0.1 * limit) for n in near):
            continue
        neck = _downhill(places[i[k]], foot[k], a, b, limit)
        # other candidates of a neck are spoken for by its first, those of a wedge only close by
        cells.setdefault(cell, []).append(neck or Neck(-1.0, Point(*places[i[k]]), Point(*foot[k])))
        tried += 1
        if neck is not None:
            made.append(neck)
        if len(made) >= MOST or tried >= MOST_TRIES:
            break
    return made


def _foot(p: Points, a: Points, b: Points) -> tuple[Points, NDArray[np.float64]]:
    """The nearest points of segments to points, and how far they are."""
    d = b - a
    t = np.clip(((p - a) * d).sum(1) / np.maximum((d * d).sum(1), 1e-24), 0, 1)
    foot = a + d * t[:, None]
    return foot, np.hypot(*(p - foot).T)


def _downhill(p: Points, q: Points, a: Points, b: Points, limit: float) -> Neck | None:
    """From a candidate to the exact shortest way between the two edges it joins; None where the way only gets shorter
    toward a corner, as in a wedge."""
    reach = float(np.hypot(*(p - q)))
    one, other = p, q
    for _ in range(60):
        window = 0.75 * reach
        near_one = _within(one, a, b, window)
        foot, gap = _foot(np.repeat(other[None], len(near_one), 0), a[near_one], b[near_one])
        one = foot[int(np.argmin(gap))]
        near_other = _within(other, a, b, window)
        foot, gap = _foot(np.repeat(one[None], len(near_other), 0), a[near_other], b[near_other])
        new = foot[int(np.argmin(gap))]
        moved = float(np.hypot(*(new - other)))
        other = new
        width = float(np.hypot(*(one - other)))
        if width < 0.2 * reach or np.hypot(*((one + other) / 2 - (p + q) / 2)) > 2 * limit:
            return None
        if moved < 1e-7:
            break
    return Neck(width, Point(*one.tolist()), Point(*other.tolist()))


def _within(place: Points, a: Points, b: Points, window: float) -> NDArray[np.int64]:
    _, gap = _foot(np.repeat(place[None], len(a), 0), a, b)
    return np.nonzero(gap <= window)[0]
