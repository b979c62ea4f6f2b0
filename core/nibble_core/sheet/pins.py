"""Pins that a board is turned over on: both stand on the axis it is turned about, so that they are where they were."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import DoesNotFit
from nibble_core.geometry import Point

EDGE = 4.0  # mm of wood between a pin and the end of the board
STEP = 0.5  # mm
APART = 40.0  # mm, at least, between two pins
UNLIKE = 3.0  # diameters by which their distances from the ends differ, so that a board turned the wrong way fits none


def pin_places(
    width: float, height: float, turned: str, taken: BaseGeometry, diameter: float
) -> tuple[Point, Point]:  # fmt: skip
    """Middles of two pins on a board, mm, as far apart as they can be. turned: “left to right” or “head to foot”.
    taken: what is cut, with all the room that it needs. Raises DoesNotFit where there is no room for both."""
    long = height if turned == "left to right" else width
    first = EDGE + diameter / 2
    along = np.arange(first, max(long - first, first) + 1e-9, STEP)
    places = [(width / 2, at) if turned == "left to right" else (at, height / 2) for at in along.tolist()]
    free = along[shapely.distance(shapely.points(places), taken) >= diameter / 2]
    if len(free):
        start = float(free[0])
        ends = free[np.abs((long - free) - start) >= UNLIKE * diameter]
        if len(ends) and float(ends[-1]) - start >= max(APART, 2 * diameter):
            end = float(ends[-1])
            if turned == "left to right":
                return Point(width / 2, start), Point(width / 2, end)
            return Point(start, height / 2), Point(end, height / 2)
    raise DoesNotFit(
        f"There is no room for two pins {diameter:g} mm wide where the board is turned over.",
        "Lay the work so that the middle of the board stays free at both ends, or choose thinner pins.",
    )
