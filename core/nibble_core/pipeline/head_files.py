"""G-code of a sheet: the run itself, and trial files that start no tool: a framing pass and a run with a pen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely

from nibble_core.checks.beams import beyond_bed
from nibble_core.checks.readback import check_moves
from nibble_core.errors import CannotMake
from nibble_core.formats.gcode import Dialect
from nibble_core.formats.registry import Format
from nibble_core.geometry import Bundle, Path
from nibble_core.geometry.arcing import arced
from nibble_core.graphics.moves import Moves
from nibble_core.pipeline.beam_results import BeamRun
from nibble_core.pipeline.beams import bed_of, run_of
from nibble_core.pipeline.results import Work
from nibble_core.processes import GUIDE
from nibble_core.ticket import fingerprint
from nibble_core.ticket.heads import BeamHead, DrivenHead
from nibble_core.ticket.model import Machine, Sheet, Ticket
from nibble_core.ticket.turners import Chuck, Rollers
from nibble_core.toolpaths.beam import Beam, BeamJob, moves_of, with_real_arcs
from nibble_core.toolpaths.registration import Located, located

PEN_DOWN = 0.0  # mm: it touches the paper, which lies where the material would
TRIAL = "trial: no tool is started"  # a stand-in holds the file to it
SLOW = 100.0  # mm a second at most, so that an eye can follow


def write_head(
    ticket: Ticket, sheet: Sheet, work: Work, form: Format, called: str, *, revision: int | None = None,
    found: Sequence[tuple[float, float]] = (),
) -> bytes:  # fmt: skip
    """Every move of a sheet's beam. found: where its printed marks lie in the machine's axes, in their order; the moves
    follow them. Raises CannotMake where it is not planned, or the marks are another sheet's, DoesNotFit where it lies
    beyond the bed, FileDisagrees."""
    last = f", revision {revision}" if revision is not None else ""
    says = [f"{ticket.name}{last}, ticket {fingerprint(ticket)[:12]}"]
    run = planned(sheet, work)
    if found:
        run, said = _as_it_lies(run, sheet, work, found)
        says = [*says, said]
    return write_run(run, sheet, form, says, called)


def marks_on_machine(sheet: Sheet, work: Work) -> list[tuple[float, float]]:
    """Where the printed marks of a sheet are meant to lie, in the machine's axes. Raises CannotMake where its moves
    are not planned."""
    to_machine = planned(sheet, work).to_machine
    places = np.array(work.sheets[sheet.id].laid.value.marks.places, float).reshape(-1, 2)
    return [(x, y) for x, y in to_machine.map(places).tolist()]


def how_it_lies(sheet: Sheet, work: Work, found: Sequence[tuple[float, float]]) -> Located:
    """How a printed sheet lies, told by its marks, in the machine's axes. Raises CannotMake."""
    return located(np.array(marks_on_machine(sheet, work)), np.array(found, float))


def _as_it_lies(run: BeamRun, sheet: Sheet, work: Work, found: Sequence[tuple[float, float]]) -> tuple[BeamRun, str]:
    """The run on a sheet that lies otherwise than meant, and that in words."""
    lies = how_it_lies(sheet, work, found)
    on_sheet = run.to_machine.then(lies.at).then(run.to_machine.inverse())
    job = replace(run.job, paths=with_real_arcs(arced(run.job.paths.mapped(on_sheet))))
    moved = run_of(job, run.start, sheet.machine)
    if sheet.machine.head_as(BeamHead).origin_of == "the bed":
        beyond_bed(moved.moves, bed_of(sheet.machine, run.start))
    shift = f"{lies.shift[0]:.2f}, {lies.shift[1]:.2f} mm"
    return moved, f"led by its marks: shift {shift}, turn {lies.turn:.3f} degrees, within {lies.worst:.2f} mm"


def write_run(run: BeamRun, sheet: Sheet, form: Format, says: Sequence[str], called: str) -> bytes:
    """A planned run on a sheet's machine. Raises FileDisagrees."""
    head = [
        *says, *_about(sheet, run), *_corner_used(run),
        f"{run.minutes:.1f} minutes, {sum(run.burnt().values()):.0f} mm burnt",
        *dict.fromkeys(_told(tool) for tool in run.job.tools),
    ]  # fmt: skip
    return _checked(run.moves, run, sheet, form, head, called)


def write_frame(ticket: Ticket, sheet: Sheet, work: Work, form: Format, shape: str = "a box") -> bytes:
    """Round all the work with every tool off and, where G-code moves the head, at its safe height; slowly enough to be
    watched. shape: a box or the hull."""
    run = planned(sheet, work)
    points = shapely.multipoints(run.job.paths.flattened(0.02)[0])
    outline = points.envelope if shape == "a box" else points.convex_hull
    if not isinstance(outline, shapely.Polygon):
        raise CannotMake("There is no area to go round.", "See what Lines says.")
    ring = Path.polygon(shapely.get_coordinates(outline.exterior)[:-1])
    head = sheet.machine.head_as(BeamHead)
    heights = (head.safe_height, head.safe_height) if head.moves_height else None
    tool = Beam(GUIDE, 0.0, watched(sheet.machine), heights=heights)
    moves = moves_of(_job(run.job, Bundle.of([ring]), tool), run.start)
    says = [f"{ticket.name}, framing pass: {shape} round the work", TRIAL, *_about(sheet, run)]
    return _checked(moves, run, sheet, form, says, "framing pass")


def write_pen_run(ticket: Ticket, sheet: Sheet, work: Work, form: Format) -> bytes:
    """Every line once with a pen in place of the tool, raised and lowered by Z: nothing is ever switched on."""
    run = planned(sheet, work)
    safe = sheet.machine.head_as(BeamHead).safe_height
    pen = Beam(GUIDE, 0.0, watched(sheet.machine), heights=(safe, PEN_DOWN), pen=True)
    tools = tuple(replace(pen, process=tool.process, rank=tool.rank) for tool in run.job.tools)
    moves = moves_of(replace(run.job, tools=tools), run.start)
    says = [
        f"{ticket.name}, with a pen for trying on paper", TRIAL,
        f"Z {PEN_DOWN:g}: the pen touches the paper; Z {safe:g}: it travels", *_about(sheet, run),
    ]  # fmt: skip
    return _checked(moves, run, sheet, form, says, "pen run")


def write_guides(ticket: Ticket, sheet: Sheet, work: Work, form: Format) -> bytes:
    """Of a thing that is turned: a pen along it at each quarter of a turn, and round it above and below the work, for
    placing tape. Nothing is ever switched on. Raises CannotMake for what is not turned."""
    run = planned(sheet, work)
    if run.axes is None:
        raise CannotMake("Guides are drawn on things that are turned.", "Use the pen run.")
    box, (wide, high) = run.job.paths.bounds(), (run.job.width, run.job.height)
    lines = [[(wide * k / 4, 0.0), (wide * k / 4, high)] for k in range(4)]
    lines += [[(0.0, y), (wide, y)] for y in (box.top, box.bottom)]
    paths = Bundle.of([Path.polygon(points, closed=False) for points in lines])
    heights = (sheet.machine.head_as(BeamHead).safe_height, PEN_DOWN)
    moves = moves_of(_job(run.job, paths, Beam(GUIDE, 0.0, watched(sheet.machine), heights=heights, pen=True)))
    says = [f"{ticket.name}, guides with a pen", TRIAL, *_about(sheet, run)]
    return _checked(moves, run, sheet, form, says, "guides")


def watched(machine: Machine) -> float:
    """The speed of a trial, mm a second."""
    return min(machine.head_as(DrivenHead).fastest / 4, SLOW)


def planned(sheet: Sheet, work: Work) -> BeamRun:
    """Every move of a sheet's beam. Raises CannotMake where nobody knows them, and what keeps it from being laid."""
    if sheet.id not in work.sheets:
        work.require_whole()
    made = work.beam_run_of(sheet.id)
    if made is None:
        raise CannotMake(
            f"The moves of the {sheet.machine.name} are not planned: power or speed is missing, or it has no beam.",
            "Set them at Machine.",
        )
    return made.value


def _job(like: BeamJob, paths: Bundle, tool: Beam) -> BeamJob:
    n = len(paths)
    return BeamJob(like.width, like.height, paths, np.zeros(n, np.int64), np.zeros(n, np.int64), np.ones(n), (tool,))


def _checked(moves: Moves, run: BeamRun, sheet: Sheet, form: Format, says: Sequence[str], called: str) -> bytes:
    """Written, read back, and found to be what was meant."""
    assert form.heads is not None
    own = moves.mapped(run.to_machine)
    dialect = dialect_of(sheet.machine)
    content = form.heads.write(own, dialect, says)
    check_moves(own, form.heads.read(content, dialect), called, scale=dialect.scale, tolerance=form.heads.tolerance)
    return content


def dialect_of(machine: Machine) -> Dialect:
    """What a machine's controller wants."""
    head = machine.head_as(BeamHead)
    return Dialect(float(head.power_scale), head.comments)


def _about(sheet: Sheet, run: BeamRun) -> list[str]:
    if run.axes is not None:
        return [f"{sheet.stock.name} on the {sheet.machine.name}", *_about_turn(sheet, run)]
    side, head = ", mirrored" if sheet.is_mirrored else "", sheet.machine.head_as(BeamHead)
    return [
        f"{sheet.stock.name} on the {sheet.machine.name}{side}",
        f"origin {head.origin} of {head.origin_of}, x to the right, y away from the operator",
    ]


def _about_turn(sheet: Sheet, run: BeamRun) -> list[str]:
    """Which axis turns, how it counts, and where the thing's rim and handle are."""
    turner, around = sheet.machine.head_as(BeamHead).turner, run.job.width
    assert isinstance(turner, Rollers)
    counted = f"mm at the ring of {around / np.pi:.2f} mm that the rollers touch"
    if isinstance(turner, Chuck):
        counted = f"{turner.a_turn:g} units a turn, in a chuck"
    return [
        f"turned: X along the thing from its rim, which points {turner.rim}, Y the turn, {counted}",
        "begin with the beam at the rim, over the middle of the handle or seam, and it ends there",
        f"the image faces up, its upper end towards the rim, turns are made {100 * turner.correction:.2f} % long",
    ]


def _corner_used(run: BeamRun) -> list[str]:
    """Where on its sheet the work lies, mm in the machine's axes."""
    if not len(run.moves):
        return []
    box = run.job.paths.mapped(run.to_machine).bounds()
    low, high = (box.left, box.top), (box.right, box.bottom)
    places = " to ".join(f"{x:.1f}, {y:.1f}" for x, y in (low, high))
    return [f"the work lies from {places} mm on a sheet of {run.job.width:g} x {run.job.height:g} mm"]


def _told(tool: Beam) -> str:
    """A tool in words."""
    passes = f", {tool.passes} passes" if tool.passes > 1 else ""
    more = [f"focus {tool.focus:g} mm"] if tool.focus else []
    more += [f"pierces {tool.pierce:g} s"] if tool.pierce else []
    return ", ".join([f"{tool.process} at {100 * tool.power:g} %, {tool.speed:g} mm a second{passes}", *more])
