"""Areas cleared to one depth by a flat cutter, in rings from the middle outward, or in lanes, and their edge last.
Where they would begin in a slot, loops open it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.carve.peeling import ENGAGED, Track, opened_along, opened_up
from nibble_core.geometry import Points
from nibble_core.geometry.regions import oriented_rings, polygons

SEGMENTS = 24  # of a quarter of a round corner
MOST_RINGS = 4000
LEAST = 0.02  # mm² of what could still be reached
SKIN = 0.004  # mm that rings lie within what they clear, so that none goes beyond it
CORNER = math.radians(45)  # by which a ring turns at least about a corner
FAR_CORNER = 2.2  # steps from what is cleared to the end of a corner that is left to the rings
COARSE, COARSE_WITHIN = 0.0035, 0.01  # mm that a ring may leave what it follows: at an edge, less than SKIN, and within


@dataclass(frozen=True)
class Flat:
    """A flat cutter. step: share of its diameter between two rings or lanes, at most a half, so that rings leave
    nothing between them. climb: with what stays to the right of a cutter that turns with the clock, so that chips begin
    thick; else to its left (conventional)."""

    diameter: float
    step: float = 0.4
    climb: bool = False

    @property
    def radius(self) -> float:
        return self.diameter / 2


def reachable(area: BaseGeometry, cutter: Flat) -> BaseGeometry:
    """What of an area a round cutter can clear: all but inner corners sharper than it is."""
    inner = area.buffer(-cutter.radius, quad_segs=SEGMENTS)
    return inner.buffer(cutter.radius, quad_segs=SEGMENTS).intersection(area)


def cleared(area: BaseGeometry, cutter: Flat, *, lanes: bool = False) -> list[Track]:
    """Where the middle of a flat cutter runs to clear an area, closed rings whose last place is their first, or open
    lanes with the edge's rings behind them. Rings of one pocket come from its middle outward; what is left is cut from
    one side alone. Away from corners no more than a step is cut at once, unless there is no room for it."""
    room = area.buffer(-cutter.radius - SKIN, quad_segs=SEGMENTS).simplify(COARSE)
    if room.is_empty:
        return []
    made: list[Track] = []
    for part in polygons(room):
        made += _lanes(part, cutter) if lanes else _rings(part, cutter)
    return made


def _rings(room: Polygon, cutter: Flat) -> list[Track]:
    """Rings of one connected room for the cutter's middle, further and further in, turned round."""
    step = cutter.diameter * min(cutter.step, 0.5)
    levels: list[list[Polygon]] = []
    left: BaseGeometry = room
    while not left.is_empty and len(levels) < MOST_RINGS:
        levels.append(polygons(left))
        left = left.buffer(-step, quad_segs=8).simplify(COARSE_WITHIN)
    made: list[Track] = []
    within = Polygon()
    for level in reversed(levels):
        for part in level:
            made += _ring(part, within.intersection(part), room, step, cutter)
        within = shapely.MultiPolygon(level)
    return made


def _ring(part: Polygon, within: BaseGeometry, room: Polygon, step: float, cutter: Flat) -> list[Track]:
    """The rings round one part of a level, behind loops where they are too far from what is cleared within it."""
    rings = _edges(part, cutter)
    line = shapely.MultiLineString(rings)
    if not within.is_empty:
        apart = line.difference(within.buffer(ENGAGED * step, quad_segs=16))
        slots = shapely.line_merge(apart, directed=True)
        if not any(_is_slot(slot, within, step, -1 if cutter.climb else 1) for slot in shapely.get_parts(slots)):
            return [Track(ring) for ring in rings]
    loops = opened_up(part, room, within, step, climb=cutter.climb)
    if loops and within.is_empty:
        taken = shapely.union_all([shapely.LineString(one.points).buffer(cutter.radius) for one in loops])
        if line.buffer(cutter.radius).difference(taken).area < LEAST:
            return loops
    return [*loops, *(Track(ring) for ring in rings)]


def _is_slot(stretch: BaseGeometry, within: BaseGeometry, step: float, outward: int) -> bool:
    """Whether a stretch of a ring too far from what is cleared is more than the way round a corner. outward: the sign
    of turns about corners that point out of the room."""
    if stretch.length < step / 2:
        return False
    way = np.diff(shapely.get_coordinates(stretch), axis=0)
    angle = np.arctan2(way[:, 1], way[:, 0])
    turn = outward * float(np.angle(np.exp(1j * np.diff(angle))).sum())
    far = shapely.distance(shapely.points(shapely.get_coordinates(stretch.segmentize(step))), within).max()
    return turn < CORNER or float(far) > FAR_CORNER * step


def _edges(room: Polygon, cutter: Flat) -> list[Points]:
    outer, holes = oriented_rings(room)
    return [_closed(outer, cutter.climb), *(_closed(hole, cutter.climb) for hole in holes)]


def _lanes(room: Polygon, cutter: Flat) -> list[Track]:
    step = cutter.diameter * min(cutter.step, 0.9)
    left, top, right, bottom = room.bounds
    made: list[Track] = []
    before: BaseGeometry = Polygon()
    for number, y in enumerate(np.arange(top + step / 2, bottom, step).tolist()):
        row = room.intersection(shapely.LineString([(left - 1, y), (right + 1, y)]))
        parts = [shapely.get_coordinates(part) for part in shapely.get_parts(row) if part.length > 0]
        parts = [part if part[0, 0] < part[-1, 0] else part[::-1] for part in parts]
        parts.sort(key=lambda part: float(part[0, 0]))
        slots = shapely.get_parts(row.difference(before.buffer(ENGAGED * step)))
        for slot in slots:
            if slot.length > step / 2:
                made += opened_along(_with_room(slot, room, step), room, step, climb=cutter.climb)
        made += [Track(part[::-1]) for part in reversed(parts)] if number % 2 else [Track(part) for part in parts]
        before = row
    return [*made, *(Track(ring) for ring in _edges(room, cutter))]


def _with_room(slot: BaseGeometry, room: Polygon, step: float) -> Points:
    """Where loops are to run that open a lane: further on where there is no room for them beside an edge."""
    ways = [shapely.get_coordinates(slot) + np.array([0.0, share * step]) for share in (0.0, 0.3, 0.6, 0.9)]
    inside = [way for way in ways if room.covers(shapely.LineString(way))]
    return max(inside or ways[:1], key=lambda way: min(step, float(_clearance(way, room))))


def _clearance(way: Points, room: Polygon) -> float:
    """mm between the middle of a way and the edge of its room."""
    return float(shapely.Point(way.mean(0)).distance(room.boundary))


def _closed(ring: Points, climb: bool) -> Points:
    """A ring back to its beginning; oriented rings have their inside to the right on screen, and the material that
    stays to the left: a conventional cut."""
    points = np.vstack([ring, ring[:1]])
    return points[::-1] if climb else points


def left_over(area: BaseGeometry, cutter: Flat) -> BaseGeometry:
    """What of an area a flat cutter leaves for a smaller one."""
    rest = area.difference(reachable(area, cutter))
    kept = [part for part in polygons(rest) if part.area > LEAST]
    return shapely.MultiPolygon(kept)
