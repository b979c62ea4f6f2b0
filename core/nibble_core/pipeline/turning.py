"""Stage *lay round*: a sheet that is the wall of a thing which a machine turns, and what keeps work off it.

Across such a sheet lies the turn, mm at the ring that the machine counts by, from the middle of the handle or seam;
down it the way from the rim. One run makes one thing.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
import shapely

from nibble_core.errors import CannotMake, DoesNotFit
from nibble_core.geometry import Affine
from nibble_core.pipeline.bending import turning_of
from nibble_core.pipeline.lines import LayerResult
from nibble_core.pipeline.notes import Mend, setting
from nibble_core.pipeline.results import Problem, Work
from nibble_core.pipeline.round_places import repeats, spread_of
from nibble_core.pipeline.round_walls import wall_of
from nibble_core.pipeline.store import ResultStore, stage
from nibble_core.processes import parts
from nibble_core.sheet import LaidSheet, Marks, Placement
from nibble_core.ticket import Change, fingerprint, to_plain
from nibble_core.ticket.goods import Faces, Made, OnRound, faces_of
from nibble_core.ticket.line import AS_THEY_ARE, Engraving, Line, Source
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


def lay_round(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work) -> None:
    """Adds the laid wall to the work, unless a layer of it is missing. Raises CannotMake where its pieces do not go on
    one thing, or its machine cannot turn it, and what measures of the wall raise."""
    if not all(one.layer in work.layers for one in sheet.holds):
        return
    goods = _common_goods(ticket, sheet)
    assert isinstance(goods.made, Made)
    wanted = max(ticket.wanted_on(sheet, one.layer) for one in sheet.holds) + sheet.spares
    faced = [(one.layer, ticket.goods_of(one.layer)) for one in sheet.holds]
    by = LayingRound(
        goods.thing.wall, goods.made, tuple((layer, own.faces) for layer, own in faced if own is not None), wanted
    )
    work.sheets[sheet.id] = stage(store, _laid_round, by, *(work.layers[one.layer] for one in sheet.holds))
    _check_turner(sheet, goods)


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


def _check_turner(sheet: Sheet, goods: OnRound) -> None:
    """Raises CannotMake for a machine that does not turn things, DoesNotFit for one that does not take this one."""
    machine, wall = sheet.machine, wall_of(goods.thing.wall)
    turner = machine.turner
    if not machine.burns or not isinstance(turner, Rollers):
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
    turner = machine.turner
    assert isinstance(turner, Rollers)
    scale = turner.correction * (turner.a_turn / laid.width if isinstance(turner, Chuck) else 1.0)
    away = 1.0 if turner.rim == "to the left" else -1.0
    return Affine(0.0, scale * away, away, 0.0, 0.0, 0.0)


def check_round(ticket: Ticket, sheet: Sheet, work: Work) -> None:
    """Adds to the work what of a laid wall's pieces would spoil the thing: through cuts, work beyond the wall or more
    than once round it, on parts that stay free."""
    if sheet.id not in work.sheets:
        return
    for held in sheet.holds:
        goods = ticket.goods_of(held.layer)
        if goods is not None and goods.turned:
            work.problems += [*_cut_through(ticket, sheet, held.layer), *_off_the_wall(ticket, goods, held.layer, work)]


def _cut_through(ticket: Ticket, sheet: Sheet, layer: str) -> Iterator[Problem]:
    piece = ticket.piece_of_layer(layer)
    for line in ticket.layer(layer).lines:
        if line.on and parts(line.process.kind):
            here = f"pieces/{piece.id}/layers/{layer}"
            made = to_plain(engraved(line))
            mend = Mend("Engrave the shapes instead", tuple(
                Change(f"{here}/lines/{line.id}/{name}", made[name]) for name in ("process", "source", "offset")
            ))  # fmt: skip
            yield Problem(
                "machine", f"{here}/lines/{line.id}",
                CannotMake(f"A {line.process.kind} would spoil what it is turned with.", "Engrave it."), (mend,),
            )  # fmt: skip


def engraved(line: Line) -> Line:
    """A line as an engraving of the shapes themselves."""
    return replace(line, source=Source(kind="the shapes"), offset=replace(AS_THEY_ARE, distance=0.0),
                   process=Engraving())  # fmt: skip


def _off_the_wall(ticket: Ticket, goods: OnRound, layer: str, work: Work) -> Iterator[Problem]:
    assert isinstance(goods.made, Made)
    piece, drawn = ticket.piece_of_layer(layer), work.layers[layer].value
    wall = wall_of(goods.thing.wall)
    chart, here = turning_of(goods.made, wall), f"pieces/{piece.id}/goods"
    area = shapely.union_all([drawn.shown, *(line.area for line in drawn.lines if line.regions)])
    if area.is_empty:
        return
    spread = spread_of(area, chart)
    height = wall.height_along(chart.lift(shapely.get_coordinates(area))[:, 1])
    above, below = float(-height.min()), float(height.max() - wall.height)
    if max(above, below) > OVER:
        high = float(np.ptp(height))
        middle = goods.faces.below + (above if above > OVER else -below)
        fits = high <= wall.height
        side = "above the rim" if above >= below else "below the foot"
        mends = (setting(f"Put its middle {middle:.1f} mm below the rim", f"{here}/faces/below", round(middle, 1)),)
        yield Problem(
            "sheet", f"{here}/faces",
            DoesNotFit(f"“{piece.name}” reaches {max(above, below):.1f} mm {side}.",
                       "Move it." if fits else f"It is {high:.1f} mm high; the wall is {wall.height:.1f} mm."),
            mends if fits else (),
        )  # fmt: skip
    if spread[1] - spread[0] > 2 * math.pi:
        wide = (spread[1] - spread[0]) / (2 * math.pi)
        yield Problem(
            "sheet", here,
            DoesNotFit(f"“{piece.name}” would go {wide:.2f} times round: it would lie on itself.",
                       f"Make it {100 / wide:.0f} % as wide."),
        )  # fmt: skip
        return
    radius = float(wall.radius_at(goods.faces.below))
    turns = repeats(goods.faces, spread, radius)
    if len(turns) > 1:
        nearest = min(np.diff(np.sort([*turns, min(turns) + 2 * math.pi])).tolist())
        if nearest < spread[1] - spread[0] - OVER / radius:
            over = (spread[1] - spread[0] - nearest) * radius
            yield Problem(
                "sheet", f"{here}/faces",
                DoesNotFit(f"“{piece.name}” lies on itself: its places overlap by {over:.1f} mm.",
                           "Fewer places, or a smaller artwork."),
            )  # fmt: skip
    yield from _on_free_parts(goods, piece.name, here, spread, (float(height.min()), float(height.max())), turns)


def _on_free_parts(
    goods: OnRound, name: str, here: str, spread: tuple[float, float], reach: tuple[float, float], turns: list[float]
) -> Iterator[Problem]:
    wall = wall_of(goods.thing.wall)
    radius = float(wall.radius_at(goods.faces.below))
    facing = math.radians(faces_of(goods.faces))
    for part in goods.thing.wall.free:
        lower = wall.height if part.to is None else part.to
        if reach[1] <= part.below or reach[0] >= lower:
            continue
        overlap = max(_overlap(spread, facing + turn, part.middle, part.wide) for turn in turns) * radius
        if overlap <= OVER:
            continue
        free = [one for one in ("the handle’s opposite", "a quarter to the right", "a quarter to the left")
                if goods.faces.around == "once" and _clears(goods, one, spread, reach)]  # fmt: skip
        yield Problem(
            "sheet", f"{here}/faces",
            DoesNotFit(f"“{name}” lies {overlap:.1f} mm on {part.what}.", "Turn it away, move it, or make it smaller."),
            tuple(setting(f"Let it face {one}", f"{here}/faces/facing", one) for one in free[:1]),
        )  # fmt: skip


def _clears(goods: OnRound, facing: str, spread: tuple[float, float], reach: tuple[float, float]) -> bool:
    wall = wall_of(goods.thing.wall)
    at = math.radians(faces_of(replace(goods.faces, facing=facing)))
    return all(
        reach[1] <= part.below or reach[0] >= (wall.height if part.to is None else part.to)
        or _overlap(spread, at, part.middle, part.wide) <= 0
        for part in goods.thing.wall.free
    )  # fmt: skip


def _overlap(spread: tuple[float, float], facing: float, middle: float, wide: float) -> float:
    """By how much an arc of angles lies on a part of the wall, radians. middle, wide: of that, degrees."""
    own, half = (spread[0] + spread[1]) / 2 + facing, (spread[1] - spread[0]) / 2
    apart = abs((own - math.radians(middle) + math.pi) % (2 * math.pi) - math.pi)
    return min(half + math.radians(min(wide, 360.0)) / 2 - apart, 2 * half)
