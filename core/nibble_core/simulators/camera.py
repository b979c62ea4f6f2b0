"""A camera that finds registration marks in pixels, and says how sure it is of each.

It knows how a mark looks and about where it should be, and nothing else. A mark's middle is that of its ink (weighted
by how dark each pixel is), which blur, gain and a turn leave where it is; a mark whose ink is not whole is told, since
its middle would be wrong.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

INCH = 25.4
WITHIN = 0.35  # share by which the size of a mark may be another than it should be
ALIKE = 0.93  # correlation with the mark as it should look, from which it is one
MISSING, BEYOND = 0.002, 0.012  # shares of its ink that may be missing, and that may lie beyond it
EDGE = 1.6, 2.2  # px within and beyond a mark's edge that are neither ink nor paper
CONTRAST = 40  # levels between ink and paper, at least
AFAR, NEAR = 40.0, 1.0  # mm of reach beyond which a mark is first looked for with fewer pixels; round where it was seen
FINE = 8  # times as fine, that a mark is drawn before it is compared
BESIDE_ARM = 0.3  # mm beside a corner's arm that blur and spread ink may take
BAR = 0.25  # of half a mark's width, that half a bar is wide

Look = Callable[[tuple[float, float, float, float], float], NDArray[np.uint8]]
"""The picture (rows, columns, 3) of what lies within left, top, right and bottom mm, at so many pixels an inch."""


@dataclass(frozen=True)
class MarkLook:
    """A mark: “circles”, “squares”, “crosses” or “corners”, so many mm wide. across, down: which way a corner's arms
    go, 1 right and down, -1 left and up."""

    shape: str
    width: float
    across: int = 1
    down: int = 1

    def middle_of_ink(self, area: float) -> tuple[float, float]:
        """Of an untouched mark, mm from its place, where its ink covers so many mm²: the more it spreads, the nearer to
        the place."""
        if self.shape != "corners":
            return 0.0, 0.0
        half, bar = self.width / 2, self.width * BAR
        edge = 4 * self.width  # round a corner of two arms
        spread = (area - bar * (2 * self.width - bar)) / edge
        half, bar = half + spread, bar + 2 * spread
        long, short = 2 * half * bar, (2 * half - bar) * bar  # the arm across whole, the one down without the corner
        off = (short * (bar / 2 - half)) / (long + short)
        along = (long * (bar / 2 - half) + short * (bar / 2)) / (long + short)
        return self.across * off, self.down * along


@dataclass(frozen=True)
class Found:
    """A mark that was found: its middle, mm; sure: correlation with how it should look, 0 to 1; whole: whether all its
    ink is there; away: mm from where it was looked for; others: how many more look like it nearby."""

    x: float
    y: float
    sure: float
    whole: bool
    away: float
    others: int = 0


def find_mark(
    look: Look, expected: tuple[float, float], reach: float, mark: MarkLook, *, ppi: float, turn: float = 0.0,
    stretch: tuple[float, float] = (1.0, 1.0), uneven: float = math.inf,
) -> Found | None:  # fmt: skip
    """The mark that lies nearest to where it is expected, within ``reach`` mm; None where nothing there looks like it.
    turn: degrees against the clock that the sheet is known to lie turned by; stretch: shares of its size, across and
    down, that it is known to have. uneven: mm by which the arms of a corner may differ and be whole, once it is known
    how the sheet lies."""
    if reach > AFAR:  # with fewer pixels it is seen that a mark is there; where its middle lies, with all of them
        seen = _find(look, expected, reach, mark, ppi / 2, turn, stretch, uneven)
        near = seen and _find(look, (seen.x, seen.y), NEAR, mark, ppi, turn, stretch, uneven)
        if seen and near:
            return replace(near, away=math.dist((near.x, near.y), expected), others=seen.others)
    return _find(look, expected, reach, mark, ppi, turn, stretch, uneven)


def _find(
    look: Look, expected: tuple[float, float], reach: float, mark: MarkLook, ppi: float, turn: float,
    stretch: tuple[float, float], uneven: float,
) -> Found | None:  # fmt: skip
    """As ``find_mark``, in one picture."""
    beyond = reach + mark.width
    x, y = expected
    box = (x - beyond, y - beyond, x + beyond, y + beyond)
    red, green, blue = cv2.split(look(box, ppi))
    sums = cv2.add(cv2.add(red, green, dtype=cv2.CV_16U), blue, dtype=cv2.CV_16U)  # of three, and so grey
    counts = cv2.calcHist([sums], [0], None, [766], [0, 766]).ravel()  # quantiles of many pixels are read off it
    grey = sums.astype(np.float32)
    per_mm = ppi / INCH
    # a mark may be a small part of what is seen; a single dark pixel is none
    paper, ink = float(_quantile(counts, 0.95)), float(cv2.blur(grey, (5, 5)).min())
    if paper - ink < 3 * CONTRAST:
        return None
    lighter = np.where(2 * np.arange(766) > paper + ink, counts, 0)
    paper = float(_quantile(lighter, 0.5))
    dark = (paper - grey) / (paper - ink)
    count, labels, stats, _ = cv2.connectedComponentsWithStats((dark > 0.5).astype(np.uint8), connectivity=8)
    size = mark.width * per_mm
    found: list[Found] = []
    for k in range(1, count):
        left, top, wide, high, _ = (int(v) for v in stats[k])
        slack = 1 + WITHIN + abs(math.sin(math.radians(turn)))
        if not (size / slack < wide < size * slack and size / slack < high < size * slack):
            continue
        if left < 3 or top < 3 or left + wide > dark.shape[1] - 3 or top + high > dark.shape[0] - 3:
            continue
        one = _measured(dark, labels == k, (left, top, wide, high), mark, per_mm, turn, stretch, uneven)
        if one is None:
            continue
        at = one.x + box[0], one.y + box[1]
        away = math.dist(at, expected)
        if away <= reach:
            found.append(Found(*at, one.sure, one.whole, away))
    if not found:
        return None
    best = min(found, key=lambda one: one.away)
    return Found(best.x, best.y, best.sure, best.whole, best.away, len(found) - 1)


def _quantile(counts: NDArray[Any], share: float) -> int:
    """The value that such a share of what was counted does not pass; counts: of each value from 0."""
    below = np.cumsum(counts, dtype=np.float64)
    return int(np.searchsorted(below, share * below[-1]))


def _measured(
    dark: NDArray[np.float32], own: NDArray[np.bool_], at: tuple[int, int, int, int], mark: MarkLook, per_mm: float,
    turn: float, stretch: tuple[float, float], uneven: float,
) -> Found | None:  # fmt: skip
    """One dark spot as a mark, its middle in mm of the picture; None where it looks like something else."""
    left, top, wide, high = at
    rim = max(4, round(0.12 * mark.width * per_mm))
    y0, x0 = max(0, top - rim), max(0, left - rim)
    near = dark[y0 : top + high + rim, x0 : left + wide + rim]
    inner = own[y0 : top + high + rim, x0 : left + wide + rim].astype(np.uint8)
    solid = cv2.erode(inner, np.ones((5, 5), np.uint8)) > 0
    if not solid.any():
        return None
    near = near / np.float32(np.median(near[solid]))
    others = cv2.dilate(inner, np.ones((7, 7), np.uint8))
    ink = near * others  # what else lies near is not its own
    total = float(ink.sum())
    rows, columns = np.mgrid[: ink.shape[0], : ink.shape[1]]
    middle_x, middle_y = float((ink * columns).sum()) / total, float((ink * rows).sum()) / total
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    dx, dy = mark.middle_of_ink(total / per_mm**2 / (stretch[0] * stretch[1]))
    dx, dy = dx * stretch[0], dy * stretch[1]
    off = dx * c + dy * s, -dx * s + dy * c
    place = middle_x - off[0] * per_mm, middle_y - off[1] * per_mm
    wanted = _drawn(mark, near.shape, place, per_mm, turn)
    sure = float(np.corrcoef(wanted.ravel(), near.ravel())[0, 1])
    if not sure > ALIKE * 0.75:
        return None
    # some ink more or less at the edge is how a press prints; what lacks further in is damage
    solid = cv2.erode((wanted > 0.5).astype(np.uint8), _disc(EDGE[0])) > 0
    smooth = cv2.medianBlur(np.rint(np.clip(near, 0, 1) * 255).astype(np.uint8), 3)
    bare = float(((smooth < 128) & solid).sum()) / max(1, int(solid.sum()))
    beyond = cv2.dilate((wanted > 0.5).astype(np.uint8), _disc(EDGE[1] + 0.02 * mark.width * per_mm)) > 0
    over = float(((smooth > 128) & ~beyond & (others > 0)).sum()) / max(1, int((wanted > 0.5).sum()))
    whole = bare < MISSING and over < BEYOND
    if mark.shape == "corners" and uneven < math.inf:
        whole = whole and _arms_apart(ink, mark, place, per_mm, turn, stretch) <= uneven
    if whole and sure < ALIKE:
        return None
    return Found((place[0] + x0 + 0.5) / per_mm, (place[1] + y0 + 0.5) / per_mm, sure, whole, 0.0)


def _arms_apart(
    ink: NDArray[np.float32], mark: MarkLook, place: tuple[float, float], per_mm: float, turn: float,
    stretch: tuple[float, float],
) -> float:  # fmt: skip
    """By how many mm one arm of a corner is longer than the other: their areas are alike however the sheet has grown
    and its ink has spread, and no other sign tells that an end was scratched off along its edge."""
    rows, columns = ink.shape
    x, y = np.meshgrid((np.arange(columns) - place[0]) / per_mm, (np.arange(rows) - place[1]) / per_mm)
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    u, v = (x * c - y * s) * mark.across / stretch[0], (x * s + y * c) * mark.down / stretch[1]
    bar = mark.width * BAR
    ends = bar - mark.width / 2 + BESIDE_ARM
    across, down = (float((ink * np.clip((ends - one) * per_mm + 0.5, 0, 1)).sum()) for one in (v, u))
    return abs(across - down) / per_mm**2 / bar


def _disc(radius: float) -> NDArray[np.uint8]:
    size = 2 * math.ceil(radius) + 1
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)), np.uint8)


def _drawn(
    mark: MarkLook, shape: tuple[int, ...], place: tuple[float, float], per_mm: float, turn: float
) -> NDArray[np.float32]:
    """How a mark should look there: the share of each pixel that is ink."""
    rows, columns = shape[:2]
    axis_y, axis_x = (np.arange(n * FINE, dtype=np.float32) / FINE - 0.5 + 0.5 / FINE for n in (rows, columns))
    x, y = np.meshgrid((axis_x - place[0]) / per_mm, (axis_y - place[1]) / per_mm)
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    u, v = x * c - y * s, x * s + y * c
    half, bar = mark.width / 2, mark.width * BAR
    if mark.shape == "circles":
        inside = u * u + v * v <= half * half
    elif mark.shape == "squares":
        inside = (np.abs(u) <= half) & (np.abs(v) <= half)
    elif mark.shape == "crosses":
        along, across = np.abs(u), np.abs(v)
        inside = ((along <= bar / 2) & (across <= half)) | ((across <= bar / 2) & (along <= half))
    else:
        u, v = u * mark.across, v * mark.down
        within = (np.abs(u) <= half) & (np.abs(v) <= half)
        inside = within & ((u <= bar - half) | (v <= bar - half))
    return np.asarray(inside.reshape(rows, FINE, columns, FINE).mean((1, 3)), np.float32)
