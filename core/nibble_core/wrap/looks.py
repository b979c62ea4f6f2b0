"""What flat artwork becomes on a wall.

*On the surface*: lengths round the thing and along its wall are the artwork's, as a label would lie. *To the eye*: who
looks at it straight from the front sees the artwork's own proportions. Artwork is mm from the middle of its box, y
down; its middle lies at angle 0 and ``level`` mm of height below the rim.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Points
from nibble_core.wrap.wall import Numbers, Wall

SAMPLES, HALVINGS = 33, 44
"""Places along each line of sight among which the wall is first looked for, and halvings after that: to a nanometre."""


class Look(Protocol):
    """Between flat artwork (n, 2) and places on the wall (n, 2): angle, slant."""

    def onto(self, artwork: Points) -> Points: ...

    def off(self, places: Points) -> Points: ...


@dataclass(frozen=True, eq=False)
class OnSurface:
    """Lengths along circles and along the wall are kept. level: mm of height below the rim."""

    wall: Wall
    level: float

    def onto(self, artwork: Points) -> Points:
        slant = artwork[:, 1] + float(self.wall.slant_at(self.level))
        return np.column_stack([artwork[:, 0] / self.wall.radius_along(slant), slant])

    def off(self, places: Points) -> Points:
        angle, slant = places.T
        return np.column_stack([
            angle * self.wall.radius_along(slant), slant - float(self.wall.slant_at(self.level)),
        ])  # fmt: skip


@dataclass(frozen=True, eq=False)
class ByHand:
    """As on the surface, but so many times as wide: ``top`` at the upper end of artwork ``height`` mm high, ``bottom``
    at its lower end, evenly between."""

    surface: OnSurface
    top: float
    bottom: float
    height: float

    def onto(self, artwork: Points) -> Points:
        return self.surface.onto(np.column_stack([artwork[:, 0] * self._wide(artwork[:, 1]), artwork[:, 1]]))

    def off(self, places: Points) -> Points:
        u, v = self.surface.off(places).T
        return np.column_stack([u / self._wide(v), v])

    def _wide(self, v: Numbers) -> Numbers:
        share = np.clip(v / max(self.height, 1e-9) + 0.5, 0.0, 1.0)
        return self.top + (self.bottom - self.top) * share


@dataclass(frozen=True, eq=False)
class ToTheEye:
    """Seen from ``distance`` mm before the artwork's middle, at its level, the artwork looks as it is drawn; infinite
    for far away. The artwork stands upright where its middle touches the wall. Each of its places is brought along the
    line of sight to where that first meets the wall; one that passes by ends where it comes nearest to the axis."""

    wall: Wall
    level: float
    distance: float

    @property
    def eye(self) -> float:
        """mm from the axis."""
        return float(self.wall.radius_at(self.level)) + self.distance

    def onto(self, artwork: Points) -> Points:
        u, v = artwork.T
        if not math.isfinite(self.distance):
            height = self.level + v
            angle = np.arcsin(np.clip(u / self.wall.radius_at(height), -1.0, 1.0))
            return np.column_stack([angle, self.wall.slant_at(height)])
        t = self._met(u, v)
        height = self.level + t * v
        angle = np.arctan2(t * u, self.eye - t * self.distance)
        return np.column_stack([angle, self.wall.slant_at(height)])

    def _met(self, u: Numbers, v: Numbers) -> Numbers:
        """Where lines of sight first meet the wall, as shares of the way from the eye to the artwork: on a cone the
        smaller root of a quadratic, on a profile found by halving."""
        eye, far = self.eye, self.distance
        if self.wall.is_cone:
            lean = float(self.wall.slope_at(self.level))
            front = eye - far
            a, b, c = far**2 + u**2 - (lean * v) ** 2, eye * far + front * lean * v, eye**2 - front**2
            root = b**2 - a * c
            return np.where(root >= 0, c / (b + np.sqrt(np.maximum(root, 0.0))), eye * far / (far**2 + u**2))

        def outside(t: Numbers) -> Numbers:
            """By how much the square of the distance from the axis exceeds that of the wall."""
            radius = self.wall.radius_at(self.level + t * v)
            return (eye - t * far) ** 2 + (t * u) ** 2 - radius**2

        nearest = eye * far / (far**2 + u**2)
        first = (eye - self.wall.largest * 1.5) / far
        low = np.minimum(np.full_like(u, max(first, 0.0)), nearest)
        shares = np.linspace(0.0, 1.0, SAMPLES)[:, None]
        trial = low + shares * (nearest - low)
        met = outside(trial) <= 0
        k = np.argmax(met, 0)
        at = np.arange(len(u))
        found = met.any(0) & (k > 0)
        a = np.where(found, trial[np.maximum(k - 1, 0), at], nearest)
        b = np.where(found, trial[k, at], nearest)
        for _ in range(HALVINGS):
            middle = (a + b) / 2
            inside = outside(middle) <= 0
            a, b = np.where(inside, a, middle), np.where(inside, middle, b)
        return np.where(met.any(0) & (k == 0), low, (a + b) / 2)

    def off(self, places: Points) -> Points:
        angle, slant = places.T
        height = self.wall.height_along(slant)
        radius = self.wall.radius_along(slant)
        if not math.isfinite(self.distance):
            return np.column_stack([radius * np.sin(angle), height - self.level])
        share = self.distance / np.maximum(self.eye - radius * np.cos(angle), 1e-9)
        return np.column_stack([radius * np.sin(angle) * share, (height - self.level) * share])

    def passed_by(self, artwork: Points) -> NDArray[np.bool_]:
        """Of which places the line of sight does not meet the wall, (n,)."""
        angle, slant = self.onto(artwork).T
        back = self.off(np.column_stack([angle, slant]))
        return np.asarray(np.hypot(*(back - artwork).T) > 1e-3, bool)
