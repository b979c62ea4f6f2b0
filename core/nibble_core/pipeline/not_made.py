"""What of a ticket its machines cannot make: stocks and lines they have no way for, settings that nobody made."""

from __future__ import annotations

from collections.abc import Iterator

from nibble_core.errors import CannotMake
from nibble_core.pipeline.notes import Mend, setting
from nibble_core.pipeline.results import Problem, Work
from nibble_core.pipeline.sheets import NO_BORDER, NO_CROSS_CUT, NO_WEED_LINES
from nibble_core.pipeline.unset_settings import unset
from nibble_core.processes import CROSS_CUT, PROCESSES, WEED_CUT
from nibble_core.ticket import Change
from nibble_core.ticket.library import Library
from nibble_core.ticket.model import Ticket

_OWN = (
    ("border", WEED_CUT, NO_BORDER), ("weed_lines", WEED_CUT, NO_WEED_LINES), ("cross_cut", CROSS_CUT, NO_CROSS_CUT)
)  # fmt: skip
"""What a sheet has cut of its own: field, process, and its value for none."""


def not_taken(ticket: Ticket, library: Library) -> Iterator[Problem]:
    """Stocks that their sheet's machine has no settings for though others have, and prints on what no press takes."""
    for sheet in ticket.sheets:
        stock, machine, here = sheet.stock, sheet.machine, f"sheets/{sheet.id}"
        if not stock.taken_by(machine.key) and not sheet.settings:
            able = [one for one in library.machines if one.key in stock.machines]
            yield Problem(
                "machine", f"{here}/machine",
                CannotMake(
                    f"The {machine.name} does not take {stock.name}.",
                    f"Choose {' or '.join(f'the {one.name}' for one in able)}." if able else
                    "Choose another stock, or write its settings in the library and choose it again.",
                ),
                tuple(setting(f"Use the {one.name}", f"{here}/machine", one.key) for one in able),
            )  # fmt: skip
        printed = [one.layer for one in sheet.holds if ticket.layer(one.layer).prints.kind != "nothing"]
        if printed and not stock.printable:
            layers = [f"pieces/{ticket.piece_of_layer(one).id}/layers/{one}/prints" for one in printed]
            yield Problem(
                "sheet", f"{here}/stock",
                CannotMake(f"The shop does not print on {stock.name}.", "Print nothing, or choose a stock that is."),
                (Mend("Print nothing on it", tuple(Change(path, "nothing") for path in layers)),),
            )  # fmt: skip


def not_made(ticket: Ticket, library: Library) -> Iterator[Problem]:
    """Lines that the machine of their sheet has no way to make, each with the machines that have."""
    for sheet in ticket.sheets:
        if not sheet.machine.formats:
            yield Problem(
                "machine", f"sheets/{sheet.id}/machine",
                CannotMake(f"The {sheet.machine.name} takes no files.", "Give its record a format, or choose another."),
            )  # fmt: skip
        for name, process, off in _OWN:
            if getattr(sheet, name) != off and not sheet.machine.makes(process):
                yield Problem(
                    "machine", f"sheets/{sheet.id}/{name}",
                    CannotMake(
                        f"The {sheet.machine.name} has no entry for a {process}.",
                        f"Choose it anew from the shop's machines, another one, or {off}.",
                    ),
                )  # fmt: skip
        for held in sheet.holds:
            piece, layer = ticket.piece_of_layer(held.layer), ticket.layer(held.layer)
            for line in layer.lines:
                process = line.process.kind
                if line.on and not sheet.machine.makes(process):
                    able = [f"the {one.name}" for one in library.machines if one.makes(process)]
                    other = f"Choose {' or '.join(able)}, or another" if able else "Choose another"
                    yield Problem(
                        "machine", f"pieces/{piece.id}/layers/{layer.id}/lines/{line.id}",
                        CannotMake(
                            f"The {sheet.machine.name} cannot {PROCESSES[process].doing} (piece “{piece.name}”).",
                            f"{other} process for the line.",
                        ),
                    )  # fmt: skip


def not_set(ticket: Ticket, work: Work) -> Iterator[Problem]:
    """Sheets whose file needs power and speed that nobody has set."""
    for sheet in ticket.sheets:
        if "gcode" in sheet.machine.formats:
            for one in unset(ticket, work, sheet):
                yield Problem("machine", one.where, CannotMake(one.said, one.what_to_do), one.mends)
