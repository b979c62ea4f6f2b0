"""The printed ticket: the whole job in its sentences, with what is seen of it, on one page."""

from __future__ import annotations

from dataclasses import dataclass

from nibble_core.geometry.units import format_number
from nibble_core.papers.drawing import draw_piece, draw_sheet, piece_box
from nibble_core.papers.page import BODY, HEAD, INK, MARGIN, SOFT, STRONG, Page, leading, width_of, wrapped
from nibble_core.pipeline.notes import TOLD, Note
from nibble_core.pipeline.report import Station, stations
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import NO_BORDER, NO_WEED_LINES, WEEDS
from nibble_core.processes import parts
from nibble_core.ticket import sentences
from nibble_core.ticket.model import Setting, Sheet, Stock, Ticket
from nibble_core.ticket.sentences import STATIONS, sheet_name

LEFT = 76.0  # mm, of the column with the pictures
GAP = 6.0
SIZES = (9.5, 9.0, 8.5, 8.0, 7.5, 7.0, 6.5, 6.0, 5.5)  # of type, the first that fits
MOST_PIECES, MOST_SHEETS = 3, 2


@dataclass(frozen=True)
class _Part:
    """A heading and what is said under it."""

    title: str
    said: tuple[str, ...]


def printed_ticket(ticket: Ticket, work: Work, *, code: str, size: str = "a4") -> bytes:
    """A PDF of one page. code: of job and revision, which the search field takes. What has no room is counted."""
    page = Page(size, f"{ticket.name}, ticket {code}")
    _head(page, ticket, code)
    top = MARGIN + 25
    foot = _foot(page, ticket, work)
    _pictures(page, ticket, work, top, foot - 4)
    _sentences(page, _parts(ticket, work), MARGIN + LEFT + GAP, top, foot - 4)
    return page.finished()


def _head(page: Page, ticket: Ticket, code: str) -> None:
    page.code(page.width - MARGIN - 17, MARGIN, 17, code)
    said = [ticket.client or "nobody yet", f"due {ticket.due}" if ticket.due else "no date", f"ticket {code}"]
    page.head(ticket.name, said, room=24)


def _pictures(page: Page, ticket: Ticket, work: Work, top: float, foot: float) -> None:
    """Pieces in their true proportion with their sizes, then the sheets as they are weeded."""
    pieces = [piece for piece in ticket.pieces if piece_box(piece, work)][:MOST_PIECES]
    sheets = [sheet for sheet in ticket.sheets if sheet.id in work.sheets][:MOST_SHEETS]
    each = (foot - top) / max(1, len(pieces) + len(sheets)) - 9
    y = top
    for piece in pieces:
        box = piece_box(piece, work)
        assert box is not None
        _, tall = draw_piece(page, piece, ticket, work, MARGIN, y, LEFT, min(each, 70), lines=True)
        y += tall + 4
        size = f"{format_number(box.width, 1)} × {format_number(box.height, 1)} mm"
        page.text(MARGIN, y, piece.name, size=9, font=STRONG)
        page.text(MARGIN + LEFT, y, f"{size}, {piece.quantity} wanted", size=8.5, colour=SOFT, right=True)
        y += 6
    for sheet in sheets:
        laid = work.sheets[sheet.id].value
        _, tall = draw_sheet(page, sheet, work, MARGIN, y, LEFT, min(each, 90))
        y += tall + 4
        page.text(MARGIN, y, sheet_name(sheet, ticket) or "the sheet", size=9, font=STRONG)
        runs = f", run {laid.times} times" if laid.times > 1 else ""
        size = f"{laid.width:.0f} × {laid.height:.0f} mm, {laid.copies} up{runs}"
        page.text(MARGIN + LEFT, y, size, size=8.5, colour=SOFT, right=True)
        y += 4
        page.text(MARGIN, y, "Solid stays, hatched goes.", size=7.5, colour=SOFT)
        y += 6


def _parts(ticket: Ticket, work: Work) -> list[_Part]:
    said = sentences(ticket)
    told = stations(ticket, work)
    titles = {"artwork": "Artwork", "clean": "Clean", "trace": "Trace", "lines": "Lines", "sheet": "Sheet",
              "machine": "Machine"}  # fmt: skip
    parts = [_Part(titles[key], tuple(one.text for one in said if one.station == key and one.on)) for key in STATIONS]
    parts += [_Part(f"On {sheet.stock.name}", _stock(sheet.stock)) for sheet in _one_a_stock(ticket)]
    return [part for part in [*parts, _checks(told)] if part.said]


def _one_a_stock(ticket: Ticket) -> list[Sheet]:
    return list({sheet.stock.key: sheet for sheet in ticket.sheets}.values())


def _stock(stock: Stock) -> tuple[str, ...]:
    """How it is handled, where anything is known."""
    said = []
    if stock.mirrored:
        said.append("Mirrored: it is pressed on its face.")
    if stock.beneath:
        said.append(f"Under it: {stock.beneath}.")
    if stock.press_heat is not None or stock.press_seconds is not None:
        heat = f"{stock.press_heat} °C" if stock.press_heat is not None else ""
        time = f"{stock.press_seconds} s" if stock.press_seconds is not None else ""
        pressure = f"{stock.press_pressure} pressure" if stock.press_pressure else ""
        peel = f"peel {stock.peel}" if stock.peel else ""
        said.append(f"Press: {', '.join(filter(None, (heat, time, pressure, peel)))}.")
    if stock.finishing:
        said.append(stock.finishing)
    return tuple(said)


def _checks(told: list[Station]) -> _Part:
    """What was looked at: what is fine in one line, what is not in a line each."""
    notes = [
        f"{note.of + ': ' if note.of else ''}{note.text} {_done(note)}".strip()
        for station in told for note in station.notes if note.weight != TOLD
    ]  # fmt: skip
    fine = [station.key.capitalize() for station in told if station.state == "fine"]
    said = [f"Fine: {', '.join(fine)}."] if fine else []
    return _Part("Checks", (*said, *dict.fromkeys(notes)))


def _done(note: Note) -> str:
    """What is to be done about it; or who has found it fine, and when."""
    return f"{note.accepted[:1].upper()}{note.accepted[1:]}." if note.accepted else note.what_to_do


def _sentences(page: Page, parts: list[_Part], x: float, top: float, foot: float) -> None:
    wide = page.width - MARGIN - x
    size = next((one for one in SIZES if top + _height(parts, wide, one) <= foot), SIZES[-1])
    y = top + leading(size) * 0.8
    left_over = 0
    for part in parts:
        if y + 2 * leading(size) > foot:
            left_over += len(part.said)
            continue
        page.text(x, y, part.title, size=size + 2, font=HEAD)
        page.rule(x, y + 1.0, wide, weight=0.4, colour=SOFT)
        y += leading(size + 2) + 0.6
        for words in part.said:
            if y + leading(size) * len(wrapped(words, wide, size)) > foot:
                left_over += 1
                continue
            y = page.lines(x, y, words, wide, size=size) + 0.5
        y += 1.6
    if left_over:
        page.text(x, foot, f"{left_over} more on screen.", size=size, font=STRONG)


def _height(parts: list[_Part], wide: float, size: float) -> float:
    return sum(
        leading(size + 2) + 2.2 + sum(leading(size) * len(wrapped(words, wide, size)) + 0.5 for words in part.said)
        for part in parts
    )


def _foot(page: Page, ticket: Ticket, work: Work) -> float:
    """The settings of each process, and boxes to tick; returns where it begins."""
    rows = _settings(ticket)
    tall = 12 + 4.4 * (len(rows) + 1 if rows else 0)
    top = page.height - MARGIN - tall
    wide = page.width - 2 * MARGIN
    page.rule(MARGIN, top, wide, weight=0.8)
    y = top + 4.6
    if rows:
        columns = (0.0, 46.0, 92.0, 112.0, 136.0, 152.0, 172.0)
        for at, words in zip(columns, _HEADS, strict=True):
            page.text(MARGIN + at * wide / 186, y, words, size=7.5, colour=SOFT)
        for row in rows:
            y += 4.4
            for at, words in zip(columns, row, strict=True):
                shown = words
                while width_of(shown, 8.5) > 44 * wide / 186:
                    shown = shown[:-2]
                page.text(MARGIN + at * wide / 186, y, shown, size=8.5, font=BODY, colour=INK)
        y += 6
    x = MARGIN
    for words in ("printed", "cut", "weeded", "pressed", "delivered"):
        page.box(x, y + 0.2, 3.2, 3.2, edge=INK)
        x += 5 + page.text(x + 4.6, y + 2.9, words, size=9) + 6
    return top


_HEADS = ("Machine", "Process", "Force or power", "Speed", "Passes", "Offset or kerf", "Overcut or lead")


def _settings(ticket: Ticket) -> list[tuple[str, ...]]:
    rows: list[tuple[str, ...]] = []
    for sheet in ticket.sheets:
        used = {line.process.kind for held in sheet.holds for line in ticket.layer(held.layer).lines if line.on}
        if sheet.border != NO_BORDER or sheet.weed_lines != NO_WEED_LINES:
            used.add(WEEDS)
        for own in sheet.settings:
            if own.process in used:
                speed = f"{own.speed} mm/s" if own.speed else "its own"
                how = _of_a_beam(own) if sheet.machine.burns else _of_a_blade(own)
                rows.append((sheet.machine.name, own.process, how[0], speed, str(own.passes), *how[1:]))
    return list(dict.fromkeys(rows))[:8]


def _of_a_blade(own: Setting) -> tuple[str, str, str]:
    force = f"{own.force} g" if own.force else "its own"
    return force, f"{format_number(own.blade_offset, 2)} mm", f"{format_number(own.overcut, 2)} mm"


def _of_a_beam(own: Setting) -> tuple[str, str, str]:
    power = "not set" if own.power is None else f"{format_number(100 * own.power, 1)} %"
    lead = own.lead if own.lead == "no lead-in" else f"{own.lead}, {format_number(own.lead_length, 2)} mm"
    return power, f"{format_number(own.kerf, 2)} mm", lead if parts(own.process) else ""
