"""What can be wrong with the lines of a piece: where it is, and a value that mends it.

Pure geometry and limits in; findings out. Every finding names its line, so that the station can say it under its
sentence, and a place, so that the table can go there.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Bundle, Point, Region
from nibble_core.geometry.along import corner_nodes
from nibble_core.geometry.regions import courses, distances_to_area, polygons
from nibble_core.lines.dropout import DropOut
from nibble_core.lines.necks import Neck, NeckSearch, necks
from nibble_core.processes import BY_HAND, FILM, PIECE, frees, is_sent

SAME_LINE = 0.02  # mm: lines nearer than this are one to a knife
SHARED = 1.0  # mm of a line that must run on another to be told
TOLD = 0.01  # mm: what a contour may be off by
LEAST_RADIUS = 0.1  # mm: a beam turns sharper than anybody sees
SHARP = 60.0  # degrees of turn from which an inside corner is told
BEYOND = 0.05  # mm of print that may lie beyond a cut without a word
NEARLY = 5.0  # mm: further out than this no cut is proposed for what lies beyond it
MOST = 40  # places shown of one kind
MOST_BARS = 60  # that are proposed at once
Going = Callable[[], bool]


def _never() -> bool:
    return False


@dataclass(frozen=True)
class Finding:
    """kind: a short key. line: id of the line it is about, empty for the whole layer. place: mm, in the piece;
    more_places: where the same is the case. mend: label, field of the line and the value to set, or None. bars: where
    bars of material would hold what falls."""

    kind: str
    text: str
    what_to_do: str = ""
    line: str = ""
    place: Point | None = None
    weight: str = "look"
    mend: tuple[str, str, float] | None = None
    bars: tuple[tuple[Point, Point], ...] = ()
    more_places: tuple[Point, ...] = ()


@dataclass(frozen=True)
class CutLine:
    """What the checks need to know of a line."""

    id: str
    process: str
    name: str
    regions: tuple[Region, ...]
    paths: Bundle
    area: BaseGeometry
    distance: float
    may_cross: bool = False


def small_parts(line: CutLine, smallest: float, holder: str) -> list[Finding]:
    """Regions in which no circle as wide as the smallest part has room, nor a hole of that width."""
    small: list[tuple[float, Point]] = []
    for region in line.regions:
        solid = Polygon(region.outer.flattened(0.01))
        if solid.area < 1e-9 or solid.buffer(-smallest / 2 * (1 - 1e-6)).is_empty:
            small.append((_room(solid), _middle(solid)))
    if not small:
        return []
    wide, places = _spread(small)
    parts = f"A part of the {line.process} is {wide}" if len(small) == 1 else (
        f"{len(small)} parts of the {line.process} are {wide}"
    )  # fmt: skip
    return [
        Finding(
            "small part", f"{parts} wide where {'it is' if len(small) == 1 else 'they are'} widest.",
            f"{holder} holds parts from {smallest:g} mm.", line.id, places[0],
            mend=(f"Let parts under {smallest:g} mm fall away", "offset/smallest", smallest), more_places=places[1:],
        )
    ]  # fmt: skip


def narrow_gaps(line: CutLine, narrowest: float, cancelled: Going = _never) -> list[Finding]:
    """Waste between or inside the regions of a line that is too thin to be weeded out in one go."""
    if narrowest <= 0 or line.area.is_empty:
        return []
    left, top, right, bottom = line.area.bounds
    waste = shapely.box(left - 5, top - 5, right + 5, bottom + 5).difference(line.area)
    search = necks(waste, narrowest, cancelled=cancelled)
    untold = _not_searched("Narrow gaps", search, narrowest, line.id)
    if not search.necks:
        return untold
    wide, places = _spread([(neck.width, neck.middle) for neck in search.necks])
    gaps, tears = (f"A gap of the {line.process} is", "its waste tears") if len(search.necks) == 1 else (
        f"{len(search.necks)} gaps of the {line.process} are", "their waste tears"
    )  # fmt: skip
    return [
        Finding(
            "narrow gap", f"{gaps} {wide} wide: {tears} when weeded.", f"Close gaps under {narrowest:g} mm.", line.id,
            # in the line itself: gaps closed in the artwork open again where the line is led further out
            places[0], more_places=places[1:],
            mend=(f"Close gaps under {narrowest:g} mm", "offset/inside_radius", round(narrowest / 2 + TOLD, 3)),
        ),
        *untold,
    ]  # fmt: skip


def weak_parts(
    area: BaseGeometry, line: CutLine, thinnest: float, stock: str, cancelled: Going = _never
) -> tuple[tuple[Neck, ...], list[Finding]]:
    """Necks of the finished piece thinner than its stock holds."""
    if thinnest <= 0:
        return (), []
    search = necks(area, thinnest, cancelled=cancelled)
    found, untold = search.necks, _not_searched("Weak parts", search, thinnest, line.id)
    if not found:
        return (), untold
    more = f", and {len(found) - 1} more places are thin" if len(found) > 1 else ""
    return found, [
        Finding(
            "weak part",
            f"The piece is only {found[0].width:.2f} mm wide here{more}.",
            f"{stock[:1].upper()}{stock[1:]} holds {thinnest:g} mm. Cut further out, close gaps, or widen the artwork.",
            line.id,
            found[0].middle,
            mend=(f"Cut {thinnest / 2:g} mm further out", "offset/distance", round(line.distance + thinnest / 2, 3)),
        ),
        *untold,
    ]


def _not_searched(what: str, search: NeckSearch, limit: float, line: str) -> list[Finding]:
    """Says how far a search went that would have had too many places to look at."""
    if search.searched >= limit:
        return []
    done = f"searched to {search.searched:.2g} mm" if search.searched else "not searched"
    return [
        Finding(
            "intricate", f"{what}: {done}; the edge is too intricate for {limit:g} mm.",
            "Raise the smallest hole or part to have the rest looked at.", line, weight="told",
        )
    ]  # fmt: skip


def near_edge(line: CutLine, least: float) -> list[Finding]:
    """Holes nearer to the edge, or to each other, than the stock holds."""
    near: list[tuple[float, Point]] = []
    for region in line.regions:
        if not region.holes:
            continue
        rings = np.array([shapely.LinearRing(ring.flattened(0.005)) for ring in region.rings])
        one, other = shapely.STRtree(rings).query(rings, predicate="dwithin", distance=max(least - TOLD, 0.0))
        for a, b in zip(one.tolist(), other.tolist(), strict=True):
            if a < b:
                place = shapely.get_coordinates(shapely.shortest_line(rings[a], rings[b])).mean(0)
                near.append((float(rings[a].distance(rings[b])), Point(*place.tolist())))
    if not near:
        return []
    apart, places = _spread(near)
    holes = "A hole is" if len(near) == 1 else f"{len(near)} times a hole is"
    return [
        Finding("hole near edge", f"{holes} {apart} from the edge.", f"Keep {least:g} mm.", line.id, places[0],
                more_places=places[1:])
    ]  # fmt: skip


def shared_lines(lines: Sequence[CutLine]) -> list[Finding]:
    """Stretches along which two processes follow the same line: the machine would go there twice."""
    drawn = [(line, shapely.union_all(_courses(line))) for line in lines if is_sent(line.process)]
    found = []
    for i, (one, a) in enumerate(drawn):
        near = None
        for other, b in drawn[i + 1 :]:
            if not a.intersects(b) and a.distance(b) > SAME_LINE:
                continue
            near = a.buffer(SAME_LINE, quad_segs=2, cap_style="flat") if near is None else near
            common = b.intersection(near)
            if common.length > SHARED:
                place = shapely.line_interpolate_point(shapely.get_parts(common)[0], 0.5, normalized=True)
                found.append(
                    Finding(
                        "two processes",
                        f"{_called(one)} and {_called(other).lower()} run on the same line for {common.length:.0f} mm.",
                        "Move one of them, or switch it off.",
                        other.id,
                        Point(place.x, place.y),
                    )
                )
    return found


def crossing_lines(lines: Sequence[CutLine]) -> list[Finding]:
    """Closed cuts that run across each other: what one frees, the other cuts up. Those asked to may."""
    cuts = [line for line in lines if frees(line.process) in (PIECE, BY_HAND, FILM) and line.regions]
    found = []
    for i, one in enumerate(cuts):
        for other in cuts[i + 1 :]:
            if one.may_cross or other.may_cross:
                continue
            place = _crossing(one.area, other.area)
            if place is not None:
                found.append(
                    Finding("crossing", f"{_called(one)} and {_called(other).lower()} cross.",
                            "Move one of them further out, or close wider gaps.", other.id, place)
                )  # fmt: skip
    return found


def _crossing(one: BaseGeometry, other: BaseGeometry) -> Point | None:
    """A place where the edges of two areas cross, by more than what fitting may be off by."""
    for a, b in ((one, other), (other, one)):
        within = shapely.boundary(a).intersection(b.buffer(-SAME_LINE))
        outside = shapely.boundary(a).difference(b.buffer(SAME_LINE))
        for edge in shapely.get_parts(shapely.boundary(a)):
            if edge.intersects(within) and edge.intersects(outside):
                met = shapely.get_parts(edge.intersection(shapely.boundary(b)))
                if len(met):
                    place = met[0].centroid
                    return Point(float(place.x), float(place.y))
    return None


def sharp_insides(line: CutLine, radius: float) -> list[Finding]:
    """Inner corners of the cut that are sharper than the knife turns."""
    if radius < LEAST_RADIUS:
        return []
    places = [
        place for region in line.regions for ring in region.rings for place in corner_nodes(ring, math.radians(-SHARP))
    ]
    if not places:
        return []
    count = f"{len(places)} inside corners are" if len(places) > 1 else "An inside corner is"
    return [
        Finding(
            "sharp inside", f"{count} sharper than the knife turns ({radius:g} mm).",
            "The knife rounds them by itself; a radius keeps the cut clean.", line.id, Point(*places[0]), "told",
            (f"Round inside corners by {radius:g} mm", "offset/inside_radius", radius),
        )
    ]  # fmt: skip


def printed_beyond(line: CutLine, parts: BaseGeometry, over: BaseGeometry, slack: float) -> list[Finding]:
    """What is printed outside the ``parts`` that the cuts leave, bleed aside. over: what of it lies more than ``slack``
    mm outside them, which is BEYOND and what a picture's edge may be told wrong by."""
    if over.area < 1e-4 or parts.is_empty:
        return []
    found = max(polygons(over), key=lambda part: part.area)
    # the furthest place lies on its edge, or, where an opening is printed over, amid it
    reach = float(distances_to_area(shapely.get_coordinates(over), parts).max())
    reach = max(reach, slack + _room(found) / 2)
    if line.distance < 0 and reach <= 2 * abs(line.distance) + slack:
        return [
            Finding("beyond contour", f"The cut lies inside the artwork, as stated: by {reach:.2f} mm at most.",
                    "", line.id, _middle(found), "told")
        ]  # fmt: skip
    further = math.ceil(reach * 10) / 10
    mend = (f"Cut {further:g} mm further out", "offset/distance", round(line.distance + further, 3))
    return [
        Finding(
            "beyond contour", f"What is printed goes beyond the cut: by {reach:.2f} mm at most.",
            "It will be cut off there. Cut further out, or drop it at Trace.", line.id, _middle(found), "look",
            mend if reach <= NEARLY else None,
        )
    ]  # fmt: skip


def inside_bleed(line: CutLine, artwork: BaseGeometry, bleed: float) -> list[Finding]:
    """A cut outside the artwork, though bleed is asked for: paper shows as a border, and bleed has nothing to do."""
    if bleed <= 0 or not TOLD < line.distance < bleed - TOLD:
        return []
    place = Point(*line.paths.rows[0, :2].tolist()) if len(line.paths) else None
    return [
        Finding(
            "inside bleed", f"The {line.process} runs {line.distance:g} mm outside the artwork: a border of the stock "
            "shows, and no bleed is printed there.", "Cut on the edge for print that runs off it.", line.id, place,
            "told", mend=("Cut on the edge", "offset/distance", 0.0),
        )
    ]  # fmt: skip


def lost_parts(dropped: DropOut, line: CutLine, liner: bool) -> list[Finding]:
    """Parts of the piece that come loose by themselves where nothing carries them, and the bars that would."""
    loose = dropped.lost(liner=liner)
    if not loose:
        return []
    loose.sort(key=lambda face: -face.area.area)
    many = f"{len(loose)} parts fall" if len(loose) > 1 else "A part falls"
    held = [face.area for face in dropped.faces if face.kind == "piece"]
    bars = _bars(held, [face.area for face in loose]) if held and len(loose) <= MOST_BARS else ()
    return [
        Finding(
            "lost part", f"{many} out when this is cut, and nothing holds {'them' if len(loose) > 1 else 'it'}.",
            "Join it to the rest by material: by a bar, by words or shapes that overlap it, or by cutting further out.",
            line.id, _middle(loose[0].area), bars=bars,
        )
    ]  # fmt: skip


def _bars(held: list[Polygon], loose: list[Polygon]) -> tuple[tuple[Point, Point], ...]:
    """The shortest ways that join every loose part to what is held, the nearest first; ends on their edges."""
    made, left = [], list(loose)
    while left:
        whole = shapely.union_all(held)
        away = shapely.distance(whole, np.array(left))
        nearest = left.pop(int(np.argmin(away)))
        one, other = shapely.get_coordinates(shapely.shortest_line(whole, nearest)).tolist()
        made.append((Point(*one), Point(*other)))
        held = [*held, nearest]
    return tuple(made)


def open_lines(line: CutLine) -> list[Finding]:
    """Cuts that do not close: what they are to free stays where it is."""
    if frees(line.process) not in (PIECE, FILM) or line.regions:
        return []
    ends = np.nonzero(~line.paths.closed)[0]
    if not len(ends):
        return []
    start = line.paths.rows[line.paths.offsets[ends[0]], :2].tolist()
    return [
        Finding("open path", f"{len(ends)} open {'lines are' if len(ends) > 1 else 'line is'} cut: nothing comes free.",
                "Score or engrave them, or cut round the shapes.", line.id, Point(*start))
    ]  # fmt: skip


def thin_letters(
    area: BaseGeometry, words: str, thinnest: float, stock: str, cancelled: Going = _never
) -> list[Finding]:
    """Letters with strokes thinner than the stock holds."""
    found = necks(area, thinnest, cancelled=cancelled).necks if thinnest > 0 else ()
    if not found:
        return []
    return [
        Finding(
            "thin letters",
            f"Strokes of “{words}” are {found[0].width:.2f} mm thin.",
            f"{stock[:1].upper()}{stock[1:]} holds {thinnest:g} mm. Set them larger, in a bolder font, or widen them.",
            place=found[0].middle,
            mend=("Widen the letters", "widen", round((thinnest - found[0].width) / 2 + 0.01, 2)),
        )
    ]


def _spread(found: Sequence[tuple[float, Point]]) -> tuple[str, tuple[Point, ...]]:
    """Lengths in words, from the least to the largest, and their places, the least first, at most a few."""
    ordered = sorted(found, key=lambda one: one[0])
    low, high = f"{ordered[0][0]:.2f}", f"{ordered[-1][0]:.2f}"
    return f"{low} mm" if low == high else f"{low} to {high} mm", tuple(place for _, place in ordered[:MOST])


def _courses(line: CutLine) -> NDArray[np.object_]:
    """Where a line runs: its edges whole, dashes and ties or not; else each of its open paths."""
    paths = Bundle.of([ring for region in line.regions for ring in region.rings]) if line.regions else line.paths
    return courses(paths, 0.005)


def _room(area: Polygon) -> float:
    """How wide a circle has room in an area."""
    return 2 * float(shapely.maximum_inscribed_circle(area, tolerance=0.005).length) if area.area > 0 else 0.0


def _middle(area: BaseGeometry) -> Point:
    place = shapely.point_on_surface(area) if area.area > 0 else area.centroid
    return Point(float(place.x), float(place.y))


def _called(line: CutLine) -> str:
    said = f"{line.process} “{line.name}”" if line.name else line.process
    return said[:1].upper() + said[1:]
