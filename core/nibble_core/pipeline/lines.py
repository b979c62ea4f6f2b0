"""Stage *lines*: a composed piece to the production lines of one of its layers."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import InvalidTicket, NibbleError, NothingToCut
from nibble_core.geometry import Box, Path, Point, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons, union
from nibble_core.graphics import Shape, hex_colour
from nibble_core.graphics.stroking import region_of
from nibble_core.lines.composing import area_of
from nibble_core.lines.contour import (
    contour_area,
    contour_preview,
    fitted,
    holes_kept,
    joined_islands,
    outer_shape_of,
)
from nibble_core.lines.figures import surrounding
from nibble_core.lines.hanging import Hanging, hanging
from nibble_core.lines.perforation import perforated
from nibble_core.lines.stacking import alignment_marks, lower_layer, of_colours
from nibble_core.lines.ties import tied
from nibble_core.pipeline.compose import PieceResult, rgb
from nibble_core.pipeline.following import followed
from nibble_core.pipeline.prints import PrintResult
from nibble_core.pipeline.store import Keyed, ResultStore, run_stage
from nibble_core.ticket.piece import Chosen, Layer, Line, Piece

VERSION = 8
MOST_HOLES = 5000
NEAR = 60  # largest difference of a channel between a chosen colour and a shape's


@dataclass(frozen=True, eq=False)
class DrawnLine:
    """One line of the ticket as geometry in mm, in the piece's coordinates.

    paths: what a machine follows: rings, dashes, stretches between ties, strokes. regions: what it encloses, where it
    is closed. places: middles of its ties. dashes: how many. leftovers: parts and holes that fell away by rule.
    """

    id: str
    process: str
    regions: tuple[Region, ...]
    paths: tuple[Path, ...]
    name: str = ""
    rank: int = 1
    places: tuple[Point, ...] = ()
    dashes: int = 0
    leftovers: int = 0

    @property
    def length(self) -> float:
        return sum(path.length() for path in self.paths)

    @property
    def nodes(self) -> int:
        return sum(len(path) for path in self.paths)

    @property
    def area(self) -> MultiPolygon:
        """What it encloses, as polygons."""
        return union(self.regions)


@dataclass(frozen=True, eq=False)
class LayerResult:
    """The lines of a layer and the box that everything made of it fills.

    shown: what the layer holds of the piece. failed: lines that leave nothing or lost their source, with why. marks:
    alignment marks, cut with the layer.
    """

    lines: tuple[DrawnLine, ...]
    box: Box
    shown: MultiPolygon
    hanging: Hanging | None = None
    failed: tuple[tuple[str, NibbleError], ...] = ()
    marks: tuple[Region, ...] = ()


def draw_lines(
    store: ResultStore,
    piece: Piece,
    layer: Layer,
    composed: Keyed[PieceResult],
    printed: Keyed[PrintResult],
    *,
    preview: bool,
) -> Keyed[LayerResult]:
    """All lines of a layer that are switched on. A line that cannot be drawn is told in ``failed``."""
    lines = [line for line in layer.lines if line.on]

    def compute() -> LayerResult:
        drawing = _Drawing(store, piece, layer, composed, preview)
        drawn: dict[str, DrawnLine] = {}
        failed: list[tuple[str, NibbleError]] = []
        for line in followed(lines, lambda line: line.of if line.source == "another line" else ""):
            try:
                drawn[line.id] = drawing.draw(line, drawn, {own.id for own in layer.lines})
            except NibbleError as error:
                failed.append((line.id, error))
        made = [drawn[line.id] for line in lines if line.id in drawn]
        hung = None
        if piece.hanger.kind != "no hanger" and layer.id == piece.layers[0].id:
            try:
                made, hung = _hung(piece, composed.value, made)
            except NibbleError as error:
                failed.append((f"pieces/{piece.id}/hanger", error))
        rules = {line.id: line for line in lines}
        made = [drawing.finished(rules[one.id], one) for one in made]
        boxes = [region.bounds() for line in made for region in line.regions]
        boxes += [path.bounds() for line in made if not line.regions for path in line.paths]
        boxes.append(composed.value.box)
        box = Box.around(boxes)
        if printed.value.box is not None:
            box = Box.around([box, printed.value.box])
        marks: tuple[Region, ...] = ()
        if piece.alignment != "no alignment marks":
            marks = alignment_marks(composed.value.box, piece.mark_size, piece.mark_gap)
            box = Box.around([box, *(mark.bounds() for mark in marks)])
        return LayerResult(tuple(made), box, drawing.shown, hung, tuple(failed), marks)

    stage = "lines-preview" if preview else "lines"
    above = piece.layers[[own.id for own in piece.layers].index(layer.id) + 1 :]
    by = [layer.shows, layer.overlap, *layer.colours, *(one.colours for one in above), *lines]
    by += [piece.hanger, piece.alignment, piece.mark_size, piece.mark_gap, layer.id == piece.layers[0].id]
    return run_stage(store, stage, VERSION, by, [composed.key, printed.key], compute)


class _Drawing:
    """Draws the lines of one layer."""

    def __init__(
        self, store: ResultStore, piece: Piece, layer: Layer, composed: Keyed[PieceResult], preview: bool
    ) -> None:
        self._store, self._piece, self._preview = store, composed.value, preview
        self._keys = [composed.key, layer.id]
        # what a layer shows depends on the layers above as well: it reaches under them
        place = [one.id for one in piece.layers].index(layer.id)
        above = [one.colours for one in piece.layers[place + 1 :]]
        self._layer_key = [layer.shows, layer.overlap, *layer.colours, *above]
        self.shown = self._shown(piece, layer)

    def _shown(self, piece: Piece, layer: Layer) -> MultiPolygon:
        if layer.shows == "everything":
            return self._piece.whole
        painted = [
            (shape.colour, area_of(shape)) for _, shape in self._piece.composed.painted if isinstance(shape, Shape)
        ]
        own = of_colours(painted, [rgb(one.colour) for one in layer.colours], NEAR)
        place = [one.id for one in piece.layers].index(layer.id)
        above = [rgb(one.colour) for upper in piece.layers[place + 1 :] for one in upper.colours]
        return MultiPolygon(polygons(lower_layer(own, of_colours(painted, above, NEAR), layer.overlap)))

    def draw(self, line: Line, drawn: Mapping[str, DrawnLine], names: set[str]) -> DrawnLine:
        """One line. Raises NothingToCut when it leaves nothing or its source is gone."""
        made = DrawnLine(line.id, line.process, (), (), line.name, line.rank)
        if line.source in ("centre-lines", "fold lines"):
            return replace(made, paths=self._open_paths(line))
        regions, leftovers = self._regions(line, drawn, names)
        rings = tuple(ring for region in regions for ring in region.rings)
        return replace(made, regions=regions, paths=rings, leftovers=leftovers)

    def _open_paths(self, line: Line) -> tuple[Path, ...]:
        if line.source == "fold lines":
            made = [
                Path.polygon([self._piece.at(fold.x, fold.y), self._piece.at(fold.x2, fold.y2)], closed=False)
                for fold in line.folds
            ]
            if not made:
                raise NothingToCut("No fold line is drawn yet.", "Draw one on the table with the tool “Fold line”.")
            return tuple(made)
        strokes = tuple(stroke.path for stroke in self._piece.strokes)
        if not strokes:
            raise NothingToCut("The piece has no strokes to follow.", "Trace centre-lines of its artwork first.")
        return strokes

    def _regions(self, line: Line, drawn: Mapping[str, DrawnLine], names: set[str]) -> tuple[tuple[Region, ...], int]:
        chosen = self._source(line, drawn, names)
        own_shapes = line.source in ("the outer shape", "the shapes")
        as_they_are = (
            line.source != "the outer shape" and not line.distance and not line.close_gaps and not line.join_islands
            and not line.inside_radius and not line.smallest and not line.smooth
        )  # fmt: skip
        if as_they_are and line.holes == "kept" and not line.smallest_hole and not line.hole_marks:
            return tuple(chosen), 0
        if as_they_are and line.holes == "filled" and not line.hole_marks and all(not r.holes for r in chosen):
            return tuple(chosen), 0
        whole = self.shown if own_shapes else union(chosen)
        if whole.is_empty:
            raise NothingToCut("There is no shape to draw a line round.", "Choose what it goes round.")
        base = self._base(line, whole)
        holes = self._holes(line, whole)
        options = {
            "corners": line.corners, "mitre_limit": line.mitre_limit, "holes": holes,
            "inside_radius": line.inside_radius, "smallest": line.smallest,
        }  # fmt: skip
        if self._preview:
            return tuple(contour_preview(base, line.distance, **options)), 0
        made = contour_area(base, line.distance, **options)  # type: ignore[arg-type]
        return tuple(fitted(made.area, smooth=line.smooth)), made.leftovers

    def _source(self, line: Line, drawn: Mapping[str, DrawnLine], names: set[str]) -> list[Region]:
        if line.source == "another line":
            if line.of not in names:
                raise NothingToCut("The line that this one follows is gone.", "Choose another line for it to follow.")
            if line.of not in drawn or not drawn[line.of].regions:
                raise NothingToCut(
                    "The line that this one follows encloses nothing.", "Switch it on, or choose another."
                )
            return list(drawn[line.of].regions)
        if line.source == "a simple shape":
            return [surrounding(line.surround, self.shown, radius=line.radius)]
        if line.source == "one element":
            own = [
                region
                for owner, shape in self._piece.composed.painted
                if owner == line.of
                for region in region_of(shape)
            ]
            return self._found(own, "The element that this line follows is gone.", "Choose another one.")
        if line.source == "chosen colours":
            found = [
                shape.region
                for _, shape in self._piece.composed.painted
                if isinstance(shape, Shape) and any(_is(shape, one) for one in line.colours)
            ]
            return self._found(found, "No shape has one of the colours chosen.", "Choose a colour that the piece has.")
        if line.source == "chosen regions":
            places = [self._piece.place_of(anchor) for anchor in line.regions]
            found = [
                region
                for region in self._piece.regions
                if any(Polygon(region.outer.flattened(0.02)).contains(shapely.Point(place)) for place in places)
            ]
            return self._found(found, "None of the places chosen holds a region.", "Click the regions on the table.")
        if self.shown is self._piece.whole:
            return self._found(
                list(self._piece.regions), "The piece has only bare lines.", "Trace shapes, or follow its centre-lines."
            )
        return self._found(
            [refit_polygon(part) for part in polygons(self.shown)], "The layer holds no shape.", "Choose its colours."
        )

    @staticmethod
    def _found(regions: list[Region], what: str, to_do: str) -> list[Region]:
        if not regions:
            raise NothingToCut(what, to_do)
        return regions

    def _base(self, line: Line, whole: MultiPolygon) -> MultiPolygon:
        """The area a distance is measured from, without holes; kept while only the distance is dragged."""
        if line.source == "another line":
            return joined_islands(outer_shape_of(whole, close_gaps=line.close_gaps), line.join_islands)
        by = [
            line.source,
            line.of,
            line.close_gaps,
            line.join_islands,
            line.surround,
            line.radius,
            *line.colours,
            *line.regions,
        ]
        base: Keyed[MultiPolygon] = run_stage(
            self._store, "outer-shape", VERSION, [*by, *self._layer_key], self._keys,
            lambda: joined_islands(outer_shape_of(whole, close_gaps=line.close_gaps), line.join_islands),
        )  # fmt: skip
        return base.value

    def _holes(self, line: Line, whole: MultiPolygon) -> list[tuple[Polygon, float]]:
        """Holes that are kept, with the distance in each."""
        marks = [(mark, self._piece.at(mark.x, mark.y)) for mark in line.hole_marks]
        kept = [place for mark, place in marks if mark.holes == "kept"]
        filled = [place for mark, place in marks if mark.holes == "filled"]
        smallest = line.smallest_hole if line.holes == "kept" else float("inf")
        if smallest == float("inf") and not kept:
            return []
        usual = line.distance if line.hole_distance is None else line.hole_distance
        kept_holes = holes_kept(whole, min(smallest, 1e6), kept=kept, filled=filled)
        if len(kept_holes) > MOST_HOLES:
            raise InvalidTicket(
                f"This line would keep {len(kept_holes)} holes.",
                f"Raise the smallest hole: {MOST_HOLES} are the most.",
            )
        found = []
        for hole in kept_holes:
            own = usual
            for mark, place in marks:
                if mark.distance is not None and hole.contains(shapely.Point(place)):
                    own = mark.distance
            found.append((hole, own))
        return found

    def finished(self, line: Line, made: DrawnLine) -> DrawnLine:
        """A line with its dashes or ties, if it has them."""
        if line.process == "perforate" and line.leaves == "as dashes":
            dashes = [perforated(path, line.cut, line.tie) for path in made.paths]
            return replace(
                made,
                paths=tuple(dash for one in dashes for dash in one.paths()),
                dashes=sum(len(one) for one in dashes),
            )
        if line.process == "through cut" and (line.ties or line.tie_spacing or line.tie_marks):
            return self._tied(line, made)
        return made

    def _tied(self, line: Line, made: DrawnLine) -> DrawnLine:
        """Ties by hand go to the ring nearest to each; others are counted on every outer ring."""
        by_hand = [self._piece.place_of(anchor) for anchor in line.tie_marks]
        rings = [shapely.LinearRing(path.flattened(0.02)) for path in made.paths]
        owner = [int(np.argmin(shapely.distance(rings, shapely.Point(place)))) for place in by_hand]
        outer = {id(region.outer) for region in made.regions}
        paths: list[Path] = []
        places: list[Point] = []
        for k, path in enumerate(made.paths):
            own = [place for place, ring in zip(by_hand, owner, strict=True) if ring == k]
            if (by_hand and not own) or (not by_hand and id(path) not in outer):
                paths.append(path)
                continue
            result = tied(
                path, line.tie_width, count=line.ties, spacing=line.tie_spacing, prefer=line.tie_places, at=own
            )
            paths += result.paths
            places += result.places
        return replace(made, paths=tuple(paths), places=tuple(places))


def _is(shape: Shape, one: Chosen) -> bool:
    """Whether a shape is of a chosen colour, and of a chosen name if one is given."""
    if one.named and one.named not in (shape.spot, shape.layer):
        return False
    return max(abs(a - b) for a, b in zip(shape.colour, rgb(one.colour), strict=True)) <= NEAR


def _hung(piece: Piece, composed: PieceResult, lines: list[DrawnLine]) -> tuple[list[DrawnLine], Hanging]:
    """The line that makes the piece's edge, with the loop joined to it and the hole cut out of it."""
    edge = edge_line(lines)
    if edge is None:
        raise NothingToCut("There is no cut line to hang the piece by.", "Add a through cut round it.")
    place = composed.place_of(piece.hanger.place[0]) if piece.hanger.place else None
    kind = "loop" if piece.hanger.kind == "a loop" else "hole"
    area = edge.area
    hung = hanging(area, kind, piece.hanger.diameter, piece.hanger.wall, place)
    if not hung.added.is_empty:
        whole: BaseGeometry = shapely.union_all([area, hung.added])
        regions = [refit_polygon(part) for part in polygons(whole)]
    else:
        regions = list(edge.regions)
    centre = shapely.Point(hung.place)
    regions = [
        Region(region.outer, (*region.holes, hung.hole)) if region.polygon(0.02).contains(centre) else region
        for region in regions
    ]
    rings = tuple(ring for region in regions for ring in region.rings)
    changed = replace(edge, regions=tuple(regions), paths=rings)
    return [changed if line is edge else line for line in lines], hung


def edge_line(lines: Sequence[DrawnLine]) -> DrawnLine | None:
    """The line along which the finished piece ends: the outermost through cut, else perforation or kiss cut."""
    for process in ("through cut", "perforate", "kiss cut"):
        found = [line for line in lines if line.process == process and line.regions]
        if found:
            return max(found, key=lambda line: sum(region.outer.area() for region in line.regions))
    return None


def named_inks(piece: PieceResult) -> list[tuple[str, str]]:
    """Colours of a client's paths with the ink or layer they were given, each once: (#rrggbb, name)."""
    return list(
        dict.fromkeys(
            (hex_colour(shape.colour), shape.spot or shape.layer)
            for _, shape in piece.composed.painted
            if shape.spot or shape.layer
        )
    )
