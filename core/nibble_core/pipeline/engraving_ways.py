"""Other ways to engrave an area, to be laid side by side: what each takes in minutes and how it looks."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.pipeline.lines import DrawnLine
from nibble_core.pipeline.results import Work
from nibble_core.ticket import Change, Ticket

INTERVALS = (0.08, 0.1, 0.15, 0.2)
LOOK_PX = 360  # along the longer side of a look
FINE = 4  # bits of a pixel's part


@dataclass(frozen=True)
class EngravingWay:
    """A way, its words, and the changes that take it."""

    name: str
    changes: tuple[Change, ...]


def engraving_ways(line: str, *, pictures: bool) -> list[EngravingWay]:
    """Ways for the line at a path of the ticket: along its outlines, hatching and rings at several intervals; pictures
    where the piece has pixels."""
    found = [EngravingWay("along the lines", (Change(f"{line}/process/fill", "along the lines"),))]
    kinds = [("by hatching", INTERVALS), ("by rings", INTERVALS[1:])]
    kinds += [("as a picture", INTERVALS[1:])] if pictures else []
    for fill, intervals in kinds:
        for interval in intervals:
            changes = (Change(f"{line}/process/fill", fill), Change(f"{line}/process/fill/interval", interval))
            found.append(EngravingWay(f"{fill}, {interval:g} mm apart", changes))
    return found


def single_run(ticket: Ticket, layer: str) -> Ticket:
    """The ticket with the first sheet of a layer only, and what it is laid behind: what one sheet takes is compared."""
    return replace(ticket, sheets=ticket.with_first_side(ticket.sheets_of(layer)[0]))


def minutes_of_run(ticket: Ticket, work: Work) -> float | None:
    """Of the first sheet; None while power or speed are missing."""
    made = work.beam_run_of(ticket.sheets[0].id)
    return made.value.minutes if made else None


def look(line: DrawnLine, beam: float) -> NDArray[np.uint8]:
    """What an engraved line burns, (h, w) in grey, each stroke as wide as the beam; 255 where nothing is burnt."""
    box = line.area.bounds
    scale = LOOK_PX / max(box[2] - box[0], box[3] - box[1], 1e-6)
    w, h = (max(1, round((box[k + 2] - box[k]) * scale) + 4) for k in (0, 1))
    canvas = np.full((h, w), 255, np.uint8)
    shares = line.shares if line.shares is not None else np.ones(len(line.paths))
    wide = beam * scale
    for points, share in zip(line.paths.arrays_of_points(), shares.tolist(), strict=True):
        at = ((points - box[:2]) * scale + 2 - 0.5) * (1 << FINE)
        burnt = 1 - min(1.0, wide) * (0.35 + 0.65 * share)  # thinner than a pixel: lighter
        cv2.polylines(
            canvas, [np.rint(at).astype(np.int32)], False, round(255 * burnt), max(1, round(wide)), cv2.LINE_AA, FINE
        )
    return canvas
