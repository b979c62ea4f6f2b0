"""An outline held to its iso-line both ways: where it leaves ink out, or adds some, that stretch is fitted again.

Fits are judged along smooth stretches only, for at a corner the iso-line is rounded by the pixels and the outline goes
to the true apex. A fit that lost a corner, or one thrown far out, passes such a judge. This one looks at every sample
of the iso-line, and at every place of the outline but those that a corner of that angle explains.
"""

from __future__ import annotations

import bisect
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry import Affine, Path, Points
from nibble_core.geometry.distance_kernels import beside
from nibble_core.geometry.fitting import densified, refit_line
from nibble_core.geometry.nearest import distances_to_lines
from nibble_core.tracing.deviation import SMOOTH_TURN, closed_line
from nibble_core.tracing.polish import turns

LIMIT = 1.0  # px an outline may lie off beside the tolerance of its smooth stretches
APEX = 0.75  # px that the pixels take off a corner, over the sine of half its angle
FURTHEST_APEX = 5.0  # px: a sharper tip ends where its ink is less than a pixel wide
WITHIN = 0.5  # of the iso-line's extent, beyond which no apex lies
CLOSE = 0.25  # px: what a stretch is fitted to again, where the tolerance is no wider
PX = 0.1  # the fit again is made for millimetres: ten pixels are one of its units


def faithful(path: Path, ring: Points, *, tolerance: float, blunt: float = 1.0) -> Path:
    """``path``, a closed outline in pixels, with the stretches fitted again that lie off its ``ring`` (n, 2).

    tolerance: px that smooth stretches may be off. blunt: how many times wider than a crisp picture's the edges are.
    """
    limit = blunt * LIMIT + 1.5 * tolerance
    if _close(path, ring, limit):  # as nearly all are: no corner needs to be excused
        return path
    judge = _Judge.of(path, ring, limit, blunt)
    if judge.passes(path):
        return path
    close = max(CLOSE, tolerance)
    again = _again(path, ring, judge, close)
    if again is not None and judge.passes(again):
        return again
    return refit_line(judge.line * PX, close * PX).as_cubics().mapped(Affine.scale(1 / PX)).closed_up()


def _close(path: Path, ring: Points, limit: float) -> bool:
    """Whether an outline that does not cross itself and its iso-line lie side by side within a limit everywhere."""
    line, outline = np.vstack([ring, ring[:1]]), closed_line(path)
    return bool(
        beside(line, outline, False).max() <= limit
        and beside(densified(outline, 1.0), line, False).max() <= limit
        and shapely.LinearRing(outline).is_simple
    )


@dataclass(frozen=True, eq=False)
class _Judge:
    """The iso-line as a closed polyline, px it may be left by, and the corners with how far each may reach beyond."""

    line: Points
    limit: float
    corners: Points
    reach: NDArray[np.float64]

    @staticmethod
    def of(path: Path, ring: Points, limit: float, blunt: float) -> _Judge:
        corners, reach = apexes(path, blunt)
        extent = float(np.hypot(*np.ptp(ring, axis=0)))
        return _Judge(np.vstack([ring, ring[:1]]), limit, corners, np.minimum(reach, WITHIN * extent) + limit)

    def passes(self, path: Path) -> bool:
        outline = closed_line(path)
        return not self.strays(outline, self.line) and not self._loses(outline)

    def strays(self, outline: Points, line: Points) -> bool:
        """Whether a stretch of the iso-line and the outline beside it lie further apart than is explained."""
        if len(self._beyond(line, outline)[0]):
            return True
        far, off = self._beyond(densified(outline, 1.0), line)
        if not len(far):
            return False
        away = np.hypot(*(far[:, None] - self.corners[None]).transpose(2, 0, 1))
        return not bool(((away <= self.reach) & (off[:, None] <= self.reach)).any(1).all())

    def _beyond(self, places: Points, target: Points) -> tuple[Points, NDArray[np.float64]]:
        """Places that lie further from a polyline than the limit, and how far."""
        # side by side they are never told nearer than they are: only the doubtful ones are looked at exactly
        doubtful = places[beside(places, target, False) > self.limit]
        if not len(doubtful):
            return doubtful, np.zeros(0)
        off = distances_to_lines(doubtful, [target])
        return doubtful[off > self.limit], off[off > self.limit]

    def _loses(self, outline: Points) -> bool:
        """Whether a crossing of the outline with itself cuts off more than a sliver along the edge."""
        if shapely.LinearRing(outline).is_simple:
            return False
        enclosed = shapely.make_valid(shapely.Polygon(self.line))
        whole = shapely.make_valid(shapely.Polygon(outline))
        return bool(abs(whole.area - enclosed.area) > 0.5 * self.limit * enclosed.length)


def apexes(path: Path, blunt: float = 1.0) -> tuple[Points, NDArray[np.float64]]:
    """Corners (k, 2) of a closed outline, and how far beyond the iso-line each may reach, px: the wider its pixels
    blur and the sharper it is, the more of it they hide."""
    turn = np.abs(turns(path))
    sharp = turn > SMOOTH_TURN
    inner = np.maximum(np.pi - turn[sharp], 1e-3)
    return path.rows[sharp, :2], np.minimum(blunt * APEX / np.sin(inner / 2), FURTHEST_APEX)


def _again(path: Path, ring: Points, judge: _Judge, close: float) -> Path | None:
    """The path with what lies between its good nodes fitted again where it strays; None without two good nodes."""
    nodes = path.rows[:, :2]
    at = np.asarray(shapely.STRtree(shapely.points(ring)).nearest(shapely.points(nodes)))
    near = np.nonzero(np.hypot(*(ring[at] - nodes).T) <= judge.limit)[0]
    good = near[_in_order((at[near] - at[near[0]]) % len(ring))] if len(near) else near
    if len(good) < 2:
        return None
    kinds: list[NDArray[np.uint8]] = []
    rows: list[NDArray[np.float64]] = []
    for k, after in zip(good.tolist(), np.roll(good, -1).tolist(), strict=True):
        segments = np.arange(k, k + ((after - k) % len(path))) % len(path)
        own = Path(path.kinds[segments], path.rows[segments], closed=False)
        count = int(at[after] - at[k]) % len(ring)
        line = np.vstack([nodes[k], ring[(at[k] + 1 + np.arange(max(count - 1, 0))) % len(ring)], nodes[after]])
        if judge.strays(closed_line(own), line):
            own = refit_line(line * PX, close * PX).as_cubics().mapped(Affine.scale(1 / PX))
        kinds.append(own.kinds)
        rows.append(own.rows)
    return Path(np.concatenate(kinds), np.vstack(rows), closed=False).closed_up()


def _in_order(at: NDArray[np.int64]) -> list[int]:
    """Which of the numbers form the longest rising row (patience sorting)."""
    tails: list[int] = []
    before: list[int] = []
    for k, value in enumerate(at.tolist()):
        place = bisect.bisect_left([int(at[t]) for t in tails], value) if len(tails) else 0
        before.append(tails[place - 1] if place else -1)
        tails[place : place + 1] = [k]
    found = []
    k = tails[-1] if tails else -1
    while k >= 0:
        found.append(k)
        k = before[k]
    return found[::-1]
