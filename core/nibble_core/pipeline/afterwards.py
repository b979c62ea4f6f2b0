"""What happens to a job after its files are made."""

from __future__ import annotations

from nibble_core.processes import FILM, frees, is_sent
from nibble_core.ticket.model import Ticket


def steps_of(ticket: Ticket) -> list[str]:
    """Those of “printed, cut, weeded, pressed, delivered” that this job has, in their order."""
    stocks = [sheet.stock for sheet in ticket.sheets]
    lines = [line.process.kind for piece in ticket.pieces for layer in piece.layers for line in layer.lines if line.on]
    steps = {
        "printed": any(ticket.prints_on(sheet) for sheet in ticket.sheets),
        "cut": any(is_sent(one) for one in lines),
        "weeded": any(frees(one) == FILM for one in lines) and any(stock.liner for stock in stocks),
        "pressed": any(stock.press_heat is not None for stock in stocks), "delivered": True,
    }  # fmt: skip
    return [step for step, happens in steps.items() if happens]
