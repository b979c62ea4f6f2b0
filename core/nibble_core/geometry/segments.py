"""Arrays of segments, whatever paths they belong to: one row is one line, circular arc or cubic.

A row is ``x0 y0  u v  w t  x1 y1``:

- line: the middle four are zero;
- arc: ``u v`` is the centre, ``w`` the signed sweep in radians (positive turns from x towards y, which is
  clockwise on screen because y grows downward), ``t`` is zero;
- cubic: ``u v`` and ``w t`` are its two handles.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry.points import Affine, Points
from nibble_core.geometry.tolerances import ARC_CUBIC

LINE, ARC, CUBIC = 0, 1, 2
QUARTER_OFF = 2.73e-4  # of its radius that a quarter circle's cubic lies off
LONGEST_ARC = 2.0  # radians an arc turns by where only its ends and radius are written

Kinds = NDArray[np.uint8]
Rows = NDArray[np.float64]
Counts = NDArray[np.int64]


def evaluate(kinds: Kinds, rows: Rows, t: NDArray[np.float64]) -> Points:
    """The point at parameter ``t`` (0 to 1) of each segment; all of shape (n, …)."""
    u = 1 - t
    points = rows[:, :2] * u[:, None] + rows[:, 6:] * t[:, None]
    cubic = kinds == CUBIC
    if cubic.any():
        r, s, v = rows[cubic], t[cubic][:, None], u[cubic][:, None]
        points[cubic] = v**3 * r[:, :2] + 3 * v * v * s * r[:, 2:4] + 3 * v * s * s * r[:, 4:6] + s**3 * r[:, 6:]
    arc = kinds == ARC
    if arc.any():
        r = rows[arc]
        spoke = r[:, :2] - r[:, 2:4]
        angle = np.arctan2(spoke[:, 1], spoke[:, 0]) + r[:, 4] * t[arc]
        radius = np.hypot(*spoke.T)
        points[arc] = r[:, 2:4] + np.stack([radius * np.cos(angle), radius * np.sin(angle)], 1)
    return points


def mapped_rows(kinds: Kinds, rows: Rows, affine: Affine) -> Rows:
    """Through a similarity; through any affine map where there are no arcs."""
    made = np.empty_like(rows)
    made[:, :2], made[:, 6:] = affine.map(rows[:, :2]), affine.map(rows[:, 6:])
    made[:, 2:4], made[:, 4:6] = affine.map(rows[:, 2:4]), affine.map(rows[:, 4:6])
    made[kinds == LINE, 2:6] = 0.0
    arcs = kinds == ARC
    made[arcs, 4] = rows[arcs, 4] * math.copysign(1.0, affine.determinant)
    made[arcs, 5] = 0.0
    return made


def chord_counts(kinds: Kinds, rows: Rows, tolerance: float) -> Counts:
    """Chords for each segment so that none strays from it by more than ``tolerance`` mm."""
    counts = np.ones(len(rows))
    cubic = kinds == CUBIC
    p0, p1, p2, p3 = rows[:, :2], rows[:, 2:4], rows[:, 4:6], rows[:, 6:]
    bend = np.maximum(np.hypot(*(p0 - 2 * p1 + p2).T), np.hypot(*(p1 - 2 * p2 + p3).T))
    # 6 max|second difference| bounds the second derivative; a chord strays by an eighth of that over n²
    counts[cubic] = np.maximum(counts[cubic], np.sqrt(0.75 * bend[cubic] / tolerance))
    arc = kinds == ARC
    radius = np.hypot(*(p0 - p1).T)[arc]
    step = 2 * np.arccos(np.clip(1 - tolerance / np.maximum(radius, 1e-12), -1, 1 - 1e-12))
    counts[arc] = np.maximum(counts[arc], np.abs(rows[arc, 4]) / np.minimum(step, math.pi / 4))
    return np.asarray(np.ceil(counts), np.int64)


def shared_out(counts: Counts) -> tuple[Counts, Counts]:
    """For parts of things, ``counts`` of each: the thing every part is of, and its number within that."""
    of = np.repeat(np.arange(len(counts)), counts)
    return of, np.arange(len(of)) - np.repeat(np.cumsum(counts) - counts, counts)


def arcs_split(kinds: Kinds, rows: Rows) -> tuple[Kinds, Rows, Counts]:
    """Arcs of two radians at most, and into how many each segment went. Written by their ends and radius, rounded,
    longer ones would lose their centre (near half a turn by the root of the rounding)."""
    parts = np.ones(len(rows), np.int64)
    arcs = kinds == ARC
    parts[arcs] = np.ceil(np.abs(rows[arcs, 4]) / LONGEST_ARC - 1e-9)
    if (parts <= 1).all():
        return kinds, rows, parts
    of, step = shared_out(parts)
    whole, made = rows[of], rows[of].copy()
    cut = parts[of] > 1
    made[cut, :2] = evaluate(kinds[of][cut], whole[cut], step[cut] / parts[of][cut])
    made[cut, 6:] = evaluate(kinds[of][cut], whole[cut], (step[cut] + 1) / parts[of][cut])
    first, last = cut & (step == 0), cut & (step == parts[of] - 1)
    made[first, :2], made[last, 6:] = whole[first, :2], whole[last, 6:]
    made[cut, 4] /= parts[of][cut]
    return kinds[of], made, parts


def longest_cubic(radius: NDArray[np.float64]) -> NDArray[np.float64]:
    """Radians of a circle that one cubic follows within ARC_CUBIC mm; its error grows with the sixth power of them."""
    share = np.minimum(1.0, ARC_CUBIC / np.maximum(QUARTER_OFF * radius, 1e-12))
    return np.asarray(math.pi / 2 * share ** (1 / 6))


def arcs_as_cubics(kinds: Kinds, rows: Rows, scale: float = 1.0) -> tuple[Kinds, Rows, Counts]:
    """Arcs as cubics within ARC_CUBIC of them, of at most a quarter turn (handle length 4/3 tan(sweep/4) radius), and
    into how many each segment went. scale: by how much the result will be enlarged."""
    parts = np.ones(len(rows), np.int64)
    arcs = kinds == ARC
    spoke = rows[:, :2] - rows[:, 2:4]
    radius = np.hypot(*spoke.T)
    parts[arcs] = np.maximum(1, np.ceil(np.abs(rows[arcs, 4]) / longest_cubic(radius[arcs] * scale) - 1e-6))
    of, number = shared_out(parts)
    made, whole = rows[of].copy(), rows[of]
    new = arcs[of]
    r, centre = radius[of][new], whole[new, 2:4]
    step = whole[new, 4] / parts[of][new]
    start = np.arctan2(spoke[of][new, 1], spoke[of][new, 0]) + number[new] * step
    k = 4 / 3 * np.tan(step / 4) * r
    for angle, way, ends, handle in ((start, 1, 0, 2), (start + step, -1, 6, 4)):
        out = np.stack([np.cos(angle), np.sin(angle)], 1)
        made[new, ends : ends + 2] = centre + r[:, None] * out
        across = np.stack([-out[:, 1], out[:, 0]], 1)
        made[new, handle : handle + 2] = made[new, ends : ends + 2] + way * k[:, None] * across
    first, last = new & (number == 0), new & (number == parts[of] - 1)
    made[first, :2], made[last, 6:] = whole[first, :2], whole[last, 6:]
    return np.where(new, CUBIC, kinds[of]).astype(np.uint8), made, parts
