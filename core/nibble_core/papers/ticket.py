"""The printed ticket: the whole job in its sentences, with what is seen of it, on as many pages as it takes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import date

from nibble_core.geometry.units import format_number
from nibble_core.papers.drawing import draw_piece, draw_sheet, has_second_side, piece_box
from nibble_core.papers.page import BODY, HEAD, INK, MARGIN, SOFT, STRONG, Page, leading, width_of, wrapped
from nibble_core.papers.said import BLANK, said_at
from nibble_core.pipeline.afterwards import steps_of
from nibble_core.pipeline.notes import TOLD, Note
from nibble_core.pipeline.quantities import number_of
from nibble_core.pipeline.report import Station, stations
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import NO_BORDER, NO_WEED_LINES
from nibble_core.processes import WEED_CUT, parts
from nibble_core.ticket.heads import ByBeam, ByKnife
from nibble_core.ticket.model import Piece, Setting, Sheet, Stock, Ticket
from nibble_core.ticket.saying import STATIONS, slot
from nibble_core.ticket.sentences import sheet_name

LEAST_PICTURE = 24.0  # mm
LEFT = 76.0  # mm, of the column with the pictures
GAP = 6.0
SIZES = (11.5, 10.5, 9.5, 9.0)  # of type, the first that fits on one page; nobody reads less at arm's length
MOST_ROWS = 12  # of settings at the foot of a page


@dataclass(frozen=True)
class _Part:
    """A heading and what is said under it."""

    title: str
    said: tuple[str, ...]


NOT_REHEARSED: Mapping[str, str] = {}


def printed_ticket(
    ticket: Ticket, work: Work, *, code: str, size: str = "a4", rehearsed: Mapping[str, str] = NOT_REHEARSED
) -> bytes:
    """A PDF of as many pages as the job takes. code: of job and revision, which the search field takes. rehearsed:
    what came of it, by sheet."""
    page = Page(size, f"{ticket.name}, ticket {code}")
    pictures, words, rows = _drawings(ticket, work), _parts(ticket, work), _settings(ticket)
    top = _head(page, ticket, code) + 5.5
    wide = page.width - 2 * MARGIN - LEFT - GAP
    foot = page.height - MARGIN - _tall(rows[:MOST_ROWS])
    fits = (one for one in SIZES if top + _height(words, wide, one) + 2 * leading(one) <= foot - 4)
    type_size = next(fits, SIZES[-1])
    lines = _lines(words, wide, type_size)
    while True:
        foot = _foot(page, rows[:MOST_ROWS], steps_of(ticket) if page.number == 1 else [])
        rows = rows[MOST_ROWS:]
        pictures = _pictures(page, ticket, work, pictures, top, foot - 4, rehearsed)
        lines = _column(page, lines, MARGIN + LEFT + GAP, top, foot - 4, type_size)
        if not (pictures or lines or rows):
            return page.finished()
        top = page.turn()


def _head(page: Page, ticket: Ticket, code: str) -> float:
    page.code(page.width - MARGIN - 17, MARGIN, 17, code)
    client = ticket.client or f"client {BLANK}"
    return page.head(ticket.name, [client, f"due {_day(ticket.due)}", f"ticket {code}"], room=24)


def _day(due: str | None) -> str:
    """A day as people say it; room to write one where there is none."""
    if due is None:
        return BLANK
    day = date.fromisoformat(due)
    return f"{day:%a} {day.day} {day:%b} {day.year}"


_Drawing = tuple[Piece, bool] | Sheet
"""A piece and whether its second side is meant, or a sheet."""


def _drawings(ticket: Ticket, work: Work) -> list[_Drawing]:
    """Pieces in their order with their second sides, then the sheets."""
    found: list[_Drawing] = []
    for piece in ticket.pieces:
        if piece_box(piece, work):
            found.append((piece, False))
            if has_second_side(piece, ticket, work):
                found.append((piece, True))
    return [*found, *(sheet for sheet in ticket.sheets if sheet.id in work.sheets)]


def _pictures(
    page: Page, ticket: Ticket, work: Work, drawings: Sequence[_Drawing], top: float, foot: float,
    rehearsed: Mapping[str, str],
) -> list[_Drawing]:  # fmt: skip
    """As many as have room: pieces in their true proportion with their sizes, sheets as they are weeded. Returns the
    others."""
    each = max((foot - top) / max(1, len(drawings)) - 9, LEAST_PICTURE)
    y = top
    for number, one in enumerate(drawings):
        if y + LEAST_PICTURE + 10 > foot:
            return list(drawings[number:])
        room = min(each, foot - y - 10)
        if isinstance(one, Sheet):
            y = _sheet_drawn(page, one, ticket, work, y, min(room, 90), rehearsed.get(one.id, ""))
            continue
        piece, behind = one
        box = piece_box(piece, work)
        assert box is not None
        _, tall = draw_piece(page, piece, ticket, work, MARGIN, y, LEFT, min(room, 70), lines=True, behind=behind)
        y += tall + 4
        count = number_of(piece, ticket, work)
        size = f"{format_number(box.width, 1)} × {format_number(box.height, 1)} mm, {count} wanted"
        name = f"{piece.name}, second side" if behind else piece.name
        y = _named(page, name, "" if behind else size, y)
    return []


def _sheet_drawn(
    page: Page, sheet: Sheet, ticket: Ticket, work: Work, y: float, room: float, rehearsed: str
) -> float:  # fmt: skip
    laid = work.sheets[sheet.id].laid.value
    _, tall = draw_sheet(page, sheet, work, MARGIN, y, LEFT, room)
    runs = f", run {laid.times} times" if laid.times > 1 else ""
    copies = "1 copy" if laid.copies == 1 else f"{laid.copies} copies"
    size = f"{laid.width:.0f} × {laid.height:.0f} mm, {copies}{runs}"
    y = _named(page, sheet_name(sheet, ticket) or "the sheet", size, y + tall + 4)
    page.text(MARGIN, y - 2, "Solid stays, hatched goes.", size=9, colour=SOFT)
    for line in wrapped(rehearsed, LEFT, 9):
        page.text(MARGIN, y + 2, line, size=9, colour=SOFT)
        y += leading(9)
    return y + 4


def _named(page: Page, name: str, said: str, y: float) -> float:
    """A name with what is said of it behind, or below where both have no room in a line; returns where to go on."""
    beside = width_of(said, 9)
    for line in wrapped(name, LEFT, 9, STRONG)[:3]:
        page.text(MARGIN, y, line, size=9, font=STRONG)
        taken = width_of(line, 9, STRONG)
        y += leading(9)
    if said and taken + beside + 3 > LEFT:
        page.text(MARGIN + LEFT, y, said, size=9, colour=SOFT, right=True)
        return y + 6
    page.text(MARGIN + LEFT, y - leading(9), said, size=9, colour=SOFT, right=True)
    return y - leading(9) + 6


def _parts(ticket: Ticket, work: Work) -> list[_Part]:
    parts = [_Part(station.capitalize(), tuple(said_at(station, ticket))) for station in STATIONS]
    handled: dict[tuple[str, ...], list[str]] = {}
    for sheet in _one_a_stock(ticket):
        handled.setdefault(_stock(sheet.stock), []).append(sheet.stock.name)
    parts += [_Part(f"On {' and '.join(names)}", said) for said, names in handled.items()]
    return [part for part in [*parts, _checks(stations(ticket, work))] if part.said]


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


@dataclass(frozen=True)
class _Line:
    """One line of the column of sentences. title: whether it is a heading; above: mm kept free above it."""

    words: str
    title: bool = False
    above: float = 0.0


def _lines(parts: Sequence[_Part], wide: float, size: float) -> list[_Line]:
    found = []
    for part in parts:
        found.append(_Line(part.title, True, 1.6))
        for words in part.said:
            found += [_Line(line, False, 0.5 if not n else 0.0) for n, line in enumerate(wrapped(words, wide, size))]
    return found


def _column(
    page: Page, lines: Sequence[_Line], x: float, top: float, foot: float, size: float
) -> list[_Line]:  # fmt: skip
    """As many lines as have room, a heading never last; returns the others."""
    y = top + leading(size) * 0.8
    for number, line in enumerate(lines):
        tall = leading(size + 2) + 0.6 if line.title else leading(size)
        needed = tall + 2 * leading(size) if line.title else 0.0
        if y + line.above + needed > foot:
            return list(lines[number:])
        y += line.above if number else 0.0
        page.text(x, y, line.words, size=size + 2 if line.title else size, font=HEAD if line.title else BODY)
        if line.title:
            page.rule(x, y + 1.0, page.width - MARGIN - x, weight=0.4, colour=SOFT)
        y += tall
    return []


def _height(parts: list[_Part], wide: float, size: float) -> float:
    return sum(
        leading(size + 2) + 2.2 + sum(leading(size) * len(wrapped(words, wide, size)) + 0.5 for words in part.said)
        for part in parts
    )


def _tall(rows: Sequence[tuple[str, ...]]) -> float:
    return 12 + 4.6 * len(rows)


def _foot(page: Page, rows: Sequence[tuple[str, ...]], ticks: Sequence[str]) -> float:
    """The settings of each process, and boxes to tick; returns where it begins."""
    if not rows and not ticks:
        return page.height - MARGIN
    top = page.height - MARGIN - _tall(rows)
    wide = page.width - 2 * MARGIN
    page.rule(MARGIN, top, wide, weight=0.8)
    y = top
    if rows:
        ends = (*_COLUMNS[1:], 186.0)
        for row in rows:
            y += 4.6
            if len(row) == 1:  # a machine's name, or what is set beyond the columns
                page.text(MARGIN, y, _within(row[0], wide), size=9, font=STRONG if row[0][0] != " " else BODY)
                continue
            heads = row == _HEADS
            for at, end, words in zip(_COLUMNS, ends, row, strict=True):
                shown = _within(words, (end - at - 1.5) * wide / 186)
                page.text(MARGIN + at * wide / 186, y, shown, size=9, colour=SOFT if heads else INK)
        y += 2
    y += 4
    x = MARGIN
    for words in ticks:
        page.box(x, y + 0.2, 3.2, 3.2, edge=INK)
        x += 5 + page.text(x + 4.6, y + 2.9, words, size=9) + 6
    return top


_HEADS = ("Process", "Spot colour, pen", "Force, power", "Speed", "Passes", "Offset, kerf", "Overcut, lead")
_COLUMNS = (0.0, 26.0, 72.0, 98.0, 120.0, 136.0, 160.0)
_IN_COLUMNS = (
    "force", "power", "speed", "passes", "blade_offset", "overcut", "kerf", "lead", "lead_length", "kind",
)  # fmt: skip
"""Values of a setting that the table shows; the others are told below a row, where they are not the usual ones."""


def _within(words: str, wide: float) -> str:
    """Words cut to a width in mm."""
    while width_of(words, 9) > wide:
        words = words[:-2]
    return words


def _settings(ticket: Ticket) -> list[tuple[str, ...]]:
    """Rows of the table, each process once for each machine and stock that it is set for."""
    found: dict[str, list[tuple[str, ...]]] = {}
    for sheet in ticket.sheets:
        machine = sheet.machine
        used = {line.process.kind for held in sheet.holds for line in ticket.layer(held.layer).lines if line.on}
        if sheet.border != NO_BORDER or sheet.weed_lines != NO_WEED_LINES:
            used.add(WEED_CUT)
        rows = found.setdefault(f"{machine.name}, {sheet.stock.name}", [])
        for own in sheet.settings:
            if own.process not in used:
                continue
            speed = f"{own.speed} mm/s" if own.speed else "its own"
            how = _columns(own)
            pen = f", pen {machine.pen(own.process)}" if "hpgl" in machine.formats else ""
            row = (own.process, f"{machine.spot(own.process).ink}{pen}", how[0], speed, str(own.passes), *how[1:])
            more = [slot("", own.how, one.name) for one in fields(own.how) if one.name not in _IN_COLUMNS]
            changed = ", ".join(f"{one.called} {one.text}" for one in more if one.changed)
            if row not in rows:
                rows += [row, (f"  {changed}",)] if changed else [row]
    return [
        row for name, rows in _alike_once(found).items() if rows for row in ((name,), _HEADS, *rows)
    ]  # fmt: skip


def _alike_once(found: dict[str, list[tuple[str, ...]]]) -> dict[str, list[tuple[str, ...]]]:
    """Tables of settings, those that are alike under one name."""
    names: dict[tuple[tuple[str, ...], ...], list[str]] = {}
    for name, rows in found.items():
        names.setdefault(tuple(rows), []).append(name)
    return {"; ".join(some): list(rows) for rows, some in names.items()}


def _columns(own: Setting) -> tuple[str, str, str]:
    """Force or power, offset or kerf, overcut or lead-in."""
    if isinstance(own.how, ByKnife):
        return _of_a_blade(own.how)
    return _of_a_beam(own.process, own.how) if isinstance(own.how, ByBeam) else ("", "", "")


def _of_a_blade(own: ByKnife) -> tuple[str, str, str]:
    force = f"{own.force} g" if own.force else "its own"
    return force, f"{format_number(own.blade_offset, 2)} mm", f"{format_number(own.overcut, 2)} mm"


def _of_a_beam(process: str, own: ByBeam) -> tuple[str, str, str]:
    power = "not set" if own.power is None else f"{format_number(100 * own.power, 1)} %"
    lead = own.lead if own.lead == "no lead-in" else f"{own.lead}, {format_number(own.lead_length, 2)} mm"
    return power, f"{format_number(own.kerf, 2)} mm", lead if parts(process) else ""
