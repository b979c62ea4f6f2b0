"""Composing: artworks, text and simple shapes joined, cut out or intersected into one piece, in their order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import NothingToCut
from nibble_core.geometry import Point, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons
from nibble_core.graphics import Drawn, Shape, Stroke
from nibble_core.graphics.stroking import covered_by, region_of

FINE = 0.0005  # mm: chords short enough that what is cut or joined is fitted again with few nodes
CRUMB = 1e-4  # mm²: less is what rounding leaves of a cut
COARSE = 0.02  # mm: enough to tell what lies within what
MOST_ENDS = 12


@dataclass(frozen=True, eq=False)
class Member:
    """An element at its place. way: joined, apart, cut out or common part; widen: mm its shapes grow before that."""

    id: str
    shapes: tuple[Drawn, ...]
    way: str = "joined"
    widen: float = 0.0


@dataclass(frozen=True, eq=False)
class Join:
    """How a joined element meets the others: in how many places, and which of its parts fall short, by how much."""

    id: str
    touches: int
    short: tuple[tuple[float, Point], ...]


@dataclass(frozen=True, eq=False)
class Taker:
    """An element that takes away: what it covers, how, and whether it met anything that was there."""

    id: str
    area: BaseGeometry
    way: str
    meets: bool


@dataclass(frozen=True, eq=False)
class Composed:
    """painted: coloured shapes and strokes with the id of their element, lowest first. regions: the outlines of the
    whole, merged where joined elements meet. joins: in the order of the elements. nested: regions that lie wholly
    inside another one's outer edge. takers: each element that was cut out, or is the common part."""

    painted: tuple[tuple[str, Drawn], ...]
    regions: tuple[Region, ...]
    joins: tuple[Join, ...]
    nested: int = 0
    takers: tuple[Taker, ...] = ()

    @property
    def strokes(self) -> list[Stroke]:
        return [shape for _, shape in self.painted if isinstance(shape, Stroke)]


def compose(members: Sequence[Member]) -> Composed:
    """The members as one piece, each acting on all before it. Curves stay as they are where nothing meets them.

    Raises NothingToCut when a cut or a common part leaves nothing.
    """
    painted: list[tuple[str, Drawn]] = []
    joined: list[tuple[str, tuple[Drawn, ...]]] = []
    takers: list[Taker] = []
    for member in members:
        shapes = widened(member.shapes, member.widen)
        if member.way in ("cut out", "common part"):
            area = _area(shapes)
            left = [_against(one, area, member.way) for one in painted]
            meets = any(kept != [one] for one, kept in zip(painted, left, strict=True))
            takers.append(Taker(member.id, area, member.way, meets))
            painted = [one for kept in left for one in kept]
            if not painted:
                raise NothingToCut(
                    "Nothing is left of the piece.", "Move what is cut out, or join it instead.", where=member.id
                )
            continue
        if member.way == "joined" and painted:
            joined.append((member.id, shapes))
        painted += [(member.id, shape) for shape in shapes]
    regions = _outlines(painted, members)
    # what comes later may be what joins it
    joins = [_join(id, shapes, _area([shape for own, shape in painted if own != id])) for id, shapes in joined]
    return Composed(tuple(painted), regions, tuple(joins), _nested(regions), tuple(takers))


def widened(shapes: Sequence[Drawn], by: float) -> tuple[Drawn, ...]:
    """Shapes grown by so much on every side; strokes get wider."""
    if by <= 0:
        return tuple(shapes)
    made: list[Drawn] = []
    for shape in shapes:
        if isinstance(shape, Stroke):
            made.append(replace(shape, width=shape.width + 2 * by))
        else:
            grown = shapely.make_valid(shape.region.polygon(FINE)).buffer(by, quad_segs=32)
            made += [replace(shape, region=refit_polygon(part)) for part in polygons(grown)]
    return tuple(made)


def area_of(shape: Drawn) -> BaseGeometry:
    """What a shape covers; nothing for a bare line."""
    if isinstance(shape, Shape):
        return shapely.make_valid(shape.region.polygon(FINE))
    return shapely.union_all(covered_by(shape)) if shape.width > 0 else shapely.Polygon()


def _area(shapes: Sequence[Drawn]) -> BaseGeometry:
    return shapely.union_all([area_of(shape) for shape in shapes])


def _against(one: tuple[str, Drawn], area: BaseGeometry, way: str) -> list[tuple[str, Drawn]]:
    """A shape without ``area``, or only within it."""
    owner, shape = one
    own = area_of(shape)
    if own.is_empty:
        return [one] if way == "cut out" else []
    inside = shapely.contains_properly(area, own)
    if inside or not own.intersects(area):
        return [one] if inside == (way == "common part") else []
    left = own.difference(area) if way == "cut out" else own.intersection(area)
    parts = [refit_polygon(part) for part in _without_crumbs(left)]
    return [(owner, Shape(region, shape.colour, shape.layer, shape.spot, shape.opacity)) for region in parts]


def _without_crumbs(area: BaseGeometry) -> list[shapely.Polygon]:
    """The parts of an area without those, and without holes, that are none: where edges meet, next to nothing is left
    over."""
    return [
        shapely.Polygon(part.exterior, [ring for ring in part.interiors if shapely.Polygon(ring).area > CRUMB])
        for part in polygons(area)
        if part.area > CRUMB
    ]


def _join(id: str, shapes: Sequence[Drawn], rest: BaseGeometry) -> Join:
    """Places where an element meets the others, and its parts that do not."""
    parts = polygons(_area(shapes))
    touches, short = 0, []
    for part in parts:
        common = part.intersection(rest)
        if common.is_empty:
            near, _ = shapely.shortest_line(part, rest).coords if not rest.is_empty else ((0, 0), (0, 0))
            short.append((float(part.distance(rest)), Point(*near)))
        else:
            touches += len(shapely.get_parts(shapely.union_all(shapely.get_parts(common))))
    short.sort(key=lambda end: -end[0])
    return Join(id, touches, tuple(short[:MOST_ENDS]))


def _outlines(painted: Sequence[tuple[str, Drawn]], members: Sequence[Member]) -> tuple[Region, ...]:
    """Regions as they are; those of different joined elements that meet as one."""
    apart = {member.id for member in members if member.way == "apart"}
    owned = [(owner, shape) for owner, shape in painted if isinstance(shape, Shape) or shape.width > 0]
    regions = [(owner, region) for owner, shape in owned for region in region_of(shape)]
    if len({owner for owner, _ in regions}) < 2:
        return tuple(region for _, region in regions)
    areas = np.array([shapely.make_valid(region.polygon(FINE)) for _, region in regions])
    one, other = shapely.STRtree(areas).query(areas, predicate="intersects")
    group = list(range(len(regions)))

    def head(k: int) -> int:
        while group[k] != k:
            k = group[k]
        return k

    for a, b in zip(one.tolist(), other.tolist(), strict=True):
        owners = {regions[a][0], regions[b][0]}
        if len(owners) == 2 and not owners & apart:
            group[head(a)] = head(b)
    made: list[Region] = []
    for k in range(len(regions)):
        members_of = [i for i in range(len(regions)) if head(i) == k]
        if len(members_of) == 1:
            made.append(regions[members_of[0]][1])
        elif members_of:
            whole = shapely.union_all(areas[members_of])
            made += [refit_polygon(part) for part in _without_crumbs(whole)]
    return tuple(made)


def _nested(regions: Sequence[Region]) -> int:
    if len(regions) < 2:
        return 0
    solid = np.array([shapely.make_valid(shapely.Polygon(region.outer.flattened(COARSE))) for region in regions])
    inner, outer = shapely.STRtree(solid).query(solid, predicate="within")
    return len(set(inner[inner != outer].tolist()))
