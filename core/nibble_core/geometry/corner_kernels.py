"""Compiled loops that find the corners of a dense ring and tell where they truly lie.

The ring comes in pixels: it is the iso-line of a grey picture, which rounds corners off. A corner is where two straight
arms meet closer to the ring than the tangents of any arc would; its place is where whole sides cross.
"""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled, fit_line, fit_parabola

CRISP = 0.004  # px of noise, below which corners are known from their sides
LEAST_NOISE = 0.012  # px: what no clean picture has
HALVES_APART = 5.5  # px, at most, between the halves of a corner
ONE_APEX = 1.3  # px, within which a corner and a part of it point to one place
SHARP = 2.2  # radians of turn
ALIKE, SHARP_ALIKE = 1.3, 1.15  # by how much estimates of the same turn may differ
ARMS = (14.0, 8.0, 5.5, 3.8, 2.6, 6.2, 7.4)  # px: how far arms reach from a corner
ARMS_BEGIN = (1.0, 1.0, 1.0, 1.0, 1.0, 2.2, 3.4)
HARDLY = 0.4  # of the least turn of a corner
SLIGHT = 0.55  # of the least turn, which shows on the longest arms
NOISY_TURN = 0.5  # of the least turn, which whole sides have to turn in a noisy picture
RIPPLED, RIPPLED_MEAN, BOWED = 2.2, 0.65, 0.4  # tolerances: what noise makes of a circle or line, and a curve does not


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
def straight_side(points, first, count, limit, tolerance, noise):
    """Whether a side is straight, and its line (place, direction): it keeps within the limit; or, in a noisy picture,
    it is off by noise alone, which is small in the mean and has neither one bow nor two of a curve."""
    cx, cy, dx, dy, worst = fit_line(points, first, count, 1)
    if worst <= limit:
        return True, cx, cy, dx, dy
    if noise < LEAST_NOISE or worst > RIPPLED * tolerance or count < 12:
        return False, cx, cy, dx, dy
    n, squares, one, two = len(points), 0.0, 0.0, 0.0
    for k in range(count):
        q = (first + k) % n
        off, angle = (points[q, 1] - cy) * dx - (points[q, 0] - cx) * dy, math.pi * (k + 0.5) / count
        squares += off * off
        one += 2 * off * math.cos(2 * angle) / count
        two += 2 * off * math.cos(3 * angle) / count
    small = math.sqrt(squares / count) <= RIPPLED_MEAN * tolerance
    return small and abs(one) <= BOWED * tolerance and abs(two) <= BOWED * tolerance, cx, cy, dx, dy


@compiled
def place_corners(points, step, noise, corners, apex, skips, straight_limit, tolerance):
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
            straight, cx, cy, dx, dy = straight_side(
                points, i + skip + more, forward - skip - far - 2 * more + 1, straight_limit, tolerance, noise
            )
            if straight:
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
def least_turn(degrees, noise):
    """Radians by which sides fitted whole must turn at a corner; short arms that turn ``degrees`` showed it."""
    return math.radians(degrees) * (SLIGHT if noise < CRISP else NOISY_TURN)
