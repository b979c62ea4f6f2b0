"""A drawing to pixels, for looking at it and for printing it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Affine
from nibble_core.geometry.regions import oriented_rings
from nibble_core.graphics.coverage import covered
from nibble_core.graphics.drawing import Drawing, Shape, Stroke
from nibble_core.graphics.raster import Raster
from nibble_core.graphics.stroking import covered_by


def rendered(drawing: Drawing, width_px: int) -> Raster:
    """The drawing on clear ground, ``width_px`` wide; each pixel's cover is exact."""
    scale = width_px / drawing.width
    height_px = max(1, round(drawing.height * scale))
    canvas = np.zeros((height_px, width_px, 4), np.float32)  # premultiplied
    for shape in drawing.shapes:
        for rings in _outlines(shape, scale):
            _paint(canvas, rings, shape.colour, shape.opacity)
    alpha = canvas[..., 3:]
    colour = canvas[..., :3] / np.maximum(alpha, 1e-6)
    return Raster(np.rint(np.concatenate([np.clip(colour, 0, 255), 255 * np.clip(alpha, 0, 1)], 2)).astype(np.uint8))


def _outlines(shape: Shape | Stroke, scale: float) -> list[list[NDArray[np.float64]]]:
    """Rings in pixels, grouped by area: the outer ring and holes wound against it."""
    if isinstance(shape, Shape):
        region = shape.region.mapped(Affine.scale(scale))
        return [[ring.flattened(0.02) for ring in region.rings]]
    drawn = Stroke(
        shape.path.mapped(Affine.scale(scale)), max(shape.width * scale, 1.0), cap=shape.cap, join=shape.join,
        mitre_limit=shape.mitre_limit, dashes=tuple(d * scale for d in shape.dashes), phase=shape.phase * scale,
    )  # fmt: skip
    return [[outer, *holes] for outer, holes in map(oriented_rings, covered_by(drawn))]


def _paint(
    canvas: NDArray[np.float32], rings: list[NDArray[np.float64]], colour: tuple[int, int, int], opacity: float
) -> None:
    height, width = canvas.shape[:2]
    low = np.floor(np.min([ring.min(0) for ring in rings], 0)).astype(int)
    high = np.ceil(np.max([ring.max(0) for ring in rings], 0)).astype(int) + 1
    left, top = max(0, int(low[0])), max(0, int(low[1]))
    right, bottom = min(width, int(high[0])), min(height, int(high[1]))
    if left >= right or top >= bottom:
        return
    inside = covered([ring - [left, top] for ring in rings], right - left, bottom - top)
    cover = (inside * opacity).astype(np.float32)[..., None]
    part = canvas[top:bottom, left:right]
    part *= 1 - cover
    part += cover * np.array([*colour, 1.0], np.float32)
