"""Along a path: places by arc length, and the exact stretches between them."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry.paths import Path
from nibble_core.geometry.points import Points
from nibble_core.geometry.segments import CUBIC, LINE, evaluate
from nibble_core.geometry.stretches import OnPath, stretch

_GAUSS_T, _GAUSS_W = (0.5 * (np.polynomial.legendre.leggauss(24)[0] + 1), 0.5 * np.polynomial.legendre.leggauss(24)[1])


class Along:
    """A path measured by its length. ``ends``: arc length at the end of each segment; ``length``: of all, mm."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._lengths = _lengths(path)
        self.ends: NDArray[np.float64] = np.cumsum(self._lengths)
        self.length = float(self.ends[-1])

    def at(self, s: float) -> OnPath:
        """The place at arc length ``s``; a closed path is walked round and round."""
        if self.path.closed:
            s %= self.length
        k = min(int(np.searchsorted(self.ends, s, side="right")), len(self.path) - 1)
        rest = s - (float(self.ends[k - 1]) if k else 0.0)
        own = float(self._lengths[k])
        t = rest / own if own > 0 else 0.0
        if self.path.kinds[k] == CUBIC:
            for _ in range(8):  # Newton on the length of the part up to t
                part, speed = _cubic_length(self.path.rows[k], t), _speed(self.path.rows[k], t)
                step = (part - rest) / max(speed, 1e-12)
                t = min(max(t - step, 0.0), 1.0)
                if abs(step) < 1e-13:
                    break
        return OnPath(k, min(max(t, 0.0), 1.0), 0.0)

    def of(self, place: OnPath) -> float:
        """The arc length at a place."""
        before = float(self.ends[place.segment - 1]) if place.segment else 0.0
        if self.path.kinds[place.segment] == CUBIC:
            return before + _cubic_length(self.path.rows[place.segment], place.t)
        return before + place.t * float(self._lengths[place.segment])

    def point(self, s: float) -> tuple[float, float]:
        """The point at arc length ``s``."""
        x, y = self.points(np.array([s]))[0].tolist()
        return x, y

    def points(self, s: NDArray[np.float64]) -> Points:
        """The points at arc lengths, (n, 2)."""
        places = [self.at(one) for one in s.tolist()]
        k = [one.segment for one in places]
        return evaluate(self.path.kinds[k], self.path.rows[k], np.array([one.t for one in places]))

    def between(self, start: float, end: float) -> Path:
        """The stretch from one arc length forward to another, as an open path of exact parts of its segments."""
        return stretch(self.path, self.at(start), self.at(end))


def _lengths(path: Path) -> NDArray[np.float64]:
    rows = path.rows
    lengths: NDArray[np.float64] = np.hypot(*(rows[:, 6:] - rows[:, :2]).T)
    arcs = path.kinds == 1
    lengths[arcs] = np.hypot(*(rows[arcs, :2] - rows[arcs, 2:4]).T) * np.abs(rows[arcs, 4])
    for k in np.nonzero(path.kinds == CUBIC)[0]:
        lengths[k] = _cubic_length(rows[k], 1.0)
    return lengths


def _cubic_length(row: NDArray[np.float64], t: float) -> float:
    """Length of the part up to ``t`` by Gauss-Legendre of 24 points on each half (1e-12 of it for mild cubics)."""
    total = 0.0
    for low, high in ((0.0, t / 2), (t / 2, t)):
        at = low + (high - low) * _GAUSS_T
        total += (high - low) * float(_GAUSS_W @ _speeds(row, at))
    return total


def _speeds(row: NDArray[np.float64], t: NDArray[np.float64]) -> NDArray[np.float64]:
    p = row.reshape(4, 2)
    d = 3 * (p[1:] - p[:-1])
    u = 1 - t
    v = (u * u)[:, None] * d[0] + (2 * u * t)[:, None] * d[1] + (t * t)[:, None] * d[2]
    return np.asarray(np.hypot(v[:, 0], v[:, 1]))


def _speed(row: NDArray[np.float64], t: float) -> float:
    return float(_speeds(row, np.array([t]))[0])


def corner_places(path: Path, angle: float) -> NDArray[np.float64]:
    """Arc lengths of the nodes at which a path turns by more than ``angle`` radians, to either side."""
    turn = _turns(path)
    return np.asarray(np.cumsum(_lengths(path))[: len(turn)][np.abs(turn) > angle])


def corner_nodes(path: Path, angle: float) -> list[tuple[float, float]]:
    """Nodes at which a path turns by more than ``angle`` radians to its right (positive) or its left (negative): a
    negative angle finds the inside corners of the area that a ring encloses."""
    turn = _turns(path)
    sharp = turn > angle if angle > 0 else turn < angle
    return [(float(x), float(y)) for x, y in path.rows[: len(turn), 6:][sharp]]


def _turns(path: Path) -> NDArray[np.float64]:
    """Turn at the end of each segment that another one follows."""
    from_rows, to_rows = (path.rows, np.roll(path.rows, -1, 0)) if path.closed else (path.rows[:-1], path.rows[1:])
    kinds, next_kinds = (path.kinds, np.roll(path.kinds, -1)) if path.closed else (path.kinds[:-1], path.kinds[1:])
    out, into = _directions(kinds, from_rows, at_end=True), _directions(next_kinds, to_rows, at_end=False)
    return np.asarray(np.arctan2(out[:, 0] * into[:, 1] - out[:, 1] * into[:, 0], (out * into).sum(1)))


def _directions(kinds: NDArray[np.uint8], rows: NDArray[np.float64], *, at_end: bool) -> Points:
    """Directions of travel at the starts or ends of segments."""
    if at_end:
        cubic = rows[:, 6:] - rows[:, 4:6]
        short = np.hypot(*cubic.T) < 1e-9
        cubic[short] = (rows[:, 6:] - rows[:, 2:4])[short]
        spoke = rows[:, 6:] - rows[:, 2:4]
    else:
        cubic = rows[:, 2:4] - rows[:, :2]
        short = np.hypot(*cubic.T) < 1e-9
        cubic[short] = (rows[:, 4:6] - rows[:, :2])[short]
        spoke = rows[:, :2] - rows[:, 2:4]
    way = np.sign(rows[:, 4])[:, None]
    arc = np.stack([-spoke[:, 1], spoke[:, 0]], 1) * way
    chord = rows[:, 6:] - rows[:, :2]
    kind = kinds[:, None]
    return np.asarray(np.where(kind == LINE, chord, np.where(kind == CUBIC, cubic, arc)))


CORNER = math.radians(25)
"""What counts as a corner where ties and dashes are set."""
