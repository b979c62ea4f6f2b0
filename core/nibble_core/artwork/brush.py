"""Strokes of a brush or lasso over a picture: rubbing out, bringing back."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Points
from nibble_core.graphics import Raster

_FRACTION = 4


@dataclass(frozen=True, eq=False)
class Stroke:
    """points: (n, 2) as fractions of the picture; width: as a fraction of its width."""

    points: Points
    width: float


def brushed(shape: tuple[int, int], stroke: Stroke) -> NDArray[np.uint8]:
    """What a brush covers, 0 to 255, with soft rims: shape (rows, columns)."""
    rows, columns = shape
    mask = np.zeros(shape, np.uint8)
    if not len(stroke.points):
        return mask
    places = _pixels(stroke.points, rows, columns)
    width = max(1, round(stroke.width * columns))
    if len(places) == 1:
        centre = (int(places[0, 0]), int(places[0, 1]))
        radius = round(stroke.width * columns / 2 * (1 << _FRACTION))
        cv2.circle(mask, centre, max(radius, 1), 255, -1, cv2.LINE_AA, _FRACTION)
    else:
        cv2.polylines(mask, [places.reshape(-1, 1, 2)], False, 255, width, cv2.LINE_AA, _FRACTION)
    return mask


def lassoed(shape: tuple[int, int], stroke: Stroke) -> NDArray[np.uint8]:
    """What a loop encloses, 0 to 255: shape (rows, columns)."""
    mask = np.zeros(shape, np.uint8)
    if len(stroke.points) >= 3:
        cv2.fillPoly(mask, [_pixels(stroke.points, *shape).reshape(-1, 1, 2)], 255, cv2.LINE_AA, _FRACTION)
    return mask


def rubbed_out(raster: Raster, mask: NDArray[np.uint8]) -> Raster:
    """Clear where the mask is, softly at its rim."""
    pixels = raster.pixels.copy()
    pixels[..., 3] = np.minimum(pixels[..., 3], 255 - mask)
    return Raster(pixels)


def brought_back(raster: Raster, original: Raster, mask: NDArray[np.uint8]) -> Raster:
    """The original where the mask is: colours at once, its alpha as far as the mask covers."""
    pixels = raster.pixels.copy()
    covered = mask > 0
    pixels[covered, :3] = original.pixels[covered, :3]
    back = np.minimum(original.alpha, mask)
    pixels[..., 3] = np.where(covered, np.maximum(pixels[..., 3], back), pixels[..., 3])
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


def _pixels(fractions: Points, rows: int, columns: int) -> NDArray[np.int32]:
    places = (fractions * [columns, rows] - 0.5) * (1 << _FRACTION)
    return np.clip(np.rint(places), -(2**24), 2**24).astype(np.int32)
