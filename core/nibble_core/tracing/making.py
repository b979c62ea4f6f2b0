"""How a picture's edges were made, as its pixels tell: with what noise they are to be traced, and in which light.

An edge drawn by exact coverage runs smoothly to 0.003 px and has grey in nine of ten pixels it passes, of all tones
alike. Coarse samples, hard edges reduced, sharpening and losses in saving move its samples by far more, whatever the
shape, and leave less grey; mixed in linear light the greys are lighter than half in the mean.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.artwork.threshold import edge_noise, suggested_threshold
from nibble_core.geometry import Points
from nibble_core.geometry.ring_kernels import resample
from nibble_core.graphics import Grey, Raster
from nibble_core.graphics.light import to_level, to_light
from nibble_core.tracing.iso import iso_rings
from nibble_core.tracing.jpeg_grid import has_jpeg_grid

HALF = 6  # samples on each side through which a parabola is laid
GENTLE = 0.5  # radians that a line may turn within four times as many, or its own shape shows
STRAIGHTEST = 0.5  # of the samples, in which details of a drawing show least
STRAIGHT = 0.2  # radians of turn that a step of half a pixel makes
OUTER = 97.0  # per cent of them that lie nearer: steps are rare along edges that hardly slope
FEWEST = 30  # samples that tell anything
NO_GREY = 0.04  # of the contrast: nearer to ink or paper than this is no grey
GREY_OF_EXACT = 0.91  # of an edge drawn by exact coverage: pixels nearly all ink or nearly all paper do not count
MOST_GREYS = 0.9  # of the greys, that few tones may hold
ARM = 4  # samples on each side that tell the direction of an edge
RIM, BESIDE = 1.75, 4.0  # px off an edge: where sharpening leaves a rim, and where it has ended
LEAST_CONTRAST, UNEVEN = 0.1, 0.06  # between both sides of an edge; how little of it each side varies by
PROBES = 8  # of the longest outlines, which tell of all
STRONG = 0.3  # contrast of edges whose width is looked at
ROUNDING = 2.2  # how far a corner of a blurred picture is rounded, in standard deviations of the blur
_SPREADS = np.linspace(0.2, 3.0, 60)  # px: blurs, and minus the share of the contrast that each leaves within 1 px
_SHARES = np.array([-math.erf(1 / (math.sqrt(2) * spread)) for spread in _SPREADS])
LIGHTER = 0.03  # than half is the mean of greys that were mixed in light
EVEN, BETTER = 0.045, 2.2  # as light it is half but for so little, and so many times nearer to it
TOLD_APART = 0.08  # by which mixing in light must make that mean lighter
MOSTLY_GREY = 0.78  # share of pixels along an edge, by all shares that it covers them by
FEWEST_ACROSS = 8.0  # px, by which shares are seen
EDGES = ("crisp", "soft", "without greys", "in steps", "sharpened")
ALL_BLIND, SHARPENED = 0.9, 0.3  # shares of edges that no grey tells the place of
RIMMED = 0.03  # share of the contrast by which a rim goes beyond the tones of its areas
SOFT = 1.6  # times as wide as crisp
STEPPED, FEW_STEPS = 0.03, 16  # px of scatter, and how many tones, of an edge drawn with few samples
MOST_SIDE, SOME_SIDE, LONG = 2000, 400, 60  # px of a picture, and samples of an outline
GRID_SIDE = 1000  # px, in which a grid shows
STRIP, ENOUGH, SPARSE = 48, 500_000, 8  # rows looked at together, pixels in all; every so many rows at first
COLOURED, STRONGLY = 24, 60  # levels of red over blue: of a fringe, and of its strongest places
MOST_FRINGE, EVENLY = 0.2, 0.3  # share of all pixels; of blue fringes to red ones, at least
Samples = NDArray[np.float64]


def edge_scatter(rings: Sequence[Points], step: float = 1.0) -> float:
    """px by which samples at equal steps of about ``step`` px lie off the parabola through their neighbours, at most
    but for a few in a hundred; 0 where nothing runs gently enough to tell. rings: (n, 2) each, closed.

    Parabolas by A. Savitzky and M. J. E. Golay, "Smoothing and Differentiation of Data by Simplified Least Squares
    Procedures", Analytical Chemistry 36, 1964.
    """
    return _outer([_off_neighbours(resample(np.ascontiguousarray(ring / step), 1.0)[0]) for ring in rings]) * step


def _outer(parts: Sequence[tuple[Samples, Samples]]) -> float:
    if not parts:
        return 0.0
    off, turn = (np.concatenate(part) for part in zip(*parts, strict=True))
    gentle = turn < GENTLE
    off, turn = off[gentle], turn[gentle]
    if len(off) < FEWEST:
        return 0.0
    straight = turn <= max(STRAIGHT, float(np.quantile(turn, STRAIGHTEST)))
    return float(np.percentile(off[straight], OUTER))


def _off_neighbours(samples: Points) -> tuple[Samples, Samples]:
    """Of each sample (n, 2) of a ring at steps of 1: how far it lies off the parabola, and the turn round it."""
    n, h = len(samples), HALF
    if n < 4 * h:
        return np.zeros(0), np.zeros(0)
    k = np.arange(-h, h + 1)
    weights = 3.0 * (3 * h * h + 3 * h - 1 - 5 * k * k) / ((2 * h - 1) * (2 * h + 1) * (2 * h + 3))
    round_it = samples[np.arange(-2 * h, n + 2 * h) % n]
    near = round_it[h:-h]
    smooth = np.stack([np.convolve(near[:, axis], weights, "valid") for axis in (0, 1)], 1)
    along = np.stack([np.convolve(near[:, axis], -k, "valid") for axis in (0, 1)], 1)
    along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    apart = smooth - samples
    off = np.abs(apart[:, 1] * along[:, 0] - apart[:, 0] * along[:, 1])
    arms = [round_it[h * (k + 1) : h * (k + 1) + n] - round_it[h * k : h * k + n] for k in range(4)]
    turn = np.max([_angle(one, other) for k, one in enumerate(arms) for other in arms[k + 1 :]], axis=0)
    return off, turn


def _angle(one: Points, other: Points) -> Samples:
    """Radians between directions (n, 2) and others."""
    across = one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0]
    return np.asarray(np.abs(np.arctan2(across, (one * other).sum(1))))


@dataclass(frozen=True, eq=False)
class EdgeTones:
    """Tones at every half pixel along edges that part two flat tones, from 0 for the darker to 1 for the lighter.

    passed: of the pixels that the edge passes, (n,). rims: of the pixels beside it on the darker and on the lighter
    side, (2, n), where sharpening leaves tones below 0 and above 1. across: px that the edge goes on, from one sample
    to the next, along the axis it is less parallel to: over each px of that it covers pixels by all shares alike.
    """

    passed: Samples
    rims: Samples
    across: Samples

    @property
    def tell(self) -> bool:
        return len(self.passed) >= FEWEST

    @property
    def is_grey(self) -> NDArray[np.bool_]:
        """Which pixels are neither nearly all dark nor nearly all light."""
        return (self.passed > NO_GREY) & (self.passed < 1 - NO_GREY)

    @property
    def greys(self) -> Samples:
        return self.passed[self.is_grey]

    @property
    def mean_grey(self) -> float:
        """Mean of the greys over all shares that edges cover pixels by; 0.5 where too few shares are seen."""
        weight = self.across[self.is_grey]
        return float((self.greys * weight).sum() / weight.sum()) if weight.sum() > FEWEST_ACROSS else 0.5

    @property
    def grey_across(self) -> float:
        """Share of greys over all shares that edges cover pixels by: edges along the borders of pixels have none."""
        whole = float(self.across.sum())
        return float(self.across[self.is_grey].sum()) / whole if whole > FEWEST_ACROSS else 0.0

    @property
    def blind(self) -> float:
        """Share of the edges that no grey tells the place of, beyond what exact coverage leaves: 1 without greys."""
        return max(0.0, 1.0 - len(self.greys) / len(self.passed) / GREY_OF_EXACT) if self.tell else 0.0

    @property
    def overshoot(self) -> float:
        """By what share of the contrast rims go beyond the tones of the areas."""
        return float((self.rims[1].mean() - 1 - self.rims[0].mean()) / 2) if self.tell else 0.0

    @property
    def steps(self) -> int:
        """How many tones hold nine tenths of the greys: few where an edge was drawn with few samples to a pixel."""
        counts = np.sort(np.bincount(np.rint(255 * self.greys).astype(int), minlength=256))[::-1]
        return int(np.searchsorted(counts.cumsum(), MOST_GREYS * counts.sum())) + 1 if len(self.greys) else 0


def tones_along(grey: Grey, rings: Sequence[Points]) -> EdgeTones:
    """Tones along outlines (n, 2), where the grey on both sides is flat and far enough apart."""
    none = EdgeTones(np.zeros(0), np.zeros((2, 0)), np.zeros(0))
    long_enough = [ring for ring in rings if len(ring) >= FEWEST]
    if not long_enough:
        return none
    places, normals = [], []
    for ring in long_enough:
        samples = resample(np.ascontiguousarray(ring), 0.5)[0]
        along = np.roll(samples, -ARM, 0) - np.roll(samples, ARM, 0)
        places.append(samples)
        normals.append(np.stack([-along[:, 1], along[:, 0]], 1) / np.maximum(np.hypot(*along.T), 1e-9)[:, None])
    place, normal = np.concatenate(places), np.concatenate(normals)
    rows, columns = grey.shape
    inner = ((place > BESIDE + 1) & (place < np.array([columns, rows]) - BESIDE - 1)).all(1)
    place, normal = place[inner], normal[inner]

    def seen(off: float) -> Samples:
        at = np.floor(place + off * normal).astype(int)
        return np.asarray(grey[at[:, 1], at[:, 0]], float)

    sides = np.stack([seen(-BESIDE), seen(BESIDE)])
    flat = np.abs(sides - np.stack([seen(1 - BESIDE), seen(BESIDE - 1)])).max(0)
    dark, light = sides.min(0), sides.max(0)
    contrast = light - dark
    kept = (contrast > LEAST_CONTRAST) & (flat < UNEVEN * contrast)
    if kept.sum() < FEWEST:
        return none
    tone = lambda values: ((values - dark) / np.maximum(contrast, 1e-6))[kept]  # noqa: E731
    near = np.stack([seen(-RIM), seen(RIM)])
    rims = np.where(sides[0] <= sides[1], near, near[::-1])
    return EdgeTones(tone(seen(0.0)), np.stack([tone(rims[0]), tone(rims[1])]), 0.5 * np.abs(normal[kept]).min(1))


def edge_bluntness(grey: Grey, rings: Sequence[Points]) -> float:
    """How many times wider than a crisp picture's its edges are: 1 for crisp ones, up to 4."""
    shares = []
    for ring in sorted((ring for ring in rings if len(ring) > 20), key=len)[-PROBES:]:
        along = np.roll(ring, -4, 0) - np.roll(ring, 4, 0)
        normal = np.stack([-along[:, 1], along[:, 0]], 1) / np.maximum(np.hypot(*along.T), 1e-9)[:, None]
        every = max(1, len(ring) // 400)
        near, far = (_across(grey, ring[::every], normal[::every], half) for half in (1.0, 4.0))
        plain = far > STRONG
        shares.append(near[plain] / far[plain])
    share = np.concatenate(shares) if shares else np.zeros(0)
    if len(share) < 20:
        return 1.0
    spread = float(np.interp(-np.median(share), _SHARES, _SPREADS))
    return float(np.clip(ROUNDING * spread, 1.0, 4.0))


def _across(grey: Grey, places: Points, normal: Points, half: float) -> NDArray[np.float64]:
    """Difference of the grey over 2 * ``half`` px across an edge."""
    ends = [places + normal * side - 0.5 for side in (half, -half)]
    values = [
        cv2.remap(grey, e[:, :1].astype(np.float32), e[:, 1:].astype(np.float32), cv2.INTER_LINEAR,
                  borderMode=cv2.BORDER_REPLICATE)[:, 0]
        for e in ends
    ]  # fmt: skip
    return np.asarray(np.abs(values[0] - values[1]), float)


@dataclass(frozen=True)
class EdgeMaking:
    """blind: share of a picture's edges that no grey tells the place of. blunt: see ``edge_bluntness``."""

    blind: float
    blunt: float


def edge_making(grey: Grey, rings: Sequence[Points]) -> EdgeMaking:
    """What the greys along the longest outlines tell of their making."""
    probes = longest(rings)
    return EdgeMaking(tones_along(grey, probes).blind, edge_bluntness(grey, probes))


@dataclass(frozen=True)
class Making:
    """How the edges of a picture were made.

    edges: one of EDGES, "" where there are too few to tell. in_light: greys were mixed in linear light. fringed: its
    greys are coloured by the stripes of a screen. known_to: px by which places along its edges waver. softness: how
    many times wider than crisp its edges are. grain: px by which noise moves them. jpeg_grid: it was saved as JPEG at
    this size.
    """

    edges: str = ""
    in_light: bool = False
    fringed: bool = False
    known_to: float = 0.0
    softness: float = 1.0
    grain: float = 0.0
    jpeg_grid: bool = False


NOT_TOLD = Making()
"""Of a drawing, which has no pixels."""


def making_of(raster: Raster) -> Making:
    """How a picture's edges were made, as far as the middle of a large one tells."""
    rows, columns = _middle(raster.height, MOST_SIDE), _middle(raster.width, MOST_SIDE)
    raster = Raster(np.ascontiguousarray(raster.pixels[rows, columns]))
    fringed = is_fringed(raster)
    grey = even_grey(raster) if fringed else raster.grey()
    level = suggested_threshold(grey)
    rings = longest(iso_rings(grey, level))
    tones, softness, grain = tones_along(grey, rings), edge_bluntness(grey, rings), edge_noise(grey, level)
    jpeg_grid = has_jpeg_grid(_levels(raster))
    if not tones.tell:
        return Making(fringed=fringed, grain=round(grain, 3), jpeg_grid=jpeg_grid)
    scatter = edge_scatter(rings, max(1.0, softness))
    in_light = is_in_light(grey, level)
    return Making(
        _edges(tones, scatter, softness), in_light, fringed, round(scatter, 3), round(softness, 2), round(grain, 3),
        jpeg_grid,
    )  # fmt: skip


def _levels(raster: Raster) -> NDArray[np.uint8]:
    """Levels of grey of the middle, which tells whether it has a grid."""
    rows, columns = _middle(raster.height, GRID_SIDE), _middle(raster.width, GRID_SIDE)
    shown = Raster(np.ascontiguousarray(raster.pixels[rows, columns])).over_white()
    return np.asarray(cv2.cvtColor(np.ascontiguousarray(shown), cv2.COLOR_RGB2GRAY), np.uint8)


def _edges(tones: EdgeTones, scatter: float, softness: float) -> str:
    if tones.blind > ALL_BLIND:
        return "without greys"
    if softness > SOFT:
        return "soft"
    if tones.overshoot > RIMMED or (tones.blind > SHARPENED and tones.steps > FEW_STEPS):
        return "sharpened"
    if scatter > STEPPED and tones.steps <= FEW_STEPS:
        return "in steps"
    return "crisp"


def _middle(length: int, most: int) -> slice:
    return slice(max(0, length - most) // 2, (length + most) // 2)


def longest(rings: Sequence[Points]) -> list[Points]:
    """The few longest outlines, which tell of all."""
    return sorted((ring for ring in rings if len(ring) > LONG), key=len)[-PROBES:]


def is_in_light(grey: Grey, level: float) -> bool:
    """Whether the greys along the longest outlines of a picture at a level are as much lighter than half as mixing in
    linear light makes them; told by its middle where that shows enough."""
    middle = grey[_middle(grey.shape[0], SOME_SIDE), _middle(grey.shape[1], SOME_SIDE)]
    tones = tones_along(middle, longest(iso_rings(middle, level)))
    if tones.across.sum() < FEWEST_ACROSS and middle.size < grey.size:
        middle = grey
        tones = tones_along(middle, longest(iso_rings(middle, level)))
    lighter = _lighter(tones)
    if lighter < LIGHTER or _told_apart(middle, level) < TOLD_APART:
        return False
    light, half = to_light(middle), to_light(np.array(level_in_light(middle, level), np.float32))
    as_light = abs(tones_along(light, longest(iso_rings(light, float(half)))).mean_grey - 0.5)
    return as_light < min(EVEN, lighter / BETTER)


def lighter_than_half(grey: Grey, rings: Sequence[Points]) -> float:
    """By how much the mean of greys along outlines is lighter than half; 0 where too few shares and tones are seen."""
    return _lighter(tones_along(grey, rings))


def _lighter(tones: EdgeTones) -> float:
    if tones.grey_across < MOSTLY_GREY or tones.steps <= FEW_STEPS:
        return 0.0
    return tones.mean_grey - 0.5


def _told_apart(grey: Grey, level: float) -> float:
    """By how much mixing in light would make the mean of all greys lighter: hardly between tones that are near."""
    dark, light = _ends(grey, level)
    low, high = to_light(np.array([dark, light], np.float32)).tolist()
    mixed = np.linspace(low, high, 64).tolist()
    return float(np.mean([to_level(one) for one in mixed]) - dark) / max(light - dark, 1e-6) - 0.5


def _ends(grey: Grey, level: float) -> tuple[float, float]:
    """The medians of what is darker and what is lighter than a level; black and white where it parts nothing."""
    inside = grey < level
    if inside.all() or not inside.any():
        return 0.0, 1.0
    return float(np.median(grey[inside])), float(np.median(grey[~inside]))


def level_in_light(grey: Grey, level: float) -> float:
    """The level half-way in light between the medians of what is darker and what is lighter than a level."""
    return to_level(float(to_light(np.array(_ends(grey, level), np.float32)).mean()))


def is_fringed(raster: Raster) -> bool:
    """Whether a grey drawing has coloured edges, blue on one side and red on the other: the stripes of a screen."""
    if not (np.abs(_red_over_blue(raster, slice(None, None, SPARSE))) > COLOURED).any():
        return False  # nothing has a colour
    apart = max(1, raster.height // STRIP * raster.width * STRIP // ENOUGH)  # strips of a large picture do
    red_over_blue = np.concatenate(
        [_red_over_blue(raster, slice(top, top + STRIP)) for top in range(0, raster.height, STRIP * apart)]
    )
    strength = np.abs(red_over_blue)
    coloured = strength > COLOURED
    share = float(coloured.mean())
    if not 0 < share < MOST_FRINGE:
        return False
    flat = cv2.erode(coloured.astype(np.uint8), np.ones((5, 5), np.uint8))  # colour that is more than an edge
    red, blue = int((red_over_blue > COLOURED).sum()), int((red_over_blue < -COLOURED).sum())
    return not flat.any() and int(strength.max()) > STRONGLY and min(red, blue) > EVENLY * max(red, blue)


def _red_over_blue(raster: Raster, rows: slice) -> NDArray[np.int16]:
    shown = Raster(np.ascontiguousarray(raster.pixels[rows])).over_white()
    return np.asarray(shown[..., 0].astype(np.int16) - shown[..., 2])


def even_grey(raster: Raster) -> Grey:
    """Grey levels in which each stripe of a pixel counts alike, so that an edge lies where all three put it."""
    return np.asarray(raster.over_white().astype(np.float32).mean(2) / np.float32(255), np.float32)
