"""Compiled loops of the bleed: every pixel near an area takes the value of the nearest one in it."""

import numpy as np

from nibble_core.geometry.kernels import compiled


@compiled
def spread(values, core, reach):
    """Fill what lies within ``reach`` px of the core from its nearest pixel, in place; returns how many were filled.

    values: uint32 (rows, columns). core: uint8, 1 inside. The exact Euclidean distance transform in two passes
    (Saito and Toriwaki 1994), the second only where a column near enough has core near enough.
    """
    rows, columns = core.shape
    span = int(np.ceil(reach))
    beyond = np.int16(span + 1)
    off = np.empty((rows, columns), np.int16)  # rows to the nearest core pixel of the same column, up negative
    above = np.full(columns, -beyond, np.int16)
    for i in range(rows):
        for j in range(columns):
            above[j] = np.int16(0) if core[i, j] else max(np.int16(above[j] - np.int16(1)), np.int16(-beyond))
            off[i, j] = above[j]
    below = np.full(columns, beyond, np.int16)
    for i in range(rows - 1, -1, -1):
        for j in range(columns):
            below[j] = np.int16(0) if core[i, j] else min(np.int16(below[j] + np.int16(1)), beyond)
            if below[j] < -off[i, j]:
                off[i, j] = below[j]
    most = reach * reach
    source = np.empty(columns, np.int32)
    filled = 0
    for i in range(rows):
        close = 0  # columns in the window whose core is within reach
        for j in range(min(span, columns)):
            close += abs(off[i, j]) <= span
        source[:] = -1
        for j in range(columns):
            if j + span < columns:
                close += abs(off[i, j + span]) <= span
            if j - span - 1 >= 0:
                close -= abs(off[i, j - span - 1]) <= span
            if core[i, j] or close == 0:
                continue
            best, at = most + 1e-9, -1
            for step in range(span + 1):
                if step * step > best:
                    break
                for k in (j - step, j + step):
                    if 0 <= k < columns:
                        dy = int(off[i, k])
                        if abs(dy) <= span and dy * dy + step * step < best:
                            best, at = dy * dy + step * step, k
            source[j] = at
        for j in range(columns):
            if source[j] >= 0:
                filled += 1
                values[i, j] = values[i + off[i, source[j]], source[j]]
    return filled
