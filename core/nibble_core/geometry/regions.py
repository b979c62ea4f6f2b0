"""Regions: areas with an outer ring and holes, and their polygon form for set operations."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry.paths import Path
from nibble_core.geometry.points import Affine, Box, Points
from nibble_core.geometry.tolerances import FLATTEN


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
        return "".join(ring.svg(decimals) for ring in self.rings)

    def polygon(self, tolerance: float = FLATTEN) -> Polygon:
        """A shapely polygon of the flattened rings; not necessarily valid."""
        return Polygon(self.outer.flattened(tolerance), [hole.flattened(tolerance) for hole in self.holes])


def polygons(geometry: BaseGeometry) -> list[Polygon]:
    """The polygons of any shapely geometry, lines and points left out, empties dropped."""
    if isinstance(geometry, Polygon):
        return [] if geometry.is_empty else [geometry]
    return [part for sub in getattr(geometry, "geoms", ()) for part in polygons(sub)]


def union(regions: Iterable[Region], tolerance: float = FLATTEN) -> MultiPolygon:
    """All regions as one valid area; self-crossing rings are read by the even-odd rule."""
    parts = [shapely.make_valid(region.polygon(tolerance)) for region in regions]
    return MultiPolygon(polygons(shapely.union_all(parts)))


def oriented_rings(polygon: Polygon) -> tuple[Points, list[Points]]:
    """Outer ring with positive and holes with negative shoelace area; last point not repeated."""
    outer, holes = polygon.exterior, polygon.interiors
    points = lambda ring, ccw: np.asarray(ring.coords if ring.is_ccw == ccw else ring.coords[::-1])[:-1]  # noqa: E731
    return points(outer, True), [points(hole, False) for hole in holes]
