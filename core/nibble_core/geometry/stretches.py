"""Parts of paths: the place on a path nearest to a point, and a closed path with a stretch of it replaced."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from nibble_core.geometry.paths import Path
from nibble_core.geometry.points import Points
from nibble_core.geometry.segments import ARC, CUBIC, evaluate

SAMPLES = 48
TRIES = 11  # parameters looked at together when a place is closed in on
EXACT = 1e-9


class OnPath(NamedTuple):
    """A place on a path: segment index, parameter 0 to 1, and how far the point it was sought for lies off."""

    segment: int
    t: float
    off: float


def nearest_on(path: Path, point: tuple[float, float]) -> OnPath:
    """The place on a path nearest to a point, to about 1e-9 of a segment."""
    t = np.linspace(0, 1, SAMPLES + 1)
    of = np.repeat(np.arange(len(path)), SAMPLES + 1)
    places = evaluate(path.kinds[of], path.rows[of], np.tile(t, len(path))).reshape(len(path), SAMPLES + 1, 2)
    off = np.hypot(*np.moveaxis(places - point, -1, 0))
    nearest = off.min(1)
    # samples of another segment may lie nearer than those of the right one: all that could win are looked at closely
    between = np.hypot(*np.moveaxis(np.diff(places, axis=1), -1, 0)).max(1)
    likely = np.nonzero(nearest - between <= nearest.min())[0]
    return min((_closer(path, int(k), float(t[int(np.argmin(off[k]))]), point) for k in likely), key=lambda o: o.off)


def _closer(path: Path, segment: int, at: float, point: tuple[float, float]) -> OnPath:
    """The nearest place of one segment, from a parameter near it."""
    kinds, rows = np.repeat(path.kinds[segment], TRIES), np.repeat(path.rows[segment : segment + 1], TRIES, 0)
    width = 1 / SAMPLES
    while True:
        tries = np.clip(np.linspace(at - width, at + width, TRIES), 0, 1)
        off = np.hypot(*(evaluate(kinds, rows, tries) - point).T)
        best = int(np.argmin(off))
        at, width = float(tries[best]), width * 2.5 / (TRIES - 1)
        if width < EXACT:
            return OnPath(segment, at, float(off[best]))


def split_row(kind: int, row: np.ndarray, t: float) -> tuple[np.ndarray, np.ndarray]:
    """One segment cut at a parameter (cubics by de Casteljau)."""
    first, second = row.copy(), row.copy()
    place = evaluate(np.array([kind], np.uint8), row[None], np.array([t]))[0]
    if kind == CUBIC:
        p = row.reshape(4, 2)
        a, b, c = p[:-1] + (p[1:] - p[:-1]) * t
        d, e = a + (b - a) * t, b + (c - b) * t
        first, second = np.concatenate([p[0], a, d, place]), np.concatenate([place, e, c, p[3]])
    else:
        first[6:], second[:2] = place, place
        if kind == ARC:
            first[4], second[4] = row[4] * t, row[4] * (1 - t)
    return first, second


def stretch(path: Path, start: OnPath, end: OnPath) -> Path:
    """The part of a closed path from one place forward to another."""
    kinds: list[int] = []
    rows: list[np.ndarray] = []
    count = len(path)
    ahead = (end.segment - start.segment) % count
    if ahead == 0 and end.t <= start.t:
        ahead = count
    for k in range(ahead + 1):
        index = (start.segment + k) % count
        kind, row = int(path.kinds[index]), path.rows[index]
        low, high = (start.t if k == 0 else 0.0), (end.t if k == ahead else 1.0)
        if high - low < 1e-9:
            continue
        if high < 1:
            row = split_row(kind, row, high)[0]
        if low > 0:
            row = split_row(kind, row, low / high)[1]
        kinds.append(kind)
        rows.append(row)
    return Path(np.array(kinds, np.uint8), np.array(rows).reshape(-1, 8), closed=False)


def replaced(path: Path, start: OnPath, end: OnPath, by: Path) -> Path:
    """A closed path whose part from ``start`` forward to ``end`` is the open path ``by`` instead."""
    rest = stretch(path, end, start)
    rows = np.vstack([by.rows, rest.rows])
    kinds = np.concatenate([by.kinds, rest.kinds])
    rows[len(by) - 1, 6:] = rest.rows[0, :2]
    rows[-1, 6:] = by.rows[0, :2]
    return Path(kinds, rows)


def shorter_way(path: Path, one: OnPath, other: OnPath) -> tuple[OnPath, OnPath]:
    """The two places in the order in which the way between them along the closed path is the shorter."""
    there, back = stretch(path, one, other), stretch(path, other, one)
    return (one, other) if there.length() <= back.length() else (other, one)


def ellipse(centre: tuple[float, float], semi_axes: tuple[float, float], turn: float, scale: float = 1.0) -> Path:
    """An ellipse of cubics, four unless it is large; ``turn`` in radians from the x axis to the first semi-axis;
    ``scale``: mm to one of its units."""
    c, s = math.cos(turn), math.sin(turn)
    from_circle = np.array([[semi_axes[0] * c, semi_axes[0] * s], [-semi_axes[1] * s, semi_axes[1] * c]])
    plain = Path.circle(0, 0, 1).as_cubics(scale=scale * max(semi_axes))
    rows = (plain.rows.reshape(-1, 4, 2) @ from_circle + np.array(centre)).reshape(-1, 8)
    return Path(plain.kinds, rows)


def moments(points: Points) -> tuple[tuple[float, float], tuple[float, float], float]:
    """Centre, semi-axes and turn of the ellipse with the area moments of a closed polyline (n, 2)."""
    shift = points.mean(0)
    x, y = (points - shift).T
    x1, y1 = np.roll(x, -1), np.roll(y, -1)
    cross = x * y1 - x1 * y
    area = cross.sum() / 2
    cx, cy = ((x + x1) * cross).sum() / (6 * area), ((y + y1) * cross).sum() / (6 * area)
    xx = ((x * x + x * x1 + x1 * x1) * cross).sum() / (12 * area) - cx * cx
    yy = ((y * y + y * y1 + y1 * y1) * cross).sum() / (12 * area) - cy * cy
    xy = ((x * y1 + 2 * x * y + 2 * x1 * y1 + x1 * y) * cross).sum() / (24 * area) - cx * cy
    values, vectors = np.linalg.eigh(np.array([[xx, xy], [xy, yy]]))
    large, small = 2 * math.sqrt(max(values[1], 0)), 2 * math.sqrt(max(values[0], 0))
    return (float(cx + shift[0]), float(cy + shift[1])), (large, small), math.atan2(vectors[1, 1], vectors[0, 1])
