"""Interlocked pairs: every other copy turned by half a turn, rows pushed into each other, as close as the shapes go.

Copies lie in a double lattice (after Kuperberg: pairs related by half a turn, repeated by two shifts), found by a
search over the shift within a pair and the shift between rows. Profiles serve it: how far a shape reaches to either
side at every height, and up and down at every width. They are rounded outward, so that copies never come nearer than
asked.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
import shapely
import shapely.affinity
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Affine, Box
from nibble_core.sheet.interlocking_kernels import beside, closest_rows, fill

Floats = NDArray[np.float64]
CELLS = 320  # of a profile along the longer side
SHIFTS = 90  # within a pair that are tried
COARSE = 60  # shifts from row to row that are tried before the best is looked at closely
KEPT, LEAST_KEPT = 24, 4  # lattices that are laid out to see which serves best, and of each turn at least
TURNS = (0.0, 90.0)
FINEST = 0.02  # mm


@dataclass(frozen=True)
class Lattice:
    """A way to repeat a shape. turn: degrees of the upright ones. width, height: of one of them with ``margin``, half
    its gap, round it, mm. second: where the turned one of a pair lies beside the first (None: none is turned). pitch:
    between pairs in a row. row: between rows. slant: by how much each row is shifted on."""

    turn: float
    width: float
    height: float
    margin: float
    second: tuple[float, float] | None
    pitch: float
    row: float
    slant: float

    @property
    def area(self) -> float:
        """mm² that each copy takes of an endless sheet."""
        return self.pitch * self.row / (1 if self.second is None else 2)


class Laid(NamedTuple):
    """Copies of a lattice in a strip: top left corners of their boxes, whether each is turned by half a turn, and the
    width and length they fill, mm."""

    corners: Floats
    turned: NDArray[np.bool_]
    width: float
    length: float


def lattices(shape: BaseGeometry, gap: float, *, turns: Sequence[float] = TURNS, pairs: bool = True) -> list[Lattice]:
    """The best ways to repeat a shape with at least ``gap`` mm between copies, the densest first; plain rows are among
    them. Of every turn some are kept: which is the shortest on a sheet tells its edges as well."""
    found: list[Lattice] = []
    few: list[Lattice] = []
    for turn in turns:
        turned = shapely.affinity.rotate(shape, turn, origin=(0, 0))
        left, top, right, bottom = turned.bounds
        cell = max(max(right - left, bottom - top) / CELLS, FINEST)
        margin = gap / 2 + cell / 4  # profiles are sampled so finely that nothing lies further off its strip
        box = Box(left - margin, top - margin, right + margin, bottom + margin)
        made = sorted(_of(turned.buffer(margin, quad_segs=16), box, turn, margin, cell, pairs), key=_area)
        found, few = found + made, few + made[:LEAST_KEPT]
    return sorted(dict.fromkeys([*sorted(found, key=_area)[:KEPT], *few]), key=_area)


def _area(one: Lattice) -> float:
    return one.area


def strip(lattice: Lattice, count: int, room: float) -> Laid | None:
    """The first ``count`` copies of a lattice in a strip ``room`` mm wide, row by row; None when not one fits."""
    if lattice.width > room + 1e-9:
        return None
    places, turned = np.empty((count, 2)), np.empty(count, np.bool_)
    pairs, (dx, dy) = lattice.second is not None, lattice.second or (0.0, 0.0)
    fill(places, turned, lattice.pitch, lattice.row, lattice.slant, lattice.width, float(room), pairs, dx, dy)
    places -= places.min(0)
    width, length = (places.max(0) + np.array([lattice.width, lattice.height])).tolist()
    return Laid(places, turned, width, length)


def placed(lattice: Lattice, some: Laid, shape: BaseGeometry) -> list[Affine]:
    """The map of each copy, from the shape's own coordinates; the strip's top left corner is the origin."""
    maps = []
    for half in (0.0, 180.0):
        about = Affine.rotation(lattice.turn + half)
        left, top, right, bottom = shapely.affinity.affine_transform(
            shape, [about.a, about.c, about.b, about.d, 0, 0]
        ).bounds
        x, y = lattice.margin - left, lattice.margin - top
        if half:  # its box is the other's, turned: what was left over at the right and below is left and above
            x, y = lattice.width - lattice.margin - right, lattice.height - lattice.margin - bottom
        maps.append(about.then(Affine.translation(x, y)))
    return [
        maps[int(flag)].then(Affine.translation(x, y))
        for (x, y), flag in zip(some.corners.tolist(), some.turned.tolist(), strict=True)
    ]


def _of(grown: BaseGeometry, box: Box, turn: float, margin: float, cell: float, pairs: bool) -> list[Lattice]:
    wide, tall = math.ceil(box.width / cell), math.ceil(box.height / cell)
    width, height = wide * cell, tall * cell
    sides = _profile(grown, box, cell, axis=1, count=tall)
    ends = _profile(grown, box, cell, axis=0, count=wide)
    own = float(np.max(sides[1] - sides[0]))  # a copy beside itself
    made = [_rows(Lattice(turn, width, height, margin, None, own, 0.0, 0.0), ends, cell)]
    if not pairs:
        return made
    half = (width - sides[1][::-1], width - sides[0][::-1])
    half_ends = (height - ends[1][::-1], height - ends[0][::-1])
    step = max(1, round(2 * tall / SHIFTS))
    for shift in range(-tall + 1, tall, step):
        there, back = beside(sides[1], half[0], shift), beside(half[1], sides[0], -shift)
        pitch = max(there + back, own)
        if pitch <= 0:
            continue
        one = Lattice(turn, width, height, margin, (there, shift * cell), pitch, 0.0, 0.0)
        made.append(_rows(one, ends, cell, half_ends))
    return made


def _profile(shape: BaseGeometry, box: Box, cell: float, *, axis: int, count: int) -> tuple[Floats, Floats]:
    """For each strip of ``cell`` mm along an axis (0: across, 1: down) the least and the largest place of the shape in
    the other direction, from the corner of a box round it; nothing (inf, -inf) where a strip is empty."""
    lines = shapely.get_parts(shapely.boundary(shape))
    dense = shapely.segmentize(lines, cell / 2)
    points = shapely.get_coordinates(dense)
    low = np.array([box.left, box.top])
    at = np.clip(((points[:, axis] - low[axis]) / cell).astype(int), 0, count - 1)
    across = points[:, 1 - axis] - low[1 - axis]
    least, most = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(least, at, across)
    np.maximum.at(most, at, across)
    return least, most


def _rows(
    lattice: Lattice, ends: tuple[Floats, Floats], cell: float, half: tuple[Floats, Floats] | None = None
) -> Lattice:
    """The lattice with its rows as close as they go, at the best shift from one to the next."""
    count = max(1, math.floor(lattice.pitch / cell))
    top, bottom = np.full(count, np.inf), np.full(count, -np.inf)
    members = [(0.0, 0.0, ends)]
    if half is not None and lattice.second is not None:
        members.append((*lattice.second, half))
    for dx, dy, (least, most) in members:
        at = (np.arange(len(least)) + math.floor(dx / cell)) % count
        for near in (0, 1):  # rounding of the shift
            np.minimum.at(top, (at + near) % count, least + dy)
            np.maximum.at(bottom, (at + near) % count, most + dy)
    top, bottom = np.where(np.isinf(top), 1e9, top), np.where(np.isinf(bottom), -1e9, bottom)

    stride = max(1, count // COARSE)
    rough = np.arange(0, count, stride)
    near = rough[closest_rows(top, bottom, rough, cell)[0]] + np.arange(-stride, stride + 1)
    best, row = closest_rows(top, bottom, near, cell)
    return replace(lattice, row=float(row), slant=float(near[best] % count) * cell)
