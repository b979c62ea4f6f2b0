"""Stage *lines*: a composed piece to the production lines of one of its layers."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import NibbleError, NothingToCut
from nibble_core.geometry import Box, Bundle, Path, Point, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons, union, union_of_neighbours
from nibble_core.lines.clearance import kept_clear
from nibble_core.lines.contour import (
    closed_shape,
    contour_area,
    contour_preview,
    fitted,
    holes_in,
    in_chords,
    joined_islands,
    with_own_nodes,
    without_holes,
)
from nibble_core.lines.hanging import Hanging, hanging
from nibble_core.lines.perforation import perforated
from nibble_core.lines.stacking import alignment_marks
from nibble_core.lines.ties import tied
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.following import followed
from nibble_core.pipeline.sources import Shows, hole_places, holes_of, open_paths_of, shown_by, shows_of, source_of
from nibble_core.pipeline.store import Keyed, ResultStore, later, stage
from nibble_core.processes import BY_HAND, FILM, PIECE, PROCESSES, frees, is_sent, parts
from nibble_core.ticket.line import ITSELF, NAMING, Cut, Line, Perforation, ThroughCut
from nibble_core.ticket.piece import Hanger, Layer, Piece
from nibble_core.toolpaths import Definition, Engraved
from nibble_core.toolpaths.grain import Hatch


@dataclass(frozen=True, eq=False)
class DrawnLine:
    """One line of the ticket as geometry in mm, in the piece's coordinates.

    paths: what a machine follows: rings, dashes, stretches between ties, strokes. regions: what it encloses, where it
    is closed. places: middles of its ties. dashes: how many. leftovers: parts and holes that fell away by rule. led:
    edges led round other lines. bays: what it closes off from outside, open or not. filled: whether paths fill an area;
    shares: of the power that each has; picture, hatch: what they were made from. outlined: whether its edges are
    followed as well.
    """

    id: str
    process: str
    regions: tuple[Region, ...]
    paths: Bundle
    name: str = ""
    rank: int = 1
    places: tuple[Point, ...] = ()
    dashes: int = 0
    leftovers: int = 0
    led: int = 0
    bays: tuple[Polygon, ...] = ()
    filled: bool = False
    shares: NDArray[np.float64] | None = None
    picture: Engraved | None = None
    outlined: bool = False
    hatch: Hatch | None = None

    @property
    def length(self) -> float:
        return self.paths.length

    @property
    def nodes(self) -> int:
        return self.paths.segments

    @property
    def area(self) -> MultiPolygon:
        """What it encloses, as polygons."""
        sides = sum(len(ring) for region in self.regions for ring in region.rings)
        shared = len(self.regions) > 1 and not self.dashes and not self.places and self.paths.segments < sides
        return union_of_neighbours(self.regions) if shared else union(self.regions)


@dataclass(frozen=True, eq=False)
class LayerResult:
    """The lines of a layer and the box that all of them and the piece fill.

    shown: what the layer holds of the piece. failed: lines that leave nothing or lost their source, with why. marks:
    alignment marks, cut with the layer.
    """

    lines: tuple[DrawnLine, ...]
    box: Box
    shown: MultiPolygon
    hanging: Hanging | None = None
    failed: tuple[tuple[str, NibbleError], ...] = ()
    marks: tuple[Region, ...] = ()

    @property
    def definitions(self) -> tuple[Definition, ...]:
        """What a program follows: the lines, and the alignment marks in the process that is run last."""
        made = [
            Definition(
                line.id,
                line.process,
                line.paths,
                line.rank,
                line.filled,
                False,
                line.shares,
                line.picture,
                rings_of(line.regions) if line.filled else None,
                line.outlined,
                hatch=line.hatch,
            )
            for line in self.lines
        ]
        last = self.marks_process
        if self.marks and last:
            rings = Bundle.of([mark.outer for mark in self.marks])
            made.append(Definition("marks", last.process, rings, last.rank))
        return tuple(made)

    @property
    def marks_process(self) -> DrawnLine | None:
        """The line whose process cuts the alignment marks."""
        sent = [line for line in self.lines if is_sent(line.process)]
        return max(sent, key=lambda line: (PROCESSES[line.process].order, line.rank), default=None)


HANGER = "hanger"
"""Names the hanger among what could not be drawn."""


@dataclass(frozen=True)
class Drawing:
    """What the lines of a layer depend on, beside the composed piece. lines: all of the layer. hanger: of the piece,
    where this layer has it. alignment: size and gap of its marks, where it has any."""

    shows: Shows
    lines: tuple[Line, ...]
    hanger: Hanger | None
    alignment: tuple[float, float] | None
    preview: bool


@dataclass(frozen=True)
class Outline:
    """What the area depends on that a line keeps its distance from. naming: what other lines name, for *the rest*."""

    shows: Shows
    line: Line
    naming: tuple[Line, ...]


@dataclass(frozen=True, eq=False)
class Base:
    """The regions that a line follows, all they cover, that without holes, its gaps closed, and the bays that closing
    them closed off."""

    chosen: list[Region]
    whole: MultiPolygon
    closed: MultiPolygon
    gaps: list[Polygon]


def draw_lines(
    store: ResultStore,
    piece: Piece,
    layer: Layer,
    composed: Keyed[PieceResult],
    *,
    preview: bool,
) -> Keyed[LayerResult]:
    """All lines of a layer that are switched on. A line that cannot be drawn is told in ``failed``."""
    shows = shows_of(piece, layer)
    bases = [later(store, _base, _outline(shows, line, layer.lines), composed) for line in _with_base(layer.lines)]
    hanger = piece.hanger if piece.hanger.kind != "no hanger" and layer.id == piece.layers[0].id else None
    marked = (piece.mark_size, piece.mark_gap) if piece.alignment != "no alignment marks" else None
    return stage(store, _drawn, Drawing(shows, layer.lines, hanger, marked, preview), composed, *bases)


def _with_base(lines: Sequence[Line]) -> list[Line]:
    """Those that keep a distance from a part of the piece: the area is kept while only the distance is dragged."""
    return [line for line in lines if line.on and not line.open_ended and not line.follows and not as_it_is(line)]


def _outline(shows: Shows, line: Line, lines: Sequence[Line]) -> Outline:
    blank = Line("")
    own = replace(
        blank, source=line.source,
        offset=replace(blank.offset, close_gaps=line.offset.close_gaps, join_islands=line.offset.join_islands),
    )  # fmt: skip
    naming = [replace(blank, source=one.source) for one in lines if one.on and one.source.kind in NAMING]
    return Outline(shows, own, tuple(naming) if line.source.kind == "the rest" else ())


def _base(by: Outline, composed: PieceResult) -> Base | NibbleError:
    """Why there is none is a result too, told beside the line."""
    try:
        return _base_of(by.line, composed, shown_by(by.shows, composed), {}, by.naming)
    except NibbleError as error:
        return error


def _base_of(
    line: Line, composed: PieceResult, shown: MultiPolygon, enclosed: Mapping[str, tuple[Region, ...]],
    lines: Sequence[Line],
) -> Base:  # fmt: skip
    """Raises NothingToCut where there is nothing to keep a distance from."""
    chosen = source_of(line, composed, shown, enclosed, lines)
    whole = shown if line.source.kind in ("the outer shape", "the shapes") else union(chosen)
    if whole.is_empty:
        raise NothingToCut("There is no shape to draw a line round.", "Choose what it goes round.")
    joined = joined_islands(closed_shape(whole, close_gaps=line.offset.close_gaps), line.offset.join_islands)
    return Base(chosen, whole, *without_holes(joined))


def _drawn(by: Drawing, composed: PieceResult, *bases: Base | NibbleError) -> LayerResult:
    """bases: of those lines that have one, in their order."""
    lines = [line for line in by.lines if line.on]
    named = [line.id for line in _with_base(by.lines)]
    pen = _Pen(by, composed, dict(zip(named, bases, strict=True)))
    drawn: dict[str, DrawnLine] = {}
    failed: list[tuple[str, NibbleError]] = []
    # lines that nothing moves come first: those with room give way to them
    ordered = sorted(lines, key=lambda line: not as_it_is(line) or bool(line.follows))
    for line in followed(ordered, lambda line: line.follows):
        try:
            drawn[line.id] = pen.draw(line, drawn)
        except NibbleError as error:
            failed.append((line.id, error))
    made = [drawn[line.id] for line in lines if line.id in drawn]
    hung = None
    if by.hanger is not None:
        try:
            made, hung = _hung(by.hanger, composed, made)
        except NibbleError as error:
            failed.append((HANGER, error))
    rules = {line.id: line for line in lines}
    made = [pen.finished(rules[one.id], one) for one in made]
    boxes = [region.bounds() for line in made for region in line.regions]
    boxes += [line.paths.bounds() for line in made if not line.regions]
    boxes.append(composed.box)
    box = Box.around(boxes)
    marks: tuple[Region, ...] = ()
    if by.alignment is not None:
        marks = alignment_marks(composed.box, *by.alignment)
        box = Box.around([box, *(mark.bounds() for mark in marks)])
    return LayerResult(tuple(made), box, pen.shown, hung, tuple(failed), marks)


class _Pen:
    """Draws the lines of one layer."""

    def __init__(self, by: Drawing, composed: PieceResult, bases: Mapping[str, Base | NibbleError]) -> None:
        self._piece, self._preview, self._lines, self._bases = composed, by.preview, by.lines, bases
        self.shown = shown_by(by.shows, composed)

    def draw(self, line: Line, drawn: Mapping[str, DrawnLine]) -> DrawnLine:
        """One line. Raises NothingToCut when it leaves nothing or its source is gone."""
        made = DrawnLine(line.id, line.process.kind, (), Bundle.of(()), line.name, line.rank)
        if line.open_ended:
            return replace(made, paths=Bundle.of(open_paths_of(line.source, self._piece)))
        regions, leftovers, bays = self._regions(line, drawn)
        led = 0
        process = line.process
        if isinstance(process, Cut) and process.crossings == "keeps clear" and not as_it_is(line):
            others = [own for own in drawn.values() if parts(own.process)]
            regions, led = self._led(process.clearance, regions, others)
        paths = sides_once(regions) if isinstance(process, Cut) and as_it_is(line) else rings_of(regions)
        return replace(made, regions=regions, paths=paths, leftovers=leftovers, led=led, bays=bays)

    def _regions(
        self, line: Line, drawn: Mapping[str, DrawnLine]
    ) -> tuple[tuple[Region, ...], int, tuple[Polygon, ...]]:
        """What it encloses, how many leftovers fell away, and the bays that it closes off."""
        enclosed = {id: own.regions for id, own in drawn.items()}
        if as_it_is(line):
            chosen = source_of(line, self._piece, self.shown, enclosed, self._lines)
            if line.source.kind in ITSELF or all(not region.holes for region in chosen):
                return tuple(chosen), 0, ()
        offset = line.offset
        known = self._bases.get(line.id)
        if isinstance(known, NibbleError):
            raise known
        base = known or _base_of(line, self._piece, self.shown, enclosed, self._lines)
        whole, gaps = base.whole, base.gaps
        kept, filled = hole_places(offset, self._piece)
        options = {
            "bays": offset.smallest_hole if offset.holes == "kept" else None, "kept": kept, "filled": filled,
            "corners": offset.corners, "mitre_limit": offset.mitre_limit,
            "holes": holes_of(offset, self._piece, [*holes_in(whole), *gaps]),
            "inside_radius": offset.inside_radius, "smallest": offset.smallest,
        }  # fmt: skip
        if self._preview:
            return tuple(contour_preview(base.closed, offset.distance, **options)), 0, ()
        made = contour_area(base.closed, offset.distance, **options)  # type: ignore[arg-type]
        regions = fitted(made.area, smooth=offset.smooth)
        if not offset.distance and not offset.smooth:
            regions = with_own_nodes(regions, base.chosen)
        room = [gap for gap in gaps if not gap.buffer(-offset.distance, quad_segs=16).is_empty]
        return tuple(regions), made.leftovers, (*room, *made.bays)

    def _led(
        self, clearance: float, regions: tuple[Region, ...], others: Sequence[DrawnLine]
    ) -> tuple[tuple[Region, ...], int]:
        """A line's regions led round those drawn before it. Raises NothingToCut when they leave no room."""
        area, led = kept_clear(union(regions), [own.area for own in others], clearance)
        if not led:
            return regions, 0
        if area.is_empty:
            raise NothingToCut(
                "Kept clear of the other lines, nothing is left of this one.", "Let it cross them, or move it."
            )
        return tuple(in_chords(area) if self._preview else fitted(area)), led

    def finished(self, line: Line, made: DrawnLine) -> DrawnLine:
        """A line with its dashes or ties, if it has them."""
        process = line.process
        if isinstance(process, Perforation) and process.leaves == "as dashes":
            dashes = Bundle.joined([perforated(path, process.cut, process.tie).bundle for path in made.paths])
            return replace(made, paths=dashes, dashes=len(dashes))
        if isinstance(process, ThroughCut) and (process.ties or process.tie_spacing or process.tie_marks):
            return self._tied(process, made)
        return made

    def _tied(self, cut: ThroughCut, made: DrawnLine) -> DrawnLine:
        """Ties by hand go to the ring nearest to each; others are counted on every outer ring."""
        by_hand = [self._piece.place_of(anchor) for anchor in cut.tie_marks]
        rings = [shapely.LinearRing(path.flattened(0.02)) for path in made.paths]
        owner = [int(np.argmin(shapely.distance(rings, shapely.Point(place)))) for place in by_hand]
        outer = {region.outer.rows[0].tobytes() for region in made.regions}
        paths: list[Path] = []
        places: list[Point] = []
        for k, path in enumerate(made.paths):
            own = [place for place, ring in zip(by_hand, owner, strict=True) if ring == k]
            if (by_hand and not own) or (not by_hand and path.rows[0].tobytes() not in outer):
                paths.append(path)
                continue
            result = tied(path, cut.tie_width, count=cut.ties, spacing=cut.tie_spacing, prefer=cut.tie_places, at=own)
            paths += result.paths
            places += result.places
        return replace(made, paths=Bundle.of(paths), places=tuple(places))


def as_it_is(line: Line) -> bool:
    """Whether a line is its source itself: nothing is moved, joined, rounded or left out. At no distance shapes are
    what they are, gaps and holes and all."""
    own = line.offset
    if own.distance or own.join_islands or own.inside_radius or own.smallest or own.smooth or own.hole_marks:
        return False
    if line.source.kind in ITSELF:
        return True
    encloses = line.source.kind != "the outer shape" and not line.open_ended
    return encloses and not own.close_gaps and own.holes == "filled"


def rings_of(regions: Sequence[Region]) -> Bundle:
    """All edges, one that two regions share only once."""
    rings = [ring for region in regions for ring in region.rings]
    if len(regions) < 2:
        return Bundle.of(rings)
    known: set[bytes] = set()
    once = []
    for ring in rings:
        nodes = np.round(ring.nodes, 3) + 0.0
        key = nodes[np.lexsort(nodes.T)].tobytes()
        if key not in known:
            known.add(key)
            once.append(ring)
    return Bundle.of(once)


def sides_once(regions: Sequence[Region]) -> Bundle:
    """The edges of regions that share sides, such as panes that meet: each side once, with the first region that has
    it."""
    rings = rings_of(regions)
    if len(regions) < 2:
        return rings
    known: set[bytes] = set()
    paths: list[Path] = []
    for ring in rings:
        there, back = (np.round(rows, 3) + 0.0 for rows in (ring.rows, ring.reversed().rows[::-1]))
        # of both ways along a side the one that comes first in the alphabet of its numbers
        off = np.sign(there - back)
        way = off[np.arange(len(off)), np.argmax(off != 0, axis=1)]
        either = np.where((way <= 0)[:, None], there, back)
        keys = [bytes([kind]) + row.tobytes() for kind, row in zip(ring.kinds.tolist(), either, strict=True)]
        new = np.array([key not in known for key in keys])
        known.update(keys)
        if new.all():
            paths.append(ring)
            continue
        for start, end in _runs(new):
            at = np.arange(start, end) % len(new)
            paths.append(Path(ring.kinds[at], ring.rows[at], closed=False))
    return Bundle.of(paths)


def _runs(marked: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First index and the one after the last of each row of marked places of a ring; a row may go on past its end."""
    if not marked.any():
        return []
    first = int(np.argmin(marked))  # one that is not
    turned = np.roll(marked, -first)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], turned.view(np.int8), [0]])))
    return [(first + a, first + b) for a, b in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)]


def _hung(hanger: Hanger, composed: PieceResult, lines: list[DrawnLine]) -> tuple[list[DrawnLine], Hanging]:
    """The line that makes the piece's edge, with the loop joined to it and the hole cut out of it."""
    edge = edge_line(lines)
    if edge is None:
        raise NothingToCut("There is no cut line to hang the piece by.", "Add a through cut round it.")
    place = composed.place_of(hanger.place[0]) if hanger.place else None
    kind = "loop" if hanger.kind == "a loop" else "hole"
    area = edge.area
    hung = hanging(area, kind, hanger.diameter, hanger.wall, place)
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
    changed = replace(edge, regions=tuple(regions), paths=rings_of(regions))
    return [changed if line is edge else line for line in lines], hung


def edge_line(lines: Sequence[DrawnLine]) -> DrawnLine | None:
    """The line along which the finished piece ends: the outermost cut that frees it, else that it is torn off
    along, else round its film."""
    for freed in (PIECE, BY_HAND, FILM):
        found = [line for line in lines if frees(line.process) == freed and line.regions]
        if found:
            return max(found, key=lambda line: sum(region.outer.area() for region in line.regions))
    return None
