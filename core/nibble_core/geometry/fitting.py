"""Dense polygons back to few lines, arcs and cubics within a stated deviation."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import shapely
from shapely.geometry import Polygon

from nibble_core.geometry.kernels import fit_circle, fit_cubic, furthest, longest_span
from nibble_core.geometry.paths import ARC, CUBIC, LINE, Path
from nibble_core.geometry.points import Points
from nibble_core.geometry.regions import Region, oriented_rings
from nibble_core.geometry.tolerances import REFIT

CORNER = math.radians(30)
"""Chords of a rounded corner turn by less than this (a quarter circle has at least four), corners by more."""

SMOOTH = math.radians(6)
"""Segments meeting within this angle are meant to run on smoothly."""

STEP = 0.1
"""mm between samples; a chord of the polygon longer than this is straight anyway."""


def refit_polygon(polygon: Polygon, tolerance: float = REFIT) -> Region:
    """A region of lines, arcs and cubics whose rings stay within ``tolerance`` mm of the polygon's."""
    outer, holes = oriented_rings(polygon)
    return Region(refit_ring(outer, tolerance), tuple(refit_ring(hole, tolerance) for hole in holes))


def refit_ring(ring: Points, tolerance: float = REFIT) -> Path:
    """A closed path within ``tolerance`` mm of a dense closed polyline (n, 2), both ways.

    Tried at falling tolerances until the measured distance keeps the promise; a ring that no fit describes
    better stays the polygon it is.
    """
    cx, cy, radius, worst = fit_circle(ring)
    circle = Path.circle(cx, cy, radius)
    if worst <= tolerance and apart(circle.flattened(0.1 * tolerance), ring) <= tolerance:
        return circle if Path.polygon(ring).area() > 0 else circle.reversed()
    for share in (0.8, 0.65, 0.5):
        path = _fit(ring, tolerance * share)
        if len(path) >= len(ring):
            break
        if apart(path.flattened(0.1 * tolerance), ring) <= tolerance:
            return path
    return Path.polygon(ring)


def _fit(ring: Points, tolerance: float) -> Path:
    """Corners first, then between them the longest of line, arc and cubic, joined smoothly."""
    before, after = ring - np.roll(ring, 1, 0), np.roll(ring, -1, 0) - ring
    turn = np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], np.sum(before * after, 1))
    corners = np.nonzero(np.abs(turn) > CORNER)[0]
    if len(corners):
        stops = [*corners.tolist(), int(corners[0]) + len(ring)]
    else:
        start = int(np.argmax(np.hypot(*after.T)))
        stops = [start, start + len(ring)]
    kinds: list[int] = []
    rows: list[np.ndarray] = []
    for first, last in pairwise(stops):
        samples = densified(ring[np.arange(first, last + 1) % len(ring)], STEP)
        side_kinds, side_rows, breaks = _fit_side(samples, tolerance)
        _smooth_joints(samples, side_kinds, side_rows, breaks, tolerance)
        kinds += side_kinds
        rows += side_rows
    return Path(np.array(kinds, np.uint8), np.array(rows))


def densified(points: Points, step: float) -> Points:
    """An open polyline with further points, so that none are more than ``step`` apart."""
    chords = np.hypot(*np.diff(points, axis=0).T)
    counts = np.maximum(1, np.ceil(chords / step)).astype(np.int64)
    of = np.repeat(np.arange(len(chords)), counts)
    t = (np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)) / counts[of]
    return np.vstack([points[of] + (points[of + 1] - points[of]) * t[:, None], points[-1:]])


def _fit_side(samples: Points, tolerance: float) -> tuple[list[int], list[np.ndarray], list[int]]:
    """Greedy: a line is preferred to an arc, and an arc to a cubic, unless the latter reaches much further."""
    kinds, rows, breaks = [], [], [0]
    i, last = 0, len(samples) - 1
    while i < last:
        arc, cubic = np.empty(8), np.empty(8)
        by_line = furthest(samples, i, tolerance, False, arc)
        if by_line == last:
            by_arc = by_cubic = i
        else:
            by_arc = furthest(samples, i, tolerance, True, arc)
            by_cubic = longest_span(samples, i, tolerance, cubic)
        reach = max(by_line, by_arc, by_cubic) - i
        if by_line - i >= 0.6 * reach:
            i, kind = by_line, LINE
            row = np.array([*samples[breaks[-1]], 0, 0, 0, 0, *samples[i]])
        elif by_arc - i >= 0.6 * reach and by_arc - i > 3:
            i, kind, row = by_arc, ARC, arc
        else:
            i, kind, row = by_cubic, CUBIC, cubic
        kinds.append(kind)
        rows.append(row)
        breaks.append(i)
    return kinds, rows, breaks


def _smooth_joints(
    samples: Points, kinds: list[int], rows: list[np.ndarray], breaks: list[int], tolerance: float
) -> None:
    """Cubics take over the direction of the line or arc they meet, or share the mean one with a cubic, where
    the two nearly agree already and the cubic still fits."""
    directions = [end_directions(kind, row) for kind, row in zip(kinds, rows, strict=True)]
    joints: list[np.ndarray | None] = [None] * (len(rows) + 1)
    for q in range(1, len(rows)):
        into, out = directions[q - 1][1], directions[q][0]
        if abs(_turn(*into, *out)) < SMOOTH:
            weight_in = 1.0 if kinds[q - 1] == CUBIC else 1e6
            weight_out = 1.0 if kinds[q] == CUBIC else 1e6
            mean = into * weight_in + out * weight_out
            joints[q] = mean / np.hypot(*mean)
    for q, kind in enumerate(kinds):
        first, last = joints[q], joints[q + 1]
        if kind == CUBIC and (first is not None or last is not None):
            sx, sy = directions[q][0] if first is None else first
            ex, ey = directions[q][1] if last is None else last
            trial = np.empty(8)
            error = fit_cubic(
                samples, breaks[q], breaks[q + 1], sx, sy, -ex, -ey, False, 12, tolerance * 0.5, trial
            )  # fmt: skip
            if error <= tolerance:
                rows[q] = trial


def end_directions(kind: int, row: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Unit directions of travel at a segment's start and end."""
    if kind == LINE:
        start = end = row[6:] - row[:2]
    elif kind == ARC:
        way = math.copysign(1.0, row[4])
        spoke, last = row[:2] - row[2:4], row[6:] - row[2:4]
        start, end = np.array([-spoke[1], spoke[0]]) * way, np.array([-last[1], last[0]]) * way
    else:
        start, end = row[2:4] - row[:2], row[6:] - row[4:6]
    return start / max(np.hypot(*start), 1e-12), end / max(np.hypot(*end), 1e-12)


def apart(one: Points, other: Points) -> float:
    """Largest distance from either closed polyline to the other (two-way, at vertices and mid-chords)."""
    worst = 0.0
    for samples, target in ((one, other), (other, one)):
        mids = (samples + np.roll(samples, -1, 0)) / 2
        segments = shapely.linestrings(np.stack([target, np.roll(target, -1, 0)], 1))
        tree = shapely.STRtree(segments)
        for points in (samples, mids):
            places = shapely.points(points)
            worst = max(worst, float(shapely.distance(places, segments[tree.nearest(places)]).max()))
    return worst


def _turn(ax: float, ay: float, bx: float, by: float) -> float:
    return math.atan2(ax * by - ay * bx, ax * bx + ay * by)
