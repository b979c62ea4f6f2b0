"""How long sheets take, where their machine tells."""

from __future__ import annotations

from nibble_core.pipeline.heads import pace_of, work_of
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import program_of
from nibble_core.ticket.model import Sheet


def minutes_of(sheet: Sheet, work: Work) -> float | None:
    """Of all its runs; None where they are not known."""
    once = work_of(sheet.machine).minutes(sheet, work)
    return None if once is None else once * work.sheets[sheet.id].laid.value.times


def minutes_by_layer(sheet: Sheet, work: Work) -> dict[str, float]:
    """A sheet's minutes, shared among its layers by the time along their lines: what the sheet has of its own, and what
    copies share, goes with it. Empty where they are not known."""
    whole, laid = minutes_of(sheet, work), work.sheets[sheet.id].laid.value
    if whole is None:
        return {}
    along: dict[str, float] = dict.fromkeys(laid.layers, 0.0)
    for run in program_of(sheet, work).runs:
        own = sheet.setting(run.of.process)
        each = run.of.paths.length * own.passes / (pace_of(own, sheet.machine) or 1.0)
        for number in run.copies:
            along[laid.placements[number].layer] += each
    if not sum(along.values()):
        along = {layer: float(laid.copies_of(layer)) for layer in along}
    return {layer: whole * share / sum(along.values()) for layer, share in along.items()}
