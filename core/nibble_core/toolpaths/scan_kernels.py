"""Compiled loops of parallel strokes: where rows cross edges, and where pixels of a row are to be burnt."""

import numpy as np

from nibble_core.geometry.kernels import compiled


@compiled
def row_crossings(starts, ends, interval, phase):
    """Where horizontal rows at ``(k + phase) * interval`` cross edges (n, 2) to (n, 2), each row's own sorted.

    Returns x of all crossings, where each row's begin, and the number of the first row. An edge holds its upper end
    and not its lower one, so that every closed ring crosses every row an even number of times.
    """
    n = len(starts)
    low, high = np.empty(n, np.int64), np.empty(n, np.int64)
    first, last = np.int64(1) << 60, -(np.int64(1) << 60)
    for i in range(n):
        up, down = min(starts[i, 1], ends[i, 1]), max(starts[i, 1], ends[i, 1])
        low[i] = np.int64(np.ceil(up / interval - phase))
        high[i] = np.int64(np.ceil(down / interval - phase))
        if high[i] > low[i]:
            first, last = min(first, low[i]), max(last, high[i])
    if last <= first:
        return np.empty(0), np.zeros(1, np.int64), np.int64(0)
    begins = np.zeros(last - first + 1, np.int64)
    for i in range(n):
        for k in range(low[i], high[i]):
            begins[k - first + 1] += 1
    for k in range(1, len(begins)):
        begins[k] += begins[k - 1]
    free = begins[:-1].copy()
    xs = np.empty(begins[-1])
    for i in range(n):
        x0, y0 = starts[i, 0], starts[i, 1]
        slope = (ends[i, 0] - x0) / (ends[i, 1] - y0) if high[i] > low[i] else 0.0
        for k in range(low[i], high[i]):
            xs[free[k - first]] = x0 + ((k + phase) * interval - y0) * slope
            free[k - first] += 1
    for k in range(len(begins) - 1):
        xs[begins[k] : begins[k + 1]].sort()
    return xs, begins, first


@compiled
def snaked(xs, begins, first, interval, phase, one_way):
    """Strokes (m, 4), x0 y0 x1 y1, row by row between pairs of crossings: every other row backward, or all forward.
    Strokes without length are left out."""
    strokes = np.empty((len(xs) // 2, 4))
    m = 0
    for k in range(len(begins) - 1):
        y = (first + k + phase) * interval
        pairs = (begins[k + 1] - begins[k]) // 2
        back = not one_way and (first + k) % 2 != 0
        for p in range(pairs):
            at = begins[k] + 2 * (pairs - 1 - p if back else p)
            a, b = xs[at], xs[at + 1]
            if b - a < 1e-9:
                continue
            strokes[m, 0], strokes[m, 1] = (b, y) if back else (a, y)
            strokes[m, 2], strokes[m, 3] = (a, y) if back else (b, y)
            m += 1
    return strokes[:m]


@compiled
def runs_of_levels(levels, one_way):
    """Runs of equal levels above 0 in the rows of a picture (h, w), every other row backward, or all forward.

    Returns rows, where each run begins and ends along its row (in its direction), and its level.
    """
    h, w = levels.shape
    count = 0
    for y in range(h):
        for x in range(w):
            if levels[y, x] > 0 and (x == 0 or levels[y, x - 1] != levels[y, x]):
                count += 1
    rows, begins = np.empty(count, np.int64), np.empty(count, np.int64)
    ends, level = np.empty(count, np.int64), np.empty(count, np.uint8)
    m = 0
    for y in range(h):
        back = not one_way and y % 2 == 1
        x = w - 1 if back else 0
        while 0 <= x < w:
            own = levels[y, x]
            start = x
            while 0 <= x < w and levels[y, x] == own:
                x += -1 if back else 1
            if own > 0:
                rows[m], level[m] = y, own
                begins[m], ends[m] = (start + 1, x + 1) if back else (start, x)
                m += 1
    return rows, begins, ends, level


@compiled
def screened(tones, shares, across, down, block):
    """Dots of a turned screen, (h, w) of 0 and 1, with as many places burnt in each block as its tones ask for.

    ``across`` (4, w) and ``down`` (4, h): cosines and sines of the screen's two directions along x and along y.
    ``shares``: the limit for each value of the screen's wave from -2 to 2. In a block those places are burnt
    that exceed their limit by most; black ones always, white ones never. What rounding leaves over goes to the next
    block.
    """
    h, w = tones.shape
    burnt = np.zeros((h, w), np.uint8)
    excess = np.empty((block, block), np.int16)
    steps = (len(shares) - 1) / 4.0
    for top in range(0, h, block):
        carried = 0.0
        rows = min(block, h - top)
        for left in range(0, w, block):
            columns = min(block, w - left)
            total, over = 0, 0
            for j in range(rows):
                y = top + j
                for i in range(columns):
                    x = left + i
                    tone = np.int16(tones[y, x])
                    total += tone
                    if tone == 0:
                        excess[j, i] = -1000
                    elif tone == 255:
                        excess[j, i] = 1000
                        over += 1
                    else:
                        wave = across[0, x] * down[2, y] - across[1, x] * down[3, y]
                        wave += across[2, x] * down[0, y] + across[3, x] * down[1, y]
                        excess[j, i] = tone - np.int16(shares[np.int64((wave + 2.0) * steps)])
                        over += excess[j, i] > 0
            wanted = total / 255.0 + carried
            count = int(np.floor(wanted + 0.5))
            carried = min(max(wanted - count, -1.0), 1.0)
            limit, level = np.int16(0), 0
            if over != count:
                low, high = -999, 999  # above low are at least as many as wanted, above high fewer
                while high - low > 1:
                    middle = (low + high) // 2
                    over = 0
                    for j in range(rows):
                        for i in range(columns):
                            over += excess[j, i] > middle
                    if over >= count:
                        low = middle
                    else:
                        high = middle
                limit, level = np.int16(high), count
            for j in range(rows):
                for i in range(columns):
                    if excess[j, i] > limit:
                        burnt[top + j, left + i] = 1
                        level -= 1
            for j in range(rows):  # of those that are level as many as are still wanted
                for i in range(columns):
                    if level > 0 and excess[j, i] == limit:
                        burnt[top + j, left + i] = 1
                        level -= 1
    return burnt
