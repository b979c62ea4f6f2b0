"""Paths as operators and numbers, as SVG and PDF write them: many paths at once, in either direction."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nibble_core.errors import UnreadableFile
from nibble_core.geometry.segments import ARC, CUBIC, LINE, Counts, Kinds, Rows, arcs_as_cubics, arcs_split


@dataclass(frozen=True)
class Grammar:
    """How a format writes a path. Each word holds its numbers as ``%r``. arc: of radius (twice) and end, turning with
    falling and with rising angles; empty where the format knows none. after: operators follow their numbers."""

    move: str
    line: str
    cubic: str
    close: str
    arc: tuple[str, str] | tuple[()] = ()
    after: bool = False

    @property
    def operators(self) -> str:
        """The letters of move, line, cubic, close and arc."""
        words = (self.move, self.line, self.cubic, self.close, *self.arc[:1])
        return "".join(next(c for c in word.replace("%r", "") if c.isalpha()) for word in words)


SVG = Grammar("M%r %r", "L%r %r", "C%r %r %r %r %r %r", "Z", ("A%r %r 0 0 0 %r %r", "A%r %r 0 0 1 %r %r"))
PDF = Grammar("%r %r m\n", "%r %r l\n", "%r %r %r %r %r %r c\n", "h\n", after=True)

_SAME = 1e-9  # mm


def path_text(
    kinds: Kinds, rows: Rows, offsets: Counts, closed: NDArray[np.bool_], grammar: Grammar, decimals: int
) -> str:
    """Paths ``offsets[i]:offsets[i + 1]`` in a grammar, with the shortest numbers of at most ``decimals`` places. The
    last line of a closed path is what closing draws."""
    if (kinds == ARC).any():
        kinds, rows, parts = arcs_split(kinds, rows) if grammar.arc else arcs_as_cubics(kinds, rows)
        offsets = np.concatenate([[0], np.cumsum(parts)])[offsets]
    if not len(rows):
        return ""
    first, last = offsets[:-1], offsets[1:] - 1
    words = np.array([grammar.line, *(grammar.arc or ("", "")), grammar.cubic], object)
    of = np.where(kinds == CUBIC, 3, np.where(kinds == ARC, 1 + (rows[:, 4] > 0), 0))
    said = words[of]
    taken = np.array([2, 4, 4, 6])[of]
    drawn = last[closed & (kinds[last] == LINE) & (last > first)]
    said[drawn], taken[drawn] = "", 0
    said[first] = grammar.move + said[first]
    said[last[closed]] += grammar.close
    moves = np.zeros(len(rows), np.int64)
    moves[first] = 2
    at = np.cumsum(moves + taken) - taken  # where each segment's own numbers begin
    numbers = np.empty(int(at[-1] + taken[-1]))
    for column in (0, 1):
        numbers[at[first] - 2 + column] = rows[first, column]
    for count, columns in ((2, (6, 7)), (6, (2, 3, 4, 5, 6, 7))):
        some = (taken == count) & (kinds != ARC)
        for place, column in enumerate(columns):
            numbers[at[some] + place] = rows[some, column]
    arcs = (taken == 4) & (kinds == ARC)
    if arcs.any():
        radius = np.hypot(*(rows[arcs, :2] - rows[arcs, 2:4]).T)
        for place, values in enumerate((radius, radius, rows[arcs, 6], rows[arcs, 7])):
            numbers[at[arcs] + place] = values
    text = "".join(said.tolist()) % tuple((np.round(numbers, decimals) + 0.0).tolist())
    for follower in (" ", *(grammar.operators if not grammar.after else "")):
        text = text.replace(f".0{follower}", follower)
    return text.removesuffix(".0")


def read_path_text(text: bytes, grammar: Grammar) -> tuple[Kinds, Rows, Counts, NDArray[np.bool_]]:
    """What ``path_text`` wrote: kinds, rows, offsets and whether each path is closed. Raises UnreadableFile for what
    is not of this grammar, exponents and relative operators included."""
    letters = np.frombuffer(text, np.uint8)
    known = np.frombuffer(grammar.operators.encode(), np.uint8)
    is_operator = letters >= 65
    operators = letters[is_operator]
    which = np.argmax(operators[:, None] == known, 1) if len(operators) else np.empty(0, np.int64)
    if len(operators) and not (known[which] == operators).all():
        raise _unread()
    wants = np.array([2, 2, 6, 0, 7])[which]
    numbers = np.fromstring(re.sub(rb"[A-Za-z]", b" ", text), sep=" ") if text.strip() else np.empty(0)
    if len(numbers) != wants.sum() or not _in_turn(letters, is_operator, wants, grammar.after):
        raise _unread()
    if not len(operators):
        return np.empty(0, np.uint8), np.empty((0, 8)), np.zeros(1, np.int64), np.empty(0, bool)
    if which[0] != 0:
        raise _unread()
    ends_at = np.cumsum(wants)
    moves = np.nonzero(which == 0)[0]
    own = np.cumsum(which == 0) - 1  # the path of each operator
    ends = np.empty((len(which), 2))
    drawn = which != 3
    ends[drawn, 0], ends[drawn, 1] = numbers[ends_at[drawn] - 2], numbers[ends_at[drawn] - 1]
    ends[~drawn] = ends[moves[own[~drawn]]]
    starts = np.vstack([ends[:1], ends[:-1]])
    kept = which != 0
    kept &= (which != 3) | (np.abs(ends - starts).max(1) > _SAME)
    rows = np.zeros((len(which), 8))
    rows[:, :2], rows[:, 6:] = starts, ends
    cubics, arcs = which == 2, which == 4
    for column in range(4):
        rows[cubics, 2 + column] = numbers[ends_at[cubics] - 6 + column]
    if arcs.any():
        turns = np.where(numbers[ends_at[arcs] - 3] > 0, 1.0, -1.0)
        rows[arcs, 2:5] = _centred(starts[arcs], ends[arcs], numbers[ends_at[arcs] - 7], turns)
    kinds = np.array([LINE, LINE, CUBIC, LINE, ARC], np.uint8)[which]
    counts = np.bincount(own, kept, len(moves)).astype(np.int64)
    closed = np.zeros(len(moves), bool)
    closed[own[~drawn]] = True
    used = counts > 0
    offsets = np.concatenate([[0], np.cumsum(counts[used])]).astype(np.int64)
    return kinds[kept], rows[kept], offsets, closed[used]


def _in_turn(letters: NDArray[np.uint8], is_operator: NDArray[np.bool_], wants: Counts, after: bool) -> bool:
    """Whether as many numbers stand with each operator as it wants."""
    signs = (letters > 32) & ~is_operator
    begins = signs & ~np.concatenate([[False], signs[:-1]])
    before = np.cumsum(begins)[is_operator]  # numbers begun before each operator
    total = int(begins.sum())
    counts = np.diff(before, prepend=0) if after else np.diff(before, append=total)
    return bool(len(counts) == len(wants) and (counts == wants).all())


def _centred(
    start: NDArray[np.float64], end: NDArray[np.float64], radius: NDArray[np.float64], turn: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Centres and signed sweeps (n, 3) of arcs of less than half a turn, from their ends and radius."""
    chord = end - start
    half = np.hypot(*chord.T) / 2
    radius = np.maximum(radius, half)
    height = np.sqrt(np.maximum(radius**2 - half**2, 0.0))
    across = np.stack([-chord[:, 1], chord[:, 0]], 1) / np.maximum(2 * half, 1e-300)[:, None]
    centre = (start + end) / 2 + (turn * height)[:, None] * across
    sweep = 2 * np.arcsin(np.clip(half / np.maximum(radius, 1e-300), 0.0, 1.0)) * turn
    return np.column_stack([centre, sweep])


def _unread() -> UnreadableFile:
    return UnreadableFile("The paths of this file are not as they were written.", "Make the files again.")
