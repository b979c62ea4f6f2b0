"""A machine with a beam: takes G-code line by line, moves with limits and acceleration, burns, and lets parts drop.

An independent judge: it shares no code with the writer or with the times that Nibble tells beforehand. Its head is
stepped along its way in short steps of time; what it burnt is a picture, what it cut through is a list of lines, and
parts drop when the last of the lines round them is closed.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field
from typing import NamedTuple

_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
_TAKES = {
    "G": {0, 1, 2, 3, 4, 17, 21, 90}, "M": {2, 3, 4, 5, 8, 9},
}  # fmt: skip
ARC_OFF = 0.005  # mm that an arc's two radii may differ by
LONGEST_DWELL = 3600.0  # seconds
LONGEST_LINE = 4000  # letters of a program's line
REACH = 0.002  # mm beyond the bed that rounding may lead to
TOUCHES = 0.01  # mm above the material


@dataclass(frozen=True)
class Body:
    """What the machine is. width, height: of its bed, mm; left, bottom: of the bed's corner in the machine's axes.
    acceleration: mm/s²; fastest: mm/s; jump: mm/s that its velocity may change by at once; power: S of full power;
    raises: whether G-code moves its head. turns: whether its Y turns what lies there, without an end. through: what its
    files call that goes right through what lies there."""

    width: float = 600.0
    height: float = 400.0
    left: float = 0.0
    bottom: float = 0.0
    acceleration: float = 3000.0
    fastest: float = 500.0
    jump: float = 10.0
    power: float = 1000.0
    raises: bool = False
    turns: bool = False
    through: tuple[str, ...] = ("through cut", "perforate", "cross-cut")


class Step(NamedTuple):
    """One straight or round move, mm in the machine's axes. centre: None for a straight one; sweep in radians,
    positive against the clock. rapid: a travel. beam: share of full power. feed: mm/s that is asked for. wait: seconds
    before it. touches: whether a trial has the head down on the material."""

    line: int
    start: tuple[float, float]
    end: tuple[float, float]
    centre: tuple[float, float] | None
    sweep: float
    rapid: bool
    beam: float
    feed: float
    wait: float
    process: str
    touches: bool = False

    @property
    def power(self) -> float:
        """A share, as for every tool."""
        return self.beam

    @property
    def length(self) -> float:
        """mm."""
        if self.centre is None:
            return math.dist(self.start, self.end)
        return abs(self.sweep) * math.dist(self.start, self.centre)

    def direction(self, at_end: bool) -> tuple[float, float]:
        """The unit direction in which it begins or ends."""
        if self.centre is None:
            length = self.length or 1.0
            return (self.end[0] - self.start[0]) / length, (self.end[1] - self.start[1]) / length
        x, y = self.end if at_end else self.start
        radius = math.dist((x, y), self.centre) or 1.0
        way = 1.0 if self.sweep > 0 else -1.0
        return -way * (y - self.centre[1]) / radius, way * (x - self.centre[0]) / radius

    def place(self, share: float) -> tuple[float, float]:
        """Where the head is after a share of it."""
        if self.centre is None:
            return (
                self.start[0] + share * (self.end[0] - self.start[0]),
                self.start[1] + share * (self.end[1] - self.start[1]),
            )
        dx, dy = self.start[0] - self.centre[0], self.start[1] - self.centre[1]
        c, s = math.cos(share * self.sweep), math.sin(share * self.sweep)
        return self.centre[0] + dx * c - dy * s, self.centre[1] + dx * s + dy * c


class Complaint(NamedTuple):
    """What is wrong, and in which line."""

    line: int
    words: str


@dataclass
class Laser:
    """A machine that is fed lines. ``steps``: moves that it took; ``complaints``: what it did not like."""

    body: Body = field(default_factory=Body)
    steps: list[Step] = field(default_factory=list)
    complaints: list[Complaint] = field(default_factory=list)
    process: str = ""
    ended: bool = False

    def __post_init__(self) -> None:
        self._at = (0.0, 0.0)
        self._mode = 0
        self._beam = ""
        self._power = self._feed = self._wait = 0.0
        self._line = 0
        self._units = self._absolute = False
        self._height: float | None = None
        self._trial = False
        self._turns = self.body.turns

    def take(self, line: str) -> str:
        """One line; returns “ok” or what is wrong with it. A wrong line moves nothing."""
        self._line += 1
        comment = re.search(r"[;(]\s*process ([a-z-]+(?: [a-z-]+)*)", line)
        if comment:
            self.process = comment[1]
        self._turns |= bool(re.match(r"\s*[;(]\s*turned: ", line))
        self._trial |= bool(re.match(r"\s*[;(]\s*trial: no tool is started", line))
        if len(line) > LONGEST_LINE:
            self.complaints.append(Complaint(self._line, "a line without end"))
            return "a line without end"
        code = re.sub(r"\(.*?\)|;.*", "", line).strip().upper()
        if not code:
            return "ok"
        wrong = self._taken(code)
        if wrong:
            self.complaints.append(Complaint(self._line, wrong))
        return wrong or "ok"

    def _taken(self, code: str) -> str:
        if self.ended:
            return "a line after the end"
        if re.sub(_WORD, "", code).strip():
            return f"not understood: {code[:40]}"
        words: dict[str, float] = {}
        motion: int | None = None
        for letter, number in _WORD.findall(code):
            value = float(number)
            if letter in _TAKES and value not in _TAKES[letter]:
                return f"unknown word {letter}{number}"
            if letter == "G":
                if value <= 3:
                    motion = self._mode = int(value)
                self._units |= value == 21
                self._absolute |= value == 90
                words["dwell"] = 1.0 if value == 4 else words.get("dwell", 0.0)
            elif letter == "M":
                if value in (3, 4, 5):
                    self._beam = {3: "on", 4: "moving", 5: ""}[int(value)]
                self.ended |= value == 2
            elif letter in "XYZIJFSP":
                words[letter] = value
            else:
                return f"unknown word {letter}{number}"
        starts = self._beam or words.get("S", 0.0) > 0
        if self._trial and starts:
            self._beam = ""
            return "a trial starts a tool"
        if "S" in words:
            if not 0 <= words["S"] <= self.body.power:
                return f"power S{words['S']:g} is not within 0 to {self.body.power:g}"
            self._power = words["S"]
        if "F" in words:
            if words["F"] <= 0:
                return "a speed of nothing"
            self._feed = words["F"] / 60
        if words.get("dwell"):
            if not 0 <= words.get("P", 0.0) <= LONGEST_DWELL:
                return f"a wait of {words['P']:g} seconds"
            self._wait += words.get("P", 0.0)
            return ""
        if "Z" in words:
            return "up or down and along at once" if {"X", "Y"} & words.keys() else self._raised(words["Z"])
        if "X" in words or "Y" in words:
            return self._moved(words)
        return "a motion without a place" if motion is not None and motion > 0 else ""

    def _raised(self, height: float) -> str:
        """Up or down, in its own time; where the head was before the first such word nobody knows."""
        if height < 0:
            return f"the head would be pressed into the material, to {height:g}"
        rapid = self._mode == 0
        if rapid and self._beam and self._power > 0:
            return "the beam is on while the head is raised or lowered fast"
        speed = self.body.fastest if rapid else min(self._feed, self.body.fastest)
        if speed <= 0:
            return "a move at no speed (F)"
        if self._height is not None:
            self._wait += abs(height - self._height) / speed
        self._height = height
        return ""

    def _moved(self, words: dict[str, float]) -> str:
        if not (self._units and self._absolute):
            return "a move before its units and kind of places are said (G21 G90)"
        end = words.get("X", self._at[0]), words.get("Y", self._at[1])
        rapid = self._mode == 0
        if not rapid and self._feed <= 0:
            return "a move at no speed (F)"
        centre, sweep = None, 0.0
        if self._mode in (2, 3):
            if "I" not in words and "J" not in words:
                return "an arc without a centre"
            centre = self._at[0] + words.get("I", 0.0), self._at[1] + words.get("J", 0.0)
            off = abs(math.dist(self._at, centre) - math.dist(end, centre))
            if off > ARC_OFF:
                return f"an arc whose ends lie {off:.3f} mm off its circle"
            sweep = math.atan2(end[1] - centre[1], end[0] - centre[0])
            sweep -= math.atan2(self._at[1] - centre[1], self._at[0] - centre[0])
            sweep %= 2 * math.pi
            if self._mode == 2:
                sweep -= 2 * math.pi
            if abs(sweep) < 1e-9:
                sweep = 2 * math.pi if self._mode == 3 else -2 * math.pi
        beam = self._power / self.body.power if self._beam else 0.0
        step = Step(self._line, self._at, end, centre, sweep, rapid, 0.0 if rapid else beam,
                    self.body.fastest if rapid else self._feed, self._wait, self.process,
                    self._trial and self._height is not None and self._height <= TOUCHES)  # fmt: skip
        if self._trial and self.body.raises and self._height is None:
            return "a trial moves before its head is raised"
        if self._trial and rapid and step.touches:
            return "a trial travels with its head down"
        if not all(self._within(step.place(share)) for share in (0.25, 0.5, 0.75, 1.0)):
            return f"a move beyond the bed, to {end[0]:g}, {end[1]:g}"
        self._wait = 0.0
        self._at = end
        self.steps.append(step)
        if rapid and beam > 0 and step.length > 0:
            self.complaints.append(Complaint(self._line, "the beam is on while travelling"))
        if not rapid and self._feed > self.body.fastest + 1e-6:
            self.complaints.append(
                Complaint(self._line, f"asked for {self._feed:g} mm a second, it goes {self.body.fastest:g} at most")
            )
        return ""

    def _within(self, place: tuple[float, float]) -> bool:
        x, y = place[0] - self.body.left, place[1] - self.body.bottom
        if self._turns:  # the thing may lie to either side of where the head begins
            return abs(place[0]) <= self.body.width + REACH
        return -REACH <= x <= self.body.width + REACH and -REACH <= y <= self.body.height + REACH

    @property
    def at(self) -> tuple[float, float]:
        """Where the head stands, mm."""
        return self._at


def clocked(steps: list[Step], body: Body) -> list[float]:
    """Seconds at which each step ends, by stepping through the plan: each may begin as fast as the turn before it
    allows and as all that follow can still be stopped for."""
    n = len(steps)
    most = [min(step.feed, body.fastest) for step in steps]
    for k, step in enumerate(steps):
        if step.centre is not None:
            most[k] = min(most[k], math.sqrt(body.acceleration * math.dist(step.start, step.centre)))
    meet = [0.0] * (n + 1)
    for k in range(n - 1, 0, -1):
        if steps[k].wait > 0:
            continue
        ax, ay = steps[k - 1].direction(True)
        bx, by = steps[k].direction(False)
        change = math.hypot(bx - ax, by - ay)  # of the velocity at unit speed
        fits = min(most[k - 1], most[k], body.jump / change if change > 1e-9 else math.inf)
        meet[k] = min(fits, math.sqrt(meet[k + 1] ** 2 + 2 * body.acceleration * steps[k].length))
    ends, clock, speed = [], 0.0, 0.0
    for k, step in enumerate(steps):
        speed = min(speed, meet[k])
        clock += step.wait
        took, speed = _crossed(step.length, speed, most[k], meet[k + 1], body.acceleration)
        clock += took
        ends.append(clock)
    return ends


def _crossed(length: float, speed: float, most: float, leave: float, acceleration: float) -> tuple[float, float]:
    """Seconds for a step, and the speed at its end."""
    if length <= 0:
        return 0.0, min(speed, leave)
    leave = min(leave, math.sqrt(speed**2 + 2 * acceleration * length))
    gain = (most**2 - speed**2) / (2 * acceleration)
    lose = (most**2 - leave**2) / (2 * acceleration)
    if gain + lose <= length:
        return (most - speed) / acceleration + (most - leave) / acceleration + (length - gain - lose) / most, leave
    top = math.sqrt(max(acceleration * length + (speed**2 + leave**2) / 2, 0.0))
    return (2 * top - speed - leave) / acceleration, leave
