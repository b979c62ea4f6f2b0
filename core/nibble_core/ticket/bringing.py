"""Pieces brought from other jobs: copied with their artworks, with where they came from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

from nibble_core.errors import InvalidTicket
from nibble_core.ticket.changes import Change
from nibble_core.ticket.ids import free_ids, fresh_ids
from nibble_core.ticket.model import Held, Ticket
from nibble_core.ticket.piece import FromArtwork, Origin, Piece
from nibble_core.ticket.serial import to_plain
from nibble_core.ticket.steps import sheet_like

KEPT = ("id", "origin", "quantity", "name")
"""What a piece that is brought anew keeps of what it was here."""


def brought(ticket: Ticket, sheet_id: str, other: Ticket, piece_id: str, *, job: int, revision: int) -> list[Change]:
    """Changes that bring a piece of another job onto a sheet, with its artworks. Its first layer is laid there, further
    ones on sheets like those they lie on over there. Raises InvalidTicket for a sheet or piece that is not there."""
    sheet = next((one for one in ticket.sheets if one.id == sheet_id), None)
    piece = next((one for one in other.pieces if one.id == piece_id), None)
    if sheet is None or piece is None:
        raise InvalidTicket("That sheet or piece is not there any more.", "Look again.")
    artworks = _fresh("a", (one.id for one in ticket.artworks), _used(piece))
    layers = _fresh(
        "l", (layer.id for one in ticket.pieces for layer in one.layers), [layer.id for layer in piece.layers]
    )
    own_id = next(free_ids("p", ticket.pieces))
    origin = Origin(job, revision, piece.id, other.name)
    made = replace(_renamed(piece, artworks, layers), id=own_id, origin=(origin,))
    changes = [
        Change("artworks", to_plain(replace(other.artwork(old), id=new)), "add") for old, new in artworks.items()
    ]
    changes.append(Change("pieces", to_plain(made), "add"))
    first, *rest = piece.layers
    held = Held(next(free_ids("h", sheet.holds)), layers[first.id])
    changes.append(Change(f"sheets/{sheet.id}/holds", to_plain(held), "add"))
    sheets = _fresh("s", (one.id for one in ticket.sheets), [layer.id for layer in rest])
    for layer in rest:
        like = next(iter(other.sheets_of(layer.id)), sheet)
        own = sheet_like(like, sheets[layer.id], [layers[layer.id]], sheet.id if like.behind else "")
        changes.append(Change("sheets", to_plain(own), "add"))
    return changes


def brought_again(ticket: Ticket, piece_id: str, other: Ticket, *, revision: int) -> list[Change]:
    """Changes that make a brought piece what it is now over there; its name and quantity here stay. Raises
    InvalidTicket when it is not there any more, or has other layers by now."""
    here = next((one for one in ticket.pieces if one.id == piece_id and one.origin), None)
    origin = here.origin[0] if here else None
    there = next((one for one in other.pieces if origin and one.id == origin.piece), None)
    if here is None or origin is None or there is None:
        raise InvalidTicket("That piece is not there any more.", "It stays as it was brought.")
    if len(here.layers) != len(there.layers):
        raise InvalidTicket("That piece has other layers by now.", "Bring it as a new one.")
    known = _used(here)
    wanted = _used(there)
    artworks = dict(zip(wanted, known, strict=False))
    more = [old for old in wanted if old not in artworks]
    artworks |= _fresh("a", (one.id for one in ticket.artworks), more)
    layers = {old.id: new.id for old, new in zip(there.layers, here.layers, strict=True)}
    made = to_plain(_renamed(there, artworks, layers))
    changes = [Change("artworks", to_plain(replace(other.artwork(old), id=artworks[old])), "add") for old in more]
    for old in wanted:
        if old not in more:
            plain = to_plain(other.artwork(old))
            changes += [Change(f"artworks/{artworks[old]}/{name}", plain[name]) for name in plain if name != "id"]
    changes += [Change(f"pieces/{piece_id}/{name}", made[name]) for name in made if name not in KEPT]
    changes.append(Change(f"pieces/{piece_id}/origin", to_plain((replace(origin, revision=revision),))))
    return changes


def _used(piece: Piece) -> list[str]:
    """The artworks of a piece, once each."""
    return list(dict.fromkeys(one.artwork for one in piece.elements if one.artwork))


def _renamed(piece: Piece, artworks: Mapping[str, str], layers: Mapping[str, str]) -> Piece:
    elements = tuple(
        replace(one, content=FromArtwork(artworks[one.artwork])) if one.artwork else one for one in piece.elements
    )
    return replace(
        piece, elements=elements, layers=tuple(replace(layer, id=layers[layer.id]) for layer in piece.layers)
    )


def _fresh(prefix: str, taken: Iterable[str], old: Iterable[str]) -> dict[str, str]:
    """A new id for each."""
    return dict(zip(old, fresh_ids(prefix, taken), strict=False))
