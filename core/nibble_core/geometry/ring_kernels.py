"""Compiled loops that turn one closed ring of dense points into few lines and cubics.

The ring comes in pixels: it is the iso-line of a grey picture. The order of work follows what gives few nodes:
whole circles, then corners (two straight arms against one bend), then the cheapest lines and cubics between them.
"""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled, fit_circle, fit_line, fit_parabola
from nibble_core.geometry.span_kernels import lay_closed, lay_open

KAPPA = 4 / 3 * math.tan(math.pi / 8)
HALVES_APART = 5.5  # px, at most, between the halves of a corner
ONE_APEX = 1.3  # px, within which a corner and a part of it point to one place
LEAST_NOISE = 0.012  # px: what no clean picture has
SHARP = 2.2  # radians of turn
ALIKE, SHARP_ALIKE = 1.3, 1.15  # by how much estimates of the same turn may differ
CIRCLE_SHRINK = 1.000147  # a circle of four cubics bulges by this on average
ARMS = (14.0, 8.0, 5.5, 3.8, 2.6, 6.2, 7.4)  # px: how far arms reach from a corner
ARMS_BEGIN = (1.0, 1.0, 1.0, 1.0, 1.0, 2.2, 3.4)
HARDLY = 0.4  # of the least turn of a corner
SLIGHT = 0.55  # of the least turn, which shows on the longest arms
FEW_OF = 60  # one sample of so many may be left out at an end
LINE_KIND, CUBIC_KIND = 0, 2


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
def runs_on(points, i, reach, hardly):
    """Whether a ring hardly turns at sample i, by its chords over ``reach`` samples; ``hardly``: its tangent."""
    n = len(points)
    j, k = (i - reach) % n, (i + reach) % n
    ax, ay = points[i, 0] - points[j, 0], points[i, 1] - points[j, 1]
    bx, by = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1]
    return abs(ax * by - ay * bx) < hardly * (ax * bx + ay * by)


@compiled
def bend(points, limit, i, skip, reach):
    """How straight arms backward and forward from sample i meet: the turn in radians (-1 when they are not straight),
    where they cross, and how near to that the ring passes."""
    n = len(points)
    if 2 * reach + 2 > n or reach - skip < 2:
        return -1.0, 0.0, 0.0, 1e9
    fx, fy, fu, fv, worst = fit_line(points, i + skip, reach - skip + 1, 1)
    if worst > limit:
        return -1.0, 0.0, 0.0, 1e9
    gx, gy, gu, gv, worst = fit_line(points, i - skip, reach - skip + 1, -1)
    if worst > limit:
        return -1.0, 0.0, 0.0, 1e9
    angle = abs(math.atan2(-gu * fv + gv * fu, -gu * fu - gv * fv))
    found, px, py = crossing(fx, fy, fu, fv, gx, gy, gu, gv)
    nearest = 1e9
    for k in range(-skip, skip + 1 if found else -skip):
        q = (i + k) % n
        nearest = min(nearest, math.hypot(points[q, 0] - px, points[q, 1] - py))
    return angle, px, py, nearest


@compiled
def find_corners(points, step, noise, least_degrees):
    """Corners of a resampled ring: indices (c,) and the apex (n, 2) that two arms point to.

    At each sample a straight arm is fitted forward and backward. It is a corner when the arms' crossing lies
    nearer to the ring than the apex of an arc turning as much would (d/2 tan(angle/4)): an arc leaves its
    tangents' crossing outside, a corner comes close to it. Longest arms first; then arms that start further off, for
    sharp tips, which pixels round over a longer way (``rounded_over``). On very long arms a clean picture shows slight
    corners, too.
    """
    n = len(points)
    turn, off, apex = np.zeros(n), np.full(n, 1e9), np.zeros((n, 2))
    limit = 0.13 + 1.2 * noise
    least = math.radians(least_degrees)
    far, close = int(round(8.0 / step)), int(round(3.0 / step))
    hardly = math.tan(HARDLY * least)
    for i in range(n):
        if runs_on(points, i, far, hardly) and runs_on(points, i, close, hardly):
            continue
        for level in range(0 if noise < LEAST_NOISE else 1, len(ARMS)):
            arm, begin = ARMS[level], ARMS_BEGIN[level]
            skip, reach = max(1, int(math.ceil(begin / step))), int(round(arm / step))
            angle, px, py, nearest = bend(points, limit, i, skip, reach)
            if angle < 0 or (begin > 1 and rounded_over(angle) < skip * step - 1.5):
                continue
            if angle < least * (SLIGHT if level == 0 else 1.0 if level < 3 else 1.5):
                break
            if nearest < 0.25 * (skip + reach) * step * math.tan(angle / 4) + 0.02:
                turn[i], off[i] = angle, math.hypot(points[i, 0] - px, points[i, 1] - py)
                apex[i, 0], apex[i, 1] = px, py
            elif level == 0:
                continue
            break
    out = np.empty(n, np.int64)
    m = 0
    for i in range(n):
        if turn[i] == 0:
            continue
        best, r = True, max(2, int(round(max(2.0, 1.3 * rounded_over(turn[i])) / step)))
        for k in range(-r, r + 1):
            j = (i + k) % n
            if j == i or turn[j] == 0:
                continue
            # the halves of a tip that pixels cut off turn less than the whole tip; of a sharp one, not much less
            alike = SHARP_ALIKE if max(turn[i], turn[j]) > SHARP else ALIKE
            if turn[j] > alike * turn[i]:
                best = False
                break
            if alike * turn[j] >= turn[i] and (off[j] < off[i] or (off[j] == off[i] and j < i)):
                best = False
                break
        if best:
            out[m] = i
            m += 1
    return whole_corners(points, step, limit, out[:m].copy(), turn, apex), apex, turn


@compiled
def whole_corners(points, step, limit, corners, turn, apex):
    """The corners where they are whole; turn and apex (changed in place) are told anew where one moved.

    A corner that pixels cut off may have been found at both of its halves, or at one. Two neighbours become one if
    their outer arms cross about as near to the ring between them as a true corner's would (those of a chamfer of two
    pixels are further off); a half by itself is moved to the sample nearest to its apex.
    """
    n, c = len(points), len(corners)
    gone = np.zeros(c, np.bool_)
    for k in range(c if c > 2 else 0):
        d = (k + 1) % c
        i, j = corners[k], corners[d]
        between = (j - i) % n
        if gone[k] or gone[d] or between * step > HALVES_APART:
            continue
        before, after = (i - corners[k - 1]) % n, (corners[(d + 1) % c] - j) % n
        angle, px, py, place, off = arms_meet(points, step, limit, i, j, before, after, max(turn[i], turn[j]))
        if angle > 0.85 * max(turn[i], turn[j]) and off < close_to_apex(angle):
            gone[d] = True
            corners[k] = place
            turn[place], apex[place, 0], apex[place, 1] = angle, px, py
        elif math.hypot(apex[i, 0] - apex[j, 0], apex[i, 1] - apex[j, 1]) < ONE_APEX:
            more = i if turn[i] >= turn[j] else j
            at = nearest_sample(points, i, i + between, apex[more, 0], apex[more, 1])
            turn[at], apex[at, 0], apex[at, 1] = turn[more], apex[more, 0], apex[more, 1]
            gone[k], corners[d] = True, at
    corners = corners[~gone]
    c = len(corners)
    for k in range(c if c > 2 else 0):
        i = corners[k]
        at = nearest_sample(points, i - 6, i + 6, apex[i, 0], apex[i, 1])
        if at == i:
            continue
        before, after = (at - corners[k - 1]) % n, (corners[(k + 1) % c] - at) % n
        angle, px, py, place, off = arms_meet(points, step, limit, at, at, before, after, turn[i])
        if angle > turn[i] and off < close_to_apex(angle):
            corners[k] = place
            turn[place], apex[place, 0], apex[place, 1] = angle, px, py
    return np.sort(corners)


@compiled
def close_to_apex(turn):
    """How near to its apex a corner's iso-line passes at least, px; an arc turning as much stays further off."""
    return 0.45 + 0.35 / max(math.cos(turn / 2), 0.1)


@compiled
def nearest_sample(points, first, last, x, y):
    """Index of the sample of a ring nearest to a place, among first to last, which may run over its ends."""
    n, nearest, at = len(points), 1e18, 0
    for k in range(first, last + 1):
        i = k % n
        off = (points[i, 0] - x) ** 2 + (points[i, 1] - y) ** 2
        if off < nearest:
            nearest, at = off, i
    return at


@compiled
def arms_meet(points, step, limit, i, j, before, after, turn):
    """Where a straight arm backward from sample i and one forward from j cross: the turn in radians (-1 when they are
    not straight or do not cross), the place, the sample between them nearest to it and its distance. before, after:
    samples to the neighbouring corners; turn: about what to expect."""
    skip = max(1, int(math.ceil((rounded_over(turn) - 0.5 * ((j - i) % len(points)) * step) / step)))
    back, forth = min(int(6.0 / step), before - 4), min(int(6.0 / step), after - 4)
    if back - skip < 2 or forth - skip < 2:
        return -1.0, 0.0, 0.0, i, 1e9
    fx, fy, fu, fv, worst = fit_line(points, j + skip, forth - skip + 1, 1)
    gx, gy, gu, gv, other = fit_line(points, i - skip, back - skip + 1, -1)
    found, px, py = crossing(fx, fy, fu, fv, gx, gy, gu, gv)
    if not found or max(worst, other) > limit:
        return -1.0, 0.0, 0.0, i, 1e9
    at = nearest_sample(points, i - 1, i + (j - i) % len(points) + 1, px, py)
    angle = abs(math.atan2(-gu * fv + gv * fu, -gu * fu - gv * fv))
    return angle, px, py, at, math.hypot(points[at, 0] - px, points[at, 1] - py)


@compiled
def rounded_over(turn):
    """How far from a corner turning by ``turn`` radians the pixels round the iso-line, px: further, the sharper."""
    return min(max(1.2, 0.75 / max(math.cos(turn / 2), 0.1)), 6.0)


@compiled
def passed_over(skip, samples, noise):
    """Samples of a side left out beside a corner that is rounded over ``skip``: more of a long clean side, whose curve
    is told by the rest, for the last of the rounding bends its end."""
    more = min(3 * skip, samples // FEW_OF) if noise < LEAST_NOISE else 0
    return min(max(skip, more), max(1, samples // 4))


@compiled
def rounding(turn, corners, step):
    """Samples on either side over which each corner is rounded, shape (c,)."""
    skips = np.empty(len(corners), np.int64)
    for k in range(len(corners)):
        skips[k] = max(1, int(math.ceil(rounded_over(turn[corners[k]]) / step)))
    return skips


@compiled
def refine_corner(points, step, i, px, py, forward, backward, noise, skip):
    """The crossing of parabolas fitted to both arms, or (px, py) when they do not meet nearby."""
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
def place_corners(points, step, noise, corners, apex, skips, straight_limit):
    """Where corners truly lie (c, 2), for each side after a corner 1 straight, 2 very short, 0 bent, and the lines of
    the straight ones (c, 4).

    The crossing of the whole sides' lines is far better than any local estimate, so a corner between two
    straight sides is put there, and one beside a single straight side is projected on it.
    """
    n, c = len(points), len(corners)
    place, lines, side = np.zeros((c, 2)), np.zeros((c, 4)), np.zeros(c, np.int64)
    for k in range(c):
        i, skip, far = corners[k], skips[k], skips[(k + 1) % c]
        forward, backward = (corners[(k + 1) % c] - i) % n, (i - corners[k - 1]) % n
        if c == 1:
            forward = backward = n
        place[k, 0], place[k, 1] = refine_corner(points, step, i, apex[i, 0], apex[i, 1], forward, backward, noise,
                                                skip)  # fmt: skip
        if forward - skip - far >= 2:
            more = 2 if forward - skip - far >= 14 else 0  # the corner's own sample may be one beside the nearest
            cx, cy, dx, dy, worst = fit_line(points, i + skip + more, forward - skip - far - 2 * more + 1, 1)
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
            if found and math.hypot(x - place[k, 0], y - place[k, 1]) < 2.0 * skips[k] * step:
                place[k, 0], place[k, 1] = x, y
        elif side[k] == 1 or side[b] == 1:
            p = lines[k] if side[k] == 1 else lines[b]
            t = (place[k, 0] - p[0]) * p[2] + (place[k, 1] - p[1]) * p[3]
            place[k, 0], place[k, 1] = p[0] + t * p[2], p[1] + t * p[3]
    return place, side, lines


@compiled
def put_line(x0, y0, x1, y1, row):
    """A line in the row layout of geometry.paths."""
    for k in range(8):
        row[k] = 0.0
    row[0], row[1], row[6], row[7] = x0, y0, x1, y1


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
def place_at(row, kind, t):
    """The place of a line or cubic at t, and its direction of change; t beyond 0 and 1 runs it on."""
    u = 1 - t
    if kind == LINE_KIND:
        dx, dy = row[6] - row[0], row[7] - row[1]
        return row[0] + t * dx, row[1] + t * dy, dx, dy
    b0, b1, b2, b3 = u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t
    x = b0 * row[0] + b1 * row[2] + b2 * row[4] + b3 * row[6]
    y = b0 * row[1] + b1 * row[3] + b2 * row[5] + b3 * row[7]
    dx = 3 * (u * u * (row[2] - row[0]) + 2 * u * t * (row[4] - row[2]) + t * t * (row[6] - row[4]))
    dy = 3 * (u * u * (row[3] - row[1]) + 2 * u * t * (row[5] - row[3]) + t * t * (row[7] - row[5]))
    return x, y, dx, dy


@compiled
def meeting(row, kind, other, other_kind, reach):
    """Where one segment run on beyond its end and another run on before its start cross: found, x, y."""
    s, t = 1.0, 0.0
    x = y = 0.0
    for _ in range(12):
        x, y, ax, ay = place_at(row, kind, s)
        px, py, bx, by = place_at(other, other_kind, t)
        d = bx * ay - by * ax
        if abs(d) < 0.05 * math.hypot(ax, ay) * math.hypot(bx, by):
            return False, 0.0, 0.0
        gx, gy = px - x, py - y
        ds, dt = (bx * gy - by * gx) / d, (ax * gy - ay * gx) / d
        s, t = s + ds, t + dt
        if abs(ds) * math.hypot(ax, ay) > 6 * reach or abs(dt) * math.hypot(bx, by) > 6 * reach:
            return False, 0.0, 0.0
        if abs(ds) < 1e-9 and abs(dt) < 1e-9:
            break
    x, y, ax, ay = place_at(row, kind, s)
    return True, x, y


@compiled
def lead(row, kind, x, y, at_end):
    """A segment led to a place that lies about on its run-on: the curve goes on as it went, and ends there."""
    if kind == CUBIC_KIND:
        px, py, dx, dy = place_at(row, kind, 1.0 if at_end else 0.0)
        t = ((x - px) * dx + (y - py) * dy) / max(dx * dx + dy * dy, 1e-12)
        if abs(t) < 0.5:
            r = row.copy()
            for axis in range(2):
                p0, p1, p2, p3 = r[axis], r[2 + axis], r[4 + axis], r[6 + axis]
                if at_end:  # de Casteljau at 1 + t keeps the first part
                    w = 1 + t
                    a, b, c = p0 + (p1 - p0) * w, p1 + (p2 - p1) * w, p2 + (p3 - p2) * w
                    row[2 + axis], row[4 + axis] = a, a + (b - a) * w
                    row[6 + axis] = row[4 + axis] + (b + (c - b) * w - row[4 + axis]) * w
                else:
                    a, b, c = p0 + (p1 - p0) * t, p1 + (p2 - p1) * t, p2 + (p3 - p2) * t
                    e = b + (c - b) * t
                    row[4 + axis], row[2 + axis] = c, e
                    row[axis] = a + (b - a) * t + (e - a - (b - a) * t) * t
            _, _, ex, ey = place_at(row, kind, 1.0 if at_end else 0.0)
            if ex * dx + ey * dy < 0.5 * math.hypot(ex, ey) * math.hypot(dx, dy):
                row[:] = r  # run on, a tight bend curls up: it is only moved
    if at_end:
        if kind == CUBIC_KIND:
            row[4] += x - row[6]
            row[5] += y - row[7]
        row[6], row[7] = x, y
    else:
        if kind == CUBIC_KIND:
            row[2] += x - row[0]
            row[3] += y - row[1]
        row[0], row[1] = x, y


@compiled
def lay_side(points, first, count, step, spread, tolerance, rows, kinds, m, rounds):
    """``lay_open`` of so many samples of a ring."""
    side = np.empty((count, 2))
    for q in range(count):
        side[q] = points[(first + q) % len(points)]
    return lay_open(side, step, spread, tolerance, rows, kinds, m, rounds)


@compiled
def runs_off(row, kind, points, first, last, at_end):
    """How far a segment run on beyond its start or its end leaves the samples first to last of a ring."""
    worst = 0.0
    for q in range(first, last + 1):
        x, y = points[q % len(points), 0], points[q % len(points), 1]
        t = 1.0 if at_end else 0.0
        for _ in range(4):
            px, py, dx, dy = place_at(row, kind, t)
            t -= ((px - x) * dx + (py - y) * dy) / max(dx * dx + dy * dy, 1e-12)
            t = min(max(t, -0.5), 1.5)
        px, py, dx, dy = place_at(row, kind, t)
        worst = max(worst, math.hypot(px - x, py - y))
    return worst


@compiled
def is_round(ring, cx, cy, radius, worst, tolerance, noise):
    """Whether a ring is the circle fitted to it: within the tolerance everywhere, or, in a noisy picture, off it by
    noise alone, which is small in the mean and has neither the two waves a turn of an ellipse nor three or four."""
    if radius <= 1.5:
        return False
    if worst <= tolerance * (1.0 if radius > 4 else 0.6) + 0.03 + 0.0002 * radius:
        return True
    if noise < LEAST_NOISE or radius < 8 or worst > 2.2 * tolerance:
        return False
    n, squares = len(ring), 0.0
    waves = np.zeros((3, 2))
    for i in range(n):
        x, y = ring[i, 0] - cx, ring[i, 1] - cy
        off, angle = math.hypot(x, y) - radius, math.atan2(y, x)
        squares += off * off
        for k in range(3):
            waves[k, 0] += 2 * off * math.cos((k + 2) * angle) / n
            waves[k, 1] += 2 * off * math.sin((k + 2) * angle) / n
    for k in range(3):
        if math.hypot(waves[k, 0], waves[k, 1]) > 0.4 * tolerance:
            return False
    return math.sqrt(squares / n) <= 0.65 * tolerance


@compiled
def scatter(noise, tolerance):
    """How far samples may lie off the shape they belong to, px: more where a wide tolerance asks for a plainer one."""
    return max(0.04 + 0.5 * noise, 0.25 * tolerance)


@compiled
def fit_ring(ring, tolerance, noise, least_degrees, rounds):
    """A closed dense ring (n, 2) as few lines and cubics: kinds (k,) and rows (k, 8) of geometry.paths, and which
    segments begin at a corner (k,)."""
    length, n = 0.0, len(ring)
    for i in range(n):
        j = (i + 1) % n
        length += math.hypot(ring[j, 0] - ring[i, 0], ring[j, 1] - ring[i, 1])
    points, step = resample(ring, 0.7 if length > 60 else 0.35)
    n = len(points)
    rows, kinds = np.empty((n + 16, 8)), np.full(n + 16, CUBIC_KIND, np.uint8)
    cx, cy, radius, worst = fit_circle(ring)
    if is_round(ring, cx, cy, radius, worst, tolerance, noise):
        return kinds[:4].copy(), circle_rows(points, cx, cy, radius), np.zeros(4, np.bool_)
    corners, apex, turn = find_corners(points, step, noise, least_degrees)
    c, m = len(corners), 0
    limit = 0.12 + 1.0 * noise
    spread = scatter(noise, tolerance)
    if c == 0:
        m = lay_closed(points, step, spread, tolerance, rows, kinds, rounds)
        return kinds[:m].copy(), rows[:m].copy(), np.zeros(m, np.bool_)
    skips = rounding(turn, corners, step)
    place, shape, lines = place_corners(points, step, noise, corners, apex, skips, limit)
    sharp = np.zeros(n + 16, np.bool_)
    first = np.zeros(c + 1, np.int64)
    for k in range(c):
        d = (k + 1) % c
        first[k] = m
        sharp[m] = True
        i = corners[k]
        samples = (corners[d] - i) % n
        if samples == 0:
            samples = n
        near, far = passed_over(skips[k], samples, noise), passed_over(skips[d], samples, noise)
        if c > 1 and (shape[k] > 0 or samples - near - far + 1 < 4):
            shape[k] = max(shape[k], 1)
            kinds[m] = LINE_KIND
            m += 1
            continue
        end = lay_side(points, i + near, samples - near - far + 1, step, spread, tolerance, rows, kinds, m, rounds)
        close, nigh = min(skips[k], near), min(skips[d], far)
        before = runs_off(rows[m], kinds[m], points, i + close, i + near, False)
        after = runs_off(rows[end - 1], kinds[end - 1], points, i + samples - far, i + samples - nigh, True)
        if max(before, after) > limit:  # then the ends are needed
            end = lay_side(points, i + close, samples - close - nigh + 1, step, spread, tolerance, rows, kinds, m,
                           rounds)  # fmt: skip
        m = end
    first[c] = m
    row, other = np.empty(8), np.empty(8)
    for k in range(c):
        b = k - 1 if k > 0 else c - 1
        if shape[k] > 0 and shape[b] > 0:
            continue
        i, o = first[b + 1] - 1, first[k]
        row[:] = rows[i]
        other[:] = rows[o]
        reach = skips[k] * step
        if shape[b] == 1:
            x, y, dx, dy = lines[b]
            put_line(place[k, 0] - 9 * dx, place[k, 1] - 9 * dy, place[k, 0], place[k, 1], row)
        if shape[k] == 1:
            x, y, dx, dy = lines[k]
            put_line(place[k, 0], place[k, 1], place[k, 0] + 9 * dx, place[k, 1] + 9 * dy, other)
        if shape[k] != 2 and shape[b] != 2:
            found, x, y = meeting(row, kinds[i], other, kinds[o], reach)
            if found and math.hypot(x - place[k, 0], y - place[k, 1]) < 1.5 * reach:
                place[k, 0], place[k, 1] = x, y
    for k in range(c):
        d = (k + 1) % c
        if shape[k] > 0:
            put_line(place[k, 0], place[k, 1], place[d, 0], place[d, 1], rows[first[k]])
        else:
            lead(rows[first[k]], kinds[first[k]], place[k, 0], place[k, 1], False)
            lead(rows[first[k + 1] - 1], kinds[first[k + 1] - 1], place[d, 0], place[d, 1], True)
    return kinds[:m].copy(), rows[:m].copy(), sharp[:m].copy()
