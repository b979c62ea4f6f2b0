"""The wall of a round thing: a surface of revolution that stands upright, its rim above.

A place on it is an angle round the axis (radians, to the right as it is seen from outside) and a slant, the distance
from the rim along the wall, mm. Between its stations the wall is part of a cone.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from nibble_core.errors import InvalidTicket

Numbers = NDArray[np.float64]

STATIONS = 257
"""Of a profile: between so many a smooth wall of a cup's size is straight within a thousandth of a millimetre."""
STRAIGHT = 0.15  # mm that a wall may bulge under a label
LEAST_RADIUS = 1e-3  # mm, beyond the end of a wall that tapers to nothing


@dataclass(frozen=True, eq=False)
class Wall:
    """heights: mm below the rim, from 0, rising, (n,). radii: mm there, (n,)."""

    heights: Numbers
    radii: Numbers

    @cached_property
    def slants(self) -> Numbers:
        """mm from the rim along the wall, of each station."""
        return np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(self.heights), np.diff(self.radii)))])

    @property
    def height(self) -> float:
        return float(self.heights[-1])

    @property
    def slant(self) -> float:
        """mm from rim to foot along the wall."""
        return float(self.slants[-1])

    @property
    def is_cone(self) -> bool:
        """Whether all of it is one cone, or a cylinder: it can lie flat."""
        return len(self.heights) == 2

    @property
    def largest(self) -> float:
        """Its largest radius, mm."""
        return float(self.radii.max())

    @property
    def slope(self) -> float:
        """Of a cone, mm that the radius grows for each along the wall."""
        return float((self.radii[-1] - self.radii[0]) / self.slant)

    def radius_at(self, heights: Numbers | float) -> Numbers:
        """Beyond its ends the wall goes on as it ended."""
        return np.maximum(_along(np.asarray(heights, float), self.heights, self.radii), LEAST_RADIUS)

    def radius_along(self, slants: Numbers | float) -> Numbers:
        return np.maximum(_along(np.asarray(slants, float), self.slants, self.radii), LEAST_RADIUS)

    def height_along(self, slants: Numbers | float) -> Numbers:
        return _along(np.asarray(slants, float), self.slants, self.heights)

    def slant_at(self, heights: Numbers | float) -> Numbers:
        return _along(np.asarray(heights, float), self.heights, self.slants)

    def slope_at(self, heights: Numbers | float) -> Numbers:
        """mm that the radius grows for each of height."""
        cone_of = np.clip(np.searchsorted(self.heights, np.asarray(heights, float)) - 1, 0, len(self.heights) - 2)
        return np.asarray(self._slopes[cone_of])

    @cached_property
    def _slopes(self) -> Numbers:
        """mm that the radius grows for each of height, between stations."""
        return np.asarray(np.diff(self.radii) / np.diff(self.heights))

    def turned_away(self, eye: float, angles: Numbers, heights: Numbers, level: float) -> Numbers:
        """By how much places face away from an eye, radians: between the wall's normal and the way to it. eye: mm from
        the axis, at ``level`` below the rim; infinite for far away."""
        radius, slope = self.radius_at(heights), self.slope_at(heights)
        out = np.stack([np.cos(angles), np.sin(angles), -slope], -1) / np.sqrt(1 + slope**2)[..., None]
        way = np.stack([np.full_like(radius, 1.0), np.zeros_like(radius), np.zeros_like(radius)], -1)
        if math.isfinite(eye):
            place = np.stack([radius * np.cos(angles), radius * np.sin(angles), heights], -1)
            way = np.array([eye, 0.0, level]) - place
            way = way / np.linalg.norm(way, axis=-1, keepdims=True)
        return np.asarray(np.arccos(np.clip((out * way).sum(-1), -1.0, 1.0)))


def cone(rim: float, foot: float, height: float) -> Wall:
    """A straight or tapered wall: its diameters and height, mm. Raises InvalidTicket."""
    if min(rim, foot) <= 0 or height <= 0:
        raise InvalidTicket("A wall cannot taper to nothing.", "Measure its diameter at rim and foot again.")
    return Wall(np.array([0.0, height]), np.array([rim / 2, foot / 2]))


def profile(places: Sequence[tuple[float, float]]) -> Wall:
    """A belly or a pear: (height below the rim, diameter), from the rim down, joined smoothly by monotone cubics,
    so that none bulges beyond what was measured. Raises InvalidTicket for fewer than two, for
    one that folds back, or tapers to nothing."""
    if len(places) < 2:
        raise InvalidTicket("A profile needs its diameter at two heights at least.", "Add the diameter at the foot.")
    z, d = np.array(places, float).T
    if (np.diff(z) <= 0).any():
        k = int(np.argmax(np.diff(z) <= 0))
        raise InvalidTicket(
            f"The profile folds back: {z[k + 1]:g} mm comes after {z[k]:g} mm.", "Write its heights from the rim down."
        )
    if (d <= 0).any():
        raise InvalidTicket("A wall cannot taper to nothing.", "Measure its diameters again.")
    if z[0] != 0:
        raise InvalidTicket("A profile begins at the rim.", f"Write the diameter at 0 mm before that at {z[0]:g} mm.")
    if len(z) == 2:
        return Wall(z, d / 2)
    heights = np.unique(np.concatenate([np.linspace(0, z[-1], STATIONS), z]))
    return Wall(heights, _monotone(z, d / 2, heights))


def straight_part(wall: Wall, level: float) -> tuple[Wall, float, float]:
    """The longest part of a profile about a height that is one cone within ``STRAIGHT``: that cone, as high as the
    profile, and from which height to which it is the wall, mm."""
    stations = wall.heights
    k = int(np.clip(np.searchsorted(stations, level), 1, len(stations) - 1))
    low, high = k - 1, k
    grown = True
    while grown:
        grown = False
        for lower, higher in ((low - 1, high), (low, high + 1)):
            if lower >= 0 and higher < len(stations) and _bulge(wall, lower, higher) <= STRAIGHT:
                low, high, grown = lower, higher, True
    slope = (wall.radii[high] - wall.radii[low]) / (stations[high] - stations[low])
    rim = wall.radii[low] - slope * stations[low]
    radii = np.maximum(np.array([rim, rim + slope * wall.height]), LEAST_RADIUS)
    return Wall(np.array([0.0, wall.height]), radii), float(stations[low]), float(stations[high])


def _bulge(wall: Wall, low: int, high: int) -> float:
    """How far the wall between two stations lies off the cone through them, mm."""
    z, r = wall.heights[low : high + 1], wall.radii[low : high + 1]
    return float(np.abs(r - np.interp(z, z[[0, -1]], r[[0, -1]])).max())


def _monotone(z: Numbers, r: Numbers, at: Numbers) -> Numbers:
    """Monotone cubic Hermite interpolation: inner slopes are the weighted harmonic means of those on both sides, none
    where these differ in sign; at the ends three-point formulas, kept in shape (Fritsch and Butland 1984)."""
    step, slope = np.diff(z), np.diff(r) / np.diff(z)
    inner = np.zeros(len(z) - 2)
    same = slope[:-1] * slope[1:] > 0
    left, right = 2 * step[1:] + step[:-1], step[1:] + 2 * step[:-1]
    inner[same] = ((left + right) / (left / np.where(same, slope[:-1], 1) + right / np.where(same, slope[1:], 1)))[same]
    ways = np.concatenate([[_end(step[0], step[1], slope[0], slope[1])], inner,
                           [_end(step[-1], step[-2], slope[-1], slope[-2])]])  # fmt: skip
    k = np.clip(np.searchsorted(z, at, "right") - 1, 0, len(step) - 1)
    h, t = step[k], (at - z[k]) / step[k]
    return np.asarray(
        r[k] * (1 + 2 * t) * (1 - t) ** 2 + r[k + 1] * t**2 * (3 - 2 * t)
        + h * t * (1 - t) * (ways[k] * (1 - t) - ways[k + 1] * t)
    )  # fmt: skip


def _end(near: float, far: float, slope: float, next_slope: float) -> float:
    """The slope at an end, of three points."""
    way = ((2 * near + far) * slope - near * next_slope) / (near + far)
    if way * slope <= 0:
        return 0.0
    return 3 * slope if slope * next_slope <= 0 and abs(way) > 3 * abs(slope) else float(way)


def _along(x: Numbers, at: Numbers, values: Numbers) -> Numbers:
    """Linear between stations, and on beyond both ends."""
    inner = np.interp(x, at, values)
    first = (values[1] - values[0]) / (at[1] - at[0])
    last = (values[-1] - values[-2]) / (at[-1] - at[-2])
    return np.asarray(
        inner + np.minimum(x - at[0], 0.0) * first + np.maximum(x - at[-1], 0.0) * last, np.float64
    )  # fmt: skip
