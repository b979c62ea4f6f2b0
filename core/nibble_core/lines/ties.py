"""Ties: short uncut stretches that hold a part to its waste, by count or spacing, where they show or hurt least."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry import Path, Point
from nibble_core.geometry.along import Along
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
    following = np.append(middles[1:], middles[0] + along.length)
    apart = following - middles > width + 1e-9
    paths = along.stretches(middles[apart] + width / 2, following[apart] - width / 2)
    return Tied(tuple(paths), tuple(Point(*place) for place in along.points(middles).tolist()))


def _places(along: Along, count: int, width: float, prefer: str) -> NDArray[np.float64]:
    """One tie in each of ``count`` equal stretches, at the best of a few places in its middle half."""
    pitch = along.length / count
    offsets = np.linspace(-pitch / 4, pitch / 4, TRIES)
    tries = (np.arange(count)[:, None] + 0.5) * pitch + offsets
    cost = _bend(along, tries.ravel(), width).reshape(tries.shape) + 0.05 * np.abs(offsets) / pitch
    cost[along.off_corners(tries) < width] += 10.0
    if prefer == "hidden":
        points = along.path.flattened(0.01)
        hull = shapely.Polygon(points).convex_hull.exterior if len(points) > 2 else shapely.LineString(points)
        deep = shapely.distance(shapely.points(along.points(tries.ravel())), hull).reshape(tries.shape)
        cost -= deep / np.maximum(deep.max(1, keepdims=True), width)
    return np.sort(tries[np.arange(count), cost.argmin(1)] % along.length)


def _bend(along: Along, tries: NDArray[np.float64], width: float) -> NDArray[np.float64]:
    """How far from straight the path is over twice a tie's width: sagitta by chord."""
    reach = max(width, 0.2)
    before, at, behind = along.points(np.concatenate([tries - reach, tries, tries + reach])).reshape(3, -1, 2)
    chord, middle = behind - before, at - before
    long = np.maximum(np.hypot(*chord.T), 1e-9)
    return np.asarray(np.abs(chord[:, 0] * middle[:, 1] - chord[:, 1] * middle[:, 0]) / long / reach)
