"""G-code of a board that a router makes, written and read back."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import shapely

from nibble_core.errors import CannotMake, FileDisagrees
from nibble_core.formats.gcode import Dialect
from nibble_core.formats.router_gcode import read_route, read_trial, write_route, write_trial
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
    every = on_machine(run)
    parts = every.by_cutter() if machine.changes == "by hand" else [every]
    safe = float(run.height(machine.safe_height))
    made: list[tuple[str, bytes]] = []
    for k, moves in enumerate(parts, 1):
        order = [] if machine.changes == "by G-code" else [f"file {k} of {len(parts)}"]
        content = write_route(moves, Dialect(comments=machine.comments), [*says, *order], safe=safe)
        _check(moves, content, called)
        name = moves.tools[int(moves.tool[0])].name
        made.append((f"-{k}-{slug(name)}" if order else "", content))
    return made


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


def _check(moves: RouterMoves, content: bytes, called: str) -> None:
    """Raises FileDisagrees for a file that holds other moves."""
    ends, rapid, feed, tool = read_route(content)
    numbers = np.array([one.number for one in moves.tools])[moves.tool]
    same = len(ends) == len(moves) and (
        np.abs(ends - moves.xyz).max(initial=0.0) <= OFF and (rapid == moves.rapid).all() and (tool == numbers).all()
        and np.abs(feed - np.where(moves.rapid, 0.0, moves.feed)).max(initial=0.0) <= FEED_OFF
    )  # fmt: skip
    if not same:
        raise FileDisagrees(f"The {called}, read back, holds other moves than were planned.", "Report this job.")
