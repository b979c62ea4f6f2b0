"""Compiled loops that bend segments: places along parts of them, and the cubics through those places bent."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled
from nibble_core.geometry.segments import ARC, CUBIC, LINE

CHECKED = (0.2, 0.4, 0.6, 0.8)
"""Of a segment: where it is looked at whether it strays."""


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
def in_parts(of, low, high, parts):
    """Each stretch of a segment in so many equal parts, in order: their segment, first and last parameter."""
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
def first_parts(kinds, rows, longest):
    """Segments whole, arcs in parts of at most ``longest`` radians; see ``in_parts``."""
    parts = np.ones(len(kinds), np.int64)
    for k in range(len(kinds)):
        if kinds[k] == ARC:
            parts[k] = max(1, int(math.ceil(abs(rows[k, 4]) / longest - 1e-9)))
    return in_parts(np.arange(len(kinds)), np.zeros(len(kinds)), np.ones(len(kinds)), parts)


@compiled
def through(places, start, beside, beyond, before, near, end, q1, q2, q3, q4, nudge, tolerance, row):
    """Writes the segment through ``places`` (m, 2) to ``row``; its kind and by how much it strays. start, end: numbers
    of its ends among the places; beside, beyond: of those ``nudge`` and twice that after the start; near, before:
    before the end; q1 to q4: of those at ``CHECKED``. A cubic has the same ends and the same directions there as the
    places (Hermite), by parabolas through three near ones; a line stands for it where all lie within a tenth of
    ``tolerance`` of its chord, in order."""
    x0, y0, x3, y3 = places[start, 0], places[start, 1], places[end, 0], places[end, 1]
    row[0], row[1], row[6], row[7] = x0, y0, x3, y3
    row[2:6] = 0.0
    chord_x, chord_y = x3 - x0, y3 - y0
    length = max(math.hypot(chord_x, chord_y), 1e-12)
    off_chord, passed, in_order = 0.0, -np.inf, True
    for place in (q1, q2, q3, q4):
        out_x, out_y = places[place, 0] - x0, places[place, 1] - y0
        off_chord = max(off_chord, abs(out_x * chord_y - out_y * chord_x) / length)
        along = (out_x * chord_x + out_y * chord_y) / length
        in_order = in_order and passed <= along <= length
        passed = along
    if in_order and off_chord < tolerance / 10:
        return LINE, 0.0
    x1 = x0 + (-3 * x0 + 4 * places[beside, 0] - places[beyond, 0]) / (6 * nudge)
    y1 = y0 + (-3 * y0 + 4 * places[beside, 1] - places[beyond, 1]) / (6 * nudge)
    x2 = x3 - (3 * x3 - 4 * places[near, 0] + places[before, 0]) / (6 * nudge)
    y2 = y3 - (3 * y3 - 4 * places[near, 1] + places[before, 1]) / (6 * nudge)
    row[2], row[3], row[4], row[5] = x1, y1, x2, y2
    strays = 0.0
    for place, t in ((q1, CHECKED[0]), (q2, CHECKED[1]), (q3, CHECKED[2]), (q4, CHECKED[3])):
        u = 1 - t
        gone_x = places[place, 0] - (u**3 * x0 + 3 * u * u * t * x1 + 3 * u * t * t * x2 + t**3 * x3)
        gone_y = places[place, 1] - (u**3 * y0 + 3 * u * u * t * y1 + 3 * u * t * t * y2 + t**3 * y3)
        way_x = u * u * (x1 - x0) + 2 * t * u * (x2 - x1) + t * t * (x3 - x2)
        way_y = u * u * (y1 - y0) + 2 * t * u * (y2 - y1) + t * t * (y3 - y2)
        speed = max(math.hypot(way_x, way_y), 1e-12)
        strays = max(strays, abs(gone_x * way_y - gone_y * way_x) / speed)
    return CUBIC, strays


@compiled
def whole_or_halves(places, of, low, high, nudge, tolerance):
    """Segments through bent places of parts (n, 19, 2), which lie at ``bending.SHARES``: one for each part where that
    strays by no more than ``tolerance``, else one for each of its halves. Their segment, first and last parameter,
    kind, row, and by how much they stray, mm."""
    most = 2 * len(of)
    made_of, made_low, made_high = np.empty(most, np.int64), np.empty(most), np.empty(most)
    kinds, rows, strays = np.empty(most, np.uint8), np.zeros((most, 8)), np.empty(most)
    n = 0
    for k in range(len(of)):
        one = places[k]
        kinds[n], strays[n] = through(one, 0, 1, 2, 8, 9, 10, 12, 14, 15, 17, nudge, tolerance, rows[n])
        made_of[n], made_low[n], made_high[n] = of[k], low[k], high[k]
        if strays[n] <= tolerance:
            n += 1
            continue
        made_high[n] = made_low[n + 1] = (low[k] + high[k]) / 2
        made_of[n + 1], made_high[n + 1] = of[k], high[k]
        kinds[n], strays[n] = through(one, 0, 1, 2, 3, 4, 5, 11, 12, 13, 14, 2 * nudge, tolerance, rows[n])
        kinds[n + 1], strays[n + 1] = through(
            one, 5, 6, 7, 8, 9, 10, 15, 16, 17, 18, 2 * nudge, tolerance, rows[n + 1]
        )  # fmt: skip
        n += 2
    return made_of[:n], made_low[:n], made_high[:n], kinds[:n], rows[:n], strays[:n]


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
