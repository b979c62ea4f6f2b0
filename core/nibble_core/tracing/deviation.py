"""How far an outline leaves the grey iso-line it was traced from."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import ARC, LINE, Bundle, Path, Points
from nibble_core.geometry.distance_kernels import beside
from nibble_core.geometry.fitting import densified
from nibble_core.geometry.nearest import distances_to_lines, distances_to_segments

MOST_SAMPLES = 1500
CORNER_RADIUS = 2.0  # px beside a corner where the iso-line is rounded by the pixels themselves
OUTLINE = 0.02  # px: how finely outlines are looked at
BLIND = 3.0  # px beside corners and junctions, whose pixels show more than one edge
FINE, MOST_PLACES = 0.5, 100_000  # px between places measured, and how many are
SMOOTH_TURN = np.radians(20)


def distances(points: Points, rings: Sequence[Points]) -> NDArray[np.float64]:
    """Distance of each point (n, 2) to the nearest of the closed polylines."""
    return distances_to_lines(points, [np.vstack([ring, ring[:1]]) for ring in rings])


def stray(path: Path, ring: Points) -> float:
    """Largest distance between the outline and its ring, both ways, corners and their surroundings left out."""
    return furthest_off(path, ring)[0]


def furthest_off(path: Path, ring: Points) -> tuple[float, Points]:
    """``stray``, and the place (2,) on either line where it is."""
    outline = path.flattened(OUTLINE)
    corners = corner_points(path)
    worst, place = 0.0, outline[0]
    step = max(1.0, len(ring) / MOST_SAMPLES)
    for samples, target in ((ring[:: int(step)], outline), (evenly(outline, step), ring)):
        apart = beside(np.ascontiguousarray(samples), np.ascontiguousarray(target), True)
        apart[distances_to_segments(samples, corners, corners) <= CORNER_RADIUS] = 0.0
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


def off_along(
    paths: Sequence[Path], places: Sequence[Points], *, step: float, blind: float
) -> list[tuple[Points, NDArray[np.float64]]]:
    """Samples of each outline (n, 2), ``step`` apart, with how far each lies from ``places``, where colours truly meet.

    Within ``blind`` of a corner, which pixels round off, or of an end of open places, beside which pixels show a third
    colour or the end of a stroke, nothing counts: NaN. Places are polylines; closed ones end where they begin.
    """
    if not paths or not places:
        return []
    dense = [densified(line, step) for line in Bundle.of(paths).arrays_of_points(OUTLINE)]
    apart = distances_to_lines(np.vstack(dense), places)
    dark = [corner_points(path.as_cubics()) for path in paths]
    dark += [place[[0, -1]] for place in places if not np.array_equal(place[0], place[-1])]
    apart[distances_to_segments(np.vstack(dense), np.vstack(dark), np.vstack(dark)) <= blind] = np.nan
    return list(zip(dense, np.split(apart, np.cumsum([len(line) for line in dense])[:-1]), strict=True))


def deviation(paths: Sequence[Path], places: Sequence[Points]) -> tuple[float, float]:
    """Worst and mean distance, px, from the outlines to where colours truly meet. See ``off_along``."""
    samples = sum(len(place) for place in places)  # about one a pixel of outline
    along = off_along(paths, places, step=max(FINE, samples / MOST_PLACES), blind=BLIND)
    apart = np.concatenate([off for _, off in along]) if along else np.zeros(0)
    apart = apart[~np.isnan(apart)]
    return (float(apart.max()), float(apart.mean())) if len(apart) else (0.0, 0.0)


def closed_line(path: Path) -> Points:
    """A path as a polyline (n, 2) that ends where it begins if it is closed."""
    points = path.flattened(OUTLINE)
    return np.vstack([points, points[:1]]) if path.closed else points


def evenly(ring: Points, step: float) -> Points:
    """A closed polyline with further points, so that none are more than ``step`` apart."""
    return densified(np.vstack([ring, ring[:1]]), step)[:-1]


def deviation_runs(
    paths: Sequence[Path], places: Sequence[Points], *, step: float, classes: Sequence[float]
) -> tuple[list[tuple[int, Points]], tuple[float, float, float]]:
    """Outlines cut into runs by how far they lie from ``places``; see ``off_along``.

    Each run is the index of the first of ``classes`` (rising distances) it stays within, len(classes) beyond all, and
    its points. Also the worst place: x, y and its distance. Units of the outlines; a pixel is ``step`` wide.
    """
    runs: list[tuple[int, Points]] = []
    worst = (0.0, 0.0, 0.0)
    for dense, measured in off_along(paths, places, step=step, blind=BLIND * step):
        apart = np.nan_to_num(measured)
        top = int(np.argmax(apart))
        if apart[top] > worst[2]:
            worst = float(dense[top, 0]), float(dense[top, 1]), float(apart[top])
        kind = np.searchsorted(np.asarray(classes), np.maximum(apart[:-1], apart[1:]))
        cuts = [0, *(1 + np.nonzero(np.diff(kind))[0]).tolist(), len(kind)]
        runs += [(int(kind[a]), dense[a : b + 1]) for a, b in itertools.pairwise(cuts) if b > a]
    return runs, worst
