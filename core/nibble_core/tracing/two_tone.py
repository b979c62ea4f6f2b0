"""Pixels to two-tone shapes: everything darker than a level becomes regions with holes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.artwork.threshold import edge_noise
from nibble_core.errors import Cancelled
from nibble_core.geometry import Affine, Path, Points, Region
from nibble_core.geometry.corner_kernels import CRISP
from nibble_core.geometry.points import shoelace
from nibble_core.graphics import Colour, Grey, Raster, Shape
from nibble_core.tracing.deviation import deviation
from nibble_core.tracing.faithful import faithful
from nibble_core.tracing.iso import iso_rings
from nibble_core.tracing.jitter import edge_jitter, trial_nodes
from nibble_core.tracing.kernels import crossings
from nibble_core.tracing.making import edge_making, edge_scatter, longest
from nibble_core.tracing.outline import (
    FINEST,
    LEAST_CORNER_DEGREES,
    RoughFits,
    fit_outline,
    tolerance_for,
)

Going = Callable[[], bool]
ENOUGH = 500_000  # pixels to take mean colours from
MOST_POLISHED = 2500  # nodes of a picture that are polished; a page of specks or of noise has thousands more
BUSY = 160_000  # samples of a picture's iso-lines, from which it is traced in fewer pixels
TELLING, UNLIKE, UNLIKE_PX = 200, 3.0, 0.03  # samples of an outline; times and px that two scatter by otherwise
SAME_NODES = 1.1
MOSTLY_EDGE = 12  # times as many pixels as those without an edge: a hairline's mean is of all
NOISY = 3  # times sooner where noise moves its edges, which fewer pixels even out


@dataclass(frozen=True, eq=False)
class TracedRegion:
    """A region in pixels, a place surely inside it, the mean colour there and its area in px²."""

    region: Region
    place: tuple[float, float]
    colour: Colour
    area: float

    def shape(self, mm_per_px: float) -> Shape:
        """As a shape in mm."""
        return Shape(self.region.mapped(Affine.scale(mm_per_px)), self.colour)


@dataclass(frozen=True, eq=False)
class Traced:
    """What a trace found, in pixels: regions, the iso-line they were fitted to, the level, the edge noise. hurried: how
    many outlines were fitted quickly, for there were too many to polish all. reduced: into how many pixels fewer, each
    way, a busy picture was brought first."""

    regions: tuple[TracedRegion, ...]
    rings: tuple[Points, ...]
    level: float
    noise: float
    hurried: int = 0
    reduced: int = 1

    def in_finer_pixels(self, times: int) -> Traced:
        """The same trace in pixels of a picture so many times as wide."""
        grow = Affine.scale(times)
        regions = tuple(
            TracedRegion(
                one.region.mapped(grow), (one.place[0] * times, one.place[1] * times), one.colour, one.area * times**2
            )
            for one in self.regions
        )
        rings = tuple(ring * times for ring in self.rings)
        return replace(self, regions=regions, rings=rings, noise=self.noise * times, reduced=self.reduced * times)

    @property
    def places(self) -> tuple[Points, ...]:
        """The rings as polylines that end where they begin."""
        return tuple(np.vstack([ring, ring[:1]]) for ring in self.rings)

    def deviation(self) -> tuple[float, float]:
        """Worst and mean distance from the outlines to the iso-line, px. See ``deviation.off_along``."""
        return deviation(outline_paths(self), self.places)


def trace_two_tone(
    grey: Grey,
    picture: Raster,
    *,
    level: float,
    tolerance: float | None = None,
    smallest_area: float = 2.0,
    filled: bool = False,
    polished: bool = True,
    noise: float | None = None,
    smoothing: float = 0.0,
    least_corner: float = LEAST_CORNER_DEGREES,
    cancelled: Going = lambda: False,
) -> Traced:
    """Regions of everything in ``grey`` (rows, columns; 0 black to 1 white) darker than ``level``.

    ``picture`` gives the regions their colours. ``tolerance``: largest deviation of smooth stretches from the
    iso-line, px; by default what the noise of the picture allows. ``smallest_area``: px² under which a ring is a
    speck. ``filled``: outer rings only. ``noise``: what ``measured_noise`` said, if that is known. ``smoothing``: px
    of ripple taken for noise besides. ``least_corner``: degrees from which a bend is a corner. Without
    ``polished`` outlines are fitted but not polished, and colours are single pixels: for previews. Raises
    Cancelled when ``cancelled()`` turns true between rings.
    """
    all_rings = iso_rings(grey, level, smallest_area=smallest_area)
    rings = _outlines(all_rings) if filled else all_rings
    samples = sum(len(ring) for ring in rings)
    if samples > BUSY or (samples > BUSY / NOISY and edge_noise(grey, level) > CRISP):
        half, small = cv2.resize(grey, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA), picture.reduced
        return trace_two_tone(
            np.asarray(half, np.float32), small(half.shape[1], half.shape[0]), level=level,
            tolerance=None if tolerance is None else tolerance / 2, smallest_area=smallest_area, filled=filled,
            polished=polished, smoothing=smoothing / 2, least_corner=least_corner, cancelled=cancelled,
        ).in_finer_pixels(2)  # fmt: skip
    fits = RoughFits()
    edges = _edges(grey, level, rings, noise, fits)
    made: dict[int, Path] = {}
    nodes = hurried = 0
    for k in np.argsort([-len(ring) for ring in rings], kind="stable").tolist():  # the longest are polished
        if cancelled():
            raise Cancelled("This trace was superseded.")
        ring, own, (moved, blunt) = rings[k], polished and nodes < MOST_POLISHED, edges[k]
        moved += smoothing
        allowed = tolerance_for(moved) if tolerance is None else max(tolerance, FINEST)
        path = fit_outline(
            ring, tolerance=allowed, noise=moved, polished=own, least_corner=least_corner, blunt=blunt, fits=fits
        )
        nodes, hurried = nodes + len(path), hurried + (polished and not own)
        made[k] = faithful(path, ring, tolerance=allowed, blunt=blunt) if polished else path
    paths = [made[k] for k in range(len(rings))]
    colour_at = _Colours(grey, level, picture).at if polished else lambda place: picture.colour_at(*place)
    regions = []
    # a filled shape has the colour of its ink, not of what the ink encloses
    inner = {id(all_rings[outer]): [all_rings[hole] for hole in holes] for outer, holes in nested(all_rings)}
    for outer, holes in nested(rings):
        place = inside_place(rings[outer], inner[id(rings[outer])])
        area = abs(shoelace(rings[outer])) - sum(abs(shoelace(rings[hole])) for hole in holes)
        region = Region(paths[outer], tuple(paths[hole] for hole in holes))
        regions.append(TracedRegion(region, place, colour_at(place), area))
    return Traced(tuple(regions), tuple(rings), level, edges[0][0] + smoothing if edges else 0.0, hurried)


def _edges(
    grey: Grey, level: float, rings: Sequence[Points], noise: float | None, fits: RoughFits
) -> list[tuple[float, float]]:
    """Of each ring how far its edge was moved, px, and how blunt it is: alike for all, but where long ones were made
    unlike each other, as in a picture that another was pasted into. ``noise``: what is known to have moved all."""
    edges = edge_making(grey, rings)
    if noise is not None:
        return [(noise, edges.blunt)] * len(rings)
    least = edge_noise(grey, level)
    alike = edge_jitter(rings, least, edges, fits), edges.blunt
    telling = [ring for ring in longest(rings) if len(ring) >= TELLING]
    scatters = [edge_scatter([ring]) for ring in telling]
    if not scatters or max(scatters) < UNLIKE * min(scatters) + UNLIKE_PX:
        return [alike] * len(rings)

    def of(ring: Points) -> tuple[float, float]:
        own = edge_making(grey, [ring])
        noise = edge_jitter([ring], least, own, fits)
        if noise < alike[0] and trial_nodes(ring, noise, fits) > SAME_NODES * trial_nodes(ring, alike[0], fits):
            return alike  # its edges hardly slope: they show little of the steps that they are in
        return noise, own.blunt

    return [of(ring) if len(ring) >= TELLING else alike for ring in rings]


def measured_noise(grey: Grey, level: float, *, filled: bool = False) -> float:
    """How far noise and staircases move the edges of a picture, px; it hardly depends on the level."""
    rings = iso_rings(grey, level, smallest_area=2.0)
    rings = _outlines(rings) if filled else rings
    return edge_jitter(rings, edge_noise(grey, level), edge_making(grey, rings))


def _outlines(rings: Sequence[Points]) -> list[Points]:
    """Those round ink; the others are round holes in it."""
    return [ring for ring in rings if shoelace(ring) > 0]


def nested(rings: Sequence[Points]) -> list[tuple[int, list[int]]]:
    """Outer rings (positive area) with the holes that lie directly in each, largest first."""
    areas = np.array([shoelace(ring) for ring in rings])
    outers = [int(i) for i in np.argsort(-areas) if areas[i] > 0]
    holes: dict[int, list[int]] = {i: [] for i in outers}
    inner = [i for i in range(len(rings)) if areas[i] <= 0]
    if inner and outers:
        solids = [shapely.Polygon(rings[i]) for i in outers]
        tree = shapely.STRtree(solids)
        marks = shapely.points([rings[i][0] for i in inner])
        found: dict[int, int] = {}
        # a hole's ring never crosses its outer ring, so one of its points decides
        for hole, outer in zip(*tree.query(marks, predicate="intersects"), strict=True):
            if hole not in found or areas[outers[outer]] < areas[outers[found[hole]]]:
                found[int(hole)] = int(outer)
        for hole, outer in found.items():
            holes[outers[outer]].append(inner[hole])
    return [(outer, holes[outer]) for outer in outers]


def inside_place(outer: Points, holes: Sequence[Points]) -> tuple[float, float]:
    """A point well inside a region: the middle of its widest chord, of a few level lines across it."""
    rings = [np.ascontiguousarray(ring) for ring in (outer, *holes)]
    top, bottom = float(outer[:, 1].min()), float(outer[:, 1].max())
    best = (-1.0, float(outer[0, 0]), float(outer[0, 1]))
    for share in (0.5, 0.31, 0.69, 0.17, 0.83):
        y = top + (bottom - top) * share + 1e-7
        ends = sorted(x for ring in rings for x in crossings(ring, y).tolist())
        for left, right in zip(ends[::2], ends[1::2], strict=False):
            best = max(best, (right - left, (left + right) / 2, y))
    return best[1], best[2]


class _Colours:
    """Mean picture colour of each connected patch of ink, looked up by place; of one pixel in many where there are
    millions, for a mean needs no more."""

    def __init__(self, grey: Grey, level: float, picture: Raster) -> None:
        self._step = step = max(1, round((grey.size / ENOUGH) ** 0.5))
        mask = (grey[::step, ::step] < level).astype(np.uint8)
        count, self._labels = cv2.connectedComponents(mask, connectivity=8)
        colours = Raster(np.ascontiguousarray(picture.pixels[::step, ::step])).over_white()
        inner = cv2.erode(mask, np.ones((3, 3), np.uint8)).astype(bool)
        self._means, inner_sizes = self._of(inner, colours, count)
        sizes = np.bincount(self._labels.ravel(), minlength=count)
        thin = inner_sizes * MOSTLY_EDGE <= sizes  # elsewhere pixels at the edge are paler than the ink
        thin[0] = False
        if thin.any():
            self._means[thin] = self._of(thin[self._labels], colours, count)[0][thin]
        self._picture = picture

    def _of(
        self, pixels: NDArray[np.bool_], colours: NDArray[np.uint8], count: int
    ) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
        """Mean colour (count, 3) of some pixels of each patch, and how many they are."""
        labels, own = self._labels[pixels], colours[pixels]
        sizes = np.bincount(labels, minlength=count)
        means = np.stack([np.bincount(labels, own[:, k], count) for k in range(3)], 1)
        return means / np.maximum(sizes, 1)[:, None], sizes

    def at(self, place: tuple[float, float]) -> Colour:
        rows, columns = self._labels.shape
        row = min(max(int(place[1] / self._step), 0), rows - 1)
        column = min(max(int(place[0] / self._step), 0), columns - 1)
        label = int(self._labels[row, column])
        if not label:
            return self._picture.colour_at(*place)
        red, green, blue = np.rint(self._means[label]).astype(int).tolist()
        return red, green, blue


def outline_paths(traced: Traced) -> list[Path]:
    """All rings of all regions."""
    return [ring for region in traced.regions for ring in region.region.rings]
