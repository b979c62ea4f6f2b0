"""A trace as a drawing of its own, for the files that a station offers."""

from __future__ import annotations

from collections.abc import Callable

from nibble_core.formats import dxf, pdf, shapes_json, svg
from nibble_core.graphics import Drawing, Shape, Stroke
from nibble_core.graphics.stroking import outlined
from nibble_core.pipeline.trace import TraceResult

WRITERS: dict[str, Callable[[Drawing], bytes]] = {
    "svg": svg.write_drawing,
    "pdf": pdf.write_drawing,
    "dxf": dxf.write_drawing,
    "json": shapes_json.write_drawing,
}
SEAM_PX = 1000.0  # a seam is covered as widely as this many go across the picture


def traced_drawing(result: TraceResult) -> Drawing:
    """The kept shapes at the finished size, with what hides the seams between areas that touch."""
    kept = [traced for traced in result.shapes if not traced.dropped]
    colour_of = {
        one.source: (index, one.shape.colour) for index, one in enumerate(kept) if isinstance(one.shape, Shape)
    }
    under = []
    for path, one, other in result.seams:
        if one in colour_of and other in colour_of:  # the seam shows the area that is painted first
            colour = min(colour_of[one], colour_of[other])[1]
            under.append(Stroke(path, result.width / SEAM_PX, colour))
    return Drawing(result.width, result.height, tuple(one.shape for one in kept), tuple(under))


def with_outlined_strokes(drawing: Drawing) -> Drawing:
    """Strokes with a width as the areas they cover; bare lines stay."""
    shapes = [
        part
        for shape in drawing.shapes
        for part in (outlined(shape) if isinstance(shape, Stroke) and shape.width > 0 else [shape])
    ]
    return Drawing(drawing.width, drawing.height, tuple(shapes), drawing.under)
