"""Areas cleared to one depth by a flat cutter, in rings from the middle outward, or in lanes, and their edge last."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Points
from nibble_core.geometry.regions import oriented_rings, polygons

SEGMENTS = 24  # of a quarter of a round corner
MOST_RINGS = 4000
LEAST = 0.02  # mm² of what could still be reached
SKIN = 0.004  # mm that rings lie within what they clear, so that none goes beyond it
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


def cleared(area: BaseGeometry, cutter: Flat, *, lanes: bool = False, angle: float = 0.0) -> list[Points]:
    """Where the middle of a flat cutter runs to clear an area, closed rings whose last place is their first, or open
    lanes with the edge's rings behind them. Rings of one pocket come from its middle outward; what is left is cut from
    one side alone."""
    room = area.buffer(-cutter.radius - SKIN, quad_segs=SEGMENTS).simplify(COARSE)
    if room.is_empty:
        return []
    made: list[Points] = []
    for part in polygons(room):
        made += _lanes(part, cutter, angle) if lanes else _rings(part, cutter)
    return made


def _rings(room: BaseGeometry, cutter: Flat) -> list[Points]:
    """Rings of one connected room for the cutter's middle, further and further in, turned round."""
    step = cutter.diameter * min(cutter.step, 0.5)
    found: list[list[Points]] = []
    left = room
    while not left.is_empty and len(found) < MOST_RINGS:
        level = []
        for part in polygons(left):
            outer, holes = oriented_rings(part)
            level += [_closed(outer, cutter.climb), *(_closed(hole, cutter.climb) for hole in holes)]
        found.append(level)
        left = left.buffer(-step, quad_segs=8).simplify(COARSE_WITHIN)
    return [ring for level in reversed(found) for ring in level]


def _lanes(room: BaseGeometry, cutter: Flat, angle: float) -> list[Points]:
    step = cutter.diameter * min(cutter.step, 0.9)
    turned = shapely.affinity.rotate(room, -angle, origin=(0, 0))
    left, top, right, bottom = turned.bounds
    made: list[Points] = []
    for number, y in enumerate(np.arange(top + step / 2, bottom, step).tolist()):
        row = turned.intersection(shapely.LineString([(left - 1, y), (right + 1, y)]))
        parts = [np.asarray(one.coords) for one in getattr(row, "geoms", [row]) if one.length > 0]
        parts = [one if one[0, 0] < one[-1, 0] else one[::-1] for one in parts]
        parts.sort(key=lambda one: one[0, 0])
        made += [one[::-1] for one in reversed(parts)] if number % 2 else parts
    lanes = [
        np.asarray(shapely.get_coordinates(shapely.affinity.rotate(shapely.LineString(one), angle, origin=(0, 0))))
        for one in made
    ]
    edges = []
    for part in polygons(room):
        outer, holes = oriented_rings(part)
        edges += [_closed(outer, cutter.climb), *(_closed(hole, cutter.climb) for hole in holes)]
    return [*lanes, *edges]


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
