"""The compiled sums of the polish (see geometry.kernels for why they stand in a file of their own)."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled


@compiled
def nearest_on_cubics(rows, samples, segment, t, steps):
    """Parameters (m,) moved towards the places nearest to ``samples`` (m, 2), with unit normals (m, 2) of the
    cubics ``rows`` (k, 8) and signed normal distances (m,) there.

    ``segment`` (m,): which cubic each sample belongs to; ``t``: parameters to start from. Newton's way along the
    tangent, ``steps`` times.
    """
    m = len(samples)
    found, normal, off = np.empty(m), np.empty((m, 2)), np.empty(m)
    for i in range(m):
        ax, ay, bx, by, cx, cy, dx, dy = rows[segment[i]]
        s, px, py, vx, vy = t[i], 0.0, 0.0, 0.0, 0.0
        for step in range(steps + 1):
            u = 1 - s
            b0, b1, b2, b3 = u * u * u, 3 * u * u * s, 3 * u * s * s, s * s * s
            px = b0 * ax + b1 * bx + b2 * cx + b3 * dx - samples[i, 0]
            py = b0 * ay + b1 * by + b2 * cy + b3 * dy - samples[i, 1]
            vx = 3 * (u * u * (bx - ax) + 2 * u * s * (cx - bx) + s * s * (dx - cx))
            vy = 3 * (u * u * (by - ay) + 2 * u * s * (cy - by) + s * s * (dy - cy))
            if step < steps:
                s = min(max(s - (px * vx + py * vy) / max(vx * vx + vy * vy, 1e-9), -0.08), 1.08)
        speed = max(math.hypot(vx, vy), 1e-9)
        found[i], normal[i, 0], normal[i, 1] = s, vy / speed, -vx / speed
        off[i] = -(px * vy - py * vx) / speed
    return found, normal, off


@compiled
def normal_equations(rows, straight, columns, unknowns, segment, t, normal, off, huber):
    """Matrix (n, n) and right side (n,) of the weighted least squares of the distances ``off`` (m,).

    ``columns`` (k, 8): of each segment's start x, y, end x, y, angle and length leaving, angle and length arriving.
    ``straight`` (k,): a line's handles follow its ends. ``huber``: the distance beyond which a sample pulls linearly.
    """
    matrix, right = np.zeros((unknowns, unknowns)), np.zeros(unknowns)
    value = np.empty(8)
    for i in range(len(off)):
        k, s = segment[i], t[i]
        ax, ay, bx, by, cx, cy, dx, dy = rows[k]
        u = 1 - s
        b1, b2 = 3 * u * u * s, 3 * u * s * s
        first, last = u * u * u + b1, b2 + s * s * s
        nx, ny = normal[i]
        value[0], value[1], value[2], value[3] = nx * first, ny * first, nx * last, ny * last
        if straight[k]:
            value[4:] = 0.0
        else:
            lx, ly, rx, ry = bx - ax, by - ay, cx - dx, cy - dy
            long, wide = max(math.hypot(lx, ly), 1e-9), max(math.hypot(rx, ry), 1e-9)
            value[4], value[5] = b1 * (ny * lx - nx * ly), b1 * (nx * lx + ny * ly) / long
            value[6], value[7] = b2 * (ny * rx - nx * ry), b2 * (nx * rx + ny * ry) / wide
        weight = 1 / max(1.0, abs(off[i]) / huber)
        for a in range(8):
            pull = weight * value[a]
            right[columns[k, a]] += pull * off[i]
            for b in range(8):
                matrix[columns[k, a], columns[k, b]] += pull * value[b]
    return matrix, right
