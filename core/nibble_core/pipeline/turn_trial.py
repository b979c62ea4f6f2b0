"""A test turn: whether a machine turns things as far as is asked, and the right way round, before any is spoilt.

It marks a line along the thing and a letter F beside it, turns on, and marks a second line behind the first. What lies
between the two, round the thing, is what every turn is off by.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from nibble_core.errors import CannotMake, InvalidTicket
from nibble_core.formats.registry import FORMATS
from nibble_core.geometry import Bundle, Path
from nibble_core.pipeline.beams import beam_of, turned_run
from nibble_core.pipeline.bending import turning_of
from nibble_core.pipeline.head_files import write_run
from nibble_core.pipeline.round_walls import wall_of
from nibble_core.processes import parts
from nibble_core.sheet import LaidSheet, Marks
from nibble_core.ticket import Change
from nibble_core.ticket.goods import Made
from nibble_core.ticket.heads import BeamHead
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.ticket.turners import Rollers
from nibble_core.toolpaths import Definition
from nibble_core.toolpaths.beam import BeamJob
from nibble_core.wrap import Turning

LINE, APART = 6.0, 0.5  # mm: of each line, and between the first and the second
LETTER = (3.0, 5.0)  # mm: width and height of the letter, beside the first line
BESIDE = 4.0  # mm
SHARES = {"a whole turn": 1.0, "half a turn": 0.5}
LIMITS = (0.8, 1.25)  # of a correction


def test_turn(ticket: Ticket, sheet: Sheet, turn: str = "a whole turn") -> bytes:
    """The G-code of a test turn on the sheet's machine. Half a turn is for opposite sides of things that have a seam to
    measure from. Raises CannotMake for a sheet that is not turned, or without settings."""
    share, chart = _share(turn), _chart(ticket, sheet)
    own = next((one for one in sheet.settings if not parts(one.process) and one.by_beam.power), None)
    if own is None:
        raise CannotMake(
            f"Nobody has set how the {sheet.machine.name} engraves {sheet.stock.name}.", "Set power and speed."
        )
    top = _place(chart)
    wide, high = LETTER
    first, second = (0.0, top), (2 * math.pi * chart.radius * share, top + LINE + APART)
    strokes = [
        [first, (first[0], top + LINE)],
        [(BESIDE, top + high), (BESIDE, top), (BESIDE + wide, top)],
        [(BESIDE, top + high / 2), (BESIDE + 0.7 * wide, top + high / 2)],
        [second, (second[0], second[1] + LINE)],
    ]
    paths = Bundle.of([Path.polygon(points, closed=False) for points in strokes])
    n = len(paths)
    beam = replace(beam_of(own, Definition("turn", own.process, paths), sheet.machine), overscan=0.0)
    laid = LaidSheet(2 * math.pi * chart.radius, _long(chart), (), Marks())
    job = BeamJob(
        laid.width, laid.height, paths, np.zeros(n, np.int64), np.zeros(n, np.int64), np.ones(n), (beam,)
    )  # fmt: skip
    says = [
        f"{ticket.name}, test turn: a line, {turn} on a second one behind it",
        "the letter F reads upright with the rim above, or the image is mirrored or upside down",
    ]
    return write_run(turned_run(job, laid, sheet.machine), sheet, FORMATS["gcode"], says, "test turn")


def turn_learnt(
    ticket: Ticket, sheet: Sheet, gap: float, day: str, turn: str = "a whole turn"
) -> tuple[float, list[Change]]:
    """What the turns of a machine are to be made longer by, and the changes that say so. gap: mm from the second line
    round to where it belongs, below nothing where it was drawn too late. Raises InvalidTicket for a gap that no
    machine is off by."""
    share, chart = _share(turn), _chart(ticket, sheet)
    turner = sheet.machine.head_as(BeamHead).turner
    assert isinstance(turner, Rollers)
    radius = float(chart.wall.radius_along(chart.lift(np.array([[0.0, _place(chart) + LINE]]))[0, 1]))
    meant = 2 * math.pi * radius * share
    made = turner.correction * meant / (meant - gap) if math.isfinite(gap) and gap < meant else math.inf
    if not LIMITS[0] <= made <= LIMITS[1]:
        raise InvalidTicket(
            f"A gap of {gap:g} mm is more than rollers slip.", "Measure it round the thing, from line to line."
        )
    here = f"sheets/{sheet.id}/machine/head/turner"
    return round(made, 6), [Change(f"{here}/correction", round(made, 6)), Change(f"{here}/learnt", day)]


def _share(turn: str) -> float:
    if turn not in SHARES:
        raise InvalidTicket(f"“{turn}” is no test turn.", f"Choose {', '.join(SHARES)}.")
    return SHARES[turn]


def _chart(ticket: Ticket, sheet: Sheet) -> Turning:
    goods = ticket.goods_of(sheet.holds[0].layer)
    if goods is None or not isinstance(goods.made, Made) or not sheet.machine.turns:
        raise CannotMake("Nothing is turned on this sheet.", "Put its piece on a round thing first.")
    return turning_of(goods.made, wall_of(goods.thing.wall))


def _place(chart: Turning) -> float:
    """Where on the wall the first line begins, mm from the rim: in its middle."""
    return max((_long(chart) - 2 * LINE - APART) / 2, 0.0)


def _long(chart: Turning) -> float:
    """From rim to foot as the head goes, mm."""
    return chart.wall.slant if chart.levelled else chart.wall.height
