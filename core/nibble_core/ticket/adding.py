"""New lines and elements as an operator asks for them, each by its words. Their ids are given where they are added."""

from __future__ import annotations

from typing import NamedTuple

from nibble_core.ticket.line import (
    AS_THEY_ARE,
    AnotherLine,
    Cut,
    Engraving,
    FoldLines,
    Line,
    Making,
    Offset,
    Perforation,
    Score,
    Source,
    Surround,
    ThroughCut,
)
from nibble_core.ticket.model import Ticket
from nibble_core.ticket.piece import Element, Figure, FromArtwork, Layer, Lettering, Piece

BELOW, BESIDE = 4.0, 3.0  # mm that words stand below, and an artwork beside, what was added last


class NewLine(NamedTuple):
    words: str
    line: Line


class NewElement(NamedTuple):
    words: str
    element: Element


def new_lines(ticket: Ticket, layer: Layer) -> list[NewLine]:
    """Lines that a layer may get. One that follows another follows the last there is; what a knife cuts is kissed where
    the stock has a liner that carries it."""
    liner = all(sheet.stock.liner for sheet in ticket.sheets_of(layer.id))
    last = layer.lines[-1].id if layer.lines else ""
    shapes, round_it = Source(kind="the shapes"), Surround()
    kissed = [NewLine("Kiss cut outside", Line("", offset=Offset(1.0), process=Cut()))] if liner else []
    return [
        NewLine("Through cut outside", Line("", offset=Offset(3.0))),
        *kissed,
        NewLine("Cut the shapes themselves", Line("", shapes, AS_THEY_ARE, Cut() if liner else ThroughCut())),
        NewLine("Perforate outside", Line("", offset=Offset(6.0), process=Perforation())),
        NewLine("Round the piece", Line("", round_it, Offset(5.0, close_gaps=0.0))),
        NewLine("Follow another line", Line("", AnotherLine(last))),
        NewLine("Score fold lines", Line("", FoldLines(), process=Score())),
        NewLine("Engrave the shapes", Line("", shapes, AS_THEY_ARE, Engraving())),
        NewLine("Along the centre-lines", Line("", Source(kind="centre-lines"), process=Score())),
        NewLine("Guide", Line("", round_it, Offset(0.0, close_gaps=0.0), Making())),
    ]


def new_elements(piece: Piece) -> list[NewElement]:
    """Elements that a piece may get: words below what was added last, where nothing lies yet, a shape on its middle,
    and its first artwork again beside the last element."""
    last = piece.elements[-1].id if piece.elements else ""
    below = last if len(piece.elements) > 1 else ""
    words = Element("", Lettering(), beside=below, across="centred", down="below it", y=BELOW)
    found = [
        NewElement("Words", words),
        NewElement("A simple shape", Element("", Figure(), across="centred", down="centred")),
    ]
    artwork = next((one.artwork for one in piece.elements if one.artwork), "")
    if artwork:
        again = Element(
            "", FromArtwork(artwork), "apart", beside=last, across="right of it", down="top edges", x=BESIDE
        )
        found.append(NewElement("The artwork again", again))
    return found
