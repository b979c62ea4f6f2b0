"""The compiled distance between two lines that run side by side (see geometry.kernels for why it stands in a file of
its own)."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled

BEYOND = 16  # segments searched past the nearest so far


@compiled
def to_segment(x, y, ax, ay, bx, by):
    """Squared distance of (x, y) from the segment a b."""
    dx, dy = bx - ax, by - ay
    px, py = x - ax, y - ay
    size, along = dx * dx + dy * dy, px * dx + py * dy
    if along > 0:
        t = min(along / size, 1.0)
        px, py = px - t * dx, py - t * dy
    return px * px + py * py


@compiled
def walked(samples, line, closed):
    """Distance (n,) of each of ``samples`` (n, 2) from the polyline ``line`` (m, 2) that runs along with them, and the
    segment (n,) nearest to it.

    Both are walked in the same direction: the nearest segment of a sample is looked for round that of the one before,
    so the cost does not grow with the length. The first is looked for everywhere; so is one that seems lost.
    """
    n, m = len(samples), len(line)
    segments = m if closed else m - 1
    out, nearest = np.empty(n), np.empty(n, np.int64)
    at, before = -1, 0.0
    for i in range(n):
        x, y = samples[i, 0], samples[i, 1]
        best, where = 1e300, 0
        if at >= 0:
            idle, k, j = 0, 0, at
            while idle < BEYOND and k < segments:
                after = j + 1 if j + 1 < m else 0
                d = to_segment(x, y, line[j, 0], line[j, 1], line[after, 0], line[after, 1])
                if d < best:
                    best, where, idle = d, j, 0
                else:
                    idle += 1
                k += 1
                j = j + 1 if j + 1 < segments else 0
            j = at
            for _ in range(1, min(BEYOND, segments)):
                j = j - 1 if j > 0 else segments - 1
                after = j + 1 if j + 1 < m else 0
                d = to_segment(x, y, line[j, 0], line[j, 1], line[after, 0], line[after, 1])
                if d < best:
                    best, where = d, j
        if at < 0 or math.sqrt(best) > 1.0 + 2 * before:
            for j in range(segments):
                after = j + 1 if j + 1 < m else 0
                d = to_segment(x, y, line[j, 0], line[j, 1], line[after, 0], line[after, 1])
                if d < best:
                    best, where = d, j
        at, before = where, math.sqrt(best)
        out[i], nearest[i] = before, where
    return out, nearest


@compiled
def beside(samples, line, closed):
    """The distances of ``walked``."""
    return walked(samples, line, closed)[0]


@compiled
def spread(line, step):
    """An open polyline (n, 2) with further points, so that none are more than ``step`` apart."""
    n = len(line)
    counts = np.ones(n, np.int64)
    for k in range(n - 1):
        size = np.hypot(line[k + 1, 0] - line[k, 0], line[k + 1, 1] - line[k, 1])
        counts[k] = max(1, int(np.ceil(size / step)))
    made = np.empty((counts.sum(), 2))
    at = 0
    for k in range(n - 1):
        dx, dy = line[k + 1, 0] - line[k, 0], line[k + 1, 1] - line[k, 1]
        for i in range(counts[k]):
            made[at, 0], made[at, 1] = line[k, 0] + dx * i / counts[k], line[k, 1] + dy * i / counts[k]
            at += 1
    made[at] = line[n - 1]
    return made
