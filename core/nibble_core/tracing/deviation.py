"""How far an outline leaves the grey iso-line it was traced from."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry import ARC, LINE, Path, Points

CORNER_RADIUS = 2.0  # px beside a corner where the iso-line is rounded by the pixels themselves
SMOOTH_TURN = np.radians(20)


def distances(points: Points, rings: Sequence[Points]) -> NDArray[np.float64]:
    """Distance of each point (n, 2) to the nearest of the closed polylines."""
    lines = shapely.linestrings(np.concatenate([np.stack([ring, np.roll(ring, -1, 0)], 1) for ring in rings]))
    tree = shapely.STRtree(lines)
    places = shapely.points(points)
    return np.asarray(shapely.distance(places, lines[tree.nearest(places)]))


def stray(path: Path, ring: Points) -> float:
    """Largest distance between the outline and its ring, both ways, corners and their surroundings left out."""
    outline = path.flattened(0.02)
    corners = corner_points(path)
    worst = 0.0
    for samples, target in ((ring, outline), (evenly(outline, 1.0), ring)):
        if len(corners):
            tree = shapely.STRtree(shapely.points(corners))
            near = tree.query(shapely.points(samples), predicate="dwithin", distance=CORNER_RADIUS)[0]
            samples = np.delete(samples, near, 0)
        if len(samples):
            worst = max(worst, float(distances(samples, [target]).max()))
    return worst


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
    following = np.roll(ring, -1, 0)
    chords = np.hypot(*(following - ring).T)
    counts = np.maximum(1, np.ceil(chords / step)).astype(np.int64)
    of = np.repeat(np.arange(len(ring)), counts)
    t = (np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)) / counts[of]
    return np.asarray(ring[of] + (following - ring)[of] * t[:, None])
