"""The surface that a router's moves leave, and what is left between two sides of one board."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nibble_core.carve import Board
from nibble_core.carve.kernels import carved
from nibble_core.pipeline.carve_results import Between, RouterRun
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.store import Keyed, ResultStore, stage
from nibble_core.ticket.cutters import BALL, Cutter
from nibble_core.ticket.heads import RouterHead
from nibble_core.ticket.model import Sheet, Ticket

PITCH = 0.25  # mm of a pixel, at which both sides are compared
LEAST_DEEP = 0.05  # mm on a side, from which it is cut there
LEAST_AREA = 0.5  # mm², from which it is told


def carved_surface(
    run: RouterRun, cutters: Sequence[Cutter], pitch: float, share: float = 1.0
) -> NDArray[np.float64]:  # fmt: skip
    """Heights of a board's pixels, mm, below nothing where it was cut, after a share of the moves, 0 to 1."""
    moves = run.moves
    surface = Board(0.0, 0.0, moves.width, moves.height, pitch).fresh()
    made = round(len(moves) * share)
    ends = np.hstack([moves.starts(run.home), moves.xyz])[:made]
    tool, cuts = moves.tool[:made], ~moves.rapid[:made]
    for number in dict.fromkeys(tool.tolist()):
        own = cutters[number]
        pointed = own.kind in ("pointed", BALL)
        rise = 1 / math.tan(math.radians(own.angle) / 2) if pointed else 0.0
        radius = own.tip / 2 if pointed else own.diameter / 2
        chosen = np.ascontiguousarray(ends[cuts & (tool == number)])
        surface = carved(surface, chosen, rise, radius, own.kind in ("round", BALL), 0.0, 0.0, pitch)
    return surface


@dataclass(frozen=True)
class Turning:
    """What that depends on, beside the moves of both sides. thinnest: wood that the board holds, mm."""

    cutters: tuple[Cutter, ...]
    turned: str
    thick: float
    thinnest: float


def between_sides(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work) -> Keyed[Between] | None:
    """What is left between a second side and its first, once both are routed."""
    first = ticket.first_side(sheet)
    one, other = work.router_run_of(first.id), work.router_run_of(sheet.id)
    if first is sheet or one is None or other is None:
        return None
    rack = sheet.machine.head_as(RouterHead).cutters
    by = Turning(rack, sheet.turned, sheet.stock.thickness, sheet.stock.thinnest)
    if first.machine.head_as(RouterHead).cutters != rack:  # nobody knows what shapes the other side has
        return None
    return stage(store, _between, by, one, other)


def _between(by: Turning, first: RouterRun, second: RouterRun) -> Between:
    one, other = (-carved_surface(run, by.cutters, PITCH) for run in (first, second))
    other = other[:, ::-1] if by.turned == "left to right" else other[::-1]
    # what one side cuts right through is gone, or meant to go, whatever the other does
    both = (one > LEAST_DEEP) & (other > LEAST_DEEP) & (one < by.thick) & (other < by.thick)
    left = np.where(both, by.thick - one - other, np.inf)
    return Between(float(left.min(initial=np.inf)), float((left < by.thinnest).sum()) * PITCH**2)
