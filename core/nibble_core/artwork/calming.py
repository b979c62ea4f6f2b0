"""Taking JPEG noise out of flat areas while edges and corners stay where they are."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from nibble_core.graphics import Raster

EDGE = 40  # levels within a 3 x 3 neighbourhood: more is an edge, which nothing may touch
LEVELS = {"light": (10.0, 1), "strong": (20.0, 2)}


def calmed(raster: Raster, strength: str) -> Raster:
    """``strength``: “light” or “strong”; anything else leaves the picture as it is.

    The ripples a JPEG leaves beside edges are small and lie off the edge itself. Pixels on an edge keep their values,
    so the iso-line stays; the others are averaged with those near them that are alike.
    """
    if strength not in LEVELS:
        return raster
    alike, rounds = LEVELS[strength]
    colours = np.ascontiguousarray(raster.pixels[..., :3])
    span = cv2.morphologyEx(colours, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)).max(2)
    edge = cv2.dilate((span > EDGE).astype(np.uint8), np.ones((2, 2), np.uint8)) > 0
    smooth: Any = colours
    for _ in range(rounds):
        smooth = cv2.bilateralFilter(smooth, 7, 2 * alike, 3.0)
    pixels = raster.pixels.copy()
    pixels[~edge, :3] = smooth[~edge]
    return Raster(pixels)
