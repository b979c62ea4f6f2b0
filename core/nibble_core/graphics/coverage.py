"""How much of every pixel an area covers, exactly."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Points

BAND = 32  # rows


def covered(rings: Sequence[Points], width: int, height: int) -> NDArray[np.float64]:
    """Share of each pixel inside closed polylines (n, 2) in pixels: shape (height, width).

    Outer rings and holes are wound against each other. Each edge is cut at pixel borders; a piece adds its height times
    the part of its row to its right, and sums along the rows give the coverage, as font rasterisers do.
    """
    if not rings:
        return np.zeros((height, width))
    p = np.concatenate(rings)
    q = np.concatenate([part for ring in rings for part in (ring[1:], ring[:1])])
    cuts = [np.zeros(len(p)), np.ones(len(p))]
    owners = [np.arange(len(p))] * 2
    for axis in (0, 1):
        low = np.floor(np.minimum(p[:, axis], q[:, axis])).astype(int) + 1
        count = np.maximum(np.ceil(np.maximum(p[:, axis], q[:, axis])).astype(int) - low, 0)
        owner = np.repeat(np.arange(len(p)), count)
        at = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count) + low[owner]
        owners.append(owner)
        cuts.append((at - p[owner, axis]) / (q - p)[owner, axis])
    owner, t = np.concatenate(owners), np.clip(np.concatenate(cuts), 0, 1)
    order = np.lexsort((t, owner))
    owner, t = owner[order], t[order]
    same = owner[1:] == owner[:-1]
    edge = owner[:-1][same]
    a = p[edge] + (q - p)[edge] * t[:-1][same][:, None]
    b = p[edge] + (q - p)[edge] * t[1:][same][:, None]
    middle, rise = (a + b) / 2, b[:, 1] - a[:, 1]
    inside = (middle[:, 1] >= 0) & (middle[:, 1] < height)
    middle, rise = middle[inside], rise[inside]
    row = np.floor(middle[:, 1]).astype(int)
    column = np.clip(np.floor(middle[:, 0]).astype(int), 0, width)
    share = np.clip(1 - (middle[:, 0] - column), 0, 1)
    first = row * (width + 2) + column
    weights = np.concatenate([rise * share, rise * (1 - share)])
    sums = np.bincount(np.concatenate([first, first + 1]), weights, height * (width + 2)).reshape(height, width + 2)
    for band in range(0, height, BAND):  # in place, while the rows are at hand
        rows = sums[band : band + BAND]
        np.cumsum(rows, 1, out=rows)
        np.minimum(np.abs(rows, out=rows), 1.0, out=rows)
    return np.asarray(sums[:, :width])
