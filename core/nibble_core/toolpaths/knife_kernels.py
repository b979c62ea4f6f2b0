"""Compiled loops of knife paths: where a polyline is begun, how far it runs on, and where its holder goes."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled

AHEAD = math.radians(2.0)  # of turn, from which a knife is turned into the next line before it is raised
TURNED = math.radians(25.0)  # up to which a knife that is turned into a line may be off
SWIVEL = math.radians(8.0)  # of a step of the holder's turn round a corner


@compiled
def begun_smoothly(points, corner, overcut):
    """A closed polyline (its first point repeated at its end) begun in the middle of its longest stretch without a
    corner, and run on beyond its start for ``overcut`` mm. corner: turn, in radians, from which a vertex is one."""
    n = len(points) - 1
    steps = np.empty(n)
    for i in range(n):
        steps[i] = math.hypot(points[i + 1, 0] - points[i, 0], points[i + 1, 1] - points[i, 1])
    whole = steps.sum()
    first = -1
    for i in range(n):
        if _turn(points, i, n) > corner:
            first = i
            break
    start, along = 0, 0.0
    if first >= 0:
        best, run, begin = -1.0, 0.0, first
        for k in range(1, n + 1):
            i = (first + k) % n
            run += steps[(first + k - 1) % n]
            if _turn(points, i, n) > corner:
                if run > best:
                    best, start = run, begin
                run, begin = 0.0, i
        along = best / 2
        while along > steps[start]:
            along -= steps[start]
            start = (start + 1) % n
    out = np.empty((2 * n + 4, 2))
    u = along / steps[start] if steps[start] > 0 else 0.0
    out[0] = points[start] + u * (points[start + 1] - points[start])
    count, i = 1, start
    left = whole + min(overcut, whole)
    while left > 1e-9:
        step = steps[i] - along
        if step <= left:
            out[count] = points[i + 1]
        else:
            out[count] = points[i] + (along + left) / steps[i] * (points[i + 1] - points[i])
        if step > 1e-12:
            count += 1
        left -= step
        along = 0.0
        i = (i + 1) % n
    return out[:count]


@compiled
def _turn(points, i, n):
    """By how much a closed polyline turns at vertex i."""
    before = (i - 1) % n
    ax, ay = points[i, 0] - points[before, 0], points[i, 1] - points[before, 1]
    bx, by = points[i + 1, 0] - points[i, 0], points[i + 1, 1] - points[i, 1]
    return abs(math.atan2(ax * by - ay * bx, ax * bx + ay * by))


@compiled
def holder_paths(points, begins, offset, corner, after, sagitta):
    """Where the holder of a trailing knife goes so that its tip follows polylines ``points[begins[i]:begins[i + 1]]``.

    The tip lies ``offset`` mm behind the holder: on a straight stretch that is as far ahead, at a vertex of a curve
    along its tangent. A chord that lies within ``sagitta`` of its curve is no further than 4 sagitta / length, radians,
    from the tangent at its end: what a vertex turns beyond that of both is a bend, where the holder steps over; at a
    corner sharper than ``corner`` radians it turns round the tip. At the end of each polyline it turns on into the
    direction of the next, so that the knife is lowered pointing along its cut; at the end of the last into ``after``
    (radians; nan for none). Returns points and begins.
    """
    total = len(begins) - 1
    room = 4 * len(points) + total * (2 + int(math.pi / SWIVEL))
    for p in range(total):
        for i in range(begins[p] + 1, begins[p + 1] - 1):
            ax, ay = points[i, 0] - points[i - 1, 0], points[i, 1] - points[i - 1, 1]
            bx, by = points[i + 1, 0] - points[i, 0], points[i + 1, 1] - points[i, 1]
            room += int(abs(math.atan2(ax * by - ay * bx, ax * bx + ay * by)) / SWIVEL) + 1
    out = np.empty((room, 2))
    ends = np.zeros(total + 1, np.int64)
    count = 0
    for p in range(total):
        first, last = begins[p], begins[p + 1] - 1
        heading, before = 0.0, 0.0
        for i in range(first, last):
            dx, dy = points[i + 1, 0] - points[i, 0], points[i + 1, 1] - points[i, 1]
            way = math.atan2(dy, dx)
            turn = (way - heading + math.pi) % (2 * math.pi) - math.pi if i > first else 0.0
            long = max(math.hypot(dx, dy), 1e-9)
            if i > first and abs(turn) <= corner:
                curves = min(abs(turn) / 2, 4 * sagitta / before)
                into = heading + math.copysign(curves, turn)
                curves = min(abs(turn) - curves, 4 * sagitta / long)
                onward = way - math.copysign(curves, turn)
                out[count - 1, 0] = points[i, 0] + offset * math.cos(into)
                out[count - 1, 1] = points[i, 1] + offset * math.sin(into)
                if abs(onward - into - 2 * math.pi * round((onward - into) / (2 * math.pi))) > AHEAD:
                    out[count, 0] = points[i, 0] + offset * math.cos(onward)
                    out[count, 1] = points[i, 1] + offset * math.sin(onward)
                    count += 1
            else:
                if i > first:
                    count = _swivel(out, count, points[i, 0], points[i, 1], heading, way, offset, corner)
                out[count, 0] = points[i, 0] + offset * math.cos(way)
                out[count, 1] = points[i, 1] + offset * math.sin(way)
                count += 1
            out[count, 0] = points[i + 1, 0] + offset * math.cos(way)
            out[count, 1] = points[i + 1, 1] + offset * math.sin(way)
            count += 1
            heading, before = way, long
        way = after
        if p + 1 < total:
            i = begins[p + 1]
            way = math.atan2(points[i + 1, 1] - points[i, 1], points[i + 1, 0] - points[i, 0])
        turn = (way - heading + math.pi) % (2 * math.pi) - math.pi
        if offset > 0 and abs(turn) > AHEAD:  # of nothing that follows the turn is no number
            count = _swivel(out, count, points[last, 0], points[last, 1], heading, way, offset, AHEAD)
            out[count, 0] = points[last, 0] + offset * math.cos(way)
            out[count, 1] = points[last, 1] + offset * math.sin(way)
            count += 1
        ends[p + 1] = count
    return out[:count], ends


@compiled
def lowered_on(points, begins, tips, offset, unit, facing):
    """Moves where the holder is lowered, in place, so that a trailing tip lands where each line begins however the
    knife faces by then: turned on a grid of ``unit`` mm it is some degrees off. tips: where lines begin. facing:
    radians before the first; nan where nobody knows. Returns the way that it faces after the last."""
    for p in range(len(begins) - 1):
        first, last = begins[p], begins[p + 1] - 1
        way = math.atan2(points[first + 1, 1] - points[first, 1], points[first + 1, 0] - points[first, 0])
        off = (facing - way + math.pi) % (2 * math.pi) - math.pi
        if abs(off) < TURNED:  # of nan nothing is
            points[first, 0] = round((tips[p, 0] + offset * math.cos(facing)) / unit) * unit
            points[first, 1] = round((tips[p, 1] + offset * math.sin(facing)) / unit) * unit
        else:
            facing = way
        for i in range(first, last):
            dx, dy = points[i + 1, 0] - points[i, 0], points[i + 1, 1] - points[i, 1]
            way = math.atan2(dy, dx)
            # dragged along a straight way the half of the angle falls off as its tangent does (a tractrix)
            off = (facing - way + math.pi) % (2 * math.pi) - math.pi
            facing = way + 2 * math.atan(math.tan(off / 2) * math.exp(-math.hypot(dx, dy) / offset))
    return facing


@compiled
def _swivel(out, count, x, y, before, after, offset, corner):
    """Steps of the holder round a corner, the shorter way, ends left out."""
    turn = (after - before + math.pi) % (2 * math.pi) - math.pi
    if abs(turn) <= corner or offset <= 0:
        return count
    steps = int(math.ceil(abs(turn) / SWIVEL))
    for k in range(1, steps):
        angle = before + turn * k / steps
        out[count, 0] = x + offset * math.cos(angle)
        out[count, 1] = y + offset * math.sin(angle)
        count += 1
    return count


@compiled
def sharpness(points, i, first, last):
    """How sharply a polyline turns at a point between two others, 0 (straight on) to 2 (back); 0 at its ends."""
    if i <= first or i >= last:
        return 0.0
    ax, ay = points[i, 0] - points[i - 1, 0], points[i, 1] - points[i - 1, 1]
    bx, by = points[i + 1, 0] - points[i, 0], points[i + 1, 1] - points[i, 1]
    long = math.sqrt((ax * ax + ay * ay) * (bx * bx + by * by))
    return 0.0 if long == 0 else 1.0 - (ax * bx + ay * by) / long


@compiled
def on_grid(points, begins, unit):
    """Polylines on a grid of ``unit`` mm, two points at least each. Of points within a unit of each other the one at
    which the line turns more is kept: rounded, such steps turn back and forth, and a plotter slows at each. The first
    and the last point of each stay."""
    total = len(begins) - 1
    out = np.empty_like(points)
    ends = np.zeros(total + 1, np.int64)
    near = 1.01 * unit * unit
    count = 0
    for p in range(total):
        start, first, last = count, begins[p], begins[p + 1] - 1
        kept = first
        for i in range(first, last + 1):
            x, y = round(points[i, 0] / unit) * unit, round(points[i, 1] / unit) * unit
            if count > start and (out[count - 1, 0] - x) ** 2 + (out[count - 1, 1] - y) ** 2 <= near:
                if i < last and sharpness(points, i, first, last) <= sharpness(points, kept, first, last):
                    continue
                if count > start + 1 and (
                    i == last or (out[count - 2, 0] - x) ** 2 + (out[count - 2, 1] - y) ** 2 > near
                ):
                    count -= 1
                elif i < last:
                    continue
            out[count, 0], out[count, 1] = x, y
            kept = i
            count += 1
        ends[p + 1] = count
    return out[:count], ends
