"""Lead-ins and lead-outs: a beam pierces in the waste, beside its line, and comes to it from there."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import ARC, LINE, Bundle, Path
from nibble_core.geometry.along import Along

SLANT = math.radians(45)
SHORTER = (1.0, 0.7, 0.5, 0.35, 0.25)  # of its length, that a lead-in has where there is no room for all of it
OUT = 0.5  # of a lead-in's length that a lead-out has
TRIES = 48  # places looked at round a ring
CLEAR = 0.25  # mm that a lead keeps from other lines
FINE = 0.02  # mm that lines are flattened within
RUN = 16  # chords of a line that are looked at together


@dataclass(frozen=True, eq=False)
class Led:
    """A ring with its leads, or without where there was no room. path: open when it has them."""

    path: Path
    led: bool


class Courses:
    """Where some paths run, each by its number: what leads keep clear of."""

    def __init__(self, paths: Sequence[Path]) -> None:
        points, begins = Bundle.of(paths).flattened(FINE)
        ends = [(k, at, min(at + RUN + 1, end))
                for k, (begin, end) in enumerate(itertools.pairwise(begins.tolist()))
                for at in range(begin, end - 1, RUN)]  # fmt: skip
        self._of = np.array([k for k, _, _ in ends], np.int64)
        self._runs = np.array([shapely.LineString(points[at:end]) for _, at, end in ends], object)
        self._tree = shapely.STRtree(self._runs)

    def distances(self, lines: NDArray[np.object_], but: int, reach: float) -> NDArray[np.float64]:
        """From each line to the nearest path but one; infinite where none lies within reach."""
        line, run = self._tree.query(lines, predicate="dwithin", distance=reach)
        other = self._of[run] != but
        line, run = line[other], run[other]
        found = np.full(len(lines), math.inf)
        np.minimum.at(found, line, shapely.distance(lines[line], self._runs[run]))
        return found


def led(
    ring: Path, kind: str, length: float, *, outward: int, courses: Courses, number: int = -1,
    within: BaseGeometry | None = None,
) -> Led:  # fmt: skip
    """A closed ring begun with a lead-in ``length`` mm long on its waste side, and left by one half as long.

    outward: 1 where the waste lies outside, -1 inside. courses: what leads keep clear of; number: of the ring itself
    among them. within: what they must lie in, if anything. It begins where there is room, as far from corners as may
    be; where there is none, with shorter leads; and where there is room for no such either, the ring is as it was.
    """
    if kind == "no lead-in" or length <= 0:
        return Led(ring, True)
    tries = (_led(ring, kind, share * length, outward, courses, number, within) for share in SHORTER)
    return next((made for made in tries if made is not None), Led(ring, False))


def led_stretch(
    stretch: Path, ring: Path, length: float, *, outward: int, courses: Courses, number: int = -1,
    within: BaseGeometry | None = None,
) -> Led:  # fmt: skip
    """A stretch of a ring that ties interrupt, begun with a lead-in straight from the waste: one at a slant would cut
    the tie off from the waste that it is held by. See ``led``; stretch: run the way of the ring."""
    solid = shapely.Polygon(ring.flattened(0.01))
    shapely.prepare(solid)
    along = Along(stretch)
    clockwise = 1 if ring.area() > 0 else -1
    (at,), _, (across,) = _frames(along, np.array([min(1e-3, along.length / 4)]), outward * clockwise)
    at = stretch.rows[0, :2]
    for share in SHORTER:
        start = at + share * length * across
        line = shapely.LineString([start, at + 0.1 * share * length * across])
        room = courses.distances(np.array([line]), number, CLEAR)
        clear = room[0] > CLEAR and solid.exterior.distance(line) > 0.05 * share * length
        clear &= bool(shapely.contains_xy(solid, *start)) == (outward < 0)
        if clear and (within is None or within.contains(line)):
            kinds = np.concatenate([[np.uint8(LINE)], stretch.kinds])
            lead = np.array([[*start, 0, 0, 0, 0, *at]])
            return Led(Path(kinds, np.vstack([lead, stretch.rows]), closed=False), True)
    return Led(stretch, False)


def lead_room(kind: str, length: float, kerf: float) -> float:
    """mm between two outlines so that a lead-in fits in between, 0 without one."""
    return 0.0 if kind == "no lead-in" or length <= 0 else _depth(kind, length) + kerf + 2 * CLEAR


def _led(
    ring: Path, kind: str, length: float, outward: int, courses: Courses, number: int, within: BaseGeometry | None
) -> Led | None:
    """The ring with leads of one length; None where there is no room for them."""
    along = Along(ring)
    places = (np.arange(TRIES) + 0.5) * along.length / TRIES
    clockwise = 1 if ring.area() > 0 else -1
    at, ahead, across = _frames(along, places, outward * clockwise)
    lines = _lines(at, ahead, across, kind, length)
    pierced = shapely.get_point(lines, 0)
    solid = shapely.Polygon(ring.flattened(0.01))
    own = solid.exterior
    shapely.prepare([own, solid])
    room = courses.distances(lines, number, max(2 * length, CLEAR))
    free = (room > CLEAR) & ~shapely.dwithin(own, pierced, 0.5 * _depth(kind, length))
    free &= shapely.contains(solid, pierced) == (outward < 0)
    if within is not None:
        free &= shapely.contains(within, lines)
    if not free.any():
        return None
    score = np.minimum(along.off_corners(places) / length, 2.0) + 0.5 * np.minimum(room / length, 2.0)
    best = int(np.argmax(np.where(free, score, -1.0)))
    s = float(places[best])
    coming, leaving = _leads(at[best], ahead[best], across[best], kind, length)
    parts = (coming, along.between(s, 0.0), along.between(0.0, s), leaving)
    kinds = np.concatenate([part.kinds for part in parts])
    return Led(Path(kinds, np.vstack([part.rows for part in parts]), closed=False), True)


def _depth(kind: str, length: float) -> float:
    """mm that a lead reaches from its line."""
    return length * math.sin(SLANT) if kind == "a line" else 2 * length / math.pi


def _frames(
    along: Along, places: NDArray[np.float64], side: int
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """At places of a ring: the points, the directions of travel, and those to the waste, each (n, 2)."""
    step = min(1e-3, along.length / 1000)
    at, before, behind = along.points(np.concatenate([places, places - step, places + step])).reshape(3, -1, 2)
    ahead = behind - before
    ahead /= np.maximum(np.hypot(*ahead.T), 1e-12)[:, None]
    return at, ahead, side * np.stack([ahead[:, 1], -ahead[:, 0]], 1)


def _leads(
    at: NDArray[np.float64], ahead: NDArray[np.float64], across: NDArray[np.float64], kind: str, length: float
) -> tuple[Path, Path]:
    """The ways to and from a place of a ring: open paths."""
    if kind == "a line":
        start = at + length * (math.sin(SLANT) * across - math.cos(SLANT) * ahead)
        end = at + OUT * length * (math.sin(SLANT) * across + math.cos(SLANT) * ahead)
        return _line(start, at), _line(at, end)
    radius = 2 * length / math.pi
    turn = _turn(across, ahead)
    little = radius * OUT
    coming = _arc(at + radius * (across - ahead), at + radius * across, at, turn * math.pi / 2)
    leaving = _arc(at, at + little * across, at + little * (across + ahead), turn * math.pi / 2)
    return coming, leaving


def _lines(
    at: NDArray[np.float64], ahead: NDArray[np.float64], across: NDArray[np.float64], kind: str, length: float
) -> NDArray[np.object_]:
    """Where both leads of each place run. They are all of one shape, set down in each place's own frame."""
    coming, leaving = _leads(np.zeros(2), np.array([1.0, 0.0]), np.array([0.0, 1.0]), kind, length)
    shape = np.vstack([_points(coming), _points(leaving)[1:]])
    set_down = at[:, None] + shape[None, :, :1] * ahead[:, None] + shape[None, :, 1:] * across[:, None]
    return np.asarray(shapely.linestrings(set_down))


def _turn(across: NDArray[np.float64], ahead: NDArray[np.float64]) -> float:
    """The sense of a circle whose middle lies to the waste side, run forward."""
    return math.copysign(1.0, float(ahead[0] * across[1] - ahead[1] * across[0]))


def _line(start: NDArray[np.float64], end: NDArray[np.float64]) -> Path:
    return Path(np.array([LINE], np.uint8), np.array([[*start, 0, 0, 0, 0, *end]]), closed=False)


def _arc(start: NDArray[np.float64], centre: NDArray[np.float64], end: NDArray[np.float64], sweep: float) -> Path:
    return Path(np.array([ARC], np.uint8), np.array([[*start, *centre, sweep, 0, *end]]), closed=False)


def _points(path: Path) -> NDArray[np.float64]:
    """Places along a lead."""
    return path.flattened(FINE) if path.kinds[0] == ARC else path.nodes
