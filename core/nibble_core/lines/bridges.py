"""Stencils: islands of film inside an opening get bridges to the film round it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Point
from nibble_core.geometry.fitting import densified
from nibble_core.geometry.regions import polygons

STEP = 0.5  # mm between places looked at along an island's edge
OPPOSITE = np.cos(np.radians(100))


@dataclass(frozen=True)
class Bridge:
    """A bar of film across an opening, from an island to the film round it."""

    one: Point
    other: Point


def islands_of(openings: BaseGeometry) -> list[Polygon]:
    """Film that lies wholly within openings and would fall out."""
    return [Polygon(ring) for part in polygons(openings) for ring in part.interiors]


def proposed(openings: BaseGeometry, count: int = 2) -> list[Bridge]:
    """Bridges for every island, ``count`` each: the first across the narrowest place, further ones on other sides."""
    made: list[Bridge] = []
    for part in polygons(openings):
        if not part.interiors:
            continue
        outside = part.exterior
        for ring in part.interiors:
            places = densified(np.asarray(ring.coords), max(STEP, ring.length / 400))[:-1]
            lines = shapely.shortest_line(shapely.points(places), outside)
            ends = shapely.get_coordinates(lines).reshape(-1, 2, 2)[:, 1]
            clear = shapely.within(shapely.line_interpolate_point(lines, 0.5, normalized=True), part)
            gaps = np.where(clear, np.hypot(*(ends - places).T), np.inf)
            middle = places.mean(0)
            ways = (places - middle) / np.maximum(np.hypot(*(places - middle).T), 1e-9)[:, None]
            taken: list[int] = []
            for _ in range(count):
                free = gaps.copy()
                for k in taken:
                    turned = ways @ ways[k]
                    free[turned > (OPPOSITE if count == 2 else np.cos(2 * np.pi / count * 0.8))] = np.inf
                    free *= 1.5 + 0.5 * turned  # the further round, the steadier the island is held
                best = int(np.argmin(free))
                if not np.isfinite(free[best]):
                    break
                taken.append(best)
                made.append(Bridge(Point(*places[best].tolist()), Point(*ends[best].tolist())))
    return made


def bridged(openings: BaseGeometry, bridges: Sequence[Bridge], width: float) -> BaseGeometry:
    """Openings without the bars of their bridges; each bar reaches a hair into the film at both ends."""
    if not bridges:
        return openings
    bars = []
    for bridge in bridges:
        one, other = np.array(bridge.one), np.array(bridge.other)
        way = (other - one) / max(float(np.hypot(*(other - one))), 1e-9)
        line = shapely.LineString([one - way * width, other + way * width])
        bars.append(line.buffer(width / 2, cap_style="flat"))
    return openings.difference(shapely.union_all(bars))
