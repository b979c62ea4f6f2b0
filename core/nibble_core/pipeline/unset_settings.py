"""Processes whose power or speed nobody has set: said once for all sheets of one stock on one machine."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from nibble_core.pipeline.beams import missing_settings
from nibble_core.pipeline.notes import Mend
from nibble_core.pipeline.results import Work
from nibble_core.processes import PROCESSES
from nibble_core.ticket import Change, to_plain
from nibble_core.ticket.model import Setting, Sheet, Ticket


@dataclass(frozen=True)
class Unset:
    """What is missing, what to do, and the place in the ticket where it is set."""

    said: str
    what_to_do: str
    where: str
    mends: tuple[Mend, ...] = ()


def unset(ticket: Ticket, work: Work, sheet: Sheet) -> Iterator[Unset]:
    """What a sheet's table of settings lacks; nothing for a sheet behind another one of its stock and machine."""
    alike = [one for one in ticket.sheets if _table(one) == _table(sheet) and missing_settings(one, work)]
    if not alike or alike[0].id != sheet.id:
        return
    missing = {one.id: missing_settings(one, work) for one in alike}
    lines = {(one.id, own.process): own.id for one in alike for own in one.settings}
    without_line = [(id, process) for id, some in missing.items() for process in some if (id, process) not in lines]
    called = dict.fromkeys(process for _, process in without_line)
    if called:
        how = sheet.machine.head.usual
        changes = tuple(
            Change(f"sheets/{id}/settings", to_plain(Setting(process.replace(" ", "-"), process, how)), "add")
            for id, process in without_line
        )
        words = "Give them lines of their own" if len(called) > 1 else "Give it a line of its own"
        yield Unset(
            f"There are no settings to {_listed([PROCESSES[process].doing for process in called])} "
            f"{sheet.stock.name} on the {sheet.machine.name}.",
            "Set power and speed; a test swatch finds them.", f"sheets/{sheet.id}/settings", (Mend(words, changes),),
        )  # fmt: skip
    for id, some in missing.items():
        for process in some:
            if (id, process) in lines and (id == sheet.id or process not in missing[sheet.id]):
                yield Unset(
                    f"To {PROCESSES[process].doing} {sheet.stock.name}, power or speed is not known.",
                    "Set both; a test swatch finds them.", f"sheets/{id}/settings/{lines[id, process]}",
                )  # fmt: skip


def _table(sheet: Sheet) -> tuple[str, str]:
    return sheet.stock.key, sheet.machine.key


def _listed(words: list[str]) -> str:
    *others, last = words
    return f"{', '.join(others)} and {last}" if others else last
