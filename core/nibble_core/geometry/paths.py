"""Paths: connected segments, each a row as ``segments`` describes it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import path_text
from nibble_core.geometry.points import Affine, Box, Points, shoelace
from nibble_core.geometry.segments import (
    ARC,
    CUBIC,
    LINE,
    arcs_as_cubics,
    chord_counts,
    evaluate,
    mapped_rows,
    shared_out,
)
from nibble_core.geometry.tolerances import FLATTEN


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
        return Path(source.kinds, mapped_rows(source.kinds, source.rows, affine), self.closed)

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
        """Arcs as cubics; see ``segments.arcs_as_cubics``."""
        if not (self.kinds == ARC).any():
            return self
        kinds, rows, _ = arcs_as_cubics(self.kinds, self.rows, scale)
        return Path(kinds, rows, self.closed)

    def flattened(self, tolerance: float = FLATTEN) -> Points:
        """Points along the path, no chord further than ``tolerance`` mm from it; a closed path is not repeated
        at its end."""
        if not self.kinds.any() and (len(self) > 2 or not self.closed):
            return self.nodes
        of, t = self.chord_places(tolerance)
        points = evaluate(self.kinds[of], self.rows[of], t)
        return points if self.closed else np.vstack([points, self.rows[-1:, 6:]])

    def chord_places(self, tolerance: float = FLATTEN) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        """Where each chord of the flattened path begins: the number of its segment, and the parameter on that."""
        counts = self._chord_counts(tolerance)
        of, step = shared_out(counts)
        return of, step / counts[of]

    def _chord_counts(self, tolerance: float) -> NDArray[np.int64]:
        counts = chord_counts(self.kinds, self.rows, tolerance)
        # a closed path of one or two segments must not shrink to a line, however coarse the tolerance
        return np.maximum(counts, math.ceil(3 / len(counts))) if self.closed and len(counts) else counts

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
        return shoelace(self.flattened())

    def length(self) -> float:
        """Length in mm."""
        points = self.flattened()
        steps = np.diff(np.vstack([points, points[:1]]) if self.closed else points, axis=0)
        return float(np.hypot(*steps.T).sum())

    def svg(self, decimals: int = 3) -> str:
        """SVG path data: M, then L, A or C, then Z when closed; arcs are short ones."""
        return self.text(path_text.SVG, decimals)

    def text(self, grammar: path_text.Grammar, decimals: int) -> str:
        """In a format's operators."""
        offsets, closed = np.array([0, len(self)]), np.array([self.closed])
        return path_text.path_text(self.kinds, self.rows, offsets, closed, grammar, decimals)
