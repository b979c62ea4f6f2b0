"""The whole recipe: a ticket and the client's bytes to everything the screen shows and the files hold.

A stage that cannot be done leaves its error where it stands; what depends on it is left out.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from nibble_core.errors import NibbleError, UnreadableFile
from nibble_core.formats.profiles import read_profile
from nibble_core.geometry import Box, Region
from nibble_core.graphics import Press
from nibble_core.pipeline.bending import Bending, bent_layer, evenly_filled, with_even_power
from nibble_core.pipeline.clean import clean
from nibble_core.pipeline.client_files import Sources, client_file
from nibble_core.pipeline.compose import PieceResult, compose_piece
from nibble_core.pipeline.engraving import engrave
from nibble_core.pipeline.examine import Examined, examine
from nibble_core.pipeline.footprints import footprint_of
from nibble_core.pipeline.heads import work_of
from nibble_core.pipeline.lines import HANGER, LayerResult, draw_lines
from nibble_core.pipeline.not_made import not_made, not_set, not_taken
from nibble_core.pipeline.panels import parted
from nibble_core.pipeline.pinning import pin_holes
from nibble_core.pipeline.prints import PrintResult, TracedArtwork, plate_of, print_layer
from nibble_core.pipeline.read import read, unit_of
from nibble_core.pipeline.results import Problem, Work, WorkedArtwork, WorkedLayer, WorkedSheet
from nibble_core.pipeline.round_checks import check_round
from nibble_core.pipeline.sheets import (
    beyond_edge,
    check_distances,
    copies_beyond,
    crowded_copies,
    lay_out,
    lines_in_waste,
    weed_border,
)
from nibble_core.pipeline.sizes import finished_size
from nibble_core.pipeline.store import Keyed, ResultStore, derived
from nibble_core.pipeline.touch_ups import trace
from nibble_core.pipeline.trace import require_shapes
from nibble_core.pipeline.turning import check_turner, lay_round
from nibble_core.pipeline.working_out import WorkingOut
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
    out = WorkingOut(ticket, sources, store, preview, cancelled, doing)
    work, reached = out.work, STATIONS.index(upto)
    for artwork in ticket.artworks:
        _work_out_artwork(out, artwork)
    for piece in ticket.pieces if reached >= LINES else ():
        _work_out_piece(out, piece)
        if reached >= SHEET:
            check = partial(check_round, ticket, piece, work)
            work.problems += out.attempt("sheet", f"pieces/{piece.id}/goods", check) or ()
    # second sides follow their first
    for sheet in sorted(ticket.sheets, key=lambda one: bool(one.behind)) if reached >= SHEET else ():
        _work_out_sheet(out, sheet)
        if reached > SHEET:
            work_of(sheet.machine).plan(out, sheet)
    if reached > SHEET:
        work.problems += not_taken(ticket, library)
        work.problems += not_made(ticket, library)
        work.problems += not_set(ticket, work)
    return work


def _work_out_artwork(out: WorkingOut, artwork: Artwork) -> None:
    here = f"artworks/{artwork.id}"
    worked = out.attempt("artwork", here, partial(_read, out, artwork))
    if worked is None:
        return
    out.work.artworks[artwork.id] = worked
    taken_away = partial(clean, out.store, worked.picture, artwork, worked.size[0], preview=out.preview)
    worked.cleaned = out.attempt("clean", f"{here}/clean", taken_away)
    if worked.cleaned is None:
        return
    traced = partial(
        trace, out.store, worked.picture, worked.cleaned, artwork, worked.size, preview=out.preview,
        cancelled=out.cancelled,
    )  # fmt: skip
    worked.trace = out.attempt("trace", f"{here}/trace", traced)
    if worked.trace is not None:
        out.attempt("trace", f"{here}/trace", partial(require_shapes, worked.trace.value))


def _read(out: WorkingOut, artwork: Artwork) -> WorkedArtwork:
    file = client_file(artwork.file, out.sources)
    picture = read(out.store, file, artwork.name, part=artwork.part, unit=unit_of(artwork))
    return WorkedArtwork(picture, finished_size(artwork, picture.value))


def _work_out_piece(out: WorkingOut, piece: Piece) -> None:
    here = f"pieces/{piece.id}"
    composed = out.attempt("lines", here, partial(_composed, out, piece))
    if composed is None:
        return
    out.work.pieces[piece.id] = composed
    for layer in piece.layers:
        lines = f"{here}/layers/{layer.id}"
        worked = out.attempt("lines", lines, partial(_drawn, out, piece, layer, composed))
        if worked is None:
            continue
        out.work.layers[layer.id] = worked
        if not out.preview:
            worked.plate = out.attempt("lines", lines, partial(_plate, out, layer, worked)) or ()
            looked_at = partial(_examined, out, piece, layer, composed, worked)
            worked.examined = out.attempt("lines", lines, looked_at) or []
        for id, error in worked.drawn.value.failed:
            where = f"{here}/hanger" if id == HANGER else f"{lines}/lines/{id}"
            out.work.problems.append(Problem("lines", where, error))


def _composed(out: WorkingOut, piece: Piece) -> Keyed[PieceResult] | None:
    """Nothing while an artwork of it holds no shapes."""
    traces = out.work.traces
    used = [element.artwork for element in piece.elements if element.artwork]
    if not all(id in traces and traces[id].value.kept for id in used):
        return None
    return compose_piece(out.store, piece, traces, out.sources)


def _drawn(out: WorkingOut, piece: Piece, layer: Layer, composed: Keyed[PieceResult]) -> WorkedLayer:
    store, work = out.store, out.work
    traced = {
        artwork.id: TracedArtwork(artwork, own.picture, own.size, own.cleaned, own.trace)
        for artwork in out.ticket.artworks
        if (own := work.artworks.get(artwork.id)) and own.cleaned and own.trace
    }
    plain = draw_lines(store, piece, layer, composed, preview=out.preview)

    def print_of(layer: Layer) -> Keyed[PrintResult]:
        return print_layer(store, piece, layer, composed, plain, traced, out.sources, preview=out.preview)

    printed = print_of(layer)
    look = partial(print_of, replace(layer, prints=Printed()))
    drawn = engrave(store, layer, plain, look)
    laid, inked, bent = drawn, printed, isinstance(piece.goods, OnRound)
    if isinstance(piece.goods, OnRound):
        try:
            laid, inked = _bent(store, piece.goods, layer, composed, plain, printed, look)
        except NibbleError as wrong:
            work.problems.append(Problem("lines", wrong.where or f"pieces/{piece.id}/goods", wrong))
    if inked.value.box is not None:  # copies keep their distance from each other's bleed as well
        laid = derived(_with_room_for_print, None, laid, inked)
    return WorkedLayer(drawn, printed, laid, inked, footprint_of(store, laid, inked), bent)


def _plate(out: WorkingOut, layer: Layer, drawn: WorkedLayer) -> tuple[Region, ...]:
    prints = layer.prints
    if not isinstance(prints, Printed) or not isinstance(prints.plate, SpotPlate):
        return ()
    return plate_of(out.store, prints.plate, drawn.print_laid).value


def _examined(
    out: WorkingOut, piece: Piece, layer: Layer, composed: Keyed[PieceResult], drawn: WorkedLayer
) -> list[Keyed[Examined]]:  # fmt: skip
    on = [(sheet.stock, sheet.machine) for sheet in out.ticket.sheets_of(layer.id)] or [(Stock(), Machine())]
    return [
        examine(out.store, piece, layer, stock, machine, composed, drawn.drawn, drawn.print_drawn, out.cancelled)
        for stock, machine in on
    ]


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


def _work_out_sheet(out: WorkingOut, sheet: Sheet) -> None:
    ticket, store, work, here = out.ticket, out.store, out.work, f"sheets/{sheet.id}"
    press = None
    if sheet.stock.profile and ticket.prints_on(sheet) and not out.preview:
        press = out.attempt("machine", f"{here}/stock", partial(_press, sheet.stock, out.sources))
    turned = ticket.turns(sheet)
    lay = lay_round if turned else lay_out
    laid = out.attempt("sheet", here, partial(lay, ticket, sheet, store, work))
    if laid is None:
        return
    own = work.sheets[sheet.id] = WorkedSheet(laid, press)
    if turned:
        out.attempt("sheet", here, partial(check_turner, ticket, sheet))
    own.border = out.attempt("sheet", here, partial(weed_border, sheet, store, work))
    own.weed_lines = out.attempt("sheet", here, partial(lines_in_waste, sheet, store, work))
    own.pins = out.attempt("sheet", here, partial(pin_holes, ticket, sheet, store, work))
    panels = out.attempt("sheet", f"{here}/panel_overlap", partial(parted, ticket, sheet, store, work))
    own.seams, own.panels = panels or ([], [])
    own.crowded = out.attempt("sheet", here, partial(crowded_copies, ticket, sheet, store, work)) or []
    out.attempt("sheet", here, partial(check_distances, own.crowded))
    over = out.attempt("sheet", here, partial(copies_beyond, ticket, sheet, work))
    if over:
        own.beyond = [sheet.placed[one.number].id for one in over]
        work.problems.append(beyond_edge(ticket, sheet, over))


def _press(stock: Stock, sources: Sources) -> Press:
    try:
        content = sources(stock.profile)
    except (FileNotFoundError, KeyError) as error:
        raise UnreadableFile(
            f"The colour profile of {stock.name} is not here any more.", "Add it again in the library."
        ) from error
    found = read_profile(content)
    return Press(content, found.name, found.channels, stock.rendering, found.prints)
