"""The simulated laser behind a local socket; see ``in_time``. It can be asked as well: ``>camera x y`` (where the mark
that is meant there is seen), ``>report``, ``>picture`` (a PNG of what was burnt, in base64; of a thing that is turned,
its wall unrolled) and ``>front 180`` (a PNG of that thing, so many degrees from its handle or seam before the eye).
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nibble_core.simulators import turned
from nibble_core.simulators.burnt import picture, report
from nibble_core.simulators.in_time import InTime, png
from nibble_core.simulators.laser import Body, Laser


@dataclass(frozen=True)
class Lies:
    """How the printed sheet lies on the bed, other than it was meant: shift in mm, turn in degrees about the origin,
    and how much its print has grown across and along."""

    shift: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0
    across: float = 1.0
    along: float = 1.0

    def seen(self, x: float, y: float) -> tuple[float, float]:
        """Where a place of the sheet lies."""
        c, s = math.cos(math.radians(self.turn)), math.sin(math.radians(self.turn))
        x, y = x * self.across, y * self.along
        return x * c - y * s + self.shift[0], x * s + y * c + self.shift[1]


class Running(InTime):
    """A laser whose head moves in time. thing: that its Y turns, if any."""

    def __init__(
        self, body: Body, quick: float = 1.0, lies: Lies | None = None, thing: turned.Thing | None = None
    ) -> None:
        self.body = replace(body, turns=True) if thing else body
        self.lies, self.thing = lies or Lies(), thing
        super().__init__(quick)

    @property
    def laser(self) -> Laser:
        assert isinstance(self.taker, Laser)
        return self.taker

    def on_new_material(self) -> Laser:
        return Laser(self.body)

    def on_the_same(self, done: int) -> Laser:
        return Laser(self.body, self.laser.steps[:done], self.laser.complaints)

    def told(self, name: str, rest: str) -> dict[str, Any] | None:
        if name == "camera":
            return self._seen(rest)
        if name == "report":
            return self._judged()
        if name == "picture":
            return {"png": png(self._burnt())}
        return self._front(rest) if name == "front" else None

    def _seen(self, place: str) -> dict[str, Any]:
        """Where the mark is that was printed at a place of the machine's axes."""
        try:
            x, y = (float(part) for part in place.split())
        except ValueError:
            return {"wrong": "a camera looks at a place: x y"}
        x, y = self.lies.seen(x, y)
        return {"x": round(x, 3), "y": round(y, 3)}

    def _judged(self) -> dict[str, Any]:
        """Of what it did so far."""
        so_far = Laser(
            self.body, self.laser.steps[: self.done], list(self.laser.complaints), ended=self.laser.ended
        )  # fmt: skip
        if self.thing is None:
            return report(so_far).plain()
        facts, found = turned.judged(so_far, self.thing)
        so_far.complaints += found
        so_far.steps = turned.on_surface(so_far.steps, self.thing)
        return report(so_far).plain() | facts

    def _burnt(self) -> NDArray[np.uint8]:
        """What was burnt so far."""
        steps = self.laser.steps[: self.done]
        return picture(steps, self.body) if self.thing is None else turned.unrolled(steps, self.thing)

    def _front(self, angle: str) -> dict[str, Any]:
        if self.thing is None:
            return {"wrong": "nothing is turned: start it with a thing"}
        if not re.fullmatch(r"-?\d{1,4}(\.\d{0,6})?", angle):
            return {"wrong": "a thing is looked at from an angle: front 180"}
        return {"png": png(turned.from_front(self._burnt(), self.thing, float(angle)))}
