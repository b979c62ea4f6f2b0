"""Where a flat cutter would run in a slot, loops that peel it open: never wider into the material than a step.

A cutter that enters where nothing beside it is cut yet is engaged over its whole width. Instead it runs along the
middle axis of what is to be opened in circles, each a step further on than the one before, so that every one takes a
crescent no thicker than the step (loops along a medial axis: Elber, Cohen, Drake 2005).
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.carve.grooves import Pointed, grooves
from nibble_core.geometry import Path, Points, Region, run_lengths
from nibble_core.geometry.regions import oriented_rings

COARSE = 0.02  # of a step, that an area may change for its axis
SPACING = 0.08  # of a step, between places of an axis
JOINED = 2.2  # spacings within which two places are joined
COVERED = 0.1  # of a step that what a circle takes may be missed by
NARROW = 0.12  # of a step: circles smaller than that open nothing
LEAST_ADVANCE = 0.25  # of a step from one circle to the next, however small they are
CORNER = math.sin(math.radians(27))  # how fast a corner narrows that is left to the rings
ENGAGED = 1.05  # steps that a ring may lie from what is cut
SAGITTA = 0.0015  # mm of a circle beside its chords: files have arcs for it
DEEP = 1.2  # steps: what is wider needs no loops


@dataclass(frozen=True, eq=False)
class Track:
    """Where the middle of a flat cutter runs, (n, 2). lap: a small circle from its beginning back to there, down which
    it is entered as down a screw; without one it is entered along itself."""

    points: Points
    lap: Points | None = None


@dataclass(frozen=True, eq=False)
class _Axis:
    """Places along the middle of an area. wide: mm to the area's edge; clear: mm to where the cutter's middle may not
    run. before: the place on the way from the first one; -1 for that."""

    places: Points
    wide: NDArray[np.float64]
    clear: NDArray[np.float64]
    before: NDArray[np.int64]
    far: NDArray[np.float64]


def opened_up(area: Polygon, room: Polygon, cleared: BaseGeometry, step: float, *, climb: bool) -> list[Track]:
    """Loops that open what of an area a ring would run in as in a slot. room: where the cutter's middle may run; area:
    a part of it, ``cleared`` a part of that, where it has run."""
    outer, holes = oriented_rings(area.simplify(COARSE * step))
    region = Region(Path.polygon(outer), tuple(Path.polygon(hole) for hole in holes))
    courses = [_resampled(course, SPACING * step) for course in grooves([region], Pointed(90.0), DEEP * step)]
    middle = area.representative_point()
    axis = np.vstack(courses) if courses else np.array([[middle.x, middle.y, -middle.distance(area.boundary)]])
    tracks: list[Track] = []
    while len(axis):
        places, wide, clear = axis[:, :2], -axis[:, 2], _clear(axis[:, :2], room)
        first = int(np.argmax(np.minimum(clear, step) + 1e-3 * wide))
        if not cleared.is_empty:
            first = int(np.argmin(shapely.distance(shapely.points(places), cleared)))
        tree = _tree(places, wide, clear, JOINED * SPACING * step, first)
        tracks += _peeled(tree, cleared, step, climb=climb)
        axis = axis[np.isinf(tree.far)]
    return tracks


def opened_along(line: Points, room: Polygon, step: float, *, climb: bool) -> list[Track]:
    """Loops along a course that would be a slot."""
    along = shapely.LineString(line)
    count = max(2, math.ceil(along.length / (SPACING * step)))
    places = shapely.get_coordinates(along.interpolate(np.linspace(0, 1, count), normalized=True))
    tree = _tree(places, np.zeros(count), _clear(places, room), JOINED * along.length / (count - 1), 0)
    return _peeled(tree, Polygon(), step, climb=climb)


def _resampled(course: NDArray[np.float64], spacing: float) -> NDArray[np.float64]:
    along = run_lengths(course[:, :2])
    stops = np.linspace(0.0, along[-1], max(2, math.ceil(along[-1] / spacing) + 1))
    return np.column_stack([np.interp(stops, along, course[:, k]) for k in range(3)])


def _clear(places: Points, room: Polygon) -> NDArray[np.float64]:
    return np.asarray(shapely.distance(shapely.points(places), room.boundary))


def _tree(
    places: Points, wide: NDArray[np.float64], clear: NDArray[np.float64], joined: float, first: int
) -> _Axis:  # fmt: skip
    """The shortest ways along an axis from its first place to all that it reaches; others are left out."""
    points = shapely.points(places)
    of, to = shapely.STRtree(points).query(points, predicate="dwithin", distance=joined)
    neighbours = np.split(to, np.cumsum(np.bincount(of, minlength=len(places)))[:-1])
    far = np.full(len(places), np.inf)
    before = np.full(len(places), -1)
    far[first] = 0.0
    open_ends = [(0.0, first)]
    while open_ends:
        gone, here = heapq.heappop(open_ends)
        if gone > far[here]:
            continue
        for there in neighbours[here].tolist():
            longer = gone + math.dist(places[here], places[there])
            if longer < far[there]:
                far[there], before[there] = longer, here
                heapq.heappush(open_ends, (longer, there))
    return _Axis(places, wide, clear, before, far)


def _peeled(axis: _Axis, cleared: BaseGeometry, step: float, *, climb: bool) -> list[Track]:
    """One track for each branch of an axis, the longest way first."""
    loops = _Loops(axis, cleared, step)
    tracks = []
    while (chain := loops.chain()) is not None:
        track = _track(chain, step, climb=climb)
        if track is not None:
            tracks.append(track)
    return tracks


@dataclass(frozen=True)
class _Circle:
    x: float
    y: float
    radius: float
    clear: float


class _Loops:
    """Which circles open an axis, branch by branch."""

    def __init__(self, axis: _Axis, cleared: BaseGeometry, step: float) -> None:
        self._axis, self._step = axis, step
        self._radius = np.minimum(axis.clear, step)
        self._needed = np.isfinite(axis.far)
        self._begun: dict[int, _Circle | None] = {int(np.argmin(axis.far)): None}
        """Places that are reached, and the last circle before them; none at the very first."""
        if not cleared.is_empty:
            away = shapely.distance(shapely.points(axis.places), cleared)
            apart = (axis.wide < ENGAGED * step) & (np.hypot(away, axis.wide) > ENGAGED * step)
            self._needed &= apart & ~_corners(axis)
            known = np.maximum(axis.wide - step, 0.0)
            self._begun = {
                int(k): self._circle(int(k), float(known[k])) for k in np.flatnonzero(away <= SPACING * step)
            } or self._begun

    def _circle(self, k: int, radius: float) -> _Circle:
        x, y = self._axis.places[k].tolist()
        return _Circle(x, y, radius, float(self._axis.clear[k]))

    def chain(self) -> list[_Circle | None] | None:
        """The circle that the next branch begins from, none where nothing is cleared, and those along it; None when
        all is open."""
        if not self._needed.any():
            return None
        way = self._way(int(np.argmax(np.where(self._needed, self._axis.far, -1.0))))
        before = self._begun[way[0]]
        chain: list[_Circle | None] = [before]
        for number, k in enumerate(way):
            last = number + 1 == len(way)
            self._begun.setdefault(k, before)
            if last or self._ahead(way[number + 1], before) > self._limit(way[number + 1]):
                before = self._circle(k, float(self._radius[k]))
                self._take(before)
                chain.append(before)
                self._begun[k] = before
                if not self._needed[way[number + 1 :]].any():
                    way = way[: number + 1]
                    break
        self._pass(way)
        return chain

    def _way(self, end: int) -> list[int]:
        """From a place that is reached to the end of a branch."""
        way = [end]
        while way[-1] not in self._begun:
            way.append(int(self._axis.before[way[-1]]))
        return way[::-1]

    def _ahead(self, k: int, before: _Circle | None) -> float:
        """mm that a circle there would take at its front."""
        radius = float(self._radius[k])
        if before is None:
            return math.inf
        x, y = self._axis.places[k].tolist()
        return math.hypot(x - before.x, y - before.y) + radius - before.radius

    def _limit(self, k: int) -> float:
        return min(self._step, max(float(self._radius[k]), LEAST_ADVANCE * self._step))

    def _pass(self, way: Sequence[int]) -> None:
        """Between two circles of a way nothing is needed: of what they leave there rings take the rest."""
        passed = shapely.MultiPoint(self._axis.places[way])
        shapely.prepare(passed)
        beside = shapely.dwithin(shapely.points(self._axis.places), passed, COVERED * self._step)
        self._needed &= ~np.asarray(beside)

    def _take(self, circle: _Circle) -> None:
        away = np.hypot(*(self._axis.places - (circle.x, circle.y)).T)
        self._needed &= away + self._axis.wide - circle.radius > COVERED * self._step


def _corners(axis: _Axis) -> NDArray[np.bool_]:
    """Where an axis runs up a corner: what it is the middle of narrows quickly."""
    before = np.where(axis.before >= 0, axis.before, np.arange(len(axis.before)))
    long = np.hypot(*(axis.places - axis.places[before]).T)
    return np.asarray(np.abs(axis.wide - axis.wide[before]) > CORNER * long + 1e-9)


def _track(chain: Sequence[_Circle | None], step: float, *, climb: bool) -> Track | None:
    """The way round circles, each as far as the one before left something; None for what is too narrow for any."""
    turn = -1.0 if climb else 1.0
    begun, circles = chain[0], [one for one in chain[1:] if one is not None]
    if not circles or max(one.radius for one in circles) < NARROW * step:
        return None
    first = begun or circles[0]
    small = min(first.clear, 0.45 * step)
    onward = circles[0] if begun else circles[min(1, len(circles) - 1)]
    back = math.atan2(first.y - onward.y, first.x - onward.x)
    lap = _round(first, small, small, back, turn * 2 * math.pi)
    parts = [lap[:1]]
    if begun is None:
        parts += [_round(first, small, first.radius, back, turn * 2 * math.pi),
                  _round(first, first.radius, first.radius, back, turn * 2 * math.pi)]  # fmt: skip
    ways = circles if begun is None else [begun, *circles]
    parts += [_crescent(before, circle, step, turn) for before, circle in pairwise(ways)]
    return Track(np.vstack(parts), lap)


def _crescent(before: _Circle, circle: _Circle, step: float, turn: float) -> Points:
    """The arc of a circle beyond another, run the way that ``turn`` has."""
    apart = math.hypot(before.x - circle.x, before.y - circle.y)
    if circle.radius < NARROW * step:
        return np.array([[circle.x, circle.y]])
    back = math.atan2(before.y - circle.y, before.x - circle.x)
    shared = 0.0
    if abs(before.radius - circle.radius) < apart < before.radius + circle.radius:
        cosine = (apart**2 + circle.radius**2 - before.radius**2) / (2 * apart * circle.radius)
        shared = math.acos(max(-1.0, min(1.0, cosine)))
    return _round(circle, circle.radius, circle.radius, back + turn * shared, turn * 2 * (math.pi - shared))


def _round(circle: _Circle, inner: float, outer: float, start: float, sweep: float) -> Points:
    """Round a circle's middle, from one radius to another."""
    chord = 2 * math.acos(max(0.0, 1 - SAGITTA / max(outer, SAGITTA)))
    share = np.linspace(0.0, 1.0, max(8, math.ceil(abs(sweep) / chord)) + 1)
    angle, radius = start + sweep * share, inner + (outer - inner) * share
    return np.column_stack([circle.x + radius * np.cos(angle), circle.y + radius * np.sin(angle)])
