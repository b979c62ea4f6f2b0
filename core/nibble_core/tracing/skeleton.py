"""The skeleton of a drawing as a graph: runs of pixels between ends and junctions, and which of them go on as one
stroke across a junction."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Points
from nibble_core.tracing.skeleton_kernels import thinned

NEIGHBOURS = [(-1, 0), (0, 1), (1, 0), (0, -1), (-1, 1), (1, 1), (1, -1), (-1, -1)]
SPUR = 1.15  # half widths: a free run shorter than this is the skeleton reaching into a corner
STUB = 0.7  # of the ink's width where it begins that a short stroke has at its end
CROSSING = 2.6  # half widths: junctions nearer than this are one crossing that the skeleton tore apart
BEND = np.radians(52)  # a stroke turns less than this across a junction


@dataclass(eq=False)
class Run:
    """Skeleton places (n, 2) as x, y, half widths (n,), and the junction at either end, None where it is free."""

    places: Points
    half: NDArray[np.float64]
    first: int | None
    last: int | None

    @property
    def length(self) -> float:
        return float(np.hypot(*np.diff(self.places, axis=0).T).sum()) if len(self.places) > 1 else 0.0


@dataclass(frozen=True, eq=False)
class Course:
    """A stroke's skeleton: places, half widths, which of them lie within a junction; and the places of the junctions
    that its two ends stop at, None where they are free."""

    places: Points
    half: NDArray[np.float64]
    in_junction: NDArray[np.bool_]
    closed: bool
    stops: tuple[Points | None, Points | None]


def skeleton_courses(mask: NDArray[np.bool_]) -> list[Course]:
    """Strokes of a mask (rows, columns), along its skeleton, joined across crossings where they go straight on."""
    runs, centres = _graph(mask)
    runs = _pruned(runs)
    centre_of = _merged_crossings(runs, centres)
    # what lies within one crossing is no stroke
    runs = [r for r in runs if r.first is None or r.first != r.last or r.length > CROSSING * float(r.half.max())]
    return _courses(runs, centre_of)


def _graph(mask: NDArray[np.bool_]) -> tuple[list[Run], dict[int, Points]]:
    framed = np.pad(mask.astype(np.uint8), 1)
    skeleton = thinned(framed)
    half = cv2.distanceTransform(framed, cv2.DIST_L2, 5)
    kernel = np.ones((3, 3), np.float32)
    kernel[1, 1] = 0
    degree = cv2.filter2D(skeleton, cv2.CV_8U, kernel, borderType=cv2.BORDER_CONSTANT) * skeleton
    joints = ((degree > 2) & (skeleton > 0)).astype(np.uint8)
    count, joint_of, _, centroids = cv2.connectedComponentsWithStats(joints, connectivity=8)
    centres = {j: centroids[j] - 0.5 for j in range(1, count)}  # the frame shifts by one, pixel centres by a half
    ys, xs = np.nonzero((skeleton > 0) & (joints == 0))
    index = {(y, x): i for i, (y, x) in enumerate(zip(ys.tolist(), xs.tolist(), strict=True))}
    near: list[list[int]] = []
    touches: list[list[int]] = []
    for y, x in index:
        near.append([index[(y + dy, x + dx)] for dy, dx in NEIGHBOURS if (y + dy, x + dx) in index])
        touches.append(sorted({int(joint_of[y + dy, x + dx]) for dy, dx in NEIGHBOURS} - {0}))
    seen = bytearray(len(near))
    runs: list[Run] = []
    ends_first = [i for i in range(len(near)) if len(near[i]) <= 1]
    for start in [*ends_first, *range(len(near))]:
        if seen[start]:
            continue
        walk = [start]
        seen[start] = 1
        while True:
            following = [i for i in near[walk[-1]] if not seen[i]]
            if not following:
                break
            walk.append(following[0])
            seen[following[0]] = 1
        places = np.stack([xs[walk], ys[walk]], 1).astype(float) - 0.5
        widths = half[ys[walk], xs[walk]].astype(float)
        first = touches[walk[0]][0] if touches[walk[0]] else None
        others = [j for j in touches[walk[-1]] if len(walk) > 1 or j != first]
        last = others[0] if others else None
        if first is None and last is None and len(walk) > 8 and np.abs(places[0] - places[-1]).max() < 1.5:
            first = last = -len(runs) - 1  # a ring: a junction of its own that nothing else meets
            centres[first] = places[0]
        runs.append(Run(places, widths, first, last))
    return runs, centres


def _pruned(runs: list[Run]) -> list[Run]:
    """Without free runs that only reach into the corner of a thick stroke: there the ink narrows to nothing, while a
    short stroke keeps its width to its end."""
    kept = []
    for run in runs:
        one_free = (run.first is None) != (run.last is None)
        base, tip = (run.half[0], run.half[-1]) if run.first is not None else (run.half[-1], run.half[0])
        is_stub = tip > STUB * base and run.length > base / 2
        if one_free and run.length < SPUR * base + 2 and not is_stub:
            continue
        kept.append(run)
    return kept


def _merged_crossings(runs: list[Run], centres: dict[int, Points]) -> dict[int, Points]:
    """Junctions joined by a very short run become one; ``runs`` are renamed in place. Returns places by junction."""
    leader = {j: j for j in centres}

    def find(j: int) -> int:
        while leader[j] != j:
            j = leader[j]
        return j

    for run in runs:
        inner = run.first is not None and run.last is not None and run.first != run.last
        if inner and run.length + 2 < CROSSING * float(np.median(run.half)):
            leader[find(run.first)] = find(run.last)  # type: ignore[arg-type]
    groups: dict[int, list[Points]] = {}
    for j, place in centres.items():
        groups.setdefault(find(j), []).append(place)
    for run in runs:
        run.first = None if run.first is None else find(run.first)
        run.last = None if run.last is None else find(run.last)
    return {j: np.mean(places, 0) for j, places in groups.items()}


def _courses(runs: list[Run], centres: dict[int, Points]) -> list[Course]:
    partner = _partners(runs, centres)
    used: set[int] = set()
    courses = []
    starts = [(i, side) for i in range(len(runs)) for side in (0, 1) if (i, side) not in partner]
    for i, side in [*starts, *((i, 0) for i in range(len(runs)))]:
        if i not in used:
            courses.append(_walked(i, side, runs, centres, partner, used))
    return [course for course in courses if len(course.places) > 1]


End = tuple[int, int]
"""A run and its side: 0 where it begins, 1 where it ends."""


def _partners(runs: list[Run], centres: dict[int, Points]) -> dict[End, End]:
    """Which end goes on as which, at every junction: the straightest pairs first."""
    at: dict[int, list[End]] = {}
    for i, run in enumerate(runs):
        for side, junction in ((0, run.first), (1, run.last)):
            if junction is not None:
                at.setdefault(junction, []).append((i, side))
    partner: dict[End, End] = {}
    for junction, ends in at.items():
        if len(ends) == 2:
            partner[ends[0]], partner[ends[1]] = ends[1], ends[0]
            continue
        ways = [_direction(runs[i], side, centres[junction]) for i, side in ends]
        pairs = sorted(
            (float(np.arccos(np.clip(-(ways[a] @ ways[b]), -1, 1))), a, b)
            for a in range(len(ends)) for b in range(a + 1, len(ends))
        )  # fmt: skip
        free = set(range(len(ends)))
        for turn, a, b in pairs:
            if turn < BEND and a in free and b in free:
                free -= {a, b}
                partner[ends[a]], partner[ends[b]] = ends[b], ends[a]
    return partner


def _direction(run: Run, side: int, centre: Points) -> Points:
    """Unit direction in which a run leaves a junction, beyond what the junction itself bends."""
    places, half = (run.places, run.half) if side == 0 else (run.places[::-1], run.half[::-1])
    width = float(np.median(half))
    away = np.hypot(*(places - centre).T)
    some = places[(away > 1.2 * width) & (away < 4.5 * width + 4)]
    if len(some) < 3:
        some = places[-3:] if len(places) >= 3 else places
    way = some[-1] - some[0] if len(some) > 2 and np.hypot(*(some[-1] - some[0])) > 1 else some[-1] - centre
    return np.asarray(way / max(float(np.hypot(*way)), 1e-9))


def _walked(
    i: int, side: int, runs: list[Run], centres: dict[int, Points], partner: dict[End, End], used: set[int]
) -> Course:
    """From a run's side through partners to the end of the stroke, or round to where it began."""
    starts_at = None if (i, side) in partner else _junction(runs[i], side)
    pieces: list[tuple[Points, NDArray[np.float64], NDArray[np.bool_]]] = []
    while True:
        run = runs[i]
        used.add(i)
        width = float(np.median(run.half))
        flags = np.zeros(len(run.places), bool)
        for junction in (run.first, run.last):
            if junction is not None and junction >= 0:
                flags |= np.hypot(*(run.places - centres[junction]).T) < 1.5 * width + 1
        way = 1 if side == 0 else -1
        pieces.append((run.places[::way], run.half[::way], flags[::way]))
        onward = partner.get((i, 1 - side))
        if onward is None or onward[0] in used:
            break
        i, side = onward
    ends_at = None if onward is not None else _junction(runs[i], 1 - side)
    places, half, flags = (np.concatenate(part) for part in zip(*pieces, strict=True))
    stops = tuple(None if junction is None else centres[junction] for junction in (starts_at, ends_at))
    return Course(places, half, flags, onward is not None, (stops[0], stops[1]))


def _junction(run: Run, side: int) -> int | None:
    return run.first if side == 0 else run.last
