"""What lines follow: the shapes a layer holds, the source a line names, and the holes it keeps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import InvalidTicket, NothingToCut
from nibble_core.geometry import Bundle, Path, Point, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import courses, polygons, union
from nibble_core.graphics import Drawn, Shape, colours_apart, hex_colour
from nibble_core.graphics.stroking import region_of
from nibble_core.lines.composing import area_of
from nibble_core.lines.contour import holes_kept
from nibble_core.lines.figures import surrounding
from nibble_core.lines.stacking import lower_layer, of_colours
from nibble_core.pipeline.compose import PieceResult, rgb
from nibble_core.ticket.line import (
    NAMING,
    AnotherLine,
    ChosenColours,
    ChosenRegions,
    FoldLines,
    Line,
    Offset,
    OneElement,
    Source,
    Surround,
)
from nibble_core.ticket.piece import Layer, Piece
from nibble_core.ticket.places import NEAR, Anchor, Chosen

MOST_HOLES = 5000


@dataclass(frozen=True)
class Shows:
    """What a layer holds of its piece: everything, or chosen colours or regions, and those of the layers above."""

    shows: str
    colours: tuple[Chosen, ...]
    regions: tuple[Anchor, ...]
    overlap: float = 0.0
    above: tuple[Shows, ...] = ()


def shows_of(piece: Piece, layer: Layer) -> Shows:
    if layer.shows == "everything":
        return Shows(layer.shows, (), ())
    higher = piece.layers[[own.id for own in piece.layers].index(layer.id) + 1 :]
    above = tuple(Shows(one.shows, one.colours, one.regions) for one in higher)
    return Shows(layer.shows, layer.colours, layer.regions, layer.overlap, above)


def shown_by(shows: Shows, composed: PieceResult) -> MultiPolygon:
    """What a layer holds of the piece, with what reaches under the layers above."""
    if shows.shows == "everything":
        return composed.whole
    above = [_chosen_area(one, composed) for one in shows.above]
    own = lower_layer(_chosen_area(shows, composed), shapely.union_all(above), shows.overlap)
    return MultiPolygon(polygons(own))


def _chosen_area(layer: Shows, composed: PieceResult) -> BaseGeometry:
    """What a layer's own colours or regions are seen to cover; nothing for one that holds everything."""
    if layer.shows == "chosen regions":
        return union(regions_at(composed, layer.regions))
    if layer.shows == "chosen colours":
        painted = [(shape.colour, area_of(shape)) for _, shape in composed.composed.painted if isinstance(shape, Shape)]
        return of_colours(painted, [rgb(one.colour) for one in layer.colours], NEAR)
    return shapely.Polygon()


def regions_at(composed: PieceResult, anchors: Sequence[Anchor]) -> list[Region]:
    """The piece's regions at these places: of several that hold one, the smallest, which is the one clicked."""
    if not anchors or not composed.regions:
        return []
    outlines = np.array([Polygon(region.outer.flattened(0.02)) for region in composed.regions])
    places = shapely.points([composed.place_of(anchor) for anchor in anchors])
    holding = shapely.contains(outlines[None, :], places[:, None])
    sizes = np.where(holding, shapely.area(outlines), np.inf)
    chosen = {int(row.argmin()) for row in sizes if np.isfinite(row).any()}
    return [composed.regions[k] for k in sorted(chosen)]


def source_of(
    line: Line, composed: PieceResult, shown: MultiPolygon, drawn: Mapping[str, tuple[Region, ...]],
    lines: Sequence[Line],
) -> list[Region]:  # fmt: skip
    """The regions that a line follows. ``drawn``: what lines before it enclose; ``lines``: all of its layer. Raises
    NothingToCut when there is nothing."""
    source = line.source
    if isinstance(source, AnotherLine):
        if source.of not in [one.id for one in lines]:
            raise NothingToCut("The line that this one follows is gone.", "Choose another line for it to follow.")
        return _found(
            list(drawn.get(source.of, ())),
            "The line that this one follows encloses nothing.",
            "Switch it on, or choose another.",
        )
    if isinstance(source, Surround):
        return [surrounding(source.surround, _enclosed(composed, shown), radius=source.radius)]
    if source.kind in NAMING:
        return _found(_named(source, composed), *_MISSING[source.kind])
    if source.kind == "the rest":
        rest = _rest([one.source for one in lines if one.on and one.source.kind in NAMING], composed, shown)
        return _found(rest, "Other lines name every shape of this layer.", "Follow the shapes, or choose colours.")
    if shown is composed.whole:
        return _found(
            _shapes(composed, shown), "The piece has only bare lines.", "Trace shapes, or follow its centre-lines."
        )
    return _found(_shapes(composed, shown), *NO_SHAPE)


def _enclosed(composed: PieceResult, shown: MultiPolygon) -> BaseGeometry:
    """What a simple shape is drawn round: the shapes that a layer holds, of a piece without any its bare lines."""
    if not shown.is_empty:
        return shown
    if shown is not composed.whole or not composed.strokes:
        raise NothingToCut(*NO_SHAPE)
    lines = shapely.multilinestrings(courses(Bundle.of([stroke.path for stroke in composed.strokes])))
    return lines.buffer(SLIVER)


NO_SHAPE = "The layer holds no shape.", "Click its colours or regions on the table."

_MISSING = {
    "one element": ("The element that this line follows is gone.", "Choose another one."),
    "chosen colours": ("No shape has one of the colours chosen.", "Choose a colour that the piece has."),
    "chosen regions": ("None of the places chosen holds a region.", "Click the regions on the table."),
}
SLIVER = 0.01  # mm: what is left of a shape and narrower than this is none


def _named(source: Source, composed: PieceResult) -> list[Region]:
    """The regions that a source names by element, colour or place."""
    if isinstance(source, ChosenRegions):
        return regions_at(composed, source.regions)
    return [region for owner, shape in composed.composed.painted if _names(source, owner, shape)
            for region in region_of(shape)]  # fmt: skip


def _names(source: Source, owner: str, shape: Drawn) -> bool:
    """Whether a source names a shape by its element or its colour."""
    if isinstance(source, ChosenColours):
        return isinstance(shape, Shape) and any(_is(shape, one) for one in source.colours)
    return isinstance(source, OneElement) and owner == source.of


def _rest(naming: Sequence[Source], composed: PieceResult, shown: MultiPolygon) -> list[Region]:
    """What a layer shows and none of some sources names. Of a shape that lies under a named one what is seen."""
    if not naming or not composed.composed.painted:
        return _shapes(composed, shown)
    own = [
        (region, any(_names(one, owner, shape) for one in naming))
        for owner, shape in composed.composed.painted for region in region_of(shape)
    ]  # fmt: skip
    clicked = [region for one in naming if isinstance(one, ChosenRegions) for region in _named(one, composed)]
    own += [(region, True) for region in clicked]  # a click takes what is seen there, as if it lay on top
    areas = np.array([union([region]) for region, _ in own])
    named = np.nonzero([is_named for _, is_named in own])[0]
    tree = shapely.STRtree(areas[named])
    left: list[Region] = []
    for k, (region, is_named) in enumerate(own):
        if not is_named:
            over = [j for j in named[tree.query(areas[k], predicate="intersects")].tolist() if j > k]
            left += _without(region, shapely.union_all(areas[over])) if over else [region]
    whole = union(left)
    if shown is composed.whole and abs(sum(region.area() for region in left) - whole.area) < SLIVER * whole.length:
        return left
    seen = whole if shown is composed.whole else whole.intersection(shown)
    return [refit_polygon(part) for part in polygons(seen) if not part.buffer(-SLIVER).is_empty]


def _shapes(composed: PieceResult, shown: MultiPolygon) -> list[Region]:
    """What a layer shows of a piece, its own regions where that is all."""
    return list(composed.regions) if shown is composed.whole else [refit_polygon(part) for part in polygons(shown)]


def _without(region: Region, taken: BaseGeometry) -> list[Region]:
    """A region without an area, as it is where that hardly touches it."""
    if not taken.intersects(region.polygon().buffer(-SLIVER)):
        return [region]
    left = polygons(union([region]).difference(taken))
    return [refit_polygon(part) for part in left if not part.buffer(-SLIVER).is_empty]


def open_paths_of(source: Source, composed: PieceResult) -> tuple[Path, ...]:
    """Fold lines, or the strokes of a drawing. Raises NothingToCut when there are none."""
    if isinstance(source, FoldLines):
        folds = [(composed.at(fold.x, fold.y), composed.at(fold.x2, fold.y2)) for fold in source.folds]
        if not folds:
            raise NothingToCut("No fold line is drawn yet.", "Draw one on the table with the tool “Fold line”.")
        return tuple(Path.polygon(fold, closed=False) for fold in folds)
    if not composed.strokes:
        raise NothingToCut("The piece has no strokes to follow.", "Trace centre-lines of its artwork first.")
    return tuple(stroke.path for stroke in composed.strokes)


def hole_places(offset: Offset, composed: PieceResult) -> tuple[list[Point], list[Point]]:
    """Where clicks say that holes are kept, and where that they are filled."""
    marks = [(mark.holes, composed.at(mark.x, mark.y)) for mark in offset.hole_marks]
    return [place for holes, place in marks if holes == "kept"], [place for holes, place in marks if holes == "filled"]


def holes_of(offset: Offset, composed: PieceResult, holes: Sequence[Polygon]) -> list[tuple[Polygon, float]]:
    """Of some holes those that an offset keeps, by its rule and by clicks, with the distance in each."""
    kept, filled = hole_places(offset, composed)
    chosen = holes_kept(holes, offset.smallest_hole if offset.holes == "kept" else None, kept=kept, filled=filled)
    if len(chosen) > MOST_HOLES:
        raise InvalidTicket(
            f"This line would keep {len(chosen)} holes.", f"Raise the smallest hole: {MOST_HOLES} are the most."
        )
    usual = offset.distance if offset.hole_distance is None else offset.hole_distance
    marks = [(mark.distance, shapely.Point(composed.at(mark.x, mark.y))) for mark in offset.hole_marks]
    owns = [(distance, place) for distance, place in marks if distance is not None]
    return [(hole, next((own for own, place in owns if hole.contains(place)), usual)) for hole in chosen]


def named_inks(piece: PieceResult) -> list[tuple[str, str]]:
    """Colours of a client's paths with the ink or layer they were given, each once: (#rrggbb, name)."""
    return list(
        dict.fromkeys(
            (hex_colour(shape.colour), shape.spot or shape.layer)
            for _, shape in piece.composed.painted
            if shape.spot or shape.layer
        )
    )


def _found(regions: list[Region], what: str, to_do: str) -> list[Region]:
    if not regions:
        raise NothingToCut(what, to_do)
    return regions


def _is(shape: Shape, one: Chosen) -> bool:
    """Whether a shape is of a chosen colour, and of a chosen name if one is given."""
    if one.named and one.named not in (shape.spot, shape.layer):
        return False
    return colours_apart(shape.colour, rgb(one.colour)) <= NEAR
