"""How far the worst cut of many sheets will lie off, told from what a press and a cutter are off by, without a draw.

Every error is carried to every place by its derivative. At a place the camera and the press together are off by a
normal distribution in the plane, alike for all lines round it; a line lands elsewhere by one of its own. So the largest
of a sheet is that of as many lines as lie where the common part is about as large as anywhere, given the common part,
and that is integrated over what it can be.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from nibble_core.pipeline.rehearsal import Errors, press_faults
from nibble_core.pipeline.rehearsal_bench import Bench
from nibble_core.simulators.cutter import lies_by

STEP = 1e-3  # mm or per cent, by which derivatives are told
MOST_PLACES = 3000
ABOUT = (0.9, 0.5, 0.0)  # of the largest spread: few lines that are far off, or many that are less so
ANGLES, RADII, SIZES, NODES = 12, 40, 240, 40  # of the common part; of errors that are tried; of the integral
TOWARDS_THE_TAIL = 4.0  # power by which lengths are the closer the longer they are
MOST_SPREADS = 7.0  # that an error may be large
LEAST = 1e-9  # mm


def predicted_worst(bench: Bench, errors: Errors, draws: int) -> float:
    """The distance, mm, that the worst cut of so many sheets stays below in one case of two."""
    every = max(1, len(bench.places) // MOST_PLACES)
    places, line = bench.places[::every], bench.line[::every]
    common = _common_spread(bench, errors, places)
    widest = np.linalg.eigvalsh(common)
    spread = np.sqrt(np.maximum(widest.max(1), 0.0))
    if max(spread.max(), errors.repeats) < LEAST:
        return 0.0
    found = 0.0
    for about in ABOUT:
        near = np.flatnonzero(spread >= about * spread.max())
        k = near[np.argsort(spread[near])[len(near) // 2]]  # one of the middle size among them
        ends = math.sqrt(_quarters(places[near]))
        axes, lines = np.sqrt(np.maximum(widest[k], 0.0)), len(np.unique(line[near])) / ends
        found = max(found, _median_of_largest(axes, errors.repeats, max(lines, 1.0), draws * ends))
    return found


def _common_spread(bench: Bench, errors: Errors, places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Of what the camera and the press are off by at places (n, 2): covariances (n, 2, 2), mm²."""
    told = bench.marks
    use = [n for n in range(len(told.places)) if n != told.key]
    meant = told.places[use]
    spread = np.zeros((len(places), 2, 2))

    def add(moved: NDArray[np.float64], much: float) -> None:
        column = moved * (much / STEP)
        spread[:] += column[:, :, None] * column[:, None, :]

    for mark in range(len(meant)):
        for axis in (0, 1):
            found = meant.copy()
            found[mark, axis] += STEP
            add(bench.taken(lies_by(meant, found)).forward(places) - places, errors.camera)
    for faults, much in press_faults(errors, bench.laid, STEP):
        truth = bench.printing(faults)
        there = bench.taken(lies_by(meant, truth.forward(meant))).forward(places)
        add(truth.back(there) - places, much)
    return spread


def _quarters(places: NDArray[np.float64]) -> int:
    """How many quarters of what they reach over hold any of the places: from one to the other errors are not the
    same, though not independent."""
    middle = (places.min(0) + places.max(0)) / 2
    return len(np.unique((places > middle) @ np.array([1, 2])))


def _median_of_largest(axes: NDArray[np.float64], repeats: float, lines: float, draws: float) -> float:
    """The median of the largest length of g + r over so many lines, with r anew for each, and draws of g. axes: of the
    normal distribution of g, mm; repeats: of that of r in each direction, mm."""
    length, weight = _lengths(axes)
    sizes = np.linspace(0.0, MOST_SPREADS * math.hypot(float(axes.max()), repeats), SIZES)
    within = _within(sizes[:, None], length, repeats)
    chance = (weight * within**lines).sum(1)
    every = draws * np.log(np.maximum(chance, 1e-300))
    return float(np.interp(math.log(0.5), every, sizes))


def _lengths(axes: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Lengths of a vector that is normal along two axes, mm, and the chance of each, closer the longer they are."""
    bounds = 1 - (1 - np.arange(RADII + 1) / RADII) ** TOWARDS_THE_TAIL
    radius = np.sqrt(-2 * np.log1p(-(bounds[:-1] + bounds[1:]) / 2))
    angle = (np.arange(ANGLES) + 0.5) / ANGLES * math.pi / 2
    length = radius[:, None] * np.hypot(axes[0] * np.cos(angle), axes[1] * np.sin(angle))
    weight = np.repeat(np.diff(bounds) / ANGLES, ANGLES)
    return length.ravel(), weight


def _within(size: NDArray[np.float64], length: NDArray[np.float64], repeats: float) -> NDArray[np.float64]:
    """The chance that a vector of ``length`` and one that is normal with ``repeats`` in each direction together stay
    within ``size`` (Rice's distribution): integrated along the vector by Gauss and Hermite's rule."""
    if repeats < LEAST:
        return np.asarray(length <= size, float)
    nodes, weights = np.polynomial.hermite.hermgauss(NODES)
    made = np.zeros(np.broadcast_shapes(size.shape, length.shape))
    for node, weight in zip(nodes, weights, strict=True):
        aside = np.sqrt(np.maximum(size**2 - (length + repeats * math.sqrt(2) * node) ** 2, 0.0))
        made += weight / math.sqrt(math.pi) * _erf(aside / (repeats * math.sqrt(2)))
    return np.minimum(made, 1.0)


def _erf(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """The error function of what is not below nothing, within 1.5e-7 (Abramowitz and Stegun, 7.1.26)."""
    t = 1 / (1 + 0.3275911 * x)
    terms = t * (0.254829592 + t * (-0.284496736 + t * (1.421413741 + t * (-1.453152027 + t * 1.061405429))))
    return np.asarray(1 - terms * np.exp(-x * x))
