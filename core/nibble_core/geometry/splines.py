"""Paths as one spline each: cubic, with every joint a knot three times over, so that each segment is a Bézier piece.

No weights: arcs become cubics, since few programs read rational splines truly.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry.arcing import of_bulges
from nibble_core.geometry.bundle import Bundle
from nibble_core.geometry.paths import Path
from nibble_core.geometry.points import Points
from nibble_core.geometry.segments import CUBIC, LINE, evaluate

_LOOKED_AT = np.linspace(0, 1, 13)[1:-1]


def controls_of(path: Path) -> Points:
    """Control points (3 k + 1, 2) of a path as a spline of k pieces; lines have theirs at thirds."""
    cubics = path.as_cubics()
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


def single_arcs(paths: Bundle, tolerance: float) -> Bundle:
    """Cubics that one line or one arc describes within ``tolerance`` mm as such; what is freer stays as it is."""
    cubic = np.nonzero(paths.kinds == CUBIC)[0]
    if not len(cubic):
        return paths
    rows = paths.rows[cubic]
    start, end = rows[:, :2], rows[:, 6:]
    chord = end - start
    long = np.maximum(np.hypot(*chord.T), 1e-12)
    kinds = np.full(len(cubic), CUBIC, np.uint8)
    looked = np.stack([evaluate(kinds, rows, np.full(len(rows), t)) for t in _LOOKED_AT], 1)
    across = ((looked - start[:, None]) * np.stack([-chord[:, 1], chord[:, 0]], 1)[:, None]).sum(2) / long[:, None]
    along = ((looked - start[:, None]) * chord[:, None]).sum(2) / long[:, None]
    straight = np.abs(across).max(1) <= tolerance
    top = across[:, len(_LOOKED_AT) // 2]
    bulge = np.where(straight, 0.0, -2 * top / long)  # height of the arc over half its chord
    made, bent = of_bulges(start, end, bulge)
    radius = np.hypot(*(bent[:, :2] - bent[:, 2:4]).T)
    off = np.abs(np.hypot(*np.moveaxis(looked - bent[:, None, 2:4], 2, 0)) - radius[:, None]).max(1)
    onward = (np.diff(along, axis=1, prepend=0.0) > 0).all(1) & (np.abs(bulge) < 0.5)
    taken = onward & (straight | (off <= tolerance))
    new_kinds, new_rows = paths.kinds.copy(), paths.rows.copy()
    new_kinds[cubic[taken]], new_rows[cubic[taken]] = made[taken], bent[taken]
    return Bundle(new_kinds, new_rows, paths.offsets, paths.closed)
