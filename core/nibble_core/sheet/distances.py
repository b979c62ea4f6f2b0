"""How near copies come to each other, by their true shapes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry


class Near(NamedTuple):
    """Two copies, by their numbers, how far apart they are, mm, and where; 0 where one lies on the other."""

    one: int
    other: int
    apart: float
    x: float
    y: float


def too_near(copies: Sequence[BaseGeometry], wanted: float) -> list[Near]:
    """Pairs that lie nearer than ``wanted`` mm, or on each other, the nearest first."""
    if len(copies) < 2:
        return []
    every = np.array(copies, object)
    first, second = shapely.STRtree(every).query(every, predicate="dwithin", distance=max(wanted, 0.0))
    pairs = first < second
    first, second = first[pairs], second[pairs]
    apart = shapely.distance(every[first], every[second])
    touching = (apart > 0) | (shapely.area(shapely.intersection(every[first], every[second])) > 1e-6)
    first, second, apart = (values[touching & ((apart < wanted) | (apart == 0))] for values in (first, second, apart))
    found = []
    for one, other, distance in zip(first.tolist(), second.tolist(), apart.tolist(), strict=True):
        line = shapely.shortest_line(every[one], every[other])
        x, y = shapely.get_coordinates(line).mean(0).tolist()
        found.append(Near(one, other, distance, x, y))
    return sorted(found, key=lambda near: near.apart)
