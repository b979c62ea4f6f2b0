"""What the ticket says of a production line."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from nibble_core.ticket.line import (
    ITSELF,
    AnotherLine,
    AreaFill,
    Carving,
    ChosenColours,
    ChosenRegions,
    Clearing,
    Cut,
    Engraving,
    Fill,
    FoldLines,
    Hatching,
    Line,
    OneElement,
    Perforation,
    Picture,
    Rings,
    Score,
    Surround,
    ThroughCut,
)
from nibble_core.ticket.saying import Parts, Sentence, Slot, item_slot, slot


def line_name(line: Line) -> str:
    """What other sentences call a line."""
    return f"{line.process.kind} “{line.name}”" if line.name else line.process.kind


def line_sentences(here: str, line: Line, others: Mapping[str, str], elements: Mapping[str, str]) -> Iterable[Sentence]:
    """The line's own sentence, and one for everything set on it by hand. here: its path. others, elements: what it can
    follow, names by id."""
    made, fill = line.process, line.fill
    process: Parts = (slot(here, line, "process"),)
    if isinstance(made, Score):
        process = (*process, " that ", slot(f"{here}/process", made, "scoring"))
    source = _source(here, line, others, elements)
    more = _more(here, line)
    if line.open_ended:
        parts: Parts = (*process, " along ", *source, *_marked(here, line))
    elif as_they_are(line) and (isinstance(fill, AreaFill) or isinstance(made, Carving | Clearing)):
        parts = (*process, " ", *source, *((" ", *_filled(here, fill)) if isinstance(fill, AreaFill) else ()))
        more = (*more, " Its edge lies ", slot(f"{here}/offset", line.offset, "distance"), " outside them.")
    else:
        where = " outside " if line.offset.distance > 0 else " from "  # a minus says that it lies inside
        distance = slot(f"{here}/offset", line.offset, "distance")
        parts = (*process, " ", distance, where, *source, *_offset(here, line), *_marked(here, line))
        if isinstance(made, Engraving):
            parts = (*parts, " " if as_they_are(line) else ", ", *_filled(here, fill))
    if not line.open_ended:
        more = (*more, *_fill_more(here, fill))
    if isinstance(made, Carving | Clearing):
        parts = (*parts, *_down(here, made, others))
    if isinstance(made, Clearing):
        more = (*more, " Its edges are ", slot(f"{here}/process", made, "meets"), " cuts.")
    yield Sentence(line.id, "lines", (*parts, "."), more, made.kind, here, line.on)
    yield from _by_hand(here, line)


def _down(here: str, made: Carving | Clearing, others: Mapping[str, str]) -> Parts:
    """How deep a groove or a clearing goes, and how it is made."""
    at = f"{here}/process"
    if isinstance(made, Carving):
        around = item_slot(f"{at}/up_to", made.up_to, "line it carves up to", others, "within them")
        between: Parts = (", all round them up to ", around) if made.up_to else ()
        parts: Parts = (*between, ", at most ", slot(at, made, "deepest"), " deep")
        return (*parts, ", beginning ", slot(at, made, "start"), " down") if made.start else parts
    area = item_slot(f"{at}/up_to", made.up_to, "line it clears up to", others, "within them")
    between = (", all round them up to ", area) if made.up_to else (", ", area)
    return (*between, ", ", slot(at, made, "depth"), " deep, ", slot(at, made, "way"))


def as_they_are(line: Line) -> bool:
    """Whether a line runs along shapes themselves."""
    return line.source.kind in ITSELF and not line.offset.distance


def _source(here: str, line: Line, others: Mapping[str, str], elements: Mapping[str, str]) -> Parts:
    source, at = line.source, f"{here}/source"
    parts: Parts = (slot(here, line, "source"),)
    match source:
        case Surround(surround="rounded rectangle" | "smooth hull"):
            radius = slot(at, source, "radius")
            return (*parts, " (", slot(at, source, "surround"), ", corners of ", radius, ") round the piece")
        case Surround():
            return (*parts, " (", slot(at, source, "surround"), ") round the piece")
        case AnotherLine(of=of):
            return (*parts, ", ", item_slot(f"{at}/of", of, "line it follows", others, "no line"))
        case OneElement(of=of):
            return (*parts, ", ", item_slot(f"{at}/of", of, "element it follows", elements, "none yet"))
        case ChosenColours(colours=colours):
            return (*parts, f" ({', '.join(one.named or one.colour for one in colours) or 'none yet'})")
        case ChosenRegions(regions=chosen) | FoldLines(folds=chosen):
            return (*parts, f" ({len(chosen) or 'none yet'})")
    return parts


def _offset(here: str, line: Line) -> Parts:
    offset, at = line.offset, f"{here}/offset"
    if as_they_are(line):
        return (", as it is" if line.source.kind == "the rest" else ", as they are",)
    plain = _plain(line)
    parts: Parts = ()
    if not plain:
        corners, gaps = slot(at, offset, "corners"), slot(at, offset, "close_gaps")
        parts = (" with ", corners, " corners, closing gaps under ", gaps)
    parts = (*parts, ", holes ", slot(at, offset, "holes"))
    if offset.holes == "kept" and (offset.smallest_hole or not plain):
        parts = (*parts, " over ", slot(at, offset, "smallest_hole"))
    return parts


def _plain(line: Line) -> bool:
    """Whether nothing is moved, so that corners and gaps stay as they are."""
    return not line.offset.distance and not line.offset.close_gaps


def _marked(here: str, line: Line) -> Parts:
    """Dashes and ties."""
    made, at = line.process, f"{here}/process"
    if isinstance(made, Perforation):
        return (", ", slot(at, made, "cut"), " cut and ", slot(at, made, "tie"), " tie")
    if isinstance(made, ThroughCut) and made.ties:
        return (", held by ", slot(at, made, "ties"), " ties of ", slot(at, made, "tie_width"))
    return ()


def _filled(here: str, fill: Fill) -> Parts:
    parts: Parts = (slot(f"{here}/process", Engraving(fill=fill), "fill"),)
    if not isinstance(fill, AreaFill):
        return parts
    return (*parts, ", ", slot(f"{here}/process/fill", fill, "interval"), " apart")


def _fill_more(here: str, fill: Fill) -> Parts:
    at = f"{here}/process/fill"
    match fill:
        case Hatching():
            run: Parts = (" Strokes run at ", slot(at, fill, "hatch_angle"), ", ", slot(at, fill, "hatching"), ", ",
                          slot(at, fill, "grain"), ".")  # fmt: skip
            return (*run, " Behind it comes ", slot(at, fill, "outline"), ".")
        case Rings():
            return (" Rings run ", slot(at, fill, "rings"), ". Behind it comes ", slot(at, fill, "outline"), ".")
        case Picture():
            screen: Parts = ()
            if fill.tones == "halftone dots":
                screen = (", ", slot(at, fill, "screen"), " wide at ", slot(at, fill, "screen_angle"))
            return (
                " Its tones are ", slot(at, fill, "tones"), *screen, ", ", slot(at, fill, "inverted"), "; contrast ",
                slot(at, fill, "contrast"), ", sharpness ", slot(at, fill, "sharpness"), ", the material's curve ",
                slot(at, fill, "curve"), "; strokes run ", slot(at, fill, "hatching"), ".",
            )  # fmt: skip
    return ()


def _more(here: str, line: Line) -> Parts:
    made, at = line.process, f"{here}/process"
    more: Parts = ("Called ", slot(here, line, "name"), "; number ", slot(here, line, "rank"), " of its process. ")
    if isinstance(made, Perforation):
        more = (*more, "It leaves ", slot(at, made, "leaves"), ". ")
    if isinstance(made, ThroughCut):
        more = (
            *more, "Ties: ", slot(at, made, "ties"), ", or one every ", slot(at, made, "tie_spacing"), ", ",
            slot(at, made, "tie_width"), " wide, on ", slot(at, made, "tie_places"), " stretches. ",
        )  # fmt: skip
        more = (*more, "A cutter leaves tabs ", slot(at, made, "tab_height"), " high, and ",
                slot(at, made, "last_pass"), " for a last pass at full depth")  # fmt: skip
        more = (*more, *((", run ", slot(at, made, "last_way")) if made.last_pass else ()), ". ")
    if isinstance(made, Carving):
        more = (*more, "It begins ", slot(at, made, "start"), " below the surface. ")
    return more if line.open_ended else (*more, *_offset_more(here, line))


def _offset_more(here: str, line: Line) -> Parts:
    made, offset, at = line.process, line.offset, f"{here}/offset"
    more: Parts = ()
    if _plain(line) and not as_they_are(line):
        more = ("Its corners are ", slot(at, offset, "corners"), "; gaps under ", slot(at, offset, "close_gaps"),
                " are closed; holes under ", slot(at, offset, "smallest_hole"), " filled. ")  # fmt: skip
    more = (*more, "Islands closer than ", slot(at, offset, "join_islands"),
            " are joined; inside corners are rounded to at least ",
            slot(at, offset, "inside_radius"), "; parts under ", slot(at, offset, "smallest"),
            " are left out; the line is smoothed by up to ", slot(at, offset, "smooth"), ".")  # fmt: skip
    if isinstance(made, Cut):
        more = (*more, " Where it meets other cuts it ", slot(f"{here}/process", made, "crossings"))
        if made.crossings == "keeps clear":
            more = (*more, " by ", slot(f"{here}/process", made, "clearance"))
        more = (*more, ".")
    if isinstance(made, ThroughCut):
        more = (*more, " The kerf of a beam or torch lies ", slot(f"{here}/process", made, "kerf_side"), ".")
    if offset.holes == "kept":
        more = (*more, " In holes ", slot(at, offset, "hole_distance"), ".")
    if offset.corners == "mitred":
        more = (*more, " Points are cut off beyond ", slot(at, offset, "mitre_limit"), " of the distance.")
    return more


def _by_hand(here: str, line: Line) -> Iterable[Sentence]:
    def said(group: str, id: str, *parts: str | Slot) -> Sentence:
        return Sentence(id, "lines", parts, owner=f"{here}/{group}/{id}")

    if isinstance(line.source, ChosenColours):
        for one in line.source.colours:
            yield said("source/colours", one.id, f"Colour {one.colour}.")
    if isinstance(line.source, ChosenRegions):
        for place in line.source.regions:
            yield said("source/regions", place.id, "A region chosen by hand.")
    if isinstance(line.source, FoldLines):
        for fold in line.source.folds:
            yield said("source/folds", fold.id, "A fold line.")
    for hole in line.offset.hole_marks:
        own: Parts = ()
        if hole.holes == "kept":
            own = (" Its distance: ", slot(f"{here}/offset/hole_marks/{hole.id}", hole, "distance"), ".")
        yield said("offset/hole_marks", hole.id, f"A hole {hole.holes} by hand.", *own)
    if isinstance(line.process, ThroughCut):
        for tie in line.process.tie_marks:
            yield said("process/tie_marks", tie.id, "A tie set by hand.")
        for mark in line.process.kerf_marks:
            yield said("process/kerf_marks", mark.id, f"A line whose waste lies {mark.side}, said by hand.")
