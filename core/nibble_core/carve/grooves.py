"""Grooves of a pointed cutter: as deep everywhere as a stroke is wide there.

The cutter's tip runs along the middle axis of a shape (Blum 1967): the middles of balls that touch its outline twice.
Each is found from a place of the outline, along its normal, as the ball that shrinks until no other place lies within
it; on what is wider than the deepest groove the tip keeps half that width from the edge, and the bottom stays flat.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nibble_core.carve.kernels import thinned, touching
from nibble_core.geometry import ARC, CUBIC, Path, Region
from nibble_core.geometry.segments import evaluate

STEP = 0.08  # mm between places of an outline
MOST_PLACES = 150_000
SHARP = math.radians(6.0)  # a turn from which a node is a corner
FLAT = math.radians(0.5)  # a turn into the shape from which its node has a fan
FAN = math.radians(4.0)  # between directions out of a corner that points into the shape
THIN = 0.002  # mm
SAME = 0.06  # mm that middles found from both sides may lie apart
BALL_STEPS = 8  # of depth, over the round part of a ball
SHALLOW = 0.01  # mm of depth that are not worth a move

Course = NDArray[np.float64]
"""Places of a cutter's tip in space, (n, 3), mm: x, y, and z below nothing."""


@dataclass(frozen=True)
class Pointed:
    """A pointed cutter. angle: degrees that it includes. tip: mm that its end is flat or, if ``ball``, the diameter of
    the ball that it ends in, which runs into the cone without a corner."""

    angle: float = 60.0
    tip: float = 0.0
    ball: bool = False

    @property
    def rise(self) -> float:
        """mm of height for each outward."""
        return 1.0 / math.tan(math.radians(self.angle) / 2)

    @property
    def _under(self) -> float:
        """mm that the point of its cone would lie below the end of its ball."""
        return self.tip / 2 * (math.hypot(1.0, self.rise) - 1.0)

    @property
    def _round_to(self) -> tuple[float, float]:
        """mm outward and upward from the end of its ball to where the cone begins."""
        radius, long = self.tip / 2, math.hypot(1.0, self.rise)
        return radius * self.rise / long, radius * (1.0 - 1.0 / long)

    def half_width(self, depth: float) -> float:
        """mm from the middle to the edge of a groove so deep."""
        if not self.ball:
            return self.tip / 2 + depth / self.rise
        if depth >= self._round_to[1]:
            return (depth + self._under) / self.rise
        return math.sqrt(max(depth * (self.tip - depth), 0.0))

    def depth(self, half_width: NDArray[np.float64]) -> NDArray[np.float64]:
        """mm below the surface at which the groove is so wide; none where a flat tip is wider."""
        if not self.ball:
            return np.asarray(np.maximum(half_width - self.tip / 2, 0.0) * self.rise)
        radius = self.tip / 2
        soft = radius - np.sqrt(np.maximum(radius**2 - half_width**2, 0.0))
        return np.asarray(np.where(half_width < self._round_to[0], soft, half_width * self.rise - self._under))

    @property
    def bends(self) -> tuple[float, ...]:
        """Half widths, mm, between which depths grow nearly evenly."""
        if not self.tip:
            return ()
        if not self.ball:
            return (self.tip / 2,)
        return tuple(self._round_to[0] * k / BALL_STEPS for k in range(1, BALL_STEPS + 1))

    def stride(self, ridge: float) -> float:
        """mm between two courses on a flat bottom that leave ridges so high."""
        return 2 * self.half_width(ridge)


@dataclass(frozen=True, eq=False)
class Places:
    """Places of outlines, (n, 2), with their inward normals, ring, number within it, and side between two corners.
    corner: whether the outline turns there, so that the groove runs up to the surface."""

    points: NDArray[np.float64]
    normals: NDArray[np.float64]
    ring: NDArray[np.int64]
    index: NDArray[np.int64]
    size: NDArray[np.int64]
    side: NDArray[np.int64]
    corner: NDArray[np.bool_]


def grooves(regions: Sequence[Region], cutter: Pointed, deepest: float, *, start: float = 0.0) -> list[Course]:
    """Where the tip of a pointed cutter runs to carve shapes, ``deepest`` mm at most, beginning ``start`` mm below the
    surface: along their middles, and along edges of what is wider. Every middle once."""
    rings = [ring for region in regions for ring in region.rings]
    if not rings:
        return []
    most = cutter.half_width(deepest - start)
    places = sampled(rings, spacing(rings))
    radii, other = balls(places, most)
    radii = np.where(places.corner, 0.0, radii)
    tips = places.points + places.normals * radii[:, None]
    # from either side of a stroke its middle is found: the first of the two counts
    there = np.maximum(other, 0)
    apart = np.hypot(*(tips - tips[there]).T)
    own = (other < 0) | (radii >= most - 1e-9) | (np.arange(len(radii)) < other) | places.corner | (apart > SAME)
    made: list[Course] = []
    for ring in range(len(rings)):
        at = np.nonzero(places.ring == ring)[0]
        ran, half_widths, counts = _with_bends(tips[at], radii[at], own[at], cutter)
        made += _runs(np.column_stack([ran, -(start + cutter.depth(half_widths))]), counts)
    return [one for one in made if len(one) > 1 and float(-one[:, 2].min()) > start + SHALLOW]


def _with_bends(
    tips: NDArray[np.float64], radii: NDArray[np.float64], own: NDArray[np.bool_], cutter: Pointed
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.bool_]]:
    """Places round a ring, with more between those from one to the next of which the depth does not grow evenly with
    the width: near a corner, where a flat tip comes up before it, and a ball slowly."""
    after = np.roll(radii, -1)
    low, high = np.minimum(radii, after), np.maximum(radii, after)
    bends = cutter.bends
    at = [np.flatnonzero((low < bend - THIN) & (high > bend + THIN)) for bend in bends]
    which = np.concatenate([*at, np.empty(0, np.int64)]).astype(np.int64)
    if not len(which):
        return tips, radii, own
    wide = np.repeat(np.array(bends), [len(one) for one in at])
    share = (wide - radii[which]) / (after[which] - radii[which])
    order = np.lexsort((share, which))
    which, share, wide = which[order], share[order], wide[order]
    there = tips[which] + share[:, None] * (np.roll(tips, -1, axis=0)[which] - tips[which])
    counts = own[which] | np.roll(own, -1)[which]
    return (
        np.insert(tips, which + 1, there, axis=0), np.insert(radii, which + 1, wide),
        np.insert(own, which + 1, counts),
    )  # fmt: skip


def spacing(rings: Sequence[Path]) -> float:
    """mm between places, so that there are not too many."""
    return max(STEP, sum(ring.length() for ring in rings) / MOST_PLACES)


def balls(places: Places, most: float) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Of each place the radius of its ball and where that touches again; see ``kernels.touching``."""
    low, high = places.points.min(0), places.points.max(0)
    cell = max(1.0, most / 4, float((high - low).max()) / 2000)
    columns, rows = (int(one) + 1 for one in ((high - low) / cell).tolist())
    at = ((places.points - low) / cell).astype(np.int64)
    key = at[:, 1] * columns + at[:, 0]
    order = np.argsort(key, kind="stable").astype(np.int64)
    start = np.concatenate([[0], np.cumsum(np.bincount(key, minlength=columns * rows))]).astype(np.int64)
    radii, other = touching(
        places.points, places.normals, places.side, places.ring, places.index, places.size, start, order, columns,
        rows, float(low[0]), float(low[1]), cell, float(most),
    )  # fmt: skip
    return radii, other


def sampled(rings: Sequence[Path], step: float) -> Places:
    """Places along closed rings, outer ones and holes wound as regions have them, with exact normals; at a corner that
    points out of the shape one, at one that points into it a fan of them."""
    points, normals, corner, ring, index, size, side = [], [], [], [], [], [], []
    for number, path in enumerate(rings):
        own_points, own_normals, own_corner, own_side = _sampled_ring(path, step)
        n = len(own_points)
        points.append(own_points)
        normals.append(own_normals)
        corner.append(own_corner)
        side.append(own_side)
        ring.append(np.full(n, number))
        index.append(np.arange(n))
        size.append(np.full(n, n))
    return Places(
        np.vstack(points), np.vstack(normals), np.concatenate(ring).astype(np.int64),
        np.concatenate(index).astype(np.int64), np.concatenate(size).astype(np.int64),
        np.concatenate(side).astype(np.int64), np.concatenate(corner),
    )  # fmt: skip


def _sampled_ring(
    path: Path, step: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.bool_], NDArray[np.int64]]:
    n = len(path)
    ways_out, ways_in = _ways(path, 1.0), _ways(path, 0.0)
    points, normals, corner, side = [], [], [], []
    number = 0
    shapes = _lengths_and_turns(path)
    for k in range(n):
        long, bend = shapes[k]
        count = max(2 if path.kinds[k] else 1, math.ceil(long / step), math.ceil(bend / FAN))
        t = (np.arange(count) + 0.5) / count
        kinds, rows = np.repeat(path.kinds[k : k + 1], count), np.repeat(path.rows[k : k + 1], count, 0)
        way = _directions(kinds, rows, t)
        points.append(evaluate(kinds, rows, t))
        normals.append(np.column_stack([-way[:, 1], way[:, 0]]))
        corner.append(np.zeros(count, bool))
        side.append(np.full(count, number))
        out, into = ways_out[k], ways_in[(k + 1) % n]
        turn = math.atan2(out[0] * into[1] - out[1] * into[0], float(out @ into))
        if -FLAT < turn < SHARP:
            continue
        number += 1
        node = path.rows[k, 6:]
        fan = 1 if turn > 0 else max(2, math.ceil(-turn / FAN) + 1)
        angle = math.atan2(out[1], out[0]) + (np.linspace(0, turn, fan) if fan > 1 else np.array([turn / 2]))
        points.append(np.repeat(node[None], fan, 0))
        normals.append(np.column_stack([-np.sin(angle), np.cos(angle)]))
        corner.append(np.full(fan, turn > 0))
        side.append(np.full(fan, number))
        number += 1
    sides = np.concatenate(side)
    if number:  # the last side goes on into the first
        sides[sides == number] = 0
    return np.vstack(points), np.vstack(normals), np.concatenate(corner), sides


def _directions(kinds: NDArray[np.uint8], rows: NDArray[np.float64], t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Unit directions of segments at parameters."""
    way = rows[:, 6:] - rows[:, :2]
    cubic = kinds == CUBIC
    if cubic.any():
        r, s = rows[cubic], t[cubic][:, None]
        a, b, c = r[:, 2:4] - r[:, :2], r[:, 4:6] - r[:, 2:4], r[:, 6:] - r[:, 4:6]
        way[cubic] = (1 - s) ** 2 * a + 2 * s * (1 - s) * b + s**2 * c
    arc = kinds == ARC
    if arc.any():
        r = rows[arc]
        spoke = evaluate(kinds[arc], r, t[arc]) - r[:, 2:4]
        way[arc] = np.column_stack([-spoke[:, 1], spoke[:, 0]]) * np.sign(r[:, 4])[:, None]
    return np.asarray(way / np.maximum(np.hypot(*way.T), 1e-12)[:, None])


def _ways(path: Path, t: float) -> NDArray[np.float64]:
    """Unit directions at starts (0) or ends (1) of a path's segments; a handle of no length gives way to the next."""
    inner = np.clip(np.full(len(path), t), 1e-6, 1 - 1e-6)
    return _directions(path.kinds, path.rows, inner)


def _lengths_and_turns(path: Path) -> list[tuple[float, float]]:
    """Of each segment its length, mm, and by how much it turns, radians, closely enough to share out places."""
    t = np.linspace(0, 1, 9)
    found = []
    for k in range(len(path)):
        kinds, rows = np.repeat(path.kinds[k : k + 1], 9), np.repeat(path.rows[k : k + 1], 9, 0)
        long = float(np.hypot(*np.diff(evaluate(kinds, rows, t), axis=0).T).sum())
        way = _directions(kinds, rows, np.clip(t, 1e-4, 1 - 1e-4))
        cross = way[:-1, 0] * way[1:, 1] - way[:-1, 1] * way[1:, 0]
        found.append((long, float(np.abs(np.arctan2(cross, (way[:-1] * way[1:]).sum(1))).sum())))
    return found


def _runs(course: Course, own: NDArray[np.bool_]) -> list[Course]:
    """The stretches of a closed course that count, each a place longer at both ends, thinned."""
    n = len(course)
    if own.all():
        return [thin(np.vstack([course, course[:1]]))]
    if not own.any():
        return []
    first = int(np.argmin(own))  # one that does not count
    turned = np.roll(own, -first)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], turned.view(np.int8), [0]])))
    made = []
    for start, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        at = (first + np.arange(start - 1, end + 1)) % n
        made.append(thin(course[at]))
    return made


def thin(course: Course) -> Course:
    """A course with as few places as keep it within ``THIN``."""
    return np.asarray(course[thinned(np.ascontiguousarray(course), THIN)])
