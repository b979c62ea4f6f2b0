"""The first ticket of a job: an artwork, one piece of it with a cut line, one sheet."""

from __future__ import annotations

from nibble_core.ticket.artwork import Artwork, Trace
from nibble_core.ticket.library import STARTING, Library
from nibble_core.ticket.line import Line
from nibble_core.ticket.model import Held, Machine, Sheet, Stock, Ticket
from nibble_core.ticket.piece import Element, FromArtwork, Layer, Piece


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
                "sticker",
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
                marks=machine.mark_count,
                mark_shape=machine.mark_shape,
                settings=library.settings_of(machine.key, stock.key),
            ),
        ),
    )
