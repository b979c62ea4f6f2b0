"""Contours: the outer shape of an artwork, offset outward, as few lines, arcs and cubics; with its holes, if wanted."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import InvalidTicket, NothingToCut
from nibble_core.geometry import Path, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import oriented_rings, polygons, union
from nibble_core.geometry.tolerances import ARC_CHORD, REFIT, SIMPLIFY
from nibble_core.lines.offsetting import GRID, KINDS, Corners, offset_area, offset_areas, quarter_segments

Place = tuple[float, float]
PREVIEW_SAGITTA = 0.01
CONTAINED = 0.008  # mm of the artwork that closing gaps may leave out at a needle’s tip
MOST_CHORDS = 400
OVERLAP = 2e-4  # mm
DOT = 0.05  # mm: no part and no hole is so small; what shrinks to nothing must not leave a dot for the knife
SAME = 0.01  # mm: lines that are nowhere further apart are one
FEW_POINTS = 500  # fewer cost more to simplify than to buffer


@dataclass(frozen=True, eq=False)
class ContourArea:
    """A contour as polygons, how many small parts and holes fell away by rule, and the bays that it closes off from
    outside, open or not."""

    area: MultiPolygon
    leftovers: int
    bays: tuple[Polygon, ...] = ()


def outer_shape(regions: Iterable[Region], *, close_gaps: float = 0.0) -> MultiPolygon:
    """Everything inside the outermost outlines, as one valid area without holes. See ``outer_shape_of``."""
    whole = union(regions)
    if whole.is_empty:
        raise NothingToCut("There is no shape to draw a line round.", "Choose a threshold that finds the artwork.")
    return outer_shape_of(whole, close_gaps=close_gaps)


def outer_shape_of(whole: BaseGeometry, *, close_gaps: float = 0.0) -> MultiPolygon:
    """An area without its holes, and without the bays that closing its gaps closes off. See ``closed_shape``."""
    return without_holes(closed_shape(whole, close_gaps=close_gaps))[0]


def closed_shape(whole: BaseGeometry, *, close_gaps: float = 0.0) -> MultiPolygon:
    """An area without its holes; those that it has are bays closed off by closing its gaps.

    ``close_gaps``: bays and channels narrower than this, mm, are filled, by growing and shrinking. Shrinking chords of
    a rounded corner nibbles at the corner itself; they are short enough that the artwork is contained to CONTAINED.
    Vertices within a thousandth of a millimetre of their chord are left out: over-dense rings make a buffer stray.
    """
    filled = _tidy(shapely.union_all([Polygon(part.exterior) for part in polygons(whole)]))
    if close_gaps > 0:
        half = close_gaps / 2
        # at the tip of a needle half a chord's angle times the radius is lost, elsewhere its square
        fine = min(MOST_CHORDS, max(quarter_segments(half), math.ceil(math.pi / 8 * half / CONTAINED)))
        closed = filled.buffer(half, quad_segs=fine).buffer(-half, quad_segs=quarter_segments(half))
        fillets = [part for part in polygons(closed.difference(filled)) if _has_room(part, CONTAINED)]
        if fillets:  # what has no gap to close keeps its own nodes and its corners to the last digit
            # they overlap by a hair, or a rounding error would leave slits along the edges that they share
            fillets = [part.buffer(OVERLAP, join_style="mitre") for part in fillets]
            filled = _tidy(shapely.union_all([filled, *fillets], grid_size=GRID))
    return MultiPolygon(polygons(filled))


def _has_room(part: Polygon, across: float) -> bool:
    """Whether a circle so wide has room in a polygon without holes. A polygon has an inner circle of at least its area
    over its perimeter."""
    if part.area >= across / 2 * part.length:
        return True
    return not part.buffer(-across / 2 * (1 - 1e-6), quad_segs=8).is_empty


def without_holes(area: MultiPolygon) -> tuple[MultiPolygon, list[Polygon]]:
    """An area with its holes filled, and those. See ``holes_in``."""
    parts = polygons(area)
    filled: BaseGeometry = MultiPolygon([Polygon(part.exterior) for part in parts])
    if not filled.is_valid:  # parts that lay in holes of others
        filled = shapely.union_all(filled.geoms)
    return MultiPolygon(polygons(filled)), holes_in(area)


def holes_in(area: BaseGeometry) -> list[Polygon]:
    """The holes of an area, without the parts that lie in them (the island in a lake is no water)."""
    parts = polygons(area)
    holes = np.array([Polygon(ring) for part in parts for ring in part.interiors])
    if not len(holes):
        return []
    filled = np.array([Polygon(part.exterior) for part in parts])
    within = shapely.STRtree(filled).query(holes, predicate="contains")
    for k in np.unique(within[0]):
        holes[k] = holes[k].difference(shapely.union_all(filled[within[1][within[0] == k]]))
    return [part for hole in holes for part in polygons(hole)]


def _tidy(area: BaseGeometry) -> BaseGeometry:
    """Without vertices that tell nothing; by the slower way only where the faster one breaks the area."""
    quick = area.simplify(SIMPLIFY, preserve_topology=False)
    return quick if quick.is_valid and not quick.is_empty else area.simplify(SIMPLIFY)


def offset(
    area: MultiPolygon,
    distance: float,
    *,
    corners: Corners = "round",
    mitre_limit: float = 2.0,
    sagitta: float = ARC_CHORD,
) -> MultiPolygon:
    """An ``area`` as ``outer_shape`` gives it, grown by ``distance`` mm (shrunk when negative), true within 0.01 mm.

    Round corners are chords no further than ``sagitta`` inside the arc.
    Mitres longer than ``mitre_limit`` times the distance are cut off. Raises NothingToCut when nothing is left.
    """
    if corners not in KINDS:
        raise InvalidTicket(f"“{corners}” is no kind of corner.", f"Choose one of {', '.join(KINDS)}.")
    parts = polygons(offset_area(area, distance, corners=corners, mitre_limit=mitre_limit, sagitta=sagitta))
    if not parts:
        raise NothingToCut(
            f"A line {abs(distance):g} mm inside leaves nothing of the shape.", "Choose a smaller distance."
        )
    return MultiPolygon(parts)


def holes_kept(
    holes: Sequence[Polygon], smallest: float | None, *, kept: Sequence[Place] = (), filled: Sequence[Place] = ()
) -> list[Polygon]:
    """Of some holes those in which a circle ``smallest`` mm across has room (None: no hole), those at a place of
    ``kept`` besides, those at a place of ``filled`` not."""
    if not len(holes):
        return []
    some = np.array(holes)
    if smallest is None:
        chosen = np.zeros(len(some), bool)
    elif smallest > 0:
        # a hole holds the circle exactly if it is still there when shrunk by its radius; a hair less against rounding
        chosen = ~shapely.is_empty(shapely.buffer(some, -smallest / 2 * (1 - 1e-6), quad_segs=16))
    else:
        chosen = np.ones(len(some), bool)
    for places, value in ((kept, True), (filled, False)):
        if places:
            for hole in shapely.STRtree(some).query(shapely.points(np.array(places)), predicate="within")[1]:
                chosen[hole] = value
    return list(some[chosen])


def joined_islands(area: MultiPolygon, nearer: float) -> MultiPolygon:
    """Parts nearer to each other than ``nearer`` mm as one piece, by necks as wide as the parts allow; others stay
    apart."""
    parts = np.array(polygons(area))
    if nearer <= 0 or len(parts) < 2:
        return area
    one, other = shapely.STRtree(parts).query(parts, predicate="dwithin", distance=nearer)
    links = shapely.union_all(
        [shapely.shortest_line(parts[a], parts[b]).buffer(nearer) for a, b in zip(one, other, strict=True) if a < b]
    )
    if links.is_empty:
        return area
    quarter = quarter_segments(nearer)
    closed = area.buffer(nearer, quad_segs=quarter).buffer(-nearer, quad_segs=quarter)
    # closing joins parts up to twice as far apart: what it adds counts only round the shortest ways that are meant
    necks = shapely.intersection(closed, links)
    return MultiPolygon(polygons(shapely.union_all([area, necks])))


def contour_area(
    area: MultiPolygon,
    distance: float,
    *,
    corners: Corners = "round",
    mitre_limit: float = 2.0,
    holes: Sequence[tuple[Polygon, float]] = (),
    inside_radius: float = 0.0,
    smallest: float = 0.0,
    bays: float | None = None,
    kept: Sequence[Place] = (),
    filled: Sequence[Place] = (),
    sagitta: float = ARC_CHORD,
) -> ContourArea:
    """What a contour line encloses, not yet fitted. ``area``: as ``outer_shape`` gives it.

    holes: those that are kept, each with the distance that its edge keeps from the material round it.
    bays: what the line closes off from outside stays open where a circle so wide has room; None fills all of it. Bays
    at places of ``kept`` stay open besides, those at places of ``filled`` do not.
    inside_radius: inner corners are rounded to it. smallest: parts and holes in which no circle so wide has room fall
    away. Raises NothingToCut when nothing is left.
    """
    grown = offset(area, distance, corners=corners, mitre_limit=mitre_limit, sagitta=sagitta)
    made, closed_off = without_holes(grown)
    closed_off = [one for one in closed_off if not one.buffer(-CONTAINED / 2, quad_segs=16).is_empty]
    lost, open_holes = 0, holes_kept(closed_off, bays, kept=kept, filled=filled)
    for own in {own for _, own in holes}:
        some = [hole for hole, other in holes if other == own]
        left = offset_areas(some, -own, corners=corners, mitre_limit=mitre_limit, sagitta=sagitta)
        lost += int(shapely.is_empty(left).sum())
        open_holes += [part for one in left for part in polygons(one)]
    whole: BaseGeometry = made
    if open_holes:
        whole = _with_holes(polygons(made), np.array(open_holes))
    if inside_radius > 0:
        quarter = quarter_segments(inside_radius, sagitta)
        whole = MultiPolygon(polygons(whole)).buffer(inside_radius, quad_segs=quarter)
        whole = whole.buffer(-inside_radius, quad_segs=quarter)
    parts, leftovers = _without_leftovers(polygons(whole), max(smallest, DOT))
    if not parts:
        raise NothingToCut("This line leaves nothing of the piece.", "Choose a smaller distance or smallest part.")
    return ContourArea(MultiPolygon(parts), leftovers + lost, tuple(closed_off))


def contour(area: MultiPolygon, distance: float, *, smooth: float = 0.0, **options: Any) -> list[Region]:
    """A contour as regions of lines, arcs and cubics: ``contour_area``, fitted."""
    return fitted(contour_area(area, distance, **options).area, smooth=smooth)


def contour_preview(area: MultiPolygon, distance: float, **options: Any) -> list[Region]:
    """The same contour for a drag: straight chords within 0.02 mm, no fitting."""
    rough = area
    if shapely.get_num_coordinates(area) > FEW_POINTS:
        rough = MultiPolygon(polygons(area.simplify(PREVIEW_SAGITTA / 2, preserve_topology=False)))
    made = contour_area(rough, distance, sagitta=PREVIEW_SAGITTA, **options).area
    return in_chords(made)


def in_chords(area: MultiPolygon) -> list[Region]:
    """An area as regions of straight segments."""
    return [as_chords(part) for part in polygons(area)]


def as_chords(part: Polygon) -> Region:
    """A polygon as a region of straight segments."""
    outer, holes = oriented_rings(part)
    return Region(Path.polygon(outer), tuple(Path.polygon(hole) for hole in holes))


def _with_holes(parts: list[Polygon], holes: NDArray[np.object_]) -> BaseGeometry:
    """Parts with holes in them. Holes that lie apart and wholly inside and have nothing in them become rings at once,
    since screens have thousands; the others are cut out."""
    tree = shapely.STRtree(holes)
    met = tree.query(holes, predicate="intersects")
    apart = shapely.get_num_interior_rings(holes) == 0
    apart[met[0][met[0] != met[1]]] = False
    made = []
    for part in parts:
        touched = tree.query(part, predicate="intersects")
        inside = tree.query(part, predicate="contains_properly")
        inside = inside[apart[inside]]
        rest = np.setdiff1d(touched, inside)
        whole = Polygon(part.exterior, [holes[k].exterior for k in inside])
        made.append(whole.difference(shapely.union_all(holes[rest])) if len(rest) else whole)
    return shapely.GeometryCollection(made)


def _without_leftovers(parts: list[Polygon], smallest: float) -> tuple[list[Polygon], int]:
    """Parts and their holes in which a circle ``smallest`` mm across has room, and how many have none."""
    kept, left = [], 0
    for part in parts:
        if part.buffer(-smallest / 2 * (1 - 1e-6), quad_segs=8).is_empty:
            left += 1
            continue
        rings = [ring for ring in part.interiors if _has_room(Polygon(ring), smallest)]
        left += len(part.interiors) - len(rings)
        kept.append(Polygon(part.exterior, rings))
    return kept, left if smallest > DOT else 0  # nobody misses a dot


def fitted(area: MultiPolygon, *, smooth: float = 0.0) -> list[Region]:
    """An area as regions of few segments. smooth: mm the fit may leave the true line by, no less than 0.004."""
    parts = polygons(area)
    regions = [refit_polygon(part, max(REFIT, smooth)) for part in parts]
    if len(regions) < 2:
        return regions
    chords: set[int] = set()
    # fits of neighbours that all but touch may cross: those stay the chords they are
    while met := _overlapping(regions) - chords:
        if smooth > REFIT:
            return fitted(area)
        chords |= met
        for k in met:
            regions[k] = as_chords(parts[k])
    return regions


def with_own_nodes(regions: Sequence[Region], sources: Sequence[Region]) -> list[Region]:
    """Regions whose rings are those of their sources wherever they are the same line: a fit of a trace's chords has
    other nodes, and more of them."""
    known = [ring for source in sources for ring in source.rings]
    lines = [shapely.LinearRing(ring.flattened(REFIT)) for ring in known]
    tree = shapely.STRtree(lines)

    def own(ring: Path) -> Path:
        line = shapely.LinearRing(ring.flattened(REFIT))
        for k in tree.query(line):
            near = np.abs(np.subtract(lines[k].bounds, line.bounds)).max() <= SAME
            if near and shapely.hausdorff_distance(lines[k], line) <= SAME:
                found: Path = known[k]
                return found if (found.area() > 0) == (ring.area() > 0) else found.reversed()
        return ring

    return [Region(own(region.outer), tuple(own(hole) for hole in region.holes)) for region in regions]


def _overlapping(regions: Sequence[Region]) -> set[int]:
    """Regions that share more than a touch with another."""
    solids = np.array([shapely.make_valid(region.polygon(0.1 * REFIT)) for region in regions])
    one, other = shapely.STRtree(solids).query(solids, predicate="intersects")
    pairs = one < other
    one, other = one[pairs], other[pairs]
    deep = shapely.area(shapely.intersection(solids[one], solids[other])) > 0
    return {*one[deep].tolist(), *other[deep].tolist()}
