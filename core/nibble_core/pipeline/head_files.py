"""G-code of a sheet: the run itself, a framing pass with the beam off, and a run with a pen for trying on paper."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely

from nibble_core.checks.readback import check_moves
from nibble_core.errors import CannotMake
from nibble_core.formats.gcode import Dialect
from nibble_core.formats.registry import Format
from nibble_core.geometry import Affine, Bundle, Path
from nibble_core.graphics.moves import Moves
from nibble_core.pipeline.beam_results import BeamRun
from nibble_core.pipeline.results import Work
from nibble_core.ticket import fingerprint
from nibble_core.ticket.model import Machine, Sheet, Ticket
from nibble_core.toolpaths.beam import Beam, BeamJob, moves_of

PEN_LIFT = 0.2  # seconds that a pen needs to come down


def write_head(
    ticket: Ticket, sheet: Sheet, work: Work, form: Format, called: str, *, revision: int | None = None
) -> bytes:
    """Every move of a sheet's beam. Raises CannotMake where it is not planned, FileDisagrees."""
    last = f", revision {revision}" if revision is not None else ""
    says = [f"{ticket.name}{last}, ticket {fingerprint(ticket)[:12]}"]
    return write_run(planned(sheet, work), sheet, form, says, called)


def write_run(run: BeamRun, sheet: Sheet, form: Format, says: Sequence[str], called: str) -> bytes:
    """A planned run on a sheet's machine. Raises FileDisagrees."""
    head = [
        *says, *_about(sheet), f"{run.minutes:.1f} minutes, {sum(run.burnt().values()):.0f} mm burnt",
        *dict.fromkeys(_told(tool) for tool in run.job.tools),
    ]  # fmt: skip
    return _checked(run.moves, run, sheet, form, head, called)


def write_frame(ticket: Ticket, sheet: Sheet, work: Work, form: Format, shape: str = "a box") -> bytes:
    """Round everything that is burnt with the beam off, slowly enough to be watched. shape: a box or the hull."""
    run = planned(sheet, work)
    points = shapely.multipoints(run.job.paths.flattened(0.02)[0])
    outline = points.envelope if shape == "a box" else points.convex_hull
    if not isinstance(outline, shapely.Polygon):
        raise CannotMake("There is no area to go round.", "See what Lines says.")
    ring = Path.polygon(shapely.get_coordinates(outline.exterior)[:-1])
    speed = min(sheet.machine.fastest / 4, 100.0)
    job = _job(run.job, Bundle.of([ring]), Beam("guide", 0.0, speed))
    moves = moves_of(job, run.start)
    says = [f"{ticket.name}, framing pass: {shape} round the work, the beam off", *_about(sheet)]
    return _checked(moves, run, sheet, form, says, "framing pass")


def write_pen_run(ticket: Ticket, sheet: Sheet, work: Work, form: Format) -> bytes:
    """Every line once with a pen instead of the beam: full power is the pen down."""
    run = planned(sheet, work)
    speed = min(sheet.machine.fastest / 4, 100.0)
    tools = tuple(replace(tool, power=1.0, speed=speed, passes=1, overscan=0.0, pierce=PEN_LIFT, air=False)
                  for tool in run.job.tools)  # fmt: skip
    job = replace(run.job, tools=tools, share=np.ones_like(run.job.share))
    moves = moves_of(job, run.start)
    says = [f"{ticket.name}, with a pen for trying on paper", *_about(sheet)]
    return _checked(moves, run, sheet, form, says, "pen run")


def planned(sheet: Sheet, work: Work) -> BeamRun:
    """Every move of a sheet's beam. Raises CannotMake where nobody knows them."""
    if sheet.id not in work.beams:
        raise CannotMake(
            f"The moves of the {sheet.machine.name} are not planned: power or speed is missing, or it has no beam.",
            "Set them at Machine.",
        )
    return work.beams[sheet.id].value


def _job(like: BeamJob, paths: Bundle, tool: Beam) -> BeamJob:
    n = len(paths)
    return BeamJob(like.width, like.height, paths, np.zeros(n, np.int64), np.zeros(n, np.int64), np.ones(n), (tool,))


def _checked(moves: Moves, run: BeamRun, sheet: Sheet, form: Format, says: Sequence[str], called: str) -> bytes:
    """Written, read back, and found to be what was meant."""
    assert form.heads is not None
    own = moves.mapped(Affine.translation(-run.start[0], -run.start[1]).then(Affine(d=-1.0)))
    dialect = dialect_of(sheet.machine)
    content = form.heads.write(own, dialect, says)
    check_moves(own, form.heads.read(content, dialect), called, scale=dialect.scale, tolerance=form.heads.tolerance)
    return content


def dialect_of(machine: Machine) -> Dialect:
    """What a machine's controller wants."""
    return Dialect(float(machine.power_scale), machine.comments)


def _about(sheet: Sheet) -> list[str]:
    side = ", mirrored" if sheet.stock.mirrored else ""
    return [
        f"{sheet.stock.name} on the {sheet.machine.name}{side}",
        f"origin {sheet.machine.origin} of {sheet.machine.origin_of}, x to the right, y away from the operator",
    ]


def _told(tool: Beam) -> str:
    """A tool in words."""
    passes = f", {tool.passes} passes" if tool.passes > 1 else ""
    more = [f"focus {tool.focus:g} mm"] if tool.focus else []
    more += [f"pierces {tool.pierce:g} s"] if tool.pierce else []
    return ", ".join([f"{tool.process} at {100 * tool.power:g} %, {tool.speed:g} mm a second{passes}", *more])
