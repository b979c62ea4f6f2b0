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
        segment, t = self._places(np.array([s]))
        return OnPath(int(segment[0]), float(t[0]), 0.0)

    def of(self, place: OnPath) -> float:
        """The arc length at a place."""
        before = float(self.ends[place.segment - 1]) if place.segment else 0.0
        if self.path.kinds[place.segment] == CUBIC:
            return before + float(_cubic_lengths(self.path.rows[[place.segment]], np.array([place.t]))[0])
        return before + place.t * float(self._lengths[place.segment])

    def points(self, s: NDArray[np.float64]) -> Points:
        """The points at arc lengths, (n, 2)."""
        segment, t = self._places(s)
        return evaluate(self.path.kinds[segment], self.path.rows[segment], t)

    def _places(self, s: NDArray[np.float64]) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        """Segments and parameters at arc lengths, (n,)."""
        if self.path.closed:
            s = s % self.length
        k = np.minimum(np.searchsorted(self.ends, s, side="right"), len(self.path) - 1)
        rest, own = s - np.where(k > 0, self.ends[k - 1], 0.0), self._lengths[k]
        t = np.clip(np.divide(rest, own, out=np.zeros(len(s)), where=own > 0), 0.0, 1.0)
        curved = np.nonzero(self.path.kinds[k] == CUBIC)[0]
        rows, wanted, at = self.path.rows[k[curved]], rest[curved], t[curved]
        for _ in range(8 if len(curved) else 0):  # Newton on the length of the part up to t
            step = (_cubic_lengths(rows, at) - wanted) / np.maximum(_speeds(rows, at[:, None])[:, 0], 1e-12)
            at = np.clip(at - step, 0.0, 1.0)
            if np.abs(step).max() < 1e-13:
                break
        t[curved] = at
        return k, t

    def between(self, start: float, end: float) -> Path:
        """The stretch from one arc length forward to another, as an open path of exact parts of its segments."""
        (made,) = self.stretches(np.array([start]), np.array([end]))
        return made

    def stretches(self, starts: NDArray[np.float64], ends: NDArray[np.float64]) -> list[Path]:
        """Likewise of several, (n,) each."""
        segment, t = (one.tolist() for one in self._places(np.concatenate([starts, ends])))
        at = [OnPath(*one, 0.0) for one in zip(segment, t, strict=True)]
        return [stretch(self.path, *ends) for ends in zip(at[: len(starts)], at[len(starts) :], strict=True)]

    def off_corners(self, s: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far places of a ring lie from its nearest corner along it; its whole length where it has none."""
        corners = corner_places(self.path, CORNER)
        if not len(corners):
            return np.full(s.shape, self.length)
        round_it = np.concatenate([corners[-1:] - self.length, corners, corners[:1] + self.length])
        at = s % self.length
        k = np.searchsorted(round_it, at, side="right")
        return np.asarray(np.minimum(at - round_it[k - 1], round_it[k] - at))


def _lengths(path: Path) -> NDArray[np.float64]:
    rows = path.rows
    lengths: NDArray[np.float64] = np.hypot(*(rows[:, 6:] - rows[:, :2]).T)
    arcs = path.kinds == 1
    lengths[arcs] = np.hypot(*(rows[arcs, :2] - rows[arcs, 2:4]).T) * np.abs(rows[arcs, 4])
    cubics = path.kinds == CUBIC
    lengths[cubics] = _cubic_lengths(rows[cubics], np.ones(int(cubics.sum())))
    return lengths


def _cubic_lengths(rows: NDArray[np.float64], t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Lengths of the parts of cubics up to ``t``, each its own, by Gauss-Legendre of 24 points on each half (1e-12 of
    it for mild cubics)."""
    total = np.zeros(len(t))
    for low, high in ((np.zeros(len(t)), t / 2), (t / 2, t)):
        at = low[:, None] + (high - low)[:, None] * _GAUSS_T
        total += (high - low) * (_speeds(rows, at) @ _GAUSS_W)
    return total


def _speeds(rows: NDArray[np.float64], t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Of each cubic at its own parameters, (n, k)."""
    p = rows.reshape(-1, 4, 2)
    d = 3 * (p[:, 1:] - p[:, :-1])
    u = 1 - t
    x, y = ((u * u) * d[:, :1, axis] + (2 * u * t) * d[:, 1:2, axis] + (t * t) * d[:, 2:, axis] for axis in (0, 1))
    return np.asarray(np.hypot(x, y))


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
