"""How a sheet that was cut comes apart: ties that hold, waste that is pulled off, how often each process runs."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry.regions import polygons
from nibble_core.processes import PIECE, PROCESSES, frees
from nibble_core.simulators.cut_files import CutLine

LONGEST_TIE = 5.0  # mm between two strokes of one line; further apart they are two lines
MOST_TIES = 3000  # that are measured, spread evenly over the sheet
TIE_STEP, BLADE = 0.02, 0.05  # mm between two places of a tie; to both sides of a cut, that it takes with it
CHORD = 0.05  # mm that a line of the waste may lie off its curve
SLIVER = 0.01  # mm² of waste that nobody notices


@dataclass(frozen=True)
class Tie:
    """Where two strokes of one line leave material between them: from one end to the other, mm on the sheet."""

    start: tuple[float, float]
    end: tuple[float, float]

    @property
    def length(self) -> float:
        return math.dist(self.start, self.end)


@dataclass(frozen=True)
class Waste:
    """What is thrown away of the film: pieces that are pulled off, and holes that are picked out of what stays."""

    pulls: int
    holes: int


@dataclass(frozen=True)
class Freed:
    """What falls free as a sheet is cut. copies: numbers of those whose edge is cut right through; waste: how many
    holes fall out of them; smallest: width and height of the smallest of both, mm; holding: how many edges were meant
    to close and do not; late: how many lines are cut on something after it fell free."""

    copies: frozenset[int]
    waste: int
    smallest: tuple[float, float]
    holding: int
    late: int


def freed(
    lines: Sequence[CutLine], processes: Sequence[str], copy: NDArray[np.int64], tracks: Sequence[NDArray[np.float64]],
) -> Freed | None:  # fmt: skip
    """What falls free once a sheet is cut along lines, mm on the sheet; None where no closed line goes right through.
    copy: of each line. tracks: where the tip went, in the order in which it did, (n, 2) mm each; none for a tip that
    follows the lines."""
    through = [
        k for k, line in enumerate(lines)
        if line.closed and frees(processes[k]) == PIECE
    ]  # fmt: skip
    if not through:
        return None
    rings = [shapely.Polygon(lines[k].places) for k in through]
    went = tracks or [line.places for line in lines]
    middles = shapely.points([places[len(places) // 2] for places in went])
    order, open_ones = _as_cut(rings, tracks, middles) if tracks else (np.array(through), set[int]())
    depth = _depths(rings)
    free = [k for k in range(len(rings)) if k not in open_ones]
    outer = [k for k in free if depth[k] % 2 == 0]
    sizes = [(right - left, bottom - top) for left, top, right, bottom in (rings[k].bounds for k in free)]
    return Freed(
        frozenset(int(copy[through[k]]) for k in outer) - {-1}, len(free) - len(outer),
        min(sizes, key=max, default=(0.0, 0.0)), len(open_ones), _late(rings, order, middles),
    )  # fmt: skip


def _as_cut(
    rings: Sequence[shapely.Polygon], tracks: Sequence[NDArray[np.float64]], middles: NDArray[np.object_]
) -> tuple[NDArray[np.int64], set[int]]:
    """Of each ring the number of the track that cuts it, and which rings stay open by more than the width of a cut."""
    edges = [ring.exterior for ring in rings]
    order = shapely.STRtree(middles).query_nearest(edges, all_matches=False)[1]
    kerfs = shapely.buffer([shapely.LineString(tracks[number]) for number in order], BLADE / 2)
    holes = [[shapely.Polygon(hole) for part in polygons(kerf) for hole in part.interiors] for kerf in kerfs]
    within = [ring.representative_point() for ring in rings]
    return order, {k for k, place in enumerate(within) if not any(hole.contains(place) for hole in holes[k])}


def _late(rings: Sequence[shapely.Polygon], order: NDArray[np.int64], middles: NDArray[np.object_]) -> int:
    """How many lines run on what an earlier one has freed; order: when each ring is cut."""
    inside = shapely.STRtree(middles).query(shapely.buffer(rings, -CHORD), predicate="contains")
    return len(np.unique(inside[1][inside[1] > order[inside[0]]]))


def ties(lines: Sequence[CutLine], processes: Sequence[str]) -> list[Tie]:
    """Between strokes that follow each other on lines which make edges."""
    found = []
    open_ones = [k for k, one in enumerate(lines) if not one.closed and PROCESSES[processes[k]].edges]
    for before, after in pairwise(open_ones):
        if processes[before] == processes[after]:
            start, end = lines[before].places[-1], lines[after].places[0]
            tie = Tie((float(start[0]), float(start[1])), (float(end[0]), float(end[1])))
            if 0 < tie.length <= LONGEST_TIE:
                found.append(tie)
    return found


def held(every: Sequence[Tie], tracks: Sequence[NDArray[np.float64]]) -> list[float]:
    """What is left of ties, mm of each that is measured, once a blade has gone along the tracks, (n, 2) mm on the
    sheet."""
    measured = every[:: max(1, math.ceil(len(every) / MOST_TIES))]
    cuts = shapely.STRtree([shapely.LineString(track) for track in tracks])
    counts = [max(2, round(tie.length / TIE_STEP)) for tie in measured]
    shares = [(np.arange(count) + 0.5) / count for count in counts]
    places = [
        np.array(tie.start) + share[:, None] * (np.array(tie.end) - np.array(tie.start))
        for tie, share in zip(measured, shares, strict=True)
    ]
    if not places:
        return []
    points = shapely.points(np.vstack(places))
    apart = np.full(len(points), np.inf)
    which, distances = cuts.query_nearest(points, max_distance=LONGEST_TIE, return_distance=True, all_matches=False)
    apart[which[0]] = distances
    left, first = [], 0
    for tie, count in zip(measured, counts, strict=True):
        # strokes end where the blade leaves the material: what is nearer to them than half a blade is cut as well
        free = apart[first : first + count] > BLADE
        left.append(tie.length * float(_longest_run(free)) / count)
        first += count
    return left


def _longest_run(flags: NDArray[np.bool_]) -> int:
    """Of ones among flags (n,)."""
    ends = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(np.int8), [0]])))
    return int((ends[1::2] - ends[::2]).max(initial=0))


def waste(
    lines: Sequence[CutLine], processes: Sequence[str], size: tuple[float, float]
) -> Waste | None:  # fmt: skip
    """What is pulled off a sheet of that size, width and height in mm, after its kiss cuts; None where it has none.
    What lies within a closed cut is kept, what lies within another one inside that is a hole."""
    through_film = [k for k, one in enumerate(processes) if PROCESSES[one].film_only]
    rings = [lines[k].places for k in through_film if lines[k].closed and PROCESSES[processes[k]].edges]
    if not rings:
        return None
    edges = [shapely.Polygon(ring).simplify(CHORD) for ring in rings]
    depth = _depths(edges)
    outer = [edge for edge, count in zip(edges, depth, strict=True) if count % 2 == 0]
    # holes come out by themselves: what is pulled off lies outside all outer cuts
    left = shapely.difference(shapely.box(0, 0, *size), shapely.union_all(shapely.make_valid(np.array(outer))))
    across = [
        shapely.LineString(lines[k].places).simplify(CHORD)
        for k in through_film if PROCESSES[processes[k]].across_waste
    ]  # fmt: skip
    if across:
        left = shapely.difference(left, shapely.buffer(shapely.union_all(across), BLADE / 2))
    return Waste(sum(part.area > SLIVER for part in polygons(left)), len(edges) - len(outer))


def _depths(rings: Sequence[shapely.Polygon]) -> NDArray[np.int64]:
    """Within how many others each ring lies."""
    starts = [shapely.Point(ring.exterior.coords[0]) for ring in rings]
    return np.bincount(shapely.STRtree(rings).query(starts, predicate="within")[0], minlength=len(rings))


def strokes(processes: Sequence[str]) -> list[tuple[str, int]]:
    """How often each process runs, in the order in which they come."""
    counted = Counter(processes)
    return sorted(counted.items(), key=lambda item: PROCESSES[item[0]].order)
