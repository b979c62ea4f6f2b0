"""What each station says of the work: its state, one short fact, notes in words, and figures."""

from __future__ import annotations

from dataclasses import dataclass, replace

from nibble_core.pipeline.artwork_report import report_artwork, report_clean, report_trace
from nibble_core.pipeline.lines_report import report_lines
from nibble_core.pipeline.notes import BLOCKED, FINE, LOOK, WAITING, Draft, Note
from nibble_core.pipeline.work import Work
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.ticket.sentences import STATIONS


@dataclass(frozen=True)
class Station:
    """A tile of the track: key, state (fine, look, blocked or waiting), fact, notes, figures (value, label)."""

    key: str
    state: str = FINE
    fact: str = ""
    notes: tuple[Note, ...] = ()
    figures: tuple[tuple[str, str], ...] = ()


def stations(ticket: Ticket, work: Work) -> list[Station]:
    """The six stations in order."""
    drafts = {key: Draft() for key in STATIONS}
    for artwork in ticket.artworks:
        report_artwork(drafts["artwork"], artwork, ticket, work)
        report_clean(drafts["clean"], artwork, work)
        report_trace(drafts["trace"], artwork, work)
    report_lines(drafts["lines"], ticket, work)
    for sheet in ticket.sheets:
        _sheet(drafts["sheet"], sheet, ticket, work)
    drafts["machine"].fact = "ready to make files"
    drafts["machine"].figures = [(ticket.machine.name, "machine"), (str(len(ticket.machine.spots)), "spot colours")]
    minutes = _minutes(ticket, work)
    if minutes:
        drafts["machine"].figures.append((f"{minutes:.1f}", "minutes along the lines"))
    for problem in work.problems:
        error = problem.error
        drafts[problem.station].notes.insert(0, Note(error.message, error.what_to_do, problem.where, BLOCKED))
    return _with_states(drafts)


def _minutes(ticket: Ticket, work: Work) -> float:
    """Along the lines of all copies of all pieces; nothing where the machine's speed is not known."""
    each = [
        (piece.quantity, work.layers[layer.id].value.minutes(ticket.machine))
        for piece in ticket.pieces
        for layer in piece.layers
        if layer.id in work.layers
    ]
    return sum(quantity * minutes for quantity, minutes in each if minutes)


def _with_states(drafts: dict[str, Draft]) -> list[Station]:
    told: list[Station] = []
    blocked_by = ""
    for key, draft in drafts.items():
        station = Station(key, FINE, draft.fact, tuple(draft.notes), tuple(draft.figures))
        weights = {note.weight for note in draft.notes}
        if BLOCKED in weights:
            station = replace(station, state=BLOCKED, fact=draft.fact or "blocked")
            blocked_by = blocked_by or key
        elif blocked_by:
            station = replace(station, state=WAITING, fact=f"waits for {blocked_by.capitalize()}", figures=())
        elif LOOK in weights:
            station = replace(station, state=LOOK)
        told.append(station)
    return told


def _sheet(draft: Draft, sheet: Sheet, ticket: Ticket, work: Work) -> None:
    if sheet.id not in work.layouts:
        return
    layout = work.layouts[sheet.id]
    long = f"{layout.height / 1000:.2f} m" if layout.height >= 1000 else f"{layout.height:.0f} mm"
    draft.fact = f"{layout.copies} up, {long}"
    quantity = ticket.piece_of_layer(sheet.layer).quantity
    if layout.sheets > 1:
        made = layout.copies * layout.sheets
        extra = f" ({made - quantity} more than wanted)" if made != quantity else ""
        draft.notes.append(
            Note(f"Run this sheet {layout.sheets} times: {made} copies{extra}.", where=f"sheets/{sheet.id}")
        )
    draft.figures = [
        (f"{layout.columns} × {layout.rows}", "across and down"),
        (f"{layout.width:.1f} × {layout.height:.1f}", "mm, the sheet"),
        (_thousands(layout.copies * layout.sheets), "copies in all"),
        (str(len(layout.marks)), "registration marks"),
    ]


def _thousands(number: int) -> str:
    return f"{number:,}".replace(",", " ")
