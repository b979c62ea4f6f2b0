"""Stage *compose*: a piece's elements, at their places, as one thing."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from shapely.geometry import MultiPolygon

from nibble_core.errors import InvalidTicket, NibbleError, NothingToCut, UnreadableFile
from nibble_core.geometry import Affine, Box, Point, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons, union
from nibble_core.graphics import Colour, Drawn, Shape, Stroke
from nibble_core.lines.bridges import Bridge, bridged, islands_of, proposed
from nibble_core.lines.composing import COARSE, CRUMB, Composed, Member, compose
from nibble_core.lines.figures import figure
from nibble_core.pipeline.client_files import Sources, client_file
from nibble_core.pipeline.falling import Fallen, fallen_words
from nibble_core.pipeline.following import followed
from nibble_core.pipeline.store import Keyed, ResultStore, derived, stage
from nibble_core.pipeline.trace import TraceResult
from nibble_core.text import Font, open_font, set_line, shipped_font
from nibble_core.text.lettering import OVER
from nibble_core.ticket.adding import BELOW
from nibble_core.ticket.piece import STRAIGHT, Element, Figure, Lettering, Piece, Stencil
from nibble_core.ticket.places import Anchor, Span

MOST_NODES = 1_000_000
OWN_FONT = "the shop’s own"
USUAL_RADIUS = 40.0  # mm, of a circle that goes round nothing
TAIL = 0.3  # of a capital's height, that letters may hang below their line


@dataclass(frozen=True, eq=False)
class PieceResult:
    """A composed piece, mm, origin at that of its first artwork.

    regions: outlines of the whole; a stencil's are its openings. whole: what they cover, holes open. box: round all
    shapes. places: of each element's copies. words: notes as (element id, what, what to do).
    fallen: words that reach beyond what they are cut out of.
    """

    composed: Composed
    regions: tuple[Region, ...]
    whole: MultiPolygon
    box: Box
    places: Mapping[str, tuple[Affine, ...]]
    bridges: tuple[Bridge, ...]
    islands: int
    words: tuple[tuple[str, str, str], ...]
    fallen: tuple[Fallen, ...] = ()

    @property
    def strokes(self) -> list[Stroke]:
        return self.composed.strokes

    def at(self, x: float, y: float) -> Point:
        """The place of an anchor, given in fractions of the box."""
        return Point(self.box.left + x * self.box.width, self.box.top + y * self.box.height)

    def share_of(self, place: Point) -> tuple[float, float]:
        """An anchor's fractions of the box, of a place."""
        across, down = max(self.box.width, 1e-9), max(self.box.height, 1e-9)
        return round((place.x - self.box.left) / across, 6), round((place.y - self.box.top) / down, 6)

    def place_of(self, anchor: Anchor) -> Point:
        return self.at(anchor.x, anchor.y)


@dataclass(frozen=True)
class Composition:
    """What makes a piece: its elements, and whether it is a stencil."""

    elements: tuple[Element, ...]
    stencil: Stencil


def compose_piece(
    store: ResultStore, piece: Piece, traces: Mapping[str, Keyed[TraceResult]], sources: Sources
) -> Keyed[PieceResult]:
    """The piece that a ticket's elements make. ``traces``: by artwork id. Raises NothingToCut, InvalidTicket."""
    inputs = [_outside(element, traces, sources) for element in piece.elements]
    try:
        return stage(store, _composed, Composition(piece.elements, piece.stencil), *(one for one in inputs if one))
    except NibbleError as error:
        if error.where:
            error.where = f"pieces/{piece.id}/{error.where}"
        raise


def _outside(
    element: Element, traces: Mapping[str, Keyed[TraceResult]], sources: Sources
) -> Keyed[TraceResult] | Keyed[Font] | None:
    """What an element is made of beside its own values."""
    if element.artwork:
        return traces[element.artwork]
    content = element.content
    if isinstance(content, Lettering) and content.font == OWN_FONT:
        return derived(_own_font, None, client_file(content.own_font, partial(_font_file, sources)))
    return None


def _composed(by: Composition, *outside: TraceResult | Font) -> PieceResult:
    """outside: traces and fonts of the elements that need one, in their order."""
    given = iter(outside)
    own = {one.id: next(given) for one in by.elements if _needs_outside(one)}
    members: list[Member] = []
    boxes: dict[str, Box] = {}
    drawn: dict[str, tuple[Drawn, ...]] = {}
    places: dict[str, tuple[Affine, ...]] = {}
    words: list[tuple[str, str, str]] = []
    nodes = 0
    for element in followed(by.elements, lambda element: element.beside):
        first = next((one.id for one in by.elements if one.id != element.id), "")
        other = element.beside if element.beside in boxes else first
        try:
            shapes, box = _own(_sized(element, drawn.get(other, ())), own.get(element.id), words)
        except NibbleError as error:
            error.where = f"elements/{element.id}"
            raise
        turned = turned_about_middle(box, element.turn, element.scale)
        shapes = tuple(shape.mapped(turned) for shape in shapes)
        if not isinstance(element.content, Lettering) or element.turn or element.scale != 1:
            box = _box_of(shapes)
        copies = _copies(element, box)
        moved = _moved(element, _reached(box, copies, Affine()), boxes.get(other))
        places[element.id] = tuple(turned.then(copy).then(moved) for copy in copies)
        boxes[element.id] = _reached(box, copies, moved)
        nodes += len(copies) * sum(shape.nodes for shape in shapes)
        if nodes > MOST_NODES:
            raise InvalidTicket(
                f"This piece would have over {MOST_NODES // 1_000_000} million nodes.",
                "Repeat its elements fewer times, or raise the smallest part at Trace.",
                where=f"elements/{element.id}",
            )
        placed = drawn[element.id] = tuple(shape.mapped(copy.then(moved)) for copy in copies for shape in shapes)
        members.append(Member(element.id, placed, element.way, element.widen))
    by_id = {member.id: member for member in members}
    composed = compose([by_id[element.id] for element in by.elements])
    regions = composed.regions
    made: tuple[Bridge, ...] = ()
    if not regions and not composed.strokes:
        raise NothingToCut("The piece has no shapes.", "Add artwork, text or a simple shape.")
    whole = union(regions)
    islands = len(islands_of(whole))
    box = _box_of([shape for _, shape in composed.painted])
    if by.stencil.kind == "a stencil" and islands:
        made = tuple(proposed(whole, by.stencil.count))
        if by.stencil.bridges:
            made = tuple(_bridge(span, box) for span in by.stencil.bridges)
        cut = bridged(whole, made, by.stencil.width)
        regions = tuple(refit_polygon(part) for part in polygons(cut) if part.area > CRUMB)
        whole = MultiPolygon(polygons(cut))
        islands = len(islands_of(whole))
    fallen = tuple(fallen_words(by.elements, by_id, boxes))
    return PieceResult(composed, regions, whole, box, places, made, islands, tuple(words), fallen)


def _needs_outside(element: Element) -> bool:
    content = element.content
    return bool(element.artwork) or (isinstance(content, Lettering) and content.font == OWN_FONT)


def _sized(element: Element, beside: Sequence[Drawn]) -> Element:
    """Words on a circle of no stated radius get one that clears what they stand beside, seen from its middle."""
    content = element.content
    if not isinstance(content, Lettering) or content.radius is not None:
        return element
    radius = USUAL_RADIUS
    if beside and content.along != STRAIGHT:
        box = _box_of(beside)
        middle = (box.left + box.right) / 2, (box.top + box.bottom) / 2
        radius = max(_reach(shape, middle) for shape in beside) + BELOW
        # tails hang into the circle that words stand on; at its foot whole letters stand in it
        radius += content.cap_height * (TAIL if content.along == OVER else 1.0)
    return replace(element, content=replace(content, radius=radius))


def _reach(shape: Drawn, middle: tuple[float, float]) -> float:
    """How far a shape reaches from a place, mm."""
    paths, width = (shape.region.rings, 0.0) if isinstance(shape, Shape) else ((shape.path,), shape.width)
    points = np.concatenate([path.flattened(COARSE) for path in paths])
    return float(np.hypot(*(points - middle).T).max()) + width / 2


def _own(
    element: Element, outside: TraceResult | Font | None, words: list[tuple[str, str, str]]
) -> tuple[tuple[Drawn, ...], Box]:
    """An element's shapes in its own coordinates, and the box it is placed by."""
    content = element.content
    if isinstance(outside, TraceResult):
        return tuple(outside.kept), _box_of(outside.kept)
    if isinstance(content, Lettering):
        font = outside if outside is not None else shipped_font(content.font)
        set_text = set_line(
            font,
            content.words,
            content.cap_height,
            spacing=content.spacing,
            along=content.along,
            radius=content.radius or USUAL_RADIUS,
        )
        if set_text.missing:
            letters = ", ".join(f"“{letter}”" for letter in set_text.missing)
            words.append(
                (element.id, f"{font.name} has no letter for {letters}.", "Choose another font, or other words.")
            )
        colour = rgb(content.colour)
        return tuple(Shape(region, colour) for region in set_text.regions), set_text.box
    assert isinstance(content, Figure)
    regions = figure(
        content.figure,
        content.width,
        content.height,
        radius=content.radius,
        count=content.count,
        wall=content.wall,
        depth=content.depth,
    )
    shapes = tuple(Shape(region, rgb(content.colour)) for region in regions)
    return shapes, _box_of(shapes)


def _font_file(sources: Sources, sha256: str) -> bytes:
    """Raises UnreadableFile where there is none."""
    if not sha256:
        raise UnreadableFile("No font file of the shop’s own is chosen.", "Add one, or choose a font that ships.")
    try:
        return sources(sha256)
    except (FileNotFoundError, KeyError) as error:
        raise UnreadableFile("The font file is not here any more.", "Add it again.") from error


def _own_font(_: None, content: bytes) -> Font:
    return open_font(content)


def turned_about_middle(box: Box, turn: float, scale: float = 1.0) -> Affine:
    """About the middle of a box, turned by degrees clockwise on screen and scaled."""
    if not turn and scale == 1:
        return Affine()
    x, y = (box.left + box.right) / 2, (box.top + box.bottom) / 2
    c, s = math.cos(math.radians(turn)) * scale, math.sin(math.radians(turn)) * scale
    return Affine.translation(-x, -y).then(Affine(c, s, -s, c, 0, 0)).then(Affine.translation(x, y))


def _copies(element: Element, box: Box) -> tuple[Affine, ...]:
    """Shifts of the element's copies: rows and columns at equal spacing."""
    across, down = box.width + element.gap, box.height + element.gap
    return tuple(
        Affine.translation(column * across, row * down)
        for row in range(element.rows)
        for column in range(element.columns)
    )


def _reached(box: Box, copies: tuple[Affine, ...], moved: Affine) -> Box:
    """The box of all copies at their place."""
    last = copies[-1]
    return Box(box.left + moved.e, box.top + moved.f, box.right + last.e + moved.e, box.bottom + last.f + moved.f)


def _moved(element: Element, box: Box, other: Box | None) -> Affine:
    """The shift that brings an element beside another one."""
    x, y = element.x, element.y
    if not element.artwork:  # words and shapes are placed by their box, a client's artwork by its own corner
        x, y = x - box.left, y - box.top
    if other is not None:
        across = {
            "centred": (other.left + other.right - box.left - box.right) / 2,
            "left edges": other.left - box.left, "right edges": other.right - box.right,
            "left of it": other.left - box.right, "right of it": other.right - box.left,
        }  # fmt: skip
        down = {
            "centred": (other.top + other.bottom - box.top - box.bottom) / 2,
            "top edges": other.top - box.top, "bottom edges": other.bottom - box.bottom,
            "above it": other.top - box.bottom, "below it": other.bottom - box.top,
        }  # fmt: skip
        x = across[element.across] + element.x if element.across in across else x
        y = down[element.down] + element.y if element.down in down else y
    return Affine.translation(x, y)


def _bridge(span: Span, box: Box) -> Bridge:
    return Bridge(
        Point(box.left + span.x * box.width, box.top + span.y * box.height),
        Point(box.left + span.x2 * box.width, box.top + span.y2 * box.height),
    )


def _box_of(shapes: Sequence[Drawn]) -> Box:
    return Box.around([shape.bounds() for shape in shapes]) if shapes else Box(0, 0, 0, 0)


def rgb(colour: str) -> Colour:
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)
