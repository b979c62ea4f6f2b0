"""What the ticket says at Lines: how a piece is composed, what is printed, and every production line."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from nibble_core.processes import parts as parts_material
from nibble_core.things import THINGS
from nibble_core.ticket.piece import ITSELF, OPEN_SOURCES, Element, Layer, Line, Piece
from nibble_core.ticket.saying import Choice, Sentence, Slot, slot

Parts = tuple[str | Slot, ...]


def piece_sentences(piece: Piece, artworks: Mapping[str, str]) -> Iterable[Sentence]:
    """In the order in which a piece is made. ``artworks``: file names by id."""
    names = {element.id: element_name(element, artworks) for element in piece.elements}
    first = piece.elements[0] if len(piece.elements) == 1 else None
    only_artwork = first is not None and first.kind == "artwork" and first.columns * first.rows == 1
    for number, element in enumerate(piece.elements if not only_artwork else ()):
        yield from _element(piece, element, number, names)
    here = f"pieces/{piece.id}"
    stencil = piece.stencil
    parts: Parts = ("Made as ", slot(f"{here}/stencil", stencil, "kind"), ".")
    if stencil.kind == "a stencil":
        parts = (
            "Made as ",
            slot(f"{here}/stencil", stencil, "kind"),
            ", each island held by ",
            slot(f"{here}/stencil", stencil, "count"),
            " bridges ",
            slot(f"{here}/stencil", stencil, "width"),
            " wide.",
        )
        if stencil.bridges:
            parts = (*parts[:-4], ", its islands held by the bridges set by hand, ", *parts[-2:])
    hanger = piece.hanger
    hang: Parts = ("It has ", slot(f"{here}/hanger", hanger, "kind"), ".")
    if hanger.kind != "no hanger":
        where = "where it was put by hand" if hanger.place else "straight above its balance point"
        hang = ("Hang it by ", slot(f"{here}/hanger", hanger, "kind"), " ", slot(f"{here}/hanger", hanger, "diameter"),
                " wide with ", slot(f"{here}/hanger", hanger, "wall"), f" round it, {where}.")  # fmt: skip
    on = THINGS.get(piece.thing)
    seen: Parts = ("Seen on ", slot(here, piece, "thing"))
    if on is not None:
        usual = f" ({on.down:g} mm)" if piece.thing_down is None else ""
        seen = (*seen, ", ", slot(here, piece, "thing_down"), f"{usual} {on.rule}, ", slot(here, piece, "thing_colour"))
    seen = (*seen, ".")
    if on is None:  # what few pieces have is offered, not stated
        yield Sentence(f"{piece.id}-made", "lines", (*parts, " ", *hang), (" ", *seen))
    else:
        yield Sentence(f"{piece.id}-made", "lines", (*parts, " ", *hang))
        yield Sentence(f"{piece.id}-thing", "lines", seen)
    for bridge in stencil.bridges:
        yield Sentence(bridge.id, "lines", ("A bridge set by hand.",), owner=f"{here}/stencil/bridges/{bridge.id}")
    for place in hanger.place:
        yield Sentence(place.id, "lines", ("The hanger was moved by hand.",), owner=f"{here}/hanger/place/{place.id}")
    if len(piece.layers) > 1 or piece.alignment != "no alignment marks":
        marks: Parts = ("Cut ", slot(here, piece, "alignment"), " into every layer.")
        if piece.alignment != "no alignment marks":
            marks = (
                "Cut ",
                slot(here, piece, "alignment"),
                " ",
                slot(here, piece, "mark_size"),
                " high into every layer, ",
                slot(here, piece, "mark_gap"),
                " from the work.",
            )
        yield Sentence(f"{piece.id}-alignment", "lines", marks)
    for layer in piece.layers:
        yield from _layer(piece, layer, names)


def element_name(element: Element, artworks: Mapping[str, str]) -> str:
    if element.kind == "text":
        return f"the words “{element.lettering.words}”"
    return f"the {element.figure.kind}" if element.kind == "simple shape" else f"“{artworks.get(element.artwork, '')}”"


def _item(path: str, value: str, called: str, items: Mapping[str, str], empty: str) -> Slot:
    """A choice among other items of the piece, by id."""
    choices = (Choice("", empty, ""), *(Choice(id, name, "") for id, name in items.items()))
    return Slot(path, "choice", value, items.get(value, empty), called, choices=choices)


def _element(piece: Piece, element: Element, number: int, names: Mapping[str, str]) -> Iterable[Sentence]:
    here = f"pieces/{piece.id}/elements/{element.id}"
    others = {id: name for id, name in names.items() if id != element.id}
    joined: Parts = (slot(here, element, "way"), ": ") if number else ("First ",)
    if element.kind == "text":
        words, at = element.lettering, f"{here}/lettering"
        what: Parts = ("“", slot(at, words, "words"), "” in ", slot(at, words, "font"), ", capitals ",
                       slot(at, words, "cap_height"), " high, on ", slot(at, words, "along"))  # fmt: skip
        if words.along != "a straight line":
            what = (*what, " of ", slot(at, words, "radius"), " radius")
        extra: Parts = (" Between letters ", slot(at, words, "spacing"), " more; in ", slot(at, words, "colour"), ".")
    elif element.kind == "simple shape":
        figure, at = element.figure, f"{here}/figure"
        what = ("a ", slot(at, figure, "kind"), " ", slot(at, figure, "width"), *_figure_size(at, element))
        extra = (" In ", slot(at, figure, "colour"), ".")
    else:
        what, extra = (names[element.id],), ()
    place = _placed(here, element, others)
    several = element.columns * element.rows > 1
    copies: Parts = (slot(here, element, "columns"), " across and ", slot(here, element, "rows"), " down, ",
                     slot(here, element, "gap"), " apart")  # fmt: skip
    if several:
        what = (*what, ", ", *copies)
    more: Parts = (
        *(place if number else ()),
        " Turned by ",
        slot(here, element, "turn"),
        ", scaled to ",
        slot(here, element, "scale"),
        ", widened by ",
        slot(here, element, "widen"),
        ".",
        *extra,
    )
    if not several:
        more = (*more, " Repeat it ", *copies, ".")
    said = _said(element, others) if number else "."
    yield Sentence(f"{element.id}-element", "lines", (*joined, *what, said), more, owner=here)


def _said(element: Element, others: Mapping[str, str]) -> str:
    """Where an element stands, in plain words; its slots are behind “more”."""
    beside = others.get(element.beside) or next(iter(others.values()), "the piece")
    if element.across == element.down == "where it is":
        return f", {element.x:g} mm across and {element.y:g} mm down."
    if element.across == element.down == "centred":
        shift = f", shifted by {element.x:g} and {element.y:g} mm" if element.x or element.y else ""
        return f", centred on {beside}{shift}."
    return f", {element.across} and {element.down}, by {beside}."


def _figure_size(at: str, element: Element) -> Parts:
    figure = element.figure
    if figure.kind in ("circle", "ring", "regular polygon", "star"):
        size: Parts = (" across",)
    else:
        size = (" by ", slot(at, figure, "height"))
    if figure.kind == "ring":
        return (*size, ", its wall ", slot(at, figure, "wall"))
    if figure.kind == "rounded rectangle":
        return (*size, ", corners of ", slot(at, figure, "radius"))
    if figure.kind == "regular polygon":
        return (*size, ", ", slot(at, figure, "count"), " corners")
    if figure.kind == "star":
        return (*size, ", ", slot(at, figure, "count"), " points, its inner corners at ", slot(at, figure, "depth"))
    return size


def _placed(here: str, element: Element, others: Mapping[str, str]) -> Parts:
    beside = _item(f"{here}/beside", element.beside, "element beside it", others, "the first")
    return (
        "Across: ", slot(here, element, "across"), ", moved ", slot(here, element, "x"), " right. Down: ",
        slot(here, element, "down"), ", moved ", slot(here, element, "y"), " down. Beside ", beside, ".",
    )  # fmt: skip


def _layer(piece: Piece, layer: Layer, elements: Mapping[str, str]) -> Iterable[Sentence]:
    here = f"pieces/{piece.id}/layers/{layer.id}"
    if len(piece.layers) > 1:
        shown: Parts = ("Layer ", slot(here, layer, "name"), " holds ", slot(here, layer, "shows"))
        if layer.shows == "chosen colours":
            said = ", ".join(one.colour for one in layer.colours) or "none yet"
            shown = (*shown, f" ({said})")
        elif layer.shows == "chosen regions":
            shown = (*shown, f" ({len(layer.regions) or 'none yet'})")
        lowest = layer.id != piece.layers[-1].id
        overlap: Parts = (
            (", and reaches ", slot(here, layer, "overlap"), " under the layers above.") if lowest else (".",)
        )
        yield Sentence(f"{layer.id}-layer", "lines", (*shown, *overlap), owner=here)
        for one in layer.colours:
            yield Sentence(one.id, "lines", (f"Colour {one.colour} belongs to it.",), owner=f"{here}/colours/{one.id}")
        for place in layer.regions:
            yield Sentence(place.id, "lines", ("A region of it, chosen by hand.",), owner=f"{here}/regions/{place.id}")
    parts: Parts = ("Print ", slot(here, layer, "prints"), ".")
    if layer.prints != "nothing":
        parts = ("Print ", slot(here, layer, "prints"), " with ", slot(here, layer, "bleed"), " bleed")
        if layer.plate != "no plate":
            plate = (" and ", slot(here, layer, "plate"), ", spread by ", slot(here, layer, "plate_spread"))
            parts = (*parts, *plate)
        parts = (*parts, ".")
    more: Parts = ()
    if layer.prints != "nothing":
        more = ("Look at the worst case for a cutting error of ", slot(here, layer, "cutting_error"), ".")
        if layer.plate == "no plate":
            more = (*more, " Print ", slot(here, layer, "plate"), ".")
    yield Sentence(f"{layer.id}-print", "lines", parts, more, process="print")
    names = {line.id: line_name(line) for line in layer.lines}
    for line in layer.lines:
        others = {id: name for id, name in names.items() if id != line.id}
        yield from _line(f"{here}/lines/{line.id}", line, others, elements)


def line_name(line: Line) -> str:
    """What other sentences call a line."""
    return f"{line.process} “{line.name}”" if line.name else line.process


def _line(here: str, line: Line, others: Mapping[str, str], elements: Mapping[str, str]) -> Iterable[Sentence]:
    where = " outside " if line.distance > 0 else " from "  # a minus says that it lies inside
    source: Parts = (slot(here, line, "source"),)
    if line.source == "a simple shape":
        source = (*source, " (", slot(here, line, "surround"))
        if line.surround in ("rounded rectangle", "smooth hull"):
            source = (*source, ", corners of ", slot(here, line, "radius"))
        source = (*source, ") round the piece")
    elif line.source == "another line":
        source = (slot(here, line, "source"), ", ", _item(f"{here}/of", line.of, "line it follows", others, "no line"))
    elif line.source == "one element":
        source = (*source, ", ", _item(f"{here}/of", line.of, "element it follows", elements, "none yet"))
    elif line.source == "chosen colours":
        source = (*source, f" ({', '.join(one.named or one.colour for one in line.colours) or 'none yet'})")
    elif line.source in ("chosen regions", "fold lines"):
        count = len(line.regions if line.source == "chosen regions" else line.folds)
        source = (*source, f" ({count or 'none yet'})")
    process: Parts = (slot(here, line, "process"),)
    if line.process == "score":
        process = (*process, " that ", slot(here, line, "scoring"))
    open_ended = line.source in OPEN_SOURCES
    parts: Parts = (*process, " ", *((slot(here, line, "distance"), where) if not open_ended else ("along ",)), *source)
    itself = line.source in ITSELF and not line.distance
    plain = not line.distance and not line.close_gaps  # nothing is moved: corners and gaps stay as they are
    if itself:
        parts = (*parts, ", as it is" if line.source == "the rest" else ", as they are")
    elif not open_ended:
        if not plain:
            parts = (*parts, " with ", slot(here, line, "corners"), " corners, closing gaps under ",
                     slot(here, line, "close_gaps"))  # fmt: skip
        parts = (*parts, ", holes ", slot(here, line, "holes"))
        if line.holes == "kept" and (line.smallest_hole or not plain):
            parts = (*parts, " over ", slot(here, line, "smallest_hole"))
    if line.process == "perforate":
        parts = (*parts, ", ", slot(here, line, "cut"), " cut and ", slot(here, line, "tie"), " tie")
    if line.process == "through cut" and line.ties:
        parts = (*parts, ", held by ", slot(here, line, "ties"), " ties of ", slot(here, line, "tie_width"))
    more = _line_more(here, line, open_ended)
    if line.process == "engrave" and not open_ended:
        if itself and line.fill != "along the lines":
            parts = (*process, " ", *source)
            more = (*more, " Its edge lies ", slot(here, line, "distance"), " outside them.")
        parts = (*parts, " " if itself else ", ", slot(here, line, "fill"))
        if line.fill != "along the lines":
            parts = (*parts, ", ", slot(here, line, "interval"), " apart")
            more = (*more, *_fill_more(here, line))
    yield Sentence(line.id, "lines", (*parts, "."), more, line.process, here, line.on)
    for group in ("colours", "regions", "folds", "hole_marks", "tie_marks", "kerf_marks"):
        for item in getattr(line, group):
            words = {
                "colours": f"Colour {getattr(item, 'colour', '')}.", "regions": "A region chosen by hand.",
                "folds": "A fold line.", "tie_marks": "A tie set by hand.",
                "hole_marks": f"A hole {getattr(item, 'holes', '')} by hand.",
                "kerf_marks": f"A line whose waste lies {getattr(item, 'side', '')}, said by hand.",
            }[group]  # fmt: skip
            extra: Parts = ()
            if group == "hole_marks" and item.holes == "kept":
                extra = (" Its distance: ", slot(f"{here}/hole_marks/{item.id}", item, "distance"), ".")
            yield Sentence(item.id, "lines", (words, *extra), owner=f"{here}/{group}/{item.id}")


def _fill_more(here: str, line: Line) -> Parts:
    behind: Parts = (" Behind it comes ", slot(here, line, "outline"), ".")
    if line.fill == "by hatching":
        return (" Strokes run at ", slot(here, line, "hatch_angle"), ", ", slot(here, line, "hatching"), ".", *behind)
    if line.fill == "by rings":
        return (" Rings run ", slot(here, line, "rings"), ".", *behind)
    screen: Parts = ()
    if line.tones == "halftone dots":
        screen = (", ", slot(here, line, "screen"), " wide at ", slot(here, line, "screen_angle"))
    return (
        " Its tones are ", slot(here, line, "tones"), *screen, ", ", slot(here, line, "inverted"), "; contrast ",
        slot(here, line, "contrast"), ", sharpness ", slot(here, line, "sharpness"), ", the material's curve ",
        slot(here, line, "curve"), "; strokes run ", slot(here, line, "hatching"), ".",
    )  # fmt: skip


def _line_more(here: str, line: Line, open_ended: bool) -> Parts:
    more: Parts = ("Called ", slot(here, line, "name"), "; number ", slot(here, line, "rank"), " of its process. ")
    if line.process == "perforate":
        more = (*more, "It leaves ", slot(here, line, "leaves"), ". ")
    if line.process == "through cut":
        more = (
            *more,
            "Ties: ",
            slot(here, line, "ties"),
            ", or one every ",
            slot(here, line, "tie_spacing"),
            ", ",
            slot(here, line, "tie_width"),
            " wide, on ",
            slot(here, line, "tie_places"),
            " stretches. ",
        )
    if open_ended:
        return more
    if line.source in ITSELF and not line.distance:
        pass  # corners, gaps and holes stay as they are
    elif not line.distance and not line.close_gaps:
        more = (*more, "Its corners are ", slot(here, line, "corners"), "; gaps under ", slot(here, line, "close_gaps"),
                " are closed; holes under ", slot(here, line, "smallest_hole"), " filled. ")  # fmt: skip
    more = (*more, "Islands nearer than ", slot(here, line, "join_islands"), " become one; inside corners of ",
            slot(here, line, "inside_radius"), " at least; parts under ", slot(here, line, "smallest"),
            " fall away; smoothed within ", slot(here, line, "smooth"), ".")  # fmt: skip
    if parts_material(line.process):
        more = (*more, " Where it meets other cuts it ", slot(here, line, "crossings"))
        if line.crossings == "keeps clear":
            more = (*more, " by ", slot(here, line, "clearance"))
        more = (*more, ".")
    if line.process == "through cut":
        more = (*more, " A beam's kerf lies ", slot(here, line, "kerf_side"), ".")
    if line.holes == "kept":
        more = (*more, " In holes ", slot(here, line, "hole_distance"), ".")
    if line.corners == "mitred":
        more = (*more, " Points are cut off beyond ", slot(here, line, "mitre_limit"), " of the distance.")
    return more
