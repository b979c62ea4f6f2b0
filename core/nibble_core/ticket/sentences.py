"""The ticket says itself: rows of words and slots, the same on screen, on paper and in tests."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from nibble_core.ticket.artwork_sentences import artwork_sentences
from nibble_core.ticket.library import MACHINES, STOCKS
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.ticket.piece_sentences import piece_sentences
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
        said += [replace(sentence, about=artwork.id) for sentence in artwork_sentences(artwork)]
    for piece in ticket.pieces:
        names = {artwork.id: artwork.name for artwork in ticket.artworks}
        said += [replace(sentence, about=piece.id) for sentence in piece_sentences(piece, names)]
    for sheet in ticket.sheets:
        said += _sheet(sheet, ticket)
    said.append(
        Sentence(
            "machine", "machine",
            ("Cut on the ", library_slot("machine", ticket.machine.key, ticket.machine.name, MACHINES.values()), "."),
            ("Time is counted at ", slot("machine", ticket.machine, "speed"), " mm a second."),
        )
    )  # fmt: skip
    for spot in ticket.machine.spots:
        words = f"{spot.process.capitalize()} lines leave as the spot colour “{spot.ink}”."
        said.append(Sentence(f"spot-{spot.process}", "machine", (words,), process=spot.process))
    order = {station: index for index, station in enumerate(STATIONS)}
    return sorted(said, key=lambda sentence: order[sentence.station])


def sheet_name(sheet: Sheet, ticket: Ticket) -> str:
    """What tells a sheet from the others of its job: its number, piece and layer; nothing where it is the only one."""
    if len(ticket.sheets) == 1:
        return ""
    piece, layer = ticket.piece_of_layer(sheet.layer), ticket.layer(sheet.layer)
    number = [one.id for one in ticket.sheets].index(sheet.id) + 1
    named = f", {layer.name}" if len(piece.layers) > 1 and layer.name else ""
    return f"sheet {number}, {piece.name}{named}"


def _sheet(sheet: Sheet, ticket: Ticket) -> Iterable[Sentence]:
    here = f"sheets/{sheet.id}"
    stock, piece = sheet.stock, ticket.piece_of_layer(sheet.layer)
    name = sheet_name(sheet, ticket)
    yield Sentence(
        f"{sheet.id}-lay", "sheet",
        (f"{name[:1].upper()}{name[1:]}: lay " if name else "Lay ", slot(f"pieces/{piece.id}", piece, "quantity"),
         " on ", library_slot(f"{here}/stock", stock.key, stock.name, STOCKS.values()), ", ",
         slot(here, sheet, "spacing"), " apart, in a grid."), about=sheet.id,
    )  # fmt: skip
    if ticket.layer(sheet.layer).prints == "nothing":
        marks: tuple[str | Slot, ...] = ("Nothing is printed, so it has no registration marks.",)
    elif not sheet.marks:
        marks = ("Put ", slot(here, sheet, "marks"), " registration marks round them: it is laid by eye.")
    else:
        marks = (
            "Put ", slot(here, sheet, "marks"), " registration marks round them, ", slot(here, sheet, "mark_diameter"),
            " across, ", slot(here, sheet, "mark_gap"), " from the work.",
        )  # fmt: skip
    yield Sentence(f"{sheet.id}-marks", "sheet", marks, about=sheet.id)
    mirrored = "Mirrored, because this film is pressed on its face." if stock.mirrored else "Not mirrored."
    yield Sentence(f"{sheet.id}-mirror", "sheet", (mirrored,), about=sheet.id)
