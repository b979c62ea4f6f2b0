"""What is drawn: shapes with a colour, gathered in a drawing of known size."""

from __future__ import annotations

from dataclasses import dataclass

from nibble_core.geometry import Affine, Region

Colour = tuple[int, int, int]
"""Red, green, blue, 0 to 255."""


@dataclass(frozen=True, eq=False)
class Shape:
    """A region and its fill."""

    region: Region
    colour: Colour = (0, 0, 0)

    def mapped(self, affine: Affine) -> Shape:
        return Shape(self.region.mapped(affine), self.colour)


@dataclass(frozen=True, eq=False)
class Drawing:
    """Shapes within a box of width by height mm, origin at its top left."""

    width: float
    height: float
    shapes: tuple[Shape, ...]


def hex_colour(colour: Colour) -> str:
    return "#{:02x}{:02x}{:02x}".format(*colour)
