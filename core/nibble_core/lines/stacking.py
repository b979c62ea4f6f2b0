"""Layers: the colours of a piece on stocks that lie on each other, with overlap and shared alignment marks."""

from __future__ import annotations

from collections.abc import Sequence

import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Box, Path, Point, Region
from nibble_core.graphics import colours_apart
from nibble_core.lines.offsetting import quarter_segments


def lower_layer(own: BaseGeometry, above: BaseGeometry, overlap: float) -> BaseGeometry:
    """The area of a layer, grown by ``overlap`` mm wherever the layers above cover what it grows into."""
    if overlap <= 0 or own.is_empty or above.is_empty:
        return own
    under = own.buffer(overlap, quad_segs=quarter_segments(overlap)).intersection(above)
    return shapely.union_all([own, under]).buffer(1e-4).buffer(-1e-4)  # no hair between the two


def alignment_marks(box: Box, size: float, gap: float) -> tuple[Region, ...]:
    """Three triangles outside the corners of a box, the same in all layers; the top right corner stays free, so that a
    layer cannot be laid the wrong way round."""
    marks = []
    for x, y in ((box.left - gap - size / 2, box.top - gap - size / 2),
                 (box.left - gap - size / 2, box.bottom + gap + size / 2),
                 (box.right + gap + size / 2, box.bottom + gap + size / 2)):  # fmt: skip
        half = size / 2
        marks.append(Region(Path.polygon([Point(x, y - half), Point(x + half, y + half), Point(x - half, y + half)])))
    return tuple(marks)


def of_colours(
    painted: Sequence[tuple[tuple[int, int, int], BaseGeometry]],
    colours: Sequence[tuple[int, int, int]],
    near: int = 60,
) -> BaseGeometry:
    """What is seen of the shapes of these colours: each without what is painted over it."""
    seen: list[BaseGeometry] = []
    above: BaseGeometry = shapely.Polygon()
    for colour, area in reversed(painted):
        if any(colours_apart(colour, one) <= near for one in colours):
            seen.append(area.difference(above))
        above = above.union(area)
    return shapely.union_all(seen)
