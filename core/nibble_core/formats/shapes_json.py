"""Shapes as JSON: the size in mm and, for each shape, its colour, its SVG path data in mm and its nodes.

Regions have a "fill"; strokes have a "stroke" and a "width" in mm, 0 for a bare line.
"""

from __future__ import annotations

import json
from typing import Any

from nibble_core.graphics import Drawing, Drawn, Shape, hex_colour


def write_drawing(drawing: Drawing) -> bytes:
    """UTF-8 JSON; numbers in mm with four decimals."""
    whole = {
        "unit": "mm",
        "width": round(drawing.width, 4),
        "height": round(drawing.height, 4),
        "shapes": [_plain(shape) for shape in drawing.shapes],
    }
    return json.dumps(whole, indent=1).encode()


def _plain(shape: Drawn) -> dict[str, Any]:
    region = isinstance(shape, Shape)
    paths = shape.region.rings if isinstance(shape, Shape) else (shape.path,)
    colour = hex_colour(shape.colour)
    said: dict[str, Any] = {"fill": colour} if region else {"stroke": colour, "width": round(shape.width, 4)}  # type: ignore[union-attr]
    said |= {
        "path": shape.svg(4),
        "nodes": [[round(x, 4), round(y, 4)] for path in paths for x, y in path.nodes.tolist()],
    }
    for name, value in (("layer", shape.layer), ("spot", shape.spot)):
        if value:
            said[name] = value
    return said
