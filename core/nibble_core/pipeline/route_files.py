"""G-code of a board that a router makes, written and read back."""

from __future__ import annotations

import math
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
from nibble_core.ticket.model import Sheet, Ticket

OFF = 0.0015  # mm
FEED_OFF = 0.01  # mm a second
FITTED = 0.003  # mm that places may lie off the arc that stands for them, rounding within
MOST_OF_ARC = 5000  # moves


def routed(sheet: Sheet, work: Work) -> RouterRun:
    """Every move of a sheet's router. Raises CannotMake where nobody knows them, and what keeps it from being laid."""
    if sheet.id not in work.routes:
        work.require_whole()
        raise CannotMake(f"The moves of the {sheet.machine.name} are not planned.", "See what Machine says.")
    return work.routes[sheet.id].value


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
    last = f", revision {revision}" if revision is not None else ""
    says = [
        f"{ticket.name}{last}, ticket {fingerprint(ticket)[:12]}",
        f"{sheet.stock.name} on the {machine.name}, board {format_number(run.thick)} mm thick",
        f"origin {machine.origin} of {machine.origin_of}, x to the right, y away from the operator, z up from "
        f"{machine.zero}",
        f"{run.minutes:.1f} minutes with changes of cutters",
    ]
    says += _turned_over(ticket, sheet, work)
    every = on_machine(run)
    parts = every.by_cutter() if machine.changes == "by hand" else [every]
    safe = float(run.height(machine.safe_height))
    made: list[tuple[str, bytes]] = []
    for k, moves in enumerate(parts, 1):
        order = [] if machine.changes == "by G-code" else [f"file {k} of {len(parts)}"]
        content = write_route(moves, Dialect(comments=machine.comments), [*says, *order], safe=safe)
        check_route(moves, content, called)
        name = moves.tools[int(moves.tool[0])].name
        made.append((f"-{k}-{slug(name)}" if order else "", content))
    return made


def _turned_over(ticket: Ticket, sheet: Sheet, work: Work) -> list[str]:
    """Where the pins of a board of two sides stand, and how it lies for the second."""
    first, second = ticket.first_side(sheet), ticket.second_side(ticket.first_side(sheet))
    if second is None:
        return []
    if first.id not in work.pins:
        return [f"second side, turned over {second.turned}"] if sheet is second else []
    holes, run = work.pins[first.id].value, routed(sheet, work)
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
    outline = shapely.multipoints(run.moves.xyz[run.moves.xyz[:, 2] < 0, :2])
    outline = outline.envelope if shape == "a box" else outline.convex_hull
    if not isinstance(outline, shapely.Polygon):
        raise CannotMake("There is no area to go round.", "See what Lines says.")
    ring = run.to_machine.map(shapely.get_coordinates(outline.exterior)[:-1])
    safe = float(run.height(machine.safe_height))
    says = [f"{ticket.name}, framing pass: {shape} round the work", TRIAL, f"on the {machine.name}"]
    content = write_trial(ring, watched(machine), Dialect(comments=machine.comments), says, safe=safe)
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
    of: list[np.ndarray] = []
    apart, k = 0.0, 0
    for number, end in enumerate(found.ends):
        if k >= len(planned):
            return np.empty(0, np.int64), np.inf
        i, j, way = found.arcs[number].tolist()
        last = k
        if way:
            # an arc of the file stands for several moves: its end is the next place that was planned there
            away = np.abs(planned[k : k + MOST_OF_ARC] - end).max(1)
            last = k + int(np.argmax(away <= OFF))
            while last + 1 - k < len(away) and away[last + 1 - k] < away[last - k]:
                last += 1
            begins = found.ends[number - 1]
            apart = max(apart, _off_helix(planned[k : last + 1], begins, end, begins[:2] + np.array([i, j]), way))
        apart = max(apart, float(np.abs(planned[last] - end).max()))
        of.append(np.full(last + 1 - k, number))
        k = last + 1
    return (np.concatenate(of) if of else np.empty(0, np.int64)), apart


def _off_helix(
    places: np.ndarray, begins: np.ndarray, ends: np.ndarray, centre: np.ndarray, way: float
) -> float:  # fmt: skip
    """How far places lie off a helix about a centre, or out of order along it, less what its fit may be off by, mm."""
    spoke, first, last = places[:, :2] - centre, begins[:2] - centre, ends[:2] - centre
    radius = math.hypot(*first)
    gone = _swept(np.broadcast_to(first, spoke.shape), spoke, way)
    whole = float(_swept(first[None], last[None], way)[0]) or 2 * math.pi
    slope = begins[2] + (ends[2] - begins[2]) * gone / whole
    off = max(float(np.abs(np.hypot(*spoke.T) - radius).max()), float(np.abs(slope - places[:, 2]).max()))
    backward = float(-np.diff(gone, prepend=0.0).min(initial=0.0)) * radius
    return max(off - FITTED, backward, 0.0)


def _swept(start: np.ndarray, end: np.ndarray, way: float) -> np.ndarray:
    """Angles from directions to others, the way that an arc goes, radians from nothing to a whole turn."""
    turn = np.arctan2(start[:, 0] * end[:, 1] - start[:, 1] * end[:, 0], (start * end).sum(1))
    return np.asarray(np.mod(way * turn, 2 * math.pi))
