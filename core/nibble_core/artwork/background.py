"""Taking the background away, with clean soft edges.

A pixel on a soft edge shows C = a F + (1 - a) B: so much of the drawing's colour F, the rest background B. The
flood tells where B is surely alone; F is read from solid pixels nearby; the share a follows. The pixel then
keeps F with alpha a, and no fringe of the old background is left. (The matting equation: Porter and Duff,
SIGGRAPH '84.)
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from nibble_core.errors import InvalidTicket, NothingToTrace
from nibble_core.graphics import Raster

Way = Literal["by itself", "flood", "see-through", "keep"]
SOFT = 2  # px: how far a soft edge reaches from the flood
SPECK_PX, SPECK_SHARE, FAINT = 24, 2e-4, 2.0  # an island smaller than these and under twice the tolerance is noise
SOLID_REACH = 4.0  # px: how far F may be fetched


@dataclass(frozen=True, eq=False)
class Cleaned:
    """The picture without its background, how it was taken away and what share of the picture went."""

    raster: Raster
    way: Way
    taken: float


def take_background_away(raster: Raster, *, way: Way = "by itself", tolerance: float = 0.1) -> Cleaned:
    """``way``: “flood” takes everything connected to the border within ``tolerance`` (0 to 1 of full contrast)
    of the border's colour; “see-through” trusts the picture's own alpha; “by itself” trusts the alpha if it
    leaves the border clear, else floods if the border is plain; “keep” leaves all.

    Raises NothingToTrace when nothing would be left.
    """
    if way == "by itself":
        way = _best_way(raster, tolerance)
    if way == "flood":
        cleaned = _flooded(raster, tolerance)
    elif way == "see-through":
        cleaned = _without_fringe(raster)
    elif way == "keep":
        cleaned = raster
    else:
        raise InvalidTicket(
            f"“{way}” is no way to take a background away.", "Choose by itself, flood, see-through or keep."
        )
    if cleaned.alpha.max() < 128:
        raise NothingToTrace(
            "Taking the background away leaves nothing.", "Lower the tolerance, or keep the background."
        )
    return Cleaned(cleaned, way, float((cleaned.alpha < 128).mean()))


def _border(pixels: np.ndarray) -> np.ndarray:
    return np.concatenate([pixels[0], pixels[-1], pixels[1:-1, 0], pixels[1:-1, -1]])


def _best_way(raster: Raster, tolerance: float) -> Way:
    border = _border(raster.pixels)
    if (border[:, 3] < 128).mean() > 0.5:
        return "see-through"
    solid = border[:, :3].astype(int)
    near = np.abs(solid - np.median(solid, 0)).max(1) <= max(tolerance * 255, 8)
    return "flood" if near.mean() > 0.6 else "keep"


def _flooded(raster: Raster, tolerance: float) -> Raster:
    shown = np.ascontiguousarray(raster.over_white())
    background = np.median(_border(shown), 0)
    reach = max(1.0, tolerance * 255)
    near = (np.abs(shown.astype(np.int16) - background.astype(np.int16)).max(2) <= reach).astype(np.uint8)
    # connected to the border through a frame of background laid round the picture
    framed = cv2.copyMakeBorder(near, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=1)
    _, labels = cv2.connectedComponents(framed, connectivity=4)
    flood = (labels == labels[0, 0])[1:-1, 1:-1]
    if not flood.any():
        return raster
    flood |= _faint_specks(~flood, np.abs(shown.astype(np.int16) - background.astype(np.int16)).max(2), reach)
    colours, alpha = _unmixed(shown, flood, background)
    own = raster.alpha.astype(np.float32) / 255
    return _assembled(colours, np.minimum(alpha, own))


def _faint_specks(left: np.ndarray, contrast: np.ndarray, reach: float) -> np.ndarray:
    """Small islands of what the flood left that hardly differ from the background: JPEG noise, uneven light."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(left.astype(np.uint8), connectivity=8)
    loud = np.bincount(labels.ravel(), (contrast > FAINT * reach).ravel(), count)
    small = stats[:, cv2.CC_STAT_AREA] < max(SPECK_PX, SPECK_SHARE * left.size)
    faint = small & (loud == 0)
    faint[0] = False
    return np.asarray(faint[labels])


def _unmixed(shown: np.ndarray, flood: np.ndarray, background: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Drawing colours (rows, columns, 3) and alpha 0 to 1 from a picture over a plain background."""
    mask = flood.astype(np.uint8)
    ring = np.ones((2 * SOFT + 1, 2 * SOFT + 1), np.uint8)
    # the flood stops where the mix is beyond its tolerance, so it holds faintly covered pixels too: the soft
    # band reaches to both sides of its edge
    soft = (cv2.dilate(mask, ring) > 0) & (cv2.erode(mask, ring) == 0)
    solid = (cv2.dilate(mask, ring) == 0).astype(np.uint8)
    picture = shown.astype(np.float32)
    fore, distance = nearest_colours(picture, solid)
    strong = _strongest_nearby(picture, background.astype(np.float32))
    fore = np.where((distance <= SOLID_REACH)[..., None], fore, strong)
    span = fore - background
    length = np.maximum((span * span).sum(2), 1.0)
    share = ((picture - background) * span).sum(2) / length
    alpha = np.where(soft, np.clip(share, 0, 1), np.where(flood, 0.0, 1.0)).astype(np.float32)
    alpha[alpha < 2 / 255] = 0.0
    colours = np.where(((alpha < 1) & (soft | flood))[..., None], fore, picture)
    return colours, alpha


def nearest_colours(picture: np.ndarray, source: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """For every pixel the colour of the nearest pixel in ``source`` (uint8 mask), and its distance in px."""
    if not source.any():
        return picture.copy(), np.full(source.shape, np.inf, np.float32)
    distance, labels = cv2.distanceTransformWithLabels(1 - source, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    table = np.zeros((int(labels.max()) + 1, picture.shape[2]), picture.dtype)
    table[labels[source > 0]] = picture[source > 0]
    return table[labels], distance


def _strongest_nearby(picture: np.ndarray, background: np.ndarray) -> np.ndarray:
    """The colour furthest from the background within two pixels: what a thin line would be if it were wide."""
    best = picture.copy()
    contrast = np.abs(picture - background).sum(2)
    best_contrast = contrast.copy()
    for dy in range(-SOFT, SOFT + 1):
        for dx in range(-SOFT, SOFT + 1):
            moved = np.roll(contrast, (dy, dx), (0, 1))
            better = moved > best_contrast
            best[better] = np.roll(picture, (dy, dx), (0, 1))[better]
            best_contrast[better] = moved[better]
    return best


def _without_fringe(raster: Raster) -> Raster:
    """Own alpha kept; the colours under it are taken from solid pixels wherever they are thin."""
    alpha = raster.alpha.astype(np.float32) / 255
    solid = (raster.alpha >= 250).astype(np.uint8)
    colours = raster.pixels[..., :3].astype(np.float32)
    fore, distance = nearest_colours(colours, solid)
    thin = (raster.alpha < 8) & (distance <= SOLID_REACH)
    return _assembled(np.where(thin[..., None], fore, colours), alpha)


def _assembled(colours: np.ndarray, alpha: np.ndarray) -> Raster:
    rgb = np.clip(np.rint(colours), 0, 255).astype(np.uint8)
    return Raster(np.dstack([rgb, np.rint(alpha * 255).astype(np.uint8)]))
