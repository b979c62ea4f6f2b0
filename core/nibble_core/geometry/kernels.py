"""Compiled least squares: lines, parabolas, circles, arcs and cubics through dense points.

Kept in files that seldom change, because compiling them takes a minute; ``./nibble`` does that once during
set-up and numba keeps the result. Cubics are fitted by Gauss-Newton on the normal distance ("tangent distance
minimisation", Wang, Pottmann and Liu, ACM Trans. Graphics 25, 2006).
"""

import math

import numpy as np
from numba import njit, types

LONGEST_HANDLE = 0.6  # of the span's length; a half circle has 0.42, and longer ones make loops


def compiled(function):
    """A loop in machine code, kept on disk. One form serves all callers: numba would make another one for every
    constant that a caller gives (``True``, 0, 6), which takes a third of all compiling and runs no faster."""
    made = njit(cache=True, error_model="numpy", nogil=True)(function)
    plainly = made.get_call_template
    made.get_call_template = lambda args, kws: plainly(
        tuple(types.unliteral(one) for one in args), {name: types.unliteral(one) for name, one in kws.items()}
    )
    return made


@compiled
def solve_symmetric_3(s, right):
    """Solve s x = right for a symmetric 3x3 matrix by Cramer's rule; right has shape (3, k)."""
    a, b, c, d, e, f = s[0, 0], s[0, 1], s[0, 2], s[1, 1], s[1, 2], s[2, 2]
    m00, m01, m02 = d * f - e * e, c * e - b * f, b * e - c * d
    m11, m12, m22 = a * f - c * c, b * c - a * e, a * d - b * b
    determinant = a * m00 + b * m01 + c * m02
    if determinant == 0.0:
        determinant = 1e-300
    out = np.empty((3, right.shape[1]))
    for k in range(right.shape[1]):
        x, y, z = right[0, k], right[1, k], right[2, k]
        out[0, k] = (m00 * x + m01 * y + m02 * z) / determinant
        out[1, k] = (m01 * x + m11 * y + m12 * z) / determinant
        out[2, k] = (m02 * x + m12 * y + m22 * z) / determinant
    return out


@compiled
def solve_in_place(matrix, right, n):
    """Gaussian elimination with pivoting on the leading n x n block; False when singular."""
    for i in range(n):
        pivot = i
        for r in range(i + 1, n):
            if abs(matrix[r, i]) > abs(matrix[pivot, i]):
                pivot = r
        if abs(matrix[pivot, i]) < 1e-14:
            return False
        if pivot != i:
            for c in range(n):
                matrix[i, c], matrix[pivot, c] = matrix[pivot, c], matrix[i, c]
            right[i], right[pivot] = right[pivot], right[i]
        for r in range(i + 1, n):
            factor = matrix[r, i] / matrix[i, i]
            for c in range(i, n):
                matrix[r, c] -= factor * matrix[i, c]
            right[r] -= factor * right[i]
    for i in range(n - 1, -1, -1):
        for c in range(i + 1, n):
            right[i] -= matrix[i, c] * right[c]
        right[i] /= matrix[i, i]
    return True


@compiled
def fit_line(points, first, count, stride):
    """Total least squares line through ``count`` wrapped points: cx, cy, dx, dy, largest residual."""
    n = len(points)
    sx = sy = 0.0
    for k in range(count):
        i = (first + stride * k) % n
        sx += points[i, 0]
        sy += points[i, 1]
    cx, cy = sx / count, sy / count
    xx = xy = yy = 0.0
    for k in range(count):
        i = (first + stride * k) % n
        x, y = points[i, 0] - cx, points[i, 1] - cy
        xx += x * x
        xy += x * y
        yy += y * y
    theta = 0.5 * math.atan2(2 * xy, xx - yy)
    dx, dy = math.cos(theta), math.sin(theta)
    start, end = first % n, (first + stride * (count - 1)) % n
    if (points[end, 0] - points[start, 0]) * dx + (points[end, 1] - points[start, 1]) * dy < 0:
        dx, dy = -dx, -dy
    worst = 0.0
    for k in range(count):
        i = (first + stride * k) % n
        worst = max(worst, abs((points[i, 0] - cx) * dy - (points[i, 1] - cy) * dx))
    return cx, cy, dx, dy, worst


@compiled
def fit_parabola(points, first, count, stride, step, start):
    """Least squares p(s) = c0 + c1 s + c2 s², s = start + k step, over wrapped points: shape (3, 2)."""
    n = len(points)
    s, right, powers = np.zeros((3, 3)), np.zeros((3, 2)), np.empty(3)
    for k in range(count):
        i = (first + stride * k) % n
        t = start + k * step
        powers[0], powers[1], powers[2] = 1.0, t, t * t
        for p in range(3):
            for q in range(3):
                s[p, q] += powers[p] * powers[q]
            right[p, 0] += powers[p] * points[i, 0]
            right[p, 1] += powers[p] * points[i, 1]
    return solve_symmetric_3(s, right)


@compiled
def nearest_parameter(t, x, y, x0, y0, x1, y1, x2, y2, x3, y3):
    """One Newton step towards the parameter nearest (x, y), then the distance there."""
    u = 1 - t
    px = u * u * u * x0 + 3 * u * u * t * x1 + 3 * u * t * t * x2 + t * t * t * x3 - x
    py = u * u * u * y0 + 3 * u * u * t * y1 + 3 * u * t * t * y2 + t * t * t * y3 - y
    dx = 3 * (u * u * (x1 - x0) + 2 * u * t * (x2 - x1) + t * t * (x3 - x2))
    dy = 3 * (u * u * (y1 - y0) + 2 * u * t * (y2 - y1) + t * t * (y3 - y2))
    qx, qy = (
        6 * (u * (x2 - 2 * x1 + x0) + t * (x3 - 2 * x2 + x1)),
        6 * (u * (y2 - 2 * y1 + y0) + t * (y3 - 2 * y2 + y1)),
    )
    bottom = dx * dx + dy * dy + px * qx + py * qy
    if bottom < 1e-9:
        bottom = dx * dx + dy * dy + 1e-9
    t = min(max(t - (px * dx + py * dy) / bottom, 0.0), 1.0)
    u = 1 - t
    px = u * u * u * x0 + 3 * u * u * t * x1 + 3 * u * t * t * x2 + t * t * t * x3 - x
    py = u * u * u * y0 + 3 * u * u * t * y1 + 3 * u * t * t * y2 + t * t * t * y3 - y
    return t, math.sqrt(px * px + py * py)  # called so often that math.hypot's care for overflow would cost a tenth


@compiled
def fit_cubic(points, i, j, tx0, ty0, tx1, ty1, free, rounds, tolerance, row):
    """Least squares cubic from points[i] to points[j] into ``row`` (8,); returns the largest error.

    Two rounds by chord length, then Gauss-Newton on the normal distance. ``free`` fits both handles (four
    unknowns); otherwise only their lengths along the unit tangents (tx0, ty0) and (tx1, ty1), which both
    point into the span.
    """
    n = j - i + 1
    x0, y0, x3, y3 = points[i, 0], points[i, 1], points[j, 0], points[j, 1]
    stride = n // 75 if n > 150 else 1
    m = (n - 1 + stride - 1) // stride + 1
    xs, ys, ts = np.empty(m), np.empty(m), np.empty(m)
    row[0], row[1], row[6], row[7] = x0, y0, x3, y3  # straight, should nothing better be found
    row[2], row[3], row[4], row[5] = x0 + (x3 - x0) / 3, y0 + (y3 - y0) / 3, x3 - (x3 - x0) / 3, y3 - (y3 - y0) / 3
    chord = 0.0
    for k in range(m):
        q = min(i + k * stride, j)
        xs[k], ys[k] = points[q, 0], points[q, 1]
        if k > 0:
            chord += math.hypot(xs[k] - xs[k - 1], ys[k] - ys[k - 1])
        ts[k] = chord
    if chord < 1e-9:
        return 1e9
    for k in range(m):
        ts[k] /= chord
    unknowns = 4 if free else 2
    if free:
        x1, y1, x2, y2 = x0 + (x3 - x0) / 3, y0 + (y3 - y0) / 3, x3 - (x3 - x0) / 3, y3 - (y3 - y0) / 3
    else:
        x1, y1, x2, y2 = (
            x0 + tx0 * chord / 3,
            y0 + ty0 * chord / 3,
            x3 + tx1 * chord / 3,
            y3 + ty1 * chord / 3,
        )
    best = 1e9
    a, g, v = np.empty((4, 4)), np.empty(4), np.empty(4)
    for it in range(rounds):
        a[:] = 0.0
        g[:] = 0.0
        for k in range(1, m - 1):
            t = ts[k]
            u = 1 - t
            b0, b1, b2, b3 = u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t
            for component in range(2 if it < 2 else 1):
                if it < 2:
                    nx, ny = 1.0 - component, 1.0 * component
                else:
                    dx = u * u * (x1 - x0) + 2 * u * t * (x2 - x1) + t * t * (x3 - x2)
                    dy = u * u * (y1 - y0) + 2 * u * t * (y2 - y1) + t * t * (y3 - y2)
                    size = math.sqrt(dx * dx + dy * dy) + 1e-12
                    nx, ny = dy / size, -dx / size
                if free:
                    r = nx * (xs[k] - b0 * x0 - b3 * x3) + ny * (ys[k] - b0 * y0 - b3 * y3)
                    v[0], v[1], v[2], v[3] = b1 * nx, b1 * ny, b2 * nx, b2 * ny
                else:
                    r = nx * (xs[k] - (b0 + b1) * x0 - (b3 + b2) * x3) + ny * (ys[k] - (b0 + b1) * y0 - (b3 + b2) * y3)
                    v[0], v[1] = b1 * (nx * tx0 + ny * ty0), b2 * (nx * tx1 + ny * ty1)
                for p in range(unknowns):
                    g[p] += v[p] * r
                    for q in range(p, unknowns):
                        a[p, q] += v[p] * v[q]
        trace = 0.0
        for p in range(unknowns):
            trace += a[p, p]
            for q in range(p):
                a[p, q] = a[q, p]
        damping = 1e-5 * trace  # towards the present handles: keeps straight spans well posed
        if free:
            g[0] += damping * x1
            g[1] += damping * y1
            g[2] += damping * x2
            g[3] += damping * y2
        else:
            g[0] += damping * math.hypot(x1 - x0, y1 - y0)
            g[1] += damping * math.hypot(x2 - x3, y2 - y3)
        for p in range(unknowns):
            a[p, p] += damping
        if not solve_in_place(a, g, unknowns):
            break
        if free:
            x1, y1, x2, y2 = g[0], g[1], g[2], g[3]
            size = math.hypot(x1 - x0, y1 - y0)
            if size > LONGEST_HANDLE * chord:
                x1, y1 = x0 + (x1 - x0) * LONGEST_HANDLE * chord / size, y0 + (y1 - y0) * LONGEST_HANDLE * chord / size
            size = math.hypot(x2 - x3, y2 - y3)
            if size > LONGEST_HANDLE * chord:
                x2, y2 = x3 + (x2 - x3) * LONGEST_HANDLE * chord / size, y3 + (y2 - y3) * LONGEST_HANDLE * chord / size
        else:
            near, far = (
                min(max(g[0], 0.02 * chord), LONGEST_HANDLE * chord),
                min(max(g[1], 0.02 * chord), LONGEST_HANDLE * chord),
            )
            x1, y1, x2, y2 = x0 + near * tx0, y0 + near * ty0, x3 + far * tx1, y3 + far * ty1
        worst = 0.0
        for k in range(1, m - 1):
            ts[k], error = nearest_parameter(ts[k], xs[k], ys[k], x0, y0, x1, y1, x2, y2, x3, y3)
            worst = max(worst, error)
        if worst < best:
            gain, best = best - worst, worst
            row[0], row[1], row[2], row[3], row[4], row[5], row[6], row[7] = x0, y0, x1, y1, x2, y2, x3, y3
            if it > 4 and gain < 0.02 * best:
                break
        elif it > 4:
            break
        if (best < 0.35 * tolerance and it >= 3) or (it >= 5 and best > 5 * tolerance):
            break
    # a handle that leaves against the walk folds the curve over its own end, where no sample would notice
    k = min(2, m - 1)
    if (row[2] - x0) * (xs[k] - x0) + (row[3] - y0) * (ys[k] - y0) < 0:
        return 1e9
    if (row[4] - x3) * (xs[m - 1 - k] - x3) + (row[5] - y3) * (ys[m - 1 - k] - y3) < 0:
        return 1e9
    return best


@compiled
def longest_span(points, i, tolerance, row):
    """The furthest j for which one free cubic from points[i] stays within tolerance; the cubic in row."""
    n = len(points)
    trial = np.empty(8)
    if fit_cubic(points, i, n - 1, 0.0, 0.0, 0.0, 0.0, True, 8, tolerance, row) <= tolerance:
        return n - 1
    low, high, span, best = min(i + 3, n - 1), n - 1, 12, -1
    while i + span < n - 1:
        j = i + span
        if fit_cubic(points, i, j, 0.0, 0.0, 0.0, 0.0, True, 6, tolerance, trial) > tolerance:
            high = j
            break
        low, best = j, j
        row[:] = trial
        span *= 2
    while high - low > max(1, (low - i) // 24):
        j = (low + high) // 2
        if fit_cubic(points, i, j, 0.0, 0.0, 0.0, 0.0, True, 6, tolerance, trial) <= tolerance:
            low, best = j, j
            row[:] = trial
        else:
            high = j
    if best < 0:
        fit_cubic(points, i, low, 0.0, 0.0, 0.0, 0.0, True, 6, tolerance, row)
        best = low
    return best


@compiled
def line_error(points, i, j):
    """Largest distance of points[i..j] from the segment between the two."""
    dx, dy = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1]
    size = math.hypot(dx, dy)
    if size < 1e-12:
        return 1e9
    worst = 0.0
    for k in range(i + 1, j):
        x, y = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1]
        along = (x * dx + y * dy) / size
        off = abs(x * dy - y * dx) / size
        if along < 0.0:
            off = math.hypot(off, along)
        elif along > size:
            off = math.hypot(off, along - size)
        worst = max(worst, off)
    return worst


@compiled
def fit_arc(points, i, j, row):
    """The arc from points[i] to points[j] nearest the points between, into row; returns the largest error.

    With m the middle of the chord of length L and n its normal, a circle through both ends has its centre at
    m + h n, and each point p on it obeys |p-m|² - L²/4 = 2 h (p-m)·n: linear least squares in h.
    """
    x0, y0, x1, y1 = points[i, 0], points[i, 1], points[j, 0], points[j, 1]
    mx, my, size = (x0 + x1) / 2, (y0 + y1) / 2, math.hypot(x1 - x0, y1 - y0)
    if j - i < 3 or size < 1e-9:
        return 1e9
    nx, ny = -(y1 - y0) / size, (x1 - x0) / size
    top = bottom = 0.0
    for k in range(i + 1, j):
        x, y = points[k, 0] - mx, points[k, 1] - my
        w = x * nx + y * ny
        top += w * (x * x + y * y - size * size / 4)
        bottom += 2 * w * w
    if bottom < 1e-18:
        return 1e9
    h = top / bottom
    cx, cy = mx + h * nx, my + h * ny
    radius = math.hypot(x0 - cx, y0 - cy)
    if radius > 100 * size:
        return 1e9
    worst, sweep, ax, ay = 0.0, 0.0, x0 - cx, y0 - cy
    for k in range(i + 1, j + 1):
        bx, by = points[k, 0] - cx, points[k, 1] - cy
        worst = max(worst, abs(math.hypot(bx, by) - radius))
        sweep += math.atan2(ax * by - ay * bx, ax * bx + ay * by)
        ax, ay = bx, by
    if abs(sweep) > 5.5:
        return 1e9
    row[0], row[1], row[2], row[3], row[4], row[5], row[6], row[7] = x0, y0, cx, cy, sweep, 0.0, x1, y1
    return worst


@compiled
def furthest(points, i, tolerance, arc, row):
    """The furthest j that a line (or, with ``arc``, an arc, then in row) from points[i] reaches."""
    n = len(points)
    trial = np.empty(8)
    low, high, span = i + 1, n, 2
    while high - low > 1:
        j = min(i + span, n - 1) if high == n and i + span < n else (low + high) // 2
        error = fit_arc(points, i, j, trial) if arc else line_error(points, i, j)
        if error <= tolerance or (arc and j - i < 3):
            low = j
            if arc:
                row[:] = trial
            span *= 2
        else:
            high = j
    return low


@compiled
def fit_circle(points):
    """Algebraic least squares circle: cx, cy, radius, largest radial residual."""
    n = len(points)
    mx = my = 0.0
    for i in range(n):
        mx += points[i, 0]
        my += points[i, 1]
    mx /= n
    my /= n
    s, right, v = np.zeros((3, 3)), np.zeros((3, 1)), np.empty(3)
    for i in range(n):
        x, y = points[i, 0] - mx, points[i, 1] - my
        v[0], v[1], v[2] = x, y, 1.0
        for p in range(3):
            right[p, 0] += v[p] * (x * x + y * y)
            for q in range(3):
                s[p, q] += v[p] * v[q]
    c = solve_symmetric_3(s, right)
    ux, uy = c[0, 0] / 2, c[1, 0] / 2
    radius = math.sqrt(max(c[2, 0] + ux * ux + uy * uy, 0))
    worst = 0.0
    for i in range(n):
        worst = max(worst, abs(math.hypot(points[i, 0] - mx - ux, points[i, 1] - my - uy) - radius))
    return mx + ux, my + uy, radius, worst
