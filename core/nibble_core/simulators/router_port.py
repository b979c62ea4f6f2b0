"""The simulated router behind a local socket; see ``in_time``. It can be asked as well: ``>report`` (minutes, depths,
loose parts, complaints) and ``>picture`` (a 16-bit PNG of the board's heights, in base64: 65535 is the surface).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from nibble_core.simulators import router
from nibble_core.simulators.in_time import InTime, png


class Slid(NamedTuple):
    """One move in space, or a wait. moves: how many the router had taken with it."""

    line: int
    start: tuple[float, float, float]
    end: tuple[float, float, float]
    feed: float
    wait: float
    power: float
    moves: int

    @property
    def length(self) -> float:
        return math.dist(self.start, self.end)

    def place(self, share: float) -> tuple[float, float]:
        return tuple(a + share * (b - a) for a, b in zip(self.start[:2], self.end[:2], strict=True))  # type: ignore[return-value]


@dataclass
class Feeding:
    """A router that is fed lines, and its moves as steps in time."""

    router: router.Router
    steps: list[Slid] = field(default_factory=list)

    @property
    def ended(self) -> bool:
        return self.router.ended

    @ended.setter
    def ended(self, to: bool) -> None:
        self.router.ended = to

    def take(self, line: str) -> str:
        """One line; returns “ok” or what is wrong with it."""
        own = self.router
        before, waited, said = len(own.moves), own.waits, len(own.complaints)
        own.take(line)
        number = own.lines[-1] if len(own.moves) > before else 0
        for k in range(before, len(own.moves)):
            move, feed = own.moves[k], own.feeds[k]
            cuts = float(feed > 0)
            self.steps.append(
                Slid(number, move[:3], move[3:], feed or own.stage.fastest, 0.0, cuts, k + 1)  # type: ignore[arg-type]
            )
        if own.waits > waited and self.steps:
            here = self.steps[-1].end
            self.steps.append(Slid(self.steps[-1].line, here, here, 1.0, own.waits - waited, 0.0, len(own.moves)))
        return own.complaints[-1].words if len(own.complaints) > said else "ok"


class Running(InTime):
    """A router whose head moves in time over a board. pitch: mm of a pixel of its heights."""

    def __init__(
        self, stage: router.Stage, cutters: Mapping[int, router.Cutter], quick: float = 1.0, pitch: float = 0.2
    ) -> None:
        self.stage, self.cutters, self.pitch = stage, cutters, pitch
        self._board = router.whole(stage, pitch)
        super().__init__(quick)

    def on_new_material(self) -> Feeding:
        self._board = router.whole(self.stage, self.pitch)
        return Feeding(router.Router(self.stage, self.cutters))

    def on_the_same(self, done: int) -> Feeding:
        self._board = self._cut()  # what was done of the last one
        return Feeding(router.Router(self.stage, self.cutters))

    def told(self, name: str, rest: str) -> dict[str, Any] | None:
        if name == "report":
            return self._judged()
        if name == "picture":
            share = 1 + self._cut() / (self.stage.thick + self.stage.spoil)
            return {"png": png(np.rint(np.clip(share, 0, 1) * 65_535).astype(np.uint16))}
        return None

    def _so_far(self) -> router.Router:
        """What was done of what it was told."""
        own: router.Router = self.taker.router
        count = self.taker.steps[self.done - 1].moves if self.done else 0
        return router.Router(
            own.stage, own.cutters, own.fitted, own.moves[:count], own.lines[:count], own.tools[:count],
            own.feeds[:count], own.waits, own.changes, list(own.complaints), own.ended,
        )  # fmt: skip

    def _cut(self) -> NDArray[np.float64]:
        return router.cut(self._so_far(), self.pitch, self._board)

    def _judged(self) -> dict[str, Any]:
        done = self._so_far()
        surface = router.cut(done, self.pitch, self._board)
        return {
            "minutes": round(router.seconds(done) / 60, 3), "deepest_mm": round(float(-surface.min()), 3),
            "changes": done.changes, "loose": router.loose(surface, self.stage.thick, self.pitch),
            "complaints": [{"line": one.line, "says": one.words} for one in sorted(done.complaints)],
        }  # fmt: skip
