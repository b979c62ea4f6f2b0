"""Compiled loops that find arcs and helices among straight moves; see ``helices``."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled

OFF = 0.001  # mm that a place may lie off its circle, or off the slope along it
SAGITTA = 0.003  # mm that the arc may lie off the straight move
FEWEST = 3  # moves that are worth an arc
SMALLEST, LARGEST = 0.2, 2000.0  # mm of radius
MOST_SWEEP = math.radians(300)


@compiled
def joined_moves(points, joins):
    n = len(points) - 1
    ends, arcs = np.empty(n, np.int64), np.zeros((n, 3))
    made, k = 0, 0
    while k < n:
        most = k + 1
        while most < n and joins[most]:
            most += 1
        last = k + 1
        if most - k >= FEWEST and on_helix(points, k, k + FEWEST)[0]:
            last, beyond, reach = k + FEWEST, most + 1, 2 * FEWEST
            while last < most and beyond > last + 1:
                trial = min(k + reach, most) if beyond > most else (last + beyond) // 2
                if on_helix(points, k, trial)[0]:
                    last = trial
                    reach *= 2
                else:
                    beyond = trial
            _, arcs[made, 0], arcs[made, 1], arcs[made, 2] = on_helix(points, k, last)
        ends[made] = last
        made += 1
        k = last
    return ends[:made], arcs[:made]


@compiled
def on_helix(points, first, last):
    """Whether all places from one to another lie on a circle as seen from above, and rise evenly along it; its centre,
    and how far it sweeps."""
    middle = (first + last) // 2
    ax, ay = points[middle, 0] - points[first, 0], points[middle, 1] - points[first, 1]
    bx, by = points[last, 0] - points[first, 0], points[last, 1] - points[first, 1]
    double = 2.0 * (ax * by - ay * bx)
    if abs(double) < 1e-12:
        return False, 0.0, 0.0, 0.0
    aa, bb = ax * ax + ay * ay, bx * bx + by * by
    ux, uy = (by * aa - ay * bb) / double, (ax * bb - bx * aa) / double
    radius = math.hypot(ux, uy)
    cx, cy = points[first, 0] + ux, points[first, 1] + uy
    if radius < SMALLEST or radius > LARGEST:
        return False, 0.0, 0.0, 0.0
    sweep = 0.0
    for k in range(first, last):
        px, py, qx, qy = points[k, 0] - cx, points[k, 1] - cy, points[k + 1, 0] - cx, points[k + 1, 1] - cy
        step = math.atan2(px * qy - py * qx, px * qx + py * qy)
        if step == 0.0 or step * double < 0.0 or abs(math.hypot(qx, qy) - radius) > OFF:
            return False, 0.0, 0.0, 0.0
        if radius * (1.0 - math.cos(step / 2)) > SAGITTA:
            return False, 0.0, 0.0, 0.0
        sweep += step
    if abs(sweep) > MOST_SWEEP:
        return False, 0.0, 0.0, 0.0
    rise, gone = points[last, 2] - points[first, 2], 0.0
    for k in range(first, last - 1):
        px, py, qx, qy = points[k, 0] - cx, points[k, 1] - cy, points[k + 1, 0] - cx, points[k + 1, 1] - cy
        gone += math.atan2(px * qy - py * qx, px * qx + py * qy)
        if abs(points[first, 2] + rise * gone / sweep - points[k + 1, 2]) > OFF:
            return False, 0.0, 0.0, 0.0
    return True, cx, cy, sweep
