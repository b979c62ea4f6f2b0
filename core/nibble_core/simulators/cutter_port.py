"""The simulated cutter behind a local socket; see ``in_time``. A printed sheet lies in it: before it puts its knife
down it looks for the marks, and refuses what it cannot find. It can be asked as well: ``>found`` (the marks, how sure
it is of each, how the sheet lies), ``>report`` (lines and mm by pen) and ``>picture`` (a PNG of the sheet with what was
cut, in base64).
"""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass, field
from itertools import pairwise
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.simulators.camera import INCH, Look
from nibble_core.simulators.cut_files import UNIT, Plotter, Unreadable, instructions
from nibble_core.simulators.cutter import Blade, Clamp, Marks, Seen, look_for, tip_track, under_clamps
from nibble_core.simulators.in_time import InTime, png

TRAVEL, USUAL = 600.0, 300.0  # mm a second: raised; with the knife down, where nothing is said
BEYOND_MARKS = 30.0  # mm round the marks, in which a sheet's own lines lie
SHARP = Blade()
DARK = (40, 30, 120)
MOST_SHOWN = 4_000_000  # px of a picture that is sent


@dataclass(frozen=True, eq=False)
class Loaded:
    """The sheet that lies in it. picture: pixels (rows, columns, 3), ppi an inch; look: its camera; size: mm of the
    sheet as it was meant; first: mm in the picture where the first mark is said to be; clamps: what holds it down."""

    picture: NDArray[np.uint8]
    ppi: float
    look: Look
    marks: Marks
    size: tuple[float, float]
    first: tuple[float, float]
    clamps: tuple[Clamp, ...] = ()


class Way(NamedTuple):
    """One straight way of the knife's holder, mm on the material. pen: the one in hand."""

    line: int
    start: tuple[float, float]
    end: tuple[float, float]
    feed: float
    wait: float
    power: float
    pen: str

    @property
    def length(self) -> float:
        return math.dist(self.start, self.end)

    def place(self, share: float) -> tuple[float, float]:
        x, y = (a + share * (b - a) for a, b in zip(self.start, self.end, strict=True))
        return x, y


@dataclass
class Feeding:
    """A cutter that is fed lines of HP-GL. seen: what its camera found of the sheet, nothing before it has looked."""

    loaded: Loaded
    seen: Seen | None = None
    steps: list[Way] = field(default_factory=list)
    ended: bool = False
    plotter: Plotter = field(default_factory=Plotter)
    number: int = 0

    def take(self, line: str) -> str:
        """One line; returns “ok” or what is wrong with it."""
        self.number += 1
        for instruction in instructions(line):
            before, drawn = self.plotter.at, len(self.plotter.places)
            try:
                self.plotter.take(instruction)
            except Unreadable as error:
                return str(error)
            if instruction == "SP0":
                self.ended = True
            places = self.plotter.places[max(drawn, 1) :] if self.plotter.down else [self.plotter.at]
            if self.plotter.down and self.seen is None:
                wrong = self._looked()
                if wrong:
                    return wrong
            wrong = self._gone(before, places)
            if wrong:
                return wrong
        return "ok"

    def _looked(self) -> str:
        """Look for the marks; what is wrong, in words."""
        own = self.loaded
        self.seen = look_for(own.look, own.marks, own.first, ppi=own.ppi)
        return next((one.words for one in self.seen.complaints if one.stops), "")

    def _gone(self, before: tuple[float, float], places: list[tuple[float, float]]) -> str:
        """The ways to places of the file, as the sheet lies; what is wrong, in words."""
        height, stand = self.loaded.size[1], self.loaded.marks.places
        down = self.plotter.down
        way = np.array([before, *places]) * UNIT
        way[:, 1] = height - way[:, 1]
        if down and ((way < stand.min(0) - BEYOND_MARKS) | (way > stand.max(0) + BEYOND_MARKS)).any():
            return "This line lies far outside the marks: it belongs to another sheet."
        if self.seen is not None and self.seen.lies is not None:
            way = self.seen.lies.forward(way)
        if under_clamps([way], self.loaded.clamps):
            return "The head would run over a clamp."
        speed = self.plotter.speed or 0.0
        feed = TRAVEL if not down else 10 * speed if speed > 0 else USUAL
        ends = [(float(x), float(y)) for x, y in way]
        self.steps += [
            Way(self.number, start, end, feed, 0.0, float(down), self.plotter.pen)
            for start, end in pairwise(ends) if start != end
        ]  # fmt: skip
        return ""


class Running(InTime):
    """A cutter whose holder moves in time over a printed sheet."""

    def __init__(self, loaded: Loaded, quick: float = 1.0, blade: Blade = SHARP) -> None:
        self.loaded, self.blade = loaded, blade
        super().__init__(quick)

    def on_new_material(self) -> Feeding:
        return Feeding(self.loaded)

    def on_the_same(self, done: int) -> Feeding:
        own = self.taker
        return Feeding(self.loaded, own.seen, own.steps[:done])

    def told(self, name: str, rest: str) -> dict[str, Any] | None:
        if name == "found":
            return self._found()
        if name == "report":
            return self._report()
        return {"png": png(self._drawn())} if name == "picture" else None

    def _found(self) -> dict[str, Any]:
        seen: Seen = self.taker.seen or Seen()
        lies = seen.lies
        return {
            "marks": [None if one is None else asdict(one) for one in seen.marks],
            "complaints": [one.words for one in seen.complaints],
            "lies": None if lies is None else {
                "model": lies.model, "shift_mm": list(lies.shift), "turn_deg": lies.turn, "across": lies.across,
                "down": lies.down, "marks_off_mm": lies.worst,
            },
        }  # fmt: skip

    def _report(self) -> dict[str, Any]:
        pens: dict[str, dict[str, float]] = {}
        for pen, track in self.cuts():
            own = pens.setdefault(pen, {"lines": 0, "length_mm": 0.0})
            own["lines"] += 1
            own["length_mm"] = round(own["length_mm"] + float(np.hypot(*np.diff(track, axis=0).T).sum()), 3)
        return {"pens": pens, "complaints": self._found()["complaints"]}

    def cuts(self) -> list[tuple[str, NDArray[np.float64]]]:
        """Of each line that was cut so far, its pen and where the tip went, (n, 2) mm on the material."""
        lines: list[tuple[str, list[tuple[float, float]]]] = []
        cutting = False
        for step in self.taker.steps[: self.done]:
            if step.power and cutting and lines[-1][1][-1] == step.start:
                lines[-1][1].append(step.end)
            elif step.power:
                lines.append((step.pen, [step.start, step.end]))
            cutting = bool(step.power)
        facing: float | None = None
        made = []
        for pen, places in lines:
            track = np.array(places)
            if self.blade.trails > 0:
                track, facing = tip_track(track, self.blade.trails, facing)
            made.append((pen, track))
        return made

    def _drawn(self) -> NDArray[np.uint8]:
        own = self.loaded
        scale = min(1.0, math.sqrt(MOST_SHOWN / (own.picture.shape[0] * own.picture.shape[1])))
        size = max(1, round(own.picture.shape[1] * scale)), max(1, round(own.picture.shape[0] * scale))
        drawn = np.ascontiguousarray(cv2.resize(own.picture, size, interpolation=cv2.INTER_AREA)[..., ::-1])
        for _, track in self.cuts():
            pixels = np.rint((track * own.ppi * scale / INCH - 0.5) * 16).astype(np.int32)
            cv2.polylines(drawn, [pixels], False, DARK[::-1], 1, cv2.LINE_AA, 4)
        return np.asarray(drawn, np.uint8)
