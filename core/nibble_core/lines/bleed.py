"""Bleed: print that goes on beyond the artwork's edge in the edge's own clean colour, so that a small cutting error
shows no white; and what a given error would show."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Point
from nibble_core.geometry.regions import distances_to_area, polygons
from nibble_core.graphics import Raster
from nibble_core.lines.bleed_kernels import spread

SOLID = 250  # alpha from which a pixel's colour is the artwork's alone
EXTRA = 2.5  # px filled beyond what was asked for, so that no printer finds an unfilled one at the rim
SHOWN, SOFTEST = 128, 12.0  # alpha from which a pixel shows; px of soft edge, at most
DIRECTIONS = 16


def bleed_pixels(raster: Raster, distance: float, *, mm_per_px: float) -> tuple[Raster, int]:
    """A picture grown by ``distance`` mm, and by how many pixels its every side was moved out.

    Colour comes from solid pixels one in from the edge, since those at the edge are mixed with the old background;
    each new pixel takes that of the nearest (exact Euclidean distance transform). The distance is kept from the visible
    edge, which in a compressed or soft picture lies some pixels further out than its solid ones.
    """
    if distance <= 0:
        return raster, 0
    reach = distance / mm_per_px
    pad = math.ceil(reach + EXTRA) + 1
    around = (pad, pad, pad, pad)
    pixels = np.asarray(cv2.copyMakeBorder(raster.pixels, *around, cv2.BORDER_CONSTANT, value=(0, 0, 0, 0)), np.uint8)
    solid = (pixels[..., 3] >= SOLID).astype(np.uint8)
    core = cv2.erode(solid, np.ones((3, 3), np.uint8))
    thin = solid & (cv2.dilate(core, np.ones((5, 5), np.uint8)) == 0)  # strokes too thin for a core keep their own
    core = np.asarray(core | thin)
    if not core.any():
        return raster, 0
    shown = pixels[..., 3] >= SHOWN
    soft = cv2.distanceTransform(1 - core, cv2.DIST_L2, 5)[shown]
    further = min(float(soft.max()), SOFTEST) if soft.size else 0.0
    before = pixels.copy()
    pixels[..., 3] = np.maximum(pixels[..., 3], core * 255)
    spread(pixels.view(np.uint32)[..., 0], core, reach + EXTRA + further)
    beyond = cv2.distanceTransform((~shown).astype(np.uint8), cv2.DIST_L2, 5) > reach + EXTRA
    pixels[beyond] = before[beyond]
    return Raster(pixels), pad


@dataclass(frozen=True, eq=False)
class WorstCase:
    """What a cutting error of ``error`` mm would show. slivers: unprinted areas inside the cut, at the worst of the
    directions; widest: of them, mm; needed: bleed that leaves none; where: the widest place."""

    error: float
    slivers: BaseGeometry
    widest: float
    needed: float
    where: Point | None


def worst_case(cut: BaseGeometry, artwork: BaseGeometry, bleed: float, error: float) -> WorstCase:
    """The cut shifted by ``error`` mm in every direction over print that ends ``bleed`` mm outside the artwork.

    The bleed needed is the furthest that any place of the cut, grown by the error, lies outside the artwork.
    """
    printed = artwork.buffer(bleed, quad_segs=32) if bleed > 0 else artwork
    slivers: list[BaseGeometry] = []
    for k in range(DIRECTIONS):
        a = 2 * math.pi * k / DIRECTIONS
        shifted = shapely.transform(cut, lambda p, a=a: p + error * np.array([math.cos(a), math.sin(a)]))
        bare = shifted.difference(printed)
        if bare.area > 1e-6:
            slivers.append(bare)
    reached = _furthest(cut.buffer(error, quad_segs=32), artwork)
    worst = max(slivers, key=lambda bare: bare.area) if slivers else shapely.Polygon()
    where = None
    if slivers:
        widest_part = max(polygons(worst), key=lambda part: part.area, default=None)
        place = None if widest_part is None else shapely.point_on_surface(widest_part)
        where = None if place is None else Point(float(place.x), float(place.y))
    return WorstCase(error, worst, max(0.0, reached - bleed), max(0.0, reached), where)


def _furthest(area: BaseGeometry, artwork: BaseGeometry) -> float:
    """How far the furthest place of an area lies outside another, mm."""
    points: NDArray[np.float64] = shapely.get_coordinates(shapely.segmentize(area, 0.25))
    if not len(points) or artwork.is_empty:
        return 0.0
    return float(distances_to_area(points, artwork).max())
