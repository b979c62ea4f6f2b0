"""The wall laid out: as a label lies flat, or as a machine that turns the thing sees it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from nibble_core.errors import CannotMake
from nibble_core.geometry import Affine, Points
from nibble_core.wrap.wall import Wall


class Chart(Protocol):
    """Between places on the wall (n, 2), angle and slant, and a plane (n, 2), mm, y down."""

    @property
    def wall(self) -> Wall: ...

    def lay(self, places: Points) -> Points: ...

    def lift(self, plane: Points) -> Points: ...

    def turned(self, angle: float) -> Affine:
        """What a turn of the thing, radians, is in the plane."""
        ...


@dataclass(frozen=True, eq=False)
class Label:
    """A label for a straight or tapered wall: flat, with all its lengths. On a cone it is part of a ring whose radii
    are the distances to the apex, and whose angle is that round the axis times the slope (the development of a cone).
    Angle 0 runs straight down from 0, 0 at the rim."""

    wall: Wall

    def __post_init__(self) -> None:
        if not self.wall.is_cone:
            raise CannotMake(
                "A label cannot lie on a wall that bulges: it would crease.",
                "Engrave it, or give the thing as straight or tapered between the heights that the label covers.",
            )

    def lay(self, places: Points) -> Points:
        angle, slant = places.T
        radius, slope = self.wall.radius_along(slant), self.wall.slope
        if abs(slope) < 1e-9:
            return np.column_stack([radius * angle, slant])
        apex = radius / slope  # how far, along the wall; below nothing where it lies beneath
        # 1 - cos as a square keeps its digits on walls that hardly taper
        return np.column_stack([apex * np.sin(slope * angle), slant - 2 * apex * np.sin(slope * angle / 2) ** 2])

    def lift(self, plane: Points) -> Points:
        x, y = plane.T
        slope, rim = self.wall.slope, float(self.wall.radii[0])
        if abs(slope) < 1e-9:
            return np.column_stack([x / rim, y])
        side = 1.0 if slope > 0 else -1.0
        down = y + rim / slope
        return np.column_stack([np.arctan2(side * x, side * down) / slope, side * np.hypot(x, down) - rim / slope])

    def turned(self, angle: float) -> Affine:
        slope, rim = self.wall.slope, float(self.wall.radii[0])
        if abs(slope) < 1e-9:
            return Affine.translation(rim * angle, 0.0)
        apex = -rim / slope
        c, s = float(np.cos(slope * angle)), float(np.sin(slope * angle))
        # to the right along the label, whichever end the apex lies at
        turn = Affine(c, -s, s, c, 0, 0)
        return Affine.translation(0, -apex).then(turn).then(Affine.translation(0, apex))


@dataclass(frozen=True, eq=False)
class Turning:
    """As a machine sees a thing that it turns: across, the turn, mm at a ring of ``radius``; down, the way from the rim
    along the wall where that is levelled, else along the axis."""

    wall: Wall
    radius: float
    levelled: bool = True

    def lay(self, places: Points) -> Points:
        angle, slant = places.T
        return np.column_stack([self.radius * angle, slant if self.levelled else self.wall.height_along(slant)])

    def lift(self, plane: Points) -> Points:
        x, y = plane.T
        return np.column_stack([x / self.radius, y if self.levelled else self.wall.slant_at(y)])

    def turned(self, angle: float) -> Affine:
        return Affine.translation(self.radius * angle, 0.0)
