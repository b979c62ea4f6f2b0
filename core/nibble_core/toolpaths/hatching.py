"""Filling an area with parallel strokes: what a beam engraves line by line."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Affine, Bundle
from nibble_core.geometry.segments import LINE
from nibble_core.toolpaths.scan_kernels import row_crossings, snaked

PHASE = 0.5  # of an interval: rows lie midway, so that a band as wide as the interval has one


def hatched(area: BaseGeometry, interval: float, *, angle: float = 0.0, one_way: bool = False) -> Bundle:
    """Open strokes of two points, ``interval`` mm apart, over a polygonal area by the even-odd rule of its rings.

    angle: degrees that the strokes are turned, clockwise on screen. Rows stand at fixed places of the plane, so that
    areas beside each other share them; every other row runs backward unless ``one_way``.
    """
    back = Affine.rotation(-angle)
    starts, ends = edges_of(area)
    if not len(starts):
        return Bundle.of(())
    if angle:
        starts, ends = back.map(starts), back.map(ends)
    xs, begins, first = row_crossings(starts, ends, interval, PHASE)
    strokes = snaked(xs, begins, first, interval, PHASE, one_way)
    if angle:
        strokes = back.inverse().map(strokes.reshape(-1, 2)).reshape(-1, 4)
    return as_strokes(strokes)


def edges_of(area: BaseGeometry) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Starts and ends, (n, 2) each, of all edges of all rings."""
    rings = shapely.get_rings(shapely.get_parts(area))
    points, of = shapely.get_coordinates(rings, return_index=True)
    same = of[1:] == of[:-1]
    return np.ascontiguousarray(points[:-1][same]), np.ascontiguousarray(points[1:][same])


def as_strokes(strokes: NDArray[np.float64]) -> Bundle:
    """Straight lines (n, 4) as paths of one segment each."""
    rows = np.zeros((len(strokes), 8))
    rows[:, :2], rows[:, 6:] = strokes[:, :2], strokes[:, 2:]
    count = len(strokes)
    return Bundle(np.full(count, LINE, np.uint8), rows, np.arange(count + 1), np.zeros(count, bool))
