"""Paths and pixels from the flat artwork to where they lie on the laid-out wall."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Affine, Bundle, Points
from nibble_core.graphics import Raster
from nibble_core.wrap.charts import Chart
from nibble_core.wrap.kernels import along_parts, first_parts, in_order, in_parts, whole_or_halves
from nibble_core.wrap.looks import Look
from nibble_core.wrap.wall import Wall

Map = Callable[[Points], Points]
"""Of places (n, 2)."""
TOLERANCE = 0.004  # mm
NUDGE = 1e-4  # of a segment, by which directions are told
SHARES = np.array([
    0.0, NUDGE, 2 * NUDGE, 0.5 - 2 * NUDGE, 0.5 - NUDGE, 0.5, 0.5 + NUDGE, 0.5 + 2 * NUDGE, 1 - 2 * NUDGE, 1 - NUDGE,
    1.0, 0.1, 0.2, 0.3, 0.4, 0.6, 0.7, 0.8, 0.9,
])  # fmt: skip
"""Of a part: by which places it and its halves are bent."""
MOST_ROUNDS, MOST_PARTS = 5, 4
ROOM = 1.3  # that a part may stray more than the fourth power tells
LONGEST = np.pi / 2  # radians of an arc that is bent in one go


@dataclass(frozen=True, eq=False)
class Bend:
    """From artwork, mm, to a laid-out wall and back. middle: of the artwork, which lies at angle 0."""

    wall: Wall
    look: Look
    chart: Chart
    middle: tuple[float, float] = (0.0, 0.0)

    def __call__(self, artwork: Points) -> Points:
        return self.chart.lay(self.look.onto(np.asarray(artwork, float) - self.middle))

    def back(self, plane: Points) -> Points:
        """From the laid-out wall to the artwork."""
        return self.look.off(self.chart.lift(np.asarray(plane, float))) + self.middle


@dataclass(frozen=True, eq=False)
class Relaid:
    """From one laid-out wall to another."""

    before: Chart
    after: Chart

    def __call__(self, plane: Points) -> Points:
        return self.after.lay(self.before.lift(np.asarray(plane, float)))


def bent(paths: Bundle, bend: Map, tolerance: float = TOLERANCE) -> Bundle:
    """Paths through a bend, within ``tolerance`` mm: each segment becomes the cubic with the same ends and the same
    directions there (Hermite), in parts where that strays, and a line where it is one. A cubic strays by the fourth
    power of its length: that tells how many parts."""
    if not len(paths):
        return paths
    of, low, high = first_parts(paths.kinds, paths.rows, LONGEST)
    done = []
    for rounds in range(MOST_ROUNDS):
        places = along_parts(paths.kinds, paths.rows, of, low, high, SHARES)
        bent_places = np.ascontiguousarray(bend(places.reshape(-1, 2)), np.float64).reshape(places.shape)
        of, low, high, kinds, rows, strays = whole_or_halves(bent_places, of, low, high, NUDGE, tolerance)
        coarse = strays > tolerance
        if rounds == MOST_ROUNDS - 1 or not coarse.any():
            done.append((of, low, kinds, rows))
            break
        fine = ~coarse
        done.append((of[fine], low[fine], kinds[fine], rows[fine]))
        parts = np.clip((ROOM * strays[coarse] / tolerance) ** 0.25 + 1.0, 2.0, MOST_PARTS).astype(np.int64)
        of, low, high = in_parts(of[coarse], low[coarse], high[coarse], parts)
    of, low, kinds, rows = (np.concatenate(each) for each in zip(*done, strict=True))
    kinds, rows, offsets = in_order(of, low, kinds, rows, paths.offsets, paths.closed)
    return Bundle(kinds, rows, offsets, paths.closed)


@dataclass(frozen=True)
class Grid:
    """Pixels on a plane: ``pitch`` mm a pixel, the corner of the first at left, top."""

    left: float
    top: float
    pitch: float
    width: int
    height: int

    def middles(self) -> Points:
        """(height * width, 2)."""
        y, x = np.mgrid[0 : self.height, 0 : self.width]
        places = np.column_stack([x.ravel() + 0.5, y.ravel() + 0.5]) * self.pitch
        return np.asarray(places + np.array([self.left, self.top]))


def read_through(image: NDArray[np.float32], bend: Bend, grid: Grid, to_pixels: Affine) -> NDArray[np.float32]:
    """An image on a laid-out wall, each pixel of the grid read once where its middle comes from; nothing beyond.
    to_pixels: from the artwork's mm to pixels of the image. Where the grid is coarser than the image, the image is
    averaged down to it first."""
    scale = float(np.sqrt(abs(to_pixels.determinant))) * grid.pitch
    if scale > 1.4:
        size = max(1, round(image.shape[1] / scale)), max(1, round(image.shape[0] / scale))
        to_pixels = to_pixels.then(Affine.scale(size[0] / image.shape[1], size[1] / image.shape[0]))
        image = np.asarray(cv2.resize(image, size, interpolation=cv2.INTER_AREA), np.float32)
    at = to_pixels.map(bend.back(grid.middles())) - 0.5
    across, down = at.astype(np.float32).T.reshape(2, grid.height, grid.width)
    return np.asarray(
        cv2.remap(image, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0), np.float32
    )


def bent_pixels(raster: Raster, bend: Bend, grid: Grid, to_pixels: Affine) -> Raster:
    """A picture through a bend, colours weighted by how far they cover; see ``read_through``."""
    pixels = raster.pixels.astype(np.float32)
    alpha = pixels[..., 3:] / 255
    read = read_through(np.concatenate([pixels[..., :3] * alpha, alpha], -1), bend, grid, to_pixels)
    cover = read[..., 3:]
    colours = np.divide(read[..., :3], cover, out=np.zeros_like(read[..., :3]), where=cover > 1e-6)
    made = np.concatenate([colours, cover * 255], -1)
    return Raster(np.ascontiguousarray(np.clip(np.rint(made), 0, 255).astype(np.uint8)))
