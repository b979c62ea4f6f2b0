"""Corrections by hand on traced regions: pure geometry in mm, regions in and regions out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import ARC, CUBIC, Path, Points, Region
from nibble_core.geometry.fitting import densified, refit_polygon
from nibble_core.geometry.kernels import fit_arc, fit_circle, fit_cubic
from nibble_core.geometry.regions import polygons
from nibble_core.geometry.stretches import OnPath, ellipse, moments, nearest_on, replaced, shorter_way, stretch

Place = tuple[float, float]
SMALLEST = 1e-4  # mm²: crumbs of a cut
SHARED = 0.02  # mm: edges that are nowhere further apart are one


def way_of(points: Points, width: float) -> BaseGeometry:
    """What an eraser or filler covers along its way (n, 2)."""
    line = shapely.Point(points[0]) if len(points) == 1 else shapely.LineString(points)
    return shapely.buffer(line, width / 2, quad_segs=16)


def rubbed(region: Region, way: BaseGeometry) -> list[Region]:
    """What is left of a region outside of ``way``; the region itself where they do not meet."""
    area = shapely.make_valid(region.polygon())
    if not area.intersects(way):
        return [region]
    return _refitted(area.difference(way))


def filled_in(regions: Sequence[Region], way: BaseGeometry) -> Region | None:
    """Regions and ``way`` as one; None when the way does not hold them together."""
    areas = [shapely.make_valid(region.polygon()) for region in regions]
    made = _refitted(shapely.union_all([*areas, way]))
    return made[0] if len(made) == 1 else None


def bridge(one: Place, other: Place, width: float) -> BaseGeometry:
    """A bar between two places."""
    return shapely.buffer(shapely.LineString([one, other]), width / 2, quad_segs=16)


def hole_at(region: Region, place: Place) -> int | None:
    """The index of the hole that a place lies in, or whose edge is at it."""
    point = shapely.Point(place)
    for index, hole in enumerate(region.holes):
        if shapely.Polygon(hole.flattened(0.01)).buffer(1e-6).contains(point):
            return index
    return None


def without_hole(region: Region, index: int) -> Region:
    return Region(region.outer, tuple(hole for k, hole in enumerate(region.holes) if k != index))


def edges_between(regions: Sequence[Region], one: Place, other: Place, within: float) -> list[tuple[int, int]]:
    """The region and ring (0 outer, then holes) on whose edge both places lie, if one has both within reach; and every
    other that shares this edge, as colour areas do: of an edge moved on one side only nothing would be seen."""
    reached = []
    for i, region in enumerate(regions):
        for k, ring in enumerate(region.rings):
            off = max(nearest_on(ring, one).off, nearest_on(ring, other).off)
            if off <= within:
                reached.append((off, i, k))
    if not reached:
        return []
    reached.sort()
    parts = [_part(regions[i].rings[k], one, other) for _, i, k in reached]
    return [
        (i, k)
        for (_, i, k), part in zip(reached, parts, strict=True)
        if part is parts[0] or shapely.hausdorff_distance(part, parts[0]) <= SHARED
    ]


def _part(path: Path, one: Place, other: Place) -> BaseGeometry:
    """The edge between two places, the shorter way."""
    part = stretch(path, *shorter_way(path, nearest_on(path, one), nearest_on(path, other)))
    return shapely.LineString(part.flattened(0.005)) if len(part) else shapely.Point(one)


def with_edge(region: Region, ring: int, one: Place, other: Place, kind: str) -> Region:
    """A region whose edge between two places is a straight line, an arc or one smooth curve: ``kind`` is
    “straighten”, “arc” or “smooth”."""
    path = region.rings[ring]
    start, end = shorter_way(path, nearest_on(path, one), nearest_on(path, other))
    return _with_ring(region, ring, replaced(path, start, end, _edge(path, start, end, kind)))


def _edge(path: Path, start: OnPath, end: OnPath, kind: str) -> Path:
    part = stretch(path, start, end)
    ends = np.vstack([part.rows[0, :2], part.rows[-1, 6:]])
    line = Path.polygon(ends, closed=False)
    if kind == "straighten":
        return line
    dense = part.flattened(0.005)
    samples = np.ascontiguousarray(densified(dense, max(part.length() / 200, 0.01)))
    row = np.empty(8)
    if kind == "arc":
        fitted = fit_arc(samples, 0, len(samples) - 1, row) < 1e8
        return Path(np.array([ARC], np.uint8), row[None], closed=False) if fitted else line
    fitted = fit_cubic(samples, 0, len(samples) - 1, 0.0, 0.0, 0.0, 0.0, True, 16, 1e-3, row) < 1e8
    return Path(np.array([CUBIC], np.uint8), row[None], closed=False) if fitted else line


def _with_ring(region: Region, ring: int, path: Path) -> Region:
    if ring == 0:
        return replace(region, outer=path)
    holes = list(region.holes)
    holes[ring - 1] = path
    return replace(region, holes=tuple(holes))


def as_circle(region: Region) -> Region:
    """The outer ring as a true circle; holes stay."""
    x, y, radius, _ = fit_circle(np.ascontiguousarray(region.outer.flattened(0.01)))
    return replace(region, outer=Path.circle(x, y, radius))


def as_ellipse(region: Region) -> Region:
    """The outer ring as the ellipse of the same area and turn; holes stay."""
    points = region.outer.flattened(0.01)
    centre, axes, turn = moments(points)
    area = abs(shapely.Polygon(points).area)
    scale = math.sqrt(area / max(math.pi * axes[0] * axes[1], 1e-12))
    return replace(region, outer=ellipse(centre, (axes[0] * scale, axes[1] * scale), turn))


def _refitted(geometry: BaseGeometry) -> list[Region]:
    return [refit_polygon(area) for area in polygons(geometry) if area.area > SMALLEST]
