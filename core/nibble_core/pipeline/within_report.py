"""What a client's file holds besides what is used of it, pages, pictures and text without outlines, and how to bring it
in where it was."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from nibble_core.formats.client_drawing import ClientDrawing, FoundPicture, Lettering
from nibble_core.geometry import Box
from nibble_core.pipeline.compose import turned_about_middle
from nibble_core.pipeline.notes import LOOK, Mend, Note, setting
from nibble_core.pipeline.read import DEEPER, Picture
from nibble_core.text import set_line, shipped_font
from nibble_core.ticket import Change
from nibble_core.ticket.artwork import Artwork, Frame
from nibble_core.ticket.ids import free_ids
from nibble_core.ticket.model import Ticket
from nibble_core.ticket.piece import Element, FromArtwork, Piece
from nibble_core.ticket.piece import Lettering as SetWords

MOST_OFFERED = 8
LEAST_CAPITALS, MOST_CAPITALS = 0.5, 2000.0  # mm, of an element of text
FURTHEST = 5000.0  # mm from the corner of a piece


def parts_of(artwork: Artwork, picture: Picture, ticket: Ticket, width: float) -> list[Note]:
    """The other parts of a file, to be used instead; pictures within a drawing, to be brought in besides. ``width``:
    finished, mm."""
    if not picture.parts:
        return []
    used = picture.part or artwork.part or picture.parts[0]
    mends = [
        setting(f"Use {_called(part)}", f"artworks/{artwork.id}/part", part)
        for part in picture.parts if part != used
    ][:MOST_OFFERED]  # fmt: skip
    drawn, place = picture.drawing, as_drawn(artwork, ticket)
    if drawn is not None and place is not None:
        scale = width / drawn.drawing.width
        free = _free_ids(ticket)
        for number, found in enumerate(drawn.pictures[:MOST_OFFERED], start=1):
            part = next((one for one in picture.parts if one.split(DEEPER)[-1] == f"picture {number}"), None)
            there = any(one.file == artwork.file and one.part == part for one in ticket.artworks)
            if part is not None and not there and found.width > 0:
                mends.insert(number - 1, _brought_in(artwork, place, part, found, scale, next(free)))
    text = f"This file holds {len(picture.parts)} things; “{_called(used)}” is used."
    return [Note(text, "", f"artworks/{artwork.id}/part", mends=tuple(mends))]


def _called(part: str) -> str:
    return part.rsplit("/", 1)[-1].replace(DEEPER, ", ")


def _brought_in(
    artwork: Artwork, place: tuple[Piece, Element], part: str, found: FoundPicture, scale: float, id: str
) -> Mend:
    """A picture of the same file as an artwork of its own, beneath the paths and where it is among them."""
    piece, before = place
    called, elements = part.split(DEEPER)[-1], f"pieces/{piece.id}/elements"
    added = {"id": id, "file": artwork.file, "name": f"{artwork.name}, {called}"[:200], "part": part,
             "width": found.width * scale, "trace": {"mode": "outer"}}  # fmt: skip
    element = {
        "id": id,
        "content": {"kind": "artwork", "artwork": id},
        "x": round(found.left * scale, 2),
        "y": round(found.top * scale, 2),
    }
    return Mend(f"Bring {called} in too", (
        Change("artworks", added, "add"), Change(elements, element, "add", before.id),
        Change(f"{elements}/{before.id}/way", "apart"),
    ))  # fmt: skip


def lost_text(artwork: Artwork, ticket: Ticket, drawn: ClientDrawing, width: float) -> Note:
    """Text without outlines, and the way to set it again in a font that ships, where it was. ``width``: finished,
    mm."""
    fonts = ", ".join(sorted({found.font for found in drawn.lettering}))
    some = ", ".join(f"“{found.text[:30]}”" for found in drawn.lettering[:3])
    text = f"Text in {fonts} has no outlines in this file and is left out: {some}."
    there = {e.content.words for one in ticket.pieces for e in one.elements if isinstance(e.content, SetWords)}
    missing = [found for found in drawn.lettering if found.text not in there]
    if not missing:
        return Note(text, "It is set again in a font.", f"artworks/{artwork.id}")
    piece = next((one for one in ticket.pieces if any(e.artwork == artwork.id for e in one.elements)), None)
    mends: tuple[Mend, ...] = ()
    if piece is not None:
        label = f"Set “{missing[0].text[:30]}” in a font" if len(missing) == 1 else f"Set all {len(missing)} in a font"
        whole, free = as_drawn(artwork, ticket) is not None, _free_ids(ticket)
        scale = width / drawn.drawing.width
        mends = (Mend(label, tuple(
            Change(f"pieces/{piece.id}/elements",
                   {"id": next(free)} | ((_set_again(found, scale) if whole else None) or _set_beneath(found, k)),
                   "add")
            for k, found in enumerate(missing[:MOST_OFFERED])
        )),)  # fmt: skip
    return Note(text, "Ask for outlines, or set it again in a font.", f"artworks/{artwork.id}", LOOK, mends)


def _set_again(found: Lettering, scale: float) -> dict[str, Any] | None:
    """What an element needs to say a text at its old place and size; None where the file does not tell them."""
    capitals = found.cap_height * scale
    if found.at is None or not LEAST_CAPITALS <= capitals <= MOST_CAPITALS:
        return None
    line = set_line(shipped_font("sans"), found.text, capitals)
    turned = turned_about_middle(line.box, found.turn)
    anchor = turned.map(np.array([[line.box.left + found.share * line.box.width, line.box.bottom]]))[0]
    reached = Box.around([region.mapped(turned).bounds() for region in line.regions]) if found.turn else line.box
    x, y = np.array(found.at) * scale - anchor + (reached.left, reached.top)
    if not max(abs(x), abs(y)) < FURTHEST:
        return None
    return {"content": {"kind": "text", "words": found.text, "cap_height": round(capitals, 2)}, "way": "apart",
            "x": round(float(x), 2), "y": round(float(y), 2), "turn": round(found.turn, 2)}  # fmt: skip


def _set_beneath(found: Lettering, number: int) -> dict[str, Any]:
    return {
        "content": {"kind": "text", "words": found.text},
        "across": "centred",
        "down": "below it",
        "y": 4.0 + 14.0 * number,
    }


def as_drawn(artwork: Artwork, ticket: Ticket) -> tuple[Piece, Element] | None:
    """The first piece that holds this artwork, and the element, if it is as it was drawn: whole and upright at the
    piece's corner."""
    plain_lay = artwork.turn == "upright" and artwork.facing == "as it is" and artwork.stretch == 1
    if artwork.crop != Frame() or not plain_lay:
        return None
    for piece in ticket.pieces:
        for element in piece.elements:
            if element.artwork == artwork.id:
                plain = Element(element.id, FromArtwork(artwork.id), way=element.way)
                return (piece, element) if element == plain else None
    return None


def _free_ids(ticket: Ticket) -> Iterator[str]:
    """For artworks and elements alike."""
    return free_ids("x", [*ticket.artworks, *(one for piece in ticket.pieces for one in piece.elements)])
