"""The first ticket of a job: an artwork, one piece of it with a cut line, one sheet."""

from __future__ import annotations

from dataclasses import replace

from nibble_core.ticket.artwork import Artwork, Trace
from nibble_core.ticket.changes import Change
from nibble_core.ticket.ids import free_ids, fresh_ids
from nibble_core.ticket.library import STARTING, Library
from nibble_core.ticket.line import Line
from nibble_core.ticket.model import Held, Machine, Sheet, Stock, Ticket
from nibble_core.ticket.piece import Element, FromArtwork, Layer, Piece
from nibble_core.ticket.serial import to_plain
from nibble_core.ticket.steps import sheet_like


def first_ticket(
    *,
    name: str,
    file: str,
    file_name: str,
    width: float = 100.0,
    mode: str = "two-tone",
    client: str = "",
    due: str | None = None,
    quantity: int = 1,
    piece: str = "sticker",
    stock: Stock | None = None,
    machine: Machine | None = None,
    library: Library = STARTING,
) -> Ticket:
    """A die-cut sticker of one artwork. The smallest part comes from the stock and the machine."""
    stock = stock or library.stock(library.stocks[0].key)
    machine = machine or library.machines[0]
    smallest = max(stock.smallest_part, machine.smallest_part)
    return Ticket(
        name=name,
        client=client,
        due=due,
        artworks=(Artwork("a1", file, file_name, width=width, trace=Trace(mode=mode, smallest=smallest / 2)),),
        pieces=(
            Piece(
                "p1",
                piece,
                quantity,
                (Element("e1", FromArtwork("a1")),),
                (Layer("l1", lines=(Line("k1"),)),),
            ),
        ),
        sheets=(
            Sheet(
                "s1",
                (Held("h1", "l1"),),
                stock,
                machine,
                marks=machine.marks,
                mark_shape=machine.mark_shape,
                settings=library.settings_of(machine.key, stock.key),
            ),
        ),
    )


def added_piece(ticket: Ticket, artwork: Artwork, name: str) -> list[Change]:
    """Changes that make one more piece of a client's file, whose id is given here: as a first ticket has it, as often
    as the first piece, on the sheet of that one. A sheet whose copies lie as they were placed gets one like it
    beside."""
    sheet = next((one for one in ticket.sheets if not one.behind), None)
    made = replace(artwork, id=next(free_ids("a", ticket.artworks)))
    layer = Layer(next(fresh_ids("l", (own.id for one in ticket.pieces for own in one.layers))), lines=(Line("k1"),))
    piece = Piece(
        next(free_ids("p", ticket.pieces)), name, ticket.pieces[0].quantity if ticket.pieces else 1,
        (Element("e1", FromArtwork(made.id)),), (layer,),
    )  # fmt: skip
    changes = [Change("artworks", to_plain(made), "add"), Change("pieces", to_plain(piece), "add")]
    if sheet is None:  # told at Sheet
        return changes
    if sheet.arrangement == "as placed":
        beside = sheet_like(sheet, next(free_ids("s", ticket.sheets)), [layer.id])
        return [*changes, Change("sheets", to_plain(beside), "add")]
    held = Held(next(free_ids("h", sheet.holds)), layer.id)
    return [*changes, Change(f"sheets/{sheet.id}/holds", to_plain(held), "add")]
