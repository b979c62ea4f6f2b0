"""What the ticket says at Lines: how a piece is composed, and what its layers print and cut."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from nibble_core.ticket.goods import NOTHING
from nibble_core.ticket.goods_sentences import goods_sentences
from nibble_core.ticket.library import Library
from nibble_core.ticket.line_sentences import line_name, line_sentences
from nibble_core.ticket.piece import STRAIGHT, Element, Figure, Layer, Lettering, Piece, Printed, SpotPlate
from nibble_core.ticket.saying import Parts, Sentence, item_slot, slot


def piece_sentences(piece: Piece, artworks: Mapping[str, str], library: Library) -> Iterable[Sentence]:
    """In the order in which a piece is made. ``artworks``: file names by id. library: of the things it can go on."""
    names = {element.id: element_name(element, artworks) for element in piece.elements}
    first = piece.elements[0] if len(piece.elements) == 1 else None
    only_artwork = first is not None and first.artwork and first.columns * first.rows == 1
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
    # what few pieces have is offered, not stated
    free: Parts = (" It goes on ", slot(here, piece, "goods"), ".") if piece.goods.kind == NOTHING else ()
    yield Sentence(f"{piece.id}-made", "lines", (*parts, " ", *hang), free)
    yield from goods_sentences(piece, library)
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
    content = element.content
    if isinstance(content, Lettering):
        return f"the words “{content.words}”"
    return f"the {content.figure}" if isinstance(content, Figure) else f"“{artworks.get(element.artwork, '')}”"


def _element(piece: Piece, element: Element, number: int, names: Mapping[str, str]) -> Iterable[Sentence]:
    here = f"pieces/{piece.id}/elements/{element.id}"
    others = {id: name for id, name in names.items() if id != element.id}
    joined: Parts = (slot(here, element, "way"), ": ") if number else ("First ",)
    content, at = element.content, f"{here}/content"
    if isinstance(content, Lettering):
        what: Parts = ("“", slot(at, content, "words"), "” in ", slot(at, content, "font"), ", capitals ",
                       slot(at, content, "cap_height"), " high, on ", slot(at, content, "along"))  # fmt: skip
        if content.along != STRAIGHT:
            clear = content.radius is None
            what = (*what, ", " if clear else " of ", slot(at, content, "radius"), "" if clear else " radius")
        extra: Parts = (
            " Between letters ",
            slot(at, content, "spacing"),
            " more; in ",
            slot(at, content, "colour"),
            ".",
        )
    elif isinstance(content, Figure):
        what = ("a ", slot(at, content, "figure"), " ", slot(at, content, "width"), *_figure_size(at, content))
        extra = (" In ", slot(at, content, "colour"), ".")
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


def _figure_size(at: str, content: Figure) -> Parts:
    figure = content.figure
    if figure in ("circle", "ring", "regular polygon", "star"):
        size: Parts = (" across",)
    else:
        size = (" by ", slot(at, content, "height"))
    if figure == "ring":
        return (*size, ", its wall ", slot(at, content, "wall"))
    if figure == "rounded rectangle":
        return (*size, ", corners of ", slot(at, content, "radius"))
    if figure == "regular polygon":
        return (*size, ", ", slot(at, content, "count"), " corners")
    if figure == "star":
        return (*size, ", ", slot(at, content, "count"), " points, its inner corners at ", slot(at, content, "depth"))
    return size


def _placed(here: str, element: Element, others: Mapping[str, str]) -> Parts:
    beside = item_slot(f"{here}/beside", element.beside, "element beside it", others, "the first")
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
    yield _print(here, layer)
    names = {line.id: line_name(line) for line in layer.lines}
    for line in layer.lines:
        others = {id: name for id, name in names.items() if id != line.id}
        yield from line_sentences(f"{here}/lines/{line.id}", line, others, elements)


def _print(here: str, layer: Layer) -> Sentence:
    prints, at = layer.prints, f"{here}/prints"
    parts: Parts = ("Print ", slot(here, layer, "prints"))
    more: Parts = ()
    if isinstance(prints, Printed):
        parts = (*parts, " with ", slot(at, prints, "bleed"), " bleed")
        more = ("Look at the worst case for a cutting error of ", slot(at, prints, "cutting_error"), ".")
        plate = slot(at, prints, "plate")
        if isinstance(prints.plate, SpotPlate):
            spread = slot(f"{at}/plate", prints.plate, "plate_spread")
            parts = (*parts, " and ", plate, ", spread by ", spread)
        else:
            more = (*more, " Add ", plate, ".")
    return Sentence(f"{layer.id}-print", "lines", (*parts, "."), more, process="print")
