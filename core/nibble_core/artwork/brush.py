"""Strokes of a brush or lasso over a picture: rubbing out, bringing back."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Points
from nibble_core.geometry.regions import oriented_rings, polygons
from nibble_core.graphics import Raster
from nibble_core.graphics.coverage import covered


@dataclass(frozen=True, eq=False)
class Stroke:
    """points: (n, 2) as fractions of the picture; width: as a fraction of its width."""

    points: Points
    width: float


def brushed(shape: tuple[int, int], stroke: Stroke) -> NDArray[np.uint8]:
    """What a brush covers, 0 to 255, with soft rims: shape (rows, columns)."""
    if not len(stroke.points):
        return np.zeros(shape, np.uint8)
    places = stroke.points * [shape[1], shape[0]]
    line = shapely.Point(places[0]) if len(places) == 1 else shapely.LineString(places)
    return _mask(shape, line.buffer(max(stroke.width * shape[1] / 2, 0.5)))


def lassoed(shape: tuple[int, int], stroke: Stroke) -> NDArray[np.uint8]:
    """What a loop encloses, 0 to 255: shape (rows, columns)."""
    if len(stroke.points) < 3:
        return np.zeros(shape, np.uint8)
    return _mask(shape, shapely.make_valid(shapely.Polygon(stroke.points * [shape[1], shape[0]])))


def _mask(shape: tuple[int, int], area: BaseGeometry) -> NDArray[np.uint8]:
    rings = [ring for part in polygons(area) for outer, holes in [oriented_rings(part)] for ring in (outer, *holes)]
    return np.rint(255 * covered(rings, shape[1], shape[0])).astype(np.uint8)


def rubbed_out(raster: Raster, mask: NDArray[np.uint8]) -> Raster:
    """Clear where the mask is, softly at its rim."""
    pixels = raster.pixels.copy()
    pixels[..., 3] = np.minimum(pixels[..., 3], 255 - mask)
    return Raster(pixels)


def brought_back(raster: Raster, original: Raster, mask: NDArray[np.uint8]) -> Raster:
    """The original where the mask is: colours at once, its alpha as far as the mask covers."""
    pixels = raster.pixels.copy()
    reached = mask > 0
    pixels[reached, :3] = original.pixels[reached, :3]
    alpha = pixels[..., 3].astype(np.float32)
    pixels[..., 3] = np.rint(alpha + (original.alpha - alpha) * (mask / np.float32(255))).astype(np.uint8)
    return Raster(pixels)


def without_specks(raster: Raster, smallest: float) -> Raster:
    """Without islands whose box is under ``smallest`` px either way."""
    solid = (raster.alpha >= 128).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(solid, connectivity=8)
    small = np.maximum(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT]) < smallest
    small[0] = False
    if not small.any():
        return raster
    gone = cv2.dilate(small[labels].astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    pixels = raster.pixels.copy()
    pixels[..., 3] = np.where(gone & ~((solid > 0) & ~small[labels]), 0, pixels[..., 3])
    return Raster(pixels)
