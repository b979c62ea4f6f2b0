"""A trace as a drawing of its own, for the files that a station offers: shapes only."""

from __future__ import annotations

from dataclasses import replace

import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons, union
from nibble_core.graphics import Drawing, Drawn, Shape, Stroke
from nibble_core.graphics.stroking import outlined
from nibble_core.lines.stacking import lower_layer
from nibble_core.pipeline.trace import TraceResult


def traced_drawing(result: TraceResult, overlap: float = 0.0) -> Drawing:
    """The kept shapes at the finished size; lower colours reach ``overlap`` mm under the shapes above them."""
    return with_overlap(Drawing(result.width, result.height, tuple(result.kept)), overlap)


def with_overlap(drawing: Drawing, overlap: float) -> Drawing:
    """Each shape grown by ``overlap`` mm wherever shapes painted over it cover what it grows into."""
    if overlap <= 0:
        return drawing
    above: BaseGeometry = shapely.Polygon()
    made: list[Drawn] = []
    for shape in reversed(drawing.shapes):
        if not isinstance(shape, Shape):
            made.append(shape)
            continue
        own = union([shape.region])
        grown = lower_layer(own, above, overlap)
        if grown is own:
            made.append(shape)
        else:
            made += [replace(shape, region=refit_polygon(part)) for part in polygons(grown)]
        above = above.union(own)
    return Drawing(drawing.width, drawing.height, tuple(reversed(made)))


def with_outlined_strokes(drawing: Drawing) -> Drawing:
    """Strokes with a width as the areas they cover; bare lines stay."""
    shapes = [
        part
        for shape in drawing.shapes
        for part in (outlined(shape) if isinstance(shape, Stroke) and shape.width > 0 else [shape])
    ]
    return Drawing(drawing.width, drawing.height, tuple(shapes))
