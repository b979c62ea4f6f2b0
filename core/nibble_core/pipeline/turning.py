"""Stage *lay round*: a sheet that is the wall of a thing which a machine turns, and what keeps work off it.

Across such a sheet lies the turn, mm at the ring that the machine counts by, from the middle of the handle or seam;
down it the way from the rim. One run makes one thing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from nibble_core.errors import CannotMake, DoesNotFit
from nibble_core.geometry import Affine
from nibble_core.pipeline.bending import turning_of
from nibble_core.pipeline.lines import LayerResult
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.round_places import repeats, spread_of
from nibble_core.pipeline.round_walls import wall_of
from nibble_core.pipeline.store import Keyed, ResultStore, stage
from nibble_core.sheet import LaidSheet, Marks, Placement
from nibble_core.ticket import fingerprint
from nibble_core.ticket.goods import Faces, Made, OnRound, faces_of
from nibble_core.ticket.heads import BeamHead
from nibble_core.ticket.model import Machine, Sheet, Ticket
from nibble_core.ticket.round_shape import RoundShape
from nibble_core.ticket.turners import Chuck, Rollers

OVER = 0.05  # mm beyond an edge that rounding may lead to


@dataclass(frozen=True)
class LayingRound:
    """What a turned sheet depends on, beside its layers. layers: each with where it faces. times: things to make."""

    wall: RoundShape
    made: Made
    layers: tuple[tuple[str, Faces], ...]
    times: int


def lay_round(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work) -> Keyed[LaidSheet] | None:
    """The laid wall, unless a layer of it is missing. Raises CannotMake where its pieces do not go on one thing, and
    what measures of the wall raise."""
    if not all(one.layer in work.layers for one in sheet.holds):
        return None
    goods = _common_goods(ticket, sheet)
    assert isinstance(goods.made, Made)
    wanted = max(ticket.wanted_on(sheet, one.layer) for one in sheet.holds) + sheet.spares
    faced = [(one.layer, ticket.goods_of(one.layer)) for one in sheet.holds]
    by = LayingRound(
        goods.thing.wall, goods.made, tuple((layer, own.faces) for layer, own in faced if own is not None), wanted
    )
    return stage(store, _laid_round, by, *(work.layers[one.layer].laid for one in sheet.holds))


def _laid_round(by: LayingRound, *layers: LayerResult) -> LaidSheet:
    wall = wall_of(by.wall)
    chart = turning_of(by.made, wall)
    put: list[Placement] = []
    for (layer, faces), drawn in zip(by.layers, layers, strict=True):
        facing = math.radians(faces_of(faces))
        for turn in repeats(faces, spread_of(drawn.shown, chart), float(wall.radius_at(faces.below))):
            angle = (facing + turn) % (2 * math.pi)
            put.append(Placement(layer, Affine.translation(round(chart.radius * angle, 6), 0.0)))
    put.sort(key=lambda one: one.at.e)
    high = wall.slant if chart.levelled else wall.height
    return LaidSheet(2 * math.pi * chart.radius, high, tuple(put), Marks(), times=by.times)


def _common_goods(ticket: Ticket, sheet: Sheet) -> OnRound:
    """The thing that all pieces of a sheet go on. Raises CannotMake where they do not agree."""
    found = [ticket.goods_of(one.layer) for one in sheet.holds]
    first = next(one for one in found if one is not None)
    for one in found:
        if one is None or not one.turned:
            raise CannotMake(
                "A thing that is turned shares its sheet with flat work.", "Give the flat piece a sheet of its own."
            )
        if fingerprint(one.thing.wall, one.made) != fingerprint(first.thing.wall, first.made):
            raise CannotMake(
                "The pieces of this sheet go on things that differ.",
                "Choose the same thing for all of them, or give each a sheet of its own.",
            )
    return first


def check_turner(ticket: Ticket, sheet: Sheet) -> None:
    """Raises CannotMake for a machine that does not turn things, DoesNotFit for one that does not take this one."""
    goods = _common_goods(ticket, sheet)
    machine, wall = sheet.machine, wall_of(goods.thing.wall)
    turner = machine.head.turner if isinstance(machine.head, BeamHead) else None
    if not isinstance(turner, Rollers):
        raise CannotMake(
            f"The {machine.name} turns nothing.", "Choose a laser with rollers or a chuck, or say so in its record."
        )
    if 2 * wall.largest > turner.widest:
        raise DoesNotFit(
            f"The {goods.thing.name} is {2 * wall.largest:.1f} mm across; the {machine.name} turns {turner.widest:g} "
            "mm at most.",
            "Choose another machine, or a narrower thing.",
        )
    if wall.height > turner.longest:
        raise DoesNotFit(
            f"The {goods.thing.name} is {wall.height:.1f} mm high; the {machine.name} turns {turner.longest:g} mm at "
            "most.",
            "Choose another machine, or a shorter thing.",
        )


def axes_of(machine: Machine, laid: LaidSheet) -> Affine:
    """From a turned sheet to the machine's axes: X along the thing from its rim, Y the turn from the middle of its
    handle or seam, in mm at the ring or in the units of a chuck, as it was corrected. Nothing is mirrored: who stands
    before the machine sees the work lie on its side, its upper end towards the rim."""
    turner = machine.head_as(BeamHead).turner
    assert isinstance(turner, Rollers)
    scale = turner.correction * (turner.a_turn / laid.width if isinstance(turner, Chuck) else 1.0)
    away = 1.0 if turner.rim == "to the left" else -1.0
    return Affine(0.0, scale * away, away, 0.0, 0.0, 0.0)
