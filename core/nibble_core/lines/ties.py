"""Ties: short uncut stretches that hold a part to its waste, by count or spacing, where they show or hurt least."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry import Path, Point
from nibble_core.geometry.along import CORNER, Along, corner_places
from nibble_core.geometry.stretches import nearest_on

TRIES = 25  # places looked at for each tie, within a quarter of the spacing to either side


@dataclass(frozen=True, eq=False)
class Tied:
    """A path with its ties left out. paths: what is cut; places: the middles of the ties."""

    paths: tuple[Path, ...]
    places: tuple[Point, ...]


def tied(
    path: Path,
    width: float,
    *,
    count: int = 0,
    spacing: float = 0.0,
    prefer: str = "straight",
    at: Sequence[Point] = (),
) -> Tied:
    """A closed path with ties ``width`` mm wide.

    count: how many, or one for every ``spacing`` mm. prefer: “straight” stretches, or “hidden” ones, which lie in a
    recess of the outline. at: places of ties set by hand, instead of both. Ties never overlap and keep off corners
    where there is room.
    """
    along = Along(path)
    if at:
        middles = np.sort([along.of(nearest_on(path, place)) for place in at])
    else:
        number = count or (max(1, math.floor(along.length / spacing)) if spacing > 0 else 0)
        number = min(number, math.floor(along.length / (2 * width))) if width > 0 else 0
        if number < 1:
            return Tied((path,), ())
        middles = _places(along, number, width, prefer)
    half = width / 2
    paths = []
    following = np.append(middles[1:], middles[0] + along.length)
    for here, there in zip(middles.tolist(), following.tolist(), strict=True):
        if there - here > width + 1e-9:
            paths.append(along.between(here + half, there - half))
    return Tied(tuple(paths), tuple(Point(*along.point(s)) for s in middles.tolist()))


def _places(along: Along, count: int, width: float, prefer: str) -> NDArray[np.float64]:
    """One tie in each of ``count`` equal stretches, at the best of a few places in its middle half."""
    pitch = along.length / count
    offsets = np.linspace(-pitch / 4, pitch / 4, TRIES)
    corners = corner_places(along.path, CORNER)
    points = along.path.flattened(0.01)
    hull = shapely.Polygon(points).convex_hull.exterior if len(points) > 2 else shapely.LineString(points)
    best: list[float] = []
    for k in range(count):
        tries = (k + 0.5) * pitch + offsets
        cost = _bend(along, tries, width) + 0.05 * np.abs(offsets) / pitch
        if len(corners):
            off = np.abs((tries[:, None] - corners[None] + along.length / 2) % along.length - along.length / 2).min(1)
            cost += np.where(off < width, 10.0, 0.0)
        if prefer == "hidden":
            deep = shapely.distance(shapely.points([along.point(s) for s in tries]), hull)
            cost -= deep / max(float(deep.max()), width)
        best.append(float(tries[int(np.argmin(cost))]))
    return np.sort(np.array(best) % along.length)


def _bend(along: Along, tries: NDArray[np.float64], width: float) -> NDArray[np.float64]:
    """How far from straight the path is over twice a tie's width: sagitta by chord."""
    reach = max(width, 0.2)
    places = [np.array([along.point(s + d) for s in tries]) for d in (-reach, 0.0, reach)]
    chord = places[2] - places[0]
    long = np.maximum(np.hypot(*chord.T), 1e-9)
    middle = places[1] - places[0]
    return np.asarray(np.abs(chord[:, 0] * middle[:, 1] - chord[:, 1] * middle[:, 0]) / long / reach)
