"""Panes that meet: what drawn lines enclose, each to the middle of its lines, for glass, appliqué and inlay.

The middle of a line between two panes is where their outlines are equally far away. Distances are exact, to outlines
found between pixels; each middle is fitted once and both panes use it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.errors import Cancelled, NothingToTrace
from nibble_core.geometry import Points
from nibble_core.geometry.nearest import distances_to_segments
from nibble_core.graphics import Grey, Raster
from nibble_core.tracing.areas import Junctions, TracedAreas, fitted, probes_of, raised, regions_of
from nibble_core.tracing.bridging import bridged
from nibble_core.tracing.iso import iso_rings
from nibble_core.tracing.making import edge_making
from nibble_core.tracing.outline import tolerance_for
from nibble_core.tracing.planar import Border, beside, borders_of, junctions_of

MOST_PANES = 5000
ROUNDS = 3  # of moving pixels to the pane whose outline is nearer
STEADY = 0.04  # px: how unsteady a middle between two clean outlines is
NEVER = 1e9
WIDER, SLACK = 1.03, 0.06  # times as wide as usual, and px, from which a place lies where lines meet or turn
AROUND = 8.0  # half widths to either side that say what is usual
FEWEST = 6  # places
OFF_MIDDLE = 0.8  # half widths

Numbers = NDArray[np.float64]


def trace_panes(
    grey: Grey,
    picture: Raster,
    *,
    level: float,
    tolerance: float | None = None,
    smallest_area: float = 4.0,
    polished: bool = True,
    steps_meant: bool = False,
    cancelled: Callable[[], bool] = lambda: False,
) -> TracedAreas:
    """Every patch of paper that ink encloses, grown to the middle of the lines round it. Ink is darker than ``level``
    (0 black to 1 white).

    ``tolerance``: largest deviation of smooth stretches, px. ``smallest_area``: px² under which a patch is a speck.
    ``steps_meant``: middles follow each step of the pixels. Raises NothingToTrace where nothing is enclosed, or too
    much; Cancelled.
    """
    paper, count, outside = _patches(np.asarray(grey >= level), smallest_area)
    if count - int(outside.sum()) < 1:
        raise NothingToTrace("The drawn lines enclose nothing.", "Move the threshold, or close the gaps in the lines.")
    if count > MOST_PANES:
        raise NothingToTrace(
            f"The drawn lines enclose {count:,} panes.".replace(",", " "), "Calm the picture first, or move the "
            "threshold.",
        )  # fmt: skip
    outlines = _Outlines(iso_rings(grey, level, smallest_area=0.0), paper, count)
    patches = _nearest(paper, outlines)
    if cancelled():
        raise Cancelled("This trace was superseded.")
    nothing = np.zeros(patches.shape, np.uint8)
    flat = borders_of(patches, nothing, np.zeros((*patches.shape, 1), np.float32), np.zeros((1, 1)))
    measured = [(border, np.empty(0)) if border.at_edge else _measured(border, paper, outlines) for border in flat]
    borders, halves = [border for border, _ in measured], [half for _, half in measured]
    # borders end where three outlines are equally far, which is off the middle by a part of the line's width
    widest = max((float(np.median(half)) for half in halves if len(half)), default=1.0)
    junctions = junctions_of(borders, patches.shape[0], patches.shape[1], furthest=OFF_MIDDLE * widest + 1.5)
    probes = [one for one in probes_of(borders) if not (outside[one.right] and outside[one.left])]
    edges = edge_making(grey, [border.places for border in probes])
    noise = STEADY if steps_meant else raised(probes, junctions, STEADY, edges)
    paths = []
    for border in borders:
        if cancelled():
            raise Cancelled("This trace was superseded.")
        allowed = tolerance_for(noise) if tolerance is None else tolerance
        paths.append(fitted(border, junctions, allowed, noise, polished, edges.blunt))
    made = regions_of(borders, paths, np.arange(count), _colours(picture, paper, count))
    panes = [(patch, region) for patch, region in made if not outside[patch]]
    index = {patch: k for k, (patch, _) in enumerate(panes)}
    seams = tuple(
        (path, index.get(border.right, -1), index.get(border.left, -1))
        for border, path in zip(borders, paths, strict=True)
        if not border.at_edge and (border.right in index or border.left in index)
    )
    places = tuple(
        np.vstack([one.places, one.places[:1]]) if one.closed else _led_to_ends(one, junctions)
        for one in borders
        if not one.at_edge and (one.right in index or one.left in index)
    )
    return TracedAreas(tuple(region for _, region in panes), places, noise, (), seams)


def _led_to_ends(border: Border, junctions: Junctions) -> Points:
    """The measured places of an open border with the junctions that it was led on to."""
    first, last = (junctions[(int(corner[0]), int(corner[1]))] for corner in (border.corners[0], border.corners[-1]))
    return np.vstack([[first], border.places, [last]])


def _patches(paper: NDArray[np.bool_], smallest: float) -> tuple[NDArray[np.int32], int, NDArray[np.bool_]]:
    """The patch of paper that each pixel is of, -1 for ink and specks; how many; and which reach the picture's edge."""
    _, numbers, stats, _ = cv2.connectedComponentsWithStats(paper.astype(np.uint8), connectivity=4)
    large = stats[:, cv2.CC_STAT_AREA] >= smallest
    large[0] = False
    own = np.where(large, np.cumsum(large) - 1, -1).astype(np.int32)
    patches = np.ascontiguousarray(own[numbers])
    count = int(large.sum())
    outside = np.zeros(count, bool)
    edge = np.concatenate([patches[0], patches[-1], patches[:, 0], patches[:, -1]])
    outside[edge[edge >= 0]] = True
    return patches, count, outside


class _Outlines:
    """The outlines of all patches of paper as segments, and distances to them."""

    def __init__(self, rings: list[Points], paper: NDArray[np.int32], count: int) -> None:
        starts = np.vstack(rings or [np.empty((0, 2))])
        ends = np.vstack([np.roll(ring, -1, 0) for ring in rings] or [np.empty((0, 2))])
        # an outline passes between the centres of two pixels, one of which is paper
        low = np.floor(starts - 0.5 + 1e-9).astype(int)
        high = np.ceil(starts - 0.5 - 1e-9).astype(int)
        h, w = paper.shape
        owner = np.maximum(*(paper[np.clip(at[:, 1], 0, h - 1), np.clip(at[:, 0], 0, w - 1)] for at in (low, high)))
        order = np.argsort(owner, kind="stable")
        bounds = np.searchsorted(owner[order], np.arange(count + 1))
        self._of = [(starts[order[a:b]], ends[order[a:b]]) for a, b in pairwise(bounds.tolist())]
        self._paper = paper

    def distance(self, pixels: NDArray[np.int32], patches: NDArray[np.int32]) -> Numbers:
        """How far the centre of each pixel (n, 2: row, column) lies from the outline of the patch named for it, px;
        negative within it."""
        places = pixels[:, ::-1] + 0.5
        found = np.full(len(pixels), NEVER)
        for patch in np.unique(patches[patches >= 0]).tolist():
            own = patches == patch
            found[own] = np.minimum(distances_to_segments(places[own], *self._of[patch]), NEVER)
        within = self._paper[pixels[:, 0], pixels[:, 1]] == patches
        return np.where(within, -found, found)


def _nearest(paper: NDArray[np.int32], outlines: _Outlines) -> NDArray[np.int32]:
    """The patch whose outline is nearest to each pixel; first by pixels, then exactly beside the borders."""
    kept = paper >= 0
    _, nearest = cv2.distanceTransformWithLabels(
        (~kept).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    named = np.zeros(int(nearest.max()) + 1, np.int32)
    named[nearest[kept]] = paper[kept]
    patches = np.ascontiguousarray(named[nearest])
    for _ in range(ROUNDS):
        moved = 0
        own = np.pad(patches, 1, mode="edge")
        for dy, dx in ((0, 1), (0, -1), (1, 0), (-1, 0)):
            other = own[1 + dy : own.shape[0] - 1 + dy, 1 + dx : own.shape[1] - 1 + dx]
            pixels = np.argwhere((other != patches) & ~kept).astype(np.int32)
            if not len(pixels):
                continue
            at = pixels[:, 0], pixels[:, 1]
            nearer = outlines.distance(pixels, other[at]) < outlines.distance(pixels, patches[at]) - 1e-9
            patches[at[0][nearer], at[1][nearer]] = other[at][nearer]
            moved += int(nearer.sum())
        if not moved:
            break
    return patches


def _measured(border: Border, paper: NDArray[np.int32], outlines: _Outlines) -> tuple[Border, Numbers]:
    """A border at the places that are equally far from the outlines of both patches, and how far that is, px.
    Where lines meet or turn sharply these places leave the middle: there they are led on by what the rest points
    to."""
    right, left = beside(border.corners)
    of_right, of_left = (np.full(len(right), patch, np.int32) for patch in (border.right, border.left))
    near = outlines.distance(right, of_right), outlines.distance(left, of_right)
    far = outlines.distance(right, of_left), outlines.distance(left, of_left)
    here, there = near[0] - far[0], near[1] - far[1]
    fall = there - here
    t = np.clip(np.where(np.abs(fall) > 1e-6, -here / np.where(np.abs(fall) > 1e-6, fall, 1.0), 0.5), 0.0, 1.0)
    places = (right[:, ::-1] + 0.5) * (1 - t[:, None]) + (left[:, ::-1] + 0.5) * t[:, None]
    half = near[0] * (1 - t) + near[1] * t
    keep = half <= WIDER * _usual(half, border.closed) + SLACK
    if not border.closed:
        inner = np.flatnonzero(keep)
        if len(inner) < FEWEST:
            return replace(border, places=places), half
        part = slice(int(inner[0]), int(inner[-1]) + 1)
        places, half, keep = places[part], half[part], keep[part]
    if keep.sum() < FEWEST:
        return replace(border, places=places), half
    return replace(border, places=bridged(places, keep, float(np.median(half)), border.closed)), half


def _usual(half: Numbers, closed: bool) -> Numbers:
    """Half the width of a line round each of its places: the median of so many as do not all lie at a junction."""
    reach = int(max(4, round(AROUND * float(np.median(half)))))
    padded = np.pad(half, reach, "wrap" if closed and len(half) > reach else "reflect" if len(half) > reach else "edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1), 1))


def _colours(picture: Raster, paper: NDArray[np.int32], count: int) -> Numbers:
    """The mean colour of each patch, over white; of its pixels beside no other, where it has such."""
    shown = picture.over_white().reshape(-1, 3).astype(np.float64)
    inner = paper.copy()
    for step in (np.s_[1:, :], np.s_[:, 1:]):
        back = np.s_[:-1, :] if step == np.s_[1:, :] else np.s_[:, :-1]
        apart = paper[step] != paper[back]
        inner[step][apart] = -1
        inner[back][apart] = -1
    lonely = np.bincount(inner[inner >= 0], minlength=count) == 0
    own = np.where((inner < 0) & (paper >= 0) & np.append(lonely, False)[paper], paper, inner).ravel()
    kept = own >= 0
    sizes = np.maximum(np.bincount(own[kept], minlength=count), 1)
    sums = [np.bincount(own[kept], shown[kept, k], count) for k in range(3)]
    return np.stack(sums, 1) / sizes[:, None]
