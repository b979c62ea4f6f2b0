"""Traced shapes as JSON: the size in mm and, for each shape, its fill, its SVG path data in mm and its nodes."""

from __future__ import annotations

import json

from nibble_core.graphics import Drawing, hex_colour


def write_drawing(drawing: Drawing) -> bytes:
    """UTF-8 JSON; numbers in mm with four decimals."""
    shapes = [
        {
            "fill": hex_colour(shape.colour),
            "path": shape.region.svg(4),
            "nodes": [[round(x, 4), round(y, 4)] for ring in shape.region.rings for x, y in ring.nodes.tolist()],
        }
        for shape in drawing.shapes
    ]
    whole = {
        "unit": "mm",
        "width": round(drawing.width, 4),
        "height": round(drawing.height, 4),
        "shapes": shapes,
    }
    return json.dumps(whole, indent=1).encode()
