"""Compiled loops of the order of paths: nearest first, then 2-opt and Or-opt within what must come before what.

The local search follows Lin and Kernighan's neighbour lists with the moves of Croes (1958) and Or (1976); a move that
would run a path before one that must precede it is not made.
"""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled

LONGEST_REVERSAL = 1000


@compiled
def _apart(ax, ay, bx, by):
    return math.sqrt((ax - bx) ** 2 + (ay - by) ** 2)


@compiled
def nearest_first(enter, leave, before, pending, start):
    """The order in which the nearest allowed item comes next, by a grid of squares.

    enter, leave: (n, 2). before: the item that each must precede, or -1. pending: how many precede each.
    """
    n = len(enter)
    left = pending.copy()
    low = np.array([enter[:, 0].min(), enter[:, 1].min()])
    high = np.array([enter[:, 0].max(), enter[:, 1].max()])
    size = max(math.sqrt(max((high[0] - low[0]) * (high[1] - low[1]), 1e-9) / max(n, 1)) * 1.5, 1e-6)
    size = max(size, max(high[0] - low[0], high[1] - low[1]) / 2000.0)
    w, h = int((high[0] - low[0]) / size) + 1, int((high[1] - low[1]) / size) + 1
    head, follow = np.full(w * h, -1, np.int64), np.full(n, -1, np.int64)
    back = np.full(n, -1, np.int64)
    cell = np.empty(n, np.int64)
    for i in range(n):
        cell[i] = int((enter[i, 1] - low[1]) / size) * w + int((enter[i, 0] - low[0]) / size)
        if left[i] == 0:
            c = cell[i]
            follow[i] = head[c]
            if head[c] >= 0:
                back[head[c]] = i
            head[c] = i
    order = np.empty(n, np.int64)
    x, y = start[0], start[1]
    for step in range(n):
        best, nearest = -1, 1e300
        cx, cy = int((x - low[0]) / size), int((y - low[1]) / size)
        cx, cy = min(max(cx, 0), w - 1), min(max(cy, 0), h - 1)
        for ring in range(max(w, h)):
            if best >= 0 and (ring - 1) * size > nearest:
                break
            for j in range(max(cy - ring, 0), min(cy + ring, h - 1) + 1):
                edge = j == cy - ring or j == cy + ring
                i = max(cx - ring, 0)
                last = min(cx + ring, w - 1)
                while i <= last:
                    if not edge and i != cx - ring and i != cx + ring:
                        i = max(cx + ring, i + 1)
                        continue
                    k = head[j * w + i]
                    while k >= 0:
                        d = _apart(x, y, enter[k, 0], enter[k, 1])
                        if d < nearest:
                            best, nearest = k, d
                        k = follow[k]
                    i += 1
        order[step] = best
        c = cell[best]
        if back[best] >= 0:
            follow[back[best]] = follow[best]
        else:
            head[c] = follow[best]
        if follow[best] >= 0:
            back[follow[best]] = back[best]
        x, y = leave[best, 0], leave[best, 1]
        later = before[best]
        if later >= 0:
            left[later] -= 1
            if left[later] == 0:
                c = cell[later]
                follow[later] = head[c]
                back[later] = -1
                if head[c] >= 0:
                    back[head[c]] = later
                head[c] = later
    return order


@compiled
def improved(order, enter, leave, flips, before, neighbours, start, rounds):
    """Shortens the way through ``order`` in place; returns whether anything changed.

    An open path that is run the other way has its ends exchanged and ``flips`` turned. Moves keep every item before
    the one it must precede.
    """
    n = len(order)
    place = np.empty(n, np.int64)
    ever = False
    k_most = neighbours.shape[1]
    for _ in range(rounds):
        changed = False
        for k in range(n):
            place[order[k]] = k
        for a in range(n):
            i = place[a]
            if i + 1 >= n:
                continue
            b = order[i + 1]
            now = _apart(leave[a, 0], leave[a, 1], enter[b, 0], enter[b, 1])
            for q in range(k_most):
                d = neighbours[a, q]
                j = place[d]
                new = _apart(leave[a, 0], leave[a, 1], leave[d, 0], leave[d, 1])
                if j <= i + 1 or j - i > LONGEST_REVERSAL or new >= now:
                    continue
                delta = new - now
                if j + 1 < n:
                    e = order[j + 1]
                    delta += _apart(enter[b, 0], enter[b, 1], enter[e, 0], enter[e, 1])
                    delta -= _apart(leave[d, 0], leave[d, 1], enter[e, 0], enter[e, 1])
                if delta > -1e-9 or not _may_reverse(order, place, before, i + 1, j):
                    continue
                low, high = i + 1, j
                while low < high:
                    order[low], order[high] = order[high], order[low]
                    low += 1
                    high -= 1
                for t in range(i + 1, j + 1):
                    _flip(order[t], enter, leave, flips)
                    place[order[t]] = t
                changed = True
                break
        for c in range(n):
            for count in range(1, 4):
                changed |= _moved(order, place, enter, leave, flips, before, neighbours, start, c, count)
        ever |= changed
        if not changed:
            break
    return ever


@compiled
def _flip(item, enter, leave, flips):
    for axis in range(2):
        enter[item, axis], leave[item, axis] = leave[item, axis], enter[item, axis]
    flips[item] = not flips[item]


@compiled
def _may_reverse(order, place, before, low, high):
    for t in range(low, high + 1):
        later = before[order[t]]
        if later >= 0 and low <= place[later] <= high:
            return False
    return True


@compiled
def _moved(order, place, enter, leave, flips, before, neighbours, start, c, count):
    """Moves ``count`` items from item c on to where they lengthen the way least, either way round."""
    n = len(order)
    i = place[c]
    if i + count > n:
        return False
    first, last = order[i], order[i + count - 1]
    px, py = (leave[order[i - 1], 0], leave[order[i - 1], 1]) if i > 0 else (start[0], start[1])
    saved = _apart(px, py, enter[first, 0], enter[first, 1])
    if i + count < n:
        after = order[i + count]
        saved += _apart(leave[last, 0], leave[last, 1], enter[after, 0], enter[after, 1])
        saved -= _apart(px, py, enter[after, 0], enter[after, 1])
    if saved < 1e-9:
        return False
    inside = not _may_reverse(order, place, before, i, i + count - 1)
    best, target, turned = -1e-9, -1, False
    for q in range(neighbours.shape[1]):
        d = neighbours[c, q]
        j = place[d]
        if i - 1 <= j < i + count:
            continue
        lx, ly = leave[d, 0], leave[d, 1]
        forward = _apart(lx, ly, enter[first, 0], enter[first, 1])
        backward = _apart(lx, ly, leave[last, 0], leave[last, 1])
        if j + 1 < n:
            e = order[j + 1]
            base = _apart(lx, ly, enter[e, 0], enter[e, 1])
            forward += _apart(leave[last, 0], leave[last, 1], enter[e, 0], enter[e, 1]) - base
            backward += _apart(enter[first, 0], enter[first, 1], enter[e, 0], enter[e, 1]) - base
        if forward - saved < best:
            best, target, turned = forward - saved, j, False
        if not inside and backward - saved < best:
            best, target, turned = backward - saved, j, True
    if target < 0:
        return False
    if target < i:
        for t in range(target + 1, i):
            later = before[order[t]]
            if later >= 0 and i <= place[later] < i + count:
                return False
    else:
        for t in range(i, i + count):
            later = before[order[t]]
            if later >= 0 and i + count <= place[later] <= target:
                return False
    taken = np.empty(count, np.int64)
    for t in range(count):
        taken[t] = order[i + count - 1 - t] if turned else order[i + t]
    if turned:
        for t in range(count):
            _flip(taken[t], enter, leave, flips)
    if target < i:
        for t in range(i - 1, target, -1):
            order[t + count] = order[t]
        at = target + 1
    else:
        for t in range(i + count, target + 1):
            order[t - count] = order[t]
        at = target - count + 1
    for t in range(count):
        order[at + t] = taken[t]
    for t in range(min(i, target + 1), max(i + count, target + 1)):
        place[order[t]] = t
    return True


@compiled
def best_starts(order, enter, leave, starts, begins, chosen, start):
    """Begins each closed path where the way in and out is shortest. starts: places (m, 2), those of item i from
    ``begins[i]``; none for what cannot choose. Returns whether any changed."""
    n = len(order)
    changed = False
    for k in range(n):
        c = order[k]
        if begins[c + 1] - begins[c] < 2:
            continue
        px, py = (leave[order[k - 1], 0], leave[order[k - 1], 1]) if k > 0 else (start[0], start[1])
        best, at = 1e300, -1
        for t in range(begins[c], begins[c + 1]):
            way = _apart(px, py, starts[t, 0], starts[t, 1])
            if k + 1 < n:
                e = order[k + 1]
                way += _apart(starts[t, 0], starts[t, 1], enter[e, 0], enter[e, 1])
            if way < best - 1e-12:
                best, at = way, t - begins[c]
        if at != chosen[c]:
            chosen[c] = at
            for axis in range(2):
                enter[c, axis] = leave[c, axis] = starts[begins[c] + at, axis]
            changed = True
    return changed


@compiled
def kicked(order, enter, leave, flips, before, starts, begins, chosen, start, window, near, kicks, seed):
    """Tries to shorten the way by exchanging two neighbouring stretches of it at random (the double bridge of Martin,
    Otto and Felten, 1991) and searching again round them; what is not shorter is put back. Deterministic by seed."""
    n = len(order)
    np.random.seed(seed)
    own = min(window, n)
    local = np.full(n, -1, np.int64)
    for _ in range(kicks):
        low = np.random.randint(0, n - own + 1)
        items = order[low : low + own].copy()
        px, py = (leave[order[low - 1], 0], leave[order[low - 1], 1]) if low > 0 else (start[0], start[1])
        at = np.array([px, py])
        a_enter, a_leave, a_flips, a_chosen = enter[items], leave[items], flips[items], chosen[items]
        for t in range(own):
            local[items[t]] = t
        a_before = np.full(own, -1, np.int64)
        a_begins = np.zeros(own + 1, np.int64)
        for t in range(own):
            if before[items[t]] >= 0:
                a_before[t] = local[before[items[t]]]
            a_begins[t + 1] = a_begins[t] + begins[items[t] + 1] - begins[items[t]]
        a_starts = np.empty((a_begins[own], 2))
        for t in range(own):
            a_starts[a_begins[t] : a_begins[t + 1]] = starts[begins[items[t]] : begins[items[t] + 1]]
        for t in range(own):
            local[items[t]] = -1
        mine = np.arange(own)
        old = _way(mine, a_enter, a_leave, at, order, enter, low + own)
        if _bridged(mine, a_before):
            neighbours = nearest_few(a_enter, near)
            for _ in range(3):
                best_starts(mine, a_enter, a_leave, a_starts, a_begins, a_chosen, at)
                if not improved(mine, a_enter, a_leave, a_flips, a_before, neighbours, at, 8):
                    break
            best_starts(mine, a_enter, a_leave, a_starts, a_begins, a_chosen, at)
            if _way(mine, a_enter, a_leave, at, order, enter, low + own) < old - 1e-9:
                for t in range(own):
                    order[low + t] = items[mine[t]]
                    enter[items[t]], leave[items[t]] = a_enter[t], a_leave[t]
                    flips[items[t]], chosen[items[t]] = a_flips[t], a_chosen[t]


@compiled
def _way(mine, enter, leave, at, order, whole_enter, end):
    total, x, y = 0.0, at[0], at[1]
    for t in range(len(mine)):
        total += _apart(x, y, enter[mine[t], 0], enter[mine[t], 1])
        x, y = leave[mine[t], 0], leave[mine[t], 1]
    if end < len(order):
        total += _apart(x, y, whole_enter[order[end], 0], whole_enter[order[end], 1])
    return total


@compiled
def _bridged(mine, before):
    """Exchanges two stretches in a row of items, unless one must precede what would come before it."""
    n = len(mine)
    if n < 4:
        return False
    a = np.random.randint(0, n - 2)
    b = np.random.randint(a + 1, min(a + 12, n - 1))
    c = np.random.randint(b + 1, min(b + 12, n) + 1)
    for t in range(a, b):
        later = before[mine[t]]
        for s in range(b, min(c, n)):
            if mine[s] == later:
                return False
    first, second = mine[a:b].copy(), mine[b : min(c, n)].copy()
    mine[a : a + len(second)] = second
    mine[a + len(second) : a + len(second) + len(first)] = first
    return True


@compiled
def nearest_few(points, count):
    """The nearest others of each point, at most ``count``, nearest first, (n, count); by a grid of squares."""
    n = len(points)
    few = min(count, n - 1)
    found = np.zeros((n, max(few, 0)), np.int64)
    if few < 1:
        return found
    x0, y0 = points[:, 0].min(), points[:, 1].min()
    wide, high = points[:, 0].max() - x0, points[:, 1].max() - y0
    size = max(math.sqrt(max(wide * high, 1e-9) / n) * 1.5, max(wide, high) / 2000.0, 1e-6)
    w, h = int(wide / size) + 1, int(high / size) + 1
    begins = np.zeros(w * h + 1, np.int64)
    cell = np.empty(n, np.int64)
    for i in range(n):
        cell[i] = int((points[i, 1] - y0) / size) * w + int((points[i, 0] - x0) / size)
        begins[cell[i] + 1] += 1
    for c in range(w * h):
        begins[c + 1] += begins[c]
    free = begins[:-1].copy()
    held = np.empty(n, np.int64)
    for i in range(n):
        held[free[cell[i]]] = i
        free[cell[i]] += 1
    apart = np.empty(few)
    for i in range(n):
        own, cx, cy = 0, cell[i] % w, cell[i] // w
        for ring in range(max(w, h)):
            if own == few and (ring - 1) * size > apart[few - 1]:
                break
            for y in range(max(cy - ring, 0), min(cy + ring, h - 1) + 1):
                edge = y == cy - ring or y == cy + ring
                for x in range(max(cx - ring, 0), min(cx + ring, w - 1) + 1):
                    if not edge and x != cx - ring and x != cx + ring:
                        continue
                    for k in range(begins[y * w + x], begins[y * w + x + 1]):
                        j = held[k]
                        if j == i:
                            continue
                        d = _apart(points[i, 0], points[i, 1], points[j, 0], points[j, 1])
                        if own == few and d >= apart[few - 1]:
                            continue
                        at = own if own < few else few - 1
                        while at > 0 and apart[at - 1] > d:
                            apart[at], found[i, at] = apart[at - 1], found[i, at - 1]
                            at -= 1
                        apart[at], found[i, at] = d, j
                        own = min(own + 1, few)
    return found
