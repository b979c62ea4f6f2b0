"""Bundles: many paths packed as one array of kinds, rows and offsets, mapped, measured and sliced as wholes.

A dash, a copy or a stroke of a sheet of 300,000 is never an object of its own.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import path_text
from nibble_core.geometry.paths import Path
from nibble_core.geometry.points import Affine, Box, Points
from nibble_core.geometry.segments import (
    ARC,
    LINE,
    Counts,
    Kinds,
    Rows,
    arcs_as_cubics,
    arcs_split,
    chord_counts,
    evaluate,
    mapped_rows,
    shared_out,
)
from nibble_core.geometry.tolerances import FLATTEN


@dataclass(frozen=True, eq=False)
class Bundle:
    """Path i is the segments ``offsets[i]:offsets[i + 1]``; ``closed[i]`` means its last end is its first start.

    kinds: shape (n,). rows: shape (n, 8), mm. offsets: shape (k + 1,). closed: shape (k,).
    """

    kinds: Kinds
    rows: Rows
    offsets: Counts
    closed: NDArray[np.bool_]

    def __post_init__(self) -> None:
        for array in (self.kinds, self.rows, self.offsets, self.closed):
            array.setflags(write=False)

    @staticmethod
    def of(paths: Iterable[Path]) -> Bundle:
        some = list(paths)
        if not some:
            return Bundle(np.empty(0, np.uint8), np.empty((0, 8)), np.zeros(1, np.int64), np.empty(0, bool))
        return Bundle(
            np.concatenate([path.kinds for path in some]),
            np.vstack([path.rows for path in some]),
            np.concatenate([[0], np.cumsum([len(path) for path in some])]).astype(np.int64),
            np.array([path.closed for path in some]),
        )

    @staticmethod
    def joined(bundles: Sequence[Bundle]) -> Bundle:
        """All paths of all bundles, in turn."""
        if len(bundles) == 1:
            return bundles[0]
        if not bundles:
            return Bundle.of(())
        before = np.cumsum([0, *(one.segments for one in bundles[:-1])])
        offsets = [one.offsets[1:] + start for one, start in zip(bundles, before, strict=True)]
        return Bundle(
            np.concatenate([one.kinds for one in bundles]),
            np.vstack([one.rows for one in bundles]),
            np.concatenate([[0], *offsets]).astype(np.int64),
            np.concatenate([one.closed for one in bundles]),
        )

    @staticmethod
    def polylines(points: Points, offsets: Counts) -> Bundle:
        """Open polylines: line i runs through ``points[offsets[i]:offsets[i + 1]]``, two points or more."""
        inner = np.ones(len(points), bool)
        inner[offsets[1:] - 1] = False
        begins = np.nonzero(inner)[0]
        rows = np.zeros((len(begins), 8))
        rows[:, :2], rows[:, 6:] = points[begins], points[begins + 1]
        count = len(offsets) - 1
        return Bundle(np.full(len(rows), LINE, np.uint8), rows, offsets - np.arange(count + 1), np.zeros(count, bool))

    def __len__(self) -> int:
        return len(self.closed)

    def __getitem__(self, index: int) -> Path:
        if not -len(self) <= index < len(self):
            raise IndexError(index)
        start, end = self.offsets[index % len(self)], self.offsets[index % len(self) + 1]
        return Path(self.kinds[start:end], self.rows[start:end], bool(self.closed[index]))

    def __iter__(self) -> Iterator[Path]:
        return (self[i] for i in range(len(self)))

    @property
    def segments(self) -> int:
        return len(self.kinds)

    def part(self, start: int, end: int) -> Bundle:
        """Paths from one number up to another."""
        low, high = int(self.offsets[start]), int(self.offsets[end])
        return Bundle(
            self.kinds[low:high], self.rows[low:high], self.offsets[start : end + 1] - low, self.closed[start:end]
        )

    def mapped(self, affine: Affine) -> Bundle:
        """Through an affine map; arcs become cubics when circles would not stay circles."""
        source = self if affine.is_similarity else self.as_cubics(scale=affine.stretch)
        return Bundle(source.kinds, mapped_rows(source.kinds, source.rows, affine), source.offsets, source.closed)

    def as_cubics(self, *, scale: float = 1.0) -> Bundle:
        """Arcs as cubics; see ``segments.arcs_as_cubics``."""
        if not (self.kinds == ARC).any():
            return self
        return self._parted(*arcs_as_cubics(self.kinds, self.rows, scale))

    def with_short_arcs(self) -> Bundle:
        """See ``segments.arcs_split``."""
        return self._parted(*arcs_split(self.kinds, self.rows))

    def _parted(self, kinds: Kinds, rows: Rows, parts: Counts) -> Bundle:
        return Bundle(kinds, rows, np.concatenate([[0], np.cumsum(parts)])[self.offsets], self.closed)

    def flattened(self, tolerance: float = FLATTEN) -> tuple[Points, Counts]:
        """Points along all paths and where each path's begin; a closed path is repeated at its end."""
        counts = chord_counts(self.kinds, self.rows, tolerance)
        sizes = np.diff(self.offsets)  # a closed path must not shrink to a line, however coarse the tolerance
        least = np.where(self.closed, -(-3 // np.maximum(sizes, 1)), 1)
        counts = np.maximum(counts, np.repeat(least, sizes))
        of, step = shared_out(counts)
        inner = evaluate(self.kinds[of], self.rows[of], step / counts[of])
        begins = np.concatenate([[0], np.cumsum(counts)])[self.offsets] + np.arange(len(self) + 1)
        points = np.empty((len(inner) + len(self), 2))
        at_end = np.zeros(len(points), bool)
        at_end[begins[1:] - 1] = True
        points[~at_end], points[at_end] = inner, self.rows[self.offsets[1:] - 1, 6:]
        return points, begins

    def arrays_of_points(self, tolerance: float = 0.05) -> list[Points]:
        """Points along each path, coarse unless said."""
        points, begins = self.flattened(tolerance)
        return [points[a:b] for a, b in zip(begins[:-1].tolist(), begins[1:].tolist(), strict=True)]

    @cached_property
    def lengths(self) -> NDArray[np.float64]:
        """Of each path, mm, within the flattening tolerance."""
        if not len(self):
            return np.empty(0)
        points, begins = self.flattened()
        steps = np.hypot(*np.diff(points, axis=0).T)
        steps[begins[1:-1] - 1] = 0.0  # from one path to the next
        return np.asarray(np.add.reduceat(steps, begins[:-1]))

    @cached_property
    def areas(self) -> NDArray[np.float64]:
        """Signed, of each closed path, mm², positive for outer rings."""
        points, begins = self.flattened()
        x, y = points.T
        cross = x[:-1] * y[1:] - x[1:] * y[:-1]
        cross[begins[1:-1] - 1] = 0.0  # from one path to the next
        return np.asarray(0.5 * np.add.reduceat(cross, begins[:-1]))

    @cached_property
    def sizes(self) -> NDArray[np.float64]:
        """Width and height of each path, mm: (paths, 2)."""
        points, begins = self.flattened()
        low, high = (end.reduceat(points, begins[:-1]) for end in (np.minimum, np.maximum))
        return np.asarray(high - low)

    @property
    def length(self) -> float:
        """Of all paths together, mm."""
        return float(self.lengths.sum())

    def bounds(self) -> Box:
        """The smallest upright box round all paths, of which there is at least one."""
        points, _ = self.flattened()
        (left, top), (right, bottom) = points.min(0), points.max(0)
        return Box(float(left), float(top), float(right), float(bottom))

    def svg(self, decimals: int = 3) -> str:
        """SVG path data."""
        return self.text(path_text.SVG, decimals)

    def text(self, grammar: path_text.Grammar, decimals: int) -> str:
        return path_text.path_text(self.kinds, self.rows, self.offsets, self.closed, grammar, decimals)

    @staticmethod
    def read(text: bytes, grammar: path_text.Grammar) -> Bundle:
        """What ``text`` wrote. Raises UnreadableFile."""
        return Bundle(*path_text.read_path_text(text, grammar))
