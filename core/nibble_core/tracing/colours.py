"""Pixels to flat colour areas that share their edges exactly.

Palette, label map, planar graph, one fit a border: nothing is fitted twice, so no gap and no overlap can appear.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.artwork.palette import find_palette
from nibble_core.errors import Cancelled, NothingToTrace
from nibble_core.geometry import Path, Points, Region
from nibble_core.geometry.points import shoelace
from nibble_core.geometry.span_kernels import smoothed_over
from nibble_core.graphics import LUMA, Colour, Raster
from nibble_core.graphics.light import to_light
from nibble_core.tracing.deviation import deviation
from nibble_core.tracing.jitter import price, raised_to_making, sample_distances, suspected_jitter
from nibble_core.tracing.labels import connected_patches, label_map
from nibble_core.tracing.making import BETTER, EVEN, LIGHTER, EdgeMaking, edge_making, lighter_than_half
from nibble_core.tracing.outline import (
    BLUNT,
    fit_outline,
    tolerance_for,
)
from nibble_core.tracing.planar import Border, borders_of, junctions_of, rings_of
from nibble_core.tracing.stretch import fit_stretch
from nibble_core.tracing.two_tone import TracedRegion, inside_place

MOST_AREAS = 20_000
SAME_COLOUR = 12  # levels by which a colour of the palette may have moved since it was named
MIXED_ENDS = 2  # places beside a junction where pixels show three colours
PROBES = 10
FEWEST_PLACES, BLOCK_AND_A_HALF = 30, 12
OWN_SHARE, OF_PIXELS = 1.2, 0.03  # of a border's scatter, and px of it that pixels of a clean picture show
RIPPLES_FROM, RIPPLES_TO = 2.5, 6.0  # px beside an edge: beyond its mixed pixels, within its block of a JPEG
RIPPLE_SLOPE = 1.2  # px over which an edge goes from one colour to the other
RIPPLE = 0.25  # share of a flat area's spread that moves its edges


@dataclass(frozen=True, eq=False)
class TracedAreas:
    """Flat colour areas, in pixels: ``regions`` tile the whole picture, largest first.

    places: polylines (n, 2) where colours truly meet, one a border; noise: of the edges; palette: the colours; seams:
    the borders between two areas, each with the indices of both regions.
    """

    regions: tuple[TracedRegion, ...]
    places: tuple[Points, ...]
    noise: float
    palette: tuple[Colour, ...]
    seams: tuple[tuple[Path, int, int], ...]

    def deviation(self) -> tuple[float, float]:
        """Worst and mean distance from the borders to where the colours meet, px. See ``deviation.off_along``."""
        return deviation([path for path, _, _ in self.seams], self.places)


def trace_colours(
    raster: Raster,
    *,
    count: int | None = None,
    palette: Sequence[Colour] | None = None,
    renamed: Mapping[Colour, Colour] | None = None,
    tolerance: float | None = None,
    smallest_area: float = 4.0,
    polished: bool = True,
    steps_meant: bool = False,
    cancelled: Callable[[], bool] = lambda: False,
) -> TracedAreas:
    """Areas of flat colour over the whole picture laid on white paper.

    ``count``: at most so many colours; None finds the number. ``palette``: the colours themselves instead.
    ``renamed``: found colours that are to be others; areas whose colours become the same are merged.
    ``tolerance``: largest deviation of smooth stretches, px. ``smallest_area``: px² under which an area is noise.
    ``steps_meant``: outlines follow each step of the pixels, however the picture was made.
    Raises NothingToTrace for a picture that falls into too many areas, Cancelled.
    """
    picture = np.ascontiguousarray(raster.over_white())
    colours = find_palette(picture, count) if palette is None else np.array(palette, np.float64).reshape(-1, 3)
    labels = label_map(picture, colours, speck=smallest_area)
    shown, same = _renamed(colours, renamed or {})
    patches, owners = connected_patches(same[labels])
    if len(owners) > MOST_AREAS:
        raise NothingToTrace(
            f"This picture falls into {len(owners):,} areas of flat colour.",
            "Choose fewer colours, or turn it into flat tones first.",
        )
    if cancelled():
        raise Cancelled("This trace was superseded.")
    noise = area_noise(picture, labels, colours)
    borders = _borders(picture, patches, labels, colours)
    junctions = junctions_of(borders, *labels.shape)
    probes = _probes(borders)
    edges = edge_making(raster.grey(), [border.places for border in probes])
    noise = noise if steps_meant else _raised(probes, junctions, noise, edges)
    ripple, seen = ripple_beside_edges(picture, labels, colours), colours * _weights(len(colours))

    def contrast(one: int, other: int) -> float:
        return max(1.0, float(np.linalg.norm(seen[one] - seen[other])))

    paths = []
    for border in borders:
        if cancelled():
            raise Cancelled("This trace was superseded.")
        own = max(noise, border_noise(border))
        if not border.at_edge:
            own = max(own, RIPPLE_SLOPE * ripple / contrast(owners[border.right], owners[border.left]))
        allowed = tolerance_for(own) if tolerance is None else tolerance
        paths.append(_fitted(border, junctions, allowed, own, polished, edges.blunt))
    regions = _regions(borders, paths, owners, shown)
    index = {patch: k for k, (patch, _) in enumerate(regions)}
    seams = tuple(
        (path, index[border.right], index[border.left])
        for border, path in zip(borders, paths, strict=True)
        if not border.at_edge
    )
    said = tuple((int(r), int(g), int(b)) for r, g, b in np.rint(colours).tolist())
    places = tuple(np.vstack([b.places, b.places[:1]]) if b.closed else b.places for b in borders if not b.at_edge)
    return TracedAreas(tuple(region for _, region in regions), places, noise, said, seams)


def _renamed(
    colours: NDArray[np.float64], renamed: Mapping[Colour, Colour]
) -> tuple[NDArray[np.float64], NDArray[np.uint8]]:
    """The colours to show, and for each colour the first one that shows the same."""
    shown = np.rint(colours)
    for old, new in renamed.items():
        shown[np.abs(colours - old).max(1) <= SAME_COLOUR] = new
    same = np.array([int(np.nonzero((shown == one).all(1))[0][0]) for one in shown], np.uint8)
    return shown, same


def _weights(colours: int) -> NDArray[np.float32]:
    """Edges are judged mostly by lightness, which JPEG keeps sharp while it blurs the hue."""
    return np.asarray(np.sqrt(LUMA) * 1.7 if colours > 2 else np.ones(3), np.float32)


def area_noise(picture: NDArray[np.uint8], labels: NDArray[np.uint8], colours: NDArray[np.float64]) -> float:
    """How far noise moves the edges, px: the spread within areas over the usual contrast between them."""
    sample = slice(None, None, max(1, labels.size // 400_000))
    off = picture.reshape(-1, 3)[sample] - colours[labels.ravel()[sample]]
    spread = float(np.median(np.abs(off).max(1)))
    return RIPPLE * min(spread / 80.0, 0.4)


def ripple_beside_edges(picture: NDArray[np.uint8], labels: NDArray[np.uint8], colours: NDArray[np.float64]) -> float:
    """Levels (root mean square) by which flat areas ripple beside their edges, where JPEG compression shows."""
    edge = np.zeros(labels.shape, np.uint8)
    edge[:, 1:] |= labels[:, 1:] != labels[:, :-1]
    edge[1:] |= labels[1:] != labels[:-1]
    off_edge = cv2.distanceTransform(1 - edge, cv2.DIST_L2, 3)
    beside = (off_edge > RIPPLES_FROM) & (off_edge < RIPPLES_TO)
    if not beside.any():
        return 0.0
    off = np.abs(picture[beside] - colours[labels[beside]]).max(1)
    return float(np.sqrt(np.mean(off * off)))


def border_noise(border: Border) -> float:
    """How far noise moves one border, px: its places against each other, smoothed over a block of a JPEG. Between pale
    colours the same noise moves it further than between strong ones."""
    places = border.places if border.closed else border.places[MIXED_ENDS:-MIXED_ENDS]
    if border.at_edge or len(places) < FEWEST_PLACES:
        return 0.0
    inner = slice(BLOCK_AND_A_HALF, -BLOCK_AND_A_HALF)
    even = smoothed_over(np.ascontiguousarray(places), BLOCK_AND_A_HALF, False)[inner]
    along, apart = np.gradient(even, axis=0), places[inner] - even
    across = np.abs(apart[:, 0] * along[:, 1] - apart[:, 1] * along[:, 0]) / np.maximum(np.hypot(*along.T), 1e-9)
    return max(0.0, OWN_SHARE * float(np.median(across)) - OF_PIXELS)


def _borders(
    picture: NDArray[np.uint8], patches: NDArray[np.int32], labels: NDArray[np.uint8], colours: NDArray[np.float64]
) -> list[Border]:
    """Borders with their places where colours truly meet: half-way in light, if that is how their edges were mixed."""
    weights = _weights(len(colours))
    in_grey = borders_of(patches, labels, picture.astype(np.float32) * weights, colours * weights)
    grey = picture.astype(np.float32) @ LUMA / np.float32(255)
    lighter = lighter_than_half(grey, [border.places for border in _probes(in_grey)])
    if lighter < LIGHTER:
        return in_grey
    light = to_light(picture.astype(np.float32) / np.float32(255))
    levels = 255.0 * to_light((colours / 255).astype(np.float32)).astype(np.float64)
    in_light = borders_of(patches, labels, light * np.float32(255) * weights, levels * weights)
    even = lighter_than_half(light @ LUMA, [border.places for border in _probes(in_light)])
    return in_light if abs(even) < min(EVEN, lighter / BETTER) else in_grey


def _probes(borders: Sequence[Border]) -> list[Border]:
    inner = [border for border in borders if not border.at_edge and len(border.places) > 40]
    return sorted(inner, key=lambda border: len(border.places))[-PROBES:]


def _raised(
    probes: Sequence[Border], junctions: dict[tuple[int, int], tuple[float, float]], noise: float, edges: EdgeMaking
) -> float:  # fmt: skip
    """``noise``, raised to what the picture's making did to the longest borders."""

    def trial(noise: float) -> tuple[float, NDArray[np.float64]]:
        paths = [_fitted(border, junctions, tolerance_for(noise), noise, False, edges.blunt) for border in probes]
        apart = [sample_distances(path, border.places) for path, border in zip(paths, probes, strict=True)]
        return sum(map(price, paths)), np.concatenate(apart)

    return raised_to_making(trial, noise, suspected_jitter([border.places for border in probes], edges))


def _fitted(
    border: Border,
    junctions: dict[tuple[int, int], tuple[float, float]],
    tolerance: float,
    noise: float,
    polished: bool,
    blunt: float,
) -> Path:
    if border.closed:
        if border.at_edge:
            return _along_edge(border, (border.corners[0][::-1], border.corners[-1][::-1]))
        if len(border.places) < 4:
            return Path.polygon(border.corners[:-1, ::-1].astype(np.float64))
        return fit_outline(border.places, tolerance=tolerance, noise=noise, polished=polished, blunt=blunt)
    ends = tuple(
        np.array(junctions[(int(corner[0]), int(corner[1]))]) for corner in (border.corners[0], border.corners[-1])
    )
    if border.at_edge:
        return _along_edge(border, ends)
    points = np.vstack([ends[0][None], border.places, ends[1][None]])
    mixed = 1 + round(MIXED_ENDS * max(1.0, blunt / BLUNT))
    return fit_stretch(points, tolerance=tolerance, noise=noise, trusted_from=mixed, polished=polished, blunt=blunt)


def _along_edge(border: Border, ends: Sequence[Points]) -> Path:
    """The straight way along the picture's edge, with its corners."""
    line = border.corners[:, ::-1].astype(np.float64)
    step = np.diff(line, axis=0)
    turns = 1 + np.nonzero((step[1:] != step[:-1]).any(1))[0]
    if not border.closed:
        return Path.polygon(np.vstack([ends[0], line[turns], ends[1]]), closed=False)
    round_start = [] if (step[0] == step[-1]).all() else [line[0]]
    return Path.polygon(np.vstack([*round_start, line[turns]]))


def _regions(
    borders: Sequence[Border], paths: Sequence[Path], owners: NDArray[np.int64], colours: NDArray[np.float64]
) -> list[tuple[int, TracedRegion]]:
    """Patch numbers and their regions, largest first."""
    found = []
    for patch, rings in rings_of(borders).items():
        made = [_joined([paths[i] if forward else paths[i].reversed() for i, forward in ring]) for ring in rings]
        dense = [ring.flattened(0.02) for ring in made]
        areas = [shoelace(points) for points in dense]
        outer = int(np.argmax(areas))
        order = [outer, *(k for k in range(len(made)) if k != outer)]
        region = Region(made[outer], tuple(made[k] for k in order[1:]))
        red, green, blue = np.rint(colours[owners[patch]]).astype(int).tolist()
        place = inside_place(dense[outer], [dense[k] for k in order[1:]])
        found.append((patch, TracedRegion(region, place, (red, green, blue), sum(areas))))
    return sorted(found, key=lambda one: (-one[1].area, one[0]))


def _joined(parts: Sequence[Path]) -> Path:
    if len(parts) == 1 and parts[0].closed:
        return parts[0]
    kinds = np.concatenate([part.kinds for part in parts])
    rows = np.concatenate([part.rows for part in parts])
    return Path(kinds, rows)
