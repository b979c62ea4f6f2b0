"""Paths of lines, circular arcs and cubics, held as one array so that whole sheets stay fast.

A row of ``Path.rows`` is one segment, ``x0 y0  u v  w t  x1 y1``:

- line: the middle four are zero;
- arc: ``u v`` is the centre, ``w`` the signed sweep in radians (positive turns from x towards y, which is
  clockwise on screen because y grows downward), ``t`` is zero;
- cubic: ``u v`` and ``w t`` are its two handles.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry.points import Affine, Box, Points
from nibble_core.geometry.tolerances import ARC_CUBIC, FLATTEN
from nibble_core.geometry.units import format_number

LINE, ARC, CUBIC = 0, 1, 2
QUARTER_OFF = 2.73e-4  # of its radius that a quarter circle's cubic lies off
LONGEST_ARC = 2.0  # radians an arc turns by where only its ends and radius are written


@dataclass(frozen=True, eq=False)
class Path:
    """Connected segments; ``closed`` means the last end is the first start.

    kinds: shape (n,), LINE, ARC or CUBIC. rows: shape (n, 8), mm.
    """

    kinds: NDArray[np.uint8]
    rows: NDArray[np.float64]
    closed: bool = True

    def __post_init__(self) -> None:
        self.kinds.setflags(write=False)
        self.rows.setflags(write=False)

    def __len__(self) -> int:
        return len(self.rows)

    @staticmethod
    def polygon(points: Points | Iterable[tuple[float, float]], *, closed: bool = True) -> Path:
        """Straight segments through ``points``, shape (n, 2)."""
        corners = np.asarray(points if isinstance(points, np.ndarray) else list(points), np.float64)
        following = np.roll(corners, -1, 0) if closed else corners[1:]
        starts = corners if closed else corners[:-1]
        rows = np.zeros((len(starts), 8))
        rows[:, :2], rows[:, 6:] = starts, following
        return Path(np.full(len(rows), LINE, np.uint8), rows, closed)

    @staticmethod
    def circle(x: float, y: float, radius: float) -> Path:
        """A whole circle of two half arcs."""
        rows = np.array(
            [
                [x + radius, y, x, y, math.pi, 0, x - radius, y],
                [x - radius, y, x, y, math.pi, 0, x + radius, y],
            ]
        )
        return Path(np.full(2, ARC, np.uint8), rows)

    @property
    def nodes(self) -> Points:
        """The points where segments start, and the last end of an open path."""
        return self.rows[:, :2] if self.closed else np.vstack([self.rows[:, :2], self.rows[-1:, 6:]])

    def mapped(self, affine: Affine) -> Path:
        """Through an affine map; arcs become cubics when circles would not stay circles."""
        source = self if affine.is_similarity else self.as_cubics(scale=affine.stretch)
        rows = np.empty_like(source.rows)
        rows[:, :2], rows[:, 6:] = affine.map(source.rows[:, :2]), affine.map(source.rows[:, 6:])
        rows[:, 2:4], rows[:, 4:6] = affine.map(source.rows[:, 2:4]), affine.map(source.rows[:, 4:6])
        rows[source.kinds == LINE, 2:6] = 0.0
        arcs = source.kinds == ARC
        rows[arcs, 4] = source.rows[arcs, 4] * math.copysign(1.0, affine.determinant)
        rows[arcs, 5] = 0.0
        return Path(source.kinds, rows, self.closed)

    def reversed(self) -> Path:
        """The same line, walked the other way."""
        rows = self.rows[::-1].copy()
        kinds = self.kinds[::-1].copy()
        rows[:, :2], rows[:, 6:] = self.rows[::-1, 6:], self.rows[::-1, :2]
        cubics, arcs = kinds == CUBIC, kinds == ARC
        rows[cubics, 2:4], rows[cubics, 4:6] = self.rows[::-1][cubics, 4:6], self.rows[::-1][cubics, 2:4]
        rows[arcs, 4] *= -1
        return Path(kinds, rows, self.closed)

    def closed_up(self) -> Path:
        """Closed, each segment starting exactly where the one before it ends."""
        rows = self.rows.copy()
        rows[:, :2] = np.roll(rows[:, 6:], 1, 0)
        return Path(self.kinds, rows)

    def as_cubics(self, *, scale: float = 1.0) -> Path:
        """Arcs replaced by cubics within ARC_CUBIC of them, of at most a quarter turn. scale: by how much the result
        will be enlarged."""
        if not (self.kinds == ARC).any():
            return self
        kinds: list[int] = []
        rows: list[NDArray[np.float64]] = []
        for kind, row in zip(self.kinds, self.rows, strict=True):
            pieces = arc_as_cubics(row, scale) if kind == ARC else [row]
            kinds += [CUBIC if kind == ARC else kind] * len(pieces)
            rows += pieces
        return Path(np.array(kinds, np.uint8), np.array(rows).reshape(-1, 8), self.closed)

    def with_short_arcs(self) -> Path:
        """The same path with arcs of two radians at most: written by their ends and radius, rounded, longer ones would
        lose their centre (near half a turn by the root of the rounding)."""
        parts = np.ones(len(self), np.int64)
        arcs = self.kinds == ARC
        parts[arcs] = np.ceil(np.abs(self.rows[arcs, 4]) / LONGEST_ARC - 1e-9)
        if (parts <= 1).all():
            return self
        of = np.repeat(np.arange(len(self)), parts)
        step = np.arange(len(of)) - np.repeat(np.cumsum(parts) - parts, parts)
        rows, kinds = self.rows[of].copy(), self.kinds[of]
        cut = parts[of] > 1
        rows[cut, :2] = evaluate(kinds[cut], self.rows[of][cut], step[cut] / parts[of][cut])
        rows[cut, 6:] = evaluate(kinds[cut], self.rows[of][cut], (step[cut] + 1) / parts[of][cut])
        last = cut & (step == parts[of] - 1)
        rows[last, 6:] = self.rows[of][last, 6:]
        rows[cut, 4] /= parts[of][cut]
        return Path(kinds, rows, self.closed)

    def flattened(self, tolerance: float = FLATTEN) -> Points:
        """Points along the path, no chord further than ``tolerance`` mm from it; a closed path is not repeated
        at its end."""
        if not self.kinds.any() and (len(self) > 2 or not self.closed):
            return self.nodes
        counts = self._chord_counts(tolerance)
        of = np.repeat(np.arange(len(self)), counts)
        t = (np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)) / counts[of]
        points = evaluate(self.kinds[of], self.rows[of], t)
        return points if self.closed else np.vstack([points, self.rows[-1:, 6:]])

    def _chord_counts(self, tolerance: float) -> NDArray[np.int64]:
        rows = self.rows
        # a closed path of one or two segments must not shrink to a line, however coarse the tolerance
        counts = np.full(len(rows), math.ceil(3 / len(rows)) if self.closed and len(rows) else 1.0)
        cubic = self.kinds == CUBIC
        p0, p1, p2, p3 = rows[:, :2], rows[:, 2:4], rows[:, 4:6], rows[:, 6:]
        bend = np.maximum(np.hypot(*(p0 - 2 * p1 + p2).T), np.hypot(*(p1 - 2 * p2 + p3).T))
        # 6 max|second difference| bounds the second derivative; a chord strays by an eighth of that over n²
        counts[cubic] = np.maximum(counts[cubic], np.sqrt(0.75 * bend[cubic] / tolerance))
        arc = self.kinds == ARC
        radius = np.hypot(*(p0 - p1).T)[arc]
        step = 2 * np.arccos(np.clip(1 - tolerance / np.maximum(radius, 1e-12), -1, 1 - 1e-12))
        counts[arc] = np.maximum(counts[arc], np.abs(rows[arc, 4]) / np.minimum(step, math.pi / 4))
        return np.asarray(np.ceil(counts), np.int64)

    def bounds(self) -> Box:
        """The smallest upright box round the path, within the flattening tolerance."""
        return self._box

    @cached_property
    def _box(self) -> Box:
        points = self.flattened()
        (left, top), (right, bottom) = points.min(0), points.max(0)
        return Box(float(left), float(top), float(right), float(bottom))

    def area(self) -> float:
        """Signed area in mm², positive for outer rings (y down, clockwise on screen)."""
        return self._area

    @cached_property
    def _area(self) -> float:
        x, y = self.flattened().T
        return float(0.5 * (x @ np.roll(y, -1) - y @ np.roll(x, -1)))

    def length(self) -> float:
        """Length in mm."""
        points = self.flattened()
        steps = np.diff(np.vstack([points, points[:1]]) if self.closed else points, axis=0)
        return float(np.hypot(*steps.T).sum())

    def svg(self, decimals: int = 3) -> str:
        """SVG path data: M, then L, A or C, then Z when closed; arcs are short ones."""
        if (np.abs(self.rows[self.kinds == ARC, 4]) > LONGEST_ARC).any():
            return self.with_short_arcs().svg(decimals)
        number = lambda value: format_number(value, decimals)  # noqa: E731 - one-line local
        pair = lambda x, y: f"{number(x)} {number(y)}"  # noqa: E731
        words = [f"M{pair(*self.rows[0, :2])}"]
        for index, (kind, row) in enumerate(zip(self.kinds, self.rows, strict=True)):
            if kind == LINE:
                if not (self.closed and index == len(self.rows) - 1):  # Z draws it
                    words.append(f"L{pair(*row[6:])}")
            elif kind == ARC:
                radius = number(math.hypot(row[0] - row[2], row[1] - row[3]))
                large, sweep = int(abs(row[4]) > math.pi), int(row[4] > 0)
                words.append(f"A{radius} {radius} 0 {large} {sweep} {pair(*row[6:])}")
            else:
                words.append(f"C{pair(*row[2:4])} {pair(*row[4:6])} {pair(*row[6:])}")
        return "".join(words) + ("Z" if self.closed else "")


def all_mapped(paths: Sequence[Path], affine: Affine) -> list[Path]:
    """Many paths through one affine map, as one array: a thousand dashes cost little more than one."""
    if not paths or not affine.is_similarity:
        return [path.mapped(affine) for path in paths]
    whole = Path(np.concatenate([path.kinds for path in paths]), np.vstack([path.rows for path in paths]))
    rows, kinds = whole.mapped(affine).rows, whole.kinds
    ends = np.cumsum([len(path) for path in paths]).tolist()
    return [
        Path(kinds[start:end], rows[start:end], path.closed)
        for path, start, end in zip(paths, [0, *ends[:-1]], ends, strict=True)
    ]


def evaluate(kinds: NDArray[np.uint8], rows: NDArray[np.float64], t: NDArray[np.float64]) -> Points:
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


def longest_cubic(radius: float) -> float:
    """Radians of a circle that one cubic follows within ARC_CUBIC mm; its error grows with the sixth power of them."""
    return math.pi / 2 * math.pow(min(1.0, ARC_CUBIC / max(QUARTER_OFF * radius, 1e-12)), 1 / 6)


def arc_as_cubics(row: NDArray[np.float64], scale: float = 1.0) -> list[NDArray[np.float64]]:
    """One arc row as cubic rows (handle length 4/3 tan(sweep/4) radius); see ``Path.as_cubics``."""
    x0, y0, cx, cy, sweep = row[:5]
    radius = math.hypot(x0 - cx, y0 - cy)
    count = max(1, math.ceil(abs(sweep) / longest_cubic(radius * scale) - 1e-6))
    start, step = math.atan2(y0 - cy, x0 - cx), sweep / count
    k = 4 / 3 * math.tan(step / 4) * radius
    pieces = []
    for i in range(count):
        a, b = start + i * step, start + (i + 1) * step
        ax, ay = cx + radius * math.cos(a), cy + radius * math.sin(a)
        bx, by = cx + radius * math.cos(b), cy + radius * math.sin(b)
        pieces.append(
            np.array(
                [ax, ay, ax - k * math.sin(a), ay + k * math.cos(a),
                 bx + k * math.sin(b), by - k * math.cos(b), bx, by]
            )
        )  # fmt: skip
    pieces[0][:2], pieces[-1][6:] = row[:2], row[6:]
    return pieces
