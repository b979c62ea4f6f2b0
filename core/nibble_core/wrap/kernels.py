"""Compiled loops that bend segments: places along parts of them, and the cubics through those places bent."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled
from nibble_core.geometry.segments import ARC, CUBIC, LINE


@compiled
def along_parts(kinds, rows, of, low, high, shares):
    """Places at ``shares`` (m,) of parts of segments, (n, m, 2). of: the segment of each part, (n,); low, high: from
    which of its parameters to which the part goes, (n,)."""
    made = np.empty((len(of), len(shares), 2))
    for k in range(len(of)):
        row, kind = rows[of[k]], kinds[of[k]]
        radius = math.hypot(row[0] - row[2], row[1] - row[3])
        first = math.atan2(row[1] - row[3], row[0] - row[2])
        for j in range(len(shares)):
            t = low[k] + shares[j] * (high[k] - low[k])
            u = 1 - t
            if kind == ARC:
                angle = first + row[4] * t
                made[k, j, 0] = row[2] + radius * math.cos(angle)
                made[k, j, 1] = row[3] + radius * math.sin(angle)
                continue
            for axis in range(2):
                if kind == CUBIC:
                    made[k, j, axis] = (
                        u**3 * row[axis] + 3 * u * u * t * row[2 + axis]
                        + 3 * u * t * t * row[4 + axis] + t**3 * row[6 + axis]
                    )  # fmt: skip
                else:
                    made[k, j, axis] = u * row[axis] + t * row[6 + axis]
    return made


@compiled
def through_places(places, shares, nudge, tolerance):
    """Kinds (n,), rows (n, 8) and by how much they stray (n,), mm, of segments through bent places (n, m, 2): at 0,
    ``nudge``, twice that, the same from the end, 1, and at ``shares`` (m - 6,). A cubic has the same ends and the same
    directions there as the places (Hermite), by parabolas through three near ones; a line stands for it where all lie
    within a tenth of ``tolerance`` of its chord, in order."""
    count = len(places)
    kinds, rows, strays = np.empty(count, np.uint8), np.zeros((count, 8)), np.zeros(count)
    for k in range(count):
        one = places[k]
        x0, y0, x3, y3 = one[0, 0], one[0, 1], one[5, 0], one[5, 1]
        chord_x, chord_y = x3 - x0, y3 - y0
        length = max(math.hypot(chord_x, chord_y), 1e-12)
        beside, before, in_order = 0.0, -np.inf, True
        for j in range(len(shares)):
            out_x, out_y = one[6 + j, 0] - x0, one[6 + j, 1] - y0
            beside = max(beside, abs(out_x * chord_y - out_y * chord_x) / length)
            along = (out_x * chord_x + out_y * chord_y) / length
            in_order = in_order and before <= along <= length
            before = along
        rows[k, 0], rows[k, 1], rows[k, 6], rows[k, 7] = x0, y0, x3, y3
        if in_order and beside < tolerance / 10:
            kinds[k] = LINE
            continue
        kinds[k] = CUBIC
        x1 = x0 + (-3 * x0 + 4 * one[1, 0] - one[2, 0]) / (6 * nudge)
        y1 = y0 + (-3 * y0 + 4 * one[1, 1] - one[2, 1]) / (6 * nudge)
        x2 = x3 - (3 * x3 - 4 * one[4, 0] + one[3, 0]) / (6 * nudge)
        y2 = y3 - (3 * y3 - 4 * one[4, 1] + one[3, 1]) / (6 * nudge)
        rows[k, 2], rows[k, 3], rows[k, 4], rows[k, 5] = x1, y1, x2, y2
        for j in range(len(shares)):
            t = shares[j]
            u = 1 - t
            gone_x = one[6 + j, 0] - (u**3 * x0 + 3 * u * u * t * x1 + 3 * u * t * t * x2 + t**3 * x3)
            gone_y = one[6 + j, 1] - (u**3 * y0 + 3 * u * u * t * y1 + 3 * u * t * t * y2 + t**3 * y3)
            way_x = u * u * (x1 - x0) + 2 * t * u * (x2 - x1) + t * t * (x3 - x2)
            way_y = u * u * (y1 - y0) + 2 * t * u * (y2 - y1) + t * t * (y3 - y2)
            speed = max(math.hypot(way_x, way_y), 1e-12)
            strays[k] = max(strays[k], abs(gone_x * way_y - gone_y * way_x) / speed)
    return kinds, rows, strays


@compiled
def in_parts(of, low, high, parts):
    """Each stretch of a segment in so many equal parts: segment, first and last parameter of each, in order."""
    total = 0
    for count in parts:
        total += count
    made_of, made_low, made_high = np.empty(total, np.int64), np.empty(total), np.empty(total)
    n = 0
    for k in range(len(of)):
        span = (high[k] - low[k]) / parts[k]
        for step in range(parts[k]):
            made_of[n], made_low[n], made_high[n] = of[k], low[k] + step * span, low[k] + (step + 1) * span
            n += 1
    return made_of, made_low, made_high


@compiled
def in_order(of, low, kinds, rows, offsets, closed):
    """Parts of the segments of paths in their order, each beginning where the one before it ends, to the last digit:
    kinds, rows, and where each path begins. offsets, closed: of the paths that they are parts of."""
    first = np.zeros(offsets[-1] + 1, np.int64)
    for segment in of:
        first[segment + 1] += 1
    first = np.cumsum(first)
    place, filled = np.empty(len(of), np.int64), np.zeros(len(first), np.int64)
    for k in range(len(of)):
        segment = of[k]
        j = first[segment] + filled[segment]
        while j > first[segment] and low[place[j - 1]] > low[k]:
            place[j] = place[j - 1]
            j -= 1
        place[j] = k
        filled[segment] += 1
    made_kinds, made_rows, made_offsets = kinds[place], rows[place], first[offsets]
    for k in range(len(closed)):
        begin, end = made_offsets[k], made_offsets[k + 1]
        for j in range(begin + 1, end):
            made_rows[j, 0], made_rows[j, 1] = made_rows[j - 1, 6], made_rows[j - 1, 7]
        if closed[k] and end > begin:
            made_rows[end - 1, 6], made_rows[end - 1, 7] = made_rows[begin, 0], made_rows[begin, 1]
    return made_kinds, made_rows, made_offsets
