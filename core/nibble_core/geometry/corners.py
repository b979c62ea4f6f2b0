"""The true corners of dense polygons: which vertices stand for a corner and which are only chords of a curve."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry.points import Points

SHARP = math.radians(30)
"""Chords of a rounded corner turn by less than this (a quarter circle has at least four), corners by more."""

SHALLOW = math.radians(3)
"""Vertices that turn by less are no corners."""

ALONE = 2.5
"""Times its neighbours' turn by which a shallow corner turns: the chords of a curve turn alike."""


SURE = 5.0
"""Times what chords may lie off."""


def turns(points: Points, *, closed: bool) -> NDArray[np.float64]:
    """How far a polyline (n, 2) turns at each vertex, radians; 0 at the ends of an open one."""
    before, after = points - np.roll(points, 1, 0), np.roll(points, -1, 0) - points
    turn = np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], np.sum(before * after, 1))
    if not closed:
        turn[[0, -1]] = 0.0
    return np.asarray(turn)


def corners(points: Points, *, closed: bool, least: float) -> NDArray[np.int64]:
    """Vertices that are corners: sharp ones, and shallow ones that no smooth curve within ``least`` mm could pass.
    ``least``: mm that chords may lie off what they stand for.

    A curve through a vertex that turns by an angle, with chords of a length c on both sides, leaves the polyline by
    c times the angle, an eighth of it. Such a vertex is a corner if its neighbours turn far less, or if it is so far
    off that no curve can have been meant.
    """
    turn = np.abs(turns(points, closed=closed))
    if len(points) < 4:
        return np.nonzero(turn > SHALLOW)[0]
    chord = np.hypot(*(np.roll(points, -1, 0) - points).T)
    beside = np.maximum(np.roll(turn, 1), np.roll(turn, -1))
    off = np.minimum(chord, np.roll(chord, 1)) * turn / 8
    shallow = (turn > SHALLOW) & (((turn > ALONE * beside) & (off > least)) | (off > SURE * least))
    return np.nonzero((turn > SHARP) | shallow)[0]
