"""What each kind of head does with a sheet: its moves, its minutes, what is told of it, and its files of moves.

A kind of machine of another head is an entry here, one in ``room``, and its class in ``ticket.heads``; one of a head
that is here already is its class alone.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from nibble_core.errors import CannotMake
from nibble_core.formats.registry import FORMATS, Format
from nibble_core.pipeline.beams import beam_lines, check_beam, plan_beam
from nibble_core.pipeline.beams_report import report_beam
from nibble_core.pipeline.both_sides import between_sides
from nibble_core.pipeline.carving_report import report_route
from nibble_core.pipeline.head_files import write_frame, write_head
from nibble_core.pipeline.notes import Draft
from nibble_core.pipeline.part_files import write_plot
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.route_files import write_board, write_route_frame
from nibble_core.pipeline.routing import carve, check_route, not_carved, route
from nibble_core.pipeline.sheets import program_of
from nibble_core.pipeline.working_out import WorkingOut
from nibble_core.ticket.heads import BeamHead, Head, KnifeHead, RouterHead, of_nearest
from nibble_core.ticket.model import Machine, Setting, Sheet, Ticket

Places = Sequence[tuple[float, float]]
Files = list[tuple[str, bytes]]
"""What each file is called beside the job, and its content."""


@dataclass(frozen=True)
class HeadWork:
    """plan: works its moves out, where its files tell them; minutes: of one run, None where they are not known;
    by_moves: whether these are counted move by move; report: what is told of them; write_moves: its files of moves, of
    a format, what they are called, and a revision; write_frame: one that shows where the work will lie, of a shape;
    in_one: what the machine is sent over its port, of a revision, following the marks as they were found where there
    are any."""

    plan: Callable[[WorkingOut, Sheet], None]
    minutes: Callable[[Sheet, Work], float | None]
    by_moves: bool
    report: Callable[[Draft, Sheet, Ticket, Work], None]
    write_moves: Callable[[Ticket, Sheet, Work, Format, str, int | None], Files]
    write_frame: Callable[[Ticket, Sheet, Work, str], bytes]
    in_one: Callable[[Ticket, Sheet, Work, int | None, Places], bytes]


def work_of(machine: Machine) -> HeadWork:
    """Of a machine's kind of head."""
    return of_nearest(WORK, machine.head)


def pace_of(own: Setting, machine: Machine) -> float | None:
    """mm a second of a process along its lines; None where nobody has said."""
    return own.speed or (machine.head.speed if isinstance(machine.head, KnifeHead) else None)


def _no_plan(out: WorkingOut, sheet: Sheet) -> None:
    """A cut file names lines; how it runs along them the machine decides."""


def _minutes_along(sheet: Sheet, work: Work) -> float | None:
    """At the speed that is set for each process, or the machine's, without the ways between lines."""
    total = 0.0
    for run in program_of(sheet, work).runs:
        own = sheet.setting(run.of.process)
        speed = pace_of(own, sheet.machine)
        if speed is None:
            return None
        total += run.length * own.passes / speed / 60
    return total


def _no_report(draft: Draft, sheet: Sheet, ticket: Ticket, work: Work) -> None:
    """Its minutes are told with those of all such sheets."""


def _no_moves(ticket: Ticket, sheet: Sheet, work: Work, form: Format, called: str, revision: int | None) -> Files:
    raise CannotMake(f"The {sheet.machine.name} takes no {form.called}.", "Take it off its formats in the library.")


def _no_frame(ticket: Ticket, sheet: Sheet, work: Work, shape: str) -> bytes:
    raise CannotMake("A framing pass is for a machine that G-code moves.", "Cut one copy on a spare.")


def _plot(ticket: Ticket, sheet: Sheet, work: Work, revision: int | None, found: Places) -> bytes:
    """HP-GL: a cutter finds the marks itself."""
    return write_plot(ticket, sheet, work)


def _plan_beam(out: WorkingOut, sheet: Sheet) -> None:
    ticket, store, work, here = out.ticket, out.store, out.work, f"sheets/{sheet.id}"
    own = work.sheets.get(sheet.id)
    if own is None:
        return
    follow = partial(beam_lines, ticket, sheet, store, work, preview=out.preview)
    own.beam_lines = out.attempt("machine", here, follow)
    if own.beam_lines is not None:
        own.beam_run = out.attempt("machine", here, partial(plan_beam, ticket, sheet, store, work))
        out.attempt("machine", here, partial(check_beam, sheet, work))


def _minutes_of_beam(sheet: Sheet, work: Work) -> float | None:
    run = work.beam_run_of(sheet.id)
    return None if run is None else run.value.minutes


def _write_beam(ticket: Ticket, sheet: Sheet, work: Work, form: Format, called: str, revision: int | None) -> Files:
    return [("", write_head(ticket, sheet, work, form, called, revision=revision))]


def _beam_frame(ticket: Ticket, sheet: Sheet, work: Work, shape: str) -> bytes:
    return write_frame(ticket, sheet, work, FORMATS["gcode"], shape)


def _beam_in_one(ticket: Ticket, sheet: Sheet, work: Work, revision: int | None, found: Places) -> bytes:
    return write_head(ticket, sheet, work, FORMATS["gcode"], "cut file as G-code", revision=revision, found=found)


def _plan_route(out: WorkingOut, sheet: Sheet) -> None:
    ticket, store, work, here = out.ticket, out.store, out.work, f"sheets/{sheet.id}"
    own = work.sheets.get(sheet.id)
    carved = out.attempt("machine", here, partial(carve, ticket, sheet, store, work)) if own else None
    if own is not None and carved is not None:
        own.carved = {layer: one for (layer, _), one in carved.items()}
        work.problems += not_carved(ticket, own.carved)
        own.router_run = out.attempt("machine", here, partial(route, sheet, store, carved, own))
    out.attempt("machine", here, partial(check_route, sheet, work))
    if own is not None and not out.preview:
        own.between = out.attempt("machine", here, partial(between_sides, ticket, sheet, store, work))


def _minutes_of_route(sheet: Sheet, work: Work) -> float | None:
    run = work.router_run_of(sheet.id)
    return None if run is None else run.value.minutes


def _write_route(ticket: Ticket, sheet: Sheet, work: Work, form: Format, called: str, revision: int | None) -> Files:
    return write_board(ticket, sheet, work, called, revision=revision)


def _route_in_one(ticket: Ticket, sheet: Sheet, work: Work, revision: int | None, found: Places) -> bytes:
    files = write_board(ticket, sheet, work, "cut file as G-code", revision=revision)
    if len(files) > 1:
        raise CannotMake(
            f"Cutters of the {sheet.machine.name} are changed by hand.", "Run its files one after another, in order."
        )
    return files[0][1]


WORK: dict[type[Head], HeadWork] = {
    KnifeHead: HeadWork(_no_plan, _minutes_along, False, _no_report, _no_moves, _no_frame, _plot),
    BeamHead: HeadWork(_plan_beam, _minutes_of_beam, True, report_beam, _write_beam, _beam_frame, _beam_in_one),
    RouterHead: HeadWork(
        _plan_route, _minutes_of_route, True, report_route, _write_route, write_route_frame, _route_in_one
    ),
}
