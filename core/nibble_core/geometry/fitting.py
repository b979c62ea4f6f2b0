"""Dense polygons back to few lines, arcs and cubics within a stated deviation."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
from shapely.geometry import Polygon

from nibble_core.geometry.corners import corners
from nibble_core.geometry.distance_kernels import beside, spread
from nibble_core.geometry.kernels import fit_arc, fit_circle, fit_cubic, furthest, longest_span
from nibble_core.geometry.nearest import distances_to_lines
from nibble_core.geometry.paths import Path
from nibble_core.geometry.points import Points, run_lengths
from nibble_core.geometry.regions import Region, oriented_rings
from nibble_core.geometry.segments import ARC, CUBIC, LINE
from nibble_core.geometry.tolerances import REFIT

SMOOTH = math.radians(6)
"""Segments meeting within this angle are meant to run on smoothly."""

TANGENT = math.radians(0.2)
"""Joints that turn by less are smooth as they are."""

DIVISIONS = 2
"""How often a curve is halved so that it leaves in a given direction: each time costs nodes."""

SHARES = (0.8, 0.65, 0.5, 0.35, 0.2)
"""Of the tolerance, at which a side is tried: joints and fillets add a little to what its segments are off by."""

ONE_WAY = 2
"""A side of so few segments is fitted from one end only."""

FEWEST = 4
"""Points of a ring that nothing describes in fewer segments."""

SPLITS, FEW = 6, 9
"""How often a side that no fit describes is parted, and the points below which it is not."""

ALL_ROUND = 0.5
"""Of a circle's area: a sliver whose points lie on one arc, out and back, covers less."""

STEP = 0.1
"""mm between samples; a chord of the polygon longer than this is straight anyway."""


JOINT = 1e-9
"""mm: what two segments may be apart where they meet."""

STACKED = 0.002
"""mm: nodes nearer than this are one: twice what reading back a file allows for."""

CLOSER = (1.0, 0.4, 0.15)
"""Shares of the tolerance at which a polygon is fitted until its rings cross neither themselves nor each other."""


def refit_polygon(polygon: Polygon, tolerance: float = REFIT, *, divisions: int = DIVISIONS) -> Region:
    """A region of lines, arcs and cubics whose rings stay within ``tolerance`` mm of the polygon's; see
    ``refit_ring``. Rings that cross when fitted are fitted more closely, and at last left as the polygon has them."""
    outer, holes = oriented_rings(polygon)
    sound = [_unstacked(ring) for ring in (outer, *holes)]
    for share in CLOSER:
        rings = [refit_ring(ring, share * tolerance, divisions=divisions) for ring in sound]
        region = Region(rings[0], tuple(rings[1:]))
        if region.polygon(0.1 * tolerance).is_valid:
            return region
    rings = [Path.polygon(ring) for ring in sound]
    return Region(rings[0], tuple(rings[1:]))


def _unstacked(ring: Points) -> Points:
    """A ring without vertices that lie on the one before them, as unions leave them: no file holds both apart."""
    apart = np.hypot(*(ring - np.roll(ring, 1, 0)).T) > STACKED
    return ring[apart] if FEWEST <= apart.sum() < len(ring) else ring


def refit_ring(ring: Points, tolerance: float = REFIT, *, divisions: int = DIVISIONS) -> Path:
    """A closed path within ``tolerance`` mm of a dense closed polyline (n, 2), both ways.

    divisions: how often a curve may be halved to meet its neighbours in one direction.

    Each side between two corners is tried at falling tolerances until its measured distance keeps the promise; one
    that no fit describes better stays the polyline it is.
    """
    if len(ring) <= FEWEST:
        return Path.polygon(ring)
    cx, cy, radius, worst = fit_circle(ring)
    # a chord's middle lies its sagitta inside the circle; no place of either is further off than both together
    sagitta = float(np.hypot(*(np.roll(ring, -1, 0) - ring).T).max()) ** 2 / (8 * max(radius, 1e-9))
    area = Path.polygon(ring).area()
    if worst + sagitta <= tolerance and abs(area) > ALL_ROUND * math.pi * radius**2:
        circle = Path.circle(cx, cy, radius)
        return circle if area > 0 else circle.reversed()
    path = _fit(ring, tolerance, divisions)
    return path if len(path) < len(ring) and unjoined(path) <= JOINT else Path.polygon(ring)


def refit_line(points: Points, tolerance: float = REFIT) -> Path:
    """An open path within ``tolerance`` mm of a dense open polyline (n, 2), both ways, from its first point to its
    last. See ``refit_ring``."""
    distinct = np.concatenate([[True], np.hypot(*np.diff(points, axis=0).T) > JOINT])
    points = points[distinct]
    if len(points) < 3:
        return Path.polygon(points, closed=False)
    stops = [0, *corners(points, closed=False, least=tolerance).tolist(), len(points) - 1]
    kinds: list[int] = []
    rows: list[np.ndarray] = []
    for first, last in pairwise(stops):
        side_kinds, side_rows = _fitted_side(points[first : last + 1], tolerance, DIVISIONS, closed=False)
        kinds += side_kinds
        rows += side_rows
    return Path(np.array(kinds, np.uint8), np.array(rows), closed=False)


def unjoined(path: Path) -> float:
    """The widest gap between the end of a closed path's segment and the start of the next, mm."""
    return float(np.hypot(*(np.roll(path.rows[:, :2], -1, 0) - path.rows[:, 6:]).T).max())


def _fit(ring: Points, tolerance: float, divisions: int) -> Path:
    """Corners first, then between them the longest of line, arc and cubic, joined smoothly."""
    found = corners(ring, closed=True, least=tolerance)
    if len(found) == len(ring):
        return Path.polygon(ring)
    if len(found):
        stops = [*found.tolist(), int(found[0]) + len(ring)]
    else:
        start = int(np.argmax(np.hypot(*(np.roll(ring, -1, 0) - ring).T)))
        stops = [start, start + len(ring)]
    kinds: list[int] = []
    rows: list[np.ndarray] = []
    for first, last in pairwise(stops):
        side = ring[np.arange(first, last + 1) % len(ring)]
        side_kinds, side_rows = _fitted_side(side, tolerance, divisions, closed=not len(found))
        kinds += side_kinds
        rows += side_rows
    return Path(np.array(kinds, np.uint8), np.array(rows))


def _fitted_side(
    points: Points, tolerance: float, divisions: int, *, closed: bool, splits: int = SPLITS
) -> tuple[list[int], list[np.ndarray]]:
    """Segments along a line between two corners, within ``tolerance`` of it both ways; see ``_side``. What no fit
    describes is parted where the last one was furthest off; at last it stays the polyline it is."""
    away = len(points) // 2
    for share in SHARES if len(points) > 2 else ():
        ahead = _side(points, share * tolerance, divisions, closed=closed)
        ways = [ahead]
        if len(ahead[1]) > ONE_WAY:  # a greedy fit ends differently from the other end
            ways.append(_reversed(*_side(points[::-1], share * tolerance, divisions, closed=closed)))
        fewer = [found for found in ways if len(found[1]) < len(points) - 1]
        if not fewer:
            break
        for kinds, rows in sorted(fewer, key=lambda found: len(found[1])):
            own = Path(np.array(kinds, np.uint8), np.array(rows), closed=False)
            place = _beyond(own.flattened(0.1 * tolerance), points, tolerance)
            if place is None:
                return kinds, rows
            away = int(np.argmin(np.hypot(*(points - place).T)))
    if splits and len(points) >= FEW:
        at = min(max(away, FEW // 3), len(points) - 1 - FEW // 3)
        kinds, rows = _fitted_side(points[: at + 1], tolerance, divisions, closed=False, splits=splits - 1)
        more, others = _fitted_side(points[at:], tolerance, divisions, closed=False, splits=splits - 1)
        return kinds + more, rows + others
    plain = Path.polygon(points, closed=False)
    return [LINE] * len(plain), list(plain.rows)


def _reversed(kinds: list[int], rows: list[np.ndarray]) -> tuple[list[int], list[np.ndarray]]:
    path = Path(np.array(kinds, np.uint8), np.array(rows), closed=False).reversed()
    return path.kinds.tolist(), list(path.rows)


def _side(points: Points, tolerance: float, divisions: int, *, closed: bool) -> tuple[list[int], list[np.ndarray]]:
    """Segments along a line between two corners; ``closed`` where it goes all round."""
    samples = densified(points, STEP)
    kinds, rows, breaks = _fit_side(samples, tolerance)
    _pull_back(samples, kinds, rows, breaks, tolerance)
    _fillet(samples, kinds, rows, breaks, tolerance, closed=closed)
    for _ in range(2):  # what could not follow a line the first time meets its cubic half-way
        _smooth_joints(samples, kinds, rows, breaks, tolerance, divisions, closed=closed)
    _merge(samples, kinds, rows, breaks, tolerance)
    return kinds, rows


def densified(points: Points, step: float) -> Points:
    """An open polyline with further points, so that none are more than ``step`` apart."""
    return np.asarray(spread(np.ascontiguousarray(points, np.float64), float(step)))


def _fit_side(samples: Points, tolerance: float) -> tuple[list[int], list[np.ndarray], list[int]]:
    """Greedy: a line is preferred to an arc, and an arc to a cubic, unless the latter reaches much further."""
    kinds, rows, breaks = [], [], [0]
    i, last = 0, len(samples) - 1
    while i < last:
        arc, cubic = np.empty(8), np.empty(8)
        by_line = furthest(samples, i, tolerance, False, arc)
        if by_line == last:
            by_arc = by_cubic = i
        else:
            by_arc = furthest(samples, i, tolerance, True, arc)
            by_cubic = longest_span(samples, i, tolerance, cubic)
        reach = max(by_line, by_arc, by_cubic) - i
        if by_line - i >= 0.6 * reach:
            i, kind = by_line, LINE
            row = np.array([*samples[breaks[-1]], 0, 0, 0, 0, *samples[i]])
        elif by_arc - i >= 0.6 * reach and by_arc - i > 3:
            i, kind, row = by_arc, ARC, arc
        else:
            i, kind, row = by_cubic, CUBIC, cubic
        kinds.append(kind)
        rows.append(row)
        breaks.append(i)
    return kinds, rows, breaks


def _pull_back(samples: Points, kinds: list[int], rows: list[np.ndarray], breaks: list[int], tolerance: float) -> None:
    """Lines and curves give up what they reached into each other.

    Fitted from front to back, a line runs on past the place where a curve of radius R leaves it, until it is off by the
    tolerance; by then the curve has turned by some angle, so the place lies that angle times R back. So it is where a
    curve runs on into a line. Lists are changed in place, where both stay within the tolerance.
    """
    along = run_lengths(samples)
    for q in range(1, len(rows)):
        line, curve = (q - 1, q) if kinds[q - 1] == LINE else (q, q - 1)
        into, out = end_directions(kinds[q - 1], rows[q - 1])[1], end_directions(kinds[q], rows[q])[0]
        turn = abs(_turn(*into, *out))
        if kinds[line] != LINE or kinds[curve] == LINE or not TANGENT < turn < SMOOTH:
            continue
        half = 0.5 * (along[breaks[q]] - along[breaks[q - 1]])
        back = min(turn * _radius(kinds[curve], rows[curve], at_start=curve == q), half)
        low, high = breaks[q - 1] + 1, breaks[q + 1] - 1
        at = int(np.clip(np.searchsorted(along, along[breaks[q]] - back), low, high)) if low <= high else breaks[q]
        ends = [breaks[q - 1], at, breaks[q + 1]]
        straight = _between(LINE, samples, ends[line - q + 1], ends[line - q + 2])
        bent = _between(kinds[curve], samples, ends[curve - q + 1], ends[curve - q + 2])
        if max(straight[1], bent[1]) <= tolerance:
            breaks[q], rows[line], rows[curve] = at, straight[0], bent[0]


def _between(kind: int, samples: Points, first: int, last: int) -> tuple[np.ndarray, float]:
    """A segment of a kind from one sample to another, and its largest error."""
    row = np.array([*samples[first], 0, 0, 0, 0, *samples[last]])
    if kind == ARC:
        return row, fit_arc(samples, first, last, row)
    if kind == CUBIC:
        return row, fit_cubic(samples, first, last, 0.0, 0.0, 0.0, 0.0, True, 12, 1e-4, row)
    way = row[6:] - row[:2]
    off = samples[first : last + 1] - row[:2]
    return row, float(np.abs(off[:, 0] * way[1] - off[:, 1] * way[0]).max() / max(float(np.hypot(*way)), 1e-12))


def _radius(kind: int, row: np.ndarray, *, at_start: bool) -> float:
    """Radius of curvature at an end of an arc or cubic."""
    if kind == ARC:
        return float(np.hypot(*(row[:2] - row[2:4])))
    a, b, c = (row[:2], row[2:4], row[4:6]) if at_start else (row[6:], row[4:6], row[2:4])
    first, second = b - a, c - b
    bend = abs(first[0] * second[1] - first[1] * second[0])
    return float(1.5 * np.hypot(*first) ** 3 / max(bend, 1e-12))


def _fillet(
    samples: Points, kinds: list[int], rows: list[np.ndarray], breaks: list[int], tolerance: float, *, closed: bool
) -> None:
    """An arc between two lines becomes the one of its radius that touches both, where that is true within the
    tolerance. Lists are changed in place."""
    for q in range(1, len(rows) if closed else len(rows) - 1):
        n = (q + 1) % len(rows)
        if (kinds[q - 1], kinds[q], kinds[n]) != (LINE, ARC, LINE):
            continue
        before, after = end_directions(LINE, rows[q - 1])[0], end_directions(LINE, rows[n])[0]
        turn = _turn(*before, *after)
        across = before[0] * after[1] - before[1] * after[0]
        if abs(across) < 1e-6 or abs(turn) > 3.0 or turn * rows[q][4] < 0:
            continue
        gap = rows[n][:2] - rows[q - 1][6:]
        meet = rows[q - 1][6:] + before * (gap[0] * after[1] - gap[1] * after[0]) / across
        radius = _radius(ARC, rows[q], at_start=True)
        reach = radius * math.tan(abs(turn) / 2)
        start, end = meet - before * reach, meet + after * reach
        centre = start + np.array([-before[1], before[0]]) * math.copysign(radius, turn)
        spread = samples[breaks[q] : breaks[q + 1] + 1]
        near = max(np.hypot(*(start - rows[q][:2])), np.hypot(*(end - rows[q][6:]))) < 3 * STEP + 0.02 * radius
        off = np.abs(np.hypot(*(spread - centre).T) - radius)
        if near and off.max() <= tolerance:
            rows[q] = np.array([*start, *centre, turn, 0, *end])
            rows[q - 1], rows[n] = rows[q - 1].copy(), rows[n].copy()
            rows[q - 1][6:], rows[n][:2] = start, end


def _smooth_joints(
    samples: Points, kinds: list[int], rows: list[np.ndarray], breaks: list[int], tolerance: float, divisions: int,
    *, closed: bool,
) -> None:  # fmt: skip
    """Segments that nearly agree where they meet are led through one direction: a line's, or the mean of two curves.

    A curve that does not leave in that direction becomes a cubic that does; one that cannot within the tolerance is
    divided at its middle first. ``closed``: the last meets the first. Lists are changed in place.
    """
    directions = [end_directions(kind, row) for kind, row in zip(kinds, rows, strict=True)]
    joints: list[np.ndarray | None] = [None] * (len(rows) + 1)
    for q in range(0 if closed else 1, len(rows)):
        into, out = directions[q - 1][1], directions[q][0]
        if abs(_turn(*into, *out)) < SMOOTH:
            straight_in, straight_out = kinds[q - 1] == LINE, kinds[q] == LINE
            mean = into if straight_in and not straight_out else out if straight_out and not straight_in else into + out
            joints[q] = mean / np.hypot(*mean)
    if closed:
        joints[-1] = joints[0]
    made: list[tuple[int, np.ndarray, int]] = []
    for q, kind in enumerate(kinds):
        first, last = joints[q], joints[q + 1]
        start = directions[q][0] if first is None else first
        end = directions[q][1] if last is None else last
        off = max(abs(_turn(*directions[q][0], *start)), abs(_turn(*directions[q][1], *end)))
        if off < TANGENT:
            made.append((kind, rows[q], breaks[q + 1]))
            continue
        own, index = _along_segment(samples, breaks[q], breaks[q + 1], rows[q])
        led = _led(own, 0, len(own) - 1, start, end, tolerance, divisions)
        made += [(k, row, int(index[stop])) for k, row, stop in led] if led else [(kind, rows[q], breaks[q + 1])]
    kinds[:], rows[:] = [kind for kind, _, _ in made], [row for _, row, _ in made]
    breaks[1:] = [stop for _, _, stop in made]


def _merge(samples: Points, kinds: list[int], rows: list[np.ndarray], breaks: list[int], tolerance: float) -> None:
    """Neighbours that one cubic describes as well become that cubic: a greedy fit ends with a short rest, and joints
    divide more than they need. Lists are changed in place."""
    q = 0
    while q + 1 < len(rows):
        joined = np.array([*rows[q][:6], *rows[q + 1][6:]])
        own, _ = _along_segment(samples, breaks[q], breaks[q + 2], joined)
        (start, through), (on, end) = end_directions(kinds[q], rows[q]), end_directions(kinds[q + 1], rows[q + 1])
        bent = LINE not in kinds[q : q + 2] and abs(_turn(*through, *on)) < SMOOTH
        led = _led(own, 0, len(own) - 1, start, end, tolerance, 0) if bent and len(own) > 3 else None
        if led is None:
            q += 1
            continue
        kinds[q : q + 2], rows[q : q + 2], breaks[q + 1 : q + 2] = [CUBIC], [led[0][1]], []
        q = max(q - 1, 0)


def _along_segment(samples: Points, first: int, last: int, row: np.ndarray) -> tuple[Points, np.ndarray]:
    """The samples of a segment and their indices, from its own start to its own end: a fillet may have moved those off
    the samples, and what lies behind them then is another segment's."""
    index, start, end = np.arange(first, last + 1), row[:2], row[6:]
    inner = samples[first + 1 : last]
    chord = end - start
    ahead = ((inner - start) @ chord > 0) & ((end - inner) @ chord > 0)
    moved = max(np.hypot(*(start - samples[first])), np.hypot(*(end - samples[last]))) > JOINT
    kept = np.concatenate([[True], ahead | (not moved), [True]])
    own = samples[first : last + 1].copy()
    own[0], own[-1] = start, end
    return own[kept], index[kept]


def _led(
    samples: Points, first: int, last: int, start: np.ndarray, end: np.ndarray, tolerance: float, divisions: int
) -> list[tuple[int, np.ndarray, int]] | None:
    """Cubics along samples that begin and end in given directions, each with its last sample; None beyond the
    tolerance."""
    row = np.empty(8)
    error = fit_cubic(
        samples, first, last, start[0], start[1], -end[0], -end[1], False, 12, tolerance * 0.5, row
    )  # fmt: skip
    if error <= tolerance:
        return [(CUBIC, row, last)]
    middle = (first + last) // 2
    if divisions == 0 or middle - first < 4:
        return None
    reach = min(middle - first, 8)  # the direction there, over enough samples to see past their chords
    through = samples[middle + reach] - samples[middle - reach]
    through = through / max(float(np.hypot(*through)), 1e-12)
    one = _led(samples, first, middle, start, through, tolerance, divisions - 1)
    other = _led(samples, middle, last, through, end, tolerance, divisions - 1)
    return None if one is None or other is None else one + other


def end_directions(kind: int, row: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Unit directions of travel at a segment's start and end."""
    if kind == LINE:
        start = end = row[6:] - row[:2]
    elif kind == ARC:
        way = math.copysign(1.0, row[4])
        spoke, last = row[:2] - row[2:4], row[6:] - row[2:4]
        start, end = np.array([-spoke[1], spoke[0]]) * way, np.array([-last[1], last[0]]) * way
    else:
        start, end = row[2:4] - row[:2], row[6:] - row[4:6]
    return start / max(np.hypot(*start), 1e-12), end / max(np.hypot(*end), 1e-12)


def _beyond(one: Points, other: Points, tolerance: float) -> Points | None:
    """The place (2,) where either of two open polylines is furthest from the other; None within a tolerance."""
    for samples, target in ((densified(one, STEP), other), (densified(other, STEP), one)):
        # walked side by side, in steps short enough to keep up, they are never told nearer than they are
        doubtful = samples[beside(samples, np.ascontiguousarray(target), False) > tolerance]
        off = distances_to_lines(doubtful, [target])
        if off.max(initial=0.0) > tolerance:
            return np.asarray(doubtful[int(np.argmax(off))])
    return None


def apart(one: Points, other: Points) -> float:
    """Largest distance from either closed polyline to the other (two-way, at vertices and mid-chords)."""
    return lines_apart(np.vstack([one, one[:1]]), np.vstack([other, other[:1]]))


def lines_apart(one: Points, other: Points) -> float:
    """Largest distance from either open polyline to the other (two-way, at vertices and mid-chords)."""
    worst = 0.0
    for samples, target in ((one, other), (other, one)):
        mids = (samples[:-1] + samples[1:]) / 2
        worst = max(worst, float(distances_to_lines(np.vstack([samples, mids]), [target]).max()))
    return worst


def _turn(ax: float, ay: float, bx: float, by: float) -> float:
    return math.atan2(ax * by - ay * bx, ax * bx + ay * by)
