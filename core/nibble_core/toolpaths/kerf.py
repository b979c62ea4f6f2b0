"""Kerf: a beam takes away a strip as wide as itself, so that its middle runs half of it to the waste side of a line.

Which side is waste follows from how deep a ring lies in others: outside an outline, inside a hole, outside an island
in a hole, and so on; or it is said.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon, Polygon

from nibble_core.errors import NothingToCut
from nibble_core.geometry import Path, Region
from nibble_core.geometry.regions import polygons
from nibble_core.lines.contour import contour_area, fitted

CIRCLE = 1e-6  # mm that spokes of a circle may differ by


@dataclass(frozen=True, eq=False)
class Compensated:
    """One ring as its beam runs. outward: 1 where the waste lies outside, -1 inside. lost: whether it is too narrow
    for the kerf and is followed as it is."""

    path: Path
    outward: int
    depth: int
    lost: bool = False


AsRegions = Callable[[MultiPolygon], list[Region]]


def compensated(
    rings: Sequence[Path], kerf: float, side: str = "by its depth", *, as_regions: AsRegions = fitted
) -> list[Compensated]:
    """Closed rings moved half a ``kerf``, mm, to their waste side, in their order. as_regions: makes rings of areas."""
    found = []
    for ring, depth in zip(rings, depths(rings).tolist(), strict=True):
        outward = {"outside": 1, "inside": -1}.get(side, 1 if depth % 2 == 0 else -1)
        by = 0.0 if side == "on the line" else outward * kerf / 2
        moved = moved_ring(ring, by, as_regions) if by else ring
        found.append(Compensated(moved or ring, outward, depth, lost=moved is None))
    return found


def depths(rings: Sequence[Path]) -> NDArray[np.int64]:
    """How many of the others each closed ring lies in, (n,)."""
    count = np.zeros(len(rings), np.int64)
    if len(rings) < 2:
        return count
    inner, _ = nested(rings)
    np.add.at(count, inner, 1)
    return count


def nested(rings: Sequence[Path]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Pairs of numbers of closed rings: one that lies in another."""
    solids = np.array([shapely.make_valid(Polygon(ring.flattened(0.05))) for ring in rings])
    areas = shapely.area(solids)
    places = shapely.point_on_surface(solids)
    inner, outer = shapely.STRtree(solids).query(places, predicate="within")
    real = (inner != outer) & (areas[outer] > areas[inner])
    return inner[real], outer[real]


def moved_ring(ring: Path, by: float, as_regions: AsRegions = fitted) -> Path | None:
    """A closed ring moved outward by so many mm, inward where negative; None when nothing of it is left. One that
    falls into parts keeps the largest."""
    circle = _circle_moved(ring, by)
    if circle is not None:
        return circle if circle.rows[0, 0] > circle.rows[0, 2] + CIRCLE else None
    solid = MultiPolygon(polygons(shapely.make_valid(Polygon(ring.flattened()))))
    try:
        area = contour_area(solid, by).area
    except NothingToCut:
        return None
    outers = [region.outer for region in as_regions(area)]
    best = max(outers, key=lambda one: one.area())
    return best if ring.area() > 0 else best.reversed()


def _circle_moved(ring: Path, by: float) -> Path | None:
    """A whole circle, exactly; None for another ring. What would vanish has no radius."""
    if not (ring.kinds == 1).all():
        return None
    centre, radius = ring.rows[0, 2:4], float(np.hypot(*(ring.rows[0, :2] - ring.rows[0, 2:4])))
    spokes = np.hypot(*(ring.rows[:, :2] - centre).T)
    if np.abs(ring.rows[:, 2:4] - centre).max() > CIRCLE or np.abs(spokes - radius).max() > CIRCLE:
        return None
    circle = Path.circle(float(centre[0]), float(centre[1]), max(radius + by, 0.0))
    return circle if ring.rows[0, 4] > 0 else circle.reversed()
