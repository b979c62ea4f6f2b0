"""Stages *lay out*, *weed* and *run*: the layers of a sheet to copies, cuts in the waste, and the machine's program."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import CannotMake, DoesNotFit, NothingToCut
from nibble_core.geometry import Bundle, Path, Points, Region
from nibble_core.pipeline.beam_results import BeamLines
from nibble_core.pipeline.carve_results import PinHoles
from nibble_core.pipeline.footprints import footprint
from nibble_core.pipeline.laying import LayingOut, arrangement_of, laid_out, placement
from nibble_core.pipeline.lines import LayerResult, edge_line
from nibble_core.pipeline.notes import setting
from nibble_core.pipeline.results import Problem, Work, WorkedSheet
from nibble_core.pipeline.room import EACH_ITS_OWN, edge_of, plate_of, spacing_of, usable_width
from nibble_core.pipeline.store import Keyed, ResultStore, derived, stage
from nibble_core.processes import CROSS_CUT, THROUGH_CUT, WEED_CUT
from nibble_core.sheet import (
    TURNS,
    LaidSheet,
    Limits,
    Marks,
    Near,
    Part,
    Placement,
    Room,
    at_place,
    beyond,
    border_along_each,
    border_round_all,
    border_round_each,
    caption,
    grouped,
    hull,
    nest,
    place_in_hole,
    room,
    too_near,
    ungrouped,
    weed_lines,
)
from nibble_core.sheet.arranging import Beyond
from nibble_core.text.fonts import shipped_font
from nibble_core.ticket import to_plain
from nibble_core.ticket.ids import free_ids
from nibble_core.ticket.model import Placed, Sheet, Ticket
from nibble_core.toolpaths import Definition, Program, by_process, shared

ROUNDED = 0.05  # mm that two footprints, simplified, may lie nearer than they do
ONE_SHEET = "one sheet"
WIDEST = 20_000.0  # mm, of work that is parted into panels
NO_BORDER, NO_WEED_LINES, NO_CROSS_CUT = "no weed border", "no weed lines", "no cross-cut"
Followed = dict[str, tuple[Definition, ...]]
"""What is followed on a copy of each layer."""


def lay_out(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work) -> Keyed[LaidSheet] | None:
    """The laid sheet, unless a layer of it is missing."""
    held = [one.layer for one in sheet.holds]
    if not all(layer in work.layers for layer in held):
        return None
    if sheet.behind:
        return _lay_behind(ticket, sheet, store, work)
    within, count = _room(ticket, sheet)
    by = LayingOut(
        sheet.arrangement, within, tuple(part[:3] for part in _parts(ticket, sheet, work)),
        sheet.amount == "a full sheet", sheet.placed, sheet.runs, count, sheet.mark_diameter, sheet.mark_shape,
        sheet.mark_every, keyed(sheet), 0.0 if sheet.cross_cut == NO_CROSS_CUT else usable_width(sheet),
        plate_of(ticket, sheet), sheet.is_mirrored,
    )  # fmt: skip
    by_shapes = arrangement_of(sheet.arrangement).by_shapes
    return stage(store, laid_out, by, *(work.layers[layer].footprint for layer in (held if by_shapes else ())))


def _lay_behind(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work) -> Keyed[LaidSheet] | None:
    """The second side of a sheet that is laid. Raises CannotMake for one that is made in panels."""
    first = ticket.first_side(sheet)
    if first.id not in work.sheets:
        return None
    if first.panels != ONE_SHEET:
        raise CannotMake("A sheet that is made in panels has no second side.", "Make the first side in one.")
    own = {ticket.piece_of_layer(one.layer).id: one.layer for one in sheet.holds}
    over: dict[str, str] = {}
    for one in first.holds:  # of several layers of a piece the first
        piece = ticket.piece_of_layer(one.layer).id
        if piece in own:
            over[one.layer] = own.pop(piece)
    behind = tuple(sorted(over.items())), sheet.turned
    return stage(store, _laid_behind, behind, work.sheets[first.id].laid)


def _laid_behind(by: tuple[tuple[tuple[str, str], ...], str], first: LaidSheet) -> LaidSheet:
    over, turned = by
    return first.behind(dict(over), turned)


def nest_sheet(ticket: Ticket, sheet: Sheet, work: Work, limits: Limits) -> tuple[list[Placed], int, float]:
    """Where a nest puts the copies of a sheet, how many runs of it make the quantities, and its length, mm. Locked
    copies stay. Raises NothingToCut while a layer of it cannot be drawn, and what ``nest`` raises."""
    _require_first_side(sheet)
    if not all(one.layer in work.layers for one in sheet.holds):
        raise NothingToCut("The lines of this sheet are not drawn yet.", "See what Lines says.")
    within, _ = _room(ticket, sheet)
    parts = _true_parts(ticket, sheet, work)
    stay = [one for one in sheet.placed if one.locked] if arrangement_of(sheet.arrangement).by_hand else []
    full = sheet.amount == "a full sheet"
    if sheet.together == "one of each together" and len(parts) > 1 and not stay:
        group, members = grouped(parts, within, sheet.turns)
        found, runs = nest([group], within, turns=sheet.turns, full=full, limits=limits)
        put: Sequence[Placement] = ungrouped(found.placements, members)
    else:
        locked = [placement(one) for one in stay]
        found, runs = nest(parts, within, turns=sheet.turns, locked=locked, full=full, limits=limits)
        put = found.placements[len(locked) :]
    plate = plate_of(ticket, sheet)
    if plate is not None and not stay:
        put = LaidSheet(found.width, found.length, tuple(put), Marks()).on_plate(*plate, moved=True).placements
    free = free_ids("n", stay)
    return [*stay, *(_placed(next(free), one) for one in put)], runs, found.length


def one_more(ticket: Ticket, sheet: Sheet, work: Work, layer: str) -> Placed:
    """A place for one more copy of a layer among those that a sheet has “as placed”. Raises DoesNotFit when there is
    none within the length that is used, or left, NothingToCut while its lines are not drawn."""
    _require_first_side(sheet)
    if not all(one.layer in work.layers for one in sheet.holds):
        raise NothingToCut("The lines of this sheet are not drawn yet.", "See what Lines says.")
    within, _ = _room(ticket, sheet)
    locked = [placement(one) for one in sheet.placed]
    free = free_ids("n", sheet.placed)
    shape = footprint(layer, work)
    laid = [at_place(footprint(one.layer, work), one.at) for one in locked]
    length = work.sheets[sheet.id].laid.value.height if sheet.id in work.sheets else within.length
    alike = [one.at for one in locked if one.layer == layer]
    for lowest in (length, within.length):  # a hole before a longer sheet
        hole = place_in_hole(layer, shape, laid, alike, within, TURNS[sheet.turns], lowest)
        if hole is not None:
            return replace(_placed(next(free), hole), by="hand")
    counts = Counter([layer, *(one.layer for one in locked)])
    parts = [
        part._replace(quantity=counts[part.layer]) for part in _true_parts(ticket, sheet, work) if part.layer in counts
    ]
    found, runs = nest(parts, within, turns=sheet.turns, locked=locked, limits=Limits(0.0))
    if runs > 1 or len(found.placements) != len(locked) + 1:
        raise DoesNotFit("There is no room for one more on this sheet.", "Move copies together, or nest them again.")
    return replace(_placed(next(free), found.placements[-1]), by="hand")


def _require_first_side(sheet: Sheet) -> None:
    if sheet.behind:
        raise CannotMake("The copies of a second side lie behind those of the first.", "Nest the first side.")


def weed_border(sheet: Sheet, store: ResultStore, work: Work) -> Keyed[Bundle] | None:
    """The weed border of a laid sheet that has one."""
    if sheet.border == NO_BORDER:
        return None
    laid = work.sheets[sheet.id].laid
    layers = tuple(laid.value.layers)
    shapes = [work.layers[layer].footprint for layer in layers]
    return stage(store, _border, (sheet.border, sheet.border_distance, layers), laid, *shapes)


def lines_in_waste(sheet: Sheet, store: ResultStore, work: Work) -> Keyed[Bundle] | None:
    """The weed lines of a laid sheet that has some, within its border."""
    own = work.sheets[sheet.id]
    if sheet.weed_lines == NO_WEED_LINES or (sheet.border != NO_BORDER and own.border is None):
        return None
    layers = tuple(own.laid.value.layers)
    shapes = [work.layers[layer].footprint for layer in layers]
    waste = derived(_waste, None, own.laid, _border_of(own))
    return stage(store, _weeds, (sheet.weed_size, sheet.weed_clear, layers), own.laid, waste, *shapes)


def _border(by: tuple[str, float, tuple[str, ...]], laid: LaidSheet, *shapes: BaseGeometry) -> Bundle:
    """by: the kind of border, its distance, and the layers whose shapes these are."""
    kind, distance, layers = by
    own = dict(zip(layers, shapes, strict=True))
    if kind == "a weed border along each":
        put = {layer: [p.at for p in laid.placements if p.layer == layer] for layer in own}
        return border_along_each([(own[layer], put[layer]) for layer in own], distance)
    copies = [at_place(shapely.box(*own[layer].bounds), at) for layer, at in laid.placements]
    way = border_round_all if kind == "a weed border round all" else border_round_each
    return way(copies, distance)


def _weeds(
    by: tuple[float, float, tuple[str, ...]], laid: LaidSheet, waste: BaseGeometry, *shapes: BaseGeometry
) -> Bundle:  # fmt: skip
    size, clear, layers = by
    return weed_lines(waste, _copies(layers, laid, *shapes), size, clear)


def _border_of(own: WorkedSheet) -> Keyed[Bundle]:
    return own.border or derived(_no_lines, None)


def _weeds_of(own: WorkedSheet) -> Keyed[Bundle]:
    return own.weed_lines or derived(_no_lines, None)


def _no_lines(_: None) -> Bundle:
    return Bundle.of(())


def crowded_copies(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work) -> list[Near]:
    """The pairs of copies of a laid sheet “as placed” that lie nearer than its spacing."""
    if not _by_hand(sheet):
        return []
    copies = keyed_copies(work.sheets[sheet.id].laid, work)
    return stage(store, _crowded, least_apart(ticket, sheet), copies).value


def _by_hand(sheet: Sheet) -> bool:
    return arrangement_of(sheet.arrangement).by_hand and not sheet.behind


def check_distances(crowded: Sequence[Near]) -> None:
    """Raises CannotMake when one copy lies on another."""
    over = sum(one.apart == 0 for one in crowded)
    if over:
        pairs = "Two copies lie" if over == 1 else f"{over} pairs of copies lie"
        raise CannotMake(f"{pairs} on each other: both would be cut through.", "Move them apart, or nest them again.")


def _crowded(least: float, copies: list[BaseGeometry]) -> list[Near]:
    return too_near(copies, least)


def least_apart(ticket: Ticket, sheet: Sheet) -> float:
    """mm under which two copies count as too near."""
    return spacing_of(ticket, sheet) - ROUNDED


def copies_beyond(ticket: Ticket, sheet: Sheet, work: Work) -> list[Beyond]:
    """The copies of a laid sheet “as placed” that lie beyond its edge."""
    if not _by_hand(sheet):
        return []
    within, _ = _room(ticket, sheet)
    return beyond([placement(one) for one in sheet.placed], _hulls(sheet, work), within)


def beyond_edge(ticket: Ticket, sheet: Sheet, found: Sequence[Beyond]) -> Problem:
    """That these copies block the files: they stay where they were put, and a mend moves them in."""
    within, _ = _room(ticket, sheet)
    number, here = len(found), f"sheets/{sheet.id}"
    inward = {one.number: one.inward for one in found if one.inward is not None}
    moved = tuple(
        replace(one, x=round(one.x + inward[k][0], 6), y=round(one.y + inward[k][1], 6)) if k in inward else one
        for k, one in enumerate(sheet.placed)
    )
    label = "Move it in" if number == 1 else f"Move all {number} in"
    mends = (setting(label, f"{here}/placed", to_plain(moved)),) if len(inward) == number else ()
    error = DoesNotFit(
        f"{'One copy lies' if number == 1 else f'{number} copies lie'} beyond the edge: {within.edge:g} mm stay free "
        f"for the {within.edge_of}.",
        "Move it in, or nest the sheet again." if mends else "Choose a larger stock, or make the piece smaller.",
    )
    return Problem("sheet", here, error, mends)


def _hulls(sheet: Sheet, work: Work) -> dict[str, Points]:
    """The convex hull of what a copy of each layer of a sheet fills."""
    return {one.layer: hull(footprint(one.layer, work)) for one in sheet.holds}


def _waste(_: None, laid: LaidSheet, border: Bundle) -> BaseGeometry:
    """What is peeled: what lies within the weed border, or within the marks where there is none."""
    if len(border):
        return shapely.union_all([Region(ring).polygon() for ring in border])
    inner = laid.marks.diameter + 1.0 if laid.marks.places else 0.0
    return shapely.box(inner, inner, laid.width - inner, laid.height - inner)


def waste_share(work: Work, sheet: str) -> float | None:
    """How much of a laid sheet becomes no piece, 0 to 1; None where a piece has no edge."""
    laid = work.sheets[sheet].laid.value
    used = 0.0
    for layer in laid.layers:
        edge = edge_line(work.layers[layer].laid.value.lines)
        if edge is None:
            return None
        used += laid.copies_of(layer) * float(edge.area.area)
    return 1 - used / (laid.used_width * laid.used_height)


def copies_of(laid: LaidSheet, work: Work) -> list[BaseGeometry]:
    """What each copy of a laid sheet fills, in its order."""
    return [at_place(footprint(layer, work), at) for layer, at in laid.placements]


def keyed_copies(laid: Keyed[LaidSheet], work: Work) -> Keyed[list[BaseGeometry]]:
    """The same, with the key of all it depends on."""
    layers = tuple(laid.value.layers)
    return derived(_copies, layers, laid, *(work.layers[layer].footprint for layer in layers))


def _copies(layers: tuple[str, ...], laid: LaidSheet, *shapes: BaseGeometry) -> list[BaseGeometry]:
    own = dict(zip(layers, shapes, strict=True))
    return [at_place(own[layer], at) for layer, at in laid.placements]


def caption_of(sheet: Sheet, ticket: Ticket, laid: LaidSheet, part: str = "") -> tuple[Region, ...]:
    """What is printed beside the copies of a laid sheet, as outlines on it; readable, never mirrored. part: of the
    sheet, “panel 2 of 3”."""
    first = ticket.first_side(sheet)
    if sheet.caption == "nothing" or not first.marks or not ticket.prints_on(sheet):
        return ()
    place = ", ".join(filter(None, (f"sheet {ticket.number(sheet)} of {len(ticket.sheets)}", part)))
    if sheet.behind:
        place += f", behind sheet {ticket.number(first)}"
    words = f"{ticket.name}, {place}, fed this way"
    reach = _reach(first)
    band = first.mark_diameter + max(first.mark_gap, 2 * reach) - reach  # the border runs along its inner side
    return caption(words[:200], shipped_font("condensed"), laid, band)


def program_of(sheet: Sheet, work: Work) -> Program:
    """What the sheet's machine does, in order. Raises CannotMake for a process that has no order."""
    return keyed_program(sheet, work, sheet.shared).value


def each_by_itself(sheet: Sheet, work: Work) -> Program:
    """The program that cuts round every copy, also where it touches another."""
    return keyed_program(sheet, work, EACH_ITS_OWN).value


def keyed_program(sheet: Sheet, work: Work, sharing: str) -> Keyed[Program]:
    """What the machine of a laid sheet does, worked out once for all who ask. sharing: whether what copies have in
    common is cut once."""
    own = work.sheets[sheet.id]
    layers = tuple(own.laid.value.layers)
    followed = (
        derived(_burnt_definitions, None, own.beam_lines) if own.beam_lines
        else derived(_drawn_definitions, layers, *(work.layers[layer].laid for layer in layers))
    )  # fmt: skip
    made = derived(_program, sharing, own.laid, followed, _keyed_once(sheet, own))
    return own.programs.setdefault(made.key, made)


def own_lines(sheet: Sheet, work: Work) -> list[Definition]:
    """What is run once on a sheet, in its own coordinates: cuts in the waste, and the one that frees it."""
    return _keyed_once(sheet, work.sheets[sheet.id]).value if sheet.id in work.sheets else []


def _keyed_once(sheet: Sheet, own: WorkedSheet) -> Keyed[list[Definition]]:
    pins = [own.pins] if own.pins else []
    return derived(_once, sheet.cross_cut, own.laid, _border_of(own), _weeds_of(own), *pins)


def _drawn_definitions(layers: tuple[str, ...], *drawn: LayerResult) -> Followed:
    return {layer: one.definitions for layer, one in zip(layers, drawn, strict=True)}


def _burnt_definitions(_: None, made: BeamLines) -> Followed:
    return made.definitions


def _once(cross_cut: str, laid: LaidSheet, border: Bundle, weeds: Bundle, *pins: PinHoles) -> list[Definition]:
    own = [(name, WEED_CUT, some) for name, some in (("border", border), ("weeds", weeds)) if len(some)]
    if cross_cut != NO_CROSS_CUT:
        across = Path.polygon([(0.0, laid.height), (laid.width, laid.height)], closed=False)
        own.append(("cross", CROSS_CUT, Bundle.of([across])))
    own += [("pins", THROUGH_CUT, one.paths()) for one in pins]
    return [Definition(*one) for one in own]


def _program(sharing: str, laid: LaidSheet, followed: Followed, once: list[Definition]) -> Program:
    program = by_process(laid, followed, once)
    return program if sharing == EACH_ITS_OWN else shared(program)


def _placed(id: str, put: Placement) -> Placed:
    at = put.at
    turn = math.degrees(math.atan2(at.b, at.a))
    return Placed(id, put.layer, round(at.e, 6), round(at.f, 6), round(turn, 4), by="nest")


def keyed(sheet: Sheet) -> bool:
    """Whether a sheet has a direction mark."""
    return sheet.mark_key != "no direction mark"


def _room(ticket: Ticket, sheet: Sheet) -> tuple[Room, int]:
    """What copies may fill, and how many marks stand round them."""
    beyond = 2 * _reach(sheet)  # a border keeps as far from the marks, and from the edge, as it lies from the work
    count = sheet.marks if ticket.prints_on(sheet) else 0
    within = room(
        usable_width=usable_width(sheet) if sheet.panels == ONE_SHEET else WIDEST,
        usable_length=min(sheet.stock.usable_length, sheet.machine.usable_length),
        spacing=spacing_of(ticket, sheet), mark_count=count,
        mark_diameter=sheet.mark_diameter, mark_gap=max(sheet.mark_gap, beyond),
        least_edge=max(beyond, edge_of(ticket, sheet)),
    )  # fmt: skip
    return within, count


def _parts(ticket: Ticket, sheet: Sheet, work: Work) -> list[Part]:
    """The layers of a sheet, by their boxes, with the copies that are wanted, spares and all."""
    spares = 0 if sheet.amount == "a full sheet" else sheet.spares
    return [
        Part(one.layer, work.layers[one.layer].laid.value.box, ticket.wanted_on(sheet, one.layer) + spares)
        for one in sheet.holds
    ]


def _true_parts(ticket: Ticket, sheet: Sheet, work: Work) -> list[Part]:
    """The same with their true shapes."""
    return [part._replace(shape=footprint(part.layer, work)) for part in _parts(ticket, sheet, work)]


def _reach(sheet: Sheet) -> float:
    """How far beyond the work its weed border lies, mm."""
    return 0.0 if sheet.border == NO_BORDER else sheet.border_distance
