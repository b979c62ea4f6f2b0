"""What a beam engraves of a sheet as one grey PNG, for machines that take pictures: black where it burns fully, white
where it burns nothing. Its pixels are as small as the finest engraved picture's, a tenth of a millimetre where there
are areas only; its resolution is stated."""

from __future__ import annotations

import io
import math

import cv2
import numpy as np
from PIL import Image

from nibble_core.errors import CannotMake
from nibble_core.geometry import Affine
from nibble_core.geometry.units import MM_PER_INCH
from nibble_core.graphics import Engraving, Page
from nibble_core.graphics.raster import between_middles

PITCH = 0.1  # mm
MOST_PIXELS = 120_000_000
SHIFT = 4


def write_page(page: Page) -> bytes:
    """The engravings of a page. Raises CannotMake where nothing is engraved."""
    if not page.engravings:
        raise CannotMake("Nothing on this sheet is engraved as an area.", "Fill an area, or leave this file out.")
    pitch = min([one.pitch for one in page.engravings if one.levels is not None], default=PITCH)
    pitch = max(pitch, math.sqrt(page.width * page.height / MOST_PIXELS))
    w, h = max(1, round(page.width / pitch)), max(1, round(page.height / pitch))
    canvas = np.zeros((h, w), np.uint8)
    for one in page.engravings:
        for placement in one.placements:
            _burn(canvas, one, placement.then(Affine.scale(1 / pitch)))
    out = io.BytesIO()
    ppi = MM_PER_INCH / pitch
    Image.fromarray(255 - canvas).save(out, "PNG", dpi=(ppi, ppi), compress_level=3)
    return out.getvalue()


def _burn(canvas: np.ndarray, one: Engraving, to_pixels: Affine) -> None:
    h, w = canvas.shape
    if one.levels is None:
        own = np.zeros_like(canvas)
        rings = [
            np.rint((p - 0.5) * (1 << SHIFT)).astype(np.int32) for p in one.paths.mapped(to_pixels).arrays_of_points()
        ]
        cv2.fillPoly(own, rings, 255, cv2.LINE_8, SHIFT)
        np.maximum(canvas, own, out=canvas)
        return
    at = Affine.scale(one.pitch).then(Affine.translation(one.left, one.top)).then(to_pixels)
    moved = cv2.warpAffine(one.levels, between_middles(at), (w, h), flags=cv2.INTER_NEAREST)
    np.maximum(canvas, moved, out=canvas)
