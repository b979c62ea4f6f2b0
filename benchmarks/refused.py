"""What good jobs are refused for: nests that fail their own checks, and files that are not what was meant when read
back. Both are to be none; nests keep the true distances that were asked for.

Forty shapes from figures and letters, none of which was seen while the code was written. ``NIBBLE_SWEEP=short`` takes
every seventh case.
"""

from __future__ import annotations

import os
import time
from collections import Counter
from dataclasses import replace
from itertools import product

import numpy as np
import shapely

from benchmarks.made_up import SHAPES, sheet_on, ticket_of
from nibble_core.errors import NibbleError
from nibble_core.formats.registry import BOTH, CUT, FORMATS, PRINT
from nibble_core.pipeline.nested import nested
from nibble_core.pipeline.pages import parts_of
from nibble_core.pipeline.part_files import write_part
from nibble_core.pipeline.sheets import copies_of
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.sheet import Limits
from nibble_core.ticket.line import CORNERS, line_of
from nibble_core.ticket.model import NEST_TURNS, Placed

STOCKS = ("matt-white-vinyl-1370", "label-paper-a3", "birch-3mm", "mild-steel-2mm")
DISTANCES = (-1.0, 0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 8.0)
PLACES = (
    (160.0, 0.0, "as it is"), (420.0, 37.0, "mirrored"), (680.0, 90.0, "as it is"), (940.0, 191.3, "as it is"),
)  # fmt: skip
STEP = 7 if os.environ.get("NIBBLE_SWEEP") == "short" else 1


def run() -> None:
    nests()
    files()


def nests() -> None:
    """Twenty shapes, three ways to turn, four stocks, marks or none: refused, too near, beyond the edge."""
    store = MemoryStore(400)
    turns = [turn for turn in NEST_TURNS if turn != "by half turns"]
    cases = list(product(list(SHAPES)[::2], turns, STOCKS, (True, False)))[::STEP]
    refused: list[str] = []
    least, start = np.inf, time.process_time()
    for name, turn, stock, marks in cases:
        ticket = ticket_of(SHAPES[name], [line_of("k1", "through cut", 1.0)], quantity=5, marks=marks, stock=stock)
        sheet = replace(ticket.sheets[0], turns=turn, spacing=2.5)
        ticket = replace(ticket, sheets=(sheet,))

        def work_of(one):
            return work_out(one, lambda _: b"", store)

        work = work_of(ticket)
        try:
            made = nested(ticket, sheet, work, Limits(0.0), work_of)
            after = work_of(made.ticket)
            after.require_whole()
        except NibbleError as error:
            refused.append(f"{name}, {turn}, {stock}, {'marks' if marks else 'none'}: {error.message}")
            continue
        copies = copies_of(made.ticket, after.sheets["s1"].laid.value, after)
        least = min(least, _nearest(copies) - sheet.spacing)
    print(f"nests: {len(refused)} of {len(cases)} refused, nearest {least:+.3f} mm of the gap, "
          f"{time.process_time() - start:.0f} s of processor")  # fmt: skip
    _show(refused)


def _nearest(copies: list[shapely.Geometry]) -> float:
    tree = shapely.STRtree(copies)
    one, other = tree.query(copies, predicate="dwithin", distance=6.0)
    apart = shapely.distance(np.array(copies)[one], np.array(copies)[other])[one != other]
    return float(apart.min()) if len(apart) else np.inf


def files() -> None:
    """Forty shapes, corners round, mitred and bevelled, ten distances, all formats, copies turned and mirrored."""
    store = MemoryStore(400)
    cases = list(product(SHAPES, CORNERS, DISTANCES))[::STEP]
    refused: list[str] = []
    by_format: Counter[str] = Counter()
    made, start = 0, time.process_time()
    placed = tuple(
        Placed(f"n{k}", "l1", x, 260.0, turn, flip)
        for k, (x, turn, flip) in enumerate(PLACES)
    )  # fmt: skip
    for name, corners, distance in cases:
        line = line_of("k1", "kiss cut", distance, corners=corners)
        ticket = ticket_of(SHAPES[name], [line], quantity=4, marks=True, stock=STOCKS[0])
        sheet = sheet_on(ticket.sheets[0], placed)
        ticket = replace(ticket, sheets=(sheet,))
        work = work_out(ticket, lambda _: b"", store)
        if work.problems:
            if not any(problem.error.code == "nothing-to-cut" for problem in work.problems):
                refused.append(f"{name}, {corners}, {distance:g}: {work.problems[0].error.message}")
            continue
        (part,) = parts_of(ticket, sheet, work)
        for key, form in FORMATS.items():
            if form.sheets is None or form.sheets.pixels:
                continue
            purpose = next(one for one in (CUT, BOTH, PRINT) if one in form.sheets.purposes)
            made += 1
            try:
                write_part(part, purpose, form, sheet, f"{purpose} file as {form.called}")
            except NibbleError as error:
                by_format[key] += 1
                refused.append(f"{name}, {corners}, {distance:g}, {key}: {error.message}")
    print(
        f"files: {len(refused)} of {made} refused, {time.process_time() - start:.0f} s of processor; {dict(by_format)}"
    )
    _show(refused)


def _show(refused: list[str]) -> None:
    for words in refused[:12]:
        print(f"  {words}")
    if len(refused) > 12:
        print(f"  and {len(refused) - 12} more")
