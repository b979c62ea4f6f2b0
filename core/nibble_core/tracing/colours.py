"""Pixels to flat colour areas that share their edges exactly.

Palette, label map, planar graph, one fit a border: nothing is fitted twice, so no gap and no overlap can appear.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.artwork.palette import find_palette
from nibble_core.errors import Cancelled, NothingToTrace
from nibble_core.geometry.span_kernels import smoothed_over
from nibble_core.graphics import LUMA, Colour, Raster
from nibble_core.graphics.light import to_light
from nibble_core.tracing.areas import MIXED_ENDS, TracedAreas, fitted, probes_of, raised, regions_of
from nibble_core.tracing.labels import connected_patches, label_map
from nibble_core.tracing.making import BETTER, EVEN, LIGHTER, edge_making, lighter_than_half
from nibble_core.tracing.outline import tolerance_for
from nibble_core.tracing.planar import Border, borders_of, junctions_of

MOST_AREAS = 20_000
SAME_COLOUR = 12  # levels by which a colour of the palette may have moved since it was named
FEWEST_PLACES, BLOCK_AND_A_HALF = 30, 12
OWN_SHARE, OF_PIXELS = 1.2, 0.03  # of a border's scatter, and px of it that pixels of a clean picture show
RIPPLES_FROM, RIPPLES_TO = 2.5, 6.0  # px beside an edge: beyond its mixed pixels, within its block of a JPEG
RIPPLE_SLOPE = 1.2  # px over which an edge goes from one colour to the other
RIPPLE = 0.25  # share of a flat area's spread that moves its edges


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
    probes = probes_of(borders)
    edges = edge_making(raster.grey(), [border.places for border in probes])
    noise = noise if steps_meant else raised(probes, junctions, noise, edges)
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
        paths.append(fitted(border, junctions, allowed, own, polished, edges.blunt))
    regions = regions_of(borders, paths, owners, shown)
    index = {patch: k for k, (patch, _) in enumerate(regions)}
    inner = [(border, path) for border, path in zip(borders, paths, strict=True) if not border.at_edge]
    seams = tuple((path, index[border.right], index[border.left]) for border, path in inner)
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
    lighter = lighter_than_half(grey, [border.places for border in probes_of(in_grey)])
    if lighter < LIGHTER:
        return in_grey
    light = to_light(picture.astype(np.float32) / np.float32(255))
    levels = 255.0 * to_light((colours / 255).astype(np.float32)).astype(np.float64)
    in_light = borders_of(patches, labels, light * np.float32(255) * weights, levels * weights)
    even = lighter_than_half(light @ LUMA, [border.places for border in probes_of(in_light)])
    return in_light if abs(even) < min(EVEN, lighter / BETTER) else in_grey
