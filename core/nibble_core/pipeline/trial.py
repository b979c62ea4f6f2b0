"""A trial first: one copy, or a small test cut, as files of their own with the sheet's settings."""

from __future__ import annotations

from dataclasses import replace

from nibble_core.errors import CannotMake
from nibble_core.formats.registry import CUT, FORMATS
from nibble_core.geometry import Affine, Bundle, Path
from nibble_core.graphics import Page
from nibble_core.pipeline.beams import beam_of
from nibble_core.pipeline.files import JobFile, write_files
from nibble_core.pipeline.names import slug
from nibble_core.pipeline.pages import Part, strokes
from nibble_core.pipeline.part_files import write_part
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import program_of
from nibble_core.pipeline.swatch import written_test
from nibble_core.processes import parts
from nibble_core.sheet import LaidSheet, Marks
from nibble_core.ticket.heads import RouterHead
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.toolpaths import Definition, Program, Run
from nibble_core.toolpaths.kerf import compensated

SIDE, ROUND = 20.0, 12.0  # mm: a square, and a circle within it
MARGIN, APART = 5.0, 5.0


def trial_ticket(ticket: Ticket, sheet: Sheet) -> Ticket:
    """The job with a single copy of each layer of one sheet, laid in a grid; of a second side with its first."""
    sheets = tuple(
        replace(one, arrangement="a grid", placed=(), runs=1, amount="as many as wanted", spares=0, own_quantity=1)
        for one in ticket.with_first_side(sheet)
    )
    return replace(ticket, name=f"{ticket.name} trial", sheets=sheets)


def trial_copy(ticket: Ticket, work: Work) -> list[JobFile]:
    """The files of a trial ticket, worked out. Raises what ``write_files`` raises."""
    return [file for file in write_files(ticket, work) if file.purpose != "manifest"]


def test_cut(ticket: Ticket, sheet: Sheet, work: Work) -> list[JobFile]:
    """A square with a circle in it for each process that parts material on a sheet, side by side, as each cut file that
    its machine takes. Raises CannotMake for a beam without power and speed, FileDisagrees."""
    if isinstance(sheet.machine.head, RouterHead):
        raise CannotMake("A router has no test cut.", "Carve one copy on a spare board.")
    used = list(dict.fromkeys(run.of.process for run in program_of(sheet, work).runs if parts(run.of.process)))
    places = [Affine.translation(MARGIN + n * (SIDE + APART), MARGIN) for n in range(len(used))]
    runs = [
        Run(Definition(f"test {process}", process, _figure()), (place,))
        for process, place in zip(used, places, strict=True)
    ]
    program = Program(tuple(runs))
    laid = LaidSheet(2 * MARGIN + len(used) * (SIDE + APART) - APART, 2 * MARGIN + SIDE, (), Marks())
    page = Page(laid.width, laid.height, stroked=strokes(program, sheet.machine), title=f"{ticket.name}, test cut")
    part = Part("", laid, page, page, program)
    files = []
    for key in sheet.machine.formats:
        form = FORMATS[key]
        if form.heads is not None and used:
            content = _burnt(ticket, sheet, program, laid)
            files.append(JobFile(f"{slug(ticket.name)}-test-cut.{form.ending}", CUT, content))
        if form.sheets is not None and CUT in form.sheets.purposes:
            content, _ = write_part(part, CUT, form, sheet, "test cut")
            files.append(JobFile(f"{slug(ticket.name)}-test-cut{form.tail}.{form.ending}", CUT, content))
    return files


def _burnt(ticket: Ticket, sheet: Sheet, program: Program, laid: LaidSheet) -> bytes:
    """The figures as a beam cuts them, at their true size: the kerf on the waste side."""
    made = []
    for run in program.runs:
        rings = list(run.of.paths.mapped(run.places[0]))
        moved = compensated(rings, sheet.setting(run.of.process).kerf)
        made.append(replace(run.of, paths=Bundle.of([one.path for one in moved]), rings=None))
    says = [f"{ticket.name}, test cut: squares of {SIDE:g} mm with holes of {ROUND:g} mm"]
    return written_test(
        sheet, made, lambda one: beam_of(sheet.setting(one.process), one, sheet.machine), laid.width, laid.height, says
    )


def _figure() -> Bundle:
    square = Path.polygon([(0, 0), (SIDE, 0), (SIDE, SIDE), (0, SIDE)])
    return Bundle.of([Path.circle(SIDE / 2, SIDE / 2, ROUND / 2), square])
