"""Contours and a fill rule to regions, as every drawing format means them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry import Polygon

from nibble_core.geometry import LINE, Path, Points, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.points import shoelace
from nibble_core.geometry.regions import polygons
from nibble_core.geometry.tolerances import FLATTEN

FINEST = 1e-9  # mm²: less area than this is none
PARTS = 20_000  # a drawing's size over its flattening tolerance, at least


def filled_regions(contours: Sequence[Path], *, even_odd: bool) -> list[Region]:
    """The areas that contours enclose, closed where they are open, by the even-odd or the non-zero rule.

    Curves stay as they are where no contours touch; where they cross, the areas are cut at the crossings and fitted
    again within the tolerance of ``refit_polygon``.
    """
    closed = [closed_path(contour) for contour in contours if len(contour)]
    if not closed:
        return []
    size = max(max(box.width, box.height) for box in (c.bounds() for c in closed))
    tolerance = max(FLATTEN, size / PARTS / 10)
    dense = [contour.flattened(tolerance) for contour in closed]
    sound = [k for k, points in enumerate(dense) if len(points) >= 3 and abs(shoelace(points)) > FINEST]
    closed, dense = [closed[k] for k in sound], [dense[k] for k in sound]
    if not closed:
        return []
    rings = np.array([shapely.LinearRing(points) for points in dense])
    if bool(shapely.is_simple(rings).all()) and not _touching(rings):
        return _nested(closed, dense, even_odd)
    return [refit_polygon(polygon) for polygon in _cut(dense, even_odd) if polygon.area > FINEST]


def closed_path(path: Path) -> Path:
    """The path, led back to its start if it is open."""
    if path.closed:
        return path
    start, end = path.rows[0, :2], path.rows[-1, 6:]
    if np.hypot(*(end - start)) < 1e-9:
        return Path(path.kinds, path.rows)
    back = np.array([[*end, 0, 0, 0, 0, *start]])
    return Path(np.append(path.kinds, np.uint8(LINE)), np.vstack([path.rows, back]))


def _touching(rings: np.ndarray) -> bool:
    if len(rings) < 2:
        return False
    one, other = shapely.STRtree(rings).query(rings, predicate="intersects")
    return bool((one < other).any())


def _nested(closed: Sequence[Path], dense: Sequence[Points], even_odd: bool) -> list[Region]:
    """Contours that do not touch: each is an edge of the area if filling changes across it."""
    areas = np.array([shoelace(points) for points in dense])
    order = np.argsort(-np.abs(areas))
    parents = _parents(dense, areas)
    winding: dict[int, int] = {-1: 0}
    owner: dict[int, int] = {-1: -1}  # the outer contour whose area one is within
    outers: dict[int, list[int]] = {}

    def filled(count: int) -> bool:
        return count % 2 == 1 if even_odd else count != 0

    for k in (int(k) for k in order):
        parent = parents[k]
        before = winding[parent]
        winding[k] = before + (1 if even_odd or areas[k] > 0 else -1)
        owner[k] = owner[parent]
        if filled(winding[k]) and not filled(before):
            outers[k] = []
            owner[k] = k
        elif filled(before) and not filled(winding[k]):
            outers[owner[parent]].append(k)
            owner[k] = -1
    return [
        Region(_wound(closed[k], areas[k], 1), tuple(_wound(closed[h], areas[h], -1) for h in holes))
        for k, holes in outers.items()
    ]


def _parents(dense: Sequence[Points], areas: np.ndarray) -> list[int]:
    """The smallest contour round each, -1 for none."""
    if len(dense) == 1:
        return [-1]
    solids = [Polygon(points) for points in dense]
    tree = shapely.STRtree(solids)
    parents = [-1] * len(dense)
    for inner, outer in zip(
        *tree.query(shapely.points([points[0] for points in dense]), predicate="within"), strict=True
    ):
        if inner == outer or abs(areas[outer]) <= abs(areas[inner]):
            continue
        if parents[inner] < 0 or abs(areas[outer]) < abs(areas[parents[inner]]):
            parents[int(inner)] = int(outer)
    return parents


def _wound(path: Path, area: float, way: int) -> Path:
    return path if area * way > 0 else path.reversed()


def _cut(dense: Sequence[Points], even_odd: bool) -> list[Polygon]:
    """Faces between crossing contours, those that the rule fills, joined again."""
    lines = shapely.union_all([shapely.LineString(np.vstack([p, p[:1]])) for p in dense])
    faces = polygons(shapely.polygonize([lines]))
    if not faces:
        return []
    inside = shapely.get_coordinates(shapely.point_on_surface(np.array(faces)))
    winding = np.zeros(len(faces), np.int64)
    for points in dense:
        winding += _winding(points, inside)
    keep = winding % 2 == 1 if even_odd else winding != 0
    return polygons(shapely.union_all([face for face, kept in zip(faces, keep, strict=True) if kept]))


def _winding(ring: Points, places: Points) -> np.ndarray:
    """How often a closed ring goes round each place (n, 2), signed."""
    total = np.zeros(len(places), np.int64)
    a, b = ring, np.roll(ring, -1, 0)
    block = max(1, 4_000_000 // max(len(ring), 1))
    for start in range(0, len(places), block):
        x, y = places[start : start + block, :1], places[start : start + block, 1:]
        side = (b[:, 0] - a[:, 0]) * (y - a[:, 1]) - (x - a[:, 0]) * (b[:, 1] - a[:, 1])
        up = (a[:, 1] <= y) & (b[:, 1] > y) & (side > 0)
        down = (a[:, 1] > y) & (b[:, 1] <= y) & (side < 0)
        total[start : start + block] = up.sum(1) - down.sum(1)
    return total
