"""The whole recipe: a ticket and the client's bytes to everything the screen shows and the files hold.

A stage that cannot be done leaves its error where it stands; what depends on it is left out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial

from nibble_core.errors import Cancelled, CannotMake, NibbleError, UnreadableFile
from nibble_core.formats.profiles import read_profile
from nibble_core.geometry import Box
from nibble_core.graphics import Press
from nibble_core.pipeline.beams import burn_lines, check_beam, plan_beam
from nibble_core.pipeline.bending import Bending, bent_layer, evenly_filled, with_even_power
from nibble_core.pipeline.both_sides import compare_sides
from nibble_core.pipeline.clean import clean
from nibble_core.pipeline.client_files import Sources, client_file
from nibble_core.pipeline.compose import PieceResult, compose_piece
from nibble_core.pipeline.engraving import engrave
from nibble_core.pipeline.examine import examine
from nibble_core.pipeline.footprints import footprint_of
from nibble_core.pipeline.lines import HANGER, LayerResult, draw_lines
from nibble_core.pipeline.notes import Mend, setting
from nibble_core.pipeline.panels import part_sheet
from nibble_core.pipeline.pinning import add_pins
from nibble_core.pipeline.prints import PrintResult, plate_of, print_layer
from nibble_core.pipeline.read import read, unit_of
from nibble_core.pipeline.results import Problem, Work
from nibble_core.pipeline.round_checks import check_round
from nibble_core.pipeline.routing import check_route, route
from nibble_core.pipeline.sheets import (
    FREES,
    NO_BORDER,
    NO_CROSS_CUT,
    NO_WEED_LINES,
    WEEDS,
    add_weeds,
    check_distances,
    check_edges,
    lay_out,
)
from nibble_core.pipeline.sizes import finished_size
from nibble_core.pipeline.store import Keyed, ResultStore, derived
from nibble_core.pipeline.touch_ups import trace
from nibble_core.pipeline.trace import require_shapes
from nibble_core.pipeline.turning import lay_round
from nibble_core.pipeline.unset_settings import unset
from nibble_core.processes import PROCESSES
from nibble_core.ticket import Change
from nibble_core.ticket.artwork import Artwork
from nibble_core.ticket.goods import OnRound
from nibble_core.ticket.library import STARTING, Library
from nibble_core.ticket.model import Layer, Machine, Piece, Sheet, Stock, Ticket
from nibble_core.ticket.piece import Printed, SpotPlate
from nibble_core.ticket.saying import STATIONS

LINES, SHEET = STATIONS.index("lines"), STATIONS.index("sheet")


def work_out(
    ticket: Ticket,
    sources: Sources,
    store: ResultStore,
    *,
    preview: bool = False,
    upto: str = STATIONS[-1],
    library: Library = STARTING,
    cancelled: Callable[[], bool] = lambda: False,
    doing: Callable[[str], None] = lambda words: None,
) -> Work:
    """What follows from a ticket, ``upto`` a station. ``preview``: reduced pictures and unfitted contours, under keys
    of their own. ``library``: the machines that a mend may name. ``doing`` is told what is begun. Raises Cancelled when
    ``cancelled()`` turns true between stages; other errors become problems."""
    work = Work()

    def attempt(station: str, where: str, step: Callable[[], None]) -> None:
        if cancelled():
            raise Cancelled("This work was superseded.")
        doing(_DOING[station])
        try:
            step()
        except Cancelled:
            raise
        except NibbleError as error:
            work.problems.append(Problem(station, error.where or where, error))

    for artwork in ticket.artworks:
        _work_out_artwork(artwork, sources, store, work, attempt, preview, cancelled)
    reached = STATIONS.index(upto)
    for piece in ticket.pieces if reached >= LINES else ():
        attempt("lines", f"pieces/{piece.id}", partial(_compose, piece, store, work, sources))
        for layer in piece.layers:
            draw = partial(_lines, ticket, piece, layer, store, work, sources, preview, cancelled)
            attempt("lines", f"pieces/{piece.id}/layers/{layer.id}", draw)
        if reached >= SHEET:
            attempt("sheet", f"pieces/{piece.id}/goods", partial(check_round, ticket, piece, work))
    # second sides follow their first
    for sheet in sorted(ticket.sheets, key=lambda one: bool(one.behind)) if reached >= SHEET else ():
        _work_out_sheet(ticket, sheet, sources, store, work, attempt, preview, reached > SHEET)
    if reached > SHEET:
        work.problems += _not_taken(ticket, library)
        work.problems += _not_made(ticket, library)
        work.problems += _not_set(ticket, work)
    return work


_DOING = {
    "artwork": "reading the artwork", "clean": "cleaning", "trace": "tracing", "lines": "drawing the lines",
    "sheet": "laying out the sheet", "machine": "planning the machine’s moves",
}  # fmt: skip


def _take_profile(sheet: Sheet, work: Work, sources: Sources) -> None:
    stock = sheet.stock
    try:
        content = sources(stock.profile)
    except (FileNotFoundError, KeyError) as error:
        raise UnreadableFile(
            f"The colour profile of {stock.name} is not here any more.", "Add it again in the library."
        ) from error
    found = read_profile(content)
    work.presses[sheet.id] = Press(content, found.name, found.channels, stock.rendering, found.prints)


_OWN = (
    ("border", WEEDS, NO_BORDER), ("weed_lines", WEEDS, NO_WEED_LINES), ("cross_cut", FREES, NO_CROSS_CUT)
)  # fmt: skip
"""What a sheet has cut of its own: field, process, and its value for none."""


def _not_taken(ticket: Ticket, library: Library) -> Iterator[Problem]:
    """Stocks that their sheet's machine has no settings for though others have, and prints on what no press takes."""
    for sheet in ticket.sheets:
        stock, machine, here = sheet.stock, sheet.machine, f"sheets/{sheet.id}"
        if not stock.taken_by(machine.key) and not sheet.settings:
            able = [one for one in library.machines if one.key in stock.machines]
            yield Problem(
                "machine", f"{here}/machine",
                CannotMake(
                    f"The {machine.name} does not take {stock.name}.",
                    f"Choose {' or '.join(f'the {one.name}' for one in able)}." if able else
                    "Choose another stock, or write its settings in the library and choose it again.",
                ),
                tuple(setting(f"Use the {one.name}", f"{here}/machine", one.key) for one in able),
            )  # fmt: skip
        printed = [one.layer for one in sheet.holds if ticket.layer(one.layer).prints.kind != "nothing"]
        if printed and not stock.printable:
            layers = [f"pieces/{ticket.piece_of_layer(one).id}/layers/{one}/prints" for one in printed]
            yield Problem(
                "sheet", f"{here}/stock",
                CannotMake(f"The shop does not print on {stock.name}.", "Print nothing, or choose a stock that is."),
                (Mend("Print nothing on it", tuple(Change(path, "nothing") for path in layers)),),
            )  # fmt: skip


def _not_made(ticket: Ticket, library: Library) -> Iterator[Problem]:
    """Lines that the machine of their sheet has no way to make, each with the machines that have."""
    for sheet in ticket.sheets:
        if not sheet.machine.formats:
            yield Problem(
                "machine", f"sheets/{sheet.id}/machine",
                CannotMake(f"The {sheet.machine.name} takes no files.", "Give its record a format, or choose another."),
            )  # fmt: skip
        for name, process, off in _OWN:
            if getattr(sheet, name) != off and not sheet.machine.makes(process):
                yield Problem(
                    "machine", f"sheets/{sheet.id}/{name}",
                    CannotMake(
                        f"The {sheet.machine.name} has no entry for a {process}.",
                        f"Choose it anew from the shop's machines, another one, or {off}.",
                    ),
                )  # fmt: skip
        for held in sheet.holds:
            piece, layer = ticket.piece_of_layer(held.layer), ticket.layer(held.layer)
            for line in layer.lines:
                process = line.process.kind
                if line.on and not sheet.machine.makes(process):
                    able = [f"the {one.name}" for one in library.machines if one.makes(process)]
                    other = f"Choose {' or '.join(able)}, or another" if able else "Choose another"
                    yield Problem(
                        "machine", f"pieces/{piece.id}/layers/{layer.id}/lines/{line.id}",
                        CannotMake(
                            f"The {sheet.machine.name} cannot {PROCESSES[process].doing} (piece “{piece.name}”).",
                            f"{other} process for the line.",
                        ),
                    )  # fmt: skip


def _not_set(ticket: Ticket, work: Work) -> Iterator[Problem]:
    """Sheets whose file needs power and speed that nobody has set."""
    for sheet in ticket.sheets:
        if "gcode" in sheet.machine.formats:
            for one in unset(ticket, work, sheet):
                yield Problem("machine", one.where, CannotMake(one.said, one.what_to_do), one.mends)


def _work_out_artwork(
    artwork: Artwork,
    sources: Sources,
    store: ResultStore,
    work: Work,
    attempt: Callable[[str, str, Callable[[], None]], None],
    preview: bool,
    cancelled: Callable[[], bool],
) -> None:
    here, id = f"artworks/{artwork.id}", artwork.id

    def take_in() -> None:
        file = client_file(artwork.file, sources)
        work.pictures[id] = read(store, file, artwork.name, part=artwork.part, unit=unit_of(artwork))
        work.sizes[id] = finished_size(artwork, work.pictures[id].value)

    def take_away() -> None:
        if id in work.sizes:
            work.cleaned[id] = clean(store, work.pictures[id], artwork, work.sizes[id][0], preview=preview)

    def find_shapes() -> None:
        if id in work.cleaned:
            work.traces[id] = trace(
                store,
                work.pictures[id],
                work.cleaned[id],
                artwork,
                work.sizes[id],
                preview=preview,
                cancelled=cancelled,
            )
            require_shapes(work.traces[id].value)

    attempt("artwork", here, take_in)
    attempt("clean", f"{here}/clean", take_away)
    attempt("trace", f"{here}/trace", find_shapes)


def _work_out_sheet(
    ticket: Ticket, sheet: Sheet, sources: Sources, store: ResultStore, work: Work,
    attempt: Callable[[str, str, Callable[[], None]], None], preview: bool, moves: bool,
) -> None:  # fmt: skip
    """moves: whether what its machine does is wanted too."""
    here = f"sheets/{sheet.id}"
    if sheet.stock.profile and ticket.prints_on(sheet) and not preview:
        attempt("machine", f"{here}/stock", partial(_take_profile, sheet, work, sources))
    turned = ticket.turns(sheet)
    lay = lay_round if turned else lay_out
    attempt("sheet", here, partial(lay, ticket, sheet, store, work))
    attempt("sheet", here, partial(add_weeds, sheet, work, store))
    attempt("sheet", here, partial(add_pins, ticket, sheet, store, work))
    attempt("sheet", f"{here}/panel_overlap", partial(part_sheet, ticket, sheet, store, work))
    attempt("sheet", here, partial(check_distances, ticket, sheet, store, work))
    attempt("sheet", here, partial(check_edges, ticket, sheet, work))
    if sheet.machine.carves and moves:
        attempt("machine", here, partial(route, ticket, sheet, store, work))
        attempt("machine", here, partial(check_route, sheet, work))
        if not preview:
            attempt("machine", here, partial(compare_sides, ticket, sheet, store, work))
    if sheet.machine.burns and moves:
        attempt("machine", here, partial(burn_lines, ticket, sheet, store, work, preview=preview))
        attempt("machine", here, partial(plan_beam, ticket, sheet, store, work))
        attempt("machine", here, partial(check_beam, sheet, work))


def _compose(piece: Piece, store: ResultStore, work: Work, sources: Sources) -> None:
    used = [element.artwork for element in piece.elements if element.artwork]
    if all(id in work.traces and work.traces[id].value.kept for id in used):
        work.pieces[piece.id] = compose_piece(store, piece, work.traces, sources)


def _lines(
    ticket: Ticket, piece: Piece, layer: Layer, store: ResultStore, work: Work, sources: Sources, preview: bool,
    cancelled: Callable[[], bool],
) -> None:  # fmt: skip
    if piece.id not in work.pieces:
        return
    composed = work.pieces[piece.id]
    artworks = {artwork.id: artwork for artwork in ticket.artworks}
    drawn = draw_lines(store, piece, layer, composed, preview=preview)

    def print_of(layer: Layer) -> Keyed[PrintResult]:
        return print_layer(
            store, piece, layer, composed, drawn, work.traces, artworks, work.pictures, work.cleaned, work.sizes,
            sources, preview=preview,
        )  # fmt: skip

    printed = print_of(layer)
    look = partial(print_of, replace(layer, prints=Printed()))
    plain, drawn = drawn, engrave(store, layer, drawn, look)
    work.drawn[layer.id], work.shown[layer.id] = drawn, printed
    here = f"pieces/{piece.id}/layers/{layer.id}"
    laid, inked = drawn, printed
    if isinstance(piece.goods, OnRound):
        try:
            work.bent.add(layer.id)
            laid, inked = _bent(store, piece.goods, layer, composed, plain, printed, look)
        except NibbleError as wrong:
            work.problems.append(Problem("lines", wrong.where or f"pieces/{piece.id}/goods", wrong))
    prints = layer.prints
    if isinstance(prints, Printed) and isinstance(prints.plate, SpotPlate) and not preview:
        work.plates[layer.id] = plate_of(store, prints.plate, inked).value
    if inked.value.box is not None:  # copies keep their distance from each other's bleed as well
        laid = derived(_with_room_for_print, None, laid, inked)
    work.layers[layer.id], work.prints[layer.id] = laid, inked
    work.footprints[layer.id] = footprint_of(store, laid, inked)
    if not preview:
        on = [(sheet.stock, sheet.machine) for sheet in ticket.sheets_of(layer.id)] or [(Stock(), Machine())]
        work.examined[layer.id] = [
            examine(store, piece, layer, stock, machine, composed, drawn, printed, cancelled) for stock, machine in on
        ]
    for id, error in drawn.value.failed:
        where = f"pieces/{piece.id}/hanger" if id == HANGER else f"{here}/lines/{id}"
        work.problems.append(Problem("lines", where, error))


def _bent(
    store: ResultStore, goods: OnRound, layer: Layer, composed: Keyed[PieceResult], drawn: Keyed[LayerResult],
    printed: Keyed[PrintResult], look: Callable[[], Keyed[PrintResult]],
) -> tuple[Keyed[LayerResult], Keyed[PrintResult]]:  # fmt: skip
    """Lines and print as they lie on a round thing, areas filled."""
    by = Bending.of(goods)
    bent, inked = bent_layer(store, by, composed, drawn, printed)
    made = engrave(store, layer, bent, lambda: bent_layer(store, by, composed, drawn, look())[1])
    return with_even_power(store, by, evenly_filled(store, layer, by, composed, drawn, made)), inked


def _with_room_for_print(_: None, drawn: LayerResult, printed: PrintResult) -> LayerResult:
    boxes = [drawn.box] if printed.box is None else [drawn.box, printed.box]
    return replace(drawn, box=Box.around(boxes))
