"""Pictures made of pixels."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Affine

Pixels = NDArray[np.uint8]
Grey = NDArray[np.float32]
BAND = 4_000_000  # pixels

LUMA = np.array([0.299, 0.587, 0.114], np.float32)
"""Weights of red, green and blue in a grey level (ITU-R BT.601)."""


def between_middles(at: Affine) -> NDArray[np.float64]:
    """A map of pixels' corners as OpenCV takes it, shape (2, 3): it counts places from their middles."""
    half = Affine.translation(0.5, 0.5).then(at).then(Affine.translation(-0.5, -0.5))
    return np.array([[half.a, half.c, half.e], [half.b, half.d, half.f]])


def digest_of_samples(size: tuple[int, int], colours: Iterable[bytes], alpha: Iterable[bytes]) -> str:
    """SHA-256 of a picture's size, of its red, green and blue samples row by row, and of its alpha, which is empty
    where the picture covers everything. Both come in pieces of any length."""
    digest = hashlib.sha256(f"{size[0]} x {size[1]}".encode())
    for piece in colours:
        digest.update(piece)
    for piece in alpha:
        digest.update(piece)
    return digest.hexdigest()


@dataclass(frozen=True, eq=False)
class Raster:
    """Upright pixels, shape (rows, columns, 4): red, green, blue, alpha, not premultiplied, sRGB.

    Pixel (row, column) covers the square from (column, row) to (column + 1, row + 1).
    """

    pixels: Pixels

    def __post_init__(self) -> None:
        self.pixels.setflags(write=False)

    @property
    def width(self) -> int:
        return int(self.pixels.shape[1])

    @property
    def height(self) -> int:
        return int(self.pixels.shape[0])

    @property
    def alpha(self) -> Pixels:
        return self.pixels[..., 3]

    @property
    def is_see_through(self) -> bool:
        return bool((self.alpha < 255).any())

    @cached_property
    def digest(self) -> str:
        """What tells one picture's samples from another's; see ``digest_of_samples``."""
        colours = (self.pixels[rows, :, :3].tobytes() for rows in self.bands())
        alpha = (self.alpha[rows].tobytes() for rows in self.bands()) if self.is_see_through else ()
        return digest_of_samples((self.width, self.height), colours, alpha)

    @property
    def least(self) -> NDArray[np.uint8]:
        """The least of red, green and blue of each pixel: 255 is white."""
        red, green, blue = (self.pixels[..., k] for k in range(3))
        return np.minimum(np.minimum(red, green), blue)

    def over_white(self) -> Pixels:
        """Red, green, blue over white paper, shape (rows, columns, 3)."""
        return self.over((255, 255, 255))

    def over(self, ground: tuple[int, int, int]) -> Pixels:
        """Red, green, blue over ground of one colour, shape (rows, columns, 3)."""
        if not self.is_see_through:
            return self.pixels[..., :3]
        laid = np.empty((self.height, self.width, 3), np.uint8)
        for rows in self.bands():
            alpha = self.alpha[rows, :, None].astype(np.uint16)
            mixed = self.pixels[rows, :, :3].astype(np.uint16) * alpha + np.array(ground, np.uint16) * (255 - alpha)
            laid[rows] = (mixed + 127) // 255
        return laid

    def bands(self) -> Iterator[slice]:
        """Rows a few million pixels at a time, for what would take several times the picture's own memory."""
        step = max(1, BAND // max(1, self.width))
        for top in range(0, self.height, step):
            yield slice(top, min(top + step, self.height))

    def colour_at(self, x: float, y: float) -> tuple[int, int, int]:
        """The colour over white paper of the pixel at a place, or of the nearest one."""
        row, column = self.index_at(x, y)
        red, green, blue = Raster(self.pixels[row : row + 1, column : column + 1]).over_white()[0, 0].tolist()
        return red, green, blue

    def index_at(self, x: float, y: float) -> tuple[int, int]:
        """Row and column of the pixel at a place, or of the nearest one."""
        return min(max(int(y), 0), self.height - 1), min(max(int(x), 0), self.width - 1)

    def reduced(self, width: int, height: int) -> Raster:
        """The picture in fewer pixels, each the mean of those it covers."""
        if not self.is_see_through:
            whole = np.ascontiguousarray(self.pixels)
            return Raster(np.asarray(cv2.resize(whole, (width, height), interpolation=cv2.INTER_AREA), np.uint8))
        # colours are averaged premultiplied, or clear pixels would bleed into the edge; across and then down, so that
        # nothing as large as the picture is held in larger numbers
        narrow = np.empty((self.height, width, 4), np.float32)
        for rows in self.bands():
            alpha = self.alpha[rows, :, None].astype(np.float32) / 255
            mixed = np.concatenate([self.pixels[rows, :, :3] * alpha, alpha * 255], 2)
            narrow[rows] = cv2.resize(mixed, (width, mixed.shape[0]), interpolation=cv2.INTER_AREA)
        small = cv2.resize(narrow, (width, height), interpolation=cv2.INTER_AREA)
        rgb = small[..., :3] / np.maximum(small[..., 3:] / 255, 1e-6)
        return Raster(np.clip(np.rint(np.concatenate([rgb, small[..., 3:]], 2)), 0, 255).astype(np.uint8))

    def grey(self) -> Grey:
        """Grey level over white paper, 0 black to 1 white, shape (rows, columns)."""
        shown, levels = self.over_white(), np.empty((self.height, self.width), np.float32)
        for rows in self.bands():
            levels[rows] = (shown[rows].astype(np.float32) @ LUMA) / np.float32(255)
        return levels
