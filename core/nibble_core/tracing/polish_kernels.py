"""The compiled sums of the polish (see geometry.kernels for why they stand in a file of their own)."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled

LONGEST_HANDLE = 1.0  # of the chord; a half circle has 0.67
HUBER = 0.2  # px: beyond this a sample pulls linearly only
SLIDE = 0.02  # what holds a smooth joint where it is along the outline, against one sample's pull
HOLD = 30.0  # the same for one between two lines, which nothing else holds
STEPS = 8
TRIES = 4  # of a step, each damped more
LEAST_GAIN = 0.01  # of the sum of squares, for which another step is worth it
FAR_STEP, FAR_TURN, FAR_GROWTH = 1.0, 0.2, 0.3  # px, radians, share of a handle: what one step may change at most
SHORTEST = 0.05  # px: handle
OF = 6  # unknowns a segment: x, y, angle and length where it leaves; length and angle where it arrives
X, Y, ANGLE_OUT, LENGTH_OUT, LENGTH_IN, ANGLE_IN = range(OF)


@compiled
def nearest_on_cubics(rows, samples, segment, t, steps):
    """Parameters (m,) moved towards the places nearest to ``samples`` (m, 2), with unit normals (m, 2) of the
    cubics ``rows`` (k, 8) and signed normal distances (m,) there.

    ``segment`` (m,): which cubic each sample belongs to; ``t``: parameters to start from. Newton's way along the
    tangent, ``steps`` times.
    """
    m = len(samples)
    found, normal, off = np.empty(m), np.empty((m, 2)), np.empty(m)
    for i in range(m):
        ax, ay, bx, by, cx, cy, dx, dy = rows[segment[i]]
        s, px, py, vx, vy = t[i], 0.0, 0.0, 0.0, 0.0
        for step in range(steps + 1):
            u = 1 - s
            b0, b1, b2, b3 = u * u * u, 3 * u * u * s, 3 * u * s * s, s * s * s
            px = b0 * ax + b1 * bx + b2 * cx + b3 * dx - samples[i, 0]
            py = b0 * ay + b1 * by + b2 * cy + b3 * dy - samples[i, 1]
            vx = 3 * (u * u * (bx - ax) + 2 * u * s * (cx - bx) + s * s * (dx - cx))
            vy = 3 * (u * u * (by - ay) + 2 * u * s * (cy - by) + s * s * (dy - cy))
            if step < steps:
                s = min(max(s - (px * vx + py * vy) / max(vx * vx + vy * vy, 1e-9), -0.08), 1.08)
        speed = max(math.hypot(vx, vy), 1e-9)
        found[i], normal[i, 0], normal[i, 1] = s, vy / speed, -vx / speed
        off[i] = -(px * vy - py * vx) / speed
    return found, normal, off


@compiled
def cubics(nodes, leaving, arriving):
    """Rows (k, 8) of the cubics between nodes (k + 1, 2) with handles (k, 2) as vectors from their ends."""
    k = len(leaving)
    rows = np.empty((k, 8))
    rows[:, :2], rows[:, 6:] = nodes[:k], nodes[1:]
    rows[:, 2:4], rows[:, 4:6] = nodes[:k] + leaving, nodes[1:] + arriving
    return rows


@compiled
def cost_of(off, nodes, found, smooth, hold):
    """Huber's sum of the distances ``off`` (m,), with what corners that left their place add."""
    total = 0.0
    for i in range(len(off)):
        size = abs(off[i])
        total += 0.5 * size * size if size < HUBER else HUBER * (size - HUBER / 2)
    for i in range(len(nodes) - 1):
        if not smooth[i]:
            total += hold * ((nodes[i, 0] - found[i, 0]) ** 2 + (nodes[i, 1] - found[i, 1]) ** 2) / 2
    return total


@compiled
def columns_of(smooth, straight, closed):
    """Unknowns (k, 8) of each of k segments: start x, y, end x, y, angle and length leaving, angle and length
    arriving; a smooth joint has one angle. And which of the unknowns are free, ((k + 1) * OF,)."""
    k = len(straight)
    columns, free = np.empty((k, 8), np.int64), np.ones((k + 1) * OF, np.bool_)
    free[k * OF :] = False
    for i in range(k):
        own, after = i * OF, (i + 1) % k * OF if closed else (i + 1) * OF
        columns[i, 0], columns[i, 1], columns[i, 2], columns[i, 3] = own + X, own + Y, after + X, after + Y
        columns[i, 4], columns[i, 5], columns[i, 7] = own + ANGLE_OUT, own + LENGTH_OUT, own + LENGTH_IN
        columns[i, 6] = after + ANGLE_OUT if smooth[i + 1] else own + ANGLE_IN
        # beside a line the line says the angle
        beside = straight[i] or ((closed or i > 0) and straight[i - 1])
        if straight[i] or (smooth[i] and beside):
            free[own + ANGLE_OUT] = False
    if not closed:
        free[X], free[Y] = False, False
        if smooth[0]:
            free[ANGLE_OUT] = False
    return columns, free


@compiled
def normal_equations(rows, straight, columns, unknowns, segment, t, normal, off):
    """Matrix (n, n) and right side (n,) of the weighted least squares of the distances ``off`` (m,).

    ``columns``: see ``columns_of``. ``straight`` (k,): a line's handles follow its ends.
    """
    matrix, right = np.zeros((unknowns, unknowns)), np.zeros(unknowns)
    value = np.empty(8)
    for i in range(len(off)):
        k, s = segment[i], t[i]
        ax, ay, bx, by, cx, cy, dx, dy = rows[k]
        u = 1 - s
        b1, b2 = 3 * u * u * s, 3 * u * s * s
        first, last = u * u * u + b1, b2 + s * s * s
        nx, ny = normal[i]
        value[0], value[1], value[2], value[3] = nx * first, ny * first, nx * last, ny * last
        if straight[k]:
            value[4:] = 0.0
        else:
            lx, ly, rx, ry = bx - ax, by - ay, cx - dx, cy - dy
            long, wide = max(math.hypot(lx, ly), 1e-9), max(math.hypot(rx, ry), 1e-9)
            value[4], value[5] = b1 * (ny * lx - nx * ly), b1 * (nx * lx + ny * ly) / long
            value[6], value[7] = b2 * (ny * rx - nx * ry), b2 * (nx * rx + ny * ry) / wide
        weight = 1 / max(1.0, abs(off[i]) / HUBER)
        for a in range(8):
            pull = weight * value[a]
            right[columns[k, a]] += pull * off[i]
            for b in range(8):
                matrix[columns[k, a], columns[k, b]] += pull * value[b]
    return matrix, right


@compiled
def held_nodes(matrix, right, nodes, leaving, arriving, found, smooth, straight, hold, closed):
    """Adds what holds nodes: corners near where they were found, smooth joints against sliding along the outline,
    which changes little, so that they would wander."""
    k = len(straight)
    for i in range(0 if closed else 1, k):
        x, y = i * OF + X, i * OF + Y
        if not smooth[i]:
            matrix[x, x] += hold
            matrix[y, y] += hold
            right[x] += hold * (found[i, 0] - nodes[i, 0])
            right[y] += hold * (found[i, 1] - nodes[i, 1])
            continue
        out = max(math.hypot(leaving[i, 0], leaving[i, 1]), 1e-9)
        into = max(math.hypot(arriving[i - 1, 0], arriving[i - 1, 1]), 1e-9)
        ax, ay = leaving[i, 0] / out - arriving[i - 1, 0] / into, leaving[i, 1] / out - arriving[i - 1, 1] / into
        size = max(math.hypot(ax, ay), 1e-9)
        ax, ay = ax / size, ay / size
        grip = HOLD if straight[i] and straight[i - 1] else SLIDE
        matrix[x, x] += grip * ax * ax
        matrix[x, y] += grip * ax * ay
        matrix[y, x] += grip * ax * ay
        matrix[y, y] += grip * ay * ay


@compiled
def solved(matrix, right, free, damping, closed):
    """The damped step (n,); what is not ``free`` stays. Segments touch their neighbours only, so a Cholesky
    factorisation need not look before a row's envelope (Jennings, Comp. J. 9, 1966): its own and the segment before,
    and the whole row for the last, which a closed outline joins to the first."""
    n = len(right)
    blocks = n // OF - 1
    lower, x = np.zeros((n, n)), np.zeros(n)
    first = np.empty(n, np.int64)
    for i in range(blocks * OF):
        block = i // OF
        first[i] = 0 if closed and block == blocks - 1 else max(0, block - 1) * OF
        if not free[i]:
            continue
        total = right[i]
        for j in range(first[i], i + 1):
            if not free[j]:
                continue
            value = matrix[i, j]
            for k in range(max(first[i], first[j]), j):
                value -= lower[i, k] * lower[j, k]
            if j < i:
                lower[i, j] = value / lower[j, j]
                total -= lower[i, j] * x[j]
            else:
                lower[i, i] = math.sqrt(max(value + damping * matrix[i, i] + 1e-6, 1e-9))
        x[i] = total / lower[i, i]
    for i in range(blocks * OF - 1, -1, -1):
        if not free[i]:
            continue
        x[i] /= lower[i, i]
        for j in range(first[i], i):
            x[j] -= lower[i, j] * x[i]
    return x


@compiled
def changed_handle(x, y, turn, longer, longest):
    """A handle as vector, turned and lengthened by no more than one step may."""
    old = math.hypot(x, y)
    new = old + min(max(longer, -FAR_GROWTH * old), FAR_GROWTH * old)
    size = min(max(new, SHORTEST), max(old, longest)) / max(old, 1e-9)
    angle = min(max(turn, -FAR_TURN), FAR_TURN)
    c, s = math.cos(angle), math.sin(angle)
    return (x * c - y * s) * size, (x * s + y * c) * size


@compiled
def stepped(nodes, leaving, arriving, smooth, straight, columns, step, closed):
    """Nodes and handles after a bounded ``step``, straight segments straight and smooth joints smooth again."""
    k = len(straight)
    nodes2, leaving2, arriving2 = nodes.copy(), leaving.copy(), arriving.copy()
    for i in range(k):
        nodes2[i, 0] += min(max(step[columns[i, 0]], -FAR_STEP), FAR_STEP)
        nodes2[i, 1] += min(max(step[columns[i, 1]], -FAR_STEP), FAR_STEP)
    if closed:
        nodes2[k] = nodes2[0]
    for i in range(k):
        if straight[i]:
            leaving2[i], arriving2[i] = (nodes2[i + 1] - nodes2[i]) / 3, (nodes2[i] - nodes2[i + 1]) / 3
            continue
        longest = LONGEST_HANDLE * math.hypot(nodes[i + 1, 0] - nodes[i, 0], nodes[i + 1, 1] - nodes[i, 1])
        at = columns[i]
        leaving2[i] = changed_handle(leaving[i, 0], leaving[i, 1], step[at[4]], step[at[5]], longest)
        arriving2[i] = changed_handle(arriving[i, 0], arriving[i, 1], step[at[6]], step[at[7]], longest)
    lead_by_lines(nodes2, leaving2, arriving2, smooth, straight, closed)
    return nodes2, leaving2, arriving2


@compiled
def lead_by_lines(nodes, leaving, arriving, smooth, straight, closed):
    """Turns the handles of curves beside lines that run on smoothly into the lines' directions."""
    k = len(straight)
    for i in range(k):
        if not straight[i]:
            continue
        x, y = nodes[i + 1, 0] - nodes[i, 0], nodes[i + 1, 1] - nodes[i, 1]
        size = max(math.hypot(x, y), 1e-9)
        x, y = x / size, y / size
        b, d = i - 1 if i > 0 else k - 1, (i + 1) % k
        if smooth[i] and not straight[b] and (closed or i > 0):
            long = math.hypot(arriving[b, 0], arriving[b, 1])
            arriving[b, 0], arriving[b, 1] = -x * long, -y * long
        if smooth[i + 1] and not straight[d] and (closed or i + 1 < k):
            long = math.hypot(leaving[d, 0], leaving[d, 1])
            leaving[d, 0], leaving[d, 1] = x * long, y * long


@compiled
def made_smooth(nodes, leaving, arriving, smooth, straight):
    """Turns the handles beside smooth joints of a closed outline into one direction: a line's, or the mean of two
    curves', of which the longer handle says more."""
    lead_by_lines(nodes, leaving, arriving, smooth, straight, True)
    for i in range(len(straight)):
        if not smooth[i] or straight[i] or straight[i - 1]:
            continue
        x, y = leaving[i, 0] - arriving[i - 1, 0], leaving[i, 1] - arriving[i - 1, 1]
        size = max(math.hypot(x, y), 1e-9)
        out = math.hypot(leaving[i, 0], leaving[i, 1]) / size
        into = -math.hypot(arriving[i - 1, 0], arriving[i - 1, 1]) / size
        leaving[i, 0], leaving[i, 1] = x * out, y * out
        arriving[i - 1, 0], arriving[i - 1, 1] = x * into, y * into


@compiled
def improve(nodes, leaving, arriving, smooth, straight, found, hold, closed, samples, segment, t):
    """Nodes (k + 1, 2) and handles (k, 2) of k segments nearer to their samples (m, 2), by Levenberg and Marquardt.

    The last node is the first of a closed outline; the ends of an open one stay, and the directions of smooth ones.
    ``smooth`` (k + 1,), ``straight`` (k,). Corners are held (``hold``) near where they were ``found`` (k + 1, 2).
    ``segment`` (m,) and ``t``: where each sample belongs.
    """
    columns, free = columns_of(smooth, straight, closed)
    unknowns = len(free)
    rows = cubics(nodes, leaving, arriving)
    t, normal, off = nearest_on_cubics(rows, samples, segment, t, 4)
    cost, damping = cost_of(off, nodes, found, smooth, hold), 1e-3
    for _ in range(STEPS):
        matrix, right = normal_equations(rows, straight, columns, unknowns, segment, t, normal, off)
        held_nodes(matrix, right, nodes, leaving, arriving, found, smooth, straight, hold, closed)
        before = cost
        for _try in range(TRIES):
            step = solved(matrix, right, free, damping, closed)
            nodes2, leaving2, arriving2 = stepped(nodes, leaving, arriving, smooth, straight, columns, step, closed)
            rows2 = cubics(nodes2, leaving2, arriving2)
            t2, normal2, off2 = nearest_on_cubics(rows2, samples, segment, t, 2)
            cost2 = cost_of(off2, nodes2, found, smooth, hold)
            if cost2 < cost:
                nodes, leaving, arriving, rows, t, normal, off = nodes2, leaving2, arriving2, rows2, t2, normal2, off2
                cost, damping = cost2, max(damping / 5, 1e-6)
                break
            damping *= 10
        if before - cost <= LEAST_GAIN * before:
            break
    return nodes, leaving, arriving
