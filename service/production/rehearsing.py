"""What a worker is asked for of rehearsals: a sheet's own files through the press and the cutter that ship."""

import hashlib
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

import numpy as np

from files.pictures import show
from nibble_core.graphics import Raster
from nibble_core.pipeline.notes import Mend
from nibble_core.pipeline.rehearsal import (
    drawn_faults,
    fed_wrong,
    prepared,
    rehearse,
    rehearse_often,
)
from nibble_core.pipeline.rehearsal_words import (
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
from nibble_core.simulators.cutter import Blade
from nibble_core.ticket import Ticket
from nibble_core.ticket.model import Sheet
from nibble_core.ticket.sentences import copies_name

KEPT = 400  # copies that are told of, worst first


def one_rehearsal(ticket: Ticket, sheet: Sheet, work: Work, turn: int, panel: int) -> dict[str, Any]:
    """A sheet, or one of its panels, rehearsed once, with the errors of its machine's record; turn: its number, each
    with chances of its own."""
    bench = prepared(ticket, sheet, work, panel)
    errors = errors_of(sheet.machine)
    faults = drawn_faults(errors, bench.laid, np.random.default_rng((turn, 0)))
    trails = max((one.blade_offset for one in sheet.settings), default=sheet.machine.blade_offset)
    blade = Blade(trails, errors.repeats, seed=turn)
    told = rehearse(bench, faults, camera=errors.camera, blade=blade)
    worst = foretold(bench, sheet)
    return {
        "said": [*rehearsal_words(told, bench), foretold_words(worst)], "left": told.left,
        "mends": [_mend(one) for one in worst_case_mends(ticket, sheet, worst)],
        "panels": len(work.panels[sheet.id]),
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


def many_rehearsals(
    ticket: Ticket, sheet: Sheet, work_of: Callable[[Ticket], Work], draws: int, panel: int,
    tell: Callable[[str], None], cancelled: Callable[[], bool],
) -> dict[str, Any]:  # fmt: skip
    """A sheet rehearsed many times, by maps; what was done by then where it is stopped."""
    bench = prepared(ticket, sheet, work_of(ticket), panel)

    def progress(done: int) -> None:
        if done % 10 == 0:
            tell(f"rehearsing: {done} of {draws}")

    chances = rehearse_often(bench, errors_of(sheet.machine), draws, progress=progress, cancelled=cancelled)
    if chances.spoilt and not cancelled():
        tell("looking for what would spoil none")
    mends = mends_of(ticket, sheet, chances, work_of, cancelled, panel)
    said = chances_words(chances)
    if chances.spoilt and not mends and not cancelled():
        said.append("Neither more bleed nor more pairs of marks was enough.")
    return {"said": said, "mends": [_mend(one) for one in mends]}


def wrong_ways(ticket: Ticket, sheet: Sheet, work: Work, panel: int) -> dict[str, Any]:
    """A sheet put in each wrong way round."""
    told = fed_wrong(prepared(ticket, sheet, work, panel))
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
