"""Compiled loops of knife paths: where a polyline is begun, how far it runs on, and where its holder goes."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled

AHEAD = math.radians(2.0)  # of turn, from which a knife is turned into the next line before it is raised
TURNED = math.radians(25.0)  # up to which a knife that is turned into a line may be off
EASED = (0.7, 3.0)  # times its offset, after which half of a knife's angle is gone, and nearly all
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
    (radians; nan for none). Returns points, where the tip is to be at each, whether it has to come there along the line
    too (at corners and ends, elsewhere beside it only), and begins.
    """
    total = len(begins) - 1
    room = 4 * len(points) + total * (2 + int(math.pi / SWIVEL))
    for p in range(total):
        for i in range(begins[p] + 1, begins[p + 1] - 1):
            ax, ay = points[i, 0] - points[i - 1, 0], points[i, 1] - points[i - 1, 1]
            bx, by = points[i + 1, 0] - points[i, 0], points[i + 1, 1] - points[i, 1]
            room += int(abs(math.atan2(ax * by - ay * bx, ax * bx + ay * by)) / SWIVEL) + 1
    out, tips = np.empty((room, 2)), np.empty((room, 2))
    fixed = np.zeros(room, np.bool_)
    ends = np.zeros(total + 1, np.int64)
    count = 0
    for p in range(total):
        first, last = begins[p], begins[p + 1] - 1
        heading, before = 0.0, 0.0
        start = count
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
                tips[count - 1] = points[i]
                if abs(onward - into - 2 * math.pi * round((onward - into) / (2 * math.pi))) > AHEAD:
                    out[count, 0] = points[i, 0] + offset * math.cos(onward)
                    out[count, 1] = points[i, 1] + offset * math.sin(onward)
                    tips[count] = points[i]
                    count += 1
            else:
                from_corner = max(count - 1, start)
                if i > first:
                    count = _swivel(out, count, points[i, 0], points[i, 1], heading, way, offset, corner)
                out[count, 0] = points[i, 0] + offset * math.cos(way)
                out[count, 1] = points[i, 1] + offset * math.sin(way)
                count += 1
                tips[from_corner:count] = points[i]
                fixed[from_corner:count] = True
            out[count, 0] = points[i + 1, 0] + offset * math.cos(way)
            out[count, 1] = points[i + 1, 1] + offset * math.sin(way)
            tips[count] = points[i + 1]
            count += 1
            heading, before = way, long
        way = after
        if p + 1 < total:
            i = begins[p + 1]
            way = math.atan2(points[i + 1, 1] - points[i, 1], points[i + 1, 0] - points[i, 0])
        turn = (way - heading + math.pi) % (2 * math.pi) - math.pi
        from_corner = count - 1
        if offset > 0 and abs(turn) > AHEAD:  # of nothing that follows the turn is no number
            count = _swivel(out, count, points[last, 0], points[last, 1], heading, way, offset, AHEAD)
            out[count, 0] = points[last, 0] + offset * math.cos(way)
            out[count, 1] = points[last, 1] + offset * math.sin(way)
            count += 1
        tips[from_corner:count] = points[last]
        fixed[from_corner:count] = True
        ends[p + 1] = count
    return out[:count], tips[:count], fixed[:count], ends


@compiled
def steered(points, tips, fixed, begins, offset, unit, facing):
    """Where on a grid of ``unit`` mm the holder goes, so that a tip that trails it by ``offset`` mm stays as near to
    its line as the grid lets it: of the four places round each of ``points`` the sequence with the least sum of the
    fourth powers of what the tip is off (Viterbi's algorithm; a knife drawn straight on is a tractrix). tips: where the
    tip is to be at each point; fixed: whether it is to come there along the line too. facing: radians before the first
    line; nan where nobody knows. Returns points, begins, and the way that the knife faces after the last."""
    n = len(points)
    out, ends = np.empty((n, 2)), np.zeros(len(begins), np.int64)
    places = np.empty((n, 4, 2))
    came = np.zeros((n, 4), np.int64)
    cost, best = np.empty(4), np.empty(4)
    ways, turned = np.empty((4, 2)), np.empty((4, 2))
    count = 0
    for p in range(len(begins) - 1):
        first, last = begins[p], begins[p + 1] - 1
        way = math.atan2(points[first, 1] - tips[first, 1], points[first, 0] - tips[first, 0])
        off = (facing - way + math.pi) % (2 * math.pi) - math.pi
        unknown = math.isnan(facing)
        if unknown or abs(off) > TURNED:
            facing = way
        x, y = tips[first, 0] + offset * math.cos(facing), tips[first, 1] + offset * math.sin(facing)
        _round(places[first], x, y, unit)
        for c in range(4):
            ways[c, 0], ways[c, 1] = math.cos(facing), math.sin(facing)
            off_x = places[first, c, 0] - offset * ways[c, 0] - tips[first, 0]
            off_y = places[first, c, 1] - offset * ways[c, 1] - tips[first, 1]
            cost[c] = (off_x * off_x + off_y * off_y) ** 2
        for k in range(first + 1, last + 1):
            _round(places[k], points[k, 0], points[k, 1], unit)
            chord = math.hypot(tips[k, 0] - tips[k - 1, 0], tips[k, 1] - tips[k - 1, 1])
            for c in range(4):
                best[c] = np.inf
                for b in range(4):
                    if cost[b] >= best[c]:
                        continue
                    u, v = ways[b]
                    if unknown and k == first + 1:  # it turns into the way in which it is first drawn
                        x, y = places[k, c] - places[k - 1, b]
                        u, v = x / max(math.hypot(x, y), 1e-9), y / max(math.hypot(x, y), 1e-9)
                    new, u, v = _dragged(
                        places[k - 1, b, 0], places[k - 1, b, 1], u, v, places[k, c, 0], places[k, c, 1], offset, unit,
                        tips[k - 1, 0], tips[k - 1, 1], tips[k, 0], tips[k, 1], chord, fixed[k],
                    )  # fmt: skip
                    if cost[b] + new < best[c]:
                        best[c], came[k, c] = cost[b] + new, b
                        turned[c, 0], turned[c, 1] = u, v
            for c in range(4):
                cost[c], ways[c, 0], ways[c, 1] = best[c], turned[c, 0], turned[c, 1]
        c = int(np.argmin(cost))
        facing = math.atan2(ways[c, 1], ways[c, 0])
        for k in range(last, first, -1):
            places[k, 0], c = places[k, c], came[k, c]
        places[first, 0] = places[first, c]
        start = count
        for k in range(first, last + 1):
            apart = math.hypot(places[k, 0, 0] - out[count - 1, 0], places[k, 0, 1] - out[count - 1, 1])
            if count == start or apart > unit / 2 or (k == last and count == start + 1):
                out[count] = places[k, 0]
                count += 1
        ends[p + 1] = count
    return out[:count], ends, facing


@compiled
def _round(places, x, y, unit):
    """The four places of the grid round a point."""
    left, low = math.floor(x / unit), math.floor(y / unit)
    for c in range(4):
        places[c, 0], places[c, 1] = (left + c % 2) * unit, (low + c // 2) * unit


@compiled
def _dragged(from_x, from_y, u, v, to_x, to_y, offset, unit, start_x, start_y, end_x, end_y, chord, fixed):
    """What it costs to draw a holder straight on, and the way that its knife faces then, as (u, v) tells before. start,
    end: where the tip is to be before and after, ``chord`` mm apart; fixed: whether it is to come there along the line
    too. Looked at are the middle, the end and, on a long way, where half of what was wrong is gone and nearly all."""
    dx, dy = to_x - from_x, to_y - from_y
    long = math.sqrt(dx * dx + dy * dy)
    half, decay = 0.0, 1.0
    if long > 0.0:
        dx, dy = dx / long, dy / long
        half = (u * dy - v * dx) / max(1.0 + u * dx + v * dy, 1e-9)  # tangent of half of what it has to turn
        decay = math.exp(-long / 2 / offset)
    worst = 0.0
    for k in range(4):
        gone, left = long, half * decay * decay
        if k == 2:
            gone, left = long / 2, half * decay
        elif k < 2:
            if long < 2 * EASED[k] * offset:
                continue
            gone, left = EASED[k] * offset, half * math.exp(-EASED[k])
        if long > 0.0:
            ahead = 1.0 / (1.0 + left * left)
            c, s = (1.0 - left * left) * ahead, 2.0 * left * ahead
            u, v = dx * c + dy * s, dy * c - dx * s
        x, y = from_x + gone * dx - offset * u, from_y + gone * dy - offset * v
        if chord > 1e-9:
            off = ((y - start_y) * (end_x - start_x) - (x - start_x) * (end_y - start_y)) / chord
            off *= off
            if fixed and k == 3:
                short = ((end_x - x) * (end_x - start_x) + (end_y - y) * (end_y - start_y)) / chord
                off += short * short
        else:
            off = (x - end_x) * (x - end_x) + (y - end_y) * (y - end_y)
        worst = max(worst, off)
    if 0.0 < long < 1.1 * unit:  # such steps turn back and forth, and a plotter slows at each
        worst += unit * unit / 16
    return worst * worst, u, v


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
def spaced(points, begins, unit):
    """Which points of polylines are kept on a grid of ``unit`` mm, two of each at least. Of points within a unit of
    each other it is the one at which the line turns more: rounded, such steps turn back and forth, and a plotter slows
    at each. The first and the last point of each stay. Returns indices and begins."""
    total = len(begins) - 1
    out, kept = np.empty_like(points), np.empty(len(points), np.int64)
    ends = np.zeros(total + 1, np.int64)
    near = 1.01 * unit * unit
    count = 0
    for p in range(total):
        start, first, last = count, begins[p], begins[p + 1] - 1
        for i in range(first, last + 1):
            x, y = round(points[i, 0] / unit) * unit, round(points[i, 1] / unit) * unit
            if count > start and (out[count - 1, 0] - x) ** 2 + (out[count - 1, 1] - y) ** 2 <= near:
                latest = kept[count - 1]
                if i < last and sharpness(points, i, first, last) <= sharpness(points, latest, first, last):
                    continue
                if count > start + 1 and (
                    i == last or (out[count - 2, 0] - x) ** 2 + (out[count - 2, 1] - y) ** 2 > near
                ):
                    count -= 1
                elif i < last:
                    continue
            out[count, 0], out[count, 1] = x, y
            kept[count] = i
            count += 1
        ends[p + 1] = count
    return kept[:count], ends
