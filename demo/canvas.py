"""A small drawing surface: shapes in a square of 100 units, drawn large and reduced, so that edges are soft."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PIL import Image, ImageDraw
from shapely import LinearRing, LineString

from nibble_core.geometry.regions import polygons

OVER = 4  # drawn so many times larger than asked for
Place = tuple[float, float]


class Canvas:
    """Draws in units of a 100-wide picture; ``picture`` gives it at its real size."""

    def __init__(self, width_px: int, height_units: float = 100.0, ground: str | None = None) -> None:
        self._scale = width_px * OVER / 100
        self._size = (width_px, round(width_px * height_units / 100))
        big = (self._size[0] * OVER, self._size[1] * OVER)
        self._image = Image.new("RGBA", big, ground or (255, 255, 255, 0))
        self._draw = ImageDraw.Draw(self._image)

    def polygon(self, places: Sequence[Place], fill: str) -> None:
        self._draw.polygon([self._at(p) for p in places], fill=fill)

    def disc(self, x: float, y: float, rx: float, ry: float | None = None, *, fill: str, turn: float = 0.0) -> None:
        ry = rx if ry is None else ry
        c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
        angles = np.linspace(0, 2 * math.pi, 180, endpoint=False)
        self.polygon(
            [
                (x + rx * math.cos(a) * c - ry * math.sin(a) * s, y + rx * math.cos(a) * s + ry * math.sin(a) * c)
                for a in angles
            ],
            fill,
        )

    def stroke(self, places: Sequence[Place], width: float, fill: str, *, closed: bool = False) -> None:
        """A line of round joints and ends."""
        line = LinearRing(places) if closed else LineString(places)
        for part in polygons(line.buffer(width / 2, quad_segs=32)):
            if not part.interiors:
                self.polygon(list(part.exterior.coords), fill)
                continue
            # the surface draws no holes: a ring goes through a mask
            mask = Image.new("L", self._image.size, 0)
            pen = ImageDraw.Draw(mask)
            pen.polygon([self._at(p) for p in part.exterior.coords], fill=255)
            for hole in part.interiors:
                pen.polygon([self._at(p) for p in hole.coords], fill=0)
            self._image.paste(fill, mask=mask)

    def picture(self) -> Image.Image:
        """The drawing, reduced; colours are averaged premultiplied so that clear parts leave no fringe."""
        return self._image.convert("RGBa").resize(self._size, Image.Resampling.BOX).convert("RGBA")

    def _at(self, place: Place) -> Place:
        return place[0] * self._scale, place[1] * self._scale


def curve(start: Place, one: Place, two: Place, end: Place, count: int = 40) -> list[Place]:
    """Places along a cubic."""
    t = np.linspace(0, 1, count)[:, None]
    u = 1 - t
    points = (
        u**3 * np.array(start) + 3 * u * u * t * np.array(one) + 3 * u * t * t * np.array(two) + t**3 * np.array(end)
    )
    return [(float(x), float(y)) for x, y in points]
