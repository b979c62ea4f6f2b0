"""Pins of a board that is carved from both sides: where they stand, and the holes that the first side gets for them."""

from __future__ import annotations

from dataclasses import dataclass

import shapely

from nibble_core.carve import Course, drilled, opened, passes_to, ramped
from nibble_core.errors import CannotMake
from nibble_core.pipeline.carve_results import PinHoles
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.store import Keyed, ResultStore, stage
from nibble_core.sheet import LaidSheet, pin_places
from nibble_core.ticket.cutters import Cutter
from nibble_core.ticket.heads import RouterHead
from nibble_core.ticket.model import Sheet, Ticket

FITS = 0.05  # mm that a drill may be wider or narrower than its pin
ROOM = 3.0  # mm of wood between a pin and what is cut
SEGMENTS = 48


@dataclass(frozen=True)
class Pinning:
    """What the places of pins depend on, beside the laid sheet. layers: of the footprints. cutter: width of the widest
    that may run round the work, mm."""

    turned: str
    diameter: float
    depth: float
    cutter: float
    layers: tuple[str, ...]


def pin_holes(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work) -> Keyed[PinHoles] | None:
    """The holes of a laid board that is turned over on pins. Raises DoesNotFit where they have no room."""
    second = ticket.second_side(sheet)
    head = sheet.machine.head
    if second is None or second.pins == "no pins" or not isinstance(head, RouterHead):
        return None
    laid = work.sheets[sheet.id].laid
    widest = max((one.diameter for one in head.cutters if one.kind == "flat"), default=0.0)
    layers = tuple(laid.value.layers)
    by = Pinning(second.turned, second.pin_diameter, second.pin_depth, widest, layers)
    return stage(store, _pinned, by, laid, *(work.layers[layer].footprint for layer in layers))


def _pinned(by: Pinning, laid: LaidSheet, *shapes: shapely.Geometry) -> PinHoles:
    own = dict(zip(by.layers, shapes, strict=True))
    taken = shapely.union_all([shapely.transform(own[layer], at.map) for layer, at in laid.placements])
    places = pin_places(laid.width, laid.height, by.turned, taken.buffer(by.cutter + ROOM), by.diameter)
    return PinHoles(places, by.diameter, by.depth)


def pin_courses(holes: PinHoles, cutters: tuple[Cutter, ...], thick: float) -> tuple[int, list[Course]]:
    """The number of the cutter that makes the holes, and its courses through a board and into the bed: a drill of their
    width, or a flat cutter that goes round in them. Raises CannotMake without one."""
    depth = thick + holes.depth
    drills = [k for k, one in enumerate(cutters) if one.kind == "a drill"]
    drill = next((k for k in drills if abs(cutters[k].diameter - holes.diameter) <= FITS), None)
    if drill is not None:
        return drill, [drilled(x, y, depth, cutters[drill].deepest_pass) for x, y in holes.places]
    narrow = [k for k, one in enumerate(cutters) if one.kind == "flat" and one.diameter < 0.9 * holes.diameter]
    if not narrow:
        raise CannotMake(
            f"No cutter in the rack makes holes for pins {holes.diameter:g} mm wide.",
            "Add a drill of that width or a narrower flat cutter, or choose wider pins.",
        )
    number = max(narrow, key=lambda k: cutters[k].diameter)
    cutter, made = cutters[number], []
    step = depth / passes_to(depth, cutter.deepest_pass)
    for place in holes.places:
        hole = shapely.Point(*place).buffer(holes.diameter / 2, quad_segs=SEGMENTS)
        courses = opened(hole, cutter.diameter, depth, cutter.deepest_pass)
        made += [ramped(one, min(0.0, float(one[:, 2].min()) + step)) for one in courses]
    return number, made
