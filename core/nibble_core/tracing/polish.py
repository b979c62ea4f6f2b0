"""A last joint improvement of all nodes and handles of a fitted ring.

Gauss-Newton on the distances, along the outline's normals, of the ring's samples from the outline, with a
Huber weight. Corners are drawn back to where they were found. Smooth joints stay smooth because both handles
share one angle; straight segments stay straight. Long rings are polished in windows whose end nodes are held.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry import CUBIC, LINE, Path, Points
from nibble_core.geometry.corner_kernels import rounded_over
from nibble_core.geometry.paths import evaluate
from nibble_core.tracing.polish_kernels import nearest_on_cubics, normal_equations

SMOOTH = 0.2  # radians: a joint turning less is smooth
HUBER = 0.2  # px: beyond this a sample pulls linearly only
LONGEST_HANDLE = 1.0  # of the chord; a half circle has 0.67
WINDOW = 48  # segments solved together
ROUNDS = 6  # of giving samples to segments anew, which joints that slide along the outline need
STEPS = 8
LEAST_GAIN = 0.01  # of the sum of squares, for which another step is worth it
SETTLED = 0.1  # px: joints that move less have arrived
SLIDE = 0.02  # what holds a smooth joint where it is along the outline, against one sample's pull
NEAR_CORNER = 1.5, 2.5  # px beside a corner where samples lie less exactly than elsewhere; beside short sides, long
HOLD = 30.0  # the same for one between two lines, which nothing else holds
# what draws a corner back to where its sides were found to meet, for samples beside it are left out: in a noisy
# picture, and in a clean one, where that is known far better
CORNER_HOLD, CRISP_HOLD = 2.0, 30.0
Numbers = NDArray[np.float64]


def polish(
    path: Path,
    corners: NDArray[np.bool_],
    ring: Points,
    *,
    hold: float = CORNER_HOLD,
    changed: NDArray[np.bool_] | None = None,
) -> Path:
    """``path`` (lines and cubics, closed) nearer to the dense ``ring`` it was fitted to; both in pixels.

    ``corners``: which nodes are to stay corners, shape (n,); the others become smooth if they nearly are.
    ``hold``: what draws corners back to where they are, against one sample's pull. ``changed``: the nodes (n,) round
    which a long path is to be polished; all of them by default.
    """
    if len(path) < 2 or not (path.kinds == CUBIC).any():
        return path
    return _polished(path, corners, ring, len(path), hold, np.ones(len(path), bool) if changed is None else changed)


def polish_open(path: Path, points: Points) -> Path:
    """An open ``path`` nearer to the dense ``points`` (n, 2) it was fitted to; its two ends stay where they are."""
    if not (path.kinds == CUBIC).any():
        return path
    count = len(path)
    # a straight way back makes it a ring of which only the path itself is moved
    back = np.zeros((1, 8))
    back[0, :2], back[0, 6:] = path.rows[-1, 6:], path.rows[0, :2]
    corners = np.zeros(count + 1, bool)
    corners[[0, count]] = True
    ring = Path(np.append(path.kinds, np.uint8(LINE)), np.vstack([path.rows, back]))
    better = _polished(ring, corners, points, count, CORNER_HOLD, np.ones(count + 1, bool))
    return Path(better.kinds[:count].copy(), better.rows[:count].copy(), closed=False)


def _polished(
    path: Path, corners: NDArray[np.bool_], samples: Points, own: int, hold: float, moving: NDArray[np.bool_]
) -> Path:
    """The first ``own`` segments of a closed path nearer to the samples; of a long one, where nodes are ``moving``."""
    chain = _Chain.of(path, corners)
    found = chain.nodes
    for _ in range(ROUNDS):
        used, segment, t = _assign(chain.path(path.kinds), chain.smooth, samples)
        of_path = segment < own
        used, segment, t = used[of_path], segment[of_path], t[of_path]
        if len(used) < 2 * own:
            break
        before = chain
        if own <= WINDOW:
            chain = _improve(chain, found, hold, np.arange(own), used, segment, t)
        else:
            for start in range(0, own, WINDOW // 2):
                window = np.arange(start, start + WINDOW)
                window = window % own if own == len(path) else window[window < own]
                if not moving[window].any():
                    continue
                of_window = np.isin(segment, window)
                if of_window.sum() > 2 * WINDOW:
                    chain = _improve(chain, found, hold, window, used[of_window], segment[of_window], t[of_window])
        moving = np.abs(chain.nodes - before.nodes).max(1) >= SETTLED
        if not moving.any():
            break
    return chain.path(path.kinds)


def turns(path: Path) -> Numbers:
    """How far a closed path of lines and cubics turns at each of its nodes, radians."""
    leaving, arriving = _handles(path)
    into = -np.roll(arriving, 1, 0)
    across = into[:, 0] * leaving[:, 1] - into[:, 1] * leaving[:, 0]
    return np.asarray(np.arctan2(across, np.sum(into * leaving, 1)))


def _handles(path: Path) -> tuple[Numbers, Numbers]:
    """Leaving and arriving handles as vectors; a line's are a third of it."""
    rows, straight = path.rows, (path.kinds == LINE)[:, None]
    nodes, ends = rows[:, :2], rows[:, 6:]
    leaving = np.where(straight, (ends - nodes) / 3, rows[:, 2:4] - nodes)
    return leaving, np.where(straight, (nodes - ends) / 3, rows[:, 4:6] - ends)


@dataclass(frozen=True)
class _Chain:
    """Nodes (k, 2), leaving and arriving handles as vectors (k, 2), which joints are smooth, which lines."""

    nodes: Numbers
    leaving: Numbers
    arriving: Numbers
    smooth: NDArray[np.bool_]
    straight: NDArray[np.bool_]

    @staticmethod
    def of(path: Path, corners: NDArray[np.bool_]) -> _Chain:
        leaving, arriving = _handles(path)
        smooth = (np.abs(turns(path)) < SMOOTH) & ~corners
        return _Chain(path.rows[:, :2], leaving, arriving, smooth, path.kinds == LINE)

    def rows(self) -> Numbers:
        """Segments as cubics, shape (k, 8)."""
        ends = np.roll(self.nodes, -1, 0)
        return np.hstack([self.nodes, self.nodes + self.leaving, ends + self.arriving, ends])

    def path(self, kinds: NDArray[np.uint8]) -> Path:
        rows = self.rows()
        rows[self.straight, 2:6] = 0.0
        return Path(kinds.copy(), rows)


def _assign(path: Path, smooth: NDArray[np.bool_], ring: Points) -> tuple[Points, NDArray[np.int64], Numbers]:
    """Samples of the ring with the segment and parameter nearest each; samples at corners are left out,
    because an iso-line rounds them."""
    count, per = len(path), 12
    stations = (np.arange(per) + 0.5) / per
    of = np.repeat(np.arange(count), per)
    places = evaluate(path.kinds[of], path.rows[of], np.tile(stations, count))
    samples = ring[:: max(1, len(ring) // (40 * count))]
    corners = path.rows[~smooth, :2]
    if len(corners):
        tree = shapely.STRtree(shapely.points(samples))
        long = np.hypot(*(path.rows[:, 6:] - path.rows[:, :2]).T)
        beside = np.clip(np.minimum(long, np.roll(long, 1)) / 10, *NEAR_CORNER)[~smooth]
        rounded = [rounded_over(turn) for turn in np.abs(turns(path))[~smooth]]
        reach = np.maximum(beside, rounded)
        near = tree.query(shapely.points(corners), predicate="dwithin", distance=reach)[1]
        keep = np.ones(len(samples), bool)
        keep[near] = False
        samples = samples[keep]
    if not len(samples):
        return samples, np.zeros(0, np.int64), np.zeros(0)
    nearest = shapely.STRtree(shapely.points(places)).nearest(shapely.points(samples))
    return samples, nearest // per, stations[nearest % per]


def _unit(v: Numbers) -> Numbers:
    return v / np.maximum(np.hypot(v[:, 0], v[:, 1]), 1e-9)[:, None]


def _turned(v: Numbers, angle: Numbers) -> Numbers:
    c, s = np.cos(angle), np.sin(angle)
    return np.stack([v[:, 0] * c - v[:, 1] * s, v[:, 0] * s + v[:, 1] * c], 1)


def _cost(r: Numbers) -> float:
    size = np.abs(r)
    return float(np.sum(np.where(size < HUBER, 0.5 * r * r, HUBER * (size - HUBER / 2))))


def _improve(
    chain: _Chain,
    found: Points,
    hold: float,
    window: NDArray[np.int64],
    samples: Points,
    segment: NDArray[np.int64],
    t: Numbers,
) -> _Chain:
    """Levenberg-Marquardt over the segments of ``window``; corners are held near where they were ``found``.

    Unknowns of segment or node i, at i + 6-block offsets: node x, y; angle leaving (shared with arriving when
    smooth); length leaving; length arriving; angle arriving (corners).
    """
    count = len(chain.nodes)
    local = np.full(count, -1)
    local[window] = np.arange(len(window))
    size = len(window)
    nxt_global = (window + 1) % count
    inside = local[nxt_global] >= 0
    closed = bool(inside.all())
    nodes_x = np.arange(size)
    end = np.where(inside, local[nxt_global], size)  # the node after an open window: held, column ignored
    block = size + 1
    angle_out, length_out, length_in = 2 * block + nodes_x, 3 * block + nodes_x, 4 * block + nodes_x
    angle_in = np.where(chain.smooth[nxt_global], 2 * block + end, 5 * block + nodes_x)
    held = np.zeros(6 * block, bool)
    held[[block - 1, 2 * block - 1, 3 * block - 1]] = True
    held[[3 * block + size, 4 * block + size, 5 * block + size]] = True
    if not closed:
        held[[0, block]] = True
        held[2 * block] = bool(chain.smooth[window[0]])
    smooth_nodes = window[chain.smooth[window]]
    previous = (np.arange(count) - 1) % count
    beside_line = [local[i] for i in smooth_nodes if chain.straight[i] or chain.straight[previous[i]]]
    held[[2 * block + i for i in beside_line]] = True
    held[angle_out[chain.straight[window]]] = True
    free = np.nonzero(~held)[0]

    places = np.stack([local[smooth_nodes], block + local[smooth_nodes]], 1)
    between_lines = chain.straight[smooth_nodes] & chain.straight[previous[smooth_nodes]]
    grip = np.where(between_lines, HOLD, SLIDE)[:, None, None]
    lines = [nodes_x, block + nodes_x, end, block + end, angle_out, length_out, angle_in, length_in]
    columns = np.zeros((count, 8), np.int64)
    columns[window] = np.stack(lines, 1)

    rows = chain.rows()
    t, normal, r = nearest_on_cubics(rows, samples, segment, t, 4)
    sharp_nodes = window[~chain.smooth[window]]
    apart = lambda one: hold * float(np.sum((one.nodes - found)[sharp_nodes] ** 2)) / 2  # noqa: E731
    cost, damping = _cost(r) + apart(chain), 1e-3
    for _ in range(STEPS):
        normal_matrix, right = normal_equations(rows, chain.straight, columns, 6 * block, segment, t, normal, r, HUBER)
        # sliding a smooth joint along the outline changes little: it is held lightly, or it would wander
        along = _unit(_unit(chain.leaving) + _unit(-np.roll(chain.arriving, 1, 0)))[smooth_nodes]
        normal_matrix[places[:, :, None], places[:, None, :]] += grip * along[:, :, None] * along[:, None, :]
        for axis in range(2):
            of_corners = axis * block + local[sharp_nodes]
            normal_matrix[of_corners, of_corners] += hold
            right[of_corners] += hold * (found - chain.nodes)[sharp_nodes, axis]
        matrix, target = normal_matrix[np.ix_(free, free)], right[free]
        improved = None
        for _attempt in range(4):
            x = np.zeros(6 * block)
            diagonal = damping * np.diag(matrix) + 1e-6
            x[free] = np.linalg.solve(matrix + np.diag(diagonal), target)
            trial = _stepped(chain, window, x, block, angle_in, closed)
            rows2 = trial.rows()
            t2, normal2, r2 = nearest_on_cubics(rows2, samples, segment, t, 2)
            cost2 = _cost(r2) + apart(trial)
            if cost2 < cost:
                improved = trial, rows2, t2, normal2, r2, cost2
                break
            damping *= 10
        if improved is None:
            break
        before = cost
        chain, rows, t, normal, r, cost = improved
        damping = max(damping / 5, 1e-6)
        if before - cost < LEAST_GAIN * before:
            break
    return chain


def _stepped(
    chain: _Chain,
    window: NDArray[np.int64],
    x: Numbers,
    block: int,
    angle_in: NDArray[np.int64],
    closed: bool,
) -> _Chain:
    """The chain after a bounded step ``x``, straight segments straight and smooth joints smooth again."""
    size = len(window)
    index = np.arange(size)
    nodes, leaving, arriving = chain.nodes.copy(), chain.leaving.copy(), chain.arriving.copy()
    longest = LONGEST_HANDLE * np.hypot(*(np.roll(nodes, -1, 0) - nodes)[window].T)
    nodes[window] += np.clip(np.stack([x[index], x[block + index]], 1), -1, 1)
    for handles, angles, lengths in (
        (leaving, x[2 * block + index], x[3 * block + index]),
        (arriving, x[angle_in], x[4 * block + index]),
    ):
        old = np.hypot(*handles[window].T)
        new = np.clip(old + np.clip(lengths, -0.3 * old, 0.3 * old), 0.05, np.maximum(old, longest))
        handles[window] = _turned(_unit(handles[window]), np.clip(angles, -0.2, 0.2)) * new[:, None]
    chord = np.roll(nodes, -1, 0) - nodes
    touched = np.zeros(len(nodes), bool)
    touched[window] = True
    touched[(window - 1) % len(nodes)] = True  # its end node may have moved
    lines = chain.straight & touched
    leaving[lines], arriving[lines] = chord[lines] / 3, -chord[lines] / 3
    joint = window[chain.smooth[window]]
    before = (joint - 1) % len(nodes)
    led = chain.straight[joint] & ~chain.straight[before]
    arriving[before[led]] = -_unit(chord[joint[led]]) * np.hypot(*arriving[before[led]].T)[:, None]
    led = chain.straight[before] & ~chain.straight[joint]
    leaving[joint[led]] = _unit(chord[before[led]]) * np.hypot(*leaving[joint[led]].T)[:, None]
    return _Chain(nodes, leaving, arriving, chain.smooth, chain.straight)
