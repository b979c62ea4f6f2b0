"""Paths as one spline each: cubic, with every joint a knot three times over, so that each segment is a Bézier piece.

No weights: arcs become cubics, since few programs read rational splines truly.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry.paths import Path
from nibble_core.geometry.points import Points
from nibble_core.geometry.segments import CUBIC, LINE

FINER = 4.0  # a fourth of the deviation takes a quarter more pieces: it falls with the sixth power of their length


def controls_of(path: Path) -> Points:
    """Control points (3 k + 1, 2) of a path as a spline of k pieces; lines have theirs at thirds, arcs are followed
    within a quarter of ARC_CUBIC, so that reading back may be as strict as POSITION."""
    cubics = path.as_cubics(scale=FINER)
    rows = cubics.rows.copy()
    straight = cubics.kinds == LINE
    start, end = rows[straight, :2], rows[straight, 6:]
    rows[straight, 2:4], rows[straight, 4:6] = (2 * start + end) / 3, (start + 2 * end) / 3
    return np.vstack([rows[:1, :2], rows[:, 2:].reshape(-1, 2)])


def knots_of(controls: Points) -> NDArray[np.float64]:
    """3 k + 5 knots, 0 to k: both ends four times over, joints three times."""
    pieces = (len(controls) - 1) // 3
    return np.concatenate([[0], np.repeat(np.arange(pieces + 1), 3), [pieces]]).astype(float)


def path_of(controls: Points, *, closed: bool) -> Path:
    """The pieces of a spline as cubics. Raises ValueError for one that is made otherwise."""
    pieces = (len(controls) - 1) // 3
    if pieces < 1 or len(controls) != 3 * pieces + 1:
        raise ValueError("this spline is not made of Bézier pieces")
    rows = np.hstack([controls[0:-1:3], controls[1::3], controls[2::3], controls[3::3]])
    return Path(np.full(pieces, CUBIC, np.uint8), rows, closed)
