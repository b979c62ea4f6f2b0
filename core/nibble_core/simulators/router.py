"""A router: takes G-code, cuts a board pixel by pixel with each cutter's true shape, and says what it did not like.

An independent judge: it shares no code with what planned the moves or wrote the file.
"""

from __future__ import annotations

import json
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from nibble_core.errors import UnreadableFile

_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
_TAKES = {"G": {0, 1, 2, 3, 4, 17, 21, 90}, "M": {2, 3, 4, 5, 6, 8, 9}}
LONGEST_LINE = 4000
TRIAL = "trial: no tool is started"  # in a comment at the head: the file is held to it
STEEP = 0.35  # of a move's length that goes down, beyond which it is a plunge
HAIR = 0.02  # mm
CONES = ("pointed", "a tapered ball")
CHORD = 0.001  # mm that an arc is run off


@dataclass(frozen=True)
class Cutter:
    """kind: pointed, a tapered ball, flat, round or a drill. diameter, tip: mm; angle: degrees. plunges: whether it
    cuts straight down. feed, plunge: mm/s at most; 0 for any."""

    kind: str
    diameter: float
    angle: float = 0.0
    tip: float = 0.0
    plunges: bool = True
    feed: float = 0.0
    plunge: float = 0.0


@dataclass(frozen=True)
class Stage:
    """The board and the machine: mm. left, bottom: of the board's corner in the machine's axes; top: height of its
    surface there. spoil: mm below the board that may be cut. clamps: left, bottom, right, top, height above it."""

    width: float
    height: float
    thick: float
    left: float = 0.0
    bottom: float = 0.0
    top: float = 0.0
    spoil: float = 1.0
    acceleration: float = 1500.0
    fastest: float = 100.0
    clamps: tuple[tuple[float, float, float, float, float], ...] = ()


class Complaint(NamedTuple):
    line: int
    words: str


@dataclass
class Router:
    """Moves that it took, (m, 6), each with line, cutter, feed (0: a travel). fitted: the cutter that was put in by
    hand before; 0 for none."""

    stage: Stage
    cutters: Mapping[int, Cutter]
    fitted: int = 0
    moves: list[tuple[float, ...]] = field(default_factory=list)
    lines: list[int] = field(default_factory=list)
    tools: list[int] = field(default_factory=list)
    feeds: list[float] = field(default_factory=list)
    waits: float = 0.0
    changes: int = 0
    complaints: list[Complaint] = field(default_factory=list)
    ended: bool = False

    def __post_init__(self) -> None:
        self._at = [0.0, 0.0, math.inf]
        self._feed = 0.0
        self._tool = self.fitted
        self._turns = self._trial = False
        self._mode = 0
        self._units = self._absolute = False
        self._line = 0

    def take(self, raw: str) -> None:
        """One line; a wrong one moves nothing."""
        self._line += 1
        self._trial |= TRIAL in raw
        code = re.sub(r"\(.*?\)|;.*", "", raw[:LONGEST_LINE]).strip().upper()
        if code:
            wrong = self._taken(code)
            if wrong:
                self.complaints.append(Complaint(self._line, wrong))

    def _taken(self, code: str) -> str:
        if self.ended:
            return "a line after the end"
        if re.sub(_WORD, "", code).strip():
            return f"not understood: {code[:40]}"
        words: dict[str, float] = {}
        dwell = False
        for letter, number in _WORD.findall(code):
            value = float(number)
            if letter in _TAKES and value not in _TAKES[letter]:
                return f"unknown word {letter}{number}"
            if letter == "G":
                self._mode = int(value) if value <= 3 else self._mode
                dwell |= value == 4
                self._units |= value == 21
                self._absolute |= value == 90
            elif letter == "M":
                if value == 6:
                    if self._turns:
                        return "the cutter is changed while it turns"
                    self.changes += 1
                if self._trial and value in (3, 4, 6):
                    return "a trial starts a tool"
                self._turns = {3: True, 4: True, 5: False}.get(int(value), self._turns)
                self.ended |= value == 2
            elif letter == "T":
                self._tool = int(value)
                if self._tool not in self.cutters:
                    return f"there is no cutter {self._tool}"
            elif letter in "XYZIJKFSP":
                words[letter] = value
            else:
                return f"unknown word {letter}{number}"
        if dwell:
            self.waits += max(words.get("P", 0.0), 0.0)
            return ""
        if "F" in words:
            self._feed = words["F"] / 60
        if {"X", "Y", "Z"} & words.keys():
            return self._moved(words)
        return ""

    def _moved(self, words: dict[str, float]) -> str:
        if not (self._units and self._absolute):
            return "a move before its units and kind of places are said (G21 G90)"
        start = list(self._at)
        end = [words.get(axis, start[k]) for k, axis in enumerate("XYZ")]
        rapid = self._mode == 0
        if not rapid and self._feed <= 0:
            return "a move at no speed (F)"
        self._at = end
        if math.isinf(start[2]):  # from wherever it stood
            start[2] = end[2]
        points = [start, end]
        if self._mode in (2, 3):
            points = self._arc(start, end, words)
            if not points:
                return "an arc whose ends do not lie on its circle"
        for a, b in pairwise(points):
            self.moves.append((*a, *b))
            self.lines.append(self._line)
            self.tools.append(self._tool if self._turns or rapid else -1)
            self.feeds.append(0.0 if rapid else self._feed)
        if self._trial:
            return "a trial goes down to the board" if end[2] < self.stage.top + HAIR else ""
        if not rapid and not self._turns:
            return "cuts while the cutter stands"
        return ""

    def _arc(self, start: list[float], end: list[float], words: dict[str, float]) -> list[list[float]]:
        x, y = start[0] + words.get("I", 0.0), start[1] + words.get("J", 0.0)
        radius, other = math.dist(start[:2], (x, y)), math.dist(end[:2], (x, y))
        if abs(radius - other) > 0.01:
            return []
        first, last = math.atan2(start[1] - y, start[0] - x), math.atan2(end[1] - y, end[0] - x)
        sweep = (last - first) % (2 * math.pi) or 2 * math.pi
        if self._mode == 2:
            sweep -= 2 * math.pi
        count = max(2, math.ceil(abs(sweep) / (2 * math.acos(max(1 - CHORD / max(radius, CHORD), 0.0)) + 1e-9)))
        t = np.linspace(0, 1, count + 1)
        return [
            [x + radius * math.cos(first + sweep * s), y + radius * math.sin(first + sweep * s),
             start[2] + (end[2] - start[2]) * s]
            for s in t.tolist()
        ]  # fmt: skip


def fed(program: bytes, stage: Stage, cutters: Mapping[int, Cutter], fitted: int = 0) -> Router:
    """A machine that took a whole file."""
    router = Router(stage, cutters, fitted)
    for line in program.decode("ascii", "replace").splitlines():
        router.take(line)
    if not router.ended:
        router.complaints.append(Complaint(router._line, "the file ends before the run does (M2)"))
    return router


def whole(stage: Stage, pitch: float = 0.1) -> NDArray[np.float64]:
    """A board that nothing has touched; see ``cut``."""
    return np.zeros((max(1, round(stage.height / pitch)), max(1, round(stage.width / pitch))))


def cut(router: Router, pitch: float = 0.1, board: NDArray[np.float64] | None = None) -> NDArray[np.float64]:
    """The board once all moves were made: heights (h, w) of pixels ``pitch`` mm apart, from above, its back edge first;
    the surface is 0. board: what the files before left of it, which stays as it is. Complains of what a machine or its
    owner would."""
    stage = router.stage
    surface = whole(stage, pitch) if board is None else board.copy()
    if not router.moves:
        return surface
    moves = np.array(router.moves)
    # onto the board: from its upper left corner, y down, the surface at nothing
    moves[:, [0, 3]] -= stage.left
    moves[:, [1, 4]] = stage.bottom + stage.height - moves[:, [1, 4]]
    moves[:, [2, 5]] -= stage.top
    shapes = {number: _shape(one) for number, one in router.cutters.items()}
    rise, radius, ball = (np.array([shapes.get(tool, (0.0, 0.0, 0.0))[k] for tool in router.tools]) for k in range(3))
    rapid = np.array(router.feeds) == 0
    taken, deepest = _cut(surface, moves, rise, radius, ball, rapid, np.array(router.tools) >= 0, pitch)
    _complain(router, moves, taken, deepest, rapid)
    return surface


def _shape(one: Cutter) -> tuple[float, float, float]:
    """Rise outward of its tip's radius, that radius, and whether it is a ball."""
    if one.kind in CONES:
        return 1.0 / math.tan(math.radians(one.angle) / 2), one.tip / 2, float(one.kind == "a tapered ball")
    return 0.0, one.diameter / 2, 1.0 if one.kind == "round" else 0.0


@njit(cache=True, error_model="numpy", nogil=True)
def _cut(surface, moves, rise, radius, ball, rapid, turns, pitch):  # type: ignore[no-untyped-def]
    """Steps each move's cutter along its way by half a pixel; how far below the surface that was there each reached on
    any pixel's middle, and how deep at all."""
    h, w = surface.shape
    taken = np.zeros(len(moves))
    deepest = np.zeros(len(moves))
    for m in range(len(moves)):
        if not turns[m]:
            continue
        x0, y0, z0, x1, y1, z1 = moves[m]
        low = min(z0, z1)
        deepest[m] = low
        if low >= 0.0:
            continue
        # what moves level takes all along its way the same: one look at each pixel does
        dx, dy, dz = x1 - x0, y1 - y0, z1 - z0
        level = dz == 0.0
        steps = 0 if level else max(1, math.ceil(math.sqrt(dx * dx + dy * dy + dz * dz) / (pitch * 0.5)))
        square = dx * dx + dy * dy
        for s in range(steps + 1):
            t = s / max(steps, 1)
            x, y, z = x0 + dx * t, y0 + dy * t, z0 + dz * t
            if z >= 0.0:
                continue
            along_x, along_y = (dx, dy) if level else (0.0, 0.0)
            # where a ball runs into a cone, and how far below its end the cone's own point would lie
            secant = math.sqrt(1.0 + rise[m] ** 2)
            meets, under = radius[m] * rise[m] / secant, radius[m] * (secant - 1.0)
            reach = radius[m] + (-z / rise[m] if rise[m] > 0.0 else 0.0)
            top, bottom_row = min(y, y + along_y) - reach, max(y, y + along_y) + reach
            left, right = min(x, x + along_x) - reach, max(x, x + along_x) + reach
            for row in range(max(0, int(top / pitch)), min(h - 1, int(bottom_row / pitch)) + 1):
                py = (row + 0.5) * pitch - y
                for column in range(max(0, int(left / pitch)), min(w - 1, int(right / pitch)) + 1):
                    px = (column + 0.5) * pitch - x
                    near = 0.0
                    if level and square > 0.0:
                        near = min(1.0, max(0.0, (px * dx + py * dy) / square))
                    away = math.sqrt((px - near * dx) ** 2 + (py - near * dy) ** 2)
                    if away > reach:
                        continue
                    bottom = z
                    if rise[m] > 0.0 and ball[m] > 0.0:
                        if away < meets:
                            bottom = z + radius[m] - math.sqrt(radius[m] ** 2 - away * away)
                        else:
                            bottom = z + rise[m] * away - under
                    elif rise[m] > 0.0:
                        bottom = z + rise[m] * max(away - radius[m], 0.0)
                    elif ball[m] > 0.0:
                        bottom = z + radius[m] - math.sqrt(max(radius[m] ** 2 - away * away, 0.0))
                    gone = surface[row, column] - bottom
                    if gone > 0.0:
                        taken[m] = max(taken[m], gone)
                        surface[row, column] = bottom
    return taken, deepest


def _complain(
    router: Router, moves: NDArray[np.float64], taken: NDArray[np.float64], deepest: NDArray[np.float64],
    rapid: NDArray[np.bool_],
) -> None:  # fmt: skip
    stage, said = router.stage, set()

    def say(k: int, key: str, words: str) -> None:
        if key not in said:
            said.add(key)
            router.complaints.append(Complaint(router.lines[k], words))

    way = moves[:, 3:] - moves[:, :3]
    length = np.sqrt((way**2).sum(1))
    down = np.divide(-way[:, 2], length, out=np.zeros_like(length), where=length > 1e-9)
    for k in np.nonzero(rapid & (taken > HAIR))[0].tolist():
        say(k, "rapid", f"travels through {taken[k]:.2f} mm of material")
    for k in np.nonzero(deepest < -(stage.thick + stage.spoil) - HAIR)[0].tolist():
        say(k, "deep", f"cuts {-deepest[k] - stage.thick:.2f} mm below the board")
    for k in np.nonzero(~rapid)[0].tolist():
        own = router.cutters.get(router.tools[k])
        if own is None:
            if router.tools[k] >= 0:
                say(k, "none", "cuts, and no cutter was put in")
            continue
        if down[k] > STEEP and taken[k] > HAIR and not own.plunges:
            say(k, f"plunge {router.tools[k]}", "plunges with a cutter that does not cut straight down")
        if own.feed and router.feeds[k] > own.feed * 1.001:
            say(k, f"feed {router.tools[k]}", f"feeds at {router.feeds[k]:.1f} mm/s, {own.feed:g} at most")
        if own.plunge and down[k] * router.feeds[k] > own.plunge * 1.01:
            say(
                k,
                f"down {router.tools[k]}",
                f"goes down at {down[k] * router.feeds[k]:.1f} mm/s, {own.plunge:g} at most",
            )
    for left, bottom, right, top, high in stage.clamps:
        x, y = moves[:, [0, 3]] + stage.left, stage.bottom + stage.height - moves[:, [1, 4]]
        reach = max((one.diameter / 2 for one in router.cutters.values()), default=0.0)
        under = np.minimum(moves[:, 2], moves[:, 5]) < high
        inside = (
            (x.max(1) > left - reach) & (x.min(1) < right + reach) & (y.max(1) > bottom - reach)
            & (y.min(1) < top + reach) & under
        )  # fmt: skip
        for k in np.nonzero(inside)[0].tolist():
            say(k, f"clamp {left} {bottom}", "hits a clamp")


def loose(surface: NDArray[np.float64], thick: float, pitch: float) -> list[dict[str, Any]]:
    """Parts that are cut free all round: mm² and box, mm from the board's upper left corner. What is left below the
    surface holds them: a tab does."""
    import cv2

    solid = (surface > -thick + HAIR).astype(np.uint8)
    count, _, stats, _ = cv2.connectedComponentsWithStats(solid, connectivity=4)
    found = []
    h, w = solid.shape
    for k in range(1, count):
        x, y, wide, high, area = (int(v) for v in stats[k])
        whole = x == 0 or y == 0 or x + wide == w or y + high == h
        if not whole and area * pitch * pitch > 1.0:
            found.append({"area_mm2": round(area * pitch * pitch, 1),
                          "box_mm": [round(v * pitch, 1) for v in (x, y, x + wide, y + high)]})  # fmt: skip
    return found


def seconds(router: Router) -> float:
    """How long it takes by its own clock: each move from rest to rest where it turns sharply, else at speed."""
    stage, total = router.stage, 0.0
    moves = np.array(router.moves).reshape(-1, 6)
    way = moves[:, 3:] - moves[:, :3]
    length = np.sqrt((way**2).sum(1))
    unit = way / np.maximum(length, 1e-12)[:, None]
    most = np.where(np.array(router.feeds) > 0, np.minimum(router.feeds, stage.fastest), stage.fastest)
    meet = np.zeros(len(moves) + 1)
    for k in range(1, len(moves)):
        change = float(np.linalg.norm(unit[k] - unit[k - 1]))
        meet[k] = min(most[k - 1], most[k], 10.0 / change if change > 1e-9 else math.inf)
    for k in range(len(moves) - 1, -1, -1):
        meet[k] = min(meet[k], math.sqrt(meet[k + 1] ** 2 + 2 * stage.acceleration * length[k]))
    speed = 0.0
    for k in range(len(moves)):
        speed = min(speed, meet[k])
        leave = min(meet[k + 1], math.sqrt(speed**2 + 2 * stage.acceleration * length[k]))
        top = min(most[k], math.sqrt((2 * stage.acceleration * length[k] + speed**2 + leave**2) / 2))
        top = max(top, speed, leave, 1e-9)
        ramp = (2 * top**2 - speed**2 - leave**2) / (2 * stage.acceleration)
        total += (2 * top - speed - leave) / stage.acceleration + max(length[k] - ramp, 0.0) / top
        speed = leave
    return total + router.waits


def cutters_of(content: bytes) -> dict[int, Cutter]:
    """A rack as a file describes it, JSON: by number kind, diameter_mm, angle_deg, tip_mm, plunges, feed_mm_s,
    plunge_mm_s. Raises UnreadableFile."""
    try:
        plain = json.loads(content)
        found = {
            int(number): Cutter(
                str(one["kind"]), float(one["diameter_mm"]), float(one.get("angle_deg", 0.0)),
                float(one.get("tip_mm", 0.0)), bool(one.get("plunges", True)), float(one.get("feed_mm_s", 0.0)),
                float(one.get("plunge_mm_s", 0.0)),
            )
            for number, one in plain.items()
        }  # fmt: skip
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise UnreadableFile(
            "This is no rack of cutters.", 'Write {"1": {"kind": "flat", "diameter_mm": 6}, …}.'
        ) from error
    for number, one in found.items():
        sound = one.kind in (*CONES, "flat", "round", "a drill") and 0 < one.diameter < 1000
        if not sound or (one.kind in CONES and not 1 <= one.angle < 180):
            raise UnreadableFile(f"Cutter {number} makes no sense.", "Say its kind, diameter and angle.")
    return found
