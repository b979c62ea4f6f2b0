"""The subject of a picture, told from all else without drawing round it, with soft edges for hair and fur.

Colours of the border describe what surrounds the subject, those of the middle the subject; a cut through the graph of
pixels tells them apart (C. Rother and others, GrabCut, ACM Trans. Graphics 23, 2004). A guided filter then lets the
mask follow hair (K. He and others, Guided Image Filtering, ECCV 2010).
"""

from __future__ import annotations

import contextlib
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.artwork.brush import Stroke, brushed
from nibble_core.artwork.nearest import nearest_colours
from nibble_core.graphics import Raster

CUT_PX = 520  # longer side of the picture the cut is made on
RIM = 0.03  # share of either side that surely does not belong to the subject
ROUNDS = 5
HAIR = 0.012  # of the longer side: how far soft edges reach
SOLID_REACH = 40.0


def subject_mask(raster: Raster, belongs: Sequence[Stroke], not_belongs: Sequence[Stroke]) -> NDArray[np.uint8]:
    """255 on the subject, 0 elsewhere: shape (rows, columns)."""
    shown = np.ascontiguousarray(raster.over_white())
    scale = min(1.0, CUT_PX / max(raster.width, raster.height))
    size = max(8, round(raster.width * scale)), max(8, round(raster.height * scale))
    small = np.asarray(cv2.resize(shown, size, interpolation=cv2.INTER_AREA), np.uint8)
    rows, columns = small.shape[:2]
    mask = np.full((rows, columns), cv2.GC_PR_FGD, np.uint8)
    rim_y, rim_x = max(1, round(RIM * rows)), max(1, round(RIM * columns))
    mask[:rim_y] = mask[-rim_y:] = cv2.GC_BGD
    mask[:, :rim_x] = mask[:, -rim_x:] = cv2.GC_BGD
    _suspect(mask, small)
    for stroke in belongs:
        mask[brushed((rows, columns), stroke) > 127] = cv2.GC_FGD
    for stroke in not_belongs:
        mask[brushed((rows, columns), stroke) > 127] = cv2.GC_BGD
    back, fore = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.setRNGSeed(7)
    with contextlib.suppress(cv2.error):  # no pixel left on one of the sides: the strokes alone decide
        cv2.grabCut(small, mask, None, back, fore, ROUNDS, cv2.GC_INIT_WITH_MASK)  # type: ignore[call-overload]
    found = np.isin(mask, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.uint8)
    found = _whole(found, belongs)
    return np.asarray(cv2.resize(255 * found, (raster.width, raster.height), interpolation=cv2.INTER_LINEAR))


def _suspect(mask: NDArray[np.uint8], small: NDArray[np.uint8]) -> None:
    """Pixels like the rim's usual colours are probably not the subject."""
    rim = small[mask == cv2.GC_BGD].astype(np.float32)
    centre, spread = np.median(rim, 0), np.maximum(rim.std(0), 6)
    like = (np.abs(small - centre) < 1.5 * spread).all(2)
    mask[like & (mask == cv2.GC_PR_FGD)] = cv2.GC_PR_BGD


def _whole(found: NDArray[np.uint8], belongs: Sequence[Stroke]) -> NDArray[np.uint8]:
    """The largest part and those touched by strokes, without pinholes."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(found, connectivity=8)
    if count <= 1:
        return found
    largest = stats[1:, cv2.CC_STAT_AREA].max()
    keep = stats[:, cv2.CC_STAT_AREA] >= 0.08 * largest
    keep[0] = False
    for stroke in belongs:
        keep[np.unique(labels[brushed(found.shape, stroke) > 127])] = True
    keep[0] = False
    kept: NDArray[np.uint8] = keep[labels].astype(np.uint8)
    _, hole_of, hole_stats, _ = cv2.connectedComponentsWithStats(1 - kept, connectivity=4)
    small = hole_stats[:, cv2.CC_STAT_AREA] < 0.004 * found.size
    kept[small[hole_of] & (kept == 0)] = 1
    return kept


def with_soft_edges(raster: Raster, mask: NDArray[np.uint8]) -> Raster:
    """The subject with an alpha that follows hair and fur, and colours without the old background."""
    radius = max(2, round(HAIR * max(raster.width, raster.height)))
    grey = cv2.cvtColor(np.ascontiguousarray(raster.over_white()), cv2.COLOR_RGB2GRAY).astype(np.float32)
    alpha = _guided(grey / np.float32(255), mask.astype(np.float32) / np.float32(255), radius, 2e-4)
    ring = np.ones((2 * radius + 1, 2 * radius + 1), np.uint8)
    solid = (mask > 127).astype(np.uint8)
    inner, outer = cv2.erode(solid, ring) > 0, cv2.dilate(solid, ring) > 0
    alpha = np.where(inner, 1.0, np.where(outer, np.clip((alpha - 0.1) / 0.8, 0, 1), 0.0))
    pixels = raster.pixels.copy()
    rows, columns = np.nonzero((alpha < 0.98) & (alpha > 0))
    colours, distance = nearest_colours(
        np.ascontiguousarray(raster.pixels[..., :3]), (alpha >= 0.98).astype(np.uint8), rows, columns
    )
    near = distance < SOLID_REACH
    pixels[rows[near], columns[near], :3] = np.rint(colours[near]).astype(np.uint8)
    pixels[..., 3] = np.minimum(np.rint(255 * alpha), raster.alpha).astype(np.uint8)
    return Raster(pixels)


def _guided(guide: NDArray[np.float32], mask: NDArray[np.float32], radius: int, softness: float) -> NDArray[np.float32]:
    """The mask as the best local linear function of the guide."""
    size = (2 * radius + 1, 2 * radius + 1)
    mean = lambda a: cv2.blur(a, size)  # noqa: E731 - one-line local
    mean_g, mean_m = mean(guide), mean(mask)
    a = (mean(guide * mask) - mean_g * mean_m) / (mean(guide * guide) - mean_g * mean_g + softness)
    b = mean_m - a * mean_g
    return np.asarray(mean(a) * guide + mean(b))
