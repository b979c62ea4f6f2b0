"""A nest is put in place only where all later checks let it pass; else the sheet stays as it was."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from nibble_core.errors import CannotMake
from nibble_core.pipeline.results import Problem, Work
from nibble_core.pipeline.sheets import nest_sheet, waste_share
from nibble_core.sheet import Limits
from nibble_core.ticket import Change, to_plain
from nibble_core.ticket.model import Sheet, Ticket


@dataclass(frozen=True)
class Nested:
    """A ticket with a sheet nested, and the changes that make it of the one before. runs: of the sheet. length: mm.
    waste: how much of it becomes no piece, 0 to 1; None where a piece has no edge."""

    ticket: Ticket
    changes: tuple[Change, ...]
    copies: int
    runs: int
    length: float
    waste: float | None


def nested(ticket: Ticket, sheet: Sheet, work: Work, limits: Limits, work_of: Callable[[Ticket], Work]) -> Nested:
    """The tightest nest of a sheet that is found in the time. work: of the ticket; work_of: of another. Raises
    CannotMake for one that fails a check, and what ``nest_sheet`` raises."""
    placed, runs, length = nest_sheet(ticket, sheet, work, limits)
    laid = replace(sheet, arrangement="as placed", placed=tuple(placed), runs=runs)
    made = replace(ticket, sheets=tuple(laid if one.id == sheet.id else one for one in ticket.sheets))
    after = work_of(made)
    why = _fault(laid, work, after)
    if why:
        raise CannotMake(
            f"The nest that was found is not good: {why}", "The sheet stays as it was. Please report this job."
        )
    here = f"sheets/{sheet.id}"
    changes = (
        Change(f"{here}/placed", to_plain(laid.placed)), Change(f"{here}/runs", runs),
        Change(f"{here}/arrangement", laid.arrangement),
    )  # fmt: skip
    waste = waste_share(after, sheet.id) if sheet.id in after.sheets else None
    return Nested(made, changes, len(placed), runs, length, waste)


def _fault(sheet: Sheet, before: Work, after: Work) -> str:
    """What is wrong with a nested sheet that was not before, in words; empty where nothing is. Copies that were locked
    too near to each other are the operator's own."""
    known = {problem.error.message for problem in before.problems}
    for problem in after.problems:
        if _is_of_the_sheet(problem, sheet) and problem.error.message not in known:
            return problem.error.message
    near = [one for one in (after.sheets[sheet.id].crowded if sheet.id in after.sheets else [])
            if not (sheet.placed[one.one].locked and sheet.placed[one.other].locked)]  # fmt: skip
    return f"two copies are {near[0].apart:.2f} mm apart." if near else ""


def _is_of_the_sheet(problem: Problem, sheet: Sheet) -> bool:
    """Whether a problem follows from where copies lie: settings and records that are missing do not."""
    here = f"sheets/{sheet.id}"
    return problem.where == here
