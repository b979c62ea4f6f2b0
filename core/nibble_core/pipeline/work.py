"""The whole recipe: a ticket and the client's bytes to everything the screen shows and the files hold.

A stage that cannot be done leaves its error where it stands; what depends on it is left out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from functools import partial

import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.artwork.background import Cleaned
from nibble_core.errors import Cancelled, CannotMake, NibbleError
from nibble_core.geometry import Affine, Box, Bundle, Region
from nibble_core.geometry.regions import courses, polygons
from nibble_core.pipeline.clean import clean
from nibble_core.pipeline.compose import PieceResult, compose_piece
from nibble_core.pipeline.examine import Examined, examine
from nibble_core.pipeline.lines import LayerResult, draw_lines
from nibble_core.pipeline.prints import PrintResult, print_layer
from nibble_core.pipeline.read import Picture, read, unit_of
from nibble_core.pipeline.sizes import finished_size
from nibble_core.pipeline.store import Keyed, ResultStore, run_stage
from nibble_core.pipeline.touch_ups import trace
from nibble_core.pipeline.trace import TraceResult, require_shapes
from nibble_core.processes import PROCESSES
from nibble_core.sheet import (
    LaidSheet,
    Part,
    Placement,
    as_placed,
    at_place,
    border_along_each,
    border_round_all,
    border_round_each,
    caption,
    grid,
    interlocked,
    marked,
    room,
)
from nibble_core.text.fonts import shipped_font
from nibble_core.ticket import fingerprint
from nibble_core.ticket.artwork import Artwork
from nibble_core.ticket.library import MACHINES
from nibble_core.ticket.model import Layer, Machine, Piece, Placed, Sheet, Stock, Ticket
from nibble_core.toolpaths import Definition, Program, by_process

WEEDS = "weed cut"
NOTHING = Bundle.of(())
Sources = Callable[[str], bytes]
"""Bytes of a client's file by its SHA-256."""


@dataclass
class Problem:
    """Why a station is blocked; ``where`` is a path into the ticket."""

    station: str
    where: str
    error: NibbleError


@dataclass
class Work:
    """Results by the id of what they belong to; missing ones are explained by a problem further left."""

    pictures: dict[str, Keyed[Picture]] = field(default_factory=dict)
    sizes: dict[str, tuple[float, float]] = field(default_factory=dict)
    cleaned: dict[str, Keyed[Cleaned]] = field(default_factory=dict)
    traces: dict[str, Keyed[TraceResult]] = field(default_factory=dict)
    pieces: dict[str, Keyed[PieceResult]] = field(default_factory=dict)
    prints: dict[str, Keyed[PrintResult]] = field(default_factory=dict)
    layers: dict[str, Keyed[LayerResult]] = field(default_factory=dict)
    examined: dict[str, list[Keyed[Examined]]] = field(default_factory=dict)
    """Of each layer against every sheet it lies on, in their order."""
    sheets: dict[str, Keyed[LaidSheet]] = field(default_factory=dict)
    borders: dict[str, Bundle] = field(default_factory=dict)
    """Weed borders of sheets that have one, in the sheet's coordinates."""
    problems: list[Problem] = field(default_factory=list)

    def require_whole(self) -> None:
        """Raises the first problem, if there is one."""
        if self.problems:
            raise self.problems[0].error


def work_out(
    ticket: Ticket,
    sources: Sources,
    store: ResultStore,
    *,
    preview: bool = False,
    cancelled: Callable[[], bool] = lambda: False,
    doing: Callable[[str], None] = lambda words: None,
) -> Work:
    """Everything that follows from a ticket. ``preview``: reduced pictures and unfitted contours, under keys of
    their own. ``doing`` is told what is begun. Raises Cancelled when ``cancelled()`` turns true between stages; other
    errors become problems."""
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
    for piece in ticket.pieces:
        attempt("lines", f"pieces/{piece.id}", partial(_compose, piece, store, work, sources))
        for layer in piece.layers:
            draw = partial(_lines, ticket, piece, layer, store, work, preview, cancelled)
            attempt("lines", f"pieces/{piece.id}/layers/{layer.id}", draw)
    for sheet in ticket.sheets:
        attempt("sheet", f"sheets/{sheet.id}", partial(_layout, ticket, sheet, store, work))
        attempt("sheet", f"sheets/{sheet.id}", partial(_border, sheet, ticket, work, store))
    work.problems += _not_made(ticket)
    return work


_DOING = {
    "artwork": "reading the artwork", "clean": "cleaning", "trace": "tracing", "lines": "drawing the lines",
    "sheet": "laying out the sheet",
}  # fmt: skip


def _not_made(ticket: Ticket) -> Iterator[Problem]:
    """Lines that the machine of their sheet has no way to make, each with the machines that have."""
    for sheet in ticket.sheets:
        if sheet.border != "no weed border" and not sheet.machine.makes(WEEDS):
            yield Problem(
                "machine", f"sheets/{sheet.id}/border",
                CannotMake(
                    f"The {sheet.machine.name} has no entry for weed cuts.",
                    "Choose it anew from the shop's machines, another one, or no weed border.",
                ),
            )  # fmt: skip
        for held in sheet.holds:
            piece, layer = ticket.piece_of_layer(held.layer), ticket.layer(held.layer)
            for line in layer.lines:
                if line.on and not sheet.machine.makes(line.process):
                    able = [f"the {one.name}" for one in MACHINES.values() if one.makes(line.process)]
                    other = f"Choose {' or '.join(able)}, or another" if able else "Choose another"
                    yield Problem(
                        "machine", f"pieces/{piece.id}/layers/{layer.id}/lines/{line.id}",
                        CannotMake(
                            f"The {sheet.machine.name} cannot {PROCESSES[line.process].doing} (piece “{piece.name}”).",
                            f"{other} process for the line.",
                        ),
                    )  # fmt: skip


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
        work.pictures[id] = read(
            store, artwork.file, lambda: sources(artwork.file), artwork.name, part=artwork.part, unit=unit_of(artwork)
        )
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


def _compose(piece: Piece, store: ResultStore, work: Work, sources: Sources) -> None:
    used = [element.artwork for element in piece.elements if element.kind == "artwork"]
    if all(id in work.traces and work.traces[id].value.kept for id in used):
        work.pieces[piece.id] = compose_piece(store, piece, work.traces, sources)


def _lines(
    ticket: Ticket, piece: Piece, layer: Layer, store: ResultStore, work: Work, preview: bool,
    cancelled: Callable[[], bool],
) -> None:  # fmt: skip
    if piece.id not in work.pieces:
        return
    composed = work.pieces[piece.id]
    artworks = {artwork.id: artwork for artwork in ticket.artworks}
    drawn = draw_lines(store, piece, layer, composed, preview=preview)
    printed = print_layer(
        store, piece, layer, composed, drawn, work.traces, artworks, work.pictures, work.cleaned, work.sizes,
        preview=preview,
    )  # fmt: skip
    work.prints[layer.id] = printed
    if printed.value.box is not None:  # copies keep their distance from each other's bleed as well
        whole = replace(drawn.value, box=Box.around([drawn.value.box, printed.value.box]))
        drawn = Keyed(fingerprint(drawn.key, printed.key), whole)
    work.layers[layer.id] = drawn
    if not preview:
        on = [(sheet.stock, sheet.machine) for sheet in ticket.sheets_of(layer.id)] or [(Stock(), Machine())]
        work.examined[layer.id] = [
            examine(store, piece, layer, stock, machine, composed, drawn, printed, cancelled) for stock, machine in on
        ]
    here = f"pieces/{piece.id}/layers/{layer.id}"
    for id, error in drawn.value.failed:
        where = id if "/" in id else f"{here}/lines/{id}"
        work.problems.append(Problem("lines", where, error))


def _layout(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work) -> None:
    held = [one.layer for one in sheet.holds]
    if not all(layer in work.layers for layer in held):
        return
    boxes = {layer: work.layers[layer].value.box for layer in held}
    # a border keeps as far from the marks, and from the edge, as it lies from the work
    beyond = 2 * _border_reach(sheet)
    count = sheet.marks if ticket.prints_on(sheet) else 0
    within = room(
        usable_width=min(sheet.stock.usable_width, sheet.machine.usable_width),
        usable_length=min(sheet.stock.usable_length, sheet.machine.usable_length),
        spacing=sheet.spacing, mark_count=count,
        mark_diameter=sheet.mark_diameter, mark_gap=max(sheet.mark_gap, beyond), least_edge=beyond,
    )  # fmt: skip
    full = sheet.amount == "a full sheet"
    quantities = [ticket.piece_of_layer(layer).quantity + (0 if full else sheet.spares) for layer in held]

    def laid() -> LaidSheet:
        if sheet.arrangement == "a grid":
            parts = [Part(layer, boxes[layer], wanted) for layer, wanted in zip(held, quantities, strict=True)]
            made = grid(parts, within, full=full)
        elif sheet.arrangement == "interlocked pairs":
            shapes = [_footprint(ticket.layer(layer), work) for layer in held]
            parts = [Part(*one) for one in zip(held, boxes.values(), quantities, shapes, strict=True)]
            made = interlocked(parts, within, full=full)
        else:
            made = as_placed([_placement(one) for one in sheet.placed], boxes, within)
        made = marked(made, count, sheet.mark_diameter, shape=sheet.mark_shape, every=sheet.mark_every)
        return made.mirrored() if sheet.stock.mirrored else made

    by = [within, count, held, quantities, full, sheet.arrangement, sheet.placed, sheet.stock.mirrored]
    by += [sheet.mark_diameter, sheet.mark_shape, sheet.mark_every, [list(boxes[layer]) for layer in held]]
    keys = [key for layer in held for key in (work.layers[layer].key, work.prints[layer].key)]
    inputs = keys if sheet.arrangement == "interlocked pairs" else []
    work.sheets[sheet.id] = run_stage(store, "lay out", by, inputs, laid)


def _border(sheet: Sheet, ticket: Ticket, work: Work, store: ResultStore) -> None:
    if sheet.border == "no weed border" or sheet.id not in work.sheets:
        return
    laid = work.sheets[sheet.id]

    def drawn() -> Bundle:
        shapes = {layer: _footprint(ticket.layer(layer), work) for layer in laid.value.layers}
        if sheet.border == "a weed border along each":
            put = {layer: [p.at for p in laid.value.placements if p.layer == layer] for layer in shapes}
            return border_along_each([(shapes[layer], put[layer]) for layer in shapes], sheet.border_distance)
        copies = [at_place(shapely.box(*shapes[layer].bounds), at) for layer, at in laid.value.placements]
        way = border_round_all if sheet.border == "a weed border round all" else border_round_each
        return way(copies, sheet.border_distance)

    keys = [key for layer in laid.value.layers for key in (work.layers[layer].key, work.prints[layer].key)]
    by = [sheet.border, sheet.border_distance]
    work.borders[sheet.id] = run_stage(store, "weed border", by, [laid.key, *keys], drawn).value


def _footprint(layer: Layer, work: Work) -> BaseGeometry:
    """All that a copy fills: what its lines enclose and run along, its print with its bleed, its alignment marks."""
    drawn, printed = work.layers[layer.id].value, work.prints[layer.id].value
    sent = [line for line in drawn.lines if line.process in PROCESSES and PROCESSES[line.process].sent]
    areas: list[BaseGeometry] = [line.area for line in sent if line.regions]
    for line in sent:
        if not line.regions and len(line.paths):
            areas.append(shapely.union_all(courses(line.paths, 0.01)).buffer(0.05))
    areas += [drawn.shown, printed.area.buffer(layer.bleed + printed.grain), *(mark.polygon() for mark in drawn.marks)]
    whole = shapely.union_all([area for area in areas if not area.is_empty])
    return shapely.union_all([shapely.Polygon(part.exterior) for part in polygons(whole)]).simplify(0.02)


def _border_reach(sheet: Sheet) -> float:
    """How far beyond the work its weed border lies, mm."""
    return 0.0 if sheet.border == "no weed border" else sheet.border_distance


def _placement(one: Placed) -> Placement:
    flip = Affine(a=-1.0) if one.flip == "mirrored" else Affine()
    return Placement(one.layer, flip.then(Affine.rotation(one.turn)).then(Affine.translation(one.x, one.y)))


def caption_of(sheet: Sheet, ticket: Ticket, work: Work) -> tuple[Region, ...]:
    """What is printed beside the copies of a sheet, as outlines on the sheet; readable, never mirrored."""
    if sheet.caption == "nothing" or not sheet.marks or not ticket.prints_on(sheet):
        return ()
    laid = work.sheets[sheet.id].value
    number = [one.id for one in ticket.sheets].index(sheet.id) + 1
    words = f"{ticket.name}, sheet {number} of {len(ticket.sheets)}, fed this way"
    reach = _border_reach(sheet)
    band = sheet.mark_diameter + max(sheet.mark_gap, 2 * reach) - reach  # the border runs along its inner side
    return caption(words[:200], shipped_font("condensed"), laid, band)


def program_of(sheet: Sheet, work: Work) -> Program:
    """What the sheet's machine does, in order. Raises CannotMake for a process that has no order."""
    laid = work.sheets[sheet.id].value
    once = [Definition("border", WEEDS, border)] if len(border := work.borders.get(sheet.id, NOTHING)) else []
    return by_process(laid, {layer: work.layers[layer].value.definitions for layer in laid.layers}, once)
