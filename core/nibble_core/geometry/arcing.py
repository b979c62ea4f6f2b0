"""Curves as lines and circular arcs only, for formats and machines that know nothing else."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry.bundle import Bundle
from nibble_core.geometry.fitting import densified
from nibble_core.geometry.kernels import furthest
from nibble_core.geometry.paths import Path
from nibble_core.geometry.points import Points
from nibble_core.geometry.segments import ARC, CUBIC, LINE, evaluate

ARC_TOLERANCE = 0.005
"""mm: a cubic becomes arcs within this."""

SINGLE_ARC = 0.001
"""mm: a cubic that one arc describes so well is one."""

_LOOKED_AT = np.linspace(0, 1, 13)[1:-1]


def arced(paths: Bundle) -> Bundle:
    """Lines and arcs only."""
    if not (paths.kinds == CUBIC).any():
        return paths.with_short_arcs()
    return Bundle.of(_of_bulges(np.array(bulges(path)), path.closed) for path in paths).with_short_arcs()


def single_arcs(paths: Bundle) -> Bundle:
    """Paths whose every cubic is described by one line or one arc within SINGLE_ARC, in such; a path with a freer curve
    stays as it is, since a format that holds it as a spline would turn the arcs back into other cubics."""
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
    straight = np.abs(across).max(1) <= SINGLE_ARC
    top = across[:, len(_LOOKED_AT) // 2]
    bulge = np.where(straight, 0.0, -2 * top / long)  # height of the arc over half its chord
    made, bent = of_bulges(start, end, bulge)
    radius = np.hypot(*(bent[:, :2] - bent[:, 2:4]).T)
    off = np.abs(np.hypot(*np.moveaxis(looked - bent[:, None, 2:4], 2, 0)) - radius[:, None]).max(1)
    onward = (np.diff(along, axis=1, prepend=0.0) > 0).all(1) & (np.abs(bulge) < 0.5)
    taken = onward & (straight | (off <= SINGLE_ARC))
    path_of = np.searchsorted(paths.offsets, cubic, side="right") - 1
    taken &= ~np.isin(path_of, path_of[~taken])
    new_kinds, new_rows = paths.kinds.copy(), paths.rows.copy()
    new_kinds[cubic[taken]], new_rows[cubic[taken]] = made[taken], bent[taken]
    return Bundle(new_kinds, new_rows, paths.offsets, paths.closed)


def _of_bulges(vertices: NDArray[np.float64], closed: bool) -> Path:
    points, bulge = vertices[:, :2], vertices[:, 2]
    ends = np.roll(points, -1, 0) if closed else points[1:]
    starts, bulge = (points, bulge) if closed else (points[:-1], bulge[:-1])
    kinds, rows = of_bulges(starts, ends, bulge)
    return Path(kinds, rows, closed)


def of_bulges(
    starts: Points, ends: Points, bulge: NDArray[np.float64]
) -> tuple[NDArray[np.uint8], NDArray[np.float64]]:
    """Lines, and arcs where there is a bulge: the tangent of a quarter of the sweep."""
    rows = np.zeros((len(starts), 8))
    rows[:, :2], rows[:, 6:] = starts, ends
    arcs = bulge != 0
    chord, b = ends[arcs] - starts[arcs], bulge[arcs]
    across = np.stack([-chord[:, 1], chord[:, 0]], 1)
    rows[arcs, 2:4] = (starts[arcs] + ends[arcs]) / 2 + across * ((1 - b * b) / (4 * b))[:, None]
    rows[arcs, 4] = 4 * np.arctan(b)
    return np.where(arcs, ARC, LINE).astype(np.uint8), rows


def bulges(path: Path) -> list[tuple[float, float, float]]:
    """Vertices x, y and the bulge of the segment that follows each (tangent of a quarter of its sweep)."""
    points: list[tuple[float, float, float]] = []
    for kind, row in zip(path.kinds, path.rows, strict=True):
        if kind == ARC:
            pieces = 2 if abs(row[4]) > math.pi else 1  # a bulge beyond a half turn loses its digits
            spoke, step = row[:2] - row[2:4], row[4] / pieces
            for k in range(pieces):
                c, s = math.cos(k * step), math.sin(k * step)
                x, y = row[2] + spoke[0] * c - spoke[1] * s, row[3] + spoke[0] * s + spoke[1] * c
                points.append((float(x), float(y), math.tan(step / 4)))
        elif kind == CUBIC:
            points += _arcs_of_cubic(row)
        else:
            points.append((float(row[0]), float(row[1]), 0.0))
    if not path.closed:
        points.append((float(path.rows[-1, 6]), float(path.rows[-1, 7]), 0.0))
    return points


def _arcs_of_cubic(row: np.ndarray) -> list[tuple[float, float, float]]:
    dense = Path(np.array([CUBIC], np.uint8), row[None].copy(), closed=False).flattened(ARC_TOLERANCE / 8)
    samples = densified(dense, max(0.02, float(np.hypot(*(row[6:] - row[:2]))) / 40))
    points: list[tuple[float, float, float]] = []
    at, last, arc = 0, len(samples) - 1, np.empty(8)
    while at < last:
        by_line = furthest(samples, at, ARC_TOLERANCE / 2, False, arc)
        by_arc = furthest(samples, at, 0.8 * ARC_TOLERANCE, True, arc)
        curved = by_arc > by_line and by_arc - at > 3
        points.append((float(samples[at, 0]), float(samples[at, 1]), math.tan(arc[4] / 4) if curved else 0.0))
        at = by_arc if curved else by_line
    return points
