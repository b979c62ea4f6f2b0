"""Points and affine maps: small immutable values."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]
"""Shape (n, 2): x, y in mm, y down."""


def run_lengths(points: Points) -> NDArray[np.float64]:
    """mm along a polyline (n, 2) from its first place to each."""
    return np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])


def shoelace(ring: Points) -> float:
    """Signed area of a closed polyline (n, 2), positive for outer rings with y down (Gauss's area formula)."""
    x, y = (ring - ring[0]).T  # from the ring itself, lest the digits of a far place are lost
    return float(0.5 * (x[:-1] @ y[1:] - y[:-1] @ x[1:]))  # the side back to the first place adds nothing


class Point(NamedTuple):
    """A place in mm, y down."""

    x: float
    y: float


class Box(NamedTuple):
    """An upright rectangle in mm: left, top, right, bottom."""

    left: float
    top: float
    right: float
    bottom: float

    @property
    def width(self) -> float:
        return self.right - self.left

    @property
    def height(self) -> float:
        return self.bottom - self.top

    @staticmethod
    def around(boxes: Sequence[Box]) -> Box:
        """The smallest box round one or more boxes."""
        return Box(
            min(b.left for b in boxes), min(b.top for b in boxes), max(b.right for b in boxes),
            max(b.bottom for b in boxes),
        )  # fmt: skip

    def grown(self, by: float) -> Box:
        return Box(self.left - by, self.top - by, self.right + by, self.bottom + by)


class Affine(NamedTuple):
    """The map x' = a x + c y + e, y' = b x + d y + f, in the order PDF and SVG write it."""

    a: float = 1.0
    b: float = 0.0
    c: float = 0.0
    d: float = 1.0
    e: float = 0.0
    f: float = 0.0

    @staticmethod
    def translation(dx: float, dy: float) -> Affine:
        return Affine(e=dx, f=dy)

    @staticmethod
    def scale(sx: float, sy: float | None = None) -> Affine:
        return Affine(a=sx, d=sx if sy is None else sy)

    @staticmethod
    def rotation(degrees: float) -> Affine:
        """About the origin, clockwise on screen; exact for quarter turns."""
        c, s = (round(v, 15) for v in (math.cos(math.radians(degrees)), math.sin(math.radians(degrees))))
        return Affine(c, s, -s, c)

    @staticmethod
    def mirror(width: float) -> Affine:
        """Left and right exchanged within a strip from 0 to ``width``."""
        return Affine(a=-1.0, e=width)

    def then(self, after: Affine) -> Affine:
        """This map first, ``after`` second."""
        a, b, c, d, e, f = self
        return Affine(
            after.a * a + after.c * b,
            after.b * a + after.d * b,
            after.a * c + after.c * d,
            after.b * c + after.d * d,
            after.a * e + after.c * f + after.e,
            after.b * e + after.d * f + after.f,
        )

    def inverse(self) -> Affine:
        """The map that undoes this one."""
        a, b, c, d, e, f = self
        size = self.determinant
        return Affine(d / size, -b / size, -c / size, a / size, (c * f - d * e) / size, (b * e - a * f) / size)

    @property
    def determinant(self) -> float:
        return self.a * self.d - self.b * self.c

    @property
    def is_similarity(self) -> bool:
        """Circles stay circles: the columns are perpendicular and of one length."""
        size = abs(self.determinant)
        return (
            abs(self.a * self.c + self.b * self.d) <= 1e-9 * max(size, 1e-12)
            and abs(math.hypot(self.a, self.b) - math.hypot(self.c, self.d)) <= 1e-9 * max(size, 1e-12) ** 0.5
        )

    @property
    def stretch(self) -> float:
        """By how much it enlarges at most (the greater singular value)."""
        half = (self.a**2 + self.b**2 + self.c**2 + self.d**2) / 2
        return math.sqrt(half + math.sqrt(max(half**2 - self.determinant**2, 0.0)))

    def map(self, points: Points) -> Points:
        """Points of shape (n, 2), mapped."""
        matrix = np.array([[self.a, self.b], [self.c, self.d]])
        return np.asarray(points @ matrix + np.array([self.e, self.f]))
