"""What the ticket says of a client's artwork: its size, how it is cleaned and traced, and corrections by hand."""

from __future__ import annotations

from dataclasses import dataclass, field

from nibble_core.ticket.fields import choice, count, digest, length, numbers, share, text

SIZED_BY = {
    "wide": "The width is given; the height follows.",
    "high": "The height is given; the width follows.",
    "of its own size": "As large as the client's file says, or a share of that.",
}
TURNS = {
    "upright": "As it came in.",
    "a quarter right": "Turned clockwise by a quarter.",
    "half round": "Upside down.",
    "a quarter left": "Turned counter-clockwise by a quarter.",
}
FACINGS = {"as it is": "Left is left.", "mirrored": "Left and right are exchanged."}
UNITS = {
    "as the file says": "The file states its unit.",
    "mm": "Its numbers are millimetres.",
    "cm": "Its numbers are centimetres.",
    "in": "Its numbers are inches.",
    "pt": "Its numbers are points, 72 to the inch.",
}
BACKGROUNDS = {
    "by itself": "Nibble looks: a see-through picture stays as it is, a plain border is taken away.",
    "flood": "Everything that touches the border and is like it goes.",
    "places": "Everything connected to the places you click goes.",
    "one colour": "One colour goes wherever it is: that of the first place clicked, or the border's.",
    "subject": "What stands in the middle stays; all else goes. Correct it with strokes.",
    "see-through": "The picture's own see-through parts are trusted.",
    "keep": "Nothing is taken away.",
}
CALMING = {
    "off": "Pixels stay as they are.",
    "light": "Takes JPEG noise out of flat areas; edges and corners stay.",
    "strong": "For badly saved pictures; the finest lines soften a little.",
}
SQUARES = {
    "single pixels": "A picture enlarged without smoothing is taken at the size it was made.",
    "squares": "They are meant: a code, or art made of squares.",
}
BLENDS = {
    "its true pixels": "What lies between the pixels it was enlarged from is left out.",
    "all pixels": "As it came: it was not enlarged, or what was made of it shall stay.",
}
TONES = {
    "none": "Colours stay as they are.",
    "solid shadows": "Dark and light only, in smooth solid shapes.",
    "bands": "A few even tones from dark to light.",
    "line-like edges": "Shadows, with the edges drawn in as lines.",
}
PIECES = {
    "any number of pieces": "As many as the picture has.",
    "one piece": "Islands are dropped and gaps bridged, so that film or stencil stays whole.",
}
STROKES = {
    "rub out": "What is under the brush goes.",
    "bring back": "What the client sent comes back under the brush.",
    "lasso out": "Everything inside the loop goes.",
    "subject": "This belongs to the subject.",
    "not subject": "This does not belong to the subject.",
}
MODES = {
    "two-tone": "Everything darker than the threshold becomes a shape; holes stay holes.",
    "outer": "Only the outside edge of the drawing, filled.",
    "colours": "Areas of flat colour that share their edges without a gap.",
    "centre-lines": "The middle of every drawn line, with its width.",
    "panes": "What drawn lines enclose, to the middle of the lines, so that panes meet: glass, appliqué, inlay.",
    "paths": "The client's own paths, as they are.",
}
PAPER = {"left out": "Areas in the paper's colour are no shapes.", "kept": "Paper-coloured areas are shapes as well."}
PATH_STROKES = {
    "outlines": "A stroke becomes the area it covers.",
    "lines": "A stroke stays a line with a width.",
}
EDGES = {
    "both edges": "Every drawn line is a shape with an outside and an inside.",
    "outer edge": "A drawn line counts as far as its outside; what it encloses is filled.",
    "inner edge": "Only what drawn lines enclose.",
}
MAKINGS = {
    "as its pixels tell": "How its edges were made is told from its pixels; outlines are no truer than that allows.",
    "mixed in grey": "An edge lies half-way between the levels of its two sides.",
    "mixed in light": "An edge lies half-way between the light of its two sides, as with greys mixed in linear light.",
    "every step is meant": "Outlines follow each step and ripple of the pixels.",
}
CORNERS = {
    "rounded": "Only the sharpest corners stay corners.",
    "true": "Corners are where the drawing has them.",
    "sharp": "Slight bends become corners, too.",
}
SAME_INK = 0.04
"""Of a channel's range: colours that differ by less are one ink."""
TOUCHES = {
    "drop": "This region goes.",
    "keep": "This region stays.",
    "fill hole": "This hole is filled.",
    "open hole": "This filled hole is open again.",
    "rub out": "What is under the eraser goes.",
    "fill in": "What is under the filler becomes part of the shape.",
    "join": "Two regions become one, by a bridge between the two places.",
    "straighten": "The edge between the two places becomes a straight line.",
    "smooth": "The edge between the two places becomes one smooth curve.",
    "arc": "The edge between the two places becomes a circular arc.",
    "circle": "This region becomes a true circle.",
    "ellipse": "This region becomes a true ellipse.",
    "outline": "This region has an outline set by hand, node by node.",
}
ALIKE = {
    "only this": "Only the region at this place.",
    "of this colour": "Every region of about this colour.",
    "of this size": "Every region of about this size.",
}


@dataclass(frozen=True)
class TouchUp:
    """A correction by hand, anchored in the artwork.

    x, y and x2, y2: fractions of the upright uncropped picture. colour: seen there. size: the region's share of the
    picture's area. points: the way of an eraser or filler, x and y in turn, as fractions. width: of that, in mm.
    outline: SVG path data in thousandths of the picture's width, for a pinned region.
    """

    id: str
    kind: str = choice("drop", "touch-up", TOUCHES)
    x: float = share(0.0, "place")
    y: float = share(0.0, "place")
    x2: float = share(0.0, "second place")
    y2: float = share(0.0, "second place")
    colour: tuple[int, int, int] = (0, 0, 0)
    size: float = share(0.0, "size")
    alike: str = choice("only this", "reach", ALIKE)
    width: float = length(1.0, 0.05, 200.0, "width")
    points: tuple[float, ...] = numbers(4000, "way")
    outline: str = text("", 60_000, "outline")


@dataclass(frozen=True)
class Place:
    """A place in the picture, as fractions of it, upright and uncropped."""

    id: str
    x: float = share(0.0, "place")
    y: float = share(0.0, "place")


@dataclass(frozen=True)
class BrushStroke:
    """A stroke over the picture. points: x and y in turn, as fractions; width: of the brush, in mm."""

    id: str
    kind: str = choice("rub out", "stroke", STROKES)
    width: float = length(4.0, 0.1, 500.0, "brush")
    points: tuple[float, ...] = numbers(4000, "way")


@dataclass(frozen=True)
class Clean:
    """In this order: squares and blends, calm, background, strokes as they were made, specks, tones."""

    squares: str = choice("single pixels", "squares of equal pixels", SQUARES)
    blends: str = choice("its true pixels", "pixels of a picture enlarged smoothly", BLENDS)
    calm: str = choice("off", "calming", CALMING)
    background: str = choice("by itself", "background", BACKGROUNDS)
    tolerance: float = share(0.1, "tolerance", low=0.0, high=0.6)
    places: tuple[Place, ...] = ()
    strokes: tuple[BrushStroke, ...] = ()
    specks: float = length(0.0, 0.0, 50.0, "specks taken away")
    tones: str = choice("none", "tones", TONES)
    tone_count: int = count(3, 2, 8, "number of tones")
    tone_threshold: float | None = share(None, "threshold of the shadows", low=0.01, high=0.99, auto="as found")
    tone_darkness: float = share(0.0, "darkness", low=-1.0, high=1.0)
    line_strength: float = share(0.5, "strength of the lines")
    line_detail: float = share(0.5, "detail of the lines")
    pieces: str = choice("any number of pieces", "pieces", PIECES)


@dataclass(frozen=True)
class Recolour:
    """A flat colour that is shown and cut as another one; two colours made the same are merged."""

    id: str
    colour: tuple[int, int, int] = (0, 0, 0)
    to: tuple[int, int, int] = (0, 0, 0)


@dataclass(frozen=True)
class Area:
    """A box of the picture that alone is traced: two corners, as fractions of it, upright and uncropped."""

    id: str
    x: float = share(0.0, "place")
    y: float = share(0.0, "place")
    x2: float = share(1.0, "second place")
    y2: float = share(1.0, "second place")


@dataclass(frozen=True)
class Trace:
    mode: str = choice("two-tone", "tracing", MODES)
    threshold: float | None = share(None, "threshold", low=0.01, high=0.99, auto="as suggested")
    lightest: float | None = share(None, "lightest tone left out", low=0.0, high=0.98, auto="nothing")
    colours: int | None = count(None, 2, 24, "number of colours", auto="as many as it has")
    recolours: tuple[Recolour, ...] = ()
    paper: str = choice("left out", "paper colour", PAPER)
    strokes: str = choice("outlines", "strokes", PATH_STROKES)
    same_ink: float = share(SAME_INK, "difference of colours that are one ink", high=0.5)
    edges: str = choice("both edges", "edges of drawn lines", EDGES)
    making: str = choice("as its pixels tell", "how its edges were made", MAKINGS)
    corners: str = choice("true", "corners", CORNERS)
    smooth: float = share(0.0, "smoothing")
    deviation: float | None = length(None, 0.005, 5.0, "largest deviation", step=0.01, auto="what the pixels allow")
    smallest: float = length(0.5, 0.0, 50.0, "smallest part")
    smallest_hole: float = length(0.0, 0.0, 50.0, "smallest hole")
    overlap: float = length(0.0, 0.0, 10.0, "overlap of colours")
    areas: tuple[Area, ...] = ()


@dataclass(frozen=True)
class Frame:
    """The part of the upright picture that is used: shares cut off on each side."""

    left: float = share(0.0, "cut off on the left", high=0.95)
    top: float = share(0.0, "cut off at the top", high=0.95)
    right: float = share(0.0, "cut off on the right", high=0.95)
    bottom: float = share(0.0, "cut off at the bottom", high=0.95)


@dataclass(frozen=True)
class Artwork:
    """A client's file and what is done to it before lines are drawn.

    ``width`` and ``height``: finished, of the part that is used; which of them counts says ``sized_by``. part: a page,
    a picture within or a file of a zip. wordless: places that look like lettering and are none.
    """

    id: str
    file: str = digest()
    name: str = text("artwork", 200, "file name", shortest=1)
    part: str = text("", 300, "part of the file", empty="all of it")
    unit: str = choice("as the file says", "unit", UNITS)
    sized_by: str = choice("wide", "size", SIZED_BY)
    width: float = length(100.0, 1.0, 20_000.0, "finished width", step=1.0)
    height: float = length(100.0, 1.0, 20_000.0, "finished height", step=1.0)
    scale: float = share(1.0, "scale", low=0.01, high=100.0)
    stretch: float = share(1.0, "width against height", low=0.2, high=5.0)
    turn: str = choice("upright", "turn", TURNS)
    facing: str = choice("as it is", "facing", FACINGS)
    crop: Frame = field(default_factory=Frame)
    source: str = text("", 200, "where it came from", empty="not said yet")
    allowed_by: str = text("", 200, "who allowed its use", empty="not said yet")
    clean: Clean = field(default_factory=Clean)
    trace: Trace = field(default_factory=Trace)
    touch_ups: tuple[TouchUp, ...] = ()
    wordless: tuple[Place, ...] = ()
