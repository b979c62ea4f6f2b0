"""Rings that cross themselves or each other, cut where they cross: every side keeps the segments it was drawn with."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry import Path, Region
from nibble_core.geometry.points import Points
from nibble_core.geometry.regions import oriented_rings
from nibble_core.geometry.segments import ARC, CUBIC, LINE, arcs_as_cubics, evaluate
from nibble_core.geometry.stretches import OnPath, stretch

ON = 1e-6  # mm that a place on a chord may lie off it
SAME = 1e-9  # of a segment: places nearer than this are one
NEWTON, STEP = 6, 1e-6  # steps, and the share of a segment over which its speed is told
NEAR = 0.05  # mm that curves may meet from where their chords do

Numbers = NDArray[np.int64]
Shares = NDArray[np.float64]


class _Chords(NamedTuple):
    """The chords of some closed rings, all (n, …): the ring and the segment that each follows, from one parameter of
    that to another, its ends, and the chord behind it. keys: their starts as complex numbers, sorted, and order: the
    chords in that order. lengths: segments of each ring (r,)."""

    ring: Numbers
    segment: Numbers
    begin: Shares
    end: Shares
    starts: Points
    ends: Points
    after: Numbers
    keys: NDArray[np.complex128]
    order: Numbers
    lengths: Numbers

    @staticmethod
    def of(rings: Sequence[Path]) -> _Chords:
        parts = []
        first = 0
        for number, ring in enumerate(rings):
            points = ring.flattened()
            segment, begin = ring.chord_places()
            after = np.roll(np.arange(len(points)), -1)
            end = np.where(segment[after] == segment, begin[after], 1.0)
            end[begin >= end] = 1.0  # a ring of one segment comes back to where that begins
            parts.append((np.full(len(points), number), segment, begin, end, points, points[after], after + first))
            first += len(points)
        ring_of, segments, begins, ends, starts, to, behind = (np.concatenate(own) for own in zip(*parts, strict=True))
        keys = starts @ np.array([1, 1j])
        order = np.argsort(keys)
        return _Chords(
            ring_of,
            segments,
            begins,
            ends,
            starts,
            to,
            behind,
            keys[order],
            order,
            np.array([len(ring) for ring in rings]),
        )

    def starting_at(self, places: Points) -> Numbers:
        """The chord that starts at each place, −1 where none does, or several do."""
        wanted = places @ np.array([1, 1j])
        low, high = np.searchsorted(self.keys, wanted, "left"), np.searchsorted(self.keys, wanted, "right")
        return np.where(high - low == 1, self.order[np.minimum(low, len(self.order) - 1)], -1)


class _Edges(NamedTuple):
    """Edges of a ring that was parted, all (m,): the chord that each lies on, −1 where none does, whether it runs its
    way, and the parameters of its segment that it goes from and to."""

    chord: Numbers
    forward: NDArray[np.bool_]
    begin: Shares
    end: Shares


def cut_at_crossings(region: Region, parts: Sequence[shapely.Polygon]) -> list[Region]:
    """What a region whose rings cross covers: ``parts``, made valid of its polygon, with the lines, arcs and
    curves of its own rings between the places where they cross. Ends move to these by less than FLATTEN mm."""
    chords = _Chords.of(region.rings)
    tree = shapely.STRtree(shapely.linestrings(np.stack([chords.starts, chords.ends], 1)))
    found = []
    for part in parts:
        outer, holes = oriented_rings(part)
        made = [_drawn(points, _edges(points, chords, tree), region.rings, chords) for points in (outer, *holes)]
        found.append(Region(made[0], tuple(made[1:])))
    return found


def _edges(points: Points, chords: _Chords, tree: shapely.STRtree) -> _Edges:
    """On which chords the edges of a ring (m, 2) lie."""
    ahead = np.roll(points, -1, 0)
    one, other = chords.starting_at(points), chords.starting_at(ahead)
    both = (one >= 0) & (other >= 0)
    forward = both & (chords.after[one] == other)
    backward = both & ~forward & (chords.after[other] == one)
    chord = np.where(forward, one, np.where(backward, other, -1))
    rest = np.flatnonzero(chord < 0)
    if len(rest):
        chord[rest] = _lying_on(points[rest], ahead[rest], tree)
        way = chords.ends[chord[rest]] - chords.starts[chord[rest]]
        forward[rest] = (way * (ahead[rest] - points[rest])).sum(1) > 0
    return _Edges(chord, forward, _parameters(points, chord, chords), _parameters(ahead, chord, chords))


def _lying_on(points: Points, ahead: Points, tree: shapely.STRtree) -> Numbers:
    """The chord on which each edge lies with both ends, −1 where none does."""
    found = np.full(len(points), -1)
    edge, chord = tree.query(shapely.points((points + ahead) / 2), predicate="dwithin", distance=ON)
    lines = tree.geometries[chord]
    off = np.maximum(
        shapely.distance(shapely.points(points[edge]), lines), shapely.distance(shapely.points(ahead[edge]), lines)
    )
    for k in np.argsort(-off, kind="stable"):  # the nearest comes last and stays
        if off[k] <= ON:
            found[edge[k]] = chord[k]
    return found


def _parameters(points: Points, chord: Numbers, chords: _Chords) -> Shares:
    """Where places on chords lie on their segments."""
    start, way = chords.starts[chord], chords.ends[chord] - chords.starts[chord]
    share = ((points - start) * way).sum(1) / np.maximum((way * way).sum(1), 1e-30)
    share = np.clip(share, 0.0, 1.0)
    begin, end = chords.begin[chord], chords.end[chord]
    return np.where(share == 1.0, end, begin + share * (end - begin))


def _drawn(points: Points, edges: _Edges, rings: Sequence[Path], chords: _Chords) -> Path:
    """A ring of the stretches that its edges lie on."""
    ring, segment = chords.ring[edges.chord], chords.segment[edges.chord]
    begin, end = segment + edges.begin, segment + edges.end
    gap = np.abs(begin - np.roll(end, 1))
    gap = np.minimum(gap, np.abs(chords.lengths[ring] - gap))  # a ring's end is its beginning
    on = edges.chord >= 0
    goes_on = on & np.roll(on, 1) & (ring == np.roll(ring, 1)) & (edges.forward == np.roll(edges.forward, 1))
    breaks = np.flatnonzero(~(goes_on & (gap < SAME)))
    if not len(breaks):
        whole = rings[int(ring[0])]
        return whole if edges.forward[0] else whole.reversed()
    edges, points = _met(edges, points, breaks, rings, chords)
    kinds, rows = [], []
    for first, behind in zip(breaks, [*breaks[1:], breaks[0] + len(points)], strict=True):
        last = (behind - 1) % len(points)
        start, to = points[first], points[behind % len(points)]
        if on[first]:
            low = OnPath(int(segment[first]), float(edges.begin[first]), 0.0)
            high = OnPath(int(segment[last]), float(edges.end[last]), 0.0)
            own_kinds, own_rows = _stretch(rings[int(ring[first])], low, high, forward=bool(edges.forward[first]))
        else:
            own_kinds, own_rows = np.array([LINE], np.uint8), np.array([[*start, 0, 0, 0, 0, *to]], float)
        own_kinds, own_rows = _ending(own_kinds, own_rows, start, to)
        kinds.append(own_kinds)
        rows.append(own_rows)
    return Path(np.concatenate(kinds), np.vstack(rows))


def _met(
    edges: _Edges, points: Points, breaks: Numbers, rings: Sequence[Path], chords: _Chords
) -> tuple[_Edges, Points]:  # fmt: skip
    """The edges of a ring whose stretches meet where their curves do, not where chords of these cross, and its points:
    Newton's method from there. Where it finds no place the chords' stays."""
    before = breaks - 1
    one, other = edges.chord[before], edges.chord[breaks]
    known = (one >= 0) & (other >= 0)
    breaks, before, one, other = breaks[known], before[known], one[known], other[known]
    first, second = _segments(one, rings, chords), _segments(other, rings, chords)
    s, t = edges.end[before], edges.begin[breaks]
    for _ in range(NEWTON):
        off = evaluate(*second, t) - evaluate(*first, s)
        along, across = _speeds(*first, s), -_speeds(*second, t)
        turn = along[:, 0] * across[:, 1] - along[:, 1] * across[:, 0]
        turn = np.where(np.abs(turn) < 1e-9, np.inf, turn)
        s = np.clip(s + (off[:, 0] * across[:, 1] - off[:, 1] * across[:, 0]) / turn, 0.0, 1.0)
        t = np.clip(t + (along[:, 0] * off[:, 1] - along[:, 1] * off[:, 0]) / turn, 0.0, 1.0)
    places = evaluate(*first, s)
    found = np.hypot(*(evaluate(*second, t) - places).T) < ON
    found &= np.hypot(*(places - points[breaks]).T) < NEAR
    begin, end, points = edges.begin.copy(), edges.end.copy(), points.copy()
    begin[breaks[found]], end[before[found]] = t[found], s[found]
    points[breaks[found]] = places[found]
    return edges._replace(begin=begin, end=end), points


def _segments(chord: Numbers, rings: Sequence[Path], chords: _Chords) -> tuple[NDArray[np.uint8], Shares]:
    """Kinds and rows of the segments that chords follow."""
    at = list(zip(chords.ring[chord].tolist(), chords.segment[chord].tolist(), strict=True))
    kinds = np.array([rings[ring].kinds[segment] for ring, segment in at], np.uint8)
    return kinds, np.array([rings[ring].rows[segment] for ring, segment in at]).reshape(-1, 8)


def _speeds(kinds: NDArray[np.uint8], rows: Shares, t: Shares) -> Points:
    """mm a parameter, (n, 2)."""
    low, high = np.maximum(t - STEP, 0.0), np.minimum(t + STEP, 1.0)
    speeds: Points = (evaluate(kinds, rows, high) - evaluate(kinds, rows, low)) / (high - low)[:, None]
    return speeds


def _stretch(ring: Path, low: OnPath, high: OnPath, *, forward: bool) -> tuple[NDArray[np.uint8], Shares]:
    """The segments of a ring from one place to another, on either way."""
    made = stretch(ring, low, high) if forward else stretch(ring, high, low).reversed()
    return made.kinds, made.rows


def _ending(
    kinds: NDArray[np.uint8], rows: Shares, start: Points, end: Points
) -> tuple[NDArray[np.uint8], Shares]:  # fmt: skip
    """Segments whose ends are moved to two places: where curves do not quite meet, both go to where chords do."""
    by, to = start - rows[0, :2], end - rows[-1, 6:]
    if kinds[-1] == ARC and np.hypot(*to) > ON:  # an arc cannot be moved at one end
        curves, theirs, _ = arcs_as_cubics(kinds[-1:], rows[-1:])
        kinds, rows = np.concatenate([kinds[:-1], curves]), np.vstack([rows[:-1], theirs])
    if kinds[0] == ARC and np.hypot(*by) > ON:
        curves, theirs, _ = arcs_as_cubics(kinds[:1], rows[:1])
        kinds, rows = np.concatenate([curves, kinds[1:]]), np.vstack([theirs, rows[1:]])
    rows = rows.copy()
    rows[0, :2], rows[-1, 6:] = start, end
    if kinds[0] == CUBIC:
        rows[0, 2:4] += by
    if kinds[-1] == CUBIC:
        rows[-1, 4:6] += to
    return kinds, rows
