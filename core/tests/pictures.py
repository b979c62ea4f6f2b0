"""Pictures whose true outlines are known: drawn by exact coverage of sub-samples."""

import io

import numpy as np
from PIL import Image

from nibble_core.graphics import Raster

SUB = 8


def coverage(inside, width: int, height: int | None = None) -> np.ndarray:
    """Share of each pixel for which ``inside(x, y)`` holds, from 8 x 8 samples; float32 (rows, columns)."""
    height = height or width
    y, x = np.mgrid[0 : height * SUB, 0 : width * SUB]
    hit = inside((x + 0.5) / SUB, (y + 0.5) / SUB).astype(np.float32)
    return hit.reshape(height, SUB, width, SUB).mean((1, 3))


def grey_raster(ink: np.ndarray) -> Raster:
    """Black ink of the given coverage on white paper."""
    level = np.rint(255 * (1 - ink)).astype(np.uint8)
    return Raster(np.dstack([level, level, level, np.full_like(level, 255)]))


def disc(cx: float, cy: float, r: float):
    return lambda x, y: (x - cx) ** 2 + (y - cy) ** 2 < r * r


def box(left: float, top: float, right: float, bottom: float):
    return lambda x, y: (x > left) & (x < right) & (y > top) & (y < bottom)


def encoded(image: Image.Image, kind: str, **options) -> bytes:
    stream = io.BytesIO()
    image.save(stream, kind, **options)
    return stream.getvalue()


def badge_png(size: int = 120) -> bytes:
    """A disc with a hole and a separate bar, black on white."""
    ink = coverage(disc(50, 50, 36), size) - coverage(disc(50, 50, 14), size) + coverage(box(96, 20, 108, 100), size)
    return encoded(Image.fromarray(grey_raster(np.clip(ink, 0, 1)).pixels).convert("RGB"), "PNG")
