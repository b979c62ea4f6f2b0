"""DXF in millimetres: outlines as polylines of lines and arcs, which every cutter's software reads."""

from __future__ import annotations

import io
import math
import re

import ezdxf.colors
import numpy as np
from ezdxf import units
from ezdxf.document import Drawing as Document
from ezdxf.filemanagement import new

from nibble_core.geometry import ARC, CUBIC, Path
from nibble_core.geometry.fitting import densified
from nibble_core.geometry.kernels import furthest
from nibble_core.graphics import Drawing, Shape, hex_colour

ARC_TOLERANCE = 0.005
"""mm: a cubic becomes arcs within this."""


def write_drawing(drawing: Drawing) -> bytes:
    """Closed polylines of every ring, open ones of open strokes, on a layer a colour; true size, y upward."""
    document = in_mm(drawing.width, drawing.height)
    space = document.modelspace()
    for shape in drawing.shapes:
        layer = re.sub(r"[^\w .#-]", "_", shape.layer or shape.spot or hex_colour(shape.colour))[:60]
        if layer not in document.layers:
            document.layers.add(layer, true_color=ezdxf.colors.rgb2int(shape.colour))
        for path in shape.region.rings if isinstance(shape, Shape) else (shape.path,):
            points = [(x, drawing.height - y, -bulge) for x, y, bulge in bulges(path)]
            space.add_lwpolyline(points, format="xyb", close=path.closed, dxfattribs={"layer": layer})
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue().encode("cp1252", "replace")


def in_mm(width: float, height: float) -> Document:
    """An empty drawing in millimetres, with its limits stated."""
    document = new("R2000", setup=False)
    document.units = units.MM
    document.header["$MEASUREMENT"] = 1
    document.modelspace().reset_limits((0, 0), (width, height))
    return document


def bulges(path: Path) -> list[tuple[float, float, float]]:
    """Vertices x, y and the bulge of the segment that follows each (tangent of a quarter of its sweep)."""
    points: list[tuple[float, float, float]] = []
    for kind, row in zip(path.kinds, path.rows, strict=True):
        if kind == ARC:
            pieces = 2 if abs(row[4]) > math.pi else 1  # a bulge beyond a half turn loses its digits
            spoke, step = row[:2] - row[2:4], row[4] / pieces
            for k in range(pieces):
                c, s = math.cos(k * step), math.sin(k * step)
                x, y = row[2] + spoke[0] * c - spoke[1] * s, row[3] + spoke[0] * s + spoke[1] * c
                points.append((float(x), float(y), math.tan(step / 4)))
        elif kind == CUBIC:
            points += _arcs_of_cubic(row)
        else:
            points.append((float(row[0]), float(row[1]), 0.0))
    if not path.closed:
        points.append((float(path.rows[-1, 6]), float(path.rows[-1, 7]), 0.0))
    return points


def _arcs_of_cubic(row: np.ndarray) -> list[tuple[float, float, float]]:
    dense = Path(np.array([CUBIC], np.uint8), row[None].copy(), closed=False).flattened(ARC_TOLERANCE / 8)
    samples = densified(dense, max(0.02, float(np.hypot(*(row[6:] - row[:2]))) / 40))
    points: list[tuple[float, float, float]] = []
    at, last, arc = 0, len(samples) - 1, np.empty(8)
    while at < last:
        by_line = furthest(samples, at, ARC_TOLERANCE / 2, False, arc)
        by_arc = furthest(samples, at, 0.8 * ARC_TOLERANCE, True, arc)
        curved = by_arc > by_line and by_arc - at > 3
        points.append((float(samples[at, 0]), float(samples[at, 1]), math.tan(arc[4] / 4) if curved else 0.0))
        at = by_arc if curved else by_line
    return points
