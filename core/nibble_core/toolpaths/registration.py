"""A printed sheet on a machine: where its marks were found tells how it lies, and how the print has stretched.

From two marks a similarity follows (shift, turn, size), from three on an affine map (stretch and shear as well). The
model is chosen by how many marks there are; one mark that disagrees is left out where enough remain to outvote it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from nibble_core.errors import CannotMake
from nibble_core.geometry import Affine, Points

OUTVOTED = 0.3  # mm that a mark may lie off what the others say
ENOUGH = 5  # marks, so that one can be outvoted
FLAT = 0.02  # of the longest distance of marks: nearer to one line they tell no stretch across it
FURTHEST = 0.2  # share by which a print may have grown or shrunk; more is another sheet


@dataclass(frozen=True)
class Located:
    """at: from where things were meant to where they lie. worst: mm, of the marks that count. left_out: numbers of
    marks that were outvoted. shift, mm; turn, degrees; across, down: sizes as shares of what was meant."""

    at: Affine
    worst: float
    left_out: tuple[int, ...]
    shift: tuple[float, float]
    turn: float
    across: float
    down: float


def located(meant: Points, found: Points) -> Located:
    """How a sheet lies whose marks (n, 2) were found (n, 2). Raises CannotMake for fewer than two, for marks on one
    spot, and for a sheet that cannot be this one."""
    if len(meant) < 2 or len(meant) != len(found):
        raise CannotMake("At least two marks must be found.", "Drive to them, or let the camera look again.")
    at, apart = _fitted(meant, found)
    left_out: tuple[int, ...] = ()
    if len(meant) >= ENOUGH and apart.max() > OUTVOTED:
        k = _outvoted(meant, found)
        others = np.arange(len(meant)) != k
        at, apart = _fitted(meant[others], found[others])
        left_out = (k,)
    across, down = math.hypot(at.a, at.b), math.hypot(at.c, at.d)
    if max(abs(across - 1), abs(down - 1)) > FURTHEST or at.determinant <= 0:
        raise CannotMake("These marks are not those of this sheet.", "Look at their order, and at the right sheet.")
    middle = meant.mean(0)
    shift = (at.map(middle[None])[0] - middle).tolist()
    turn = math.degrees(math.atan2(at.b, at.a))
    return Located(at, float(apart.max()), left_out, (shift[0], shift[1]), turn, across, down)


def _fitted(meant: Points, found: Points) -> tuple[Affine, np.ndarray]:
    """By least squares, and how far each mark lies off it."""
    middle = meant.mean(0)
    own = meant - middle
    size = np.linalg.svd(own, compute_uv=False)
    if size[0] < 1.0:
        raise CannotMake("The marks lie on one spot.", "Choose marks that lie apart.")
    flat = len(meant) < 3 or size[1] < FLAT * size[0]
    if flat:
        x, y = own.T
        left = np.concatenate([np.stack([x, -y], 1), np.stack([y, x], 1)])
        right = (found - found.mean(0)).T.ravel()
        c, s = np.linalg.lstsq(left, right, rcond=None)[0].tolist()
        linear = np.array([[c, s], [-s, c]])
    else:
        linear = np.linalg.lstsq(own, found - found.mean(0), rcond=None)[0]
    (a, b), (c, d) = linear.tolist()
    e, f = (found.mean(0) - middle @ linear).tolist()
    at = Affine(a, b, c, d, e, f)
    return at, np.hypot(*(at.map(meant) - found).T)


def _outvoted(meant: Points, found: Points) -> int:
    """The mark without which the others agree best."""
    worst = []
    for k in range(len(meant)):
        others = np.arange(len(meant)) != k
        worst.append(float(_fitted(meant[others], found[others])[1].max()))
    return int(np.argmin(worst))
