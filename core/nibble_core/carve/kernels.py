"""Compiled loops of carving: balls that touch an outline twice, paths in space thinned, boards cut pixel by pixel."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled


@compiled
def touching(points, normals, side, ring, index, size, start, order, columns, rows, left, top, cell, most):
    """For each place of an outline, (n, 2), the radius of the largest ball that touches the outline there from within
    and holds none of it, ``most`` at most, and the place where it touches it again, -1 for none. normals: inward. Of
    places of one side without a corner between, ``index`` and ``size`` of its ring, the nearest neighbours do not
    count. start, order: places by cells of a grid of columns by rows."""
    count = len(points)
    radii = np.full(count, most)
    other = np.full(count, -1, np.int64)
    for i in range(count):
        px, py = points[i, 0], points[i, 1]
        nx, ny = normals[i, 0], normals[i, 1]
        r = most
        cx, cy = px + nx * r, py + ny * r
        first = max(0, int((cx - r - left) / cell))
        last = min(columns - 1, int((cx + r - left) / cell))
        upper = max(0, int((cy - r - top) / cell))
        lower = min(rows - 1, int((cy + r - top) / cell))
        for row in range(upper, lower + 1):
            for column in range(first, last + 1):
                at = row * columns + column
                for k in range(start[at], start[at + 1]):
                    j = order[k]
                    if j == i:
                        continue
                    if ring[j] == ring[i] and side[j] == side[i]:
                        apart = abs(index[j] - index[i])
                        if min(apart, size[i] - apart) <= 3:
                            continue
                    x, y = points[j, 0] - px, points[j, 1] - py
                    ahead = x * nx + y * ny
                    if ahead <= 1e-12:
                        continue
                    own = (x * x + y * y) / (2.0 * ahead)
                    if own < r:
                        r = own
                        other[i] = j
        radii[i] = r
    return radii, other


@compiled
def thinned(points, tolerance):
    """Which of places in space, (n, 3), a line through the others may leave out, none of them further than
    ``tolerance`` from it."""
    count = len(points)
    kept = np.zeros(count, np.bool_)
    if count == 0:
        return kept
    kept[0] = True
    i = 0
    while i < count - 1:
        j = i + 1
        reach = 2
        while j < count - 1:
            trial = min(i + reach, count - 1)
            if straight(points, i, trial, tolerance):
                j = trial
                reach *= 2
                if trial == count - 1:
                    break
            else:
                low, high = j, trial
                while high - low > 1:
                    middle = (low + high) // 2
                    if straight(points, i, middle, tolerance):
                        low = middle
                    else:
                        high = middle
                j = low
                break
        kept[j] = True
        i = j
    return kept


@compiled
def straight(points, i, j, tolerance):
    """Whether all places between two lie on the line between these."""
    ax, ay, az = points[i, 0], points[i, 1], points[i, 2]
    ux, uy, uz = points[j, 0] - ax, points[j, 1] - ay, points[j, 2] - az
    length = ux * ux + uy * uy + uz * uz
    for k in range(i + 1, j):
        x, y, z = points[k, 0] - ax, points[k, 1] - ay, points[k, 2] - az
        t = 0.0
        if length > 0.0:
            t = min(1.0, max(0.0, (x * ux + y * uy + z * uz) / length))
        x, y, z = x - t * ux, y - t * uy, z - t * uz
        if x * x + y * y + z * z > tolerance * tolerance:
            return False
    return True


@compiled
def tapered(aside, along, length, z0, climb, slope, radius, under):
    """How low a cone that ends in a ball comes over a place so far aside of a straight way and along it, from
    z0 on. Its outline is convex, so that there is one lowest place on the way: on the ball, or else on the cone."""
    contact = radius * slope / math.sqrt(1.0 + slope * slope)
    if aside < radius:
        high = math.sqrt(radius * radius - aside * aside)
        t = min(length, max(0.0, along - climb * high / math.sqrt(1.0 + climb * climb)))
        away = math.hypot(aside, along - t)
        if away <= contact:
            return z0 + climb * t + radius - math.sqrt(radius * radius - away * away)
    t = length if climb < 0.0 else 0.0  # steeper than the cone, its lower end counts
    if abs(climb) < slope:
        shift = aside * (climb / slope) / math.sqrt(1.0 - (climb / slope) ** 2)
        t = min(length, max(0.0, along - shift))
    away = math.hypot(aside, along - t)
    if away <= contact:
        return z0 + climb * t + radius - math.sqrt(max(radius * radius - away * away, 0.0))
    return z0 + climb * t + slope * away - under


@compiled
def carved(surface, moves, slope, radius, round_tip, left, top, pitch):
    """Takes from a board what a cutter takes on straight moves, (m, 6): x, y, z to x, y, z, its tip. surface: (h, w)
    heights of pixels whose middles lie ``pitch`` apart. slope: rise of a pointed cutter for each mm outward beyond its
    tip's radius, 0 of a flat one that is ``radius`` wide; round_tip: whether its end is a ball of that radius, which
    runs into a cone without a corner."""
    h, w = surface.shape
    for m in range(len(moves)):
        x0, y0, z0, x1, y1, z1 = moves[m]
        low = min(z0, z1)
        if low >= 0.0:
            continue
        reach = radius
        under = radius * (math.sqrt(1.0 + slope * slope) - 1.0)  # the cone's own point, below the end of its ball
        if slope > 0.0 and round_tip:
            reach = max(radius, (under - low) / slope)
        elif slope > 0.0:
            reach = radius - low / slope
        dx, dy, dz = x1 - x0, y1 - y0, z1 - z0
        length = math.hypot(dx, dy)
        ux, uy = (dx / length, dy / length) if length > 1e-12 else (1.0, 0.0)
        climb = dz / length if length > 1e-12 else 0.0
        z0 = z0 if length > 1e-12 else low  # straight down or up
        c0 = max(0, int((min(x0, x1) - reach - left) / pitch))
        c1 = min(w - 1, int((max(x0, x1) + reach - left) / pitch) + 1)
        r0 = max(0, int((min(y0, y1) - reach - top) / pitch))
        r1 = min(h - 1, int((max(y0, y1) + reach - top) / pitch) + 1)
        for row in range(r0, r1 + 1):
            py = top + (row + 0.5) * pitch - y0
            for column in range(c0, c1 + 1):
                px = left + (column + 0.5) * pitch - x0
                along = px * ux + py * uy
                aside = abs(py * ux - px * uy)
                if aside > reach:
                    continue
                if slope > 0.0 and round_tip:
                    z = tapered(aside, along, length, z0, climb, slope, radius, under)
                elif slope > 0.0:
                    off = max(aside - radius, 0.0)
                    # where the cone that moves and climbs stands lowest over this place
                    t = length if climb < 0.0 else 0.0
                    if abs(climb) < slope:
                        shift = off * (climb / slope) / math.sqrt(1.0 - (climb / slope) ** 2)
                        t = min(length, max(0.0, along - shift))
                    away = math.hypot(aside, along - t)
                    z = z0 + climb * t + slope * max(away - radius, 0.0)
                else:
                    half = math.sqrt(max(radius * radius - aside * aside, 0.0))
                    first, last = max(0.0, along - half), min(length, along + half)
                    if first > last:
                        continue
                    z = z0 + climb * (first if climb > 0.0 else last)
                    if round_tip:
                        t = min(length, max(0.0, along))
                        away = math.hypot(aside, along - t)
                        if away > radius:
                            continue
                        z = z0 + climb * t + radius - math.sqrt(radius * radius - away * away)
                if z < surface[row, column]:
                    surface[row, column] = z
    return surface
