"""Pictures whose outlines are known exactly: shapes of lines and cubics, rendered by exact coverage."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from nibble_core.formats.svg_path import parse_path_data
from nibble_core.geometry import CUBIC, LINE, Affine, Path
from nibble_core.graphics import Raster
from nibble_core.graphics.coverage import covered


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
        level = np.rint(
            255 * (1 - covered([ring.flattened(0.005) for ring in self.rings], self.size, self.size))
        ).astype(np.uint8)
        return Raster(np.dstack([level, level, level, np.full_like(level, 255)]))


def corpus(size: int, *, held_out: bool = False) -> Iterator[Known]:
    """Every shape of one half at one size; drawn in a unit square and turned a little off the grid.

    The tracer was tuned on the first half only; figures are reported for the one ``held_out``.
    """
    for name, (rings, degrees) in (_held_out() if held_out else _shapes()).items():
        c, s = math.cos(math.radians(degrees)) * size, math.sin(math.radians(degrees)) * size
        middle = size / 2
        turn = Affine(c, s, -s, c, middle - (c - s) / 2, middle - (c + s) / 2)
        yield Known(name, size, tuple(ring.mapped(turn) for ring in rings))


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


def _held_out() -> dict[str, tuple[list[Path], float]]:
    """Shapes no constant of the tracer was ever chosen by."""
    teeth = []
    for k in range(9):
        for share, r in ((0.0, 43), (0.42, 43), (0.5, 34), (0.92, 34)):
            a = 2 * math.pi * (k + share) / 9
            teeth.append((0.5 + r / 100 * math.sin(a), 0.5 - r / 100 * math.cos(a)))
    drawn = {
        "drop": ("M50 8C58 30 80 46 80 66C80 83 67 94 50 94C33 94 20 83 20 66C20 46 42 30 50 8Z", 6.1),
        "moon": (
            "M62 10C38 12 22 30 22 51C22 73 40 91 64 91C70 91 75 90 80 87C58 84 44 70 44 50C44 33 53 19 62 10Z", -4.0,
        ),
        "bean": (
            "M30 22C44 10 60 24 58 38C56 50 66 54 76 52C90 50 94 66 86 78C76 92 44 94 28 78C12 62 14 36 30 22Z", 0.0,
        ),
        "cloud": (
            "M25 72C12 72 8 52 24 48C22 32 42 24 50 38C60 24 80 32 76 48C92 50 90 72 76 72Z", 1.9
        ),
        "arrow": ("M8 42L56 42L56 22L92 51L56 80L56 60L8 60Z", 8.3),
        "speech": (
            "M20 16L80 16C88 16 92 22 92 28L92 58C92 66 86 70 80 70L52 70L32 90L36 70L20 70C12 70 8 64 8 58L8 28"
            "C8 22 12 16 20 16Z", 0.0,
        ),
        "shield": ("M50 6C64 15 76 18 90 18C90 56 78 82 50 95C22 82 10 56 10 18C24 18 36 15 50 6Z", 2.7),
        "fish": (
            "M8 50C22 26 54 22 70 44L92 26C86 40 86 58 92 74L70 56C54 78 22 74 8 50Z"
            "M30 42C34 42 34 49 30 49C26 49 26 42 30 42Z", 3.4,
        ),
        "crown": ("M10 82L14 28L33 54L50 16L67 54L86 28L90 82Z", 5.6),
        "figure two": (
            "M20 34C20 18 34 8 51 8C70 8 82 20 82 36C82 52 66 60 44 78L84 78L84 92L16 92L16 80C40 58 64 50 64 37"
            "C64 28 59 23 51 23C42 23 37 28 37 36Z", 0.0,
        ),
        "letter S": (
            "M80 28C76 14 64 8 50 8C32 8 20 18 20 32C20 62 64 48 64 68C64 76 58 80 50 80C42 80 36 76 34 66L16 70"
            "C18 86 32 94 50 94C70 94 84 84 84 67C84 36 40 48 40 32C40 26 44 22 50 22C57 22 60 25 62 32Z", 1.1,
        ),
        "key": (
            "M32 30C44 30 53 39 54 46L92 46L92 66L82 66L82 56L76 56L76 63L68 63L68 56L53 56C50 66 42 72 32 72"
            "C20 72 11 63 11 51C11 39 20 30 32 30ZM30 42C35 42 39 46 39 51C39 56 35 60 30 60C25 60 21 56 21 51"
            "C21 46 25 42 30 42Z", 9.5,
        ),
        "pennant": ("M14 8L22 8L22 14C44 8 58 26 88 16C80 28 80 36 88 46C58 56 44 38 22 46L22 94L14 94Z", 0.7),
    }  # fmt: skip
    shapes: dict[str, tuple[list[Path], float]] = {"gear": ([_polygon(teeth), _circle(0.5, 0.5, 0.15).reversed()], 4.9)}
    for name, (data, degrees) in drawn.items():
        outer, *holes = (ring.mapped(Affine.scale(0.01)) for ring in parse_path_data(data))
        turned = [outer if outer.area() > 0 else outer.reversed()]
        shapes[name] = (turned + [hole if hole.area() < 0 else hole.reversed() for hole in holes], degrees)
    return shapes
