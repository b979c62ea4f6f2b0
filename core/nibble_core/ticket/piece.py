"""What the ticket says of a piece: the elements it is composed of, its layers, and their production lines."""

from __future__ import annotations

from dataclasses import dataclass, field

from nibble_core.processes import WORDS
from nibble_core.things import NOTHING
from nibble_core.things import WORDS as THING_WORDS
from nibble_core.ticket.fields import angle, choice, colour, count, flag, length, share, text

CORNERS = {
    "round": "The corner is an arc as wide as the distance; it cannot snag.",
    "mitred": "The corner stays a point, cut off when it grows too long.",
    "bevelled": "The corner is cut straight across.",
}
PRINTS = {
    "the artwork": "The client's pixels without their background.",
    "the client’s pixels": "The client's file as it came, background and all.",
    "the client’s page": "A PDF's page whole, with its vectors, inks and fonts, within the cuts and their bleed.",
    "the shapes": "Traced shapes, text and simple shapes, in their colours.",
    "nothing": "The piece is only cut.",
}
KINDS = {
    "artwork": "A client's artwork, as it leaves Trace.",
    "text": "Words in a real font.",
    "simple shape": "A circle, a bar, a star.",
}
WAYS = {
    "joined": "One with what is there, wherever they meet.",
    "apart": "Its own shape, even where it lies on others.",
    "cut out": "Taken out of everything before it.",
    "common part": "Only what it shares with everything before it stays.",
}
ACROSS = {
    "centred": "Its middle over the other's middle.",
    "left edges": "Its left edge at the other's left edge.",
    "right edges": "Its right edge at the other's right edge.",
    "left of it": "Its right edge at the other's left edge.",
    "right of it": "Its left edge at the other's right edge.",
    "where it is": "At a distance from the top left corner of the piece.",
}
DOWN = {
    "centred": "Its middle at the other's middle.",
    "top edges": "Its top at the other's top.",
    "bottom edges": "Its foot at the other's foot.",
    "above it": "Its foot at the other's top.",
    "below it": "Its top at the other's foot.",
    "where it is": "At a distance from the top left corner of the piece.",
}
FONTS = {
    "sans": "Barlow: plain and clear.",
    "condensed": "Barlow Condensed: much in little width.",
    "serif": "Lora: with feet, for reading.",
    "slab": "Zilla Slab: with square feet.",
    "rounded": "Nunito: round ends, easy to cut.",
    "stencil": "Saira Stencil: its islands hang on by themselves.",
    "script": "Pacifico: joined brush letters.",
    "numerals": "Oswald: tall figures, all of one width.",
    "the shop’s own": "A font file that the shop has added.",
}
ALONG = {
    "a straight line": "Set straight.",
    "over a circle": "The baseline is a circle; read clockwise from outside.",
    "under a circle": "At the foot of a circle, read from left to right.",
}
FIGURES = {
    "circle": "As wide as said.",
    "ellipse": "As wide and high as said.",
    "ring": "A circle with a wall.",
    "rectangle": "With square corners.",
    "rounded rectangle": "With round corners.",
    "regular polygon": "Equal sides, a corner upward.",
    "star": "Points round a middle.",
    "line": "A straight bar of a thickness.",
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
HOLES = {
    "filled": "Only the outside counts.",
    "kept": "Holes large enough are cut as well.",
}
PLATES = {
    "no plate": "Inks only.",
    "white under the print": "White ink first, so that colours show on clear or dark stock.",
    "varnish over the print": "Clear ink over everything that prints.",
}
SCORES = {"folds": "It will be bent there.", "marks": "It is only drawn into the surface."}
LEAVES = {
    "as dashes": "Every dash is a line of its own in the file.",
    "as one plain line": "For machines that dash it themselves.",
}
TIE_PLACES = {
    "straight": "Where the line is straightest.",
    "hidden": "In recesses of the outline, where a stub does not show.",
}
FILLS = {
    "along the lines": "The beam follows the outlines: a hairline.",
    "by hatching": "Areas are filled with parallel strokes.",
    "by rings": "Areas are filled with contours set further and further in.",
    "as a picture": "The artwork's own tones, dot by dot or by power.",
}
HATCHINGS = {
    "both ways": "Every other stroke runs backward: the quickest.",
    "one way": "All strokes run forward: even edges on worn machines.",
    "crosswise": "Twice, the second time across the first.",
}
OUTLINE_PASSES = {
    "no outline pass": "Edges are the ends of strokes.",
    "an outline pass": "The beam follows the outlines last: smooth edges.",
}
RING_ORDERS = {"outer to inner": "From the edge inward.", "inner to outer": "From the middle outward."}
TONES = {
    "error diffusion": "Dots strewn by what earlier ones left over: finest.",
    "an ordered pattern": "A regular pattern of dots.",
    "halftone dots": "Round dots that grow with the tone, as in print.",
    "grey by power": "The beam burns weaker where it is lighter.",
}
INVERTED = {"as it is": "Dark is burnt.", "dark and light exchanged": "Light is burnt: for dark or mirrored material."}
KERF_SIDES = {
    "by its depth": "Outside an outline, inside a hole, outside an island in it, and so on.",
    "outside": "Always outside: what lies within keeps its size.",
    "inside": "Always inside: the opening keeps its size.",
    "on the line": "The middle of the beam runs on the line.",
}
CROSSINGS = {
    "keeps clear": "Led round other cuts that it would run across.",
    "may cross": "Runs where it would, across other cuts as well.",
}
HANGERS = {
    "no hanger": "It is not hung up.",
    "a loop": "A ring of material at the edge, with a hole.",
    "a plain hole": "A hole in the piece.",
}
STENCILS = {
    "a piece": "The shapes are what is made.",
    "a stencil": "The shapes are openings; islands in them are held by bridges.",
}
SHOWN = {
    "everything": "All shapes of the piece.",
    "chosen colours": "Only shapes of the colours chosen.",
    "chosen regions": "Only the regions chosen by clicks.",
}
MARKED = {
    "no alignment marks": "The layers are laid by eye.",
    "three triangles": "The same three triangles are cut in every layer.",
}


@dataclass(frozen=True)
class Anchor:
    """A place on the piece, as fractions of its box."""

    id: str
    x: float = share(0.0, "place", low=-1.0, high=2.0)
    y: float = share(0.0, "place", low=-1.0, high=2.0)


@dataclass(frozen=True)
class HoleMark:
    """A hole kept or filled by a click, at a place on the piece; a kept one may have a distance of its own."""

    id: str
    x: float = share(0.0, "place", low=-1.0, high=2.0)
    y: float = share(0.0, "place", low=-1.0, high=2.0)
    holes: str = choice("kept", "hole", HOLES)
    distance: float | None = length(None, -20.0, 50.0, "distance in this hole", auto="that of the line")


@dataclass(frozen=True)
class KerfMark:
    """A ring whose waste lies where a click said, at a place on the piece."""

    id: str
    x: float = share(0.0, "place", low=-1.0, high=2.0)
    y: float = share(0.0, "place", low=-1.0, high=2.0)
    side: str = choice("outside", "side of the kerf", KERF_SIDES)


@dataclass(frozen=True)
class Span:
    """Two places on the piece: a fold line, or a bridge."""

    id: str
    x: float = share(0.0, "place", low=-1.0, high=2.0)
    y: float = share(0.0, "place", low=-1.0, high=2.0)
    x2: float = share(0.0, "second place", low=-1.0, high=2.0)
    y2: float = share(0.0, "second place", low=-1.0, high=2.0)


@dataclass(frozen=True)
class Chosen:
    """A colour that counts, as shapes show it; a client's name for it, if it has one, must agree as well."""

    id: str
    colour: str = colour("#000000", "colour")
    named: str = text("", 120, "ink or layer", empty="any name")


@dataclass(frozen=True)
class Lettering:
    """A line of text. cap_height: of a flat capital. own_font: SHA-256 of the shop's own font file, or empty."""

    words: str = text("Text", 200, "words", shortest=1)
    font: str = choice("sans", "font", FONTS)
    own_font: str = text("", 64, "font file", empty="none")
    cap_height: float = length(10.0, 0.5, 2000.0, "height of capitals", step=0.5)
    spacing: float = length(0.0, -20.0, 100.0, "extra space between letters")
    along: str = choice("a straight line", "way of the words", ALONG)
    radius: float = length(40.0, 1.0, 5000.0, "radius of the circle", step=1.0)
    colour: str = colour("#22323a", "colour")


@dataclass(frozen=True)
class Figure:
    """A simple shape. See ``nibble_core.lines.figures.figure``."""

    kind: str = choice("circle", "shape", FIGURES)
    width: float = length(40.0, 0.1, 5000.0, "width", step=1.0)
    height: float = length(20.0, 0.1, 5000.0, "height", step=1.0)
    radius: float = length(4.0, 0.0, 1000.0, "corner radius", step=0.5)
    count: int = count(5, 3, 60, "corners")
    wall: float = length(5.0, 0.1, 1000.0, "wall", step=0.5)
    depth: float = share(0.5, "inner radius", low=0.05, high=0.95)
    colour: str = colour("#f6e7cb", "colour")


@dataclass(frozen=True)
class Element:
    """One part of a piece, at a place beside another (the first unless said), joined with all before it in some way."""

    id: str
    artwork: str = text("", 40, "artwork")
    kind: str = choice("artwork", "element", KINDS)
    lettering: Lettering = field(default_factory=Lettering)
    figure: Figure = field(default_factory=Figure)
    way: str = choice("joined", "way of joining", WAYS)
    widen: float = length(0.0, 0.0, 50.0, "widening")
    beside: str = text("", 40, "element beside it", empty="the first")
    across: str = choice("where it is", "place across", ACROSS)
    down: str = choice("where it is", "place down", DOWN)
    x: float = length(0.0, -5000.0, 5000.0, "shift to the right", step=0.5)
    y: float = length(0.0, -5000.0, 5000.0, "shift down", step=0.5)
    turn: float = angle(0.0, "turn")
    scale: float = share(1.0, "scale", low=0.01, high=100.0)
    columns: int = count(1, 1, 50, "number across")
    rows: int = count(1, 1, 50, "number down")
    gap: float = length(3.0, 0.0, 500.0, "space between", step=0.5)


@dataclass(frozen=True)
class Line:
    """A rule that draws production geometry. Which values count depends on its source and process."""

    id: str
    process: str = choice("through cut", "process", WORDS)
    distance: float = length(2.0, -20.0, 200.0, "distance")
    corners: str = choice("round", "corners", CORNERS)
    mitre_limit: float = share(2.0, "mitre limit", low=1.0, high=10.0)
    close_gaps: float = length(1.5, 0.0, 100.0, "gaps closed")
    on: bool = flag(True, "line")
    name: str = text("", 60, "name", empty="no name")
    rank: int = count(1, 1, 9, "rank")
    source: str = choice("the outer shape", "source", SOURCES)
    of: str = text("", 40, "what it follows", empty="nothing")
    surround: str = choice("rectangle", "shape round it", SURROUNDS)
    radius: float = length(5.0, 0.0, 500.0, "corner radius", step=0.5)
    colours: tuple[Chosen, ...] = ()
    regions: tuple[Anchor, ...] = ()
    folds: tuple[Span, ...] = ()
    join_islands: float = length(0.0, 0.0, 100.0, "islands joined")
    holes: str = choice("filled", "holes", HOLES)
    smallest_hole: float = length(4.0, 0.0, 100.0, "smallest hole")
    hole_distance: float | None = length(None, -20.0, 50.0, "distance in holes", auto="the same distance")
    hole_marks: tuple[HoleMark, ...] = ()
    inside_radius: float = length(0.0, 0.0, 50.0, "smallest inside radius")
    smooth: float = length(0.0, 0.0, 2.0, "smoothing", step=0.01)
    smallest: float = length(0.0, 0.0, 50.0, "smallest part")
    crossings: str = choice("keeps clear", "way past other cuts", CROSSINGS)
    clearance: float = length(0.5, 0.05, 50.0, "distance from other cuts")
    cut: float = length(3.0, 0.1, 200.0, "cut")
    tie: float = length(0.8, 0.05, 50.0, "tie")
    leaves: str = choice("as dashes", "form in the file", LEAVES)
    scoring: str = choice("folds", "scoring", SCORES)
    ties: int = count(0, 0, 200, "ties")
    tie_spacing: float = length(0.0, 0.0, 2000.0, "spacing of ties", step=5.0)
    tie_width: float = length(0.5, 0.05, 20.0, "width of ties")
    tie_places: str = choice("straight", "places of ties", TIE_PLACES)
    tie_marks: tuple[Anchor, ...] = ()
    fill: str = choice("along the lines", "way of engraving", FILLS)
    interval: float = length(0.1, 0.02, 20.0, "interval", step=0.01)
    hatch_angle: float = angle(0.0, "direction of strokes")
    hatching: str = choice("both ways", "way of hatching", HATCHINGS)
    rings: str = choice("outer to inner", "order of rings", RING_ORDERS)
    outline: str = choice("no outline pass", "outline pass", OUTLINE_PASSES)
    tones: str = choice("error diffusion", "tones", TONES)
    screen: float = length(0.8, 0.1, 20.0, "width of the screen", step=0.1)
    screen_angle: float = angle(45.0, "angle of the screen")
    contrast: float = share(0.0, "contrast", low=-1.0, high=0.99)
    sharpness: float = share(0.0, "sharpness", high=5.0)
    curve: float = share(1.0, "curve of the material", low=0.1, high=10.0)
    inverted: str = choice("as it is", "tones", INVERTED)
    kerf_side: str = choice("by its depth", "side of the kerf", KERF_SIDES)
    kerf_marks: tuple[KerfMark, ...] = ()


@dataclass(frozen=True)
class Layer:
    """The part of a piece made from one stock. The first of a piece lies lowest."""

    id: str
    prints: str = choice("the artwork", "print", PRINTS)
    lines: tuple[Line, ...] = ()
    name: str = text("", 60, "layer", empty="the layer")
    bleed: float = length(0.0, 0.0, 50.0, "bleed")
    plate: str = choice("no plate", "plate", PLATES)
    plate_spread: float = length(-0.2, -5.0, 5.0, "spread of the plate", step=0.05)
    cutting_error: float = length(0.3, 0.0, 10.0, "cutting error")
    shows: str = choice("everything", "shapes", SHOWN)
    colours: tuple[Chosen, ...] = ()
    regions: tuple[Anchor, ...] = ()
    overlap: float = length(0.0, 0.0, 20.0, "overlap")


@dataclass(frozen=True)
class Hanger:
    """How a piece is hung up; ``place``: its hole, by hand, instead of straight above the balance point."""

    kind: str = choice("no hanger", "hanger", HANGERS)
    diameter: float = length(4.0, 0.5, 100.0, "hole", step=0.5)
    wall: float = length(2.5, 0.2, 100.0, "wall", step=0.5)
    place: tuple[Anchor, ...] = ()


@dataclass(frozen=True)
class Stencil:
    """Whether the shapes are openings, and the bridges that hold their islands; ``bridges``: by hand, instead of those
    proposed."""

    kind: str = choice("a piece", "made as", STENCILS)
    width: float = length(1.5, 0.1, 50.0, "width of bridges")
    count: int = count(2, 1, 6, "bridges to each island")
    bridges: tuple[Span, ...] = ()


@dataclass(frozen=True)
class Origin:
    """The job that a piece was brought from: its number, its revision then, the piece's id there, its name."""

    job: int = count(0, 0, 2_000_000_000, "job")
    revision: int = count(1, 0, 2_000_000_000, "revision")
    piece: str = text("", 40, "piece", shortest=1)
    called: str = text("", 120, "job's name")


@dataclass(frozen=True)
class Piece:
    """One thing to be made, and how often."""

    id: str
    name: str = text("piece", 80, "name", shortest=1)
    quantity: int = count(1, 1, 100_000, "quantity")
    elements: tuple[Element, ...] = ()
    layers: tuple[Layer, ...] = ()
    hanger: Hanger = field(default_factory=Hanger)
    stencil: Stencil = field(default_factory=Stencil)
    alignment: str = choice("no alignment marks", "alignment", MARKED)
    mark_size: float = length(5.0, 1.0, 50.0, "size of alignment marks", step=0.5)
    mark_gap: float = length(4.0, 0.0, 100.0, "distance of alignment marks", step=0.5)
    origin: tuple[Origin, ...] = ()
    thing: str = choice(NOTHING, "what it goes on", THING_WORDS)
    thing_colour: str = colour("#2d4a63", "colour of what it goes on")
    thing_down: float | None = length(None, -1000.0, 1000.0, "distance on it", step=5.0, auto="the usual distance")
