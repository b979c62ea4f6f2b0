"""What rehearsals are told in: sentences, and changes to the ticket that keep white away."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping

from nibble_core.pipeline.notes import Mend
from nibble_core.pipeline.rehearsal import Bench, Chances, Errors, Rehearsed, rehearse_often, with_pairs
from nibble_core.simulators.cutter import Seen
from nibble_core.ticket import Change
from nibble_core.ticket.model import Machine, Sheet, Ticket
from nibble_core.ticket.piece import Printed

MOST_PAIRS = 6
SPARE = 0.1  # mm of bleed beyond what was missing
SPOILT = 1.0  # mm from which a copy is waste


def errors_of(machine: Machine) -> Errors:
    """What a machine's record says that its prints and cuts are off by."""
    return Errors(machine.print_stretch, machine.print_bow, machine.camera_error, machine.repeats)


def rehearsal_words(told: Rehearsed) -> list[str]:
    """What came off, sentence by sentence."""
    return [*_marks_words(told.seen), *_cut_words(told)]


def _marks_words(seen: Seen) -> Iterator[str]:
    whole = sum(one is not None and one.whole for one in seen.marks)
    count = len(seen.marks)
    if whole == count:
        yield f"All {count} marks were found."
    elif whole:
        yield f"{whole} of {count} marks were found."
    yield from (one.words for one in seen.complaints)
    lies = seen.lies
    if lies is not None:
        yield (
            f"The print lies turned by {lies.turn:.2f}° and has grown by {_per_cent(lies.across)} across and "
            f"{_per_cent(lies.down)} along."
        )


def _cut_words(told: Rehearsed) -> Iterator[str]:
    if not told.copies:
        yield "Nothing was cut."
        return
    mean, most, worst = told.off
    yield (
        f"{len(told.copies)} {'copy' if len(told.copies) == 1 else 'copies'} came off. Cuts lie {mean:.2f} mm from "
        f"where they belong, 19 of 20 within {most:.2f} mm, at the worst {worst:.2f} mm."
    )
    left = told.left
    if told.white:
        yield f"White shows on {told.white} of them, up to {-(left or 0.0):.2f} mm wide."
    elif left is not None:
        yield f"At least {max(left, 0.0):.2f} mm of print is left beyond every cut."


def _per_cent(share: float) -> str:
    return f"{round(100 * (share - 1), 2) + 0.0:.2f} %"


def chances_words(chances: Chances) -> list[str]:
    """What many rehearsals came to."""
    every = f"{chances.copies:,} copies in {chances.draws} rehearsals"
    if chances.white:
        shows = f"White shows on {chances.white:,} of {every}, up to {chances.short:.2f} mm wide."
    else:
        shows = f"No white shows on any of {every}."
    return [
        shows,
        f"The worst cut of a sheet lies {chances.quantile(0.5):.2f} mm from where it belongs in one rehearsal of two, "
        f"{chances.quantile(0.95):.2f} mm or more in one of 20, and {chances.quantile(1.0):.2f} mm at the very worst.",
    ]


def mends_of(
    bench: Bench, ticket: Ticket, chances: Chances, cancelled: Callable[[], bool] = lambda: False
) -> list[Mend]:
    """What would leave no white in the same rehearsals: more bleed, and more pairs of marks where those are enough."""
    if not chances.white:
        return []
    sheet, errors = bench.sheet, errors_of(bench.sheet.machine)
    mends = list(_more_bleed(ticket, sheet, chances.short))
    for pairs in range(1, MOST_PAIRS + 1):
        marks = with_pairs(bench, pairs)
        if cancelled() or len(marks.places) <= len(bench.marks.places):
            continue
        if not rehearse_often(bench, errors, chances.draws, marks=marks).white:
            long = max(bench.laid.width, bench.laid.height) - bench.laid.marks.diameter
            every = math.floor(10 * long / (pairs + 1)) / 10 + 0.1
            more = "a pair of marks" if pairs == 1 else f"{pairs} pairs of marks"
            mends.append(Mend(
                f"Put {more} between those at the ends: none would show",
                (Change(f"sheets/{sheet.id}/mark_every", every),),
            ))  # fmt: skip
            break
    return mends


def _more_bleed(ticket: Ticket, sheet: Sheet, short: float) -> Iterator[Mend]:
    changes, most = [], 0.0
    for held in sheet.holds:
        piece = ticket.piece_of_layer(held.layer)
        prints = ticket.layer(held.layer).prints
        if isinstance(prints, Printed):
            bleed = math.ceil(10 * (prints.bleed + short + SPARE)) / 10
            most = max(most, bleed)
            changes.append(Change(f"pieces/{piece.id}/layers/{held.layer}/prints/bleed", bleed))
    if changes:
        yield Mend(f"Give it {most:.1f} mm of bleed: none would show", tuple(changes))


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
