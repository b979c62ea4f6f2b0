"""What a draft takes while a distance is dragged: every job of the demo shop, seen at Lines, Sheet and Machine."""

from __future__ import annotations

import statistics
import time
from datetime import date

from demo.jobs import demo_jobs
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, Ticket, apply

STATIONS = ("lines", "sheet", "machine")
DRAFTS = 5


def run() -> None:
    for job in demo_jobs(date(2026, 1, 1)):
        content = job.content
        times = [
            statistics.median(drafts(job.ticket, lambda _, content=content: content, station)) for station in STATIONS
        ]
        said = ", ".join(f"{1000 * one:.0f} ms at {name}" for one, name in zip(times, STATIONS, strict=True))
        print(f"{job.ticket.name}: {said} (300 wanted)")


def drafts(ticket: Ticket, files, station: str) -> list[float]:
    """Seconds of processor for each of some drafts, after one that finds what does not change."""
    (piece, *_), store, spent = ticket.pieces, MemoryStore(), []
    line = piece.layers[0].lines[0]
    path = f"pieces/{piece.id}/layers/{piece.layers[0].id}/lines/{line.id}/offset/distance"
    for number in range(DRAFTS + 1):
        drafted = apply(ticket, [Change(path, line.offset.distance + 0.1 + number / 7)])
        start = time.process_time()
        work_out(drafted, files, store, preview=True, upto=station)
        spent.append(time.process_time() - start)
    return spent[1:]
