"""The iso-line of a grey picture at a level, with sub-pixel places."""

from __future__ import annotations

import itertools

import numpy as np

from nibble_core.geometry import Points
from nibble_core.graphics import Grey
from nibble_core.tracing.kernels import march, settled


def iso_rings(grey: Grey, level: float, *, smallest_area: float = 2.0) -> list[Points]:
    """Closed rings round everything darker than ``level``; the picture is taken to lie on white.

    Points are in pixels, shape (n, 2): the sample of pixel (row, column) sits at (column + 0.5, row + 0.5).
    Outer rings have positive area, holes negative. Rings enclosing under ``smallest_area`` px² are left out.
    """
    framed = np.full((grey.shape[0] + 2, grey.shape[1] + 2), max(1.0, float(level) + 0.5), np.float32)
    framed[1:-1, 1:-1] = grey
    inside = framed < np.float32(level)
    entered = np.zeros_like(inside)  # entering from the left, seen row by row; the last row has no cell below it
    np.greater(inside[:-1, 1:], inside[:-1, :-1], out=entered[:-1, :-1])
    points, offsets = march(framed, np.float32(level), np.flatnonzero(entered))
    points, offsets = settled(points, offsets, framed, np.float32(level))
    points -= 0.5
    rings = [points[a:b][::-1] for a, b in itertools.pairwise(offsets)]
    return [np.ascontiguousarray(ring) for ring in rings if abs(ring_area(ring)) >= smallest_area]


def ring_area(ring: Points) -> float:
    """Signed shoelace area, positive for outer rings with y down."""
    x, y = (ring - ring[0]).T
    return float(0.5 * (x @ np.roll(y, -1) - y @ np.roll(x, -1)))
