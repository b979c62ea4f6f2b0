"""Pictures whose outlines are known exactly: shapes of lines and cubics, rendered by exact coverage."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from nibble_core.geometry import CUBIC, LINE, Affine, Path
from nibble_core.graphics import Raster


@dataclass(frozen=True)
class Known:
    """A shape on a square of ``size`` px: its true rings in pixels, and its picture."""

    name: str
    size: int
    rings: tuple[Path, ...]

    @property
    def nodes(self) -> int:
        return sum(len(ring) for ring in self.rings)

    def raster(self) -> Raster:
        level = np.rint(255 * (1 - covered([ring.flattened(0.005) for ring in self.rings], self.size))).astype(np.uint8)
        return Raster(np.dstack([level, level, level, np.full_like(level, 255)]))


def corpus(size: int) -> Iterator[Known]:
    """Every shape at one size; coordinates were drawn in a unit square and turned a little off the grid."""
    for name, (rings, degrees) in _shapes().items():
        c, s = math.cos(math.radians(degrees)) * size, math.sin(math.radians(degrees)) * size
        middle = size / 2
        turn = Affine(c, s, -s, c, middle - (c - s) / 2, middle - (c + s) / 2)
        yield Known(name, size, tuple(ring.mapped(turn) for ring in rings))


def covered(rings: list[np.ndarray], size: int) -> np.ndarray:
    """Exact share of every pixel inside the rings (even-odd by winding them as outer and hole), float64.

    Each edge is cut at pixel borders; a piece adds its height times the part of its row to its right, and sums
    along the rows give the coverage (as font rasterisers do).
    """
    total = np.zeros((size, size + 2))
    for ring in rings:
        p, q = ring, np.roll(ring, -1, 0)
        cuts = [np.zeros(len(p)), np.ones(len(p))]
        owners = [np.arange(len(p))] * 2
        for axis in (0, 1):
            low = np.floor(np.minimum(p[:, axis], q[:, axis])).astype(int) + 1
            count = np.maximum(np.ceil(np.maximum(p[:, axis], q[:, axis])).astype(int) - low, 0)
            owner = np.repeat(np.arange(len(p)), count)
            at = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count) + low[owner]
            owners.append(owner)
            cuts.append((at - p[owner, axis]) / (q - p)[owner, axis])
        owner, t = np.concatenate(owners), np.clip(np.concatenate(cuts), 0, 1)
        order = np.lexsort((t, owner))
        owner, t = owner[order], t[order]
        same = owner[1:] == owner[:-1]
        edge = owner[:-1][same]
        a = p[edge] + (q - p)[edge] * t[:-1][same][:, None]
        b = p[edge] + (q - p)[edge] * t[1:][same][:, None]
        middle, rise = (a + b) / 2, b[:, 1] - a[:, 1]
        row = np.clip(np.floor(middle[:, 1]).astype(int), 0, size - 1)
        column = np.clip(np.floor(middle[:, 0]).astype(int), 0, size)
        share = 1 - (middle[:, 0] - column)
        np.add.at(total, (row, column), rise * share)
        np.add.at(total, (row, column + 1), rise * (1 - share))
    return np.clip(np.abs(np.cumsum(total, 1)[:, :size]), 0, 1)


def path(*pieces: tuple[tuple[float, float], ...]) -> Path:
    """A closed path of pieces of 2 (line) or 4 (cubic) points."""
    kinds = [LINE if len(piece) == 2 else CUBIC for piece in pieces]
    rows = []
    for piece in pieces:
        middle = [0, 0, 0, 0] if len(piece) == 2 else [*piece[1], *piece[2]]
        rows.append([*piece[0], *middle, *piece[-1]])
    return Path(np.array(kinds, np.uint8), np.array(rows, float))


def _circle(x: float, y: float, r: float) -> Path:
    return Path.circle(x, y, r).as_cubics()


def _polygon(points: list[tuple[float, float]]) -> Path:
    return Path.polygon(points)


def _star(count: int, outer: float, inner: float) -> Path:
    turn = [(outer if k % 2 == 0 else inner, math.pi * k / count) for k in range(2 * count)]
    return _polygon([(0.5 + r * math.sin(a), 0.5 - r * math.cos(a)) for r, a in turn])


def _rounded(left: float, top: float, right: float, bottom: float, r: float) -> Path:
    k = r * 0.44772
    return path(
        ((left + r, top), (right - r, top)), ((right - r, top), (right - k, top), (right, top + k), (right, top + r)),
        ((right, top + r), (right, bottom - r)),
        ((right, bottom - r), (right, bottom - k), (right - k, bottom), (right - r, bottom)),
        ((right - r, bottom), (left + r, bottom)),
        ((left + r, bottom), (left + k, bottom), (left, bottom - k), (left, bottom - r)),
        ((left, bottom - r), (left, top + r)), ((left, top + r), (left, top + k), (left + k, top), (left + r, top)),
    )  # fmt: skip


def _shapes() -> dict[str, tuple[list[Path], float]]:
    heart = path(
        ((0.5, 0.30), (0.56, 0.12), (0.93, 0.08), (0.93, 0.38)),
        ((0.93, 0.38), (0.93, 0.62), (0.62, 0.78), (0.5, 0.95)),
        ((0.5, 0.95), (0.38, 0.78), (0.07, 0.62), (0.07, 0.38)),
        ((0.07, 0.38), (0.07, 0.08), (0.44, 0.12), (0.5, 0.30)),
    )  # fmt: skip
    leaf = path(((0.1, 0.5), (0.3, 0.1), (0.7, 0.1), (0.9, 0.5)), ((0.9, 0.5), (0.7, 0.9), (0.3, 0.9), (0.1, 0.5)))
    wave = path(
        ((0.08, 0.4), (0.3, 0.1), (0.35, 0.7), (0.55, 0.4)), ((0.55, 0.4), (0.7, 0.18), (0.8, 0.5), (0.93, 0.35)),
        ((0.93, 0.35), (0.93, 0.62)), ((0.93, 0.62), (0.8, 0.75), (0.7, 0.45), (0.55, 0.66)),
        ((0.55, 0.66), (0.35, 0.95), (0.3, 0.36), (0.08, 0.66)), ((0.08, 0.66), (0.08, 0.4)),
    )  # fmt: skip
    cross = _polygon(
        [(0.38, 0.1), (0.62, 0.1), (0.62, 0.38), (0.9, 0.38), (0.9, 0.62), (0.62, 0.62), (0.62, 0.9), (0.38, 0.9),
         (0.38, 0.62), (0.1, 0.62), (0.1, 0.38), (0.38, 0.38)]
    )  # fmt: skip
    letter = path(
        ((0.2, 0.1), (0.55, 0.1)), ((0.55, 0.1), (0.85, 0.1), (0.85, 0.52), (0.55, 0.52)), ((0.55, 0.52), (0.36, 0.52)),
        ((0.36, 0.52), (0.36, 0.9)), ((0.36, 0.9), (0.2, 0.9)), ((0.2, 0.9), (0.2, 0.1)),
    )  # fmt: skip
    bowl = path(
        ((0.36, 0.24), (0.36, 0.38)), ((0.36, 0.38), (0.53, 0.38)),
        ((0.53, 0.38), (0.64, 0.38), (0.64, 0.24), (0.53, 0.24)),
        ((0.53, 0.24), (0.36, 0.24)),
    )  # fmt: skip
    return {
        "circle": ([_circle(0.4987, 0.5031, 0.41)], 0),
        "ring": ([_circle(0.5, 0.5, 0.43), _circle(0.5, 0.5, 0.28).reversed()], 0),
        "rounded box": ([_rounded(0.1, 0.22, 0.9, 0.78, 0.12)], 3.7),
        "star": ([_star(5, 0.45, 0.19)], 4.3),
        "square": ([_polygon([(0.2, 0.2), (0.8, 0.2), (0.8, 0.8), (0.2, 0.8)])], 7.1),
        "cross": ([cross], 11),
        "heart": ([heart], 0),
        "leaf": ([leaf], 17),
        "wave": ([wave], 2),
        "letter": ([letter, bowl], 1.3),
        "burst": ([_star(12, 0.45, 0.34)], 2.9),
    }
