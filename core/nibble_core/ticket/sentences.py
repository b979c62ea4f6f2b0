"""The ticket says itself: rows of words and slots, the same on screen, on paper and in tests."""

from __future__ import annotations

from collections.abc import Iterable

from nibble_core.ticket.artwork_sentences import artwork_sentences
from nibble_core.ticket.library import MACHINES, STOCKS
from nibble_core.ticket.model import Line, Piece, Sheet, Ticket
from nibble_core.ticket.saying import STATIONS, Choice, Sentence, Slot, library_slot, slot

__all__ = ["STATIONS", "Choice", "Sentence", "Slot", "sentences"]


def sentences(ticket: Ticket) -> list[Sentence]:
    """Every sentence of the job, in the order of the stations."""
    said = [
        Sentence(
            "job", "artwork",
            ("Job ", slot("", ticket, "name"), " for ", slot("", ticket, "client"),
             ", due ", slot("", ticket, "due"), "."),
        )
    ]  # fmt: skip
    for artwork in ticket.artworks:
        said += artwork_sentences(artwork)
    for piece in ticket.pieces:
        said += _lines(piece)
    for sheet in ticket.sheets:
        said += _sheet(sheet, ticket.piece_of_layer(sheet.layer))
    said.append(
        Sentence(
            "machine", "machine",
            ("Cut on the ", library_slot("machine", ticket.machine.key, ticket.machine.name, MACHINES.values()), "."),
        )
    )  # fmt: skip
    for spot in ticket.machine.spots:
        words = f"{spot.process.capitalize()} lines leave as the spot colour “{spot.ink}”."
        said.append(Sentence(f"spot-{spot.process}", "machine", (words,), process=spot.process))
    order = {station: index for index, station in enumerate(STATIONS)}
    return sorted(said, key=lambda sentence: order[sentence.station])


def _lines(piece: Piece) -> Iterable[Sentence]:
    for layer in piece.layers:
        here = f"pieces/{piece.id}/layers/{layer.id}"
        yield Sentence(f"{layer.id}-print", "lines", ("Print ", slot(here, layer, "prints"), "."), process="print")
        for line in layer.lines:
            yield _line(f"{here}/lines/{line.id}", line)


def _line(here: str, line: Line) -> Sentence:
    where = "outside the artwork" if line.distance > 0 else "inside the artwork" if line.distance < 0 else "on the edge"
    more: tuple[str | Slot, ...] = ()
    if line.corners == "mitred":
        more = ("Cut points off beyond ", slot(here, line, "mitre_limit"), " of the distance.")
    parts = (
        slot(here, line, "process"), " ", slot(here, line, "distance"), f" {where} with ",
        slot(here, line, "corners"), " corners, closing gaps under ", slot(here, line, "close_gaps"), ".",
    )  # fmt: skip
    return Sentence(line.id, "lines", parts, more, line.process, here, line.on)


def _sheet(sheet: Sheet, piece: Piece) -> Iterable[Sentence]:
    here = f"sheets/{sheet.id}"
    stock = sheet.stock
    yield Sentence(
        f"{sheet.id}-lay", "sheet",
        ("Lay ", slot(f"pieces/{piece.id}", piece, "quantity"), " on ",
         library_slot(f"{here}/stock", stock.key, stock.name, STOCKS.values()), ", ",
         slot(here, sheet, "spacing"), " apart, in a grid."),
    )  # fmt: skip
    yield Sentence(
        f"{sheet.id}-marks", "sheet",
        ("Put ", slot(here, sheet, "marks"), " registration marks round them, ", slot(here, sheet, "mark_diameter"),
         " across, ", slot(here, sheet, "mark_gap"), " from the work."),
    )  # fmt: skip
    mirrored = "Mirrored, because this film is pressed on its face." if stock.mirrored else "Not mirrored."
    yield Sentence(f"{sheet.id}-mirror", "sheet", (mirrored,))
