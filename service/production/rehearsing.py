"""What a worker is asked for of rehearsals: a sheet's own files through the press and the cutter that ship."""

import hashlib
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

import numpy as np

from files.pictures import show
from nibble_core.errors import InvalidTicket
from nibble_core.graphics import Raster
from nibble_core.pipeline.mark_arrangements import arrangement_words, arrangements, steadier_marks
from nibble_core.pipeline.notes import Mend
from nibble_core.pipeline.rehearsal import drawn_faults, fed_wrong, look_at, rehearse, rehearse_often
from nibble_core.pipeline.rehearsal_bench import Bench, prepared
from nibble_core.pipeline.rehearsal_words import (
    OFTEN,
    Said,
    chances_words,
    direction_mends,
    errors_of,
    fed_wrong_words,
    foretold,
    foretold_words,
    mends_of,
    rehearsal_words,
    worst_case_mends,
)
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.store import MemoryStore
from nibble_core.simulators.cutter import Blade
from nibble_core.simulators.press import Faults
from nibble_core.ticket import Ticket, fingerprint
from nibble_core.ticket.heads import KnifeHead, SeesMarks
from nibble_core.ticket.model import Sheet
from nibble_core.ticket.sentences import copies_name

KEPT = 400  # copies that are told of, worst first


_BENCHES = MemoryStore(2)


def _bench(ticket: Ticket, sheet: Sheet, work: Work, panel: int) -> Bench:
    """A sheet made ready; the last ones are kept, since copies are looked at one after another."""
    key = fingerprint("bench", fingerprint(ticket), sheet.id, panel)
    bench: Bench | None = _BENCHES.get(key)
    if bench is None:
        bench = prepared(ticket, sheet, work, panel)
        _BENCHES.put(key, bench)
    return bench


def one_rehearsal(ticket: Ticket, sheet: Sheet, work: Work, turn: int, panel: int) -> dict[str, Any]:
    """A sheet, or one of its panels, rehearsed once, with the errors of its machine's record; turn: its number, each
    with chances of its own."""
    bench = _bench(ticket, sheet, work, panel)
    told = rehearse(
        bench,
        _faults(bench, sheet, turn),
        camera=sheet.machine.head_as(SeesMarks).camera_error,
        blade=_blade(sheet, turn),
    )
    worst = foretold(bench, sheet)
    return {
        "sheet": None if told.sheet is None else {
            "picture": _shown(told.sheet.pixels), "width": told.sheet.pixels.shape[1],
            "height": told.sheet.pixels.shape[0],
            "edges": {number + 1: np.round(edge, 1).tolist() for number, edge in told.sheet.edges.items()},
        },
        "said": [one._asdict() for one in (*rehearsal_words(told, bench), foretold_words(worst))], "left": told.left,
        "mends": [_mend(one) for one in worst_case_mends(ticket, sheet, worst)],
        "panels": len(work.sheets[sheet.id].panels),
        "off": list(told.off) if told.copies else None,
        "copies": [
            {
                "number": copy.number + 1, "name": copies_name(copy.layer, ticket), "worst": copy.worst,
                "mean": copy.mean, "left": copy.left, "white": copy.white, "into": copy.into,
                "strange": copy.strange,
                "picture": _shown(told.pictures[k]) if k < len(told.pictures) else "",
            }
            for k, copy in enumerate(told.copies[:KEPT])
        ],
    }  # fmt: skip


def one_copy(ticket: Ticket, sheet: Sheet, work: Work, turn: int, panel: int, number: int) -> dict[str, Any]:
    """A copy, by its number from 1, from close by, as it came off such a rehearsal."""
    bench = _bench(ticket, sheet, work, panel)
    if not 0 <= number - 1 < bench.laid.copies:
        raise InvalidTicket(f"This sheet has {bench.laid.copies} copies.", "Ask for one of them.")
    pixels = look_at(
        bench,
        number - 1,
        _faults(bench, sheet, turn),
        camera=sheet.machine.head_as(SeesMarks).camera_error,
        blade=_blade(sheet, turn),
    )
    return {"picture": "" if pixels is None else _shown(pixels)}


def _faults(bench: Bench, sheet: Sheet, turn: int) -> Faults:
    return drawn_faults(errors_of(sheet.machine), bench.laid, np.random.default_rng((turn, 0)))


def _blade(sheet: Sheet, turn: int) -> Blade:
    head = sheet.machine.head_as(SeesMarks)
    usual = head.blade_offset if isinstance(head, KnifeHead) else 0.0
    trails = max((one.by_knife.blade_offset for one in sheet.settings), default=usual)
    return Blade(trails, head.repeats, seed=turn)


def many_rehearsals(
    ticket: Ticket, sheet: Sheet, work_of: Callable[[Ticket], Work], draws: int, panel: int,
    tell: Callable[[str], None], cancelled: Callable[[], bool],
) -> dict[str, Any]:  # fmt: skip
    """A sheet rehearsed many times, by maps; what was done by then where it is stopped."""
    bench = _bench(ticket, sheet, work_of(ticket), panel)

    def progress(done: int) -> None:
        if done % 10 == 0:
            tell(f"rehearsing: {done} of {draws}")

    chances = rehearse_often(bench, errors_of(sheet.machine), draws, progress=progress, cancelled=cancelled)
    if chances.spoilt and not cancelled():
        tell("looking for what would spoil none")
    mends = mends_of(ticket, sheet, chances, work_of, cancelled, panel)
    said = chances_words(chances)
    if chances.spoilt and not mends and not cancelled():
        said.append(Said("Neither more bleed nor more pairs of marks was enough."))
    if not cancelled():
        tell("comparing arrangements of marks")
        worst, others = foretold(bench, sheet), arrangements(bench, errors_of(sheet.machine), OFTEN)
        said.append(Said(arrangement_words(others, worst, OFTEN)))
        mends += [one for one in steadier_marks(sheet, others, worst) if not any(_same(one, mend) for mend in mends)]
    return {"said": [one._asdict() for one in said], "mends": [_mend(one) for one in mends]}


def _same(one: Mend, other: Mend) -> bool:
    """Whether one of them does all that the other one does."""
    return set(other.changes) <= set(one.changes)


def wrong_ways(ticket: Ticket, sheet: Sheet, work: Work, panel: int) -> dict[str, Any]:
    """A sheet put in each wrong way round."""
    told = fed_wrong(_bench(ticket, sheet, work, panel))
    return {
        "ways": [
            {"way": way, "said": said, "safe": safe} for way, said, safe in fed_wrong_words(told)
        ],
        "mends": [_mend(one) for one in direction_mends(sheet, told)],
    }  # fmt: skip


def _mend(mend: Mend) -> dict[str, Any]:
    return {"label": mend.label, "changes": [asdict(one) for one in mend.changes], "copy_text": mend.copy}


def _shown(pixels: np.ndarray) -> str:
    """The address of a picture, by what it shows."""
    raster = Raster(np.dstack([pixels, np.full(pixels.shape[:2], 255, np.uint8)]))
    return show(hashlib.sha256(raster.pixels.tobytes()).hexdigest(), raster)
