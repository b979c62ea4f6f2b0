"""Every move of a sheet's beam, packed for the table: one line of JSON, then arrays one behind another."""

import json
from typing import Any

import numpy as np

from nibble_core.geometry import ARC
from nibble_core.graphics.moves import BURN
from nibble_core.pipeline.beam_results import BeamRun
from nibble_core.pipeline.beams import bed_of, clamps_on
from nibble_core.processes import PIECE, PROCESSES, frees
from nibble_core.ticket.heads import BeamHead
from nibble_core.ticket.model import Sheet

CLOSED = 0.05  # mm that a cut may end from where it began to free what lies within


def moves_view(sheet: Sheet, run: BeamRun) -> bytes:
    """The head: counts, start, tools, what drops when, where the bed and its clamps lie on the sheet. The arrays, of m
    moves: ends x y (float32, 2 m), centres x y (2 m), sweeps (m), seconds at which each begins and the last ends
    (m + 1), then does, tool, power in 255ths (uint8, m each)."""
    moves, on = run.moves, sheet.machine.head_as(BeamHead)
    arcs = moves.kinds == ARC
    centres = np.where(arcs[:, None], moves.rows[:, 2:4], 0.0)
    sweeps = np.where(arcs, moves.rows[:, 4], 0.0)
    head: dict[str, Any] = {
        "count": len(moves), "start": [round(v, 3) for v in run.start], "minutes": run.minutes,
        "beam": on.beam, "width": run.job.width, "height": run.job.height,
        "tools": [
            {"process": one.process, "colour": PROCESSES[one.process].colour, "parts": PROCESSES[one.process].parts,
             "minutes": round(own / 60, 3)}
            for one, own in zip(run.job.tools, run.seconds, strict=True)
        ],
        "drops": drops(run), "bed": None, "clamps": [],
    }  # fmt: skip
    if on.origin_of == "the bed":
        bed = bed_of(sheet.machine, run.start)
        head["bed"] = list(bed)
        head["clamps"] = [list(one) for one in clamps_on(sheet, bed)]
    arrays = [moves.rows[:, 6:], centres, sweeps, run.timed.begins]
    parts = [json.dumps(head, separators=(",", ":")).encode() + b"\n"]
    parts += [np.ascontiguousarray(one, np.float32).tobytes() for one in arrays]
    parts += [np.ascontiguousarray(one, np.uint8).tobytes() for one in (moves.does, moves.tool, moves.power * 255)]
    head_bytes = parts[0]
    padding = -len(head_bytes) % 4  # so that the numbers behind it are aligned
    return head_bytes[:-1] + b" " * padding + b"\n" + b"".join(parts[1:])


def drops(run: BeamRun) -> list[list[int]]:
    """First and last move of each closed cut, whose end frees what lies within: from where its ring begins."""
    moves = run.moves
    cuts = np.array([frees(one.process) == PIECE for one in run.job.tools], bool)
    burns = np.nonzero((moves.does == BURN) & cuts[moves.tool])[0]
    if not len(burns) or moves.path is None:
        return []
    found = []
    for own in np.split(burns, np.nonzero((np.diff(moves.path[burns]) != 0) | (np.diff(burns) != 1))[0] + 1):
        starts, ends = moves.rows[own, :2], moves.rows[own, 6:]
        for first, last in ((0, len(own) - 1), (1, len(own) - 2)):  # without and with leads
            if last >= first and np.hypot(*(ends[last] - starts[first])) < CLOSED:
                found.append([int(own[first]), int(own[last])])
                break
    return found
