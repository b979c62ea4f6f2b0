"""Lead-ins and lead-outs: a beam pierces in the waste, beside its line, and comes to it from there."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import ARC, LINE, Path
from nibble_core.geometry.along import CORNER, Along, corner_places

SLANT = math.radians(45)
OUT = 0.5  # of a lead-in's length that a lead-out has
TRIES = 48  # places looked at round a ring
CLEAR = 0.25  # mm that a lead keeps from other lines
CHORDS = 12


@dataclass(frozen=True, eq=False)
class Led:
    """A ring with its leads, or without where there was no room. path: open when it has them."""

    path: Path
    led: bool


def led(
    ring: Path, kind: str, length: float, *, outward: int, others: BaseGeometry, within: BaseGeometry | None = None
) -> Led:
    """A closed ring begun with a lead-in ``length`` mm long on its waste side, and left by one half as long.

    outward: 1 where the waste lies outside, -1 inside. others: lines that leads keep clear of. within: what they must
    lie in, if anything. It begins where there is room, as far from corners as may be; nowhere, and the ring is as it
    was.
    """
    if kind == "no lead-in" or length <= 0:
        return Led(ring, True)
    along = Along(ring)
    places = (np.arange(TRIES) + 0.5) * along.length / TRIES
    clockwise = 1 if ring.area() > 0 else -1
    side = outward * clockwise  # of travel: where the waste lies
    leads = [_leads(along, s, kind, length, side) for s in places.tolist()]
    own = shapely.LinearRing(ring.flattened(0.01))
    lines = np.array([shapely.LineString(np.vstack([_points(a), _points(b)[1:]])) for a, b in leads])
    pierced = shapely.points(np.array([a.rows[0, :2] for a, _ in leads]))
    free = ~shapely.dwithin(lines, others, CLEAR) if not others.is_empty else np.ones(TRIES, bool)
    free &= shapely.distance(pierced, own) > 0.5 * _depth(kind, length)
    inner = shapely.contains(shapely.Polygon(own), pierced)
    free &= inner if outward < 0 else ~inner
    if within is not None:
        free &= shapely.contains(within, lines)
    if not free.any():
        return Led(ring, False)
    corners = corner_places(ring, CORNER)
    apart = np.full(TRIES, along.length)
    if len(corners):
        apart = np.abs((places[:, None] - corners[None] + along.length / 2) % along.length - along.length / 2).min(1)
    room = shapely.distance(lines, others) if not others.is_empty else np.full(TRIES, math.inf)
    score = np.minimum(apart / length, 2.0) + 0.5 * np.minimum(room / length, 2.0)
    best = int(np.argmax(np.where(free, score, -1.0)))
    s = float(places[best])
    parts = (leads[best][0], along.between(s, 0.0), along.between(0.0, s), leads[best][1])
    kinds = np.concatenate([part.kinds for part in parts])
    return Led(Path(kinds, np.vstack([part.rows for part in parts]), closed=False), True)


def _depth(kind: str, length: float) -> float:
    """mm that a lead reaches from its line."""
    return length * math.sin(SLANT) if kind == "a line" else 2 * length / math.pi


def _leads(along: Along, s: float, kind: str, length: float, side: int) -> tuple[Path, Path]:
    """The ways to and from a place of a ring: open paths."""
    at = np.array(along.point(s))
    step = min(1e-3, along.length / 1000)
    ahead = np.array(along.point(s + step)) - np.array(along.point(s - step))
    ahead /= max(float(np.hypot(*ahead)), 1e-12)
    across = side * np.array([ahead[1], -ahead[0]])
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


def _turn(across: NDArray[np.float64], ahead: NDArray[np.float64]) -> float:
    """The sense of a circle whose middle lies to the waste side, run forward."""
    return math.copysign(1.0, float(ahead[0] * across[1] - ahead[1] * across[0]))


def _line(start: NDArray[np.float64], end: NDArray[np.float64]) -> Path:
    return Path(np.array([LINE], np.uint8), np.array([[*start, 0, 0, 0, 0, *end]]), closed=False)


def _arc(start: NDArray[np.float64], centre: NDArray[np.float64], end: NDArray[np.float64], sweep: float) -> Path:
    return Path(np.array([ARC], np.uint8), np.array([[*start, *centre, sweep, 0, *end]]), closed=False)


def _points(path: Path) -> NDArray[np.float64]:
    """Places along a lead."""
    return path.flattened(0.02) if path.kinds[0] == ARC else path.nodes
