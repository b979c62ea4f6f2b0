"""The compiled distance between two lines that run side by side (see geometry.kernels for why it stands in a file of
its own)."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled

BEYOND = 16  # segments searched past the nearest so far


@compiled
def to_segment(x, y, ax, ay, bx, by):
    """Distance of (x, y) from the segment a b."""
    dx, dy = bx - ax, by - ay
    size = dx * dx + dy * dy
    t = 0.0
    if size > 0:
        t = min(max(((x - ax) * dx + (y - ay) * dy) / size, 0.0), 1.0)
    return math.hypot(x - ax - t * dx, y - ay - t * dy)


@compiled
def beside(samples, line, closed):
    """Distance (n,) of each of ``samples`` (n, 2) from the polyline ``line`` (m, 2) that runs along with them.

    Both are walked in the same direction: the nearest segment of a sample is looked for round that of the one before,
    so the cost does not grow with the length. The first is looked for everywhere; so is one that seems lost.
    """
    n, m = len(samples), len(line)
    segments = m if closed else m - 1
    out = np.empty(n)
    at, before = -1, 0.0
    for i in range(n):
        x, y = samples[i, 0], samples[i, 1]
        best, where = 1e300, 0
        if at >= 0:
            idle, k = 0, 0
            while idle < BEYOND and k < segments:
                j = (at + k) % segments
                d = to_segment(x, y, line[j, 0], line[j, 1], line[(j + 1) % m, 0], line[(j + 1) % m, 1])
                if d < best:
                    best, where, idle = d, j, 0
                else:
                    idle += 1
                k += 1
            for k in range(1, min(BEYOND, segments)):
                j = (at - k) % segments
                d = to_segment(x, y, line[j, 0], line[j, 1], line[(j + 1) % m, 0], line[(j + 1) % m, 1])
                if d < best:
                    best, where = d, j
        if at < 0 or best > 1.0 + 2 * before:
            for j in range(segments):
                d = to_segment(x, y, line[j, 0], line[j, 1], line[(j + 1) % m, 0], line[(j + 1) % m, 1])
                if d < best:
                    best, where = d, j
        out[i], at, before = best, where, best
    return out
