"""The compiled walk along an iso-line (see geometry.kernels for why it stands in a file of its own)."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled

TOP, RIGHT, BOTTOM, LEFT = 0, 1, 2, 3
REACH, NEAR = 3, 2  # samples on each side of an edge that must be flat by their end; between close edges
FLAT = 0.012  # of the whole range: what quantisation may do to flat ground
LEAST_CONTRAST = 0.15


WORD = 8  # samples looked at together
NONE, ALL = np.uint64(0), np.uint64(0x0101010101010101)


@compiled
def entered(inside, words):
    """Flat indices of samples outside whose right neighbour is inside, in order; the last row has no cell below it.

    inside: uint8 (rows, columns), 0 or 1. words: the same by eights of a row, as far as they go, uint64; one that is
    all alike and followed by its like holds no edge.
    """
    rows, columns = inside.shape
    found, n = np.empty(1024, np.int64), 0
    for r in range(rows - 1):
        row, eights = inside[r], words[r]
        for w in range(len(eights) + 1):
            left = w * WORD
            right = min(left + WORD, columns - 1)
            if w < len(eights):
                word = eights[w]
                if (word == NONE or word == ALL) and row[right] == row[left]:
                    continue
            for c in range(left, right):
                if row[c] < row[c + 1]:
                    if n >= len(found):
                        wider = np.empty(2 * len(found), np.int64)
                        wider[:n] = found
                        found = wider
                    found[n] = r * columns + c
                    n += 1
    return found[:n]


@compiled
def march(grey, level, starts):
    """Marching squares with linear interpolation; grey < level is inside.

    grey: float32 (rows, columns) whose border is outside; starts: flat indices of samples outside whose right
    neighbour is inside, in order. Returns points (n, 2) with x = column and
    y = row of the *sample grid*, and offsets (r + 1,) of the closed rings; the inside lies to the left of
    the walk on screen. Saddles follow the mean of the
    four samples (asymptotic decider, Nielson and Hamann, Visualization '91).
    """
    columns = grey.shape[1]
    seen = np.zeros(len(starts), np.uint8)
    points, n = np.empty((1024, 2)), 0
    offsets = [0]
    for k in range(len(starts)):
        if seen[k]:
            continue
        cy, cx, side, first = starts[k] // columns, starts[k] % columns, TOP, n
        while True:
            if side == TOP:
                start = np.searchsorted(starts, cy * columns + cx)  # a ring goes down through starts only
                if seen[start]:
                    break
                seen[start] = 1
            if side == TOP or side == BOTTOM:
                row = cy if side == TOP else cy + 1
                px = cx + (level - grey[row, cx]) / (grey[row, cx + 1] - grey[row, cx])
                py = float(row)
            else:
                column = cx if side == LEFT else cx + 1
                px = float(column)
                py = cy + (level - grey[cy, column]) / (grey[cy + 1, column] - grey[cy, column])
            if n == first or abs(px - points[n - 1, 0]) + abs(py - points[n - 1, 1]) > 1e-9:
                if n >= len(points):
                    wider = np.empty((2 * len(points), 2))
                    wider[:n] = points
                    points = wider
                points[n, 0], points[n, 1] = px, py
                n += 1
            tl, tr = grey[cy, cx] < level, grey[cy, cx + 1] < level
            bl, br = grey[cy + 1, cx] < level, grey[cy + 1, cx + 1] < level
            top, right, bottom, left = tl != tr, tr != br, bl != br, tl != bl
            if top and right and bottom and left:
                corner_sum = grey[cy, cx] + grey[cy, cx + 1] + grey[cy + 1, cx] + grey[cy + 1, cx + 1]
                if tl == (0.25 * corner_sum < level):  # the top left joins the bottom right
                    out = RIGHT if side == TOP else (TOP if side == RIGHT else (LEFT if side == BOTTOM else BOTTOM))
                else:
                    out = LEFT if side == TOP else (BOTTOM if side == RIGHT else (RIGHT if side == BOTTOM else TOP))
            elif top and side != TOP:
                out = TOP
            elif right and side != RIGHT:
                out = RIGHT
            elif bottom and side != BOTTOM:
                out = BOTTOM
            else:
                out = LEFT
            if out == TOP:
                cy -= 1
                side = BOTTOM
            elif out == RIGHT:
                cx += 1
                side = LEFT
            elif out == BOTTOM:
                cy += 1
                side = TOP
            else:
                cx -= 1
                side = RIGHT
        if n - first > 2:
            offsets.append(n)
        else:
            n = first
    return points[:n].copy(), np.array(offsets)


@compiled
def settled(points, offsets, grey, level):
    """Iso-line points of ``march`` moved to where a crisp edge truly lies: points and offsets, fewer or as many.

    Linear interpolation misplaces an edge that a pixel averages, by up to 0.086 px and differently at each angle. The
    mean height of a straight edge in a column of pixels is the sum of what they cover, whatever its slope (a pixel
    averages its area). That sum is taken along the axis nearer to the edge's normal, where both sides of the edge are
    flat; elsewhere, between close edges or in noise, the point stays. Points on the other axis' lines say
    nothing better then and are left out.
    """
    rows, columns = grey.shape
    out, at = np.empty_like(points), np.empty(len(offsets), np.int64)
    m = 0
    at[0] = 0
    for ring in range(len(offsets) - 1):
        start = m
        for i in range(offsets[ring], offsets[ring + 1]):
            x, y = points[i, 0], points[i, 1]
            on_column = x == math.floor(x)  # along a column of samples, between two rows
            c, r = int(math.floor(x)), int(math.floor(y))
            out[m, 0], out[m, 1] = x, y
            m += 1
            if r < REACH or c < REACH or r + REACH + 1 >= rows or c + REACH + 1 >= columns:
                continue
            along, across = slopes(grey, r, c, on_column)
            near = m - start > 1 and abs(out[m - 2, 0] - x) + abs(out[m - 2, 1] - y) < 2.0
            if near and abs(along) < 0.9 * abs(across) and crisp_edge(grey, r, c, not on_column)[0]:
                m -= 1
                continue
            found, place, low, high = crisp_edge(grey, r, c, on_column)
            if not found:
                continue
            share = (level - low) / (high - low)
            if share < 0.2 or share > 0.8:
                continue
            # towards the paper the level lies beyond the edge, towards the ink before it
            place += (share - 0.5) * (1.0 if along > 0 else -1.0)
            if abs(place - (y if on_column else x)) < 0.35:
                if on_column:
                    out[m - 1, 1] = place
                else:
                    out[m - 1, 0] = place
        if m - start < 3:
            m = start
            for i in range(offsets[ring], offsets[ring + 1]):
                out[m] = points[i]
                m += 1
        at[ring + 1] = m
    return out[:m].copy(), at


@compiled
def slopes(grey, r, c, along_column):
    """How the grey changes along the line a point lies on and across it, from twelve samples round the point."""
    along = across = 0.0
    for k in range(-1, 2):
        for q in range(-1, 3):
            value = grey[r + q, c + k] if along_column else grey[r + k, c + q]
            along += value * (1.0 if q > 0 else -1.0) / 12
            across += value * k / 8
    return along, across


@compiled
def crisp_edge(grey, r, c, along_column):
    """``crisp`` over as far as there is room."""
    found, place, low, high = crisp(grey, r, c, along_column, REACH)
    if not found:
        found, place, low, high = crisp(grey, r, c, along_column, NEAR)
    return found, place, low, high


@compiled
def crisp(grey, r, c, along_column, reach):
    """Whether one crisp edge lies between samples r and r + 1 (or c and c + 1) with flat ground on both sides, where
    it lies, and the tones of its darker and lighter side."""
    first = grey[r - reach, c] if along_column else grey[r, c - reach]
    last = grey[r + reach + 1, c] if along_column else grey[r, c + reach + 1]
    second = grey[r - reach + 1, c] if along_column else grey[r, c - reach + 1]
    before = grey[r + reach, c] if along_column else grey[r, c + reach]
    if abs(first - second) > FLAT or abs(last - before) > FLAT or abs(first - last) < LEAST_CONTRAST:
        return False, 0.0, 0.0, 1.0
    total = 0.0
    previous = first
    way = 1.0 if last > first else -1.0
    for k in range(-reach, reach + 2):
        value = grey[r + k, c] if along_column else grey[r, c + k]
        if (value - previous) * way < -FLAT:
            return False, 0.0, 0.0, 1.0
        previous = value
        total += (value - last) / (first - last)
    # total samples on the first side's tone: the edge lies so far beyond the lower border of the first sample
    place = (r if along_column else c) - reach - 0.5 + total
    return True, place, min(first, last), max(first, last)


@compiled
def crossings(ring, y):
    """Where a level line crosses a closed polyline (n, 2), in the order of its sides."""
    found = np.empty(len(ring))
    n = 0
    for k in range(len(ring)):
        after = k + 1 if k + 1 < len(ring) else 0
        if (ring[k, 1] > y) != (ring[after, 1] > y):
            t = (y - ring[k, 1]) / (ring[after, 1] - ring[k, 1])
            found[n] = ring[k, 0] + t * (ring[after, 0] - ring[k, 0])
            n += 1
    return found[:n]
