"""Paths and pixels from the flat artwork to where they lie on the laid-out wall."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import ARC, LINE, Affine, Bundle, Points
from nibble_core.geometry.segments import CUBIC, evaluate
from nibble_core.graphics import Raster
from nibble_core.wrap.charts import Chart
from nibble_core.wrap.looks import Look
from nibble_core.wrap.wall import Wall

Map = Callable[[Points], Points]
"""Of places (n, 2)."""
TOLERANCE = 0.004  # mm
NUDGE = 1e-4  # of a segment, by which directions are told
MOST_HALVINGS = 10
CHECKED = (0.2, 0.4, 0.6, 0.8)
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
    directions there (Hermite), in halves where that strays, and a line where it is one."""
    if not len(paths):
        return paths
    of = np.arange(paths.segments)
    low, high = np.zeros(len(of)), np.ones(len(of))
    arcs = paths.kinds == ARC
    parts = np.ones(len(of), np.int64)
    parts[arcs] = np.maximum(1, np.ceil(np.abs(paths.rows[arcs, 4]) / LONGEST - 1e-9)).astype(np.int64)
    of = np.repeat(of, parts)
    step = np.arange(len(of)) - np.repeat(np.cumsum(parts) - parts, parts)
    low, high = step / parts[of], (step + 1) / parts[of]
    done: list[tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.uint8], NDArray[np.float64]]] = []
    for halving in range(MOST_HALVINGS + 1):
        kinds, rows, strays = _cubics(paths, of, low, high, bend, tolerance)
        fine = ~strays if halving < MOST_HALVINGS else np.ones(len(of), bool)
        done.append((of[fine], low[fine], kinds[fine], rows[fine]))
        if fine.all():
            break
        middle = (low[~fine] + high[~fine]) / 2
        of, low, high = (
            np.repeat(of[~fine], 2), np.column_stack([low[~fine], middle]).ravel(),
            np.column_stack([middle, high[~fine]]).ravel(),
        )  # fmt: skip
    of, low = np.concatenate([one[0] for one in done]), np.concatenate([one[1] for one in done])
    order = np.lexsort((low, of))
    rows = np.vstack([one[3] for one in done])[order]
    counts = np.bincount(of, minlength=paths.segments)
    offsets = np.concatenate([[0], np.cumsum(counts)])[paths.offsets].astype(np.int64)
    return Bundle(np.concatenate([one[2] for one in done])[order], _joined(rows, offsets, paths.closed), offsets,
                  paths.closed)  # fmt: skip


def _joined(rows: NDArray[np.float64], offsets: NDArray[np.int64], closed: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Every segment begins where the one before it ends, to the last digit."""
    inner = np.ones(len(rows), bool)
    inner[offsets[:-1]] = False
    made = rows.copy()
    made[inner, :2] = made[np.nonzero(inner)[0] - 1, 6:]
    first, last = offsets[:-1][closed], offsets[1:][closed] - 1
    made[last, 6:] = made[first, :2]
    return made


def _cubics(
    paths: Bundle, of: NDArray[np.int64], low: NDArray[np.float64], high: NDArray[np.float64],
    bend: Map,    tolerance: float,
) -> tuple[NDArray[np.uint8], NDArray[np.float64], NDArray[np.bool_]]:  # fmt: skip
    """Kinds and rows of parts of segments, and which of them stray."""
    source, row = paths.kinds[of], paths.rows[of]
    span = high - low

    shares = np.array((0.0, NUDGE, 2 * NUDGE, 1 - 2 * NUDGE, 1 - NUDGE, 1.0, *CHECKED))
    count = len(shares)
    t = (low + shares[:, None] * span).ravel()
    places = bend(evaluate(np.tile(source, count), np.tile(row, (count, 1)), t)).reshape(count, -1, 2)
    start, end, checked = places[0], places[5], places[6:]
    # directions by parabolas through three near places within the part
    away = (-3 * start + 4 * places[1] - places[2]) / (2 * NUDGE)
    into = (3 * end - 4 * places[4] + places[3]) / (2 * NUDGE)
    rows = np.hstack([start, start + away / 3, end - into / 3, end])
    kinds = np.full(len(of), CUBIC, np.uint8)
    chord = end - start
    length = np.hypot(*chord.T)
    way = chord / np.maximum(length, 1e-12)[:, None]
    off_chord, off_cubic = np.zeros(len(of)), np.zeros(len(of))
    before = np.full(len(of), -np.inf)
    for share, true in zip(CHECKED, checked, strict=True):
        out = true - start
        off_chord = np.maximum(off_chord, np.abs(out[:, 0] * way[:, 1] - out[:, 1] * way[:, 0]))
        along = (out * way).sum(1)
        off_chord[(along < before) | (along > length)] = np.inf
        before = along
        gone = true - evaluate(kinds, rows, np.full(len(of), share))
        tangent = _tangents(rows, share)
        off_cubic = np.maximum(off_cubic, np.abs(gone[:, 0] * tangent[:, 1] - gone[:, 1] * tangent[:, 0]))
    straight = off_chord < tolerance / 10
    rows[straight, 2:6] = 0.0
    kinds[straight] = LINE
    return kinds, rows, (off_cubic > tolerance) & ~straight


def _tangents(rows: NDArray[np.float64], t: float) -> Points:
    """Unit directions of cubics at a parameter."""
    a, b, c = rows[:, 2:4] - rows[:, :2], rows[:, 4:6] - rows[:, 2:4], rows[:, 6:] - rows[:, 4:6]
    way = (1 - t) ** 2 * a + 2 * t * (1 - t) * b + t**2 * c
    return np.asarray(way / np.maximum(np.hypot(*way.T), 1e-12)[:, None])


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
