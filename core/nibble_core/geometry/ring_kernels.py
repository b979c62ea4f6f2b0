"""Compiled loops that turn one closed ring of dense points into few lines and cubics.

The order of work follows what gives few nodes: whole circles, then corners (``corner_kernels``), then the cheapest
lines and cubics between them.
"""

import math

import numpy as np

from nibble_core.geometry.corner_kernels import (
    BOWED,
    LEAST_NOISE,
    RIPPLED,
    RIPPLED_MEAN,
    find_corners,
    least_turn,
    place_corners,
    rounding,
)
from nibble_core.geometry.kernels import compiled, fit_circle
from nibble_core.geometry.row_kernels import (
    CUBIC_KIND,
    LINE_KIND,
    lead,
    meeting,
    put_line,
    runs_off,
    towards_corner,
    turn_between,
)
from nibble_core.geometry.span_kernels import lay_closed, lay_open

KAPPA = 4 / 3 * math.tan(math.pi / 8)
CIRCLE_SHRINK = 1.000147  # a circle of four cubics bulges by this on average
ALL_ROUND = 0.5  # of a circle's area: a sliver whose points lie on one arc, out and back, covers less
STUB = 12.0  # px: a line so short beside a corner says little of the direction of the curve it leads to
FEW_OF = 60  # one sample of so many may be left out at an end


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
def passed_over(skip, samples, noise):
    """Samples of a side left out beside a corner that is rounded over ``skip``: more of a long clean side, whose curve
    is told by the rest, for the last of the rounding bends its end."""
    more = min(3 * skip, samples // FEW_OF) if noise < LEAST_NOISE else 0
    return min(max(skip, more), max(1, samples // 4))


@compiled
def area_of(points):
    """Signed area of a closed ring (n, 2), positive as the outer rings of geometry.paths are."""
    area = 0.0
    for i in range(len(points)):
        x, y = points[i - 1, 0] - points[0, 0], points[i - 1, 1] - points[0, 1]
        area += x * (points[i, 1] - points[0, 1]) - (points[i, 0] - points[0, 0]) * y
    return area / 2


@compiled
def circle_rows(points, cx, cy, radius):
    """Four cubics of a circle, wound as the ring is."""
    way = 1.0 if area_of(points) > 0 else -1.0
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
def lay_side(points, first, count, step, spread, tolerance, rows, kinds, m, rounds):
    """``lay_open`` of so many samples of a ring."""
    side = np.empty((count, 2))
    for q in range(count):
        side[q] = points[(first + q) % len(points)]
    return lay_open(side, step, spread, tolerance, rows, kinds, m, rounds)


@compiled
def is_round(ring, cx, cy, radius, worst, tolerance, noise):
    """Whether a ring is the circle fitted to it: within the tolerance everywhere, or, in a noisy picture, off it by
    noise alone, which is small in the mean and has neither the two waves a turn of an ellipse nor three or four."""
    if radius <= 1.5 or abs(area_of(ring)) < ALL_ROUND * math.pi * radius * radius:
        return False
    if worst <= tolerance * (1.0 if radius > 4 else 0.6) + 0.03 + 0.0002 * radius:
        return True
    if noise < LEAST_NOISE or radius < 8 or worst > RIPPLED * tolerance:
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
        if math.hypot(waves[k, 0], waves[k, 1]) > BOWED * tolerance:
            return False
    return math.sqrt(squares / n) <= RIPPLED_MEAN * tolerance


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
    cx, cy, radius, worst = fit_circle(ring)
    if is_round(ring, cx, cy, radius, worst, tolerance, noise):
        return np.full(4, CUBIC_KIND, np.uint8), circle_rows(points, cx, cy, radius), np.zeros(4, np.bool_)
    corners, apex, turn = find_corners(points, step, noise, least_degrees)
    least, n = least_turn(least_degrees, noise), len(points)
    limit = 0.12 + 1.0 * noise
    spread = scatter(noise, tolerance)
    laid = corners[:0], np.zeros(1, np.int64), np.empty((0, 8)), np.empty(0, np.uint8)
    while len(corners):
        skips = rounding(turn, corners, step)
        place, shape, lines = place_corners(points, step, noise, corners, apex, skips, limit, tolerance)
        laid = lay_sides(points, step, noise, spread, tolerance, limit, corners, skips, shape, rounds, laid)
        first, rows, kinds = laid[1], laid[2].copy(), laid[3]
        meet(points, step, noise, corners, skips, shape, lines, rows, kinds, first, place)
        slight = lead_sides(rows, kinds, first, shape, place, least)
        if not slight.any():
            sharp = np.zeros(len(kinds), np.bool_)
            sharp[first[:-1]] = True
            return kinds, rows, sharp
        corners = corners[~slight]
    rows, kinds = np.empty((n + 16, 8)), np.empty(n + 16, np.uint8)
    m = lay_closed(points, step, spread, tolerance, rows, kinds, rounds)
    return kinds[:m].copy(), rows[:m].copy(), np.zeros(m, np.bool_)


@compiled
def lay_sides(points, step, noise, spread, tolerance, limit, corners, skips, shape, rounds, laid):
    """Lines and cubics of the sides between corners (c,): the corners, the row each side begins with (c + 1,), rows
    and kinds. Sides that were ``laid`` before between the same corners are taken over; ``shape`` (see
    ``place_corners``) becomes 1 where a side is too short for a curve."""
    n, c = len(points), len(corners)
    were, began, known, known_kinds = laid
    before = np.full(n, -1, np.int64)
    for k in range(len(were)):
        before[were[k]] = k
    rows, kinds, first = np.empty((n + 16, 8)), np.full(n + 16, CUBIC_KIND, np.uint8), np.zeros(c + 1, np.int64)
    for k in range(c):
        d = (k + 1) % c
        m, i, old = first[k], corners[k], before[corners[k]]
        samples = (corners[d] - i - 1) % n + 1
        near, far = passed_over(skips[k], samples, noise), passed_over(skips[d], samples, noise)
        if c > 1 and (shape[k] > 0 or samples - near - far + 1 < 4):
            shape[k] = max(shape[k], 1)
            kinds[m] = LINE_KIND
            first[k + 1] = m + 1
            continue
        if old >= 0 and were[(old + 1) % len(were)] == corners[d]:
            end = m + began[old + 1] - began[old]
            rows[m:end], kinds[m:end] = known[began[old] : began[old + 1]], known_kinds[began[old] : began[old + 1]]
            first[k + 1] = end
            continue
        end = lay_side(points, i + near, samples - near - far + 1, step, spread, tolerance, rows, kinds, m, rounds)
        close, nigh = min(skips[k], near), min(skips[d], far)
        start = runs_off(rows[m], kinds[m], points, i + close, i + near, False)
        finish = runs_off(rows[end - 1], kinds[end - 1], points, i + samples - far, i + samples - nigh, True)
        if max(start, finish) > limit:  # then the ends are needed
            end = lay_side(points, i + close, samples - close - nigh + 1, step, spread, tolerance, rows, kinds, m,
                           rounds)  # fmt: skip
        first[k + 1] = end
    return corners, first, rows[: first[c]].copy(), kinds[: first[c]].copy()


@compiled
def lead_sides(rows, kinds, first, shape, place, least):
    """Leads all sides to the places (c, 2) of their corners. Which corners (c,) then turn by less than ``least``, and
    least of their neighbours: sides fitted whole may run on smoothly where short arms do not."""
    c = len(place)
    for k in range(c):
        d = (k + 1) % c
        if shape[k] > 0:
            put_line(place[k, 0], place[k, 1], place[d, 0], place[d, 1], rows[first[k]])
        else:
            lead(rows[first[k]], kinds[first[k]], place[k, 0], place[k, 1], False)
            lead(rows[first[k + 1] - 1], kinds[first[k + 1] - 1], place[d, 0], place[d, 1], True)
    turn = np.empty(c)
    for k in range(c):
        i, o = first[k] - 1, first[k]
        turn[k] = turn_between(rows[i], kinds[i], rows[o], kinds[o])
        if kinds[i] == LINE_KIND and kinds[o] == LINE_KIND:
            turn[k] = math.pi
    slight = turn < least
    for k in range(c):
        b, d = k - 1, (k + 1) % c
        if turn[b] < turn[k] or turn[d] <= turn[k]:
            slight[k] = slight[k] and c == 1
    return slight


@compiled
def is_stub(row, kind):
    """Whether a segment is a line too short to say where a side runs to: what a corner leaves of its other side looks
    like one."""
    return kind == LINE_KIND and math.hypot(row[6] - row[0], row[7] - row[1]) < STUB


@compiled
def meet(points, step, noise, corners, skips, shape, lines, rows, kinds, first, place):
    """Moves each ``place`` (c, 2) of a corner beside a curve to where its two sides cross when they run on.

    ``first`` (c + 1,): the row that each side begins with; ``shape`` and ``lines``: see ``place_corners``.
    """
    n, c = len(points), len(corners)
    for k in range(c):
        b, d = k - 1 if k > 0 else c - 1, (k + 1) % c
        if (shape[k] > 0 and shape[b] > 0) or shape[k] == 2 or shape[b] == 2:
            continue
        i, o = first[b + 1] - 1, first[k]
        if noise < LEAST_NOISE:
            if i > first[b] and kinds[i - 1] == CUBIC_KIND and is_stub(rows[i], kinds[i]):
                i -= 1
            if o + 1 < first[k + 1] and kinds[o + 1] == CUBIC_KIND and is_stub(rows[o], kinds[o]):
                o += 1
        row, other = rows[i].copy(), rows[o].copy()
        reach = skips[k] * step
        if shape[b] == 1:
            x, y, dx, dy = lines[b]
            put_line(place[k, 0] - 9 * dx, place[k, 1] - 9 * dy, place[k, 0], place[k, 1], row)
        elif noise < LEAST_NOISE and kinds[i] == CUBIC_KIND:
            side = (corners[k] - corners[b] - 1) % n + 1
            row = towards_corner(row, kinds[i], points, corners[k], -1, skips[k], side, step)
        if shape[k] == 1:
            x, y, dx, dy = lines[k]
            put_line(place[k, 0], place[k, 1], place[k, 0] + 9 * dx, place[k, 1] + 9 * dy, other)
        elif noise < LEAST_NOISE and kinds[o] == CUBIC_KIND:
            side = (corners[d] - corners[k] - 1) % n + 1
            other = towards_corner(other, kinds[o], points, corners[k], 1, skips[k], side, step)
        found, x, y = meeting(row, kinds[i], other, kinds[o], reach)
        if found and math.hypot(x - place[k, 0], y - place[k, 1]) < 1.5 * reach:
            place[k, 0], place[k, 1] = x, y
