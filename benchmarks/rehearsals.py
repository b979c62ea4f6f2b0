"""Rehearsals: marks found in pixels, cuts against prints from every format, a bowed roll, processor time."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import replace
from datetime import date

import numpy as np
from tests.simulators.test_cutter import CORNERS, printed_marks

from benchmarks.made_up import SHAPES, ticket_of
from demo.jobs import demo_jobs
from nibble_core.errors import NibbleError
from nibble_core.pipeline.prediction import predicted_worst
from nibble_core.pipeline.rehearsal import Errors, rehearse, rehearse_often
from nibble_core.pipeline.rehearsal_bench import Bench, prepared
from nibble_core.pipeline.rehearsal_words import errors_of
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.simulators.cutter import Blade, lies_by, look_for
from nibble_core.simulators.press import Distortion, Faults, PrintedSheet
from nibble_core.ticket import Ticket
from nibble_core.ticket.line import AnotherLine, Cut, Line, Offset, Perforation

SHEETS, FOUND = 1000, 0.02
FORMATS = ("pdf", "svg", "dxf", "dxf-polylines", "dxf-r12", "hpgl")
TICKETS = 30
FORETOLD, DRAWS = 10, 200  # tickets; sheets of each
SHAKEN = Faults(across=0.4, along=0.4, turn=1.0, shift=(3.0, 3.0))


def run() -> None:
    marks()
    meeting()
    bowed()
    many()
    foretold()


def marks() -> None:
    """Seeded sheets with noise, blur, casts, stretch and turn; on every other one of the marks is scratched."""
    made = {shape: printed_marks(shape) for shape in ("circles", "squares", "crosses", "corners")}
    off: list[float] = []
    wrong = missed = told = scratched = 0
    for seed in range(SHEETS):
        chance = np.random.default_rng(seed)
        shape = tuple(made)[seed % 4]
        content, meant = made[shape]
        hurt = int(chance.integers(0, 4)) if seed % 8 < 4 else -1
        scratches = ()
        if hurt >= 0:
            angle, away = chance.uniform(0, 6.28), chance.uniform(0, 3)
            x, y = CORNERS[hurt]
            scratches = ((x + away * np.cos(angle), y + away * np.sin(angle), chance.uniform(0.3, 3.0)),)
        faults = Faults(
            *chance.uniform(-1, 1, 2), turn=chance.uniform(-3, 3), shift=tuple(chance.uniform(-3, 3, 2)),
            gain=chance.uniform(0, 0.08), blur=chance.uniform(0, 0.1), noise=chance.uniform(0, 8),
            cast=tuple(chance.uniform(0.8, 1, 3)), scratches=scratches, seed=seed,
        )  # fmt: skip
        sheet = PrintedSheet(content, faults)
        truth = sheet.distortion.forward(meant.places)
        seen = look_for(sheet.picture, meant, tuple(truth[0] + chance.uniform(-5, 5, 2)))
        sheet.close()
        scratched += hurt >= 0
        told += hurt >= 0 and any(f"ark {hurt + 1} " in one.words for one in seen.complaints)
        for k, one in enumerate(seen.marks):
            if one is None or not one.whole:
                missed += k != hurt and seen.marks[0] is not None  # without the first it stops
                continue
            apart = float(np.hypot(one.x - truth[k, 0], one.y - truth[k, 1]))
            off.append(apart)
            wrong += apart > FOUND
    print(
        f"{SHEETS} sheets: marks found {np.mean(off):.4f} mm off in the mean, {np.quantile(off, 0.99):.4f} the 99th "
        f"percentile, {max(off):.4f} at most; wrong by more than {FOUND} mm without a word: {wrong}; unhurt marks not "
        f"found or doubted: {missed}; scratched and said, or harmless: {told} said of {scratched}"
    )


def meeting() -> None:
    """Cut against print on the demo's jobs and on made-up tickets, from each format."""
    worst = {key: {"none": 0.0, "shaken": 0.0} for key in FORMATS}
    count = 0
    for ticket, sources in _tickets():
        work = work_out(ticket, lambda sha, sources=sources: sources[sha], MemoryStore())
        for sheet in ticket.sheets:
            for key in FORMATS:
                own = replace(sheet, machine=replace(sheet.machine, formats=(key,)))
                changed = replace(ticket, sheets=tuple(own if one.id == own.id else one for one in ticket.sheets))
                try:
                    bench = prepared(changed, own, work)
                except NibbleError:
                    break  # nothing printed, or moves only
                blade = Blade(trails=0.25)
                for name, faults in (("none", Faults()), ("shaken", SHAKEN)):
                    told = rehearse(bench, faults, blade=blade, pictured=0)
                    if len({one.number for one in told.copies}) != bench.laid.copies:
                        print(f"  {ticket.name}, {key}, {name}: {len(told.copies)} of {bench.laid.copies} copies")
                    worst[key][name] = max(worst[key][name], told.off[2])
            else:
                count += 1
    each = "; ".join(f"{key} {one['none']:.4f}, {one['shaken']:.4f}" for key, one in worst.items())
    print(f"cut against print, {count} sheets, worst mm with no errors, and stretched, turned and shifted: {each}")


def _tickets() -> Iterator[tuple[Ticket, dict[str, bytes]]]:
    for job in demo_jobs(date(2026, 11, 30)):
        yield job.ticket, {one.file: job.content for one in job.ticket.artworks}
    chance = np.random.default_rng(11)
    for k in range(TICKETS):
        shape = list(SHAPES)[int(chance.integers(len(SHAPES)))]
        lines = [
            Line("k1", offset=Offset(float(chance.uniform(0.5, 4)))),
            Line("k2", AnotherLine("k1"), Offset(-1.0), Cut()),
            Line("k3", AnotherLine("k1"), Offset(3.0), Perforation()),
        ][: 1 + k % 3]
        yield (
            ticket_of(
                SHAPES[shape], lines, quantity=int(chance.integers(1, 40)), marks=True, stock="matt-white-vinyl-1370"
            ),
            {},
        )


def bowed() -> None:
    """A roll of three metres whose middle lies 1.2 mm aside."""
    long = 3000.0
    for every in (0, 1000, 600, 400):
        along = np.linspace(3, long - 3, 2 if not every else int(np.ceil((long - 6) / every)) + 1)
        meant = np.array([(x, y) for y in along for x in (3.0, 1197.0)])
        truth = Distortion(1200.0, long, Faults(bow=1.2)).forward
        places = np.array([(x, y) for x in (20.0, 600.0, 1180.0) for y in np.linspace(10, long - 10, 400)])
        off = np.hypot(*(lies_by(meant, truth(meant)).forward(places) - truth(places)).T).max()
        print(f"  bowed by 1.2 mm over 3 m, {len(meant)} marks ({every or 'none'} mm apart): {off:.3f} mm")


def many() -> None:
    job = demo_jobs(date(2026, 11, 30))[0]
    ticket = replace(job.ticket, pieces=tuple(replace(one, quantity=500) for one in job.ticket.pieces))
    work = work_out(ticket, lambda _: job.content, MemoryStore())
    start = time.process_time()
    bench: Bench = prepared(ticket, ticket.sheets[0], work)
    ready = time.process_time()
    rehearse(bench, Faults(across=0.2))
    first = time.process_time()
    rehearse(bench, Faults(across=0.2))
    once = time.process_time()
    chances = rehearse_often(bench, errors_of(ticket.sheets[0].machine), 200)
    often = time.process_time()
    print(
        f"{bench.laid.copies} stickers, processor time: files made and read {ready - start:.1f} s, rehearsed for "
        f"the first time {first - ready:.1f} s, once more {once - first:.1f} s, 200 times {often - once:.1f} s "
        f"(worst of a sheet {chances.quantile(0.5):.2f} mm)"
    )


def foretold() -> None:
    """The worst cut of many sheets, told from the record alone, against the worst of as many rehearsals."""
    ratios = []
    for ticket, files in list(_tickets())[-FORETOLD:]:
        work = work_out(ticket, files.__getitem__, MemoryStore())
        for sheet in ticket.sheets:
            try:
                bench = prepared(ticket, sheet, work)
            except NibbleError:
                continue
            for errors in (errors_of(sheet.machine), Errors(0.2, 0.1, 0.3, 0.02), Errors(0.2, 3.0, 0.1, 0.05),
                           Errors(0.2, 0.1, 0.02, 0.2)):  # fmt: skip
                met = [rehearse_often(bench, errors, DRAWS, seed=seed).quantile(1.0) for seed in range(3)]
                ratios.append(predicted_worst(bench, errors, DRAWS) / float(np.median(met)))
    print(
        f"the worst of {DRAWS} sheets foretold, {len(ratios)} sheets and records: {min(ratios):.2f} to "
        f"{max(ratios):.2f} of the worst of {DRAWS} rehearsals, median {np.median(ratios):.2f} (within 15 % wanted)"
    )
