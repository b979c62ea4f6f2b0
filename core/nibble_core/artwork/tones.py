"""A photo in a few flat tones whose edges flow: something a knife can follow.

The picture is smoothed without crossing edges, then along them (J. Kyprianidis and H. Kang, Image and Video
Abstraction by Coherence-Enhancing Filtering, Eurographics 2011); lines come from a difference of Gaussians sharpened
into ink (H. Winnemöller, XDoG, NPAR 2011). Tone edges keep a pixel of softness, so that tracing finds them finely.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.graphics import Grey, Raster

WORK_PX = 1400  # longer side; tones need no more
STYLES = ("solid shadows", "bands", "line-like edges")
DARKER = 0.4  # grey levels by which all that can be asked for moves the borders of tones
STRONGEST = 40.0  # times the difference of two blurs that is added at full strength
STEPS = 8  # along an edge, either way
SMOOTHING = 0.0028  # of the longer side: over which the edges of tones are smoothed
SOFT = 2.5  # how steeply one tone gives way to the next, so that an edge takes about a pixel
BRIDGE = 0.012  # of the longer side: width of a bar that holds an island
WORTH = 0.01  # share of all ink under which an island is dropped, not bridged


@dataclass(frozen=True)
class ToneSettings:
    """How tones are set. threshold: grey level (0 to 1) under which shadows are dark, None for the one found; darkness:
    from -1 to 1, how much more is dark; strength and detail, 0 to 1: of the lines that edges become."""

    threshold: float | None = None
    darkness: float = 0.0
    strength: float = 0.5
    detail: float = 0.5


AS_FOUND = ToneSettings()


def flat_tones(
    raster: Raster, style: str, *, count: int = 3, one_piece: bool = False, settings: ToneSettings = AS_FOUND
) -> Raster:
    """The picture in tones of grey. ``style``: one of STYLES; ``count``: tones of “bands”; ``one_piece``: the dark
    tones hang together. What is see-through becomes so within a pixel, however soft hair was."""
    scale = min(1.0, WORK_PX / max(raster.width, raster.height))
    shown = raster.over_white()
    size = max(8, round(raster.width * scale)), max(8, round(raster.height * scale))
    small = np.asarray(cv2.resize(np.ascontiguousarray(shown), size, interpolation=cv2.INTER_AREA), np.uint8)
    alpha = cv2.resize(np.ascontiguousarray(raster.alpha), size, interpolation=cv2.INTER_AREA)
    grey = _flowing(small)
    inside = alpha >= 128
    levels = _levels(grey[inside] if inside.any() else grey.ravel(), count if style == "bands" else 2)
    if settings.threshold is not None and style != "bands":
        levels = [settings.threshold]
    levels = [min(max(level + DARKER * settings.darkness, 0.0), 1.0) for level in levels]
    tones = np.zeros_like(grey)
    for level in levels:
        tones += (grey > level).astype(np.float32) / np.float32(len(levels))
    if style == "line-like edges":
        tones = np.minimum(tones, (_lines(small, settings.strength, settings.detail) > 0.5).astype(np.float32))
    tones = _rounded_off(_without_crumbs(tones), len(levels))
    if one_piece:
        tones = _in_one_piece(tones)
    value, clear = (
        np.rint(255 * tone).astype(np.uint8) for tone in (tones, _rounded_off(inside.astype(np.float32), 1))
    )
    return Raster(np.dstack([value, value, value, clear]))


def _flowing(small: NDArray[np.uint8]) -> Grey:
    """Grey, smoothed within areas and along their edges."""
    smooth: Any = small
    for _ in range(3):
        smooth = cv2.bilateralFilter(smooth, 9, 28, 5)
    whole = cv2.cvtColor(smooth, cv2.COLOR_RGB2GRAY).astype(np.float32) / np.float32(255)
    grey = np.asarray(cv2.GaussianBlur(whole, (0, 0), 1.2), np.float32)
    tangent_x, tangent_y = _tangents(grey)
    rows, columns = np.mgrid[0 : grey.shape[0], 0 : grey.shape[1]].astype(np.float32)
    total, weight = grey.copy(), np.ones_like(grey)
    for way in (1.0, -1.0):
        x, y = columns.copy(), rows.copy()
        for step in range(STEPS):
            x += way * cv2.remap(tangent_x, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
            y += way * cv2.remap(tangent_y, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
            share = float(np.exp(-((step + 1) ** 2) / (2 * (STEPS / 2) ** 2)))
            total += share * cv2.remap(grey, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
            weight += share
    return np.asarray(total / weight)


def _tangents(grey: Grey) -> tuple[Grey, Grey]:
    """Unit directions along edges: the smaller eigenvector of the smoothed structure tensor."""
    gx, gy = cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1)
    xx, yy, xy = (cv2.GaussianBlur(v, (0, 0), 3.0) for v in (gx * gx, gy * gy, gx * gy))
    angle = 0.5 * np.arctan2(2 * xy, xx - yy) + np.pi / 2
    return np.cos(angle).astype(np.float32), np.sin(angle).astype(np.float32)


def _levels(values: NDArray[np.float32], count: int) -> list[float]:
    """Borders between ``count`` tones: half-way between the centres of a k-means of the grey levels."""
    sample = values[:: max(1, len(values) // 60_000)].astype(np.float32)
    centres = np.quantile(sample, (np.arange(count) + 0.5) / count)
    for _ in range(30):
        owner = np.argmin(np.abs(sample[:, None] - centres[None]), 1)
        moved = np.array([sample[owner == k].mean() if (owner == k).any() else centres[k] for k in range(count)])
        if np.abs(moved - centres).max() < 1e-4:
            break
        centres = moved
    centres = np.sort(centres)
    return [float(v) for v in (centres[1:] + centres[:-1]) / 2]


def _lines(small: NDArray[np.uint8], strength: float, detail: float) -> Grey:
    """Edges as dark lines on light: how strongly, and how fine ones."""
    plain = cv2.cvtColor(small, cv2.COLOR_RGB2GRAY).astype(np.float32) / np.float32(255)
    grey = cv2.bilateralFilter(plain, 9, 0.1, 4)
    wide = max(small.shape[:2]) / 500
    edge = 0.9 * wide * 3.0 ** (1 - 2 * detail)
    fine, coarse = cv2.GaussianBlur(grey, (0, 0), edge), cv2.GaussianBlur(grey, (0, 0), 1.6 * edge)
    sharp = fine + STRONGEST * strength * (fine - coarse)
    ground = (0.25 + 0.6 * strength) * cv2.GaussianBlur(grey, (0, 0), 12 * wide)
    return np.asarray(np.clip((sharp - ground) * 5 + 0.5, 0, 1))


def _without_crumbs(tones: Grey) -> Grey:
    """Dark and light specks too small to cut or weed give way to what surrounds them."""
    size = max(tones.shape)
    radius = max(1, round(size / 700))
    ring = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1))
    return np.asarray(cv2.morphologyEx(cv2.morphologyEx(tones, cv2.MORPH_OPEN, ring), cv2.MORPH_CLOSE, ring))


def _rounded_off(tones: Grey, steps: int) -> Grey:
    """Areas of ``steps`` + 1 tones with smooth edges a pixel soft: each place takes the tone that is most about it, so
    that no sliver of a third tone comes between two."""
    sigma = SMOOTHING * max(tones.shape) + 0.6
    index = np.rint(tones * steps).astype(np.uint8)
    total, weights = np.zeros_like(tones), np.zeros_like(tones)
    for k in range(steps + 1):
        about = cv2.GaussianBlur((index == k).astype(np.float32), (0, 0), sigma)
        weight = np.maximum(about, np.float32(1e-6)) ** np.float32(SOFT * sigma)
        total += weight * np.float32(k / steps)
        weights += weight
    return np.asarray(total / weights)


def _in_one_piece(tones: Grey) -> Grey:
    """Dark islands worth keeping are tied to the nearest dark part by a bar, the others dropped."""
    result = tones.copy()
    dark = (result < 0.5).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(dark, connectivity=8)
    if count <= 2:
        return result
    order = 1 + np.argsort(-stats[1:, cv2.CC_STAT_AREA])
    joined = labels == order[0]
    width = max(2, round(BRIDGE * max(tones.shape)))
    ink = int(stats[1:, cv2.CC_STAT_AREA].sum())
    for k in order[1:]:
        part = labels == k
        if stats[k, cv2.CC_STAT_AREA] < WORTH * ink:
            result[cv2.dilate(part.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0] = 1.0
            continue
        start, end = _closest(part, joined)
        cv2.line(result, start, end, 0.0, width, cv2.LINE_8)
        joined |= part
    soft = cv2.GaussianBlur(result, (0, 0), 0.7)
    return np.asarray(np.where(np.abs(soft - result) > 0.02, soft, result))


def _closest(part: NDArray[np.bool_], other: NDArray[np.bool_]) -> tuple[tuple[int, int], tuple[int, int]]:
    """The pixels (x, y) of two masks that are nearest to each other."""
    distance, nearest = cv2.distanceTransformWithLabels(
        1 - other.astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    rows, columns = np.nonzero(part)
    k = int(np.argmin(distance[rows, columns]))
    wanted = nearest[rows[k], columns[k]]
    there = np.argwhere((nearest == wanted) & other)[0]
    return (int(columns[k]), int(rows[k])), (int(there[1]), int(there[0]))
