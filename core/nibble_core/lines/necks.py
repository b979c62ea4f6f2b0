"""Weak parts: necks thinner than a material holds, with their width, by the shortest ways across the area.

A neck is a way across the material, from edge to edge, that is shorter than every way beside it. Boundary samples
closer than the limit but far apart along the edge are candidates; each is led downhill to the exact shortest way.
Candidates are found on a simplified edge, so that their number grows with what is there at the scale of the limit, not
with the nodes; where there are too many all the same, the search stops at a smaller width and says so.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import Cancelled
from nibble_core.geometry import Point, Points, run_lengths
from nibble_core.geometry.regions import polygons
from nibble_core.lines.neck_kernels import led_downhill

ROUNDABOUT = 2.5  # a neck's edges are at least so many widths apart along the edge: else it is a corner
SAMPLES = 6  # per limit, along the edge
MOST = 200
MOST_TRIES = 400
ROUGH = 1 / 200  # of the limit: how far the edge that candidates are found on may be off
MOST_PAIRS = 1_500_000  # of samples and edges near each other, looked at in one search
MOST_GROUPED = 12_000  # vertices of an area whose necks are told apart by the thin places they lie in
PROBES = 400
MOST_SAMPLES = 1_000_000  # along the edges, which take half a gigabyte
LEAST_SHARE = 1 / 16  # of the limit asked for: below that a search is given up


def _never() -> bool:
    return False


@dataclass(frozen=True)
class Neck:
    """The shortest way across a thin place: its width in mm and its two ends."""

    width: float
    one: Point
    other: Point

    @property
    def middle(self) -> Point:
        return Point((self.one.x + self.other.x) / 2, (self.one.y + self.other.y) / 2)


@dataclass(frozen=True)
class NeckSearch:
    """Necks found, the thinnest first, and the width in mm up to which they were looked for."""

    necks: tuple[Neck, ...]
    searched: float


def necks(area: BaseGeometry, limit: float, *, cancelled: Callable[[], bool] = _never) -> NeckSearch:
    """Places of an area narrower than ``limit`` mm, at most 200; one for each thin place. Raises Cancelled when
    ``cancelled()`` turns true."""
    searched = limit
    while searched >= LEAST_SHARE * limit:
        candidates = _candidates(area, searched)
        if candidates is not None:
            found = [neck for one in candidates for neck in one.necks(MOST, MOST_TRIES, cancelled)]
            return NeckSearch(tuple(_one_for_each_place(area, found, searched)), searched)
        searched /= 2
    return NeckSearch((), 0.0)


def weakest(area: BaseGeometry, *, cancelled: Callable[[], bool] = _never) -> NeckSearch:
    """The thinnest neck of an area however wide; none for one without any, as a disc."""
    boxes = [part.bounds for part in polygons(area)]
    size = max((max(b[2] - b[0], b[3] - b[1]) for b in boxes), default=0.0)
    limit, searched = size / 64, 0.0
    while limit < size:
        candidates = _candidates(area, limit)
        if candidates is None:
            break
        found = [neck for one in candidates for neck in one.thinnest(MOST_TRIES, cancelled)]
        if found:
            return NeckSearch((min(found, key=lambda neck: neck.width),), limit)
        limit, searched = 2 * limit, limit
    return NeckSearch((), searched)


def thin_areas(area: BaseGeometry, limit: float) -> list[shapely.Polygon]:
    """What a disc ``limit`` mm across cannot reach within an area, tips of corners among it."""
    tidy = area.simplify(ROUGH * limit)
    opened = tidy.buffer(-limit / 2, quad_segs=16).buffer(limit / 2 * 1.001, quad_segs=16)
    return polygons(tidy.difference(opened))


def _one_for_each_place(area: BaseGeometry, found: list[Neck], limit: float) -> list[Neck]:
    """The thinnest neck of each thin place, however long that is."""
    found = sorted(found, key=lambda neck: neck.width)
    intricate = shapely.get_num_coordinates(area.simplify(ROUGH * limit)) > MOST_GROUPED
    thin = np.array([] if intricate or not found else thin_areas(area, limit))
    tree = shapely.STRtree(thin)
    kept: list[Neck] = []
    spoken_for: set[int] = set()
    for neck in found:
        place = int(tree.nearest(shapely.Point(neck.middle))) if len(thin) else -len(kept) - 1
        if place not in spoken_for:
            spoken_for.add(place)
            kept.append(neck)
        if len(kept) == MOST:
            break
    return kept


def _candidates(area: BaseGeometry, limit: float) -> list[_Candidates] | None:
    """Ways across the parts of an area that may lead to necks under a limit; None where there are too many to look
    at."""
    parts = polygons(area)
    if sum(part.length for part in parts) / (limit / SAMPLES) > MOST_SAMPLES:
        return None
    rough = [polygons(part.simplify(ROUGH * limit)) for part in parts]
    sampled = [_Sampled.of(own[0] if len(own) == 1 else part, limit) for part, own in zip(parts, rough, strict=True)]
    if sum(one.pairs(limit) for one in sampled) > MOST_PAIRS:
        return None
    return [_Candidates.of(part, one, limit) for part, one in zip(parts, sampled, strict=True)]


@dataclass(frozen=True, eq=False)
class _Sampled:
    """The edge of a part: its samples, each with its ring, the length along it and that ring's length; and its
    segments."""

    part: shapely.Polygon
    places: Points
    along: NDArray[np.float64]
    total: NDArray[np.float64]
    ring: NDArray[np.int64]
    edges: _Edges

    @staticmethod
    def of(part: shapely.Polygon, limit: float) -> _Sampled:
        rings = [shapely.get_coordinates(ring)[:-1] for ring in (part.exterior, *part.interiors)]
        places, along, total, ring_of = [], [], [], []
        for k, ring in enumerate(rings):
            following = np.roll(ring, -1, 0)
            chords = np.hypot(*(following - ring).T)
            whole, at = float(chords.sum()), np.concatenate([[0.0], np.cumsum(chords)])
            count = max(8, int(np.ceil(whole / (limit / SAMPLES))))
            # the vertices themselves as well: a neck may be at one
            s = np.unique(np.concatenate([np.arange(count) * whole / count, at[:-1]]))
            index = np.clip(np.searchsorted(at, s, side="right") - 1, 0, len(ring) - 1)
            share = (s - at[index]) / np.maximum(chords[index], 1e-12)
            places.append(ring[index] + (following[index] - ring[index]) * share[:, None])
            along.append(s)
            total.append(np.full(len(s), whole))
            ring_of.append(np.full(len(s), k))
        return _Sampled(
            part, np.vstack(places), np.concatenate(along), np.concatenate(total), np.concatenate(ring_of),
            _Edges.of(part),
        )  # fmt: skip

    def pairs(self, limit: float) -> float:
        """About how many pairs of a sample and an edge lie within the limit, from a few hundred samples."""
        some = self.places[:: max(1, len(self.places) // PROBES)]
        met = self.edges.tree.query(shapely.points(some), predicate="dwithin", distance=limit)
        return len(met[0]) / len(some) * len(self.places)


@dataclass(frozen=True, eq=False)
class _Edges:
    """Segments of a part's rings: ends, ring, the length along it at the middle, and an index."""

    a: Points
    b: Points
    ring: NDArray[np.int64]
    middle: NDArray[np.float64]
    tree: shapely.STRtree

    @staticmethod
    def of(part: shapely.Polygon) -> _Edges:
        starts, ends, ring_of, middles = [], [], [], []
        for k, ring in enumerate((part.exterior, *part.interiors)):
            points = shapely.get_coordinates(ring)
            at = run_lengths(points)
            starts.append(points[:-1])
            ends.append(points[1:])
            ring_of.append(np.full(len(points) - 1, k))
            middles.append((at[:-1] + at[1:]) / 2)
        a, b = np.vstack(starts), np.vstack(ends)
        tree = shapely.STRtree(shapely.linestrings(np.stack([a, b], 1)))
        return _Edges(a, b, np.concatenate(ring_of), np.concatenate(middles), tree)

    def within(self, place: Points, window: float) -> NDArray[np.int64]:
        """Segments that come nearer to a place than ``window``."""
        return np.asarray(self.tree.query(shapely.Point(place), predicate="dwithin", distance=window))

    def nearest(self, place: Points, window: float) -> Points:
        """The place on the edges that is nearest to another, which is likely within a window."""
        near = self.within(place, window)
        if not len(near):
            near = np.array([int(self.tree.nearest(shapely.Point(place)))])
        foot, gap = _foot(np.repeat(place[None], len(near), 0), self.a[near], self.b[near])
        return np.asarray(foot[int(np.argmin(gap))])


@dataclass(frozen=True, eq=False)
class _Candidates:
    """Ways across one part: both ends and how long they are, the shortest first; and the part's true edges."""

    edges: _Edges
    limit: float
    one: Points
    other: Points
    gap: NDArray[np.float64]

    @staticmethod
    def of(part: shapely.Polygon, sampled: _Sampled, limit: float) -> _Candidates:
        rough, places = sampled.edges, sampled.places
        i, j = rough.tree.query(shapely.points(places), predicate="dwithin", distance=limit)
        foot, gap = _foot(places[i], rough.a[j], rough.b[j])
        at_foot = rough.middle[j] + (np.hypot(*(foot - rough.a[j]).T) - np.hypot(*(rough.b[j] - rough.a[j]).T) / 2)
        round_way = np.abs(sampled.along[i] - at_foot)
        round_way = np.minimum(round_way, sampled.total[i] - round_way)
        across = (sampled.ring[i] != rough.ring[j]) | (round_way > np.maximum(ROUNDABOUT * gap, limit / SAMPLES))
        across &= (gap < limit) & (gap > 1e-9)
        i, foot, gap = i[across], foot[across], gap[across]
        middles = (places[i] + foot) / 2
        shapely.prepare(sampled.part)
        inside = shapely.contains_xy(sampled.part, middles[:, 0], middles[:, 1])
        i, foot, gap = i[inside], foot[inside], gap[inside]
        order = np.argsort(gap, kind="stable")
        edges = rough if sampled.part is part else _Edges.of(part) if len(order) else rough
        return _Candidates(edges, limit, places[i][order], foot[order], gap[order])

    def necks(self, most: int, tries: int, cancelled: Callable[[], bool]) -> list[Neck]:
        """Exact necks from the candidates."""
        made: list[Neck] = []
        for _, neck in self._tried(tries, cancelled):
            if neck is not None:
                made.append(neck)
            if len(made) >= most:
                break
        return made

    def thinnest(self, tries: int, cancelled: Callable[[], bool]) -> list[Neck]:
        """The thinnest neck of the part alone: none that a candidate longer by two samples leads to is thinner."""
        best: Neck | None = None
        for gap, neck in self._tried(tries, cancelled):
            if neck is not None and (best is None or neck.width < best.width):
                best = neck
            if best is not None and gap > best.width + 2 * self.limit / SAMPLES:
                break
        return [] if best is None else [best]

    def _tried(self, tries: int, cancelled: Callable[[], bool]) -> Iterator[tuple[float, Neck | None]]:
        """Candidates led downhill, the shortest first, one for each place: how long it was, and its neck if it has
        one."""
        limit = self.limit
        middles = (self.one + self.other) / 2
        cells: dict[tuple[int, int], list[Neck]] = {}
        for k in range(len(self.gap)):
            cell = (int(middles[k, 0] // limit), int(middles[k, 1] // limit))
            near = [n for dx in (-1, 0, 1) for dy in (-1, 0, 1) for n in cells.get((cell[0] + dx, cell[1] + dy), ())]
            if any(np.hypot(*(middles[k] - n.middle)) < (limit if n.width >= 0 else 0.1 * limit) for n in near):
                continue
            if cancelled():
                raise Cancelled("This search was superseded.")
            neck = _downhill(self.one[k], self.other[k], self.edges, limit)
            # other candidates of a neck are spoken for by its first, those of a wedge only close by
            cells.setdefault(cell, []).append(neck or Neck(-1.0, Point(*self.one[k]), Point(*self.other[k])))
            yield float(self.gap[k]), neck
            tries -= 1
            if tries == 0:
                return


def _foot(p: Points, a: Points, b: Points) -> tuple[Points, NDArray[np.float64]]:
    """The nearest points of segments to points, and how far they are."""
    d = b - a
    t = np.clip(((p - a) * d).sum(1) / np.maximum((d * d).sum(1), 1e-24), 0, 1)
    foot = a + d * t[:, None]
    return foot, np.hypot(*(p - foot).T)


def _downhill(p: Points, q: Points, edges: _Edges, limit: float) -> Neck | None:
    """From a candidate to the exact shortest way between the two edges it joins; None where the way only gets shorter
    toward a corner, as in a wedge."""
    one, other = (edges.nearest(place, 4 * ROUGH * limit) for place in (p, q))
    middle, stray = (p + q) / 2, 2 * limit
    near = edges.within(middle, stray + 2 * float(np.hypot(*(one - other))))
    found = np.empty(4)
    width = led_downhill(edges.a[near], edges.b[near], one, other, middle, stray, found)
    x, y, u, v = found.tolist()
    return Neck(width, Point(x, y), Point(u, v)) if width >= 0 else None
