"""G-code of a board that a router makes, written and read back."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely

from nibble_core.errors import CannotMake, FileDisagrees
from nibble_core.formats.gcode import Dialect
from nibble_core.formats.router_gcode import ReadRoute, read_route, read_trial, write_route, write_trial
from nibble_core.geometry.units import format_number
from nibble_core.graphics.routing import RouterMoves
from nibble_core.pipeline.carve_results import RouterRun
from nibble_core.pipeline.head_files import TRIAL, watched
from nibble_core.pipeline.names import slug
from nibble_core.pipeline.results import Work
from nibble_core.ticket import fingerprint
from nibble_core.ticket.heads import RouterHead
from nibble_core.ticket.model import Sheet, Ticket

OFF = 0.0015  # mm
FEED_OFF = 0.01  # mm a second
FITTED = 0.003  # mm that places may lie off the arc that stands for them, rounding within
MOST_OF_ARC = 5000  # moves


def routed(sheet: Sheet, work: Work) -> RouterRun:
    """Every move of a sheet's router. Raises CannotMake where nobody knows them, and what keeps it from being laid."""
    made = work.router_run_of(sheet.id)
    if made is None:
        work.require_whole()
        raise CannotMake(f"The moves of the {sheet.machine.name} are not planned.", "See what Machine says.")
    return made.value


def on_machine(run: RouterRun) -> RouterMoves:
    """A run's moves in the machine's axes."""
    xyz = np.column_stack([run.to_machine.map(run.moves.xyz[:, :2]), run.height(run.moves.xyz[:, 2])])
    return replace(run.moves, xyz=xyz)


def write_board(
    ticket: Ticket, sheet: Sheet, work: Work, called: str, *, revision: int | None = None
) -> list[tuple[str, bytes]]:
    """All of a board's moves, in the files that its machine wants: what each is called beside the job, and its content.
    Raises FileDisagrees where a file, read back, holds others."""
    run, machine = routed(sheet, work), sheet.machine
    head = machine.head_as(RouterHead)
    last = f", revision {revision}" if revision is not None else ""
    says = [
        f"{ticket.name}{last}, ticket {fingerprint(ticket)[:12]}",
        f"{sheet.stock.name} on the {machine.name}, board {format_number(run.thick)} mm thick",
        f"origin {head.origin} of {head.origin_of}, x to the right, y away from the operator, z up from {head.zero}",
        f"{run.minutes:.1f} minutes with changes of cutters",
    ]
    says += _turned_over(ticket, sheet, work)
    every = on_machine(run)
    parts = every.by_cutter() if head.changes == "by hand" else [every]
    safe = float(run.height(head.safe_height))
    made: list[tuple[str, bytes]] = []
    for k, moves in enumerate(parts, 1):
        order = [] if head.changes == "by G-code" else [f"file {k} of {len(parts)}"]
        content = write_route(moves, Dialect(comments=head.comments), [*says, *order], safe=safe)
        check_route(moves, content, called)
        name = moves.tools[int(moves.tool[0])].name
        made.append((f"-{k}-{slug(name)}" if order else "", content))
    return made


def _turned_over(ticket: Ticket, sheet: Sheet, work: Work) -> list[str]:
    """Where the pins of a board of two sides stand, and how it lies for the second."""
    first, second = ticket.first_side(sheet), ticket.second_side(ticket.first_side(sheet))
    if second is None:
        return []
    pins = work.sheets[first.id].pins if first.id in work.sheets else None
    if pins is None:
        return [f"second side, turned over {second.turned}"] if sheet is second else []
    holes, run = pins.value, routed(sheet, work)
    places = " and ".join(
        f"X{format_number(x, 3)} Y{format_number(y, 3)}" for x, y in run.to_machine.map(np.array(holes.places)).tolist()
    )  # fmt: skip
    if sheet is second:
        return [f"second side, turned over {second.turned} onto its pins at {places}"]
    return [f"two pins {holes.diameter:g} mm wide at {places}, {holes.depth:g} mm into the bed below"]


def write_route_frame(ticket: Ticket, sheet: Sheet, work: Work, shape: str = "a box") -> bytes:
    """Round all that is cut, at the safe height, with no cutter turning. shape: a box or the hull. Raises CannotMake
    where there is nothing to go round."""
    run, machine = routed(sheet, work), sheet.machine
    head = machine.head_as(RouterHead)
    outline = shapely.multipoints(run.moves.xyz[run.moves.xyz[:, 2] < 0, :2])
    outline = outline.envelope if shape == "a box" else outline.convex_hull
    if not isinstance(outline, shapely.Polygon):
        raise CannotMake("There is no area to go round.", "See what Lines says.")
    ring = run.to_machine.map(shapely.get_coordinates(outline.exterior)[:-1])
    safe = float(run.height(head.safe_height))
    says = [f"{ticket.name}, framing pass: {shape} round the work", TRIAL, f"on the {machine.name}"]
    content = write_trial(ring, watched(machine), Dialect(comments=head.comments), says, safe=safe)
    ends, height = read_trial(content)
    if ends.shape != ring.shape or np.abs(ends - ring).max() > OFF or abs(height - safe) > OFF:
        raise FileDisagrees("The framing pass, read back, goes another way.", "Report this job.")
    return content


def check_route(moves: RouterMoves, content: bytes, called: str) -> None:
    """Raises FileDisagrees for a file that holds other moves."""
    found = read_route(content)
    of, apart = _followed(moves.xyz, found)
    numbers = np.array([one.number for one in moves.tools])[moves.tool]
    same = len(of) == len(moves) and (
        apart <= OFF and (found.rapid[of] == moves.rapid).all() and (found.tool[of] == numbers).all()
        and np.abs(found.feed[of] - np.where(moves.rapid, 0.0, moves.feed)).max(initial=0.0) <= FEED_OFF
    )  # fmt: skip
    if not same:
        raise FileDisagrees(f"The {called}, read back, holds other moves than were planned.", "Report this job.")


def _followed(planned: np.ndarray, found: ReadRoute) -> tuple[np.ndarray, float]:
    """Of each place that was planned, (m, 3), the number of the move in the file that passes or ends there, and how far
    it passes from it, mm, at most. An arc goes on through the places that lie on it until the one where it ends."""
    places, ends, arcs = planned.tolist(), found.ends.tolist(), found.arcs.tolist()
    of: list[int] = []
    apart = 0.0
    for number, (end, (i, j, way)) in enumerate(zip(ends, arcs, strict=True)):
        k = last = len(of)
        if k >= len(places):
            return np.empty(0, np.int64), np.inf
        if way:
            begins = ends[number - 1]
            last = _end_of_arc(places, k, end)
            apart = max(apart, _off_helix(places[k : last + 1], begins, end, (begins[0] + i, begins[1] + j), way))
        apart = max(apart, _away(places[last], end))
        of += [number] * (last + 1 - k)
    return np.array(of, np.int64), apart


def _end_of_arc(places: Sequence[Sequence[float]], k: int, end: Sequence[float]) -> int:
    """An arc of the file stands for several moves: where it ends is the next place that was planned there."""
    until = min(k + MOST_OF_ARC, len(places))
    last = next((number for number in range(k, until) if _away(places[number], end) <= OFF), k)
    while last + 1 < until and _away(places[last + 1], end) < _away(places[last], end):
        last += 1
    return last


def _away(place: Sequence[float], other: Sequence[float]) -> float:
    """How far a place is from another along the axis on which they differ most, mm."""
    return max(abs(place[0] - other[0]), abs(place[1] - other[1]), abs(place[2] - other[2]))


def _off_helix(
    places: Sequence[Sequence[float]], begins: Sequence[float], ends: Sequence[float], centre: tuple[float, float],
    way: float,
) -> float:  # fmt: skip
    """How far places lie off a helix about a centre, or out of order along it, less what its fit may be off by, mm."""
    x, y = centre
    first = begins[0] - x, begins[1] - y
    radius = math.hypot(*first)
    slope = (ends[2] - begins[2]) / (_swept(first, (ends[0] - x, ends[1] - y), way) or 2 * math.pi)
    off = backward = before = 0.0
    for place in places:
        spoke = place[0] - x, place[1] - y
        gone = _swept(first, spoke, way)
        off = max(off, abs(math.hypot(*spoke) - radius), abs(begins[2] + slope * gone - place[2]))
        backward, before = max(backward, (before - gone) * radius), gone
    return max(off - FITTED, backward, 0.0)


def _swept(start: tuple[float, float], end: tuple[float, float], way: float) -> float:
    """The angle from one direction to another, the way that an arc goes, radians from nothing to a whole turn."""
    turn = math.atan2(start[0] * end[1] - start[1] * end[0], start[0] * end[0] + start[1] * end[1])
    return (way * turn) % (2 * math.pi)
