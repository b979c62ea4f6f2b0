"""A patch map as a planar graph: borders that two patches share, junctions where they meet, rings round patches.

Every border is one line, fitted once and used by both patches, so that neighbours touch exactly and the areas of
all patches add up to the picture.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Points
from nibble_core.tracing.planar_kernels import walk_borders

OUTSIDE = -1
FURTHEST = 1.5  # px from the pixel corner
Corners = NDArray[np.int32]


@dataclass(frozen=True, eq=False)
class Border:
    """A line between two patches.

    corners: (n, 2) y, x of the pixel corners it passes. right and left: the patches beside it, seen along the walk on
    screen; OUTSIDE beyond the picture. closed: it has no junction. places: (n - 1, 2) where it truly crosses between
    pixels, x, y.
    """

    corners: Corners
    right: int
    left: int
    closed: bool
    places: Points

    @property
    def at_edge(self) -> bool:
        """It runs along the edge of the picture."""
        return self.right == OUTSIDE or self.left == OUTSIDE


def borders_of(
    patches: NDArray[np.int32],
    labels: NDArray[np.uint8],
    picture: NDArray[np.float32],
    palette: NDArray[np.float64],
) -> list[Border]:
    """All borders of a patch map, with their sub-pixel places. ``labels``: the colour of each pixel in ``palette``.

    Between the centres of two pixels on either side the share of one patch's colour falls from above to below a half:
    where it passes a half lies the edge, as in marching squares.
    """
    framed = np.full((patches.shape[0] + 2, patches.shape[1] + 2), OUTSIDE, np.int32)
    framed[1:-1, 1:-1] = patches
    corners, offsets = walk_borders(framed)
    found = []
    for a, b in zip(offsets[:-1].tolist(), offsets[1:].tolist(), strict=True):
        line = corners[a:b]
        right, left = beside(line)
        one, other = framed[right[0, 0] + 1, right[0, 1] + 1], framed[left[0, 0] + 1, left[0, 1] + 1]
        closed = bool((line[0] == line[-1]).all()) and _degree(framed, line[0]) == 2
        if OUTSIDE in (one, other):
            places = (line[:-1] + line[1:])[:, ::-1] / 2.0
        else:
            places = _crossings(right, left, picture, labels, palette.astype(np.float32))
        found.append(Border(line, int(one), int(other), closed, places))
    return found


def beside(line: Corners) -> tuple[Corners, Corners]:
    """Pixels (n - 1, 2) as row, column to the right and to the left of each unit step, on screen."""
    start, step = line[:-1], np.diff(line, axis=0)
    dy, dx = step[:, 0], step[:, 1]
    # to the right of a step (dy, dx) on screen, y down, lies the direction (dx, -dy)
    middle = start + step * 0.5
    right = np.floor(middle + np.stack([dx, -dy], 1) * 0.5).astype(np.int32)
    left = np.floor(middle - np.stack([dx, -dy], 1) * 0.5).astype(np.int32)
    return right, left


def _degree(framed: NDArray[np.int32], corner: Corners) -> int:
    y, x = int(corner[0]), int(corner[1])
    four = framed[y, x], framed[y, x + 1], framed[y + 1, x + 1], framed[y + 1, x]
    return sum(four[k] != four[k - 1] for k in range(4))


def _crossings(
    right: Corners, left: Corners, picture: NDArray[np.float32], labels: NDArray[np.uint8], palette: NDArray[np.float32]
) -> Points:
    here, there = picture[right[:, 0], right[:, 1]], picture[left[:, 0], left[:, 1]]
    one, other = palette[labels[right[:, 0], right[:, 1]]], palette[labels[left[:, 0], left[:, 1]]]
    span = one - other
    size = np.maximum((span * span).sum(1), 1.0)
    share_here, share_there = (((p - other) * span).sum(1) / size for p in (here, there))
    fall = share_here - share_there
    slope = np.where(np.abs(fall) > 1e-3, fall, 1.0)
    t = np.clip(np.where(np.abs(fall) > 1e-3, (share_here - 0.5) / slope, 0.5), 0.0, 1.0)[:, None]
    return np.asarray((right[:, ::-1] + 0.5) * (1 - t) + (left[:, ::-1] + 0.5) * t, np.float64)


def junctions_of(
    borders: Sequence[Border], height: int, width: int, furthest: float = FURTHEST
) -> dict[tuple[int, int], tuple[float, float]]:
    """Where the borders that end at a corner truly meet: least squares of the lines they arrive along, at most
    ``furthest`` px from it."""
    arriving: dict[tuple[int, int], list[tuple[Points, bool]]] = {}
    for border in borders:
        if border.closed:
            continue
        for end, places in ((border.corners[0], border.places), (border.corners[-1], border.places[::-1])):
            arriving.setdefault((int(end[0]), int(end[1])), []).append((places, border.at_edge))
    return {corner: _meeting(corner, lines, height, width, furthest) for corner, lines in arriving.items()}


FIRST, LAST, FAR = 2, 9, 28  # places off a junction by which its arriving line is judged
UNSTEADY, STILL_STRAIGHT = 0.06, 1.3  # px off that line, and how much more over a longer way
HOLD = 0.02  # weight of the pixel corner, for junctions that lines do not settle


def _meeting(
    corner: tuple[int, int], lines: Sequence[tuple[Points, bool]], height: int, width: int, furthest: float
) -> tuple[float, float]:
    y, x = corner
    here = np.array([x, y], float)
    matrix, target = HOLD * np.eye(2), HOLD * here
    for places, at_edge in lines:
        some = places[FIRST:LAST] if len(places) >= FIRST + 3 else places
        if at_edge or len(some) < 2:
            continue
        middle, normal, off = _line(some)
        if off > UNSTEADY and len(places) >= FAR:
            # noise, which more places even out, and no bend, which would only show more over a longer way
            steadier = _line(places[FIRST:FAR])
            if steadier[2] < STILL_STRAIGHT * off:
                middle, normal, off = steadier
        weight = min(1.0, len(some) / 4) / (1.0 + 20 * off**2)
        matrix += weight * np.outer(normal, normal)
        target += weight * normal * (normal @ middle)
    on_side, on_end = x in (0, width), y in (0, height)
    if on_side and on_end:
        return float(x), float(y)
    if on_side:
        place = np.array([x, (target[1] - matrix[1, 0] * x) / matrix[1, 1]])
    elif on_end:
        place = np.array([(target[0] - matrix[0, 1] * y) / matrix[0, 0], y])
    else:
        place = np.linalg.solve(matrix, target)
    off = float(np.hypot(*(place - here)))
    if off > furthest:
        place = here + (place - here) * furthest / off
    return float(place[0]), float(place[1])


def _line(places: Points) -> tuple[Points, Points, float]:
    """The straight line of places (n, 2): its middle, its unit normal, and their root mean square distance from it."""
    middle = places.mean(0)
    _, spread, ways = np.linalg.svd(places - middle, full_matrices=False)
    return middle, np.array([-ways[0, 1], ways[0, 0]]), float(spread[1]) / len(places) ** 0.5


def rings_of(borders: Sequence[Border]) -> dict[int, list[list[tuple[int, bool]]]]:
    """The rings round each patch: lists of (border, walked forward), the patch always to the right on screen.

    At a corner a ring goes on along the border beside the same pixel, so patches that touch at a corner stay apart.
    """
    starts: dict[tuple[int, int, int], list[tuple[tuple[int, int], tuple[int, bool]]]] = {}
    ends: dict[tuple[int, bool], tuple[tuple[int, int, int], tuple[int, int]]] = {}
    rings: dict[int, list[list[tuple[int, bool]]]] = {}
    for index, border in enumerate(borders):
        for patch, forward in ((border.right, True), (border.left, False)):
            if patch == OUTSIDE:
                continue
            if border.closed:
                rings.setdefault(patch, []).append([(index, forward)])
                continue
            line = border.corners if forward else border.corners[::-1]
            first, last = beside(line[:2])[0][0], beside(line[-2:])[0][0]
            starts.setdefault((*_pair(line[0]), patch), []).append((_pair(first), (index, forward)))
            ends[(index, forward)] = (*_pair(line[-1]), patch), _pair(last)
    left = dict.fromkeys(ends)
    while left:
        first_part = next(iter(left))
        ring, part = [], first_part
        while True:
            ring.append(part)
            del left[part]
            corner, pixel = ends[part]
            ways = starts[corner]
            part = ways[0][1] if len(ways) == 1 else next(way for beside_pixel, way in ways if beside_pixel == pixel)
            if part == first_part:
                break
        rings.setdefault(corner[2], []).append(ring)
    return rings


def _pair(values: Corners) -> tuple[int, int]:
    return int(values[0]), int(values[1])
