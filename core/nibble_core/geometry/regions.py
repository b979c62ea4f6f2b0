"""Regions: areas with an outer ring and holes, and their polygon form for set operations."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LinearRing, MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry.bundle import Bundle
from nibble_core.geometry.nearest import distances_to_lines
from nibble_core.geometry.paths import Path
from nibble_core.geometry.points import Affine, Box, Points, shoelace
from nibble_core.geometry.tolerances import FLATTEN

SLIVER = 1e-4  # mm


@dataclass(frozen=True, eq=False)
class Region:
    """One connected area: outer ring (positive area), holes (negative area)."""

    outer: Path
    holes: tuple[Path, ...] = ()

    @property
    def rings(self) -> tuple[Path, ...]:
        return (self.outer, *self.holes)

    @property
    def node_count(self) -> int:
        return sum(len(ring) for ring in self.rings)

    def mapped(self, affine: Affine) -> Region:
        """Mapped, with the winding of rings kept as it is meant to be."""
        rings = [ring.mapped(affine) for ring in self.rings]
        if affine.determinant < 0:
            rings = [ring.reversed() for ring in rings]
        return Region(rings[0], tuple(rings[1:]))

    def area(self) -> float:
        """mm², holes taken off."""
        return sum(ring.area() for ring in self.rings)

    def bounds(self) -> Box:
        return self.outer.bounds()

    def svg(self, decimals: int = 3) -> str:
        """One path string for the even-odd rule."""
        return Bundle.of(self.rings).svg(decimals) if self.holes else self.outer.svg(decimals)

    def polygon(self, tolerance: float = FLATTEN) -> Polygon:
        """A shapely polygon of the flattened rings; not necessarily valid."""
        return Polygon(self.outer.flattened(tolerance), [hole.flattened(tolerance) for hole in self.holes])


def courses(paths: Bundle, tolerance: float = FLATTEN) -> NDArray[np.object_]:
    """Where each of some paths runs, as shapely lines (k,); a closed one ends where it begins."""
    points, begins = paths.flattened(tolerance)
    lines: NDArray[np.object_] = shapely.linestrings(points, indices=np.repeat(np.arange(len(paths)), np.diff(begins)))
    return lines


def polygons(geometry: BaseGeometry) -> list[Polygon]:
    """The polygons of any shapely geometry, lines and points left out, empties dropped."""
    if isinstance(geometry, Polygon):
        return [] if geometry.is_empty else [geometry]
    return [part for sub in getattr(geometry, "geoms", ()) for part in polygons(sub)]


def union(regions: Iterable[Region], tolerance: float = FLATTEN) -> MultiPolygon:
    """All regions as one valid area; self-crossing rings are read by the even-odd rule."""
    parts = [shapely.make_valid(region.polygon(tolerance)) for region in regions]
    return MultiPolygon(polygons(shapely.union_all(parts)))


def union_of_neighbours(regions: Iterable[Region]) -> MultiPolygon:
    """The same of regions that share sides, between which rounding must leave no sliver: on a grid of ``SLIVER`` mm."""
    parts = [shapely.make_valid(region.polygon()) for region in regions]
    return MultiPolygon(polygons(shapely.union_all(parts, grid_size=SLIVER)))


def distances_to_area(places: Points, area: BaseGeometry) -> NDArray[np.float64]:
    """How far places (n, 2) lie outside an area, mm, 0 within; by an index of its edges, however many they are."""
    shapely.prepare(area)
    off = np.zeros(len(places))
    outside = ~shapely.intersects_xy(area, places[:, 0], places[:, 1])
    if not outside.any():
        return off
    rings = [shapely.get_coordinates(ring) for part in polygons(area) for ring in (part.exterior, *part.interiors)]
    off[outside] = distances_to_lines(places[outside], rings)
    return off


def oriented_rings(polygon: Polygon) -> tuple[Points, list[Points]]:
    """Outer ring with positive and holes with negative shoelace area; last point not repeated."""
    return ring_points(polygon.exterior, outer=True), [ring_points(hole, outer=False) for hole in polygon.interiors]


def ring_points(ring: LinearRing, *, outer: bool) -> Points:
    """Points (n, 2) of a closed ring, wound as an outer ring or as a hole; last point not repeated."""
    points = shapely.get_coordinates(ring)[:-1]
    return np.ascontiguousarray(points if (shoelace(points) > 0) == outer else points[::-1])
