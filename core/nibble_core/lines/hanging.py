"""Hanging a piece up: its balance point, the place above it, a loop or a plain hole there."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import NothingToCut
from nibble_core.geometry import Path, Point

ROUNDS = 12
QUARTER = 180  # chords in a quarter circle: true within 0.0004 mm at 20 mm across


@dataclass(frozen=True, eq=False)
class Hanging:
    """A hanger worked out. balance: centre of mass of the piece without it. hole: the circle to cut. added: material a
    loop adds, empty for a plain hole. wall: least material round the hole, mm. tilt: degrees it turns when hung."""

    balance: Point
    place: Point
    hole: Path
    added: BaseGeometry
    wall: float
    tilt: float


def hanging(area: BaseGeometry, kind: str, diameter: float, wall: float, place: Point | None = None) -> Hanging:
    """A hanger for a piece that covers ``area``.

    kind: “loop” (a ring of material ``wall`` mm wide added at the edge) or “hole” (in the piece, ``wall`` mm from its
    edge). place: where its hole is; None for the place straight above the balance point, at which the piece hangs
    level. Raises NothingToCut when the piece has no room for it there.
    """
    if area.is_empty:
        raise NothingToCut("There is nothing to hang up.", "Compose the piece first.")
    balance = balance_point(area)
    hung = _hung(area, kind, diameter / 2, wall, balance, place)
    for _ in range(ROUNDS if place is None else 0):
        # the hanger itself shifts the balance where it joins a slanting edge: move it there
        centre = balance_point(hung.added.union(area).difference(_disc(hung.place, diameter / 2)))
        if abs(centre.x - hung.place.x) < 1e-7:
            break
        hung = _hung(area, kind, diameter / 2, wall, Point(centre.x, balance.y), None)
    return replace(hung, balance=balance)


def _hung(area: BaseGeometry, kind: str, radius: float, wall: float, below: Point, place: Point | None) -> Hanging:
    """A hanger at a place, or straight above a point."""
    at = place or _level_place(area, kind, below, radius, wall)
    disc = _disc(at, radius)
    added: BaseGeometry = shapely.Polygon()
    if kind == "loop":
        added = shapely.Point(at).buffer(radius + wall, quad_segs=QUARTER)
        if not added.intersects(area):
            raise NothingToCut("The loop does not touch the piece.", "Move it nearer, or make its wall wider.")
    left = float(shapely.boundary(shapely.union_all([area, added])).distance(shapely.Point(at))) - radius
    centre = balance_point(area.union(added).difference(disc))
    tilt = math.degrees(math.atan2(centre.x - at.x, centre.y - at.y)) if centre.y > at.y else 180.0
    return Hanging(below, at, Path.circle(at.x, at.y, radius).reversed(), added, left, tilt)


def _disc(at: Point, radius: float) -> BaseGeometry:
    return shapely.Point(at).buffer(radius, quad_segs=QUARTER)


def balance_point(area: BaseGeometry) -> Point:
    """Centre of mass of a sheet of even thickness, mm (Green's theorem over the rings, holes taken off)."""
    centre = shapely.centroid(area)
    return Point(float(centre.x), float(centre.y))


def _level_place(area: BaseGeometry, kind: str, balance: Point, radius: float, wall: float) -> Point:
    """Straight above the balance point: a loop's hole just clears the edge, a plain hole is ``wall`` below it."""
    _, top, _, bottom = area.bounds
    plumb = shapely.LineString([(balance.x, top - 1), (balance.x, bottom + 1)])
    inside = area.intersection(plumb)
    if inside.is_empty:
        raise NothingToCut("Straight above the balance point is no material.", "Choose a place for the hanger.")
    edge = float(inside.bounds[1])
    if kind == "loop":
        return Point(balance.x, edge - radius)
    reach = radius + wall
    low, high = edge + reach, float(inside.bounds[3])
    room = area.buffer(-reach, quad_segs=32).intersection(plumb)
    if room.is_empty:
        raise NothingToCut(
            f"Above its balance point is no room for a hole {2 * radius:g} mm wide with {wall:g} mm round it.",
            "Make the hole smaller, or use a loop.",
        )
    y = float(room.bounds[1])
    return Point(balance.x, min(max(low, y), high))
