"""Compiled search for the fewest lines and cubics that tell a dense open polyline.

Each division of the polyline into spans has a price: so much for every line and cubic, and the squared distances of the
samples in units of how far the source is known to scatter (minimum description length, Rissanen, Automatica 14, 1978).
A greedy division is improved by sliding joints and leaving them out until nothing gets cheaper. Where a shape truly
consists of few pieces that price is least at just those, so that fewer nodes and less distance come together.
"""

import math

import numpy as np

from nibble_core.geometry.kernels import (
    compiled,
    fit_cubic,
    fit_line,
    longest_span,
    nearest_parameter,
    solve_in_place,
)

LINE_KIND, CUBIC_KIND = 0, 2
MOST = 48  # samples of a span looked at in the search
MOST_ROUNDS = 24
LONGEST_HANDLE = 0.8  # of a span's length
SMOOTHED = 4.0  # units on each side over which samples are smoothed before they are divided
APART = 8.0  # units between samples whose scatter is independent: edges near an axis ripple slowly
LINE_PRICE, CUBIC_PRICE = 12.0, 26.0
STRAY_PRICE = 150.0  # of a tolerance's worth of distance, where the tolerance is passed
HOPELESS = 40.0  # tolerances: a joint whose loss strays further is not worth a closer look
LEVEL = 0.1  # of price: where a joint's two steps aside cost less, none between would gain more
LEAST_HANDLE = 0.06  # of the chord
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
def free_cubic(sub, m, row):
    """The least squares cubic between the first and the last of m samples, into ``row``: sum of squares, largest.

    Two rounds by chord length, then Gauss-Newton on the normal distances until the sum hardly falls.
    """
    x0, y0, x3, y3 = sub[0, 0], sub[0, 1], sub[m - 1, 0], sub[m - 1, 1]
    ts, chord = np.empty(m), 0.0
    ts[0] = 0.0
    for k in range(1, m):
        chord += math.hypot(sub[k, 0] - sub[k - 1, 0], sub[k, 1] - sub[k - 1, 1])
        ts[k] = chord
    if chord < 1e-9:
        return 1e18, 1e9
    for k in range(m):
        ts[k] /= chord
    x1, y1, x2, y2 = x0 + (x3 - x0) / 3, y0 + (y3 - y0) / 3, x3 - (x3 - x0) / 3, y3 - (y3 - y0) / 3
    best, best_worst = 1e18, 1e9
    a, g, v = np.empty((4, 4)), np.empty(4), np.empty(4)
    for it in range(MOST_ROUNDS):
        a[:] = 0.0
        g[:] = 0.0
        for k in range(1, m - 1):
            t = ts[k]
            u = 1 - t
            b0, b1, b2, b3 = u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t
            rx, ry = sub[k, 0] - b0 * x0 - b3 * x3, sub[k, 1] - b0 * y0 - b3 * y3
            for component in range(2 if it < 2 else 1):
                if it < 2:
                    nx, ny = 1.0 - component, 1.0 * component
                else:
                    dx = u * u * (x1 - x0) + 2 * u * t * (x2 - x1) + t * t * (x3 - x2)
                    dy = u * u * (y1 - y0) + 2 * u * t * (y2 - y1) + t * t * (y3 - y2)
                    size = math.sqrt(dx * dx + dy * dy) + 1e-12
                    nx, ny = dy / size, -dx / size
                v[0], v[1], v[2], v[3] = b1 * nx, b1 * ny, b2 * nx, b2 * ny
                r = nx * rx + ny * ry
                for p in range(4):
                    g[p] += v[p] * r
                    for q in range(p, 4):
                        a[p, q] += v[p] * v[q]
        for p in range(4):
            for q in range(p):
                a[p, q] = a[q, p]
        damping = 1e-5 * (a[0, 0] + a[1, 1] + a[2, 2] + a[3, 3])
        g[0] += damping * x1
        g[1] += damping * y1
        g[2] += damping * x2
        g[3] += damping * y2
        for p in range(4):
            a[p, p] += damping
        if not solve_in_place(a, g, 4):
            break
        x1, y1, x2, y2 = g[0], g[1], g[2], g[3]
        size = math.hypot(x1 - x0, y1 - y0)
        if size > LONGEST_HANDLE * chord:
            x1, y1 = x0 + (x1 - x0) * LONGEST_HANDLE * chord / size, y0 + (y1 - y0) * LONGEST_HANDLE * chord / size
        size = math.hypot(x2 - x3, y2 - y3)
        if size > LONGEST_HANDLE * chord:
            x2, y2 = x3 + (x2 - x3) * LONGEST_HANDLE * chord / size, y3 + (y2 - y3) * LONGEST_HANDLE * chord / size
        total = worst = 0.0
        for k in range(1, m - 1):
            ts[k], off = nearest_parameter(ts[k], sub[k, 0], sub[k, 1], x0, y0, x1, y1, x2, y2, x3, y3)
            total += off * off
            worst = max(worst, off)
        gain = best - total
        if total < best:
            best, best_worst = total, worst
            row[0], row[1], row[2], row[3], row[4], row[5], row[6], row[7] = x0, y0, x1, y1, x2, y2, x3, y3
        if it > 3 and gain < 0.004 * best:
            break
    # a handle that leaves against the walk folds the curve over its own end, where no sample would notice
    k = min(2, m - 1)
    if (row[2] - x0) * (sub[k, 0] - x0) + (row[3] - y0) * (sub[k, 1] - y0) < 0:
        return 1e18, 1e9
    if (row[4] - x3) * (sub[m - 1 - k, 0] - x3) + (row[5] - y3) * (sub[m - 1 - k, 1] - y3) < 0:
        return 1e18, 1e9
    return best, best_worst


@compiled
def line_through(points, i, j):
    """Total least squares line of points[i..j]: sum of squared distances, a place on it, its direction."""
    n = j - i + 1
    x0, y0 = points[i, 0], points[i, 1]
    sx = sy = xx = xy = yy = 0.0
    for k in range(i, j + 1):
        x, y = points[k, 0] - x0, points[k, 1] - y0
        sx += x
        sy += y
        xx += x * x
        xy += x * y
        yy += y * y
    xx, xy, yy = xx - sx * sx / n, xy - sx * sy / n, yy - sy * sy / n
    theta = 0.5 * math.atan2(2 * xy, xx - yy)
    least = 0.5 * (xx + yy) - math.hypot(0.5 * (xx - yy), xy)
    return max(least, 0.0), x0 + sx / n, y0 + sy / n, math.cos(theta), math.sin(theta)


@compiled
def span_price(points, i, j, step, spread, tolerance, sub, trial, row):
    """Price and kind of points[i..j] as the cheaper of a line and a cubic; the segment is put in ``row``."""
    m = thinned(points, i, j, sub)
    # every sample counts for a line: few at equal distances would beat with the slow ripple of an edge near an axis
    total, cx, cy, dx, dy = line_through(points, i, j)
    worst = 0.0
    for k in range(m):
        worst = max(worst, abs((sub[k, 0] - cx) * dy - (sub[k, 1] - cy) * dx))
    line = LINE_PRICE + total * step / (APART * spread * spread)
    if worst > tolerance:
        line += STRAY_PRICE * worst / tolerance
    scale = (j - i) * step / (m * APART * spread * spread)
    for k in range(8):
        row[k] = 0.0
    row[0], row[1], row[6], row[7] = sub[0, 0], sub[0, 1], sub[m - 1, 0], sub[m - 1, 1]
    if m < 5 or line <= CUBIC_PRICE:
        return line, LINE_KIND
    total, worst = free_cubic(sub, m, trial)
    if worst > 1e8:
        return line, LINE_KIND
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
    """Joint q moved to where the spans beside it are cheapest, by steps that halve until they hardly matter."""
    a, b = breaks[q - 1], breaks[q + 1]
    best = prices[q - 1] + prices[q]
    width, was = max(1, (b - a) // 5), -1
    while width >= 1:
        moved, here, rise = False, breaks[q], 0.0
        for way in (-1, 1):
            at = here + way * width
            if at == was or at - a < 2 or b - at < 2:
                continue
            left, left_kind = span_price(points, a, at, step, spread, tolerance, sub, trial, one)
            if left >= best - 1e-9:
                rise = max(rise, left - best + LINE_PRICE)
                continue
            right, right_kind = span_price(points, at, b, step, spread, tolerance, sub, trial, other)
            rise = max(rise, left + right - best)
            if left + right < best - 1e-9:
                best, moved = left + right, True
                was, breaks[q] = here, at
                prices[q - 1], prices[q], kinds[q - 1], kinds[q] = left, right, left_kind, right_kind
                rows[q - 1], rows[q] = one, other
                break
        if not moved:
            if rise < LEVEL:
                break
            width //= 2


@compiled
def leave_out(points, step, spread, tolerance, breaks, prices, kinds, rows, count, q, sub, trial, one, other):
    """The division without joint q, its neighbours slid, if that is cheaper; returns the new count."""
    price, kind = span_price(points, breaks[q - 1], breaks[q + 1], step, spread, tolerance, sub, trial, one)
    if price > prices[q - 1] + prices[q] + HOPELESS * STRAY_PRICE:
        return count
    low, high = max(0, q - 2), min(count, q + 2)  # the spans that may change
    size, at = high - low - 1, q - 1 - low  # how many are left of them, and which is the joined one
    new_breaks, new_prices = np.empty(size + 1, np.int64), np.empty(size)
    new_kinds, new_rows = np.empty(size, np.int64), np.empty((size, 8))
    for k in range(size + 1):
        new_breaks[k] = breaks[low + k if k <= at else low + k + 1]
    before = after = 0.0
    for k in range(low, high):
        before += prices[k]
    for k in range(size):
        of = low + k if k <= at else low + k + 1
        new_prices[k], new_kinds[k], new_rows[k] = prices[of], kinds[of], rows[of]
    new_prices[at], new_kinds[at], new_rows[at] = price, kind, one
    if price > prices[q - 1] + prices[q]:
        for joint in (at, at + 1, at):
            if 1 <= joint < size:
                slide(points, step, spread, tolerance, new_breaks, new_prices, new_kinds, new_rows, joint, sub, trial,
                      one, other)  # fmt: skip
        for k in range(size):
            after += new_prices[k]
        if after >= before:
            return count
    for k in range(size + 1):
        breaks[low + k] = new_breaks[k]
    for k in range(size):
        prices[low + k], kinds[low + k], rows[low + k] = new_prices[k], new_kinds[k], new_rows[k]
    for k in range(low + size, count - 1):
        prices[k], kinds[k], rows[k] = prices[k + 1], kinds[k + 1], rows[k + 1]
        breaks[k + 1] = breaks[k + 2]
    return count - 1


@compiled
def stirred(changed, q, count):
    """Whether a joint within two of joint q has changed."""
    return changed[max(0, q - 2) : min(count, q + 2) + 1].any()


@compiled
def divide(points, step, spread, tolerance, breaks, count, kinds, rows, rounds):
    """Improves a division in place; ``count`` spans between breaks[0] and breaks[count]. Returns the new count.

    ``rounds``: of sliding and leaving out, at most; none for a preview. Joints are looked at again only while others
    near them change. kinds (count,), rows (count, 8): the segment of each span, fitted by itself.
    """
    sub, trial, one, other = np.empty((MOST, 2)), np.empty(8), np.empty(8), np.empty(8)
    prices = np.empty(count)
    for k in range(count):
        prices[k], kinds[k] = span_price(
            points, breaks[k], breaks[k + 1], step, spread, tolerance, sub, trial, rows[k]
        )  # fmt: skip
    changed = np.ones(count + 1, np.bool_)
    for _ in range(rounds):
        changing = np.zeros(count + 1, np.bool_)
        for q in range(1, count):
            if stirred(changed, q, count) or stirred(changing, q, count):
                at = breaks[q]
                slide(points, step, spread, tolerance, breaks, prices, kinds, rows, q, sub, trial, one, other)
                changing[q] = breaks[q] != at
        size = count
        q = 1
        while q < count:
            if not (stirred(changed, q, count) or stirred(changing, q, count)):
                q += 1
                continue
            fewer = leave_out(
                points, step, spread, tolerance, breaks, prices, kinds, rows, count, q, sub, trial, one, other
            )
            if fewer == count:
                q += 1
                continue
            for k in range(q, count):
                changed[k], changing[k] = changed[k + 1], changing[k + 1]
            changing[q - 1], changing[q] = True, True
            count = fewer
        if count == size:
            break
        changed = changing
    return count


@compiled
def smoothed(points, half, closed):
    """``smoothed_over`` at most a twelfth of the points on each side, which keeps the shape of short polylines."""
    return smoothed_over(points, min(half, len(points) // 12), closed)


@compiled
def smoothed_over(points, half, closed):
    """Each point on the parabola through its ``half`` neighbours on both sides (Savitzky and Golay, Anal. Chem. 36,
    1964); fewer where an open polyline ends. A closed one repeats its first point at its end."""
    n = len(points)
    ring = n - 1
    out = points.copy()
    if half < 2:
        return out
    for i in range(n):
        h = half if closed else min(half, i, n - 1 - i)
        if h < 2:
            continue
        # weights of the quadratic smoother: 3 (3 h² + 3 h - 1 - 5 k²) / ((2 h - 1)(2 h + 1)(2 h + 3))
        x = y = 0.0
        for k in range(-h, h + 1):
            weight = 3.0 * (3 * h * h + 3 * h - 1 - 5 * k * k)
            j = (i + k) % ring if closed else i + k
            x += weight * points[j, 0]
            y += weight * points[j, 1]
        whole = (2.0 * h - 1) * (2 * h + 1) * (2 * h + 3)
        out[i, 0], out[i, 1] = x / whole, y / whole
    return out


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
    """Unit direction of travel at the start or the end of a segment; a very short handle says nothing of it, so that
    the other one decides."""
    if kind == LINE_KIND:
        x, y = row[6] - row[0], row[7] - row[1]
    else:
        chord = math.hypot(row[6] - row[0], row[7] - row[1])
        if at_end:
            x, y = row[6] - row[4], row[7] - row[5]
            if math.hypot(x, y) < LEAST_HANDLE * chord:
                x, y = row[6] - row[2], row[7] - row[3]
        else:
            x, y = row[2] - row[0], row[3] - row[1]
            if math.hypot(x, y) < LEAST_HANDLE * chord:
                x, y = row[4] - row[0], row[5] - row[1]
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
def lay_open(points, step, spread, tolerance, rows, kinds, m, rounds):
    """Few lines and cubics from the first to the last of ``points`` (n, 2), appended at rows[m:]; the new m."""
    n = len(points)
    points = smoothed(points, int(round(SMOOTHED / step)), False)
    breaks = np.empty(n + 2, np.int64)
    count = greedy(points, min(tolerance, 3.0 * spread), breaks)
    span_kinds, spans = np.empty(count, np.int64), np.empty((count, 8))
    count = divide(points, step, spread, tolerance, breaks, count, span_kinds, spans, rounds)
    return joined(points, step, tolerance, breaks, count, False, span_kinds, spans, rows, kinds, m)


@compiled
def lay_closed(points, step, spread, tolerance, rows, kinds, rounds):
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
        opened = smoothed(opened, int(round(SMOOTHED / step)), True)
        if attempt == 0:
            count = greedy(opened, min(tolerance, 3.0 * spread), breaks)
        span_kinds, spans = np.empty(count, np.int64), np.empty((count, 8))
        count = divide(opened, step, spread, tolerance, breaks, count, span_kinds, spans, rounds)
        if attempt == 1 or count < 3 or rounds == 0:
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
