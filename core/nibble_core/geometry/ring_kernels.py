"""Compiled loops that turn one closed ring of dense points into few lines and cubics.

The ring comes in pixels: it is the iso-line of a grey picture. The order of work follows what gives few nodes:
whole circles, then corners (two straight arms against one bend), then straight runs, then the longest cubics.
"""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled, fit_circle, fit_cubic, fit_line, fit_parabola, longest_span

KAPPA = 4 / 3 * math.tan(math.pi / 8)
CIRCLE_SHRINK = 1.000147  # a circle of four cubics bulges by this on average
LINE_KIND, CUBIC_KIND = 0, 2
HALVE_BEYOND = 1.3  # tolerances; the polish takes care of less


@compiled
def resample(ring, wanted_step):
    """A closed ring at equal steps of about ``wanted_step``: points (m, 2) and the true step."""
    n = len(ring)
    length = 0.0
    for i in range(n):
        j = i + 1 if i + 1 < n else 0
        length += math.hypot(ring[j, 0] - ring[i, 0], ring[j, 1] - ring[i, 1])
    m = max(8, int(round(length / wanted_step)))
    step = length / m
    out = np.empty((m, 2))
    k, walked, target = 0, 0.0, 0.0
    for i in range(n):
        j = i + 1 if i + 1 < n else 0
        dx, dy = ring[j, 0] - ring[i, 0], ring[j, 1] - ring[i, 1]
        chord = math.hypot(dx, dy)
        while k < m and target <= walked + chord + 1e-9:
            u = (target - walked) / chord if chord > 0 else 0.0
            out[k, 0], out[k, 1] = ring[i, 0] + u * dx, ring[i, 1] + u * dy
            k += 1
            target = k * step
        walked += chord
    while k < m:
        out[k] = ring[0]
        k += 1
    return out, step


@compiled
def crossing(ax, ay, ux, uy, bx, by, vx, vy):
    """Where two lines (point, direction) cross: found, x, y."""
    d = ux * vy - uy * vx
    if abs(d) < 1e-6:
        return False, 0.0, 0.0
    t = ((bx - ax) * vy - (by - ay) * vx) / d
    return True, ax + t * ux, ay + t * uy


@compiled
def find_corners(points, step, noise, least_degrees):
    """Corners of a resampled ring: indices (c,) and the apex (n, 2) that two arms point to.

    At each sample a straight arm is fitted forward and backward. It is a corner when the arms' crossing lies
    nearer to the ring than the apex of an arc turning as much would (d/2 tan(angle/4)): an arc leaves its
    tangents' crossing outside, a corner comes close to it. Four arm lengths, longest first.
    """
    n = len(points)
    turn, off, apex = np.zeros(n), np.full(n, 1e9), np.zeros((n, 2))
    skip = max(1, int(math.ceil(1.0 / step)))
    limit = 0.13 + 1.2 * noise
    for i in range(n):
        for level in range(4):
            arm = 8.0 if level == 0 else (5.5 if level == 1 else (3.8 if level == 2 else 2.6))
            reach = int(round(arm / step))
            if 2 * reach + 2 > n or reach - skip < 2:
                continue
            fx, fy, fu, fv, worst = fit_line(points, i + skip, reach - skip + 1, 1)
            if worst > limit:
                continue
            gx, gy, gu, gv, worst = fit_line(points, i - skip, reach - skip + 1, -1)
            if worst > limit:
                continue
            angle = abs(math.atan2(-gu * fv + gv * fu, -gu * fu - gv * fv))
            if angle * 57.29578 < least_degrees * (1.0 if level < 2 else 1.5):
                break
            found, px, py = crossing(fx, fy, fu, fv, gx, gy, gu, gv)
            if not found:
                break
            nearest = 1e9
            for k in range(-skip, skip + 1):
                q = (i + k) % n
                nearest = min(nearest, math.hypot(points[q, 0] - px, points[q, 1] - py))
            if nearest < 0.25 * (skip + reach) * step * math.tan(angle / 4) + 0.02:
                turn[i] = angle
                off[i] = math.hypot(points[i, 0] - px, points[i, 1] - py)
                apex[i, 0], apex[i, 1] = px, py
            break
    out = np.empty(n, np.int64)
    m, r = 0, max(2, int(round(2.0 / step)))
    for i in range(n):
        if turn[i] == 0:
            continue
        best = True
        for k in range(-r, r + 1):
            j = (i + k) % n
            if j != i and turn[j] > 0 and (off[j] < off[i] or (off[j] == off[i] and j < i)):
                best = False
                break
        if best:
            out[m] = i
            m += 1
    return out[:m].copy(), apex


@compiled
def refine_corner(points, step, i, px, py, forward, backward, noise):
    """The crossing of parabolas fitted to both arms, or (px, py) when they do not meet nearby."""
    skip = max(1, int(math.ceil(1.2 / step)))
    longest = int(round((10.0 + 20 * noise) / step))
    f, b = min(longest, int(forward * 0.8)), min(longest, int(backward * 0.8))
    if f - skip < 6 or b - skip < 6:
        return px, py
    cf = fit_parabola(points, i + skip, f - skip + 1, 1, step, skip * step)
    cb = fit_parabola(points, i - skip, b - skip + 1, -1, step, skip * step)
    s = t = 0.0
    for _ in range(8):
        x = cf[0, 0] + cf[1, 0] * s + cf[2, 0] * s * s - cb[0, 0] - cb[1, 0] * t - cb[2, 0] * t * t
        y = cf[0, 1] + cf[1, 1] * s + cf[2, 1] * s * s - cb[0, 1] - cb[1, 1] * t - cb[2, 1] * t * t
        a11, a21 = cf[1, 0] + 2 * cf[2, 0] * s, cf[1, 1] + 2 * cf[2, 1] * s
        a12, a22 = -cb[1, 0] - 2 * cb[2, 0] * t, -cb[1, 1] - 2 * cb[2, 1] * t
        d = a11 * a22 - a12 * a21
        if abs(d) < 1e-3:
            return px, py
        s -= (x * a22 - y * a12) / d
        t -= (a11 * y - a21 * x) / d
        if abs(s) > 6 or abs(t) > 6:
            return px, py
    x = cf[0, 0] + cf[1, 0] * s + cf[2, 0] * s * s
    y = cf[0, 1] + cf[1, 1] * s + cf[2, 1] * s * s
    if math.hypot(x - px, y - py) > 1.0:
        return px, py
    return x, y


@compiled
def place_corners(points, step, noise, corners, apex, straight_limit):
    """Where corners truly lie (c, 2), and for each side after a corner: 1 straight, 2 very short, 0 bent.

    The crossing of the whole sides' lines is far better than any local estimate, so a corner between two
    straight sides is put there, and one beside a single straight side is projected on it.
    """
    n, c = len(points), len(corners)
    skip = max(1, int(math.ceil(1.2 / step)))
    place, lines, side = np.zeros((c, 2)), np.zeros((c, 4)), np.zeros(c, np.int64)
    for k in range(c):
        i = corners[k]
        forward, backward = (corners[(k + 1) % c] - i) % n, (i - corners[k - 1]) % n
        if c == 1:
            forward = backward = n
        place[k, 0], place[k, 1] = refine_corner(points, step, i, apex[i, 0], apex[i, 1], forward, backward, noise)
        if forward - 2 * skip >= 2:
            cx, cy, dx, dy, worst = fit_line(points, i + skip, forward - 2 * skip + 1, 1)
            if worst <= straight_limit:
                side[k] = 1
                lines[k, 0], lines[k, 1], lines[k, 2], lines[k, 3] = cx, cy, dx, dy
        elif forward * step < 4:
            side[k] = 2
    for k in range(c):
        b = k - 1 if k > 0 else c - 1
        if side[k] == 1 and side[b] == 1:
            p, q = lines[b], lines[k]
            found, x, y = crossing(p[0], p[1], p[2], p[3], q[0], q[1], q[2], q[3])
            if found and math.hypot(x - place[k, 0], y - place[k, 1]) < 2.0:
                place[k, 0], place[k, 1] = x, y
        elif side[k] == 1 or side[b] == 1:
            p = lines[k] if side[k] == 1 else lines[b]
            t = (place[k, 0] - p[0]) * p[2] + (place[k, 1] - p[1]) * p[3]
            place[k, 0], place[k, 1] = p[0] + t * p[2], p[1] + t * p[3]
    return place, side


@compiled
def tangent(points, i, window, side):
    """Unit tangent of an open polyline at i by least squares; side -1 backward, 0 both, 1 forward."""
    n = len(points)
    low = max(0, i - window) if side <= 0 else i
    high = min(n - 1, i + window) if side >= 0 else i
    if high - low < 2:
        low, high = max(0, low - 1), min(n - 1, high + 1)
    if high - low < 4:
        dx, dy = points[high, 0] - points[low, 0], points[high, 1] - points[low, 1]
    else:
        c = fit_parabola(points, low, high - low + 1, 1, 1.0, float(low - i))
        dx, dy = c[1, 0], c[1, 1]
    size = math.hypot(dx, dy)
    if size < 1e-12:
        return 1.0, 0.0
    return dx / size, dy / size


@compiled
def put_line(x0, y0, x1, y1, row):
    """A line in the row layout of geometry.paths."""
    for k in range(8):
        row[k] = 0.0
    row[0], row[1], row[6], row[7] = x0, y0, x1, y1


@compiled
def joint_tangents(free, breaks, count, tx0, ty0, tx1, ty1, free0, free1):
    """Unit directions (count + 1, 2) at the joints of ``count`` freely fitted cubics: the mean of what both
    sides found, weighed by the square roots of their lengths; given at the ends unless those are free."""
    out = np.empty((count + 1, 2))
    for q in range(count + 1):
        x = y = 0.0
        if q > 0:
            row = free[q - 1]
            ux, uy = row[6] - row[4], row[7] - row[5]
            weight = math.sqrt(breaks[q] - breaks[q - 1]) / (math.hypot(ux, uy) + 1e-12)
            x += ux * weight
            y += uy * weight
        if q < count:
            row = free[q]
            ux, uy = row[2] - row[0], row[3] - row[1]
            weight = math.sqrt(breaks[q + 1] - breaks[q]) / (math.hypot(ux, uy) + 1e-12)
            x += ux * weight
            y += uy * weight
        if q == 0 and not free0:
            x, y = tx0, ty0
        if q == count and not free1:
            x, y = -tx1, -ty1
        size = math.hypot(x, y) + 1e-12
        out[q, 0], out[q, 1] = x / size, y / size
    return out


@compiled
def fit_span(points, tolerance, tx0, ty0, tx1, ty1, free0, free1, rows, kinds, m):
    """Cubics through an open polyline, tangent-continuous at their joints, appended at rows[m:].

    (tx0, ty0) and (tx1, ty1) point into the span; ``free`` ends do not impose theirs. Greedy longest spans with
    free handles, then common tangents at the joints; a span that these push beyond the tolerance is halved.
    Returns the new m.
    """
    n = len(points)
    if n <= 3:
        put_line(points[0, 0], points[0, 1], points[n - 1, 0], points[n - 1, 1], rows[m])
        kinds[m] = LINE_KIND
        return m + 1
    trial = np.empty(8)
    both_free = free0 and free1
    if fit_cubic(points, 0, n - 1, tx0, ty0, tx1, ty1, both_free, 16, tolerance, trial) <= tolerance:
        rows[m] = trial
        kinds[m] = CUBIC_KIND
        return m + 1
    breaks, free, count, i = np.empty(n + 2, np.int64), np.empty((n + 2, 8)), 0, 0
    breaks[0] = 0
    while i < n - 1:
        i = longest_span(points, i, tolerance, free[count])
        count += 1
        breaks[count] = i
    if count >= 2:  # a short last span: share its length with the one before
        a, b, c = breaks[count - 2], breaks[count - 1], breaks[count]
        if c - b < 0.6 * (b - a):
            middle, other = (a + c) // 2, np.empty(8)
            e1 = fit_cubic(points, a, middle, 0.0, 0.0, 0.0, 0.0, True, 8, tolerance, trial)
            e2 = fit_cubic(points, middle, c, 0.0, 0.0, 0.0, 0.0, True, 8, tolerance, other)
            if e1 <= tolerance and e2 <= tolerance:
                breaks[count - 1] = middle
                free[count - 2] = trial
                free[count - 1] = other
    for attempt in range(3):
        way = joint_tangents(free, breaks, count, tx0, ty0, tx1, ty1, free0, free1)
        wide = np.zeros(count, np.uint8)
        strays = 0
        for q in range(count):
            error = fit_cubic(
                points, breaks[q], breaks[q + 1], way[q, 0], way[q, 1], -way[q + 1, 0], -way[q + 1, 1],
                False, 12, tolerance * 0.5, rows[m + q],
            )  # fmt: skip
            if error > HALVE_BEYOND * tolerance and breaks[q + 1] - breaks[q] >= 8:
                wide[q] = 1
                strays += 1
        if strays == 0 or attempt == 2:
            break
        at = count + strays
        for q in range(count - 1, -1, -1):  # from the end, so that nothing is overwritten before it is read
            start, end = breaks[q], breaks[q + 1]
            at -= 1
            breaks[at + 1] = end
            if wide[q]:
                middle = (start + end) // 2
                fit_cubic(points, middle, end, 0.0, 0.0, 0.0, 0.0, True, 8, tolerance, free[at])
                at -= 1
                breaks[at + 1] = middle
                fit_cubic(points, start, middle, 0.0, 0.0, 0.0, 0.0, True, 8, tolerance, free[at])
            else:
                free[at] = free[q]
        count += strays
    for q in range(count):
        kinds[m + q] = CUBIC_KIND
    return m + count


@compiled
def straight_runs(points, low, high, step, limit, shortest, runs):
    """Maximal straight runs of an open polyline between two indices: fills runs (r, 2), returns r.

    A run needs a small residual *and* a small sagitta, or gentle curves would turn straight.
    """
    least, m, i = int(shortest / step), 0, low
    while i + least <= high:
        if fit_line(points, i, least + 1, 1)[4] > limit:
            i += max(1, int(2.0 / step))
            continue
        a, b, jump = i, i + least, least
        while jump >= 1:
            if b + jump <= high and fit_line(points, a, b + jump - a + 1, 1)[4] <= limit:
                b += jump
            else:
                jump //= 2
        back = int(2.0 / step)
        while back > 0 and a - 1 >= low and fit_line(points, a - 1, b - a + 2, 1)[4] <= limit:
            a -= 1
            back -= 1
        half = 0.5 * (b - a) * step
        c = fit_parabola(points, a, b - a + 1, 1, step, -half)
        size = max(math.hypot(c[1, 0], c[1, 1]), 1e-9)
        sagitta = abs(c[2, 0] * c[1, 1] - c[2, 1] * c[1, 0]) / size * half * half
        if sagitta <= 0.35 * limit:
            runs[m, 0], runs[m, 1] = a, b
            m += 1
        i = b
    return m


@compiled
def trim_run(points, a, b, step, allowed, keep_start, keep_end):
    """A straight run without the onset of its neighbouring bends.

    The line comes from the middle four fifths; an end is drawn in while the mean of its last 4 units lies
    further than ``allowed`` off that line. Ends to be kept (at corners) stay.
    """
    inner = max(3, (b - a) // 10)
    cx, cy, dx, dy, _ = fit_line(points, a + inner, max(3, b - a + 1 - 2 * inner), 1)
    window, least = max(2, int(4.0 / step)), (b - a) // 2
    while not keep_start and b - a > least:
        off = 0.0
        for k in range(window):
            off += (points[a + k, 0] - cx) * dy - (points[a + k, 1] - cy) * dx
        if abs(off) <= allowed * window:
            break
        a += 1
    while not keep_end and b - a > least:
        off = 0.0
        for k in range(window):
            off += (points[b - k, 0] - cx) * dy - (points[b - k, 1] - cy) * dx
        if abs(off) <= allowed * window:
            break
        b -= 1
    return a, b


@compiled
def circle_rows(points, cx, cy, radius):
    """Four cubics of a circle, wound as the ring is."""
    n, area = len(points), 0.0
    for i in range(n):
        j = i + 1 if i + 1 < n else 0
        area += points[i, 0] * points[j, 1] - points[j, 0] * points[i, 1]
    way = 1.0 if area > 0 else -1.0
    r, rows = radius / CIRCLE_SHRINK, np.empty((4, 8))
    for q in range(4):
        a, b = way * q * math.pi / 2, way * (q + 1) * math.pi / 2
        c0, s0, c1, s1 = math.cos(a), math.sin(a), math.cos(b), math.sin(b)
        k = way * KAPPA
        rows[q, 0], rows[q, 1] = cx + r * c0, cy + r * s0
        rows[q, 2], rows[q, 3] = cx + r * (c0 - k * s0), cy + r * (s0 + k * c0)
        rows[q, 4], rows[q, 5] = cx + r * (c1 + k * s1), cy + r * (s1 - k * c1)
        rows[q, 6], rows[q, 7] = cx + r * c1, cy + r * s1
    rows[3, 6], rows[3, 7] = rows[0, 0], rows[0, 1]
    return rows


@compiled
def fit_side(points, step, tolerance, limit, window, closed, rows, kinds, m):
    """One side between two corners, or a whole cornerless ring (``closed``): straight runs, cubics between."""
    n = len(points)
    runs = np.empty((n // 4 + 8, 2), np.int64)
    found = straight_runs(points, 1, n - 2, step, limit, 20.0, runs)
    if closed:
        around = np.empty((2 * window + 1, 2))
        for k in range(2 * window + 1):
            around[k] = points[(k - window) % (n - 1)]
        tx0, ty0 = tangent(around, window, window, 0)
        tx1, ty1 = tx0, ty0
    else:
        tx0, ty0 = tangent(points, 0, window, 1)
        tx1, ty1 = tangent(points, n - 1, window, -1)
    free0 = free1 = not closed
    position, lx, ly = 0, 0.0, 0.0
    for q in range(found):
        a, b = runs[q, 0], runs[q, 1]
        a, b = trim_run(points, a, b, step, 0.2 * limit, a <= 2, b >= n - 3)
        a = 0 if a <= 2 else a
        b = n - 1 if b >= n - 3 else b
        if b - a < 4:
            continue
        low, high = max(a, 1), min(b, n - 2)
        cx, cy, dx, dy, _ = fit_line(points, low, high - low + 1, 1)
        ts = (points[a, 0] - cx) * dx + (points[a, 1] - cy) * dy
        te = (points[b, 0] - cx) * dx + (points[b, 1] - cy) * dy
        ax, ay, bx, by = cx + ts * dx, cy + ts * dy, cx + te * dx, cy + te * dy
        if a == 0:
            ax, ay = points[0, 0], points[0, 1]
        if b == n - 1:
            bx, by = points[b, 0], points[b, 1]
        size = math.hypot(bx - ax, by - ay)
        dx, dy = (bx - ax) / size, (by - ay) / size
        if a > position:
            part = points[position : a + 1].copy()
            part[-1, 0], part[-1, 1] = ax, ay
            if position > 0:
                part[0, 0], part[0, 1] = lx, ly
            m = fit_span(part, tolerance, tx0, ty0, -dx, -dy, free0, False, rows, kinds, m)
        elif position > 0:
            ax, ay = lx, ly
        put_line(ax, ay, bx, by, rows[m])
        kinds[m] = LINE_KIND
        m += 1
        position, lx, ly, tx0, ty0, free0 = b, bx, by, dx, dy, False
    if position < n - 1:
        part = points[position:].copy()
        if position > 0:
            part[0, 0], part[0, 1] = lx, ly
        m = fit_span(part, tolerance, tx0, ty0, -tx1, -ty1, free0, free1, rows, kinds, m)
    return m


@compiled
def cornerless_start(points, step, limit, window):
    """Where to open a ring without corners: amid its longest straight run, else where it bends most."""
    n = len(points)
    twice = np.empty((2 * n, 2))
    twice[:n] = points
    twice[n:] = points
    runs = np.empty((n // 2 + 8, 2), np.int64)
    start, best = 0, -1.0
    for q in range(straight_runs(twice, 0, 2 * n - 1, step, limit, 20.0, runs)):
        length = float(runs[q, 1] - runs[q, 0])
        if best < length < n:
            best, start = length, (runs[q, 0] + runs[q, 1]) // 2
    if best >= 0:
        return start
    for i in range(n):
        j, k = (i + window) % n, (i - window) % n
        ahead_x, ahead_y = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1]
        bend = -(ahead_x * (points[i, 0] - points[k, 0]) + ahead_y * (points[i, 1] - points[k, 1]))
        if i == 0 or bend > best:
            best, start = bend, i
    return start


@compiled
def fit_ring(ring, tolerance, noise, least_degrees):
    """A closed dense ring (n, 2) as few lines and cubics: kinds (k,) and rows (k, 8) of geometry.paths."""
    length, n = 0.0, len(ring)
    for i in range(n):
        j = (i + 1) % n
        length += math.hypot(ring[j, 0] - ring[i, 0], ring[j, 1] - ring[i, 1])
    points, step = resample(ring, 0.7 if length > 60 else 0.35)
    n = len(points)
    rows, kinds = np.empty((n + 16, 8)), np.full(n + 16, CUBIC_KIND, np.uint8)
    cx, cy, radius, worst = fit_circle(ring)
    if radius > 1.5 and worst <= tolerance * (1.0 if radius > 4 else 0.6) + 0.03 + 0.0002 * radius:
        return kinds[:4].copy(), circle_rows(points, cx, cy, radius)
    corners, apex = find_corners(points, step, noise, least_degrees)
    c, m = len(corners), 0
    window = max(3, int(round((3.5 + 10 * noise) / step)))
    limit = 0.12 + 1.0 * noise
    if c == 0:
        start = cornerless_start(points, step, limit, window)
        side = np.empty((n + 1, 2))
        for k in range(n + 1):
            side[k] = points[(start + k) % n]
        m = fit_side(side, step, tolerance, limit, window, True, rows, kinds, m)
        return kinds[:m].copy(), rows[:m].copy()
    place, shape = place_corners(points, step, noise, corners, apex, limit)
    skip = max(1, int(math.ceil(1.2 / step)))
    for k in range(c):
        d = (k + 1) % c
        if shape[k] > 0 and c > 1:
            put_line(place[k, 0], place[k, 1], place[d, 0], place[d, 1], rows[m])
            kinds[m] = LINE_KIND
            m += 1
            continue
        i = corners[k]
        samples = (corners[d] - i) % n
        if samples == 0:
            samples = n
        skipped = min(skip, max(1, samples // 4))
        count = samples - 2 * skipped + 1
        side = np.empty((count + 2, 2))
        side[0], side[count + 1] = place[k], place[d]
        for q in range(count):
            side[q + 1] = points[(i + skipped + q) % n]
        m = fit_side(side, step, tolerance, limit, window, False, rows, kinds, m)
    return kinds[:m].copy(), rows[:m].copy()
