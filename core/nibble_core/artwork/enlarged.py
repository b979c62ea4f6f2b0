"""Pictures that were enlarged without smoothing: each of their true pixels is a square of equal ones."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.graphics import Raster

LARGEST = 16  # times enlarged
LINES_LOOKED_AT = 600
CONCENTRATED = 0.75  # share of all change from pixel to pixel that lies between squares; losses in saving blur it
CONCENTRATED_BY_TWO = 0.9  # the same of squares of two pixels, between which half of any change lies by chance
FEWEST_LINES = 12  # between squares where something changes; fewer are the edges of a plain drawing
BUSY = 0.15  # share of neighbouring squares that differ, from which they are meant: a code or pixel art
DIFFERENT = 64  # levels


def square_size(raster: Raster) -> int:
    """Side in px of the squares a picture consists of; 1 when it has none, or when they are meant."""
    some_rows = _grey(raster.pixels[:: max(1, raster.height // LINES_LOOKED_AT)])
    some_columns = _grey(raster.pixels[:, :: max(1, raster.width // LINES_LOOKED_AT)])
    across = np.abs(np.diff(some_rows, axis=1)).sum(0, dtype=np.int64)
    down = np.abs(np.diff(some_columns, axis=0)).sum(1, dtype=np.int64)
    for size in range(LARGEST, 1, -1):
        if raster.width % size or raster.height % size or min(raster.width, raster.height) < 8 * size:
            continue
        if _between_squares(across, size) and _between_squares(down, size):
            squares = _grey(raster.pixels[size // 2 :: size, size // 2 :: size])
            busy = max(float((np.abs(np.diff(squares, axis=axis)) > DIFFERENT).mean()) for axis in (0, 1))
            return size if busy < BUSY else 1
    return 1


def _grey(pixels: NDArray[np.uint8]) -> NDArray[np.int16]:
    shown = Raster(np.ascontiguousarray(pixels)).over_white()
    return cv2.cvtColor(np.ascontiguousarray(shown), cv2.COLOR_RGB2GRAY).astype(np.int16)


def _between_squares(change: NDArray[np.int64], size: int) -> bool:
    """Whether what changes from one line of pixels to the next does so between squares. ``change``: (n - 1,)."""
    between = change[size - 1 :: size]
    lines = int((between > 0.002 * max(int(between.max()), 1)).sum())
    share = CONCENTRATED if size > 2 else CONCENTRATED_BY_TWO
    return lines >= FEWEST_LINES and float(between.sum()) >= share * float(change.sum())


def single_pixels(raster: Raster, size: int) -> Raster:
    """Each square as one pixel of its mean colour; the picture itself where squares are of one pixel."""
    return raster if size == 1 else raster.reduced(raster.width // size, raster.height // size)
