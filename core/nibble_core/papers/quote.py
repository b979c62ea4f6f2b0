"""The quote: what the job takes, at the shop's rates, and a page of it for the client."""

from __future__ import annotations

from dataclasses import dataclass

from nibble_core.errors import CannotMake
from nibble_core.papers.drawing import draw_piece, piece_box
from nibble_core.papers.page import BODY, MARGIN, SOFT, STRONG, Page, leading, wrapped
from nibble_core.pipeline.minutes import minutes_of
from nibble_core.pipeline.notes import minutes
from nibble_core.pipeline.quantities import number_of
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import program_of
from nibble_core.pipeline.stocktaking import material
from nibble_core.processes import FILM, PIECE, frees
from nibble_core.ticket.library import Rates
from nibble_core.ticket.model import Sheet, Ticket


@dataclass(frozen=True)
class Priced:
    """What one thing costs: in words, how much of it, and the amount in the shop's money."""

    what: str
    much: str
    amount: float


def priced(ticket: Ticket, work: Work, rates: Rates) -> list[Priced]:
    """Set-up, material with its waste, machine time along the lines, weeding by their length, then the mark-up.

    Raises the first problem of the work, what programs raise, and CannotMake where a machine's speed is not known.
    """
    work.require_whole()
    rows = [Priced("Set-up", f"{rates.set_up:g} min", rates.set_up / 60 * rates.hour)]
    for sheet in ticket.sheets:
        rows.append(Priced(sheet.stock.name, *material(sheet, work)))
        taken = minutes_of(sheet, work)
        if taken is None:
            raise CannotMake(
                f"How fast the {sheet.machine.name} runs is not known, so that its time cannot be priced.",
                "Give its record a speed in the library, or its settings one for each process.",
                where=f"sheets/{sheet.id}/machine",
            )
        rows.append(Priced(f"On the {sheet.machine.name}", f"{minutes(taken)} min", taken / 60 * rates.hour))
        metres = _weeded(sheet, work)
        if metres and sheet.stock.liner:
            time = metres * rates.weeding / 60
            rows.append(Priced("Weeding", f"{metres:.1f} m of edges", time / 60 * rates.hour))
    if rates.mark_up:
        rows.append(Priced("Mark-up", f"{100 * rates.mark_up:g} %", rates.mark_up * sum(row.amount for row in rows)))
    return [row for row in rows if row.amount or row.what == "Set-up"]


def _weeded(sheet: Sheet, work: Work) -> float:
    """Metres of edges along which waste is parted from what stays."""
    long = sum(run.length for run in program_of(sheet, work).runs if frees(run.of.process) in (PIECE, FILM))
    return long * work.sheets[sheet.id].laid.value.times / 1000


def quote(ticket: Ticket, work: Work, rates: Rates, *, code: str, shop: str = "", size: str = "a4") -> bytes:
    """A PDF for the client, of as many pages as it takes: what is made and what it costs, without what it is made
    of."""
    rows = priced(ticket, work, rates)
    total = round(sum(row.amount for row in rows), 2)
    page = Page(size, f"{ticket.name}, quote {code}")
    wide = page.width - 2 * MARGIN
    y = page.head(ticket.name, (f"Quote for {ticket.client}" if ticket.client else "Quote", shop, code)) + 8.5
    for piece in ticket.pieces:
        box = piece_box(piece, work)
        if box is None:
            continue
        if y + 36 > page.height - MARGIN:
            y = page.turn()
        _, tall = draw_piece(page, piece, ticket, work, MARGIN, y, 34, 30, lines=False)
        for line in wrapped(f"{number_of(piece, ticket, work)} × {piece.name}", wide - 42, 13, STRONG)[:3]:
            page.text(MARGIN + 40, y + 5, line, size=13, font=STRONG)
            y += leading(13)
            tall -= leading(13)
        y, tall = y - leading(13), tall + leading(13)
        size_said = f"{box.width:.1f} × {box.height:.1f} mm"
        page.text(MARGIN + 40, y + 10.5, size_said, size=10, colour=SOFT)
        y += max(tall, 12) + 6
    if y + 56 > page.height - MARGIN:
        y = page.turn()
    page.rule(MARGIN, y, wide, weight=0.6)
    count = sum(number_of(piece, ticket, work) for piece in ticket.pieces)
    money = f" {rates.money}" if rates.money else ""
    for words, amount, strong in (
        (f"{count} pieces", f"{total:,.2f}{money}".replace(",", " "), False),
        ("for each", f"{total / max(1, count):,.2f}{money}", False),
        (f"Tax of {100 * rates.tax:g} %", f"{total * rates.tax:,.2f}{money}", False),
        ("In all", f"{total * (1 + rates.tax):,.2f}{money}", True),
    ):
        y += 8
        page.text(MARGIN, y, words, size=12 if strong else 11, font=STRONG if strong else BODY)
        page.text(page.width - MARGIN, y, amount, size=12 if strong else 11, font=STRONG if strong else BODY,
                  right=True)  # fmt: skip
    page.lines(MARGIN, y + 12, rates.terms, wide, size=9, colour=SOFT)
    return page.finished()
