"""DXF in millimetres: outlines as polylines of lines and arcs, and as splines where they are curved more freely."""

from __future__ import annotations

import io
import re
from typing import TYPE_CHECKING

from nibble_core.geometry import CUBIC, Affine, Bundle
from nibble_core.geometry.arcing import bulges, single_arcs
from nibble_core.geometry.splines import controls_of, knots_of
from nibble_core.graphics import Colour, Drawing, Shape, hex_colour

if TYPE_CHECKING:
    from ezdxf.document import Drawing as Document


def write_drawing(drawing: Drawing) -> bytes:
    """Every ring closed, open strokes open, on a layer a colour; true size, y upward."""
    document = in_mm(drawing.width, drawing.height)
    space = document.modelspace()
    for shape in drawing.shapes:
        layer = re.sub(r"[^\w .#-]", "_", shape.layer or shape.spot or hex_colour(shape.colour))[:60]
        if layer not in document.layers:
            document.layers.add(layer, true_color=number_of(shape.colour))
        for path in shape.region.rings if isinstance(shape, Shape) else (shape.path,):
            (own,) = single_arcs(Bundle.of([path]))
            if (own.kinds == CUBIC).any():
                controls = controls_of(own.mapped(Affine(d=-1.0, f=drawing.height)))
                curve = space.add_spline(dxfattribs={"layer": layer, "degree": 3})
                curve.control_points = [(x, y, 0.0) for x, y in controls.tolist()]
                curve.knots, curve.closed = knots_of(controls).tolist(), path.closed
                continue
            points = [(x, drawing.height - y, -bulge) for x, y, bulge in bulges(own)]
            space.add_lwpolyline(points, format="xyb", close=path.closed, dxfattribs={"layer": layer})
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue().encode("cp1252", "replace")


def in_mm(width: float, height: float) -> Document:
    """An empty drawing in millimetres, with its limits stated."""
    from ezdxf import options, units  # type: ignore[attr-defined]
    from ezdxf.filemanagement import new

    options.write_fixed_meta_data_for_testing = True  # no time, no number by lot: a job made again has the same bytes
    document = new("R2000", setup=False)
    document.units = units.MM
    document.header["$MEASUREMENT"] = 1
    document.modelspace().reset_limits((0, 0), (width, height))
    return document


def number_of(colour: Colour) -> int:
    """A true colour as DXF tells it (group 420)."""
    red, green, blue = colour
    return red << 16 | green << 8 | blue
