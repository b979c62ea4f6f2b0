"""What an artwork is and what will work with it, in plain words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.artwork.facts import Facts
from nibble_core.artwork.lettering import LetterBox, probable_lettering
from nibble_core.artwork.palette import find_palette
from nibble_core.artwork.threshold import suggested_threshold
from nibble_core.formats.client_drawing import Lettering
from nibble_core.graphics import Colour, Raster

LOOK_PX = 900
PHOTO_FLAT = 0.72  # share of pixels near one of its flat colours under which a picture is a photo
NEAR_FLAT = 26.0  # levels
TINY = 120  # px: a logo smaller than this along its longer side is a thumbnail
SMALL = 300  # px: a soft one smaller than this was reduced and enlarged on its way
SOFT = 1.22  # px over which an edge goes from ink to paper, of a picture that was resampled
RESTLESS = 8.5  # levels about its flat colours, of a photo of few tones
UNEVEN = 5.0  # levels about its flat colours, of a drawing under uneven light
ON_LINE = 30.0  # levels off the straight way from ink to paper, of its shades
LINE_EVEN = 0.42  # spread of line widths over their median, of strokes of a pen
LINE_LONG = 150.0  # length of all strokes over their width, of what encloses nothing: longer than a shape or a word
ENCLOSED = ((0.9, 0.6), (1.5, 1.2))
"""Paper enclosed over ink from which it is drawn round rather than filled, and the spread of widths up to then: pens
and brushes may differ the more, the more they enclose."""
SOLID = 0.3  # share of the ink that lies deeper than its lines are wide
FEWEST_WIDTHS = 22.0  # length of all lines over their width; shorter ones are a ring or a dot

ASK = (
    "Could you send us the original of your logo, as PDF, SVG or DXF, or as a picture at least {px} px wide? "
    "The one we have is too small to come out sharp."
)


@dataclass(frozen=True)
class Verdict:
    """kind: paths, line drawing, filled shapes, flat colours or photo. advice: print, two-tone, colours,
    centre-lines, paths or ask. sentence: what will work; request: what to send the client, if anything.

    flat_colours: how many, paper left out; noise: levels within flat areas; softness: px an edge takes; lettering:
    where it may be.
    """

    kind: str
    advice: str
    sentence: str
    request: str = ""
    flat_colours: int = 0
    noise: float = 0.0
    softness: float = 0.0
    lettering: tuple[LetterBox, ...] = ()


def judged(raster: Raster, facts: Facts, *, paths: int = 0, lettering: Sequence[Lettering] = ()) -> Verdict:
    """The verdict on a picture, or on a drawing of so many ``paths`` seen as one."""
    shown, grey = _reduced(raster)
    palette = find_palette(shown)
    level = suggested_threshold(grey)
    ink = grey < level
    flat, noise = _flatness(shown, palette)
    softness = _softness(grey, raster.width / shown.shape[1])
    boxes = probable_lettering(ink)
    inks = len(palette) - _has(palette, facts.paper)
    measured = {"flat_colours": inks, "noise": noise, "softness": softness, "lettering": boxes}
    if paths:
        words = "1 path" if paths == 1 else f"{paths} paths"
        sentence = f"{words} of the client’s own: use them as they are; nothing needs tracing."
        fonts = sorted({found.font for found in lettering})
        request = (
            f"Could you turn the text in {', '.join(fonts)} into outlines and send the file again?" if fonts else ""
        )
        return Verdict("paths", "paths", sentence, request, **measured)  # type: ignore[arg-type]
    kind = _kind(facts, palette, flat, noise, ink)
    if kind == "photo":
        measured["lettering"] = ()  # texture reads as letters; and nobody sets a photo again in a font
    longer = max(raster.width, raster.height)
    if longer < TINY or (softness > SOFT and longer < SMALL):
        wanted = "It is too small and too soft to come out well."
        sentence = f"{_NAMES[kind]} of {raster.width} × {raster.height} px. {wanted} Ask the client for the original."
        return Verdict(kind, "ask", sentence, ASK.format(px=1200), **measured)  # type: ignore[arg-type]
    advice = {"photo": "print", "line drawing": "two-tone", "filled shapes": "two-tone", "flat colours": "colours"}[
        kind
    ]
    return Verdict(kind, advice, _SENTENCES[kind].format(count=inks), **measured)  # type: ignore[arg-type]


_NAMES = {
    "photo": "A photo", "line drawing": "A line drawing", "filled shapes": "Filled shapes",
    "flat colours": "Flat colours",
}  # fmt: skip
_SENTENCES = {
    "photo": "A photo: print it and cut a contour round it, or turn it into flat tones first.",
    "line drawing": "A line drawing: trace it two-tone, or its strokes by their centre-lines.",
    "filled shapes": "Filled shapes in one colour: trace them two-tone.",
    "flat colours": "{count} flat colours: trace them as colours, or print it and cut a contour.",
}


def _reduced(raster: Raster) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
    shown = np.ascontiguousarray(raster.over_white())
    scale = LOOK_PX / max(shown.shape[:2])
    if scale < 1:
        size = max(1, round(shown.shape[1] * scale)), max(1, round(shown.shape[0] * scale))
        shown = np.ascontiguousarray(cv2.resize(shown, size, interpolation=cv2.INTER_AREA))
    return shown, cv2.cvtColor(shown, cv2.COLOR_RGB2GRAY).astype(np.float32) / np.float32(255)


def _kind(facts: Facts, palette: NDArray[np.float64], flat: float, noise: float, ink: NDArray[np.bool_]) -> str:
    if noise > UNEVEN and len(palette) <= 5 and _shades_of_one_ink(palette):
        return "line drawing" if _is_line_drawing(ink) else "filled shapes"
    coloured = palette[(palette.max(1) - palette.min(1)) > 34]
    if flat < PHOTO_FLAT or len(palette) > 16 or (noise > RESTLESS and len(palette) > 5):
        greys = len(coloured) == 0 and facts.is_grey
        # a pencil drawing under uneven light is no photo: nearly all of it is paper
        if not (greys and 0.005 < ink.mean() < 0.45 and _is_line_drawing(ink)):
            return "photo"
        return "line drawing"
    if len(palette) > 2 and len(coloured) > 0 and not (facts.is_grey and len(palette) <= 3):
        return "flat colours"
    if len(palette) > 4:
        return "flat colours"
    return "line drawing" if _is_line_drawing(ink) else "filled shapes"


def _has(palette: NDArray[np.float64], colour: Colour | None) -> bool:
    return colour is not None and len(palette) > 1 and bool((np.abs(palette - colour).max(1) <= NEAR_FLAT).any())


def _shades_of_one_ink(palette: NDArray[np.float64]) -> bool:
    """All colours lie on the way from the darkest to the lightest."""
    order = np.argsort(palette.sum(1))
    dark, light = palette[order[0]], palette[order[-1]]
    way = (light - dark) / max(float(np.linalg.norm(light - dark)), 1e-9)
    beside = palette - dark - np.outer((palette - dark) @ way, way)
    return bool(np.linalg.norm(beside, axis=1).max() < ON_LINE)


def _flatness(shown: NDArray[np.uint8], palette: NDArray[np.float64]) -> tuple[float, float]:
    """Share of pixels near a flat colour, and the usual distance of those from it, in levels."""
    pixels = shown.reshape(-1, 3)[:: max(1, shown.size // 3 // 150_000)].astype(np.float32)
    best = np.full(len(pixels), 1e9, np.float32)
    for colour in palette.astype(np.float32):
        np.minimum(best, ((pixels - colour) ** 2).sum(1), out=best)
    off = np.sqrt(best)
    near = off < NEAR_FLAT
    return float(near.mean()), float(off[near].mean()) if near.any() else 0.0


def _softness(grey: NDArray[np.float32], scale: float) -> float:
    """Pixels of the original that a strong edge takes from ink to paper: contrast over slope."""
    dx, dy = cv2.Sobel(grey, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(grey, cv2.CV_32F, 0, 1) / 8
    slope = cv2.magnitude(dx, dy)
    square = np.ones((7, 7), np.uint8)
    contrast = cv2.dilate(grey, square) - cv2.erode(grey, square)
    ridge = (slope >= cv2.dilate(slope, np.ones((3, 3), np.uint8)) - 1e-6) & (contrast > 0.35) & (slope > 0.03)
    if ridge.sum() < 10:
        return 0.0
    return float(np.median(contrast[ridge] / np.maximum(slope[ridge], 1e-3))) / 2 * scale


def _is_line_drawing(ink: NDArray[np.bool_]) -> bool:
    """Most ink lies in lines that go round paper, or in strokes of about one width that are far longer than wide: a
    key, a word or an anchor is a solid shape, however even its parts are."""
    mask = np.pad(ink.astype(np.uint8), 1)
    depth = cv2.distanceTransform(mask, cv2.DIST_L2, 5)
    # the ridge of the depth is the middle of the lines
    ridge = (depth >= cv2.dilate(depth, np.ones((3, 3), np.uint8)) - 0.01) & (depth > 0.9)
    halves = depth[ridge]
    if len(halves) < 30:
        return False
    width = 2 * float(np.median(halves))
    if width > 0.09 * max(ink.shape):
        return False
    low, high = np.percentile(halves, [12, 88])
    even = (high - low) / 2 / max(float(np.median(halves)), 1e-6)
    length = ink.sum() / max(width, 1.0) / max(width, 1.0)
    deep = float((depth > width).sum()) / max(float(mask.sum()), 1.0)
    if length < FEWEST_WIDTHS or deep > SOLID:
        return False
    outer, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    filled = cv2.drawContours(np.zeros_like(mask), outer, -1, 1, cv2.FILLED)
    enclosed = float(filled.sum()) / max(float(mask.sum()), 1.0) - 1
    if even < LINE_EVEN and length > LINE_LONG:
        return True
    return any(enclosed > most and even < spread for most, spread in ENCLOSED)
