"""How far an outline leaves the grey iso-line it was traced from."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry import ARC, LINE, Path, Points
from nibble_core.tracing.distance_kernels import beside

MOST_SAMPLES = 1500
CORNER_RADIUS = 2.0  # px beside a corner where the iso-line is rounded by the pixels themselves
SMOOTH_TURN = np.radians(20)


def distances(points: Points, rings: Sequence[Points]) -> NDArray[np.float64]:
    """Distance of each point (n, 2) to the nearest of the closed polylines."""
    return distances_to_lines(points, [np.vstack([ring, ring[:1]]) for ring in rings])


def distances_to_lines(points: Points, polylines: Sequence[Points]) -> NDArray[np.float64]:
    """Distance of each point (n, 2) to the nearest of the open polylines."""
    lines = shapely.linestrings(np.concatenate([np.stack([line[:-1], line[1:]], 1) for line in polylines]))
    tree = shapely.STRtree(lines)
    places = shapely.points(points)
    return np.asarray(shapely.distance(places, lines[tree.nearest(places)]))


def stray(path: Path, ring: Points) -> float:
    """Largest distance between the outline and its ring, both ways, corners and their surroundings left out."""
    return furthest_off(path, ring)[0]


def furthest_off(path: Path, ring: Points) -> tuple[float, Points]:
    """``stray``, and the place (2,) on either line where it is."""
    outline = path.flattened(0.02)
    corners = corner_points(path)
    worst, place = 0.0, outline[0]
    step = max(1.0, len(ring) / MOST_SAMPLES)
    for samples, target in ((ring[:: int(step)], outline), (evenly(outline, step), ring)):
        apart = beside(np.ascontiguousarray(samples), np.ascontiguousarray(target), True)
        if len(corners):
            tree = shapely.STRtree(shapely.points(samples))
            apart[tree.query(shapely.points(corners), predicate="dwithin", distance=CORNER_RADIUS)[1]] = 0.0
        top = int(np.argmax(apart))
        if apart[top] > worst:
            worst, place = float(apart[top]), samples[top]
    return worst, place


def corner_points(path: Path) -> Points:
    """Nodes of a closed path where its direction jumps."""
    rows, straight = path.rows, path.kinds == LINE
    assert not (path.kinds == ARC).any()
    leaving = np.where(straight[:, None], rows[:, 6:] - rows[:, :2], rows[:, 2:4] - rows[:, :2])
    arriving = np.where(straight[:, None], rows[:, 6:] - rows[:, :2], rows[:, 6:] - rows[:, 4:6])
    into = np.roll(arriving, 1, 0)
    turn = np.abs(np.arctan2(into[:, 0] * leaving[:, 1] - into[:, 1] * leaving[:, 0], np.sum(into * leaving, 1)))
    return np.asarray(rows[turn > SMOOTH_TURN, :2])


def deviation(paths: Sequence[Path], rings: Sequence[Points], *, step: float = 0.5) -> tuple[float, float]:
    """Worst and mean distance from the outlines, sampled every ``step``, to the rings; unit of the rings."""
    if not paths or not rings:
        return 0.0, 0.0
    samples = np.vstack([evenly(path.flattened(0.02), step) for path in paths])
    apart = distances(samples, rings)
    return float(apart.max()), float(apart.mean())


def evenly(ring: Points, step: float) -> Points:
    """A closed polyline with further points, so that none are more than ``step`` apart."""
    return evenly_along(np.vstack([ring, ring[:1]]), step)[:-1]


def evenly_along(line: Points, step: float) -> Points:
    """An open polyline with further points, so that none are more than ``step`` apart."""
    steps = np.diff(line, axis=0)
    counts = np.maximum(1, np.ceil(np.hypot(*steps.T) / step)).astype(np.int64)
    of = np.repeat(np.arange(len(steps)), counts)
    t = (np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)) / counts[of]
    return np.vstack([line[of] + steps[of] * t[:, None], line[-1:]])


def deviation_runs(
    lines: Sequence[Points], places: Sequence[Points], *, step: float, classes: Sequence[float]
) -> tuple[list[tuple[int, Points]], tuple[float, float, float]]:
    """Outlines (polylines) cut into runs by how far they lie from ``places``, where colours truly meet.

    Each run is the index of the first of ``classes`` (rising distances) it stays within, len(classes) beyond all, and
    its points. Also the worst place: x, y and its distance. Units of the lines; sampled every ``step``.
    """
    runs: list[tuple[int, Points]] = []
    worst = (0.0, 0.0, 0.0)
    for line in lines:
        dense = evenly_along(line, step)
        apart = distances_to_lines(dense, places)
        top = int(np.argmax(apart))
        if apart[top] > worst[2]:
            worst = float(dense[top, 0]), float(dense[top, 1]), float(apart[top])
        kind = np.searchsorted(np.asarray(classes), np.maximum(apart[:-1], apart[1:]))
        cuts = [0, *(1 + np.nonzero(np.diff(kind))[0]).tolist(), len(kind)]
        runs += [(int(kind[a]), dense[a : b + 1]) for a, b in itertools.pairwise(cuts) if b > a]
    return runs, worst
