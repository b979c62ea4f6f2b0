"""How many of each piece a job makes, the same wherever it is told."""

from __future__ import annotations

from nibble_core.pipeline.results import Work
from nibble_core.ticket.model import Ticket
from nibble_core.ticket.piece import Piece


def number_of(piece: Piece, ticket: Ticket, work: Work) -> int:
    """How many of a piece are wanted; where full sheets decide, how many these hold."""
    wanted = ticket.wanted(piece)
    if wanted is not None:
        return wanted
    layer = next(one.id for one in piece.layers if not ticket.is_behind(one.id))
    laid = [work.sheets[sheet.id].laid.value for sheet in ticket.sheets_of(layer) if sheet.id in work.sheets]
    return sum(sheet.copies_of(layer) * sheet.times for sheet in laid)


def repeated(piece: Piece) -> int:
    """How often a piece shows what it is of: a sheet of twelve labels that is laid as one piece shows twelve."""
    only = piece.elements[0] if len(piece.elements) == 1 else None
    return only.columns * only.rows if only else 1
