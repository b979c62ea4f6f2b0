"""The compiled search for the nearest of many segments (see geometry.kernels for why in a file of its own)."""

import numpy as np

from nibble_core.geometry.distance_kernels import to_segment
from nibble_core.geometry.kernels import compiled

LEAF = 4  # segments in a box that is divided no further


@compiled
def boxes_over(a, b):
    """Boxes (2 m, 4: least x and y, most x and y) over segments from a to b (n, 2), which follow each other in space:
    box i holds boxes 2 i and 2 i + 1, and from m on each holds LEAF segments."""
    n = len(a)
    m = 1
    while m * LEAF < n:
        m *= 2
    boxes = np.empty((2 * m, 4))
    boxes[:, :2], boxes[:, 2:] = np.inf, -np.inf
    for k in range(n):
        leaf = m + k // LEAF
        for axis in range(2):
            boxes[leaf, axis] = min(boxes[leaf, axis], a[k, axis], b[k, axis])
            boxes[leaf, 2 + axis] = max(boxes[leaf, 2 + axis], a[k, axis], b[k, axis])
    for i in range(m - 1, 0, -1):
        for axis in range(2):
            boxes[i, axis] = min(boxes[2 * i, axis], boxes[2 * i + 1, axis])
            boxes[i, 2 + axis] = max(boxes[2 * i, 2 + axis], boxes[2 * i + 1, 2 + axis])
    return boxes


@compiled
def to_box(x, y, box):
    """Squared distance of (x, y) from a box; 0 within."""
    dx, dy = max(box[0] - x, 0.0, x - box[2]), max(box[1] - y, 0.0, y - box[3])
    return dx * dx + dy * dy


@compiled
def nearest_of(places, a, b, boxes):
    """The squared distance (k,) of each place (k, 2) from the nearest of the segments under ``boxes``. The nearest of
    the place before is tried first: places that follow each other find theirs at once."""
    n, m = len(a), len(boxes) // 2
    out = np.empty(len(places))
    waiting = np.empty(128, np.int64)
    last = 0
    for i in range(len(places)):
        x, y = places[i, 0], places[i, 1]
        best = to_segment(x, y, a[last, 0], a[last, 1], b[last, 0], b[last, 1])
        waiting[0] = 1
        top = 1
        while top > 0:
            top -= 1
            node = waiting[top]
            if to_box(x, y, boxes[node]) >= best:
                continue
            if node >= m:
                for k in range((node - m) * LEAF, min((node - m + 1) * LEAF, n)):
                    d = to_segment(x, y, a[k, 0], a[k, 1], b[k, 0], b[k, 1])
                    if d < best:
                        best, last = d, k
                continue
            first = to_box(x, y, boxes[2 * node]) <= to_box(x, y, boxes[2 * node + 1])
            waiting[top], waiting[top + 1] = 2 * node + first, 2 * node + 1 - first
            top += 2
        out[i] = best
    return out
