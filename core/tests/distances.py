"""Distances of very many places from lines of very many corners, exact: each is held against what is near."""

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry


def from_lines(places: np.ndarray, lines: BaseGeometry) -> np.ndarray:
    """How far each of some places (n, 2) lies from the nearest of some lines or rings, (n,)."""
    sides = []
    for line in getattr(lines, "geoms", [lines]):
        corners = shapely.get_coordinates(line)
        sides.append(np.stack([corners[:-1], corners[1:]], axis=1))
    tree = shapely.STRtree(shapely.linestrings(np.concatenate(sides)))
    _, far = tree.query_nearest(shapely.points(places), return_distance=True, all_matches=False)
    return np.asarray(far)
