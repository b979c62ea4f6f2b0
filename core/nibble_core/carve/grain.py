"""A last pass along the grain: the edge of a part in stretches, each run downhill, from where the edge lies along the
fibres towards where it cuts across them. There each fibre that the cutter meets has wood behind it; run the other way,
fibres that end at the edge are lifted and tear."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.carve.grooves import Course
from nibble_core.carve.passes import LEAD, led
from nibble_core.geometry import Affine, Points

LEVEL = math.sin(math.radians(10.0))  # of twice the angle to the grain, below which an edge lies along or across it
BEYOND = 1.0  # mm that a stretch runs on at its ends, so that no ridge stays between two


@dataclass(frozen=True, eq=False)
class Edge:
    """A last pass that is to follow the grain: a closed course (n, 3) along an edge. rough: where the passes before it
    ran, ``apart`` mm beside it. kept_within: whether what is kept lies within the ring, else round it. diameter: of the
    cutter, mm."""

    ring: Course
    rough: BaseGeometry
    apart: float
    kept_within: bool
    diameter: float

    def courses(self, at: Affine, grain: float | None) -> list[Course]:
        """Where it is run on a sheet, with leads. grain: radians of the fibres there; None for what has none."""
        ring = np.column_stack([at.map(self.ring[:, :2]), self.ring[:, 2]])
        rough = shapely.transform(self.rough, at.map)
        stretches = [ring]
        if grain is not None:
            clear = LEAD * self.apart + BEYOND + self.diameter
            stretches = along_grain(
                ring, grain, kept_within=self.kept_within, shortest=2 * self.diameter, clear=clear
            )  # fmt: skip
        return [led(one, rough, self.apart) for one in stretches]


def along_grain(
    ring: Course, grain: float, *, kept_within: bool, shortest: float, clear: float = 0.0
) -> list[Course]:  # fmt: skip
    """A closed course (n, 3), its first place again at its end, in stretches that are run along the grain; the course
    itself where its edge runs uphill nowhere. grain: radians of the fibres, on the sheet. kept_within: whether what is
    kept lies within the ring, else round it. shortest: mm below which a stretch is run with its neighbours. clear: mm
    from a tab, over which the course rises, within which no stretch begins or ends."""
    steps = np.diff(ring[:, :2], axis=0)
    long = np.hypot(*steps.T)
    some = long > 1e-9
    ring, steps, long = ring[np.concatenate([[True], some])], steps[some], long[some]
    downhill = _downhill(steps / long[:, None], grain, outward_right=kept_within != (_area(ring) > 0))
    if not downhill.any() or (downhill >= 0).all():
        return [ring]
    if (downhill <= 0).all():
        return [ring[::-1]]
    ways = _whole_over_tabs(_with_the_nearest(downhill, long), ring[:, 2], long, clear)
    runs = _runs(ways, long, shortest)
    if len(runs) < 2:
        return [ring if runs[0][2] > 0 else ring[::-1]]
    ends = np.concatenate([[0.0], np.cumsum(long)])
    made = []
    for first, count, way in runs:
        start = float(ends[first]) - BEYOND
        stretch = _between(
            ring, ends, start, float(long[np.arange(first, first + count) % len(long)].sum()) + 2 * BEYOND
        )
        made.append(stretch if way > 0 else stretch[::-1])
    return made


def _area(ring: Course) -> float:
    """Twice the area that a ring encloses, below nothing where it runs against the clock on the sheet, whose y goes
    down."""
    x, y = ring[:-1, 0], ring[:-1, 1]
    return float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))


def _downhill(ways: Points, grain: float, *, outward_right: bool) -> NDArray[np.int64]:
    """Of each step, by its unit vector: 1 where it runs downhill, -1 uphill, 0 along or across the grain."""
    fibre = np.array([math.cos(grain), math.sin(grain)])
    # to the right of a way on the sheet, y down, is (-y, x)
    outward = np.column_stack([-ways[:, 1], ways[:, 0]]) * (1.0 if outward_right else -1.0)
    slope = 2 * (ways @ fibre) * (outward @ fibre)
    return np.where(np.abs(slope) < LEVEL, 0, np.sign(slope)).astype(np.int64)


def _runs(ways: NDArray[np.int64], long: NDArray[np.float64], shortest: float) -> list[tuple[int, int, int]]:
    """Stretches of steps of one sign, round the ring: first step, how many, sign. Those that are too short go with
    those before them."""
    n = len(ways)
    turns = np.flatnonzero(ways != np.roll(ways, 1))
    if not len(turns):
        return [(0, n, int(ways[0]))]
    runs = [
        [int(k), int((after - k) % n) or n, int(ways[k])] for k, after in zip(turns, np.roll(turns, -1), strict=True)
    ]
    while len(runs) > 1:
        lengths = [float(long[np.arange(first, first + count) % n].sum()) for first, count, _ in runs]
        k = int(np.argmin(lengths))
        if lengths[k] >= shortest:
            break
        before, after = runs[k - 1], runs[(k + 1) % len(runs)]
        before[1] += runs[k][1] + (after[1] if after is not before else 0)
        runs = [one for one in runs if one is not runs[k] and (one is before or one is not after)]
    return [(first, min(count, n), way) for first, count, way in runs]


def _with_the_nearest(downhill: NDArray[np.int64], long: NDArray[np.float64]) -> NDArray[np.int64]:
    """Each level step with the sign of the nearest that is not, along the ring."""
    whole = float(long.sum())
    middles = np.cumsum(long) - long / 2
    known = np.flatnonzero(downhill)
    places = np.concatenate([middles[known] - whole, middles[known], middles[known] + whole])
    signs = np.tile(downhill[known], 3)
    after = np.searchsorted(places, middles)
    nearer = np.where(places[after] - middles < middles - places[after - 1], after, after - 1)
    return np.asarray(signs[nearer], np.int64)


def _whole_over_tabs(
    ways: NDArray[np.int64], heights: NDArray[np.float64], long: NDArray[np.float64], clear: float
) -> NDArray[np.int64]:
    """Signs of steps (n,), without a change within ``clear`` mm of a tab. heights: of the places between them."""
    raised = np.maximum(heights[:-1], heights[1:]) > heights.min() + 1e-6
    if not raised.any():
        return ways
    begins = np.concatenate([[0.0], np.cumsum(long)])
    whole = begins[-1]
    tabs = np.concatenate(
        [(begins[:-1][raised] + shift, begins[1:][raised] + shift) for shift in (-whole, 0, whole)], 1
    )
    near = ((begins[:-1, None] < tabs[1] + clear) & (begins[1:, None] > tabs[0] - clear)).any(1)
    if near.all():
        return np.full_like(ways, ways[0])
    first = int(np.argmin(near))
    made = ways.copy()
    for k in range(first + 1, first + len(ways)):
        if near[k % len(ways)]:
            made[k % len(ways)] = made[(k - 1) % len(ways)]
    return made


def _between(ring: Course, ends: NDArray[np.float64], start: float, length: float) -> Course:
    """The part of a closed course that begins ``start`` mm along it, and is so long."""
    whole = float(ends[-1])
    twice = np.concatenate([ends[:-1] - whole, ends, ends[1:] + whole])
    places = np.vstack([ring[:-1], ring, ring[1:]])
    within = (twice > start + 1e-6) & (twice < start + length - 1e-6)
    at = np.concatenate([[start], twice[within], [start + length]])
    return np.column_stack([np.interp(at, twice, places[:, k]) for k in range(3)])
