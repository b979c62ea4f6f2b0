"""Pictures for a beam that is on or off: tones become dots, row by row.

Tones are darkness, 0 for paper to 1 for black. What is white stays unburnt.
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from nibble_core.geometry import Bundle
from nibble_core.toolpaths.hatching import as_strokes
from nibble_core.toolpaths.scan_kernels import runs_of_levels, screened

Tones = NDArray[np.uint8]
"""Darkness in 256 levels, (h, w); 0 is paper."""

GREY_LEVELS = 32  # of power: more are finer than a beam's answer
BLUR = 2.0  # px of the blur that sharpening takes away


def toned(
    tones: Tones, *, contrast: float = 0.0, sharpness: float = 0.0, curve: float = 1.0, invert: bool = False
) -> Tones:
    """Tones as the material wants them. contrast: -1 to 1, about middle grey. sharpness: share of the detail that is
    added again (unsharp masking). curve: exponent of the material's answer, over 1 for one that darkens early."""
    level = np.arange(256) / 255.0
    if invert:
        level = 1 - level
    level = np.clip((level - 0.5) * math.tan((contrast + 1) * math.pi / 4 * 0.999) + 0.5, 0, 1) ** curve
    found: Tones = np.asarray(cv2.LUT(tones, np.rint(level * 255).astype(np.uint8)), np.uint8)
    if sharpness > 0:
        soft = cv2.GaussianBlur(found, (0, 0), BLUR)
        found = np.asarray(cv2.addWeighted(found, 1 + sharpness, soft, -sharpness, 0), np.uint8)
    return found


def diffused(tones: Tones) -> NDArray[np.bool_]:
    """Error diffusion (Floyd and Steinberg, 1976): what a dot is too dark or too light goes to those after it."""
    bits = np.asarray(Image.fromarray(255 - tones).convert("1"))
    return ~bits


def ordered(tones: Tones) -> NDArray[np.bool_]:
    """An ordered pattern of 8 by 8 thresholds (Bayer, 1973): regular, without grain."""
    h, w = tones.shape
    tile = ((_BAYER + 0.5) * 4).astype(np.uint8)
    limits = np.tile(tile, (-(-h // 8), -(-w // 8)))[:h, :w]
    return tones > limits


def halftone(tones: Tones, *, screen: float, angle: float) -> NDArray[np.bool_]:
    """Round dots that grow with the tone, on a grid ``screen`` pixels wide, turned by ``angle`` degrees.

    A place is burnt where its tone exceeds the share of its cell that lies nearer to the dot's middle. Dots and pixels
    do not agree: in every block of 8 pixels, or as many as a dot is wide, those nearest to it are added or left out
    until the block is as dark as it should be.
    """
    h, w = tones.shape
    turn = math.radians(angle)
    along, aside = (part * 2 * math.pi / screen for part in (math.cos(turn), math.sin(turn)))
    across, down = (
        np.stack([np.cos(at * along), np.sin(at * along), np.cos(at * aside), np.sin(at * aside)]).astype(np.float32)
        for at in (np.arange(w) + 0.5, np.arange(h) + 0.5)
    )
    block = 8 * max(1, math.ceil(screen / 8))
    return np.asarray(screened(np.ascontiguousarray(tones), _SPOT_CDF, across, down, block), np.bool_)


def strokes_of(
    levels: NDArray[np.uint8], pitch: float, left: float, top: float, *, one_way: bool = False
) -> tuple[Bundle, NDArray[np.float64]]:
    """A stroke for each run of equal levels above 0 along the rows of a picture, and its share of the power (n,).

    pitch: mm of a pixel; left, top: of the picture. Rows run along the middles of pixels.
    """
    rows, begins, ends, level = runs_of_levels(np.ascontiguousarray(levels), one_way)
    strokes = np.empty((len(rows), 4))
    strokes[:, 1] = strokes[:, 3] = top + (rows + 0.5) * pitch
    strokes[:, 0], strokes[:, 2] = left + begins * pitch, left + ends * pitch
    top_level = max(int(levels.max(initial=1)), 1)
    return as_strokes(strokes), level / top_level


def in_levels(tones: Tones, count: int = GREY_LEVELS) -> NDArray[np.uint8]:
    """Tones in so many levels of power, 0 for none."""
    steps = np.rint(np.arange(256) / 255.0 * count).astype(np.uint8)
    return np.asarray(cv2.LUT(tones, steps), np.uint8)


def _bayer(order: int) -> NDArray[np.int64]:
    if order == 0:
        return np.zeros((1, 1), np.int64)
    less = _bayer(order - 1)
    return np.block([[4 * less, 4 * less + 2], [4 * less + 3, 4 * less + 1]])


def _spot_shares(steps: int) -> NDArray[np.uint8]:
    """Of a cell, in 255ths, the share whose cosine sum lies above each value from -2 to 2, plus nothing at the top."""
    at = (np.arange(512) + 0.5) * 2 * math.pi / 512
    values = np.sort((np.cos(at)[:, None] + np.cos(at)[None, :]).ravel())
    above = 1 - np.searchsorted(values, np.linspace(-2, 2, steps)) / values.size
    return np.clip(np.rint(above * 255), 0, 254).astype(np.uint8)


_BAYER = _bayer(3)
_SPOT_CDF = _spot_shares(4096)
