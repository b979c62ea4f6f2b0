"""Compiled loops on single segments, in the row layout of geometry.paths: where they run on to, and where they meet."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled, fit_parabola

LINE_KIND, CUBIC_KIND = 0, 2
TELLING = (20.0, 12.0)  # px of a side that tell how it runs to its corner
STRAYS, KEEPS = 0.03, 0.005  # px off the samples there: of a side fitted whole, and of one told by them alone


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
def put_line(x0, y0, x1, y1, row):
    """A line in the row layout of geometry.paths."""
    for k in range(8):
        row[k] = 0.0
    row[0], row[1], row[6], row[7] = x0, y0, x1, y1


@compiled
def turn_between(row, kind, other, other_kind):
    """How far two segments turn where one ends and the other begins, radians."""
    _, _, ax, ay = place_at(row, kind, 1.0)
    _, _, bx, by = place_at(other, other_kind, 0.0)
    return abs(math.atan2(ax * by - ay * bx, ax * bx + ay * by))


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
def towards_corner(row, kind, points, i, way, skip, side, step):
    """A side of a clean picture as it runs to the corner at sample i: a parabola, as a row in the sense of the ring,
    if that keeps to the samples beside the corner where the fitted ``row`` strays from them; else the row itself.

    way: 1 for the side after the corner, -1 for the one before; side: its samples. Samples within twice the rounding
    of a corner are left out.
    """
    near = 2 * skip
    far = min(near + int(TELLING[0] / step), int(side * 0.8))
    first, last = (i + near, i + far) if way > 0 else (i - far, i - near)
    if far - near < 6 or runs_off(row, kind, points, first, last, way < 0) <= STRAYS:
        return row
    for arm in TELLING:
        reach = min(near + int(arm / step), int(side * 0.8))
        c = fit_parabola(points, i + way * near, reach - near + 1, way, step, near * step)
        local, a, b = np.empty(8), near * step, reach * step
        for axis in range(2):
            third = (b - a) / 3
            begin, end = c[0, axis] + (c[1, axis] + c[2, axis] * a) * a, c[0, axis] + (c[1, axis] + c[2, axis] * b) * b
            local[axis], local[2 + axis] = begin, begin + (c[1, axis] + 2 * c[2, axis] * a) * third
            local[4 + axis], local[6 + axis] = end - (c[1, axis] + 2 * c[2, axis] * b) * third, end
        if way < 0:
            for axis in range(2):
                local[axis], local[6 + axis] = local[6 + axis], local[axis]
                local[2 + axis], local[4 + axis] = local[4 + axis], local[2 + axis]
        first, last = (i + near, i + reach) if way > 0 else (i - reach, i - near)
        if runs_off(local, CUBIC_KIND, points, first, last, way < 0) <= KEEPS:
            return local
    return row
