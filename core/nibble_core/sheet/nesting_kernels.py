"""Compiled loops of nesting: a sheet as rows of free and taken stretches, and masks as rows of stretches.

``runs[y, x]`` says of a cell how many cells from it to the right are free (positive) or taken (negative). A mask is
stretches ``(row, first cell, length)``. A test that fails tells how far to the right the mask must go at least, and
``longest[y]``, the longest free stretch of a row, tells of most rows that they need no look at all.
"""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled


@compiled
def empty_runs(rows, columns):
    """All free: runs, shape (rows, columns), and longest, shape (rows,)."""
    runs = np.empty((rows, columns), np.int32)
    for y in range(rows):
        for x in range(columns):
            runs[y, x] = columns - x
    return runs, np.full(rows, columns, np.int32)


@compiled
def mask_of(ring_points, ring_ends, left, top, rows, cell):
    """The cells that a shape touches, row by row: stretches (n, 3). ring_points: corners of all its rings, each closed;
    ring_ends: where each ends. Conservative: a cell that an edge runs through is touched."""
    low = np.full((rows, 64), 0.0)
    high = np.full((rows, 64), 0.0)
    count = np.zeros(rows, np.int64)
    crossings = np.empty(256)
    out = []
    for y in range(rows):
        y0, y1 = top + y * cell, top + (y + 1) * cell
        middle = (y0 + y1) / 2
        crossed, begin = 0, 0
        for end in ring_ends:
            for i in range(begin, end - 1):
                ax, ay, bx, by = ring_points[i, 0], ring_points[i, 1], ring_points[i + 1, 0], ring_points[i + 1, 1]
                if max(ay, by) < y0 or min(ay, by) > y1:
                    continue
                if ay == by:
                    a, b = min(ax, bx), max(ax, bx)
                else:
                    u = min(max((y0 - ay) / (by - ay), 0.0), 1.0)
                    v = min(max((y1 - ay) / (by - ay), 0.0), 1.0)
                    p, q = ax + u * (bx - ax), ax + v * (bx - ax)
                    a, b = min(p, q), max(p, q)
                    if (ay <= middle) != (by <= middle) and crossed < 256:
                        crossings[crossed] = ax + (middle - ay) / (by - ay) * (bx - ax)
                        crossed += 1
                _put(low, high, count, y, a, b)
            begin = end
        some = np.sort(crossings[:crossed])
        for k in range(0, crossed - 1, 2):
            _put(low, high, count, y, some[k], some[k + 1])
        for k in range(count[y]):
            first = int(math.floor((low[y, k] - left) / cell + 1e-9))
            last = int(math.ceil((high[y, k] - left) / cell - 1e-9))
            out.append((y, max(first, 0), max(last - max(first, 0), 1)))
    made = np.empty((len(out), 3), np.int64)
    for i in range(len(out)):
        made[i, 0], made[i, 1], made[i, 2] = out[i]
    return made


@compiled
def _put(low, high, count, y, a, b):
    """One more stretch of a row, joined with those it meets."""
    k = 0
    while k < count[y]:
        if low[y, k] <= b and a <= high[y, k]:
            a, b = min(a, low[y, k]), max(b, high[y, k])
            count[y] -= 1
            low[y, k], high[y, k] = low[y, count[y]], high[y, count[y]]
            k = 0
        else:
            k += 1
    if count[y] < low.shape[1]:
        low[y, count[y]], high[y, count[y]] = a, b
        count[y] += 1
    else:  # more stretches than there is room for: all of the row
        for k in range(count[y]):
            a, b = min(a, low[y, k]), max(b, high[y, k])
        low[y, 0], high[y, 0], count[y] = a, b, 1


@compiled
def take(runs, longest, mask, left, top):
    """Marks the cells of a mask, its corner at column ``left`` of row ``top``, as taken."""
    columns = runs.shape[1]
    for i in range(len(mask)):
        y = top + mask[i, 0]
        start = left + mask[i, 1]
        end = start + mask[i, 2]
        taken = runs[y, end] if end < columns and runs[y, end] < 0 else 0
        for x in range(end - 1, start - 1, -1):
            taken -= 1
            runs[y, x] = taken
        x = start - 1
        while x >= 0 and runs[y, x] < 0:
            taken -= 1
            runs[y, x] = taken
            x -= 1
        free = 0
        while x >= 0 and runs[y, x] > 0:
            free += 1
            runs[y, x] = free
            x -= 1
        if i + 1 == len(mask) or mask[i + 1, 0] != mask[i, 0]:
            most, x = 0, 0
            while x < columns:
                most = max(most, runs[y, x])
                x += abs(runs[y, x])
            longest[y] = most


@compiled
def lowest_left(runs, longest, mask, width, first_row, last_row):
    """The first place, row by row from the top and then from the left, where a mask ``width`` cells wide lies free:
    (row, column), or (-1, -1) where there is none up to ``last_row``."""
    columns = runs.shape[1]
    count = len(mask)
    worst = widest = 0
    for i in range(count):
        if mask[i, 2] > mask[widest, 2]:
            widest = i
    stride = max(1, int(0.382 * count))  # rows far from each other in turn: what stands in the way is found soon
    while math.gcd(stride, count) != 1:
        stride += 1
    for y in range(first_row, last_row + 1):
        if longest[y + mask[widest, 0]] < mask[widest, 2] or longest[y + mask[worst, 0]] < mask[worst, 2]:
            continue
        x = 0
        while x + width <= columns:
            jump = 0
            i = worst  # what stood in the way last time does so again, more often than not
            for _ in range(count):
                found = runs[y + mask[i, 0], x + mask[i, 1]]
                if found < 0:
                    jump = -found
                elif found < mask[i, 2]:
                    jump = found - runs[y + mask[i, 0], x + mask[i, 1] + found]
                if jump > 0:
                    worst = i
                    break
                i += stride
                if i >= count:
                    i -= count
            if jump == 0:
                return y, x
            x += jump
    return -1, -1


@compiled
def lay_in_order(runs, longest, order, kinds, masks, starts, widths, heights, turns, only, places, lowest):
    """Lays pieces one after the other in ``order``, each at the turn and place where it ends highest on the sheet.

    kinds: of each piece. masks: of all turns of all kinds, packed; turn t of kind k is ``starts[k, t, 0]`` to
    ``starts[k, t, 1]``, ``widths`` by ``heights`` cells; turns: how many each kind has. only: of each piece, the one
    turn that it is to have, or -1. places: (n, 3), row, column and turn, written. lowest: (kinds, turns), rows above
    which a mask is known to find nothing. Returns how far down the pieces reach.
    """
    reach = 0
    for piece in order:
        kind = kinds[piece]
        best = runs.shape[0] + 1
        best_row, best_column, best_turn = -1, -1, -1
        for turn in range(turns[kind]):
            if only[piece] >= 0 and turn != only[piece] % turns[kind]:
                continue
            mask = masks[starts[kind, turn, 0] : starts[kind, turn, 1]]
            tall, wide = heights[kind, turn], widths[kind, turn]
            last = min(best - tall, runs.shape[0] - tall)
            if wide > runs.shape[1] or lowest[kind, turn] > last:
                continue
            row, column = lowest_left(runs, longest, mask, wide, lowest[kind, turn], last)
            if row < 0:
                lowest[kind, turn] = last + 1
                continue
            lowest[kind, turn] = row
            if row + tall < best or (row + tall == best and column < best_column):
                best, best_row, best_column, best_turn = row + tall, row, column, turn
        places[piece, 0], places[piece, 1], places[piece, 2] = best_row, best_column, best_turn
        if best_row < 0:
            continue
        mask = masks[starts[kind, best_turn, 0] : starts[kind, best_turn, 1]]
        take(runs, longest, mask, best_column, best_row)
        reach = max(reach, best)
    return reach


@compiled
def slide(points, ends, own, others, dx, dy, most):
    """How far a closed ring can go in the unit direction (dx, dy) before it touches one of the others, up to ``most``.

    points, ends: corners of all rings, packed, each closed; ring i is ``points[ends[i]:ends[i + 1]]``. Exact: corner
    against edge, both ways. Rings that touch already and would go deeper give 0.
    """
    far = most
    for other in others:
        far = min(far, _until(points, ends[own], ends[own + 1], ends[other], ends[other + 1], dx, dy, far))
        far = min(far, _until(points, ends[other], ends[other + 1], ends[own], ends[own + 1], -dx, -dy, far))
        if far <= 0:
            return 0.0
    return far


@compiled
def _until(points, a0, a1, b0, b1, dx, dy, far):
    """How far corners a may go before one lies on an edge of b."""
    side_low, side_high, low, high = math.inf, -math.inf, math.inf, -math.inf
    for j in range(b0, b1 - 1):
        across, along = points[j, 0] * dy - points[j, 1] * dx, points[j, 0] * dx + points[j, 1] * dy
        side_low, side_high = min(side_low, across), max(side_high, across)
        low, high = min(low, along), max(high, along)
    for i in range(a0, a1 - 1):
        px, py = points[i, 0], points[i, 1]
        across = px * dy - py * dx
        along = px * dx + py * dy
        if across < side_low or across > side_high or along < low - far or along > high + 1e-7:
            continue  # it passes the ring, or does not come so far
        for j in range(b0, b1 - 1):
            qx, qy, rx, ry = points[j, 0], points[j, 1], points[j + 1, 0], points[j + 1, 1]
            c, d = qx * dy - qy * dx - across, rx * dy - ry * dx - across
            if (c > 0 and d > 0) or (c < 0 and d < 0) or c == d:
                continue
            t = c / (c - d)
            hit = (qx + t * (rx - qx)) * dx + (qy + t * (ry - qy)) * dy - along
            if hit > -1e-7 and hit < far:
                far = max(hit, 0.0)
    return far
