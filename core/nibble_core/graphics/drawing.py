"""What is drawn: shapes in painting order, gathered in a drawing of known size.

A shape is a region with a fill, or a stroke: a path with a width.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from nibble_core.geometry import Affine, Box, Path, Region

Colour = tuple[int, int, int]
"""Red, green, blue, 0 to 255."""

HAIRLINE = 0.0
"""Width of a stroke that is a line only: what a machine follows, drawn as thin as can be."""


@dataclass(frozen=True, eq=False)
class Shape:
    """A region and its fill. layer and spot: the client's names for where it lies and its ink, if any."""

    region: Region
    colour: Colour = (0, 0, 0)
    layer: str = ""
    spot: str = ""
    opacity: float = 1.0

    @property
    def nodes(self) -> int:
        return self.region.node_count

    def bounds(self) -> Box:
        return self.region.bounds()

    def mapped(self, affine: Affine) -> Shape:
        return replace(self, region=self.region.mapped(affine))

    def svg(self, decimals: int = 3) -> str:
        """Path data."""
        return self.region.svg(decimals)


@dataclass(frozen=True, eq=False)
class Stroke:
    """A path with a width in mm, HAIRLINE for a bare line. cap: butt, round or square; join: miter, round or bevel."""

    path: Path
    width: float = HAIRLINE
    colour: Colour = (0, 0, 0)
    layer: str = ""
    spot: str = ""
    opacity: float = 1.0
    cap: str = "butt"
    join: str = "miter"
    mitre_limit: float = 4.0
    dashes: tuple[float, ...] = ()
    phase: float = 0.0

    @property
    def nodes(self) -> int:
        return len(self.path) + (0 if self.path.closed else 1)

    def bounds(self) -> Box:
        """Of the path and half its width round it."""
        return self.path.bounds().grown(self.width / 2)

    def mapped(self, affine: Affine) -> Stroke:
        scale = math.sqrt(abs(affine.determinant))
        return replace(
            self,
            path=self.path.mapped(affine),
            width=self.width * scale,
            dashes=tuple(d * scale for d in self.dashes),
            phase=self.phase * scale,
        )

    def svg(self, decimals: int = 3) -> str:
        """Path data of the middle."""
        return self.path.svg(decimals)


Drawn = Shape | Stroke


@dataclass(frozen=True, eq=False)
class Drawing:
    """Shapes within a box of width by height mm, origin at its top left, first painted first."""

    width: float
    height: float
    shapes: tuple[Drawn, ...]

    def mapped(self, scale: float) -> Drawing:
        """The same, larger or smaller."""
        affine = Affine.scale(scale)
        shapes = tuple(shape.mapped(affine) for shape in self.shapes)
        return Drawing(self.width * scale, self.height * scale, shapes)


def colours_apart(one: Colour, other: Colour) -> int:
    """The largest difference of a channel, levels."""
    return max(abs(a - b) for a, b in zip(one, other, strict=True))


def hex_colour(colour: Colour) -> str:
    return "#{:02x}{:02x}{:02x}".format(*colour)
