"""What the ticket says of a piece: the elements it is composed of, its layers, and their production lines."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import KW_ONLY, dataclass, field

from nibble_core.ticket.fields import angle, choice, colour, count, length, of_kinds, share, text
from nibble_core.ticket.goods import GOODS, Goods, type_of_goods
from nibble_core.ticket.line import Line
from nibble_core.ticket.places import Anchor, Chosen, Span

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
    "many scripts": "DejaVu Sans: Greek and Cyrillic as well.",
    "the shop’s own": "A font file that the shop has added.",
}
STRAIGHT = "a straight line"
ALONG = {
    STRAIGHT: "Set straight.",
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
PLATES = {
    "no plate": "Inks only.",
    "white under the print": "White ink first, so that colours show on clear or dark stock.",
    "varnish over the print": "Clear ink over everything that prints.",
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
class Content:
    """What an element shows. Each kind is a type with its own values."""

    kind: str


@dataclass(frozen=True)
class FromArtwork(Content):
    """A client's artwork, by its id."""

    artwork: str = text("", 40, "artwork")
    _: KW_ONLY
    kind: str = choice("artwork", "element", KINDS)


@dataclass(frozen=True)
class Lettering(Content):
    """A line of text. cap_height: of a flat capital. own_font: SHA-256 of the shop's own font file, or empty. radius:
    of the baseline where it is a circle; None for one that clears what the words stand beside."""

    words: str = text("Text", 200, "words", shortest=1)
    font: str = choice("sans", "font", FONTS)
    own_font: str = text("", 64, "font file", empty="none")
    cap_height: float = length(10.0, 0.5, 2000.0, "height of capitals", step=0.5)
    spacing: float = length(0.0, -20.0, 100.0, "extra space between letters")
    along: str = choice(STRAIGHT, "way of the words", ALONG)
    radius: float | None = length(None, 1.0, 5000.0, "radius of the circle", step=1.0, auto="just clear of it")
    colour: str = colour("#22323a", "colour")
    _: KW_ONLY
    kind: str = choice("text", "element", KINDS)


@dataclass(frozen=True)
class Figure(Content):
    """A simple shape. See ``nibble_core.lines.figures.figure``."""

    figure: str = choice("circle", "shape", FIGURES)
    width: float = length(40.0, 0.1, 5000.0, "width", step=1.0)
    height: float = length(20.0, 0.1, 5000.0, "height", step=1.0)
    radius: float = length(4.0, 0.0, 1000.0, "corner radius", step=0.5)
    count: int = count(5, 3, 60, "corners")
    wall: float = length(5.0, 0.1, 1000.0, "wall", step=0.5)
    depth: float = share(0.5, "inner radius", low=0.05, high=0.95)
    colour: str = colour("#f6e7cb", "colour")
    _: KW_ONLY
    kind: str = choice("simple shape", "element", KINDS)


_CONTENTS: Mapping[str, type[Content]] = {"artwork": FromArtwork, "text": Lettering, "simple shape": Figure}


@dataclass(frozen=True)
class Element:
    """One part of a piece, at a place beside another (the first unless said), joined with all before it in some way."""

    id: str
    content: Content = of_kinds(FromArtwork(), "element", KINDS, _CONTENTS.__getitem__)
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

    @property
    def artwork(self) -> str:
        """The id of its artwork, empty where it shows none."""
        return self.content.artwork if isinstance(self.content, FromArtwork) else ""


@dataclass(frozen=True)
class Plate:
    """What is printed below or above the inks: nothing."""

    _: KW_ONLY
    kind: str = choice("no plate", "plate", PLATES)


@dataclass(frozen=True)
class SpotPlate(Plate):
    """White or varnish, wherever anything prints. plate_spread: beyond that; a minus chokes it."""

    plate_spread: float = length(-0.2, -5.0, 5.0, "spread of the plate", step=0.05)
    _: KW_ONLY
    kind: str = choice("white under the print", "plate", PLATES)


@dataclass(frozen=True)
class Prints:
    """What a layer prints: nothing."""

    _: KW_ONLY
    kind: str = choice("nothing", "print", PRINTS)


@dataclass(frozen=True)
class Printed(Prints):
    """Pixels, a page or shapes, and how far they go on beyond the cut."""

    bleed: float = length(0.0, 0.0, 50.0, "bleed")
    cutting_error: float = length(0.3, 0.0, 10.0, "cutting error")
    plate: Plate = of_kinds(Plate(), "plate", PLATES, lambda kind: Plate if kind == "no plate" else SpotPlate)
    _: KW_ONLY
    kind: str = choice("the artwork", "print", PRINTS)


def prints_of(kind: str, bleed: float = 0.0) -> Prints:
    return Prints() if kind == "nothing" else Printed(bleed, kind=kind)


@dataclass(frozen=True)
class Layer:
    """The part of a piece made from one stock. The first of a piece lies lowest."""

    id: str
    prints: Prints = of_kinds(Printed(), "print", PRINTS, lambda kind: Prints if kind == "nothing" else Printed)
    lines: tuple[Line, ...] = ()
    name: str = text("", 60, "layer", empty="the layer")
    shows: str = choice("everything", "shapes", SHOWN)
    colours: tuple[Chosen, ...] = ()
    regions: tuple[Anchor, ...] = ()
    overlap: float = length(0.0, 0.0, 20.0, "overlap")

    @property
    def bleed(self) -> float:
        """mm that its print goes on beyond the cut."""
        return self.prints.bleed if isinstance(self.prints, Printed) else 0.0

    @property
    def plate(self) -> SpotPlate | None:
        """Its white or varnish, if it has one."""
        own = self.prints.plate if isinstance(self.prints, Printed) else None
        return own if isinstance(own, SpotPlate) else None


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
    goods: Goods = of_kinds(Goods(), "what it goes on", GOODS, type_of_goods)
