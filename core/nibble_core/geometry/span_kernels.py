"""Compiled search for the fewest lines and cubics that tell a dense open polyline.

Each division of the polyline into spans has a price: so much for every line and cubic, and the squared distances of the
samples in units of how far the source is known to scatter (minimum description length, Rissanen, Automatica 14, 1978).
A greedy division is improved by sliding joints and leaving them out until nothing gets cheaper. Where a shape truly
consists of few pieces that price is least at just those, so that fewer nodes and less distance come together.
"""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled, fit_cubic, fit_line, longest_span, nearest_parameter

LINE_KIND, CUBIC_KIND = 0, 2
MOST = 48  # samples of a span looked at in the search
APART = 2.0  # units between samples whose scatter is independent
LINE_PRICE, CUBIC_PRICE = 10.0, 22.0
STRAY_PRICE = 150.0  # of a tolerance's worth of distance, where the tolerance is passed
HOPELESS = 40.0  # tolerances: a joint whose loss strays further is not worth a closer look
SMOOTH_JOINT = 0.94  # cosine: directions that differ less are meant to agree


@compiled
def thinned(points, i, j, out):
    """At most MOST of points[i..j], both ends among them, into ``out``; returns how many."""
    n = j - i + 1
    m = min(n, MOST)
    for k in range(m):
        q = i + (k * (n - 1)) // (m - 1) if m > 1 else i
        out[k, 0], out[k, 1] = points[q, 0], points[q, 1]
    return m


@compiled
def span_price(points, i, j, step, spread, tolerance, sub, trial, row):
    """Price and kind of points[i..j] as the cheaper of a line and a cubic; the segment is put in ``row``."""
    m = thinned(points, i, j, sub)
    scale = (j - i) * step / (m * APART * spread * spread)
    cx, cy, dx, dy, worst = fit_line(sub, 0, m, 1)
    total = 0.0
    for k in range(m):
        off = (sub[k, 0] - cx) * dy - (sub[k, 1] - cy) * dx
        total += off * off
    line = LINE_PRICE + total * scale
    if worst > tolerance:
        line += STRAY_PRICE * worst / tolerance
    for k in range(8):
        row[k] = 0.0
    row[0], row[1], row[6], row[7] = sub[0, 0], sub[0, 1], sub[m - 1, 0], sub[m - 1, 1]
    if m < 5 or line <= CUBIC_PRICE:
        return line, LINE_KIND
    worst = fit_cubic(sub, 0, m - 1, 0.0, 0.0, 0.0, 0.0, True, 8, 0.5 * spread, trial)
    if worst > 1e8:
        return line, LINE_KIND
    total = walked = 0.0
    length = 0.0
    for k in range(1, m):
        length += math.hypot(sub[k, 0] - sub[k - 1, 0], sub[k, 1] - sub[k - 1, 1])
    for k in range(1, m - 1):
        walked += math.hypot(sub[k, 0] - sub[k - 1, 0], sub[k, 1] - sub[k - 1, 1])
        t = walked / length
        off = 0.0
        for _ in range(3):
            t, off = nearest_parameter(
                t, sub[k, 0], sub[k, 1], trial[0], trial[1], trial[2], trial[3], trial[4], trial[5], trial[6], trial[7]
            )
        total += off * off
    cubic = CUBIC_PRICE + total * scale
    if worst > tolerance:
        cubic += STRAY_PRICE * worst / tolerance
    if line <= cubic:
        return line, LINE_KIND
    for k in range(8):
        row[k] = trial[k]
    return cubic, CUBIC_KIND


@compiled
def slide(points, step, spread, tolerance, breaks, prices, kinds, rows, q, sub, trial, one, other):
    """Joint q moved to where the spans beside it are cheapest, by steps that halve."""
    a, b = breaks[q - 1], breaks[q + 1]
    best = prices[q - 1] + prices[q]
    width = max(1, (b - a) // 5)
    while width >= 1:
        moved = False
        for way in (-1, 1):
            at = breaks[q] + way * width
            if at - a < 2 or b - at < 2:
                continue
            left, left_kind = span_price(points, a, at, step, spread, tolerance, sub, trial, one)
            if left >= best - 1e-9:
                continue
            right, right_kind = span_price(points, at, b, step, spread, tolerance, sub, trial, other)
            if left + right < best - 1e-9:
                best, moved = left + right, True
                breaks[q] = at
                prices[q - 1], prices[q], kinds[q - 1], kinds[q] = left, right, left_kind, right_kind
                rows[q - 1], rows[q] = one, other
                break
        if not moved:
            width //= 2


@compiled
def leave_out(points, step, spread, tolerance, breaks, prices, kinds, rows, count, q, sub, trial, one, other):
    """The division without joint q, its neighbours slid, if that is cheaper; returns the new count."""
    price, kind = span_price(points, breaks[q - 1], breaks[q + 1], step, spread, tolerance, sub, trial, one)
    before = prices[q - 1] + prices[q]
    if price > before + HOPELESS * STRAY_PRICE:
        return count
    low, high = max(0, q - 2), min(count, q + 2)  # the spans that may change
    for k in range(low, q - 1):
        before += prices[k]
    for k in range(q + 1, high):
        before += prices[k]
    size = count - 1
    new_breaks, new_prices = np.empty(size + 1, np.int64), np.empty(size)
    new_kinds, new_rows = np.empty(size, np.int64), np.empty((size, 8))
    for k in range(size + 1):
        new_breaks[k] = breaks[k] if k < q else breaks[k + 1]
    for k in range(size):
        of = k if k < q else k + 1
        new_prices[k], new_kinds[k], new_rows[k] = prices[of], kinds[of], rows[of]
    new_prices[q - 1], new_kinds[q - 1], new_rows[q - 1] = price, kind, one
    if price > prices[q - 1] + prices[q]:
        for joint in (q - 1, q, q - 1):
            if 1 <= joint < size:
                slide(points, step, spread, tolerance, new_breaks, new_prices, new_kinds, new_rows, joint, sub, trial,
                      one, other)  # fmt: skip
        after = 0.0
        for k in range(low, high - 1):
            after += new_prices[k]
        if after >= before:
            return count
    for k in range(size + 1):
        breaks[k] = new_breaks[k]
    for k in range(size):
        prices[k], kinds[k], rows[k] = new_prices[k], new_kinds[k], new_rows[k]
    return size


@compiled
def divide(points, step, spread, tolerance, breaks, count, kinds, rows):
    """Improves a division in place; ``count`` spans between breaks[0] and breaks[count]. Returns the new count.

    kinds (count,), rows (count, 8): the segment of each span, fitted by itself.
    """
    sub, trial, one, other = np.empty((MOST, 2)), np.empty(8), np.empty(8), np.empty(8)
    prices = np.empty(count)
    for k in range(count):
        prices[k], kinds[k] = span_price(
            points, breaks[k], breaks[k + 1], step, spread, tolerance, sub, trial, rows[k]
        )  # fmt: skip
    for _ in range(4):
        for q in range(1, count):
            slide(points, step, spread, tolerance, breaks, prices, kinds, rows, q, sub, trial, one, other)
        size = count
        q = 1
        while q < count:
            fewer = leave_out(
                points, step, spread, tolerance, breaks, prices, kinds, rows, count, q, sub, trial, one, other
            )
            if fewer == count:
                q += 1
            count = fewer
        if count == size:
            break
    return count


@compiled
def greedy(points, tolerance, breaks):
    """Longest cubics one after the other; fills ``breaks``, returns the number of spans."""
    n, count, i, row = len(points), 0, 0, np.empty(8)
    breaks[0] = 0
    while i < n - 1:
        i = longest_span(points, i, tolerance, row)
        count += 1
        breaks[count] = i
    return count


@compiled
def end_way(row, kind, at_end):
    """Unit direction of travel at the start or the end of a segment."""
    if kind == LINE_KIND:
        x, y = row[6] - row[0], row[7] - row[1]
    elif at_end:
        x, y = row[6] - row[4], row[7] - row[5]
    else:
        x, y = row[2] - row[0], row[3] - row[1]
    size = math.hypot(x, y) + 1e-12
    return x / size, y / size


@compiled
def joined(points, step, tolerance, breaks, count, closed, span_kinds, spans, rows, kinds, m):
    """The spans as one run of segments appended at rows[m:], smooth where they nearly are; returns the new m.

    Lines keep to the samples between their ends; a cubic beside one takes its direction over, two cubics share the
    mean of theirs.
    """
    places = np.empty((count + 1, 2))
    for q in range(count + 1):
        places[q] = points[breaks[q]]
    last = 0 if closed else 1
    for q in range(last, count + 1 - last):
        before, after = (q - 1) % count, q % count
        for k in (before, after):  # on the line through a straight neighbour
            if span_kinds[k] == LINE_KIND and breaks[k + 1] - breaks[k] >= 4:
                cx, cy, dx, dy, _ = fit_line(points, breaks[k] + 1, breaks[k + 1] - breaks[k] - 1, 1)
                along = (places[q, 0] - cx) * dx + (places[q, 1] - cy) * dy
                places[q, 0], places[q, 1] = cx + along * dx, cy + along * dy
    if closed:
        places[count] = places[0]
    for q in range(count):
        spans[q, 0], spans[q, 1], spans[q, 6], spans[q, 7] = (
            places[q, 0], places[q, 1], places[q + 1, 0], places[q + 1, 1],
        )  # fmt: skip
    way = np.zeros((count + 1, 2))
    for q in range(count + 1):
        if not closed and (q == 0 or q == count):
            continue
        before, after = (q - 1) % count, q % count
        ax, ay = end_way(spans[before], span_kinds[before], True)
        bx, by = end_way(spans[after], span_kinds[after], False)
        if ax * bx + ay * by < SMOOTH_JOINT:
            continue
        if span_kinds[before] == LINE_KIND and span_kinds[after] == LINE_KIND:
            continue
        if span_kinds[before] == LINE_KIND:
            x, y = ax, ay
        elif span_kinds[after] == LINE_KIND:
            x, y = bx, by
        else:
            one = math.sqrt(breaks[before + 1] - breaks[before])
            two = math.sqrt(breaks[after + 1] - breaks[after])
            x, y = ax * one + bx * two, ay * one + by * two
        size = math.hypot(x, y) + 1e-12
        way[q, 0], way[q, 1] = x / size, y / size
    for q in range(count):
        if span_kinds[q] == LINE_KIND:
            for k in range(8):
                rows[m, k] = 0.0
            rows[m, 0], rows[m, 1], rows[m, 6], rows[m, 7] = (
                places[q, 0], places[q, 1], places[q + 1, 0], places[q + 1, 1],
            )  # fmt: skip
            kinds[m] = LINE_KIND
            m += 1
            continue
        part = points[breaks[q] : breaks[q + 1] + 1].copy()
        part[0], part[-1] = places[q], places[q + 1]
        sx, sy = way[q, 0], way[q, 1]
        ex, ey = way[q + 1, 0], way[q + 1, 1]
        if sx == 0.0 and sy == 0.0:
            sx, sy = end_way(spans[q], CUBIC_KIND, False)
        if ex == 0.0 and ey == 0.0:
            ex, ey = end_way(spans[q], CUBIC_KIND, True)
        error = fit_cubic(part, 0, len(part) - 1, sx, sy, -ex, -ey, False, 12, 0.3 * tolerance, rows[m])
        if error > 1e8:
            rows[m] = spans[q]
        kinds[m] = CUBIC_KIND
        m += 1
    return m


@compiled
def lay_open(points, step, spread, tolerance, rows, kinds, m):
    """Few lines and cubics from the first to the last of ``points`` (n, 2), appended at rows[m:]; the new m."""
    n = len(points)
    breaks = np.empty(n + 2, np.int64)
    count = greedy(points, min(tolerance, 3.0 * spread), breaks)
    span_kinds, spans = np.empty(count, np.int64), np.empty((count, 8))
    count = divide(points, step, spread, tolerance, breaks, count, span_kinds, spans)
    return joined(points, step, tolerance, breaks, count, False, span_kinds, spans, rows, kinds, m)


@compiled
def lay_closed(points, step, spread, tolerance, rows, kinds):
    """Few lines and cubics round a cornerless ring (n, 2), whose last point is not repeated; how many.

    A first division of the ring opened anywhere gives a joint to open it at for the second.
    """
    n = len(points)
    start = 0
    breaks = np.empty(n + 3, np.int64)
    opened = np.empty((n + 1, 2))
    count = 0
    for attempt in range(2):
        for k in range(n + 1):
            opened[k] = points[(start + k) % n]
        if attempt == 0:
            count = greedy(opened, min(tolerance, 3.0 * spread), breaks)
        span_kinds, spans = np.empty(count, np.int64), np.empty((count, 8))
        count = divide(opened, step, spread, tolerance, breaks, count, span_kinds, spans)
        if attempt == 1 or count < 3:
            break
        joint = count // 2
        shift, turned = breaks[joint], np.empty(count + 1, np.int64)
        for q in range(count + 1):
            turned[q] = (breaks[(joint + q) % count] - shift) % n
        turned[count] = n
        for q in range(count + 1):
            breaks[q] = turned[q]
        start = (start + shift) % n
    return joined(opened, step, tolerance, breaks, count, True, span_kinds, spans, rows, kinds, 0)
