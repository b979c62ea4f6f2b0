"""Marks in other arrangements on the same sheet, and how far its cuts would drift with each by a machine's record."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from nibble_core.pipeline.notes import Mend
from nibble_core.pipeline.prediction import predicted_worst
from nibble_core.pipeline.rehearsal import Errors
from nibble_core.pipeline.rehearsal_bench import Bench, marks_of
from nibble_core.sheet import LaidSheet, marked
from nibble_core.ticket import Change
from nibble_core.ticket.model import Sheet

CORNERS = (3, 4)
PAIRS = (1, 2, 4, 6)
AS_GOOD, WORTH_IT = 1.1, 1.25  # times the least drift; times its own drift that a sheet must have to be given others
LEAST_WORTH = 0.05  # mm


class Arranged(NamedTuple):
    """Marks in so many corners and pairs between those at the ends, no two further apart along the sheet than
    ``every``, mm, and how far the worst cut of many sheets lies off with them, mm. every: 0 without pairs."""

    corners: int
    pairs: int
    every: float
    worst: float

    @property
    def between(self) -> str:
        return "a pair between" if self.pairs == 1 else f"{self.pairs} pairs between"


def spacing(laid: LaidSheet, pairs: int) -> float:
    """The largest distance, mm, between marks that follow each other where so many pairs stand between the ends."""
    long = float(np.ptp(np.array(laid.marks.places), axis=0).max())
    return math.ceil(10 * long / (pairs + 1)) / 10


def arrangements(bench: Bench, errors: Errors, draws: int) -> list[Arranged]:
    """Each arrangement that fits the sheet, the fewest marks first. draws: how many sheets the worst cut is of."""
    radius, drawn = bench.laid.marks.diameter / 2, np.array(bench.laid.marks.places)
    low, high = drawn.min(0) - radius, drawn.max(0) + radius  # a sheet may be wider than what its marks stand round
    within = replace(bench.laid, width=float(high[0] - low[0]), height=float(high[1] - low[1]))
    ways = [(corners, 0, 0.0) for corners in CORNERS] + [(4, pairs, spacing(bench.laid, pairs)) for pairs in PAIRS]
    found: list[Arranged] = []
    counts = set()
    for corners, pairs, every in ways:
        laid = marked(within, corners, 2 * radius, every=every)
        count = len(laid.marks.places)
        if count in counts or count != corners + 2 * pairs:
            continue  # so many do not stand apart on a sheet so short
        counts.add(count)
        marks = marks_of(laid)
        as_marked = replace(bench, marks=replace(marks, places=marks.places + low))
        found.append(Arranged(corners, pairs, every, predicted_worst(as_marked, errors, draws)))
    return found


def arrangement_words(told: Sequence[Arranged], now: float, draws: int) -> str:
    """now: with the marks that the sheet has, mm."""
    listed = [f"{one.worst:.2f} mm with {one.corners}" for one in told if not one.pairs]
    listed += [f"{one.worst:.2f} mm with {one.between}" for one in told if one.pairs]
    return (
        f"By the machine’s record the worst cut of {draws} sheets should lie {now:.2f} mm off with the marks that it "
        f"has. With others: {', '.join(listed)}."
    )


def steadier_marks(sheet: Sheet, told: Sequence[Arranged], now: float) -> list[Mend]:
    """The fewest marks with which the cuts drift hardly more than with any, where that is worth it."""
    least = min(one.worst for one in told)
    best = next(one for one in told if one.worst <= AS_GOOD * least)
    if now <= max(WORTH_IT * best.worst, best.worst + LEAST_WORTH):
        return []
    changes = (Change(f"sheets/{sheet.id}/marks", best.corners), Change(f"sheets/{sheet.id}/mark_every", best.every))
    words = f"{best.corners} marks{f' and {best.between}' if best.pairs else ''}"
    return [Mend(f"Give it {words}: {best.worst:.2f} mm at the worst", changes)]
