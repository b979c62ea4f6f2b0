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
ASIDE = 4  # px of the cut's picture to either side of an edge, where colours are compared
SAME_LAB = 14.0  # of OpenCV's 8 bit L*a*b*: colours that are less apart are one
DOUBTFUL, LONG_RUN = 0.3, 0.12  # of the edge in all; of the picture's longer side in one stretch
FRAME_FILLED = 0.3  # of the picture's own edge, which no subject fills
RIM_COLOURS, UNLIKE, WENT_SHARE = 8, 30.0, 0.01  # of what surrounds; how far off them in L*a*b*; of the picture


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
    found = _whole(_cut(small, mask, belongs, not_belongs), belongs)
    if not_belongs:
        # saying what does not belong never adds anything: colours under the stroke may tip the balance elsewhere
        found &= _whole(_cut(small, mask, belongs, ()), belongs)
    return np.asarray(cv2.resize(255 * found, (raster.width, raster.height), interpolation=cv2.INTER_LINEAR))


def _cut(
    small: NDArray[np.uint8], given: NDArray[np.uint8], belongs: Sequence[Stroke], not_belongs: Sequence[Stroke]
) -> NDArray[np.uint8]:
    """1 on what the cut through the graph of pixels takes for the subject. It is cut twice: the rim is background at
    first, and may then be the subject's where that reaches it, as an animal's back that the picture cuts off."""
    mask, rim = given.copy(), given == cv2.GC_BGD
    for stroke in belongs:
        mask[brushed(mask.shape, stroke) > 127] = cv2.GC_FGD
    for stroke in not_belongs:
        mask[brushed(mask.shape, stroke) > 127] = cv2.GC_BGD
    back, fore = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.setRNGSeed(7)
    with contextlib.suppress(cv2.error):  # no pixel left on one of the sides: the strokes alone decide
        cv2.grabCut(small, mask, None, back, fore, ROUNDS, cv2.GC_INIT_WITH_MASK)  # type: ignore[call-overload]
        found = np.isin(mask, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.uint8)
        deep = 2 * max(1, round(RIM * max(mask.shape))) + 3
        reached = rim & (cv2.dilate(found, np.ones((deep, deep), np.uint8)) > 0) & (mask == cv2.GC_BGD)
        for stroke in not_belongs:
            reached &= brushed(mask.shape, stroke) <= 127
        if reached.any():
            mask[reached] = cv2.GC_PR_BGD
            cv2.grabCut(small, mask, None, back, fore, 2, cv2.GC_EVAL)  # type: ignore[call-overload]
    return np.isin(mask, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.uint8)


def doubtful(raster: Raster, mask: NDArray[np.uint8]) -> tuple[str, float, float] | None:
    """Where a subject may be wrong, as fractions of the picture, and why; None where nothing speaks against it.

    “edge”: along much of its edge its colours are those of what was taken away, or it fills much of the picture's own
    edge, so that it may be no subject. “went”: something large beside it was taken away that is unlike the rim.
    """
    scale = min(1.0, CUT_PX / max(raster.width, raster.height))
    size = max(8, round(raster.width * scale)), max(8, round(raster.height * scale))
    shown = cv2.resize(np.ascontiguousarray(raster.over_white()), size, interpolation=cv2.INTER_AREA)
    solid = (cv2.resize(mask, size, interpolation=cv2.INTER_AREA) > 127).astype(np.uint8)
    lab = cv2.cvtColor(np.asarray(shown, np.uint8), cv2.COLOR_RGB2LAB).astype(np.float32)
    lab = np.asarray(cv2.GaussianBlur(lab, (0, 0), 1.5))
    found = _guessed_edge(lab, solid) or _frame_filled(solid)
    if found is not None:
        return ("edge", *found)
    went = _unlike_rim(lab, solid)
    return None if went is None else ("went", *went)


def _guessed_edge(lab: NDArray[np.float32], solid: NDArray[np.uint8]) -> tuple[float, float] | None:
    """The middle of the longest stretch of an edge whose both sides have one colour, if there is much of that."""
    rows, columns = solid.shape
    contours, _ = cv2.findContours(solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    sides = cv2.distanceTransform(solid, cv2.DIST_L2, 3) - cv2.distanceTransform(1 - solid, cv2.DIST_L2, 3)
    across = cv2.Sobel(sides, cv2.CV_32F, 1, 0), cv2.Sobel(sides, cv2.CV_32F, 0, 1)
    alike, longest, place, total = 0, 0, (0.0, 0.0), 0
    for contour in contours:
        x, y = contour[:, 0, 0], contour[:, 0, 1]
        inner = (x > ASIDE) & (y > ASIDE) & (x < columns - 1 - ASIDE) & (y < rows - 1 - ASIDE)
        way = np.stack([across[0][y, x], across[1][y, x]], 1)
        way /= np.maximum(np.hypot(*way.T), 1e-6)[:, None]
        ends = [np.rint(np.stack([x, y], 1) + side * ASIDE * way).astype(int) for side in (1, -1)]
        one, other = (lab[np.clip(end[:, 1], 0, rows - 1), np.clip(end[:, 0], 0, columns - 1)] for end in ends)
        same = inner & (np.linalg.norm(one - other, axis=1) < SAME_LAB)
        alike, total = alike + int(same.sum()), total + int(inner.sum())
        run, first, last = longest_run(same)
        if run > longest:
            middle = (first + last) // 2 % len(x)
            longest, place = run, (float(x[middle] / columns), float(y[middle] / rows))
    much = total and (alike / total >= DOUBTFUL or longest >= LONG_RUN * max(rows, columns))
    return place if much else None


def _frame_filled(solid: NDArray[np.uint8]) -> tuple[float, float] | None:
    """The middle of the picture's edge that the subject fills, where it fills much of it."""
    rows, columns = np.nonzero(solid)
    height, width = solid.shape
    at_edge = (rows == 0) | (columns == 0) | (rows == height - 1) | (columns == width - 1)
    if at_edge.sum() < FRAME_FILLED * 2 * (height + width):
        return None
    return float(np.median(columns[at_edge]) / width), float(np.median(rows[at_edge]) / height)


def _unlike_rim(lab: NDArray[np.float32], solid: NDArray[np.uint8]) -> tuple[float, float] | None:
    """The middle of something large beside the subject that was taken away and has none of the rim's colours."""
    rows, columns = solid.shape
    deep = max(2, round(RIM * max(rows, columns)))
    rim = np.zeros(solid.shape, bool)
    rim[:deep] = rim[-deep:] = rim[:, :deep] = rim[:, -deep:] = True
    sample = lab[rim & (solid == 0)]
    if len(sample) < 50:
        return None
    sample = np.ascontiguousarray(sample[:: max(1, len(sample) // 4000)])
    ends = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 20, 1.0)
    cv2.setRNGSeed(7)
    _, _, centres = cv2.kmeans(sample, min(RIM_COLOURS, len(sample)), np.empty(0), ends, 2, cv2.KMEANS_PP_CENTERS)
    away = np.min([np.linalg.norm(lab - centre, axis=2) for centre in centres], 0)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * deep + 1, 2 * deep + 1))
    odd = cv2.morphologyEx(((away > UNLIKE) & (solid == 0)).astype(np.uint8), cv2.MORPH_OPEN, disc)
    beside = cv2.dilate(solid, disc) > 0
    count, labels, stats, middles = cv2.connectedComponentsWithStats(odd, connectivity=8)
    for k in 1 + np.argsort(-stats[1:, cv2.CC_STAT_AREA]):
        if count < 2 or stats[k, cv2.CC_STAT_AREA] < WENT_SHARE * solid.size:
            return None
        if beside[labels == k].any():
            return float(middles[k, 0] / columns), float(middles[k, 1] / rows)
    return None


def longest_run(marked: NDArray[np.bool_]) -> tuple[int, int, int]:
    """Length, first and last index of the longest stretch of true values round a ring, short gaps aside."""
    closed = cv2.morphologyEx(np.tile(marked, 2).astype(np.uint8)[None], cv2.MORPH_CLOSE, np.ones((1, 5), np.uint8))[0]
    edges = np.flatnonzero(np.diff(np.pad(closed, 1)))
    if not len(edges):
        return 0, 0, 0
    starts, ends = edges[::2], edges[1::2]
    k = int(np.argmax(ends - starts))
    return min(int(ends[k] - starts[k]), len(marked)), int(starts[k]), int(ends[k]) - 1


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
