"""What would spoil a round thing: through cuts, work beyond its wall, more than once round it, or on parts that stay
free; each with what would fit."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
import shapely

from nibble_core.errors import CannotMake, DoesNotFit, NibbleError
from nibble_core.pipeline.bending import chart_of, wall_under
from nibble_core.pipeline.label_bands import is_band
from nibble_core.pipeline.notes import Mend, setting
from nibble_core.pipeline.results import Problem, Work
from nibble_core.pipeline.round_places import repeats, scaled_artwork, spread_of
from nibble_core.processes import parts
from nibble_core.ticket import Change, to_plain
from nibble_core.ticket.goods import FACED, OnRound, faces_of
from nibble_core.ticket.line import AS_THEY_ARE, Engraving, Line, Source
from nibble_core.ticket.model import Ticket
from nibble_core.ticket.piece import Piece
from nibble_core.ticket.round_shape import FreePart
from nibble_core.wrap import Wall

OVER = 0.05  # mm beyond an edge that rounding may lead to
SPARE = 0.98  # of the largest size that fits, which is offered


@dataclass(frozen=True)
class Lying:
    """Where a piece lies on a wall. spread: angles from where it faces, radians; reach: mm of height below the rim, of
    its upper and its lower end; turns: to each of its places."""

    wall: Wall
    spread: tuple[float, float]
    reach: tuple[float, float]
    radius: float
    turns: tuple[float, ...]

    @property
    def wide(self) -> float:
        """Radians."""
        return self.spread[1] - self.spread[0]

    @property
    def high(self) -> float:
        return self.reach[1] - self.reach[0]


def check_round(ticket: Ticket, piece: Piece, work: Work) -> list[Problem]:
    """What of a piece would spoil the thing that it goes on."""
    goods = piece.goods
    if not isinstance(goods, OnRound):
        return []
    through = list(_cut_through(piece)) if goods.turned else []
    if is_band(goods.made):  # its edges are checked where they are drawn
        return through
    try:
        lying = _lying(piece, goods, work)
    except NibbleError:  # told at Lines
        return through
    if lying is None:
        return through
    return [*through, *_off_the_wall(ticket, piece, goods, lying), *_round_too_often(ticket, piece, goods, lying),
            *_on_free_parts(piece, goods, lying)]  # fmt: skip


def _lying(piece: Piece, goods: OnRound, work: Work) -> Lying | None:
    drawn = [work.layers[layer.id].laid.value for layer in piece.layers if layer.id in work.layers]
    areas = [area for one in drawn for area in (one.shown, *(line.area for line in one.lines if line.regions))]
    area = shapely.union_all(areas)
    if area.is_empty:
        return None
    wall = wall_under(goods)
    chart = chart_of(goods.made, wall)
    height = wall.height_along(chart.lift(shapely.get_coordinates(area))[:, 1])
    radius, spread = float(wall.radius_at(goods.faces.below)), spread_of(area, chart)
    reach = float(height.min()), float(height.max())
    return Lying(wall, spread, reach, radius, tuple(repeats(goods.faces, spread, radius)))


def _cut_through(piece: Piece) -> Iterator[Problem]:
    for layer in piece.layers:
        for line in layer.lines:
            if line.on and parts(line.process.kind):
                here = f"pieces/{piece.id}/layers/{layer.id}/lines/{line.id}"
                made = to_plain(engraved(line))
                mend = Mend("Engrave the shapes instead", tuple(
                    Change(f"{here}/{name}", made[name]) for name in ("process", "source", "offset")
                ))  # fmt: skip
                yield Problem(
                    "machine", here,
                    CannotMake(f"A {line.process.kind} would spoil a thing that is turned.", "Engrave it."), (mend,),
                )  # fmt: skip


def engraved(line: Line) -> Line:
    """A line as an engraving of the shapes themselves."""
    return replace(line, source=Source(kind="the shapes"), offset=replace(AS_THEY_ARE, distance=0.0),
                   process=Engraving())  # fmt: skip


def _room(goods: OnRound, wall: Wall) -> tuple[float, float]:
    """The heights between what stays free all round at the rim and at the foot."""
    upper, lower = 0.0, wall.height
    for part in sorted(goods.thing.wall.free, key=lambda one: one.below):
        if part.wide >= 360 and part.below <= upper:
            upper = max(upper, _end(part, wall))
    for part in sorted(goods.thing.wall.free, key=lambda one: -_end(one, wall)):
        if part.wide >= 360 and _end(part, wall) >= lower and part.below > upper:
            lower = min(lower, part.below)
    return upper, lower


def _end(part: FreePart, wall: Wall) -> float:
    return wall.height if part.to is None else part.to


def _moved(piece: Piece, goods: OnRound, lying: Lying) -> tuple[Mend, ...]:
    """The piece moved so little that it lies within the room, where that is high enough."""
    upper, lower = _room(goods, lying.wall)
    if lying.high > lower - upper:
        return ()
    by = max(upper - lying.reach[0], 0.0) - max(lying.reach[1] - lower, 0.0)
    middle = round(goods.faces.below + by + math.copysign(0.05, by), 1)
    return (setting(f"Put its middle {middle:.1f} mm below the rim", f"pieces/{piece.id}/goods/faces/below", middle),)


def _shrunk(ticket: Ticket, piece: Piece, goods: OnRound, lying: Lying, share: float) -> tuple[Mend, ...]:
    """The artwork made so much smaller, in the middle of the room."""
    upper, lower = _room(goods, lying.wall)
    found = scaled_artwork(piece, share * SPARE, ticket)
    middle = Change(f"pieces/{piece.id}/goods/faces/below", round((upper + lower) / 2, 1))
    return tuple(replace(one, changes=(*one.changes, middle)) for one in found)


def _off_the_wall(ticket: Ticket, piece: Piece, goods: OnRound, lying: Lying) -> Iterator[Problem]:
    above, below = -lying.reach[0], lying.reach[1] - lying.wall.height
    if max(above, below) <= OVER:
        return
    side = "above the rim" if above >= below else "below the foot"
    upper, lower = _room(goods, lying.wall)
    moved = _moved(piece, goods, lying)
    what = "Move it." if moved else f"It is {lying.high:.1f} mm high; the wall has {lower - upper:.1f} mm for it."
    yield Problem(
        "sheet", f"pieces/{piece.id}/goods/faces",
        DoesNotFit(f"“{piece.name}” reaches {max(above, below):.1f} mm {side}.", what),
        moved or _shrunk(ticket, piece, goods, lying, (lower - upper) / lying.high),
    )  # fmt: skip


def _round_too_often(ticket: Ticket, piece: Piece, goods: OnRound, lying: Lying) -> Iterator[Problem]:
    here, whole = f"pieces/{piece.id}/goods", 2 * math.pi
    if lying.wide > whole:
        yield Problem(
            "sheet", here,
            DoesNotFit(f"“{piece.name}” would go {lying.wide / whole:.2f} times round: it would lie on itself.",
                       f"Make it {100 * whole / lying.wide:.0f} % as wide."),
            _shrunk(ticket, piece, goods, lying, whole / lying.wide),
        )  # fmt: skip
    elif len(lying.turns) > 1 and goods.turned:
        nearest = min(np.diff(np.sort([*lying.turns, min(lying.turns) + whole])).tolist())
        over = (lying.wide - nearest) * lying.radius
        if over > OVER:
            yield Problem(
                "sheet", f"{here}/faces",
                DoesNotFit(f"“{piece.name}” lies on itself: its places overlap by {over:.1f} mm.",
                           "Fewer places, or a smaller artwork."),
                scaled_artwork(piece, nearest / lying.wide * SPARE, ticket),
            )  # fmt: skip


def _on_free_parts(piece: Piece, goods: OnRound, lying: Lying) -> Iterator[Problem]:
    here = f"pieces/{piece.id}/goods/faces"
    facing = math.radians(faces_of(goods.faces))
    for part in goods.thing.wall.free:
        high = min(lying.reach[1], _end(part, lying.wall)) - max(lying.reach[0], part.below)
        wide = max(_overlap(lying.spread, facing + turn, part) for turn in lying.turns) * lying.radius
        if min(high, wide) <= OVER:
            continue
        mends = _moved(piece, goods, lying) if part.wide >= 360 else ()
        if goods.faces.around == "once":
            free = [one for one in FACED if one != goods.faces.facing and _clears(goods, one, lying)]
            mends += tuple(setting(f"Let it face {one}", f"{here}/facing", one) for one in free[:1])
        over = high if part.wide >= 360 else wide
        yield Problem(
            "sheet", here,
            DoesNotFit(f"“{piece.name}” lies {over:.1f} mm on {part.what}.",
                       "Turn it away, move it, or make it smaller."),
            mends,
        )  # fmt: skip


def _clears(goods: OnRound, facing: str, lying: Lying) -> bool:
    at = math.radians(FACED[facing])
    return all(
        lying.reach[1] <= part.below or lying.reach[0] >= _end(part, lying.wall)
        or _overlap(lying.spread, at, part) <= 0
        for part in goods.thing.wall.free
    )  # fmt: skip


def _overlap(spread: tuple[float, float], facing: float, part: FreePart) -> float:
    """By how much an arc of angles lies on a part of the wall, radians."""
    own, half = (spread[0] + spread[1]) / 2 + facing, (spread[1] - spread[0]) / 2
    if part.wide >= 360:
        return 2 * half
    apart = abs((own - math.radians(part.middle) + math.pi) % (2 * math.pi) - math.pi)
    return min(half + math.radians(part.wide) / 2 - apart, 2 * half)
