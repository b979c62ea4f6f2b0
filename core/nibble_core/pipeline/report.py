"""What each station says of the work: its state, one short fact, notes in words, and figures."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

from nibble_core.geometry.units import format_number
from nibble_core.pipeline.artwork_report import report_artwork, report_clean, report_trace
from nibble_core.pipeline.heads import work_of
from nibble_core.pipeline.laying import arrangement_of
from nibble_core.pipeline.lines_report import report_lines
from nibble_core.pipeline.minutes import minutes_of
from nibble_core.pipeline.notes import BLOCKED, FINE, LOOK, MONEY, WAITING, Draft, Mend, Note, judged, minutes, setting
from nibble_core.pipeline.quantities import repeated
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.room import EACH_ITS_OWN, needs_of, spacing_of, widest_kerf
from nibble_core.pipeline.round_report import report_goods, report_turned
from nibble_core.pipeline.sheets import (
    caption_of,
    each_by_itself,
    program_of,
)
from nibble_core.pipeline.stocktaking import kept_area, stock_area, stock_length
from nibble_core.sheet import LaidSheet
from nibble_core.ticket import fingerprint, to_plain
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.ticket.sentences import STATIONS, copies_name, sheet_name

MOST_RUNS = 10_000
MOST_BLOCKS = 3  # of copies, that are told in a line


@dataclass(frozen=True)
class Figure:
    """A value with its label, and the id of the artwork, piece or sheet it is about; empty for the job."""

    value: str
    label: str
    about: str = ""


@dataclass(frozen=True)
class Station:
    """A tile of the track: key, state (fine, look, blocked or waiting), fact, notes, figures. facts: those of each
    artwork, piece or sheet, by id."""

    key: str
    state: str = FINE
    fact: str = ""
    notes: tuple[Note, ...] = ()
    figures: tuple[Figure, ...] = ()
    facts: tuple[tuple[str, str], ...] = ()


Told = dict[str, list[tuple[str, Draft]]]
"""By station: what it says of each thing, with that thing's id."""


def stations(ticket: Ticket, work: Work) -> list[Station]:
    """The six stations in order."""
    told: Told = {key: [] for key in STATIONS}

    def draft(station: str, about: str = "") -> Draft:
        told[station].append((about, Draft()))
        return told[station][-1][1]

    for artwork in ticket.artworks:
        report_artwork(draft("artwork", artwork.id), artwork, ticket, work)
        report_clean(draft("clean", artwork.id), artwork, work)
        report_trace(draft("trace", artwork.id), artwork, ticket, work)
    for piece in ticket.pieces:
        report_lines(draft("lines", piece.id), piece, ticket, work)
        report_goods(draft("sheet", piece.id), piece, ticket, work)
    for sheet in ticket.sheets:
        report = report_turned if ticket.turns(sheet) else _sheet
        report(draft("sheet", sheet.id), sheet, ticket, work)
    for piece in ticket.pieces:
        for layer in piece.layers:
            if layer.lines and not ticket.sheets_of(layer.id):
                said = f"“{copies_name(layer.id, ticket)}” lies on no sheet: no file holds it."
                where = f"pieces/{piece.id}/layers/{layer.id}"
                draft("sheet").notes.append(Note(said, "Bring it onto one.", where, LOOK))
    _machine(draft("machine"), ticket, work)
    for sheet in ticket.sheets:
        work_of(sheet.machine).report(draft("machine", sheet.id), sheet, ticket, work)
    for problem in work.problems:
        error = problem.error
        note = Note(error.message, error.what_to_do, problem.where, BLOCKED, problem.mends)
        told[problem.station].insert(0, ("", Draft(notes=[note])))
    return _with_states(told, ticket)


def _machine(draft: Draft, ticket: Ticket, work: Work) -> None:
    draft.fact = "ready to make files"
    if work.problems:
        return
    laid = [sheet for sheet in ticket.sheets if sheet.id in work.sheets]
    by_moves = [minutes_of(sheet, work) for sheet in laid if work_of(sheet.machine).by_moves]
    planned = [own for own in by_moves if own is not None]
    if planned:
        draft.fact = f"{minutes(sum(planned), 0)} min to run"
    run = [minutes_of(sheet, work) for sheet in laid if not work_of(sheet.machine).by_moves]
    known = [own for own in run if own is not None]
    if sum(known):
        others = "" if len(known) == len(run) else ", where the speed is known"
        draft.figures.append((minutes(sum(known)), f"minutes along the lines{others}"))


def _with_states(told: Told, ticket: Ticket) -> list[Station]:
    made: list[Station] = []
    blocked_by = ""
    for key, drafts in told.items():
        facts = tuple((about, draft.fact) for about, draft in drafts if draft.fact)
        notes = tuple(
            judged(key, replace(note, of=_belongs(note.where, ticket)), ticket) for _, draft in drafts
            for note in draft.notes
        )  # fmt: skip
        figures = tuple(Figure(*figure, about) for about, draft in drafts for figure in draft.figures)
        station = Station(key, FINE, _summed(key, [fact for _, fact in facts]), notes, figures, facts)
        weights = {note.weight for note in notes}
        if BLOCKED in weights:
            fact = station.fact if station.fact and key != "machine" else "blocked"
            station = replace(station, state=BLOCKED, fact=fact)
            blocked_by = blocked_by or key
        elif blocked_by:
            fact = f"waits for {blocked_by.capitalize()}"
            station = replace(station, state=WAITING, fact=fact, figures=(), facts=())
        elif LOOK in weights:
            station = replace(station, state=LOOK)
        made.append(station)
    return made


def _summed(station: str, facts: list[str]) -> str:
    """One fact for the whole job."""
    if len(facts) < 2 or station != "sheet":
        return facts[0] if facts else ""
    return f"{len(facts)} sheets: {facts[0]} …"


def _belongs(where: str, ticket: Ticket) -> str:
    """What a path into the ticket belongs to, in words, where there are several of the kind."""
    way = [*where.split("/"), "", "", "", ""]
    if way[0] == "artworks" and len(ticket.artworks) > 1:
        return next((artwork.name for artwork in ticket.artworks if artwork.id == way[1]), "")
    if way[0] == "sheets":
        return next((sheet_name(sheet, ticket) for sheet in ticket.sheets if sheet.id == way[1]), "")
    piece = next((piece for piece in ticket.pieces if way[0] == "pieces" and piece.id == way[1]), None)
    if piece is None:
        return ""
    layer = next((one.name for one in piece.layers if way[2] == "layers" and one.id == way[3]), "")
    named = [piece.name] if len(ticket.pieces) > 1 else []
    return ", ".join([*named, *([layer] if layer and len(piece.layers) > 1 else [])])


def _sheet(draft: Draft, sheet: Sheet, ticket: Ticket, work: Work) -> None:
    if sheet.id not in work.sheets:
        return
    laid, where = work.sheets[sheet.id].laid.value, f"sheets/{sheet.id}"
    length = laid.used_height
    long = f"{length / 1000:.2f} m" if length >= 1000 else f"{length:.0f} mm"
    draft.fact = f"{'1 copy' if laid.copies == 1 else f'{_thousands(laid.copies)} copies'}, {long}"
    if laid.times > 1:
        alike = repeated(ticket.piece_of_layer(laid.layers[0])) if len(laid.layers) == 1 else 1
        draft.fact = f"{laid.times} sheets of {_thousands(laid.copies * alike)}"
    draft.notes += [
        *_panels(sheet, work, where), *_quantities(ticket, sheet, laid, where), *_gaps(ticket, sheet, laid, where),
        *_distances(ticket, sheet, work, where), *_direction(sheet, laid, where),
        *_stretch(ticket, sheet, laid, where), *_shared(sheet, work, where), *_behind(sheet, ticket, where),
        *_left(sheet, work, where), *_without_caption(ticket, sheet, laid, where),
    ]  # fmt: skip
    draft.figures = _figures(sheet, laid, work)


def _panels(sheet: Sheet, work: Work, where: str) -> Iterator[Note]:
    strips = work.sheets[sheet.id].panels
    if len(strips) > 1:
        widest = max(strip.width for strip in strips)
        said = f"Made as {len(strips)} panels of {widest:.0f} mm at most, each a file of its own, laid from the left."
        yield Note(said, where=where)
    for number, seam in enumerate(work.sheets[sheet.id].seams, 1):
        if seam.crossed:
            shapes = "a shape" if seam.crossed == 1 else f"{seam.crossed} shapes"
            said = f"Seam {number}, {seam.x:.0f} mm from the left, runs through {shapes}."
            yield Note(said, "Move it into a gap, or let seams reach further.", where, LOOK)


def _quantities(ticket: Ticket, sheet: Sheet, laid: LaidSheet, where: str) -> Iterator[Note]:
    """How many are made, where that is not what is wanted."""
    if laid.times > 1:
        yield Note(f"Run this sheet {laid.times} times: {laid.copies * laid.times} copies.", where=where)
    for held in () if sheet.behind else sheet.holds:
        wanted, made = ticket.wanted_on(sheet, held.layer), laid.copies_of(held.layer) * laid.times
        of = f" of {copies_name(held.layer, ticket)}" if len(sheet.holds) > 1 else ""
        if made > wanted and sheet.amount == "a full sheet":
            yield Note(f"A full sheet makes {_thousands(made)}{of}; {_thousands(wanted)} are wanted.", where=where)
        elif made > wanted + sheet.spares and laid.times > 1:
            yield Note(f"That is {made - wanted - sheet.spares} more{of} than wanted.", where=where)
        elif made < wanted:
            said = f"{_thousands(made)}{of} are made; {_thousands(wanted)} are wanted."
            mends = _more_runs(sheet, laid, held.layer, wanted)
            yield Note(said, "Lay more, or run the sheet more often.", where, LOOK, mends)


def _gaps(ticket: Ticket, sheet: Sheet, laid: LaidSheet, where: str) -> Iterator[Note]:
    """Why copies lie further apart than was asked."""
    gap = spacing_of(ticket, sheet)
    if gap <= sheet.spacing + 0.005 or laid.copies <= 1:
        return
    said = f"Copies lie {format_number(gap, 1)} mm apart, since {needs_of(sheet.machine).why} so much between them."
    if sheet.shared != EACH_ITS_OWN and gap == widest_kerf(sheet):
        kerf = f"a kerf apart, {format_number(gap, 2)} mm"
        said = f"Copies lie {kerf}: the {sheet.machine.head.runs} runs on one line for both."
    yield Note(said, "", where)


def _shared(sheet: Sheet, work: Work, where: str) -> Iterator[Note]:
    """That nothing is cut once for two copies, though it was asked."""
    if sheet.shared != EACH_ITS_OWN and program_of(sheet, work).length > each_by_itself(sheet, work).length - 1e-3:
        said = "No two copies have a straight side in common, so that none is cut once for both."
        yield Note(said, "Lay them without distance and bleed, straight side against straight side.", where, LOOK)


def _left(sheet: Sheet, work: Work, where: str) -> Iterator[Note]:
    """More stock than is left of it."""
    stock, used = sheet.stock, stock_length(sheet, work)
    if stock.length_left is not None and used > stock.length_left:
        said = f"This takes {used / 1000:.2f} m; {stock.length_left / 1000:.2f} m of {stock.name} are left."
        yield Note(said, "Order some, or choose another stock.", where, LOOK)


def _without_caption(ticket: Ticket, sheet: Sheet, laid: LaidSheet, where: str) -> Iterator[Note]:
    captioned = sheet.caption != "nothing" and ticket.first_side(sheet).marks and ticket.prints_on(sheet)
    if captioned and not caption_of(sheet, ticket, laid):
        said = "The sheet has no room for a line of print beside the work."
        yield Note(said, "Lay more copies, or put the marks further out.", where, LOOK)


def _figures(sheet: Sheet, laid: LaidSheet, work: Work) -> list[tuple[str, str]]:
    blocks = [f"{columns} × {rows}" for columns, rows in laid.blocks if columns * rows > 1]
    area, kept = stock_area(sheet, work), kept_area(sheet, work)
    share = None if kept is None or not area else 1 - kept / area
    figures = [
        *([(" and ".join(blocks), "across and down")] if 0 < len(blocks) <= MOST_BLOCKS else []),
        (f"{laid.width:.1f} × {laid.height:.1f}", "mm, the sheet"),
        *([] if laid.used is None else [(f"{laid.used_width:.1f} × {laid.used_height:.1f}", "mm are used")]),
        (_thousands(laid.copies * laid.times), "copies in all"),
        *([] if share is None else [(f"{100 * share:.0f} %", "of the stock is waste")]),
        (str(len(laid.marks.places)), "registration marks"),
    ]
    if sheet.stock.price:
        figures.append((f"{area * sheet.stock.price:.2f} {MONEY}", "cost of the material"))
        if share is not None:
            figures.append((f"{share * area * sheet.stock.price:.2f} {MONEY}", "of that is waste"))
    return figures


def _more_runs(sheet: Sheet, laid: LaidSheet, layer: str, wanted: int) -> tuple[Mend, ...]:
    """Running copies that lie as they were placed so often that there are enough."""
    copies = laid.copies_of(layer)
    runs = math.ceil(wanted / copies) if copies else 0
    if not arrangement_of(sheet.arrangement).by_hand or not 1 < runs <= MOST_RUNS:
        return ()
    return (setting(f"Run it {runs} times", f"sheets/{sheet.id}/runs", runs),)


def _behind(sheet: Sheet, ticket: Ticket, where: str) -> list[Note]:
    """A second side that is said to be made of something else than its first."""
    first = ticket.first_side(sheet)
    if fingerprint(first.stock) == fingerprint(sheet.stock):
        return []
    number = ticket.number(first)
    mend = setting(f"Take that of sheet {number}", f"{where}/stock", to_plain(first.stock))
    said = f"A second side is of the stock of its first: sheet {number} is of {first.stock.name}."
    return [Note(said, "", where, LOOK, mends=(mend,))]


def _direction(sheet: Sheet, laid: LaidSheet, where: str) -> list[Note]:
    """Whether a sheet that is fed the wrong way round would be noticed."""
    places = {(round(x, 3), round(y, 3)) for x, y in laid.marks.places}
    turned = {(round(laid.width - x, 3), round(laid.height - y, 3)) for x, y in places}
    if not places or places != turned or sheet.caption != "nothing":
        return []
    mends = (
        setting("Set a direction mark", f"{where}/mark_key", "a direction mark"),
        setting("Print which way it is fed", f"{where}/caption", "job, sheet and feed"),
    )
    return [Note("The marks look the same when the sheet is fed the wrong way round.", "", where, mends=mends)]


def _stretch(ticket: Ticket, sheet: Sheet, laid: LaidSheet, where: str) -> list[Note]:
    """What a press that always stretches makes of the size of a sheet."""
    machine = sheet.machine
    if machine.stretch == (0.0, 0.0) or not ticket.prints_on(sheet) or sheet.print_size != "at true size":
        return []
    wider, longer = laid.width * machine.stretch[0] / 100, laid.used_height * machine.stretch[1] / 100
    grown = [f"{format_number(abs(much), 1)} mm {larger if much > 0 else smaller}"
             for much, larger, smaller in ((wider, "wider", "narrower"), (longer, "longer", "shorter"))
             if abs(much) >= 0.05]  # fmt: skip
    if not grown:
        return []
    said = f"By the record of its press this sheet comes out {' and '.join(grown)} than it is drawn."
    mend = setting("Print it ready for the stretch", f"{where}/print_size", "ready for the stretch")
    return [Note(said, "Cuts follow the marks; the size of the pieces does not.", where, mends=(mend,))]


def _distances(ticket: Ticket, sheet: Sheet, work: Work, where: str) -> list[Note]:
    """Copies put too near to each other."""
    near = [one for one in work.sheets[sheet.id].crowded if one.apart > 0]
    if not near:
        return []
    pairs = "Two copies are" if len(near) == 1 else f"{len(near)} pairs of copies are"
    said = f"{pairs} nearer than {format_number(spacing_of(ticket, sheet), 2)} mm: {near[0].apart:.2f} mm apart."
    return [Note(said, "Move them apart, lower the spacing, or nest them again.", where, LOOK)]


def _thousands(number: int) -> str:
    return f"{number:,}".replace(",", " ")
