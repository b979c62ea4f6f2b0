"""A last joint improvement of all nodes and handles of a fitted ring.

Gauss-Newton on the distances, along the outline's normals, of the ring's samples from the outline, with a
Huber weight. Corners are drawn back to where they were found. Smooth joints stay smooth because both handles
share one angle; straight segments stay straight. Long rings are polished in windows whose end nodes are held.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry import CUBIC, LINE, Path, Points
from nibble_core.geometry.corner_kernels import rounded_over
from nibble_core.geometry.distance_kernels import walked
from nibble_core.geometry.segments import evaluate
from nibble_core.tracing.polish_kernels import improve, made_smooth

SMOOTH = 0.2  # radians: a joint turning less is smooth
WINDOW = 48  # segments solved together
CHORDS = 12  # of a segment, to which samples are given
ROUNDS = 6  # of giving samples to segments anew, which joints that slide along the outline need
SETTLED = 0.1  # px: joints that move less have arrived
NEAR_CORNER = 1.5, 2.5  # px beside a corner where samples lie less exactly than elsewhere; beside short sides, long
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
        chain = _Chain(
            path.rows[:, :2], leaving, arriving, (np.abs(turns(path)) < SMOOTH) & ~corners, path.kinds == LINE
        )
        return chain.made_smooth()

    def made_smooth(self) -> _Chain:
        """With the handles beside each smooth joint in one direction."""
        leaving, arriving = self.leaving.copy(), self.arriving.copy()
        made_smooth(_round(self.nodes), leaving, arriving, _round(self.smooth), self.straight)
        return _Chain(self.nodes, leaving, arriving, self.smooth, self.straight)

    def rows(self) -> Numbers:
        """Segments as cubics, shape (k, 8)."""
        ends = np.roll(self.nodes, -1, 0)
        return np.hstack([self.nodes, self.nodes + self.leaving, ends + self.arriving, ends])

    def path(self, kinds: NDArray[np.uint8]) -> Path:
        rows = self.rows()
        rows[self.straight, 2:6] = 0.0
        return Path(kinds.copy(), rows)


def _round(of_nodes: Any) -> Any:
    """What stands for the nodes of a closed path, the first once more at its end."""
    return np.concatenate([of_nodes, of_nodes[:1]])


def _assign(path: Path, smooth: NDArray[np.bool_], ring: Points) -> tuple[Points, NDArray[np.int64], Numbers]:
    """Samples of the ring with the segment and parameter nearest each; samples at corners are left out,
    because an iso-line rounds them."""
    count = len(path)
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
    of = np.repeat(np.arange(count), CHORDS)
    places = evaluate(path.kinds[of], path.rows[of], np.tile(np.arange(CHORDS) / CHORDS, count))
    chord = walked(samples, places, True)[1]
    return samples, chord // CHORDS, (chord % CHORDS + 0.5) / CHORDS


def _improve(
    chain: _Chain,
    found: Points,
    hold: float,
    window: NDArray[np.int64],
    samples: Points,
    segment: NDArray[np.int64],
    t: Numbers,
) -> _Chain:
    """The chain with its segments of ``window``, which follow each other, nearer to their samples."""
    count, size = len(chain.nodes), len(window)
    closed = size == count
    ends = np.append(window, (window[-1] + 1) % count)
    samples, own, t = np.ascontiguousarray(samples), (segment - window[0]) % count, np.ascontiguousarray(t)
    nodes, leaving, arriving = improve(
        chain.nodes[ends], chain.leaving[window], chain.arriving[window], chain.smooth[ends], chain.straight[window],
        found[ends], hold, closed, samples, own, t,
    )  # fmt: skip
    better = _Chain(chain.nodes.copy(), chain.leaving.copy(), chain.arriving.copy(), chain.smooth, chain.straight)
    better.nodes[window], better.leaving[window], better.arriving[window] = nodes[:-1], leaving, arriving
    return better if closed else better.made_smooth()  # a line at the window's end may have turned
