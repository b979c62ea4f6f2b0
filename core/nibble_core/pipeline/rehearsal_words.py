"""What rehearsals are told in: sentences, and changes to the ticket that keep white away."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import NamedTuple

from nibble_core.errors import NibbleError
from nibble_core.geometry.units import format_growth
from nibble_core.pipeline.coming_off import Freed, strokes, waste
from nibble_core.pipeline.mark_arrangements import PAIRS, spacing
from nibble_core.pipeline.notes import Mend
from nibble_core.pipeline.prediction import predicted_worst
from nibble_core.pipeline.rehearsal import Chances, Errors, Rehearsed, rehearse_often
from nibble_core.pipeline.rehearsal_bench import Bench, prepared
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import program_of
from nibble_core.processes import PROCESSES
from nibble_core.simulators.cutter import Seen
from nibble_core.ticket import Change, apply
from nibble_core.ticket.heads import SeesMarks
from nibble_core.ticket.model import Machine, Sheet, Ticket
from nibble_core.ticket.piece import Printed

FEW, OFTEN = 40, 200  # rehearsals
TRIES = 4  # of a bleed
MOST_ON_PAPER = 5000  # lines of a sheet
SPARE = 0.1  # mm of bleed beyond what was missing
SPOILT = 1.0  # mm from which a copy is waste
HOLDS = 0.1  # mm that a tie must keep


def errors_of(machine: Machine) -> Errors:
    """What a machine's record says that its prints and cuts are off by."""
    head = machine.head_as(SeesMarks)
    return Errors(head.print_stretch, head.print_bow, head.camera_error, head.repeats, machine.stretch)


class Said(NamedTuple):
    """A sentence, and whether it says that something is spoilt."""

    words: str
    spoilt: bool = False


def rehearsal_words(told: Rehearsed, bench: Bench) -> list[Said]:
    """What came off, sentence by sentence."""
    return [*_marks_words(told.seen), *_cut_words(told), *(_apart_words(told, bench) if told.copies else [])]


def _apart_words(told: Rehearsed, bench: Bench) -> Iterator[Said]:
    """How the sheet comes apart: what each process went through, its ties, and its waste."""
    for process, count in strokes(bench.processes):
        yield Said(f"{count:,} × {process}. {PROCESSES[process].words}")
    if told.ties:
        least, meant = min(told.ties), min(tie.length for tie in bench.ties)
        gone = sum(one < HOLDS for one in told.ties)
        if gone:
            yield Said(f"{gone} of {len(told.ties)} ties are cut through.", True)
        else:
            yield Said(f"All {len(told.ties)} ties hold: {least:.2f} mm at the least, {meant:.2f} mm meant.")
    if told.freed is not None:
        yield from _freed_words(told.freed, bench)
    left = waste(bench.meant.lines, bench.processes, (bench.laid.width, bench.laid.height))
    if left is not None:
        pulls = "one pull" if left.pulls == 1 else f"{left.pulls:,} pulls"
        holes = f"; {left.holes:,} holes are picked out" if left.holes > 1 else "; a hole is picked out"
        yield Said(f"The waste comes off in {pulls}{holes if left.holes else ''}.")


def _freed_words(freed: Freed, bench: Bench) -> Iterator[Said]:
    """What falls free, and what should and does not."""
    if freed.holding:
        yield Said(f"{_counted(freed.holding, 'cut does', 'cuts do')} not close: the piece hangs on.", True)
    if freed.late:
        yield Said(f"{_counted(freed.late, 'line is', 'lines are')} cut on what has fallen free by then.", True)
    parts = [_counted(len(freed.copies), "copy", "copies")] if freed.copies else []
    parts += [_counted(freed.waste, "piece of waste", "pieces of waste")] if freed.waste else []
    if parts:
        single = len(freed.copies) + freed.waste == 1
        come, fall, lie = ("comes", "falls", "lies") if single else ("come", "fall", "lie")
        ends = f"{fall} off the bed as the roll runs on" if bench.rolls else f"{lie} loose on the bed"
        across, down = freed.smallest
        smallest = f"it is {across:.1f} × {down:.1f} mm" if single else f"the smallest is {across:.1f} × {down:.1f} mm"
        yield Said(f"{' and '.join(parts)} {come} free and {ends}; {smallest}.")


def _counted(count: int, one: str, many: str) -> str:
    return f"{count:,} {one if count == 1 else many}"


def _marks_words(seen: Seen) -> Iterator[Said]:
    whole = sum(one is not None and one.whole for one in seen.marks)
    count = len(seen.marks)
    if whole == count:
        yield Said(f"All {count} marks were found.")
    elif whole:
        yield Said(f"{whole} of {count} marks were found.")
    yield from (Said(one.words, one.stops) for one in seen.complaints)
    lies = seen.lies
    if lies is not None:
        yield Said(
            f"The print lies turned by {lies.turn:.2f}° and has grown by {format_growth(lies.across)} across and "
            f"{format_growth(lies.down)} along."
        )


def _cut_words(told: Rehearsed) -> Iterator[Said]:
    if not told.copies:
        yield Said("Nothing was cut.", True)
        return
    mean, most, worst = told.off
    across, down = told.worst_at
    yield Said(
        f"{len(told.copies)} {'copy' if len(told.copies) == 1 else 'copies'} came off. Cuts lie {mean:.2f} mm from "
        f"where they belong, 19 of 20 within {most:.2f} mm, at the worst {worst:.2f} mm, "
        f"{across:.0f} mm from the sheet's left and {down:.0f} mm from its top."
    )
    left = told.left
    if told.white:
        yield Said(f"White shows on {told.white} of them, up to {-(left or 0.0):.2f} mm wide.", True)
    elif left is not None:
        yield Said(f"At least {max(left, 0.0):.2f} mm of print is left beyond every cut.")
    if told.cut_into:
        deepest = max(copy.into for copy in told.copies)
        yield Said(f"On {told.cut_into} of them the cut runs into the print, up to {deepest:.2f} mm.", True)
    if told.strange:
        widest = max(copy.strange for copy in told.copies)
        yield Said(f"On {told.strange} of them the print of a neighbour shows, up to {widest:.2f} mm wide.", True)


def foretold(bench: Bench, sheet: Sheet) -> float:
    """How far, mm, the worst cut of many such sheets should lie off by the record of its machine."""
    return predicted_worst(bench, errors_of(sheet.machine), OFTEN)


def foretold_words(worst: float) -> Said:
    return Said(f"By the machine’s record the worst cut of {OFTEN} such sheets should lie {worst:.2f} mm off.")


def worst_case_mends(ticket: Ticket, sheet: Sheet, worst: float) -> list[Mend]:
    """The worst case, as Lines shows it, looked at for an error of so many mm, where it is for another one."""
    error = math.ceil(20 * worst) / 20
    changes = tuple(
        Change(f"pieces/{ticket.piece_of_layer(held.layer).id}/layers/{held.layer}/prints/cutting_error", error)
        for held in sheet.holds
        if isinstance(prints := ticket.layer(held.layer).prints, Printed) and prints.cutting_error != error
    )  # fmt: skip
    return [Mend(f"Look at the worst case for {error:.2f} mm", changes)] if changes else []


def rehearsed_line(ticket: Ticket, sheet: Sheet, work: Work) -> str:
    """What a few rehearsals of a sheet came to, on one line of paper; nothing for one that cannot be rehearsed, or
    has so many lines that paper would have to wait."""
    if sum(len(run.of.paths) * len(run.places) for run in program_of(sheet, work).runs) > MOST_ON_PAPER:
        return ""
    try:
        bench = prepared(ticket, sheet, work)
    except NibbleError:
        return ""
    chances = rehearse_often(bench, errors_of(sheet.machine), FEW)
    left = "" if chances.left is None else f", {max(chances.left, 0.0):.1f} mm of bleed left"
    spoilt = f", {chances.spoilt} of {chances.copies:,} copies spoilt" if chances.spoilt else left
    return f"Rehearsed {chances.draws} times: worst {chances.quantile(1.0):.2f} mm{spoilt}."


def chances_words(chances: Chances) -> list[Said]:
    """What many rehearsals came to."""
    every = f"{chances.copies:,} copies in {chances.draws} rehearsals"
    white = f"White shows on {chances.white:,} of {every}, up to {chances.short:.2f} mm wide."
    into = f"The cut runs into the print on {chances.into:,} of {every}, up to {chances.deep:.2f} mm."
    strange = f"The print of a neighbour shows on {chances.strange:,} of {every}, up to {chances.wide:.2f} mm wide."
    told = ((chances.white, white), (chances.into, into), (chances.strange, strange))
    spoilt = [Said(words, True) for count, words in told if count]
    return [
        *(spoilt or [Said(f"None of {every} is spoilt: no white shows, and no cut runs into the print.")]),
        Said(
            f"The worst cut of a sheet lies {chances.quantile(0.5):.2f} mm from where it belongs in one rehearsal of "
            f"two, {chances.quantile(0.95):.2f} mm or more in one of 20, and {chances.quantile(1.0):.2f} mm at the "
            "very worst."
        ),
    ]


@dataclass(frozen=True)
class Tried:
    """A change that was rehearsed as often as before: what it is called, its changes, and what came of it."""

    label: str
    changes: tuple[Change, ...]
    chances: Chances


def mends_of(
    ticket: Ticket, sheet: Sheet, chances: Chances, work_of: Callable[[Ticket], Work],
    cancelled: Callable[[], bool] = lambda: False, panel: int = 0,
) -> list[Mend]:  # fmt: skip
    """More bleed, and more pairs of marks, that spoil no copy when the sheet as it then lies is rehearsed as often;
    work_of: the work of a changed ticket."""
    if not chances.spoilt:
        return []

    def tried(label: str, changes: tuple[Change, ...]) -> Tried:
        changed = apply(ticket, changes)
        own = next(one for one in changed.sheets if one.id == sheet.id)
        bench = prepared(changed, own, work_of(changed), panel)
        errors, few = errors_of(own.machine), min(FEW, chances.draws)
        found = rehearse_often(bench, errors, few, cancelled=cancelled)
        if not found.spoilt and few < chances.draws:  # a few are enough to tell what is not enough
            found = rehearse_often(bench, errors, chances.draws, cancelled=cancelled)
        return Tried(label, changes, found)

    found = (*_bleeds(ticket, sheet, chances, tried), *_pairs(ticket, sheet, tried, work_of))
    made = []
    for one in found:
        if cancelled():
            break
        made.append(Mend(f"{one.label}: none would be spoilt", one.changes))
    return made


def _bleeds(
    ticket: Ticket, sheet: Sheet, chances: Chances, tried: Callable[[str, tuple[Change, ...]], Tried]
) -> Iterator[Tried]:
    """The least bleed that is enough: what was missing and a little more, again as the sheet gets longer by it."""
    short = chances.short
    if not short:
        return
    for _ in range(TRIES):
        changes, most = _more_bleed(ticket, sheet, short)
        if not changes:
            return
        one = tried(f"Give it {most:.1f} mm of bleed", changes)
        if not one.chances.spoilt:
            yield one
            return
        short += one.chances.short


def _pairs(
    ticket: Ticket, sheet: Sheet, tried: Callable[[str, tuple[Change, ...]], Tried], work_of: Callable[[Ticket], Work]
) -> Iterator[Tried]:
    """The fewest pairs of marks between those at the ends that are enough."""
    laid = work_of(ticket).sheets[sheet.id].laid.value
    for pairs in PAIRS:
        every = spacing(laid, pairs)
        if sheet.mark_every and every >= sheet.mark_every:
            continue
        more = "a pair of marks" if pairs == 1 else f"{pairs} pairs of marks"
        one = tried(f"Put {more} between those at the ends", (Change(f"sheets/{sheet.id}/mark_every", every),))
        if not one.chances.spoilt:
            yield one
            return


def _more_bleed(ticket: Ticket, sheet: Sheet, short: float) -> tuple[tuple[Change, ...], float]:
    """So much more for every layer that prints, and the most that any then has."""
    changes, most = [], 0.0
    for held in sheet.holds:
        piece = ticket.piece_of_layer(held.layer)
        prints = ticket.layer(held.layer).prints
        if isinstance(prints, Printed):
            bleed = math.ceil(10 * (prints.bleed + short + SPARE)) / 10
            most = max(most, bleed)
            changes.append(Change(f"pieces/{piece.id}/layers/{held.layer}/prints/bleed", bleed))
    return tuple(changes), most


def fed_wrong_words(told: Mapping[str, Rehearsed]) -> list[tuple[str, str, bool]]:
    """Of each way round: its name, what happens, and whether it is noticed before anything is spoilt."""
    made = []
    for way, one in told.items():
        if not one.copies:
            said = " ".join(complaint.words for complaint in one.seen.complaints)
            made.append((way, f"It is noticed. {said}", True))
        elif one.off[2] > SPOILT:
            made.append((way, "It is not noticed, and every copy is spoilt.", False))
        else:
            made.append((way, "It is not noticed, and makes no difference.", True))
    return made


def direction_mends(sheet: Sheet, told: Mapping[str, Rehearsed]) -> list[Mend]:
    """A direction mark, where some wrong way round is not noticed."""
    unnoticed = any(not noticed for _, _, noticed in fed_wrong_words(told))
    if not unnoticed or sheet.mark_key == "a direction mark":
        return []
    change = Change(f"sheets/{sheet.id}/mark_key", "a direction mark")
    return [Mend("Give it a direction mark, and rehearse again", (change,))]
