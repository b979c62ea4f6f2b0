"""Taking the background away, with clean soft edges.

A pixel on a soft edge shows C = a F + (1 - a) B: so much of the drawing's colour F, the rest background B. The
flood tells where B is surely alone; F is read from solid pixels nearby; the share a follows. The pixel then
keeps F with alpha a, and no fringe of the old background is left. (The matting equation: Porter and Duff,
SIGGRAPH '84.)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.artwork.brush import Stroke
from nibble_core.artwork.nearest import nearest_colours
from nibble_core.artwork.subject import doubtful, subject_mask, with_soft_edges
from nibble_core.errors import InvalidTicket, NothingToTrace
from nibble_core.graphics import Pixels, Raster

Numbers = NDArray[np.float64]
Way = Literal["by itself", "flood", "places", "one colour", "subject", "see-through", "keep"]
SOFT, SOFTEST = 2, 12  # px: how far a crisp and the softest edge reach from the flood
BEYOND = 2  # px further in, where the contrast is compared
RISEN = 0.93  # of the drawing's own contrast, at which an edge is over
SPECK_PX, SPECK_SHARE, FAINT = 24, 2e-4, 2.0  # an island smaller than these and under twice the tolerance is noise
LIKE = 16  # levels of a channel that set no colour apart from the background
LOOKED_AT = 1000  # px, longer side of the picture in which pale parts are looked for
PALE, LEAST_PALE = 0.3, 5.0  # of the tolerance, and levels, from which a part differs from the background
PALE_WIDE, PALE_SHARE = 0.006, 0.0015  # of the longer side that its half width is, of the picture that it covers
STEP, STEP_WIDE = 0.25, 3  # of the tolerance by which it rises within so many px
SOLID_REACH = 2.0  # times the reach of the edge: how far F may be fetched


@dataclass(frozen=True, eq=False)
class Cleaned:
    """The picture without its background, how it was taken away and what share of the picture went.

    doubt: where that may be wrong, as fractions of the picture, and why: the subject's “edge”, what “went” beside it,
    or “pale” parts that went along."""

    raster: Raster
    way: Way
    taken: float
    doubt: tuple[str, float, float] | None = None


def take_background_away(
    raster: Raster,
    *,
    way: Way = "by itself",
    tolerance: float = 0.1,
    places: Sequence[tuple[float, float]] = (),
    subject: Sequence[Stroke] = (),
    not_subject: Sequence[Stroke] = (),
) -> Cleaned:
    """``way``: “flood” takes everything connected to the border within ``tolerance`` (0 to 1 of full contrast)
    of the border's colour; “places” what is connected to any of ``places`` (fractions of the picture) and like it
    there; “one colour” the colour of the first place, or of the border, wherever it is; “subject” all but what stands
    in the middle, corrected by strokes; “see-through” trusts the picture's own alpha; “by itself” trusts the alpha if
    it leaves the border clear, or shows one colour only, else floods if the border is plain; “keep” leaves all.

    Raises NothingToTrace when nothing would be left.
    """
    if way == "by itself":
        way = _best_way(raster, tolerance)
    doubt: tuple[str, float, float] | None = None
    if way == "flood":
        cleaned = _flooded(raster, tolerance)
        pale = pale_parts(raster, cleaned, tolerance)
        doubt = None if pale is None else ("pale", *pale)
    elif way == "places":
        cleaned = raster
        for place in places:
            cleaned = _taken_at(cleaned, place, tolerance, everywhere=False)
    elif way == "one colour":
        cleaned = _taken_at(raster, places[0] if places else None, tolerance, everywhere=True)
    elif way == "subject":
        mask = subject_mask(raster, subject, not_subject)
        cleaned = with_soft_edges(raster, mask)
        doubt = doubtful(raster, mask)
    elif way == "see-through":
        cleaned = _without_fringe(raster)
    elif way == "keep":
        cleaned = raster
    else:
        raise InvalidTicket(f"“{way}” is no way to take a background away.", f"Choose {', '.join(get_args(Way))}.")
    if cleaned.alpha.max() < 128:
        raise NothingToTrace(
            "Taking the background away leaves nothing.", "Lower the tolerance, or keep the background."
        )
    return Cleaned(cleaned, way, float((cleaned.alpha < 128).mean()), doubt)


def pale_parts(raster: Raster, cleaned: Raster, tolerance: float) -> tuple[float, float] | None:
    """Where something paler than the tolerance went with the background, as fractions of the picture; None if nothing
    did. Such a part is flat, and ends in a step: uneven light and noise have neither."""
    scale = min(1.0, LOOKED_AT / max(raster.width, raster.height))
    size = max(8, round(raster.width * scale)), max(8, round(raster.height * scale))
    shown, before, after = (
        np.asarray(cv2.resize(np.ascontiguousarray(one), size, interpolation=cv2.INTER_AREA), np.uint8)
        for one in (raster.over_white(), raster.alpha, cleaned.alpha)
    )
    contrast = cv2.medianBlur(_contrast(shown, np.median(_border(shown), 0)), 5).astype(np.float32)
    reach = tolerance * 255
    went = (after < 8) & (before >= 8)
    radius = max(2, round(PALE_WIDE * max(size)))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1))
    pale = cv2.morphologyEx((went & (contrast > max(PALE * reach, LEAST_PALE))).astype(np.uint8), cv2.MORPH_OPEN, disc)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(pale, connectivity=8)
    for k in 1 + np.argsort(-stats[1:, cv2.CC_STAT_AREA])[:8]:
        if count < 2 or stats[k, cv2.CC_STAT_AREA] < PALE_SHARE * pale.size:
            break
        part = (labels == k).astype(np.uint8)
        near = cv2.dilate(part, np.ones((3, 3), np.uint8), iterations=STEP_WIDE)
        beside = (cv2.dilate(near, disc) > 0) & (near == 0) & went
        if beside.sum() < 20 or np.median(contrast[part > 0]) - np.median(contrast[beside]) < STEP * reach:
            continue
        inside = cv2.distanceTransform(part, cv2.DIST_L2, 3)
        y, x = np.unravel_index(int(np.argmax(inside)), inside.shape)
        return float(x / size[0]), float(y / size[1])
    return None


def _taken_at(raster: Raster, place: tuple[float, float] | None, tolerance: float, *, everywhere: bool) -> Raster:
    """Without what is like the colour at a place (the border's without one): connected to it, or everywhere."""
    shown = np.ascontiguousarray(raster.over_white())
    row = column = 0
    if place is None:
        colour = np.median(_border(shown), 0)
    else:
        row = min(max(int(place[1] * raster.height), 0), raster.height - 1)
        column = min(max(int(place[0] * raster.width), 0), raster.width - 1)
        colour = np.median(shown[max(0, row - 1) : row + 2, max(0, column - 1) : column + 2].reshape(-1, 3), 0)
    reach = max(1.0, tolerance * 255)
    contrast = _contrast(shown, colour)
    taken = (contrast <= reach) & (raster.alpha >= 8)
    if not everywhere:
        if not taken[row, column]:
            return raster
        _, labels = cv2.connectedComponents(taken.astype(np.uint8), connectivity=4)
        taken = labels == labels[row, column]
    if not taken.any():
        return raster
    taken |= _faint_specks(~taken & (raster.alpha >= 8), contrast, reach)
    return _unmixed(raster, shown, taken, colour)


def _contrast(shown: Pixels, colour: Numbers) -> NDArray[np.uint8]:
    """Largest difference of a channel from a colour."""
    red, green, blue = cv2.split(cv2.absdiff(shown, np.append(np.rint(colour), 0)))
    return np.asarray(cv2.max(cv2.max(red, green), blue))


def _border(pixels: np.ndarray) -> np.ndarray:
    return np.concatenate([pixels[0], pixels[-1], pixels[1:-1, 0], pixels[1:-1, -1]])


def _best_way(raster: Raster, tolerance: float) -> Way:
    border = _border(raster.pixels)
    if (border[:, 3] < 128).mean() > 0.5:
        return "see-through"
    solid = border[:, :3].astype(int)
    reach = max(tolerance * 255, 8)
    near = np.abs(solid - np.median(solid, 0)).max(1) <= reach
    if near.mean() <= 0.6:
        return "keep"
    contrast = _contrast(np.ascontiguousarray(raster.pixels[..., :3]), np.median(solid, 0))
    # one colour and nothing else is no background but a plate that fills its page
    return "flood" if (contrast[raster.alpha >= 128] > reach).any() else "see-through"


def _flooded(raster: Raster, tolerance: float) -> Raster:
    shown = np.ascontiguousarray(raster.over_white())
    background = np.median(_border(shown), 0)
    reach = max(1.0, tolerance * 255)
    contrast = _contrast(shown, background)
    # connected to the border through a frame of background laid round the picture
    near = (contrast <= reach).astype(np.uint8)
    framed = cv2.copyMakeBorder(near, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=1)
    _, labels = cv2.connectedComponents(framed, connectivity=4)
    flood = (labels == labels[0, 0])[1:-1, 1:-1]
    if not flood.any():
        return raster
    flood |= _faint_specks(~flood, contrast, reach)
    return _unmixed(raster, shown, flood, background)


def _faint_specks(left: np.ndarray, contrast: np.ndarray, reach: float) -> np.ndarray:
    """Small islands of what the flood left that hardly differ from the background: JPEG noise, uneven light."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(left.astype(np.uint8), connectivity=8)
    loud = np.bincount(labels.ravel(), (contrast > FAINT * reach).ravel(), count)
    small = stats[:, cv2.CC_STAT_AREA] < max(SPECK_PX, SPECK_SHARE * left.size)
    faint = small & (loud == 0)
    faint[0] = False
    return np.asarray(faint[labels])


def _unmixed(raster: Raster, shown: Pixels, flood: NDArray[np.bool_], background: Numbers) -> Raster:
    """The drawing without a plain background: only the soft band beside the flood is worked on."""
    mask = flood.astype(np.uint8)
    contrast = _contrast(shown, background)
    reach = edge_reach(contrast, flood)
    ring = np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)
    # the flood stops where the mix is beyond its tolerance, so it holds faintly covered pixels too: the soft
    # band reaches to both sides of its edge
    grown = cv2.dilate(mask, ring)
    soft = (grown > 0) & (cv2.erode(mask, ring) == 0)
    rows, columns = np.nonzero(soft)
    here = shown[rows, columns].astype(np.float32)
    # paper within a thin outline is as near as the outline itself, and mixes with nothing
    drawn = (grown == 0) & (contrast > LIKE)
    fore, distance = nearest_colours(shown, drawn.astype(np.uint8), rows, columns)
    thin = distance > SOLID_REACH * reach
    fore[thin] = _strongest_nearby(shown, background, rows[thin], columns[thin], reach)
    span = fore - background
    share = ((here - background) * span).sum(1) / np.maximum((span * span).sum(1), 1.0)
    alpha = np.where(flood, 0, raster.alpha).astype(np.uint8)
    share = np.where(share < 2 / 255, 0.0, np.clip(share, 0, 1))
    alpha[rows, columns] = np.minimum(np.rint(255 * share), raster.alpha[rows, columns]).astype(np.uint8)
    pixels = np.dstack([shown, alpha])
    pixels[rows, columns, :3] = np.where((share < 1)[:, None], np.clip(np.rint(fore), 0, 255), here)
    return Raster(pixels)


def edge_reach(contrast: NDArray[np.uint8], flood: NDArray[np.bool_]) -> int:
    """How many px from the flood an edge rises to the drawing's own contrast: 2 for a crisp picture, more for one that
    was enlarged or is out of focus. Where it never does, colours run into each other and nothing is soft."""
    away = cv2.distanceTransform((~flood).astype(np.uint8), cv2.DIST_L2, 3)
    if away.max() < SOFTEST:
        return SOFT

    def share(reach: int) -> float:
        at = np.abs(away - reach) <= 0.5
        window = 2 * (reach + BEYOND) + 1  # of the same colour, mostly
        highest = cv2.dilate(contrast, np.ones((window, window), np.uint8))
        return float(np.median(contrast[at] / np.maximum(highest[at], 1)))

    inside = share(SOFTEST)  # noise alone keeps it under one
    return next((reach for reach in range(SOFT, SOFTEST) if share(reach) >= RISEN * inside), SOFTEST)


def _strongest_nearby(
    picture: Pixels, background: Numbers, rows: NDArray[np.int64], columns: NDArray[np.int64], reach: int
) -> Numbers:
    """The colour furthest from the background within ``reach`` px: what a thin line would be if it were wide."""
    framed = cv2.copyMakeBorder(picture, reach, reach, reach, reach, cv2.BORDER_REPLICATE)
    apart = cv2.absdiff(framed, np.append(np.rint(background), 0.0))
    contrast = (apart[..., 0].astype(np.uint16) + apart[..., 1] + apart[..., 2]).ravel()
    best = (rows + reach) * framed.shape[1] + columns + reach
    middle, strongest = best.copy(), contrast[best]
    for dy in range(-reach, reach + 1):
        for dx in range(-reach, reach + 1):
            at = middle + (dy * framed.shape[1] + dx)
            own = contrast[at]
            better = own > strongest
            best[better], strongest[better] = at[better], own[better]
    return np.asarray(framed.reshape(-1, 3)[best], np.float64)


def _without_fringe(raster: Raster) -> Raster:
    """Own alpha kept; the colours under it are taken from solid pixels wherever they are thin."""
    rows, columns = np.nonzero(raster.alpha < 8)
    fore, distance = nearest_colours(raster.pixels[..., :3], (raster.alpha >= 250).astype(np.uint8), rows, columns)
    near = distance <= SOLID_REACH * SOFT
    pixels = raster.pixels.copy()
    pixels[rows[near], columns[near], :3] = np.rint(fore[near]).astype(np.uint8)
    return Raster(pixels)
