"""The iso-line of a grey picture at a level, with sub-pixel places."""

from __future__ import annotations

import itertools

import cv2
import numpy as np

from nibble_core.geometry import Points
from nibble_core.geometry.points import shoelace
from nibble_core.graphics import Grey
from nibble_core.tracing.kernels import WORD, entered, march, settled

HAIRLINE = 5  # px: what is longer is no speck, however thin


def iso_rings(grey: Grey, level: float, *, smallest_area: float = 2.0) -> list[Points]:
    """Closed rings round everything darker than ``level``; the picture is taken to lie on white.

    Points are in pixels, shape (n, 2): the sample of pixel (row, column) sits at (column + 0.5, row + 0.5).
    Outer rings have positive area, holes negative. Rings enclosing under ``smallest_area`` px² are left out,
    but for hairlines.
    """
    at = np.float32(level)
    framed, shift = np.ascontiguousarray(grey, np.float32), 0.5
    if any(float(side.min()) < at for side in (grey[0], grey[-1], grey[:, 0], grey[:, -1])):
        white = (max(1.0, float(level) + 0.5),)
        framed, shift = np.asarray(cv2.copyMakeBorder(framed, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=white)), -0.5
    inside = (framed < at).view(np.uint8)
    words = inside[:, : inside.shape[1] // WORD * WORD].view(np.uint64)
    points, offsets = march(framed, at, entered(inside, words))
    points, offsets = settled(points, offsets, framed, at)
    points += shift
    rings = [points[a:b][::-1] for a, b in itertools.pairwise(offsets)]
    # a hairline holds next to no area, for its pixels hardly pass the level; it is ink all the same
    return [
        np.ascontiguousarray(ring) for ring in rings
        if abs(shoelace(ring)) >= smallest_area
        or (len(ring) > 2 * HAIRLINE and np.ptp(ring, axis=0).max() > HAIRLINE)
    ]  # fmt: skip
