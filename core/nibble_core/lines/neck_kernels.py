"""Compiled loop of the search for necks: a way across led downhill to the shortest one."""

import numpy as np

from nibble_core.geometry.kernels import compiled


@compiled
def led_downhill(a, b, one, other, middle, stray, found):
    """From a way between two places on edges (n, 2) to (n, 2) to the exact shortest one between the two edges it joins.

    The ends go in turn to the nearest place on the edges near them. ``found`` (4,): both ends. Returns how long it is;
    -1 where it only gets shorter toward a corner, or its middle strays from ``middle`` by more than ``stray``.
    """
    x, y, u, v = one[0], one[1], other[0], other[1]
    reach = np.hypot(x - u, y - v)
    width = reach
    for _ in range(60):
        for _end in range(2):
            # of the edges within the window of the end that moves, the place nearest to the other end
            best, best_x, best_y = np.inf, 0.0, 0.0
            for k in range(len(a)):
                dx, dy = b[k, 0] - a[k, 0], b[k, 1] - a[k, 1]
                size = max(dx * dx + dy * dy, 1e-24)
                t = min(max(((x - a[k, 0]) * dx + (y - a[k, 1]) * dy) / size, 0.0), 1.0)
                if np.hypot(a[k, 0] + t * dx - x, a[k, 1] + t * dy - y) > 0.75 * reach:
                    continue
                t = min(max(((u - a[k, 0]) * dx + (v - a[k, 1]) * dy) / size, 0.0), 1.0)
                px, py = a[k, 0] + t * dx, a[k, 1] + t * dy
                gap = np.hypot(px - u, py - v)
                if gap < best:
                    best, best_x, best_y = gap, px, py
            if best == np.inf:
                return -1.0
            moved = np.hypot(best_x - x, best_y - y)
            x, y, u, v = u, v, best_x, best_y
        width = np.hypot(x - u, y - v)
        if width < 0.2 * reach or np.hypot((x + u) / 2 - middle[0], (y + v) / 2 - middle[1]) > stray:
            return -1.0
        if moved < 1e-7:
            break
    found[0], found[1], found[2], found[3] = x, y, u, v
    return width
