"""G-code (ISO 6983) for machines with a beam: travels, lines and arcs in millimetres, power by spindle speed words.

``G0`` travels with the beam off, ``G1``, ``G2`` and ``G3`` move at ``F`` mm a minute; ``M4`` switches a beam on that
follows ``S`` and the speed, ``M3`` one that burns standing as well (it pierces for ``G4`` seconds), ``M5`` off. x goes
to the right and y upward, away from the operator; where a tool tells heights, ``Z`` upward from the material. What the
file is of, where its origin lies and what each tool does stand in comments, which machines pass over. A pen is raised
and lowered by ``Z`` alone: such a file holds no word that starts a tool.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nibble_core.errors import UnreadableFile
from nibble_core.geometry import ARC, LINE
from nibble_core.geometry.units import format_number
from nibble_core.graphics.moves import BURN, GLIDE, TRAVEL, Moves, Named

DECIMALS = 3
TOLERANCE = 0.01
"""mm: arcs lie this near to what was meant, and all ends within a thousandth."""

COMMENTS = {"after a semicolon": ("; ", ""), "in brackets": ("(", ")")}


@dataclass(frozen=True)
class Dialect:
    """What a machine's controller wants. scale: ``S`` of full power. comments: how they are written. air: words that
    switch the assist on and off, empty for none."""

    scale: float = 1000.0
    comments: str = "after a semicolon"
    air: tuple[str, str] = ("M8", "M9")

    def comment(self, words: str) -> str:
        """A line that the machine passes over."""
        before, after = COMMENTS[self.comments]
        return f"{before}{re.sub(r'[^ -~]|[;()]', ' ', _plain(words))}{after}\n"


def write_moves(moves: Moves, dialect: Dialect, says: Sequence[str] = ()) -> bytes:
    """A whole file. says: comments at its head."""
    m = len(moves.does)
    head = [dialect.comment(words) for words in says]
    size = f"sheet {format_number(moves.width)} x {format_number(moves.height)} mm"
    head += [dialect.comment(size), "G21\n", "G90\n", "G17\n", "M5\n"]
    if not m:
        return "".join([*head, "M2\n"]).encode("ascii", "replace")
    rows, arcs = moves.rows, moves.kinds == ARC
    turns = rows[:, 4] > 0  # with y upward a growing angle turns against the clock
    words = np.array(
        ["G0 X%.3f Y%.3f", "G1 X%.3f Y%.3f", "G3 X%.3f Y%.3f I%.4f J%.4f", "G2 X%.3f Y%.3f I%.4f J%.4f"], object
    )
    said = words[np.where(moves.does == TRAVEL, 0, np.where(~arcs, 1, np.where(turns, 2, 3)))]
    said = said + _changes(moves, dialect)
    standing = moves.pierces
    for k in np.nonzero((moves.wait > 0) & ~standing)[0].tolist():
        said[k] = f"G4 P{format_number(moves.wait[k], 3)}\n" + said[k]
    for k in np.nonzero(standing)[0].tolist():
        power, own = format_number(moves.power[k] * dialect.scale, 2), moves.tools[moves.tool[k]]
        speed = f" F{format_number(round(moves.speed[k] * 60, 1), 1)}"
        said[k] = f"M3 S{power}\nG4 P{format_number(moves.wait[k], 3)}\n{_down(own, speed)}" + said[k]
    begins = np.diff(moves.tool, prepend=-1) != 0  # a new tool begins with the beam off anyway
    moving = _moving(moves)
    for k in np.nonzero(moves.lets_go & ~begins)[0].tolist():
        own = moves.tools[moves.tool[k]]
        up, on = _up(own) if own.lift else "", "M4 S0\n" if moving[moves.tool[k]] else ""
        said[k] = f"M5\n{up}{on}" + said[k]
    for k, word in _pen_heights(moves):
        said[k] = word + said[k]
    for k in np.nonzero(begins)[0].tolist():
        said[k] = _tool_change(moves, k, dialect, bool(moving[moves.tool[k]])) + said[k]
    counts = np.where(arcs, 4, 2)
    ends = np.cumsum(counts)
    numbers = np.empty(int(ends[-1]))
    at = ends - counts
    numbers[at], numbers[at + 1] = rows[:, 6], rows[:, 7]
    rounded = np.round(rows[arcs, :2], DECIMALS)
    numbers[at[arcs] + 2], numbers[at[arcs] + 3] = (rows[arcs, 2:4] - rounded).T
    numbers += 0.0
    body = "\n".join(said.tolist()) % tuple(np.where(np.abs(numbers) < 5e-5, 0.0, numbers).tolist())
    off = [f"{dialect.air[1]}\n"] if any(one.air for one in moves.tools) else []
    return "".join([*head, body, "\nM5\n", *off, "M2\n"]).encode("ascii", "replace")


def _changes(moves: Moves, dialect: Dialect) -> NDArray[np.object_]:
    """The words for power and speed where they change. Travels have no power."""
    m = len(moves.does)
    power = np.round(moves.power * dialect.scale, 2)
    standing = moves.pierces
    first = np.diff(moves.tool, prepend=-1) != 0
    before = np.concatenate([[0.0], power[:-1]])
    before = np.where(first, 0.0, np.where(standing, power, before))
    told = np.full(m, "", object)
    changed = np.nonzero((power != before) & ~standing)[0]
    told[changed] = [f" S{format_number(v, 2)}" for v in power[changed].tolist()]
    feed = np.round(moves.speed * 60, 1)
    moving = np.nonzero(moves.does != TRAVEL)[0]
    last = np.concatenate([[-1.0], feed[moving][:-1]])
    anew = moving[(feed[moving] != last) | first[moving]]
    speeds = {v: f" F{format_number(v, 1)}" for v in np.unique(feed).tolist()}
    told[anew] = told[anew] + np.array([speeds[v] for v in feed[anew].tolist()], object)
    return told


def _moving(moves: Moves) -> NDArray[np.bool_]:
    """Of each tool, whether any of its burns begins without standing: those need a beam that follows the speed."""
    found = np.zeros(len(moves.tools), bool)
    before = np.concatenate([[TRAVEL], moves.does[:-1]])
    anew = (before != BURN) | (np.diff(moves.tool, prepend=-1) != 0)
    begun = (moves.does == BURN) & anew & ~moves.pierces & (moves.power > 0)
    found[moves.tool[begun]] = True
    return found


def _pen_heights(moves: Moves) -> list[tuple[int, str]]:
    """Words before moves at which a pen is lowered to draw or raised from what it drew."""
    pen = np.array([one.pen for one in moves.tools], bool)[moves.tool]
    draws = pen & (moves.does == BURN)
    first = np.diff(moves.tool, prepend=-1) != 0
    before = np.concatenate([[False], draws[:-1]]) & ~first
    found = []
    for k in np.nonzero((draws != before) & pen)[0].tolist():
        tool = moves.tools[moves.tool[k]]
        found.append(
            (k, _down(tool, f" F{format_number(round(moves.speed[k] * 60, 1), 1)}") if draws[k] else _up(tool))
        )
    return found


def _tool_change(moves: Moves, k: int, dialect: Dialect, moving: bool) -> str:
    own = moves.tools[moves.tool[k]]
    number = f", number {own.rank}" if own.rank > 1 else ""
    number += ", with a pen" if own.pen else ""
    air = f"{dialect.air[0] if own.air else dialect.air[1]}\n" if any(one.air for one in moves.tools) else ""
    said = f"M5\n{dialect.comment(f'process {own.process}{number}')}{air}"
    used = bool((moves.power[moves.tool == moves.tool[k]] > 0).any())
    return f"{said}{_up(own)}" + ("M4 S0\n" if moving else "S0\n" if used else "")


def _up(own: Named) -> str:
    """The head to where a tool begins."""
    return f"G0 Z{format_number(own.heights[0], 3)}\n" if own.heights else ""


def _down(own: Named, speed: str) -> str:
    """The head, the beam on, to where a tool runs."""
    return f"G1 Z{format_number(own.heights[1], 3)}{speed}\n" if own.heights and own.lift else ""


_PROCESS = re.compile(r"^process ([a-z-]+(?: [a-z-]+)*?)(?:, number (\d))?(, with a pen)?$")


def read_moves(content: bytes, dialect: Dialect) -> Moves:
    """What ``write_moves`` wrote. Raises UnreadableFile at the first line that is not of this grammar."""
    reader = _Reader(dialect)
    for number, line in enumerate(content.decode("ascii", "replace").splitlines(), 1):
        reader.take(line, number)
    return reader.moves()


class _Reader:
    """A machine's head as a file moves it, line by line, and the moves it made."""

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect
        self.before, self.after = COMMENTS[dialect.comments]
        self.size: tuple[float, float] | None = None
        self.tools: list[Named] = []
        self.x = self.y = self.speed = self.power = self.wait = 0.0
        self.z: float | None = None
        self.on = self.lifted = self.ended = False
        self.rows: list[list[float]] = []
        self.told: list[tuple[int, int, float, float, float, int]] = []
        """Of each move what it does, its kind, speed, power, wait before it and tool."""
        self.pierced: dict[int, set[float]] = {}
        self.ran: dict[int, set[float]] = {}
        self.glided: dict[int, set[float]] = {}
        """Heights that each tool pierces, runs and glides at."""

    def take(self, line: str, number: int) -> None:
        """One line of the file. Raises UnreadableFile."""
        if line.startswith(self.before.strip()):
            self._say(line[len(self.before) : len(line) - len(self.after)].strip())
            return
        parts = line.split()
        if not parts or self.ended:
            raise _unread(number)
        head = parts[0]
        try:
            values = {part[0]: float(part[1:]) for part in parts[1:]}
        except ValueError:
            raise _unread(number) from None
        if head in ("G0", "G1", "G2", "G3") and {"X", "Y"} <= values.keys() and self.tools:
            self._move(head, values, number)
        elif head in ("G0", "G1") and "Z" in values and self.tools:
            self._lift(head, values, number)
        elif head == "G4" and "P" in values:
            self.wait = values["P"]
            if self.burning and self.z is not None and self.lifted:
                self._at(self.pierced, self.z)
        elif head in ("M3", "M4"):
            self.on, self.power = True, values.get("S", self.power)
        elif head == "M5":
            self.on, self.power = False, 0.0
        elif head == "S0" and len(parts) == 1:
            self.power = 0.0
        elif head == "M2":
            self.ended = True
        elif self.dialect.air[0] and head == self.dialect.air[0]:
            self.tools[-1] = Named(self.tools[-1].process, self.tools[-1].rank, True)
        elif head not in ("G21", "G90", "G17", self.dialect.air[1]):
            raise _unread(number)

    @property
    def burning(self) -> bool:
        return self.on and self.power > 0

    def _say(self, words: str) -> None:
        """A comment: the sheet's size, or the process that follows."""
        found = re.fullmatch(r"sheet ([\d.]+) x ([\d.]+) mm", words)
        self.size = (float(found[1]), float(found[2])) if found else self.size
        own = _PROCESS.match(words)
        if own and self.size:
            self.tools.append(Named(own[1], int(own[2] or 1), pen=bool(own[3])))

    def _move(self, head: str, values: dict[str, float], number: int) -> None:
        self.power, self.speed = values.get("S", self.power), values.get("F", self.speed)
        draws = self.tools[-1].pen and self.z is not None and not self.lifted
        works, travels, bends = self.burning or draws, head == "G0", head in ("G2", "G3")
        if travels and works:
            raise _unread(number)
        end = values["X"], values["Y"]
        row = [self.x, self.y, 0.0, 0.0, 0.0, 0.0, *end]
        if bends:
            row[2:5] = _arc(self.x, self.y, end, values, head == "G3")
        self.rows.append(row)
        self.told.append((
            TRAVEL if travels else BURN if works else GLIDE, ARC if bends else LINE,
            0.0 if travels else self.speed / 60, self.power / self.dialect.scale if self.burning else 0.0, self.wait,
            len(self.tools) - 1,
        ))  # fmt: skip
        if self.z is not None and (works or not travels):
            self._at(self.ran if works else self.glided, self.z)
        (self.x, self.y), self.wait = end, 0.0

    def _lift(self, head: str, values: dict[str, float], number: int) -> None:
        if head == "G0" and self.burning:
            raise _unread(number)
        self.z, self.speed, self.lifted = values["Z"], values.get("F", self.speed), head == "G0"
        if self.tools[-1].pen and self.lifted:
            self._at(self.pierced, self.z)

    def _at(self, heights: dict[int, set[float]], z: float) -> None:
        heights.setdefault(len(self.tools) - 1, set()).add(z)

    def moves(self) -> Moves:
        """All of them. Raises UnreadableFile for a file that does not end, or tells no size."""
        if self.size is None or not self.ended:
            raise UnreadableFile("This is not a whole G-code file of known size.", "Make the files again.")
        does, kinds, speeds, powers, waits, tool = zip(*self.told, strict=True) if self.told else ((),) * 6
        heights = [
            _heights(self.pierced.get(k, set()), self.ran.get(k) or self.glided.get(k, set()))
            for k in range(len(self.tools))
        ]
        return Moves(
            *self.size, np.array(does, np.uint8), np.array(kinds, np.uint8), np.array(self.rows, float).reshape(-1, 8),
            np.array(speeds, float), np.array(powers, float), np.array(waits, float), np.array(tool, np.int64),
            tuple(replace(one, heights=own) for one, own in zip(self.tools, heights, strict=True)),
        )  # fmt: skip


def _arc(
    x: float, y: float, end: tuple[float, float], values: dict[str, float], against: bool
) -> tuple[float, float, float]:
    """Centre and sweep."""
    cx, cy = x + values.get("I", 0.0), y + values.get("J", 0.0)
    sweep = math.atan2(end[1] - cy, end[0] - cx) - math.atan2(y - cy, x - cx)
    sweep = sweep % (2 * math.pi) if against else -(-sweep % (2 * math.pi))
    return cx, cy, sweep


def _heights(pierced: set[float], ran: set[float]) -> tuple[float, float] | None:
    """Where a tool pierces and runs; as far apart as nothing is meant to be where it is not always the same."""
    if not ran:
        return None
    if len(ran) > 1 or len(pierced) > 1:
        return math.inf, -math.inf
    (own,) = ran
    return max(pierced, default=own), own


def _unread(number: int) -> UnreadableFile:
    return UnreadableFile(f"Line {number} of this G-code is not as it was written.", "Make the files again.")


def _plain(words: str) -> str:
    return words.translate(str.maketrans("“”‘’–—×", "\"\"''--x"))
