"""A production line: what it follows, how far from it, and what a machine does along it.

Sources, processes and fills come in kinds. Each is a small type with the values that count for it, and no others; a
base class is the kinds that have none.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import KW_ONLY, dataclass, fields
from typing import Any

from nibble_core.processes import (
    BY_HAND,
    FLOOR,
    GROOVE,
    GUIDE,
    KISS_CUT,
    PIECE,
    SHAPE,
    THROUGH_CUT,
    WORDS,
    frees,
    parts,
    takes,
)
from nibble_core.ticket.fields import angle, choice, count, flag, length, of_kinds, share, text
from nibble_core.ticket.places import HOLES, KERF_SIDES, Anchor, Chosen, HoleMark, KerfMark, Span

CORNERS = {
    "round": "The corner is an arc as wide as the distance; it cannot snag.",
    "mitred": "The corner stays a point, cut off when it grows too long.",
    "bevelled": "The corner is cut straight across.",
}
SOURCES = {
    "the outer shape": "Everything inside the outermost edge of the piece.",
    "the shapes": "The outlines of the piece's shapes, as they are.",
    "one element": "The shapes of one artwork, text or simple shape.",
    "chosen colours": "Shapes of the colours chosen.",
    "chosen regions": "The regions chosen by clicks.",
    "the rest": "The shapes, without what other lines of this layer name by element, colour or region.",
    "centre-lines": "The strokes of a drawing, along their middle.",
    "a simple shape": "A rectangle, circle or hull round the piece.",
    "another line": "What another line encloses.",
    "fold lines": "Straight lines drawn on the table.",
}
NAMING = ("one element", "chosen colours", "chosen regions")
"""Sources that name a part of the piece."""
ITSELF = ("the shapes", *NAMING, "the rest")
"""Sources that a line without distance follows as they are: gaps are not closed, holes not filled."""
OPEN_SOURCES = ("centre-lines", "fold lines")
"""Sources that enclose nothing."""
SURROUNDS = {
    "rectangle": "The upright box.",
    "rounded rectangle": "The box with round corners.",
    "circle": "The smallest circle.",
    "ellipse": "An upright ellipse of the box's proportions.",
    "hexagon": "The smallest upright hexagon.",
    "smooth hull": "As a rubber band lies round it, with round corners.",
}
SCORES = {"folds": "It will be bent there.", "marks": "It is only drawn into the surface."}
LEAVES = {
    "as dashes": "Every dash is a line of its own in the file.",
    "as one plain line": "For machines that dash it themselves.",
}
ALONG_GRAIN = "along the grain"
LAST_WAYS = {
    "all round": "In one, as the passes before it.",
    ALONG_GRAIN: "In stretches, each from along the fibres to across them, so that none tear.",
}
TIE_PLACES = {
    "straight": "Where the line is straightest.",
    "hidden": "In recesses of the outline, where a stub does not show.",
}
FILLS = {
    "along the lines": "Outlines are followed: a hairline.",
    "by hatching": "Areas are filled with parallel strokes.",
    "by rings": "Areas are filled with contours set further and further in.",
    "as a picture": "The artwork's own tones, dot by dot or by power.",
}
HATCHINGS = {
    "both ways": "Every other stroke runs backward: the quickest.",
    "one way": "All strokes run forward: even edges on worn machines.",
    "crosswise": "Twice, the second time across the first.",
}
GRAINS = {
    "alike on every copy": "Strokes run one way on the whole sheet, however copies are turned.",
    "turned with each copy": "Strokes lie in each copy as they lie in the piece.",
}
OUTLINE_PASSES = {
    "no outline pass": "Edges are the ends of strokes.",
    "an outline pass": "Outlines are followed last: smooth edges.",
}
RING_ORDERS = {"outer to inner": "From the edge inward.", "inner to outer": "From the middle outward."}
TONES = {
    "error diffusion": "Dots strewn by what earlier ones left over: finest.",
    "an ordered pattern": "A regular pattern of dots.",
    "halftone dots": "Round dots that grow with the tone, as in print.",
    "grey by power": "The beam burns weaker where it is lighter.",
}
INVERTED = {"as it is": "Dark is burnt.", "dark and light exchanged": "Light is burnt: for dark or mirrored material."}
WAYS_OF_MEETING = {
    "conventional": "Chips begin thin: for a machine that gives a little.",
    "climb": "Chips begin thick: cleaner edges, on a stiff machine.",
}
WAYS_OF_CLEARING = {
    "in rings": "From the middle outward, along the edge.",
    "in lanes": "Up and down in straight lanes, then round the edge.",
}
CROSSINGS = {
    "keeps clear": "Led round other cuts that it would run across.",
    "may cross": "Runs where it would, across other cuts as well.",
}


@dataclass(frozen=True)
class Source:
    """What a line follows: the whole piece, in one way or another."""

    _: KW_ONLY
    kind: str = choice("the outer shape", "source", SOURCES)


@dataclass(frozen=True)
class OneElement(Source):
    """of: its id."""

    of: str = text("", 40, "what it follows", empty="nothing")
    _: KW_ONLY
    kind: str = choice("one element", "source", SOURCES)


@dataclass(frozen=True)
class AnotherLine(Source):
    """of: its id."""

    of: str = text("", 40, "what it follows", empty="nothing")
    _: KW_ONLY
    kind: str = choice("another line", "source", SOURCES)


@dataclass(frozen=True)
class ChosenColours(Source):
    colours: tuple[Chosen, ...] = ()
    _: KW_ONLY
    kind: str = choice("chosen colours", "source", SOURCES)


@dataclass(frozen=True)
class ChosenRegions(Source):
    regions: tuple[Anchor, ...] = ()
    _: KW_ONLY
    kind: str = choice("chosen regions", "source", SOURCES)


@dataclass(frozen=True)
class Surround(Source):
    surround: str = choice("rectangle", "shape round it", SURROUNDS)
    radius: float = length(5.0, 0.0, 500.0, "corner radius", step=0.5)
    _: KW_ONLY
    kind: str = choice("a simple shape", "source", SOURCES)


@dataclass(frozen=True)
class FoldLines(Source):
    folds: tuple[Span, ...] = ()
    _: KW_ONLY
    kind: str = choice("fold lines", "source", SOURCES)


_SOURCES: Mapping[str, type[Source]] = {
    "one element": OneElement, "another line": AnotherLine, "chosen colours": ChosenColours,
    "chosen regions": ChosenRegions, "a simple shape": Surround, "fold lines": FoldLines,
}  # fmt: skip


def _source_type(kind: str) -> type[Source]:
    return _SOURCES.get(kind, Source)


@dataclass(frozen=True)
class Offset:
    """How far from its source a line lies, and what becomes of corners, gaps, holes and small parts on the way. Of no
    use to a source that encloses nothing."""

    distance: float = length(2.0, -20.0, 200.0, "distance")
    corners: str = choice("round", "corners", CORNERS)
    mitre_limit: float = share(2.0, "mitre limit", low=1.0, high=10.0)
    close_gaps: float = length(1.5, 0.0, 100.0, "gaps closed")
    join_islands: float = length(0.0, 0.0, 100.0, "islands joined")
    holes: str = choice("filled", "holes", HOLES)
    smallest_hole: float = length(4.0, 0.0, 100.0, "smallest hole")
    hole_distance: float | None = length(None, -20.0, 50.0, "distance in holes", auto="the same distance")
    hole_marks: tuple[HoleMark, ...] = ()
    inside_radius: float = length(0.0, 0.0, 50.0, "smallest inside radius")
    smooth: float = length(0.0, 0.0, 2.0, "smoothing", step=0.01)
    smallest: float = length(0.0, 0.0, 50.0, "smallest part")


AS_THEY_ARE = Offset(distance=0.0, close_gaps=0.0, holes="kept", smallest_hole=0.0)
"""The offset of a line along shapes themselves: all of them, gaps and holes as they are."""


@dataclass(frozen=True)
class Fill:
    """How an engraving burns what it encloses: not at all."""

    _: KW_ONLY
    kind: str = choice("along the lines", "way of engraving", FILLS)


@dataclass(frozen=True)
class AreaFill(Fill):
    """Any way that burns the area."""

    interval: float = length(0.1, 0.02, 20.0, "interval", step=0.01)


@dataclass(frozen=True)
class Hatching(AreaFill):
    hatch_angle: float = angle(0.0, "direction of strokes")
    hatching: str = choice("both ways", "way of hatching", HATCHINGS)
    outline: str = choice("no outline pass", "outline pass", OUTLINE_PASSES)
    grain: str = choice("alike on every copy", "grain of strokes", GRAINS)
    _: KW_ONLY
    kind: str = choice("by hatching", "way of engraving", FILLS)


@dataclass(frozen=True)
class Rings(AreaFill):
    rings: str = choice("outer to inner", "order of rings", RING_ORDERS)
    outline: str = choice("no outline pass", "outline pass", OUTLINE_PASSES)
    _: KW_ONLY
    kind: str = choice("by rings", "way of engraving", FILLS)


@dataclass(frozen=True)
class Picture(AreaFill):
    hatching: str = choice("both ways", "way of hatching", HATCHINGS)
    tones: str = choice("error diffusion", "tones", TONES)
    screen: float = length(0.8, 0.1, 20.0, "width of the screen", step=0.1)
    screen_angle: float = angle(45.0, "angle of the screen")
    contrast: float = share(0.0, "contrast", low=-1.0, high=0.99)
    sharpness: float = share(0.0, "sharpness", high=5.0)
    curve: float = share(1.0, "curve of the material", low=0.1, high=10.0)
    inverted: str = choice("as it is", "tones", INVERTED)
    _: KW_ONLY
    kind: str = choice("as a picture", "way of engraving", FILLS)


_FILLS: Mapping[str, type[Fill]] = {"by hatching": Hatching, "by rings": Rings, "as a picture": Picture}


def _fill_type(kind: str) -> type[Fill]:
    return _FILLS.get(kind, Fill)


@dataclass(frozen=True)
class Making:
    """What a machine does along a line: a guide, or what has nothing to be set."""

    _: KW_ONLY
    kind: str = choice(GUIDE, "process", WORDS)


@dataclass(frozen=True)
class Cut(Making):
    """Any process that parts material."""

    crossings: str = choice("keeps clear", "way past other cuts", CROSSINGS)
    clearance: float = length(0.5, 0.05, 50.0, "distance from other cuts")
    _: KW_ONLY
    kind: str = choice(KISS_CUT, "process", WORDS)


@dataclass(frozen=True)
class ThroughCut(Cut):
    """ties: how many, unless one every ``tie_spacing``, or where ``tie_marks`` say. last_pass: mm that a router leaves
    beside the edge in every pass, and takes off in one at full depth; last_way: how that one runs."""

    ties: int = count(0, 0, 200, "ties")
    tie_spacing: float = length(0.0, 0.0, 2000.0, "spacing of ties", step=5.0)
    tie_width: float = length(0.5, 0.05, 20.0, "width of ties")
    tie_places: str = choice("straight", "places of ties", TIE_PLACES)
    tie_marks: tuple[Anchor, ...] = ()
    tab_height: float = length(2.0, 0.1, 50.0, "height of tabs", step=0.5)
    last_pass: float = length(0.0, 0.0, 5.0, "what is left for a last pass", step=0.1)
    last_way: str = choice("all round", "way of the last pass", LAST_WAYS)
    kerf_side: str = choice("by its depth", "side of the kerf", KERF_SIDES)
    kerf_marks: tuple[KerfMark, ...] = ()
    _: KW_ONLY
    kind: str = choice(THROUGH_CUT, "process", WORDS)


@dataclass(frozen=True)
class Perforation(Cut):
    cut: float = length(3.0, 0.1, 200.0, "cut")
    tie: float = length(0.8, 0.05, 50.0, "tie")
    leaves: str = choice("as dashes", "form in the file", LEAVES)
    _: KW_ONLY
    kind: str = choice("perforate", "process", WORDS)


@dataclass(frozen=True)
class Score(Making):
    scoring: str = choice("folds", "scoring", SCORES)
    _: KW_ONLY
    kind: str = choice("score", "process", WORDS)


@dataclass(frozen=True)
class Engraving(Making):
    fill: Fill = of_kinds(Fill(), "way of engraving", FILLS, _fill_type)
    _: KW_ONLY
    kind: str = choice("engrave", "process", WORDS)


@dataclass(frozen=True)
class Carving(Making):
    """A groove. deepest: mm below the surface, where its bottom stays flat; start: mm that it begins below it. up_to:
    id of another line of the layer; then what lies between is taken down, and what this line encloses stands with
    walls that lean: a plug. cutter: id of one in the machine's rack."""

    deepest: float = length(6.0, 0.05, 200.0, "deepest groove", step=0.5)
    start: float = length(0.0, 0.0, 100.0, "depth that it begins at", step=0.5)
    up_to: str = text("", 40, "line it carves up to", empty="within them")
    cutter: str = text("", 40, "cutter", empty="its pointed cutter")
    _: KW_ONLY
    kind: str = choice("carve", "process", WORDS)


@dataclass(frozen=True)
class Clearing(Making):
    """An area taken down. up_to: id of another line of the layer; then what lies between is cleared, and what this line
    encloses stands."""

    depth: float = length(3.0, 0.05, 200.0, "depth", step=0.5)
    up_to: str = text("", 40, "line it clears up to", empty="within them")
    way: str = choice("in rings", "way of clearing", WAYS_OF_CLEARING)
    meets: str = choice("conventional", "direction of cuts", WAYS_OF_MEETING)
    cutter: str = text("", 40, "cutter", empty="its flat cutter")
    _: KW_ONLY
    kind: str = choice("clear", "process", WORDS)


_FREEING: Mapping[str, type[Making]] = {PIECE: ThroughCut, BY_HAND: Perforation}
_TAKING: Mapping[str, type[Making]] = {SHAPE: Engraving, GROOVE: Carving, FLOOR: Clearing}
_OF_ITS_OWN: Mapping[str, type[Making]] = {"score": Score}


def making_type(process: str) -> type[Making]:
    """The type of a process: its own, where it has something of its own to be set, else that of all which free or take
    the same."""
    if process in _OF_ITS_OWN:
        return _OF_ITS_OWN[process]
    if parts(process):
        return _FREEING.get(frees(process), Cut)
    return _TAKING.get(takes(process), Making)


@dataclass(frozen=True)
class Line:
    """A rule that draws production geometry."""

    id: str
    source: Source = of_kinds(Source(), "source", SOURCES, _source_type)
    offset: Offset = Offset()
    process: Making = of_kinds(ThroughCut(), "process", WORDS, making_type)
    on: bool = flag(True, "line")
    name: str = text("", 60, "name", empty="no name")
    rank: int = count(1, 1, 9, "rank")

    @property
    def follows(self) -> str:
        """The id of the line that it follows, empty where it follows none."""
        return self.source.of if isinstance(self.source, AnotherLine) else ""

    @property
    def fill(self) -> Fill:
        """How it burns what it encloses."""
        return self.process.fill if isinstance(self.process, Engraving) else Fill()

    @property
    def open_ended(self) -> bool:
        """Whether it encloses nothing."""
        return self.source.kind in OPEN_SOURCES


def line_of(
    id: str, process: str = THROUGH_CUT, distance: float = 2.0, *, source: str = "the outer shape", **values: Any
) -> Line:
    """A line of two kinds by name; of ``values`` each goes where it counts. Raises TypeError for what counts nowhere in
    it."""

    def taken(kind: type[Any]) -> dict[str, Any]:
        return {own.name: values.pop(own.name) for own in fields(kind) if own.name in values}

    making = making_type(process)
    if making is Engraving:
        fill = values.pop("fill", "along the lines")
        values["fill"] = _fill_type(fill)(**{"kind": fill} | taken(_fill_type(fill)))
    follows = _source_type(source)
    return Line(
        id, follows(**{"kind": source} | taken(follows)), Offset(**{"distance": distance} | taken(Offset)),
        making(**{"kind": process} | taken(making)), **values,
    )  # fmt: skip
