"""How far the making of a picture moved its edges: what their samples and greys let suspect, believed where fits of its
outlines are cheaper at that noise and lie no further off than it explains."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import CUBIC, Path, Points
from nibble_core.geometry.distance_kernels import beside
from nibble_core.tracing.deviation import OUTLINE
from nibble_core.tracing.making import EdgeMaking, edge_scatter, longest
from nibble_core.tracing.outline import (
    BLUNT,
    FINEST,
    LEAST_CORNER_DEGREES,
    ROUNDS,
    RoughFits,
    corner_from,
    tolerance_for,
)

WAVERS = (0.5, 1.0, 1.5)  # noises looked at, in what samples scatter by,
STAIRS = (0.27, 0.4, 0.55)  # and in px of an edge without any grey
LEAST_BLIND = 0.1  # share of an edge without grey
LEAST_JITTER = 0.01  # px
CURVE = 0.5  # of a node, that a curve costs more than a line
FEWER, FAR_FEWER = 0.93, 0.5  # of the price; the latter where a first fit strays, which polishing sets right
ENOUGH_SAMPLES = 600  # of an outline, to tell how far a fit lies from it
NO_FURTHER = 2.0  # times a noise lie the samples of a true fit off in the mean,
OUTERMOST, FURTHEST = 99.0, 3.0  # and all but one per cent of them, in times of it beyond
ROUNDED = 0.4  # px by which pixels round corners off
AS_NEAR = 1.35  # times the distances of the fit before, which is rough itself


def edge_jitter(rings: Sequence[Points], noise: float, edges: EdgeMaking, fits: RoughFits | None = None) -> float:
    """``noise``, raised to what the picture's making did to the edges of the longest rings (px). See
    ``raised_to_making``."""
    fits = fits or RoughFits()
    probes = longest(rings)
    scale = edges.blunt if edges.blunt > BLUNT else 1.0  # that ``fit_outline`` fits at
    scaled = probes if scale == 1.0 else [ring / scale for ring in probes]

    def trial(noise: float) -> tuple[float, NDArray[np.float64]]:
        paths = [_trial(ring, noise, fits, scale) for ring in scaled]
        apart = [scale * sample_distances(path, ring) for path, ring in zip(paths, scaled, strict=True)]
        return sum(map(price, paths)), np.concatenate(apart)

    return raised_to_making(trial, noise, suspected_jitter(probes, edges))


def trial_nodes(ring: Points, noise: float, fits: RoughFits) -> int:
    """How many nodes a first fit of a ring takes at a noise, px."""
    return len(_trial(ring, noise, fits))


def _trial(ring: Points, noise: float, fits: RoughFits, scale: float = 1.0) -> Path:
    """A first fit of a ring that is so many times smaller than the picture."""
    allowed = tolerance_for(noise) if scale == 1.0 else max(tolerance_for(noise) / scale, FINEST)
    degrees = corner_from(LEAST_CORNER_DEGREES, noise / scale)
    kinds, rows, _ = fits.fit(ring, allowed, noise / scale, degrees, ROUNDS)
    return Path(kinds, rows)


def suspected_jitter(lines: Sequence[Points], edges: EdgeMaking | None) -> list[float]:
    """px, rising, by which the making of a picture's edges may have moved lines (n, 2); none where steps are meant."""
    if edges is None:
        return []
    scatter = edge_scatter(lines, edges.blunt if edges.blunt > BLUNT else 1.0)
    suspected = [share * scatter for share in WAVERS]
    suspected += [share * edges.blind for share in STAIRS if edges.blind > LEAST_BLIND]
    return sorted(jitter for jitter in suspected if jitter > LEAST_JITTER)


def raised_to_making(
    trial: Callable[[float], tuple[float, NDArray[np.float64]]], noise: float, suspected: Sequence[float]
) -> float:
    """``noise`` (px), or what of the ``suspected`` is real: fits are cheaper at that noise, and lie no further from
    their samples than it explains, or are far cheaper. ``trial``: what fits at a noise cost (see ``price``), and how
    far samples lie off."""
    higher = [jitter for jitter in suspected if jitter > noise]
    if not higher:
        return noise
    least, first = trial(noise)
    mean, furthest = float(first.mean()), float(np.percentile(first, OUTERMOST))
    explained = 1.0  # a first fit follows the steps; later ones pass between them already, and may stray no further
    for jitter in higher:
        cost, off = trial(jitter)
        outermost = float(np.percentile(off, OUTERMOST))
        as_near = off.mean() <= max(explained * NO_FURTHER * jitter, AS_NEAR * mean)
        held = outermost <= max(explained * (FURTHEST * jitter + ROUNDED), AS_NEAR * furthest)
        if cost <= (FEWER if as_near and held else FAR_FEWER) * least:
            noise, least, explained = jitter, cost, 0.0
            mean, furthest = float(off.mean()), outermost
    return noise


def price(path: Path) -> float:
    """What a fit costs: its nodes, and half as much again for curves, which a straight side does not need."""
    return len(path) + CURVE * int((path.kinds == CUBIC).sum())


def sample_distances(path: Path, samples: Points) -> NDArray[np.float64]:
    """How far some of the samples (n, 2) of a line lie from a path that runs along with them."""
    some = np.ascontiguousarray(samples[:: max(1, len(samples) // ENOUGH_SAMPLES)])
    return np.asarray(beside(some, path.flattened(OUTLINE), path.closed))
