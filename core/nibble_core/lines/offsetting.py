"""Areas grown or shrunk by a distance, with round, mitred or bevelled corners."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry.corners import corners as corners_of
from nibble_core.geometry.corners import turns
from nibble_core.geometry.points import Points
from nibble_core.geometry.regions import oriented_rings, polygons
from nibble_core.geometry.tolerances import ARC_CHORD, FLATTEN, REFIT, SIMPLIFY

Corners = Literal["round", "mitred", "bevelled"]
KINDS: tuple[Corners, ...] = ("round", "mitred", "bevelled")
NO_TIP = 1e-9
GRID = 1e-6  # mm
CHORD_OFF = FLATTEN + SIMPLIFY  # mm that a chord lies off its curve, at most


def offset_area(
    area: MultiPolygon | Polygon,
    distance: float,
    *,
    corners: Corners = "round",
    mitre_limit: float = 2.0,
    sagitta: float = ARC_CHORD,
) -> BaseGeometry:
    """An area grown by ``distance`` mm, or shrunk where it is negative.

    Chords of arcs are no further than ``sagitta`` inside them. Mitres longer than ``mitre_limit`` times the distance
    are cut off. Only true corners are mitred or bevelled: the vertices between the chords of a curve keep their
    distance all round, as with round corners.
    """
    if not distance or area.is_empty:
        return area
    round_one: BaseGeometry = area.buffer(distance, quad_segs=quarter_segments(abs(distance), sagitta))
    if corners == "round":
        return round_one
    if distance < 0:
        # what is taken away is the ground round the area, grown into it
        reach = 4 * abs(distance)
        left, top, right, bottom = area.bounds
        ground = shapely.box(left - reach, top - reach, right + reach, bottom + reach).difference(area)
        taken = offset_area(
            MultiPolygon(polygons(ground)), -distance, corners=corners, mitre_limit=mitre_limit, sagitta=sagitta
        )
        return area.difference(taken)
    found = _Corners.of(area, hollow=corners == "mitred")
    if not len(found.places):
        return round_one
    if corners == "mitred":
        return shapely.union_all([round_one, *found.tips(distance, mitre_limit)])
    return _bevelled(area, round_one, found, distance, sagitta)


def offset_areas(
    areas: Sequence[Polygon], distance: float, *, corners: Corners, mitre_limit: float, sagitta: float
) -> NDArray[np.object_]:
    """Each of many areas by itself; see ``offset_area``."""
    if corners == "round" or not distance:
        return np.asarray(shapely.buffer(np.array(areas), distance, quad_segs=quarter_segments(abs(distance), sagitta)))
    return np.array(
        [offset_area(one, distance, corners=corners, mitre_limit=mitre_limit, sagitta=sagitta) for one in areas]
    )


@dataclass(frozen=True, eq=False)
class _Corners:
    """The corners of an area that stick out: places (n, 2), unit normals before and behind each (n, 2), and the sides
    of the area that lie between them."""

    places: Points
    before: Points
    behind: Points
    sides: list[BaseGeometry]

    @staticmethod
    def of(area: MultiPolygon | Polygon, *, hollow: bool) -> _Corners:
        """hollow: whether hollow sides too end in the direction of their curve: a mitre runs on in it, a bevel begins
        no earlier than the strip along the chord ends."""
        places, before, behind, sides = [], [], [], []
        for part in polygons(area):
            outer, holes = oriented_rings(part)
            for ring in (outer, *holes):
                every = corners_of(ring, closed=True, least=REFIT)
                # rings have the area on their left: what turns that way sticks out
                at = every[turns(ring, closed=True)[every] > 0]
                sides += _parted(ring, at)
                straight = np.isin(np.arange(len(ring)), every)
                before.append(_normals(ring, at, straight, -1, hollow))
                behind.append(_normals(ring, at, straight, 1, hollow))
                places.append(ring[at])
        return _Corners(np.vstack(places), np.vstack(before), np.vstack(behind), sides)

    def tips(self, distance: float, limit: float) -> NDArray[np.object_]:
        """What a mitre adds at each: out to where the edges meet, or to ``limit`` times the distance."""
        middle = self.before + self.behind
        middle /= np.maximum(np.hypot(*middle.T), NO_TIP)[:, None]
        cosine = np.clip(np.sum(middle * self.before, 1), NO_TIP, 1.0)
        sine = np.sqrt(1 - cosine**2)
        # along each edge from where its corner's normal ends: to the point where both meet, or less far
        meeting, cut = sine / cosine, (limit - cosine) / np.maximum(sine, NO_TIP)
        along = np.clip(np.minimum(meeting, cut), 0.0, None)
        ahead, back = _turned(self.before), -_turned(self.behind)
        first, last = self.places + distance * self.before, self.places + distance * self.behind
        reach = distance * along[:, None]
        one, other = first + reach * ahead, last + reach * back
        other = np.where((meeting <= cut)[:, None], one, other)
        return np.asarray(shapely.polygons(np.stack([self.places, first, one, other, last], 1)))

    def rounds(self, distance: float, sagitta: float) -> tuple[NDArray[np.object_], NDArray[np.object_]]:
        """The triangle that a bevel leaves at each corner, and what it takes away of a round one."""
        first, last = self.places + distance * self.before, self.places + distance * self.behind
        kept = shapely.polygons(np.stack([self.places, first, last], 1))
        start = np.arctan2(self.before[:, 1], self.before[:, 0])
        sweep = np.arctan2(
            self.before[:, 0] * self.behind[:, 1] - self.before[:, 1] * self.behind[:, 0],
            np.sum(self.before * self.behind, 1),
        )
        steps = 2 * quarter_segments(distance, sagitta)
        angles = start[:, None] + sweep[:, None] * (np.arange(steps) + 0.5) / steps
        radius = distance / np.cos(0.5 * sweep / steps)[:, None]
        arcs = self.places[:, None] + radius[..., None] * np.stack([np.cos(angles), np.sin(angles)], 2)
        caps = shapely.polygons(np.concatenate([first[:, None], arcs, last[:, None]], 1))
        return np.asarray(kept), np.asarray(shapely.make_valid(caps))


def _bevelled(
    area: BaseGeometry, round_one: BaseGeometry, found: _Corners, distance: float, sagitta: float
) -> BaseGeometry:
    """A round offset less what its corners have beyond their bevels, where nothing else of the area reaches."""
    kept, caps = found.rounds(distance, sagitta)
    # parts that share an edge would leave slits of a rounding error between them
    taken = shapely.union_all(caps, grid_size=GRID)
    strips = shapely.buffer(
        np.array(found.sides), distance, quad_segs=quarter_segments(distance, sagitta), cap_style="flat"
    )
    near = np.concatenate([kept, strips])
    near = near[shapely.intersects(near, taken)]
    reached = shapely.intersection(taken, shapely.union_all([area, *near], grid_size=GRID), grid_size=GRID)
    whole = shapely.union_all([shapely.difference(round_one, taken, grid_size=GRID), reached], grid_size=GRID)
    return whole.simplify(10 * GRID)  # of what the grid has moved


def _parted(ring: Points, at: NDArray[np.int64]) -> list[BaseGeometry]:
    """A ring's sides between corners; all of it where it has none."""
    count = len(ring)
    if not len(at):
        return [shapely.LinearRing(ring)]
    stops = [*at.tolist(), int(at[0]) + count]
    if len(at) == 1:  # a line that ends where it begins has no ends to cut off: as two that overlap
        rolled = np.roll(ring, -int(at[0]), 0)
        return [
            shapely.LineString(rolled[: 2 * count // 3 + 1]),
            shapely.LineString([*rolled[count // 3 :], rolled[0]]),
        ]
    return [shapely.LineString(ring[np.arange(a, b + 1) % len(ring)]) for a, b in pairwise(stops)]


def _normals(ring: Points, at: NDArray[np.int64], straight: NDArray[np.bool_], step: int, hollow: bool) -> Points:
    """The normals away from the area of the edges that arrive at corners (step -1) or leave them (1).

    A chord turns away from the curve it stands for by half its own angle, which is told by the vertex behind it.
    """
    count = len(ring)
    near, far = (at + step) % count, (at + 2 * step) % count
    chord, further = ring[near] - ring[at], ring[far] - ring[near]
    long, next_long = np.hypot(*chord.T), np.hypot(*further.T)
    turn = np.arctan2(chord[:, 0] * further[:, 1] - chord[:, 1] * further[:, 0], np.sum(chord * further, 1))
    half = long * turn / np.maximum(long + next_long, NO_TIP)
    most = 4 * CHORD_OFF / np.maximum(long, NO_TIP)
    half = np.where(straight[near] | ((step * half < 0) & (not hollow)), 0.0, np.clip(half, -most, most))
    angle = np.arctan2(chord[:, 1], chord[:, 0]) - half
    away = step * np.stack([np.cos(angle), np.sin(angle)], 1)
    return np.stack([away[:, 1], -away[:, 0]], 1)


def _turned(normals: Points) -> Points:
    """Directions of travel whose normals away from the area these are."""
    return np.stack([-normals[:, 1], normals[:, 0]], 1)


def quarter_segments(radius: float, sagitta: float = ARC_CHORD) -> int:
    """Chords in a quarter circle so that none is further than ``sagitta`` mm inside it."""
    if radius <= sagitta:
        return 4
    return max(4, math.ceil((math.pi / 2) / (2 * math.acos(1 - sagitta / radius))))
