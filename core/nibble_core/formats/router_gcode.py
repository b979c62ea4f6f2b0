"""G-code (ISO 6983) for routers: moves in space, millimetres, one cutter after another.

``T… M6`` calls for a cutter, ``S… M3`` turns it, ``M5`` stops it; ``G0`` travels, ``G1`` cuts at ``F`` mm a minute,
``G2`` and ``G3`` along an arc or a helix about the centre that ``I`` and ``J`` tell from where it begins. x goes to the
right, y away from the operator, z up. What the file is of, and what each cutter does, stands in comments.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nibble_core.errors import UnreadableFile
from nibble_core.formats.gcode import Dialect
from nibble_core.geometry.helices import helices
from nibble_core.geometry.units import format_number
from nibble_core.graphics.routing import Mounted, RouterMoves

SPIN_UP = 3.0  # seconds that a spindle gets to come up to its speed


def write_route(moves: RouterMoves, dialect: Dialect, says: Sequence[str] = (), *, safe: float) -> bytes:
    """A whole file, of moves in the machine's axes. says: comments at its head. safe: height, as the machine counts, to
    which the cutter goes before anything else."""
    size = f"board {format_number(moves.width)} x {format_number(moves.height)} mm"
    out = [dialect.comment(words) for words in (*says, size)]
    out += ["G21\n", "G90\n", "G17\n", "M5\n"]
    tool, feed, before = -1, -1.0, -1
    ends, arcs = _with_arcs(moves)
    places = np.round(moves.xyz, 3) + 0.0
    for k, (cx, cy, sweep) in zip(ends.tolist(), arcs.tolist(), strict=True):
        if moves.tool[k] != tool:
            tool, feed = int(moves.tool[k]), -1.0
            out.append(_changed(moves.tools[tool], dialect, safe, first=not k))
        own = float(moves.feed[k])
        word = "" if moves.rapid[k] or own == feed else f" F{format_number(own * 60, 1)}"
        feed = feed if moves.rapid[k] else own
        x, y, z = places[k].tolist()
        does, round_what = "G0" if moves.rapid[k] else "G1", ""
        if sweep:
            i, j = (np.round(np.array([cx, cy]) - places[before, :2], 3) + 0.0).tolist()
            does, round_what = "G3" if sweep > 0 else "G2", f" I{i:.3f} J{j:.3f}"
        out.append(f"{does} X{x:.3f} Y{y:.3f} Z{z:.3f}{round_what}{word}\n")
        before = k
    out += [f"G0 Z{format_number(safe, 3)}\n", "M5\n", "M2\n"]
    return "".join(out).encode("ascii", "replace")


def _with_arcs(moves: RouterMoves) -> tuple[np.ndarray, np.ndarray]:
    """Numbers of the moves at which those of a file end, and of each the centre and sweep of its arc; see
    ``helices``."""
    if len(moves) < 2:
        return np.arange(len(moves)), np.zeros((len(moves), 3))
    cuts = ~moves.rapid
    joins = cuts[1:] & cuts[:-1] & (moves.feed[1:] == moves.feed[:-1]) & (moves.tool[1:] == moves.tool[:-1])
    ends, arcs = helices(moves.xyz, np.concatenate([[False], joins[1:]]))  # the first move has no place before it
    return np.concatenate([[0], ends]), np.vstack([np.zeros(3), arcs])


def write_trial(ring: np.ndarray, feed: float, dialect: Dialect, says: Sequence[str], *, safe: float) -> bytes:
    """Once along a ring, (n, 2) in the machine's axes, at the safe height, at ``feed`` mm a second: no cutter is called
    for, none is turned."""
    out = [dialect.comment(words) for words in says]
    out += ["G21\n", "G90\n", "G17\n", "M5\n", f"G0 Z{format_number(safe, 3)}\n"]
    for k, (x, y) in enumerate((np.round(np.vstack([ring, ring[:1]]), 3) + 0.0).tolist()):
        out.append(f"G1 X{x:.3f} Y{y:.3f} F{format_number(feed * 60, 1)}\n" if k else f"G0 X{x:.3f} Y{y:.3f}\n")
    return "".join([*out, "M2\n"]).encode("ascii", "replace")


def read_trial(content: bytes) -> tuple[np.ndarray, float]:
    """The places of a trial's ring, (n, 2), and its height. Raises UnreadableFile for a file that turns or changes a
    cutter, or moves up and down on its way."""
    lines = [re.sub(r"\(.*?\)|;.*", "", raw).strip() for raw in content.decode("ascii", "replace").splitlines()]
    words = [{letter: float(value) for letter, value in _WORD.findall(line)} for line in lines if line]
    heights = [one["Z"] for one in words if "Z" in one]
    if any(one.get("M") in (3, 4, 6) or {"S", "T"} & one.keys() for one in words) or len(heights) != 1:
        raise UnreadableFile("This G-code is no trial.", "Make it again.")
    return np.array([[one["X"], one["Y"]] for one in words if "X" in one][:-1]), heights[0]


def _changed(tool: Mounted, dialect: Dialect, safe: float, *, first: bool) -> str:
    """The words that put a cutter in; before them the one that was there is raised and stopped."""
    up = f"G0 Z{format_number(safe, 3)}\n"
    by_hand = f"with the {tool.name} put in, its height set anew"
    called = dialect.comment(f"cutter {tool.number}: {tool.name}" if tool.number else by_hand)
    stop = "" if first else "M5\n"
    call = f"T{tool.number} M6\n" if tool.number else ""
    return f"{up}{stop}{called}{call}S{tool.spindle} M3\nG4 P{format_number(SPIN_UP, 1)}\n"


_WORD = re.compile(r"([A-Z])(-?\d+(?:\.\d+)?)")


@dataclass(frozen=True, eq=False)
class ReadRoute:
    """Of each move that ``write_route`` wrote its end (m, 3), whether it is a travel, its feed, mm a second, its
    cutter, 0 of one that was put in by hand, and the centre of its arc from where it begins and which way it goes, 1
    against the clock, 0 of straight ones, (m, 3). Moves that raise a cutter for a change are left out."""

    ends: np.ndarray
    rapid: np.ndarray
    feed: np.ndarray
    tool: np.ndarray
    arcs: np.ndarray


def read_route(content: bytes) -> ReadRoute:
    """Raises UnreadableFile at the first line that is not of this grammar."""
    ends, rapid, feeds, tools, arcs = [], [], [], [], []
    feed, tool, turning, ended = 0.0, 0, False, False
    for number, raw in enumerate(content.decode("ascii", "replace").splitlines(), 1):
        line = re.sub(r"\(.*?\)|;.*", "", raw).strip()
        if not line:
            continue
        words = _WORD.findall(line)
        if ended or re.sub(_WORD, "", line).strip():
            raise UnreadableFile(f"Line {number} of this G-code is not as it was written.", "Make the files again.")
        values = {letter: float(value) for letter, value in words}
        if not values.keys() <= set("GMXYZIJFSTP"):
            raise UnreadableFile(f"Line {number} of this G-code is not as it was written.", "Make the files again.")
        if "M" in values:
            turning = {3: True, 5: False, 6: False}.get(int(values["M"]), turning)
            tool = int(values.get("T", tool))
            ended = values["M"] == 2
            continue
        does = values.get("G")
        if does not in (0.0, 1.0, 2.0, 3.0) or "X" not in values:  # no move, or the raising before a change
            continue
        feed = values.get("F", feed)
        round_what = {"I", "J"} & values.keys()
        if not turning or not {"Y", "Z"} <= values.keys() or len(round_what) != (2 if does > 1 else 0):
            raise UnreadableFile(f"Line {number} of this G-code is not as it was written.", "Make the files again.")
        ends.append([values["X"], values["Y"], values["Z"]])
        rapid.append(does == 0)
        feeds.append(0.0 if does == 0 else feed / 60)
        tools.append(tool)
        arcs.append([values.get("I", 0.0), values.get("J", 0.0), {2.0: -1.0, 3.0: 1.0}.get(does, 0.0)])
    if not ended:
        raise UnreadableFile("This G-code has no end.", "Make the files again.")
    return ReadRoute(
        np.array(ends, float).reshape(-1, 3), np.array(rapid, bool), np.array(feeds, float), np.array(tools, int),
        np.array(arcs, float).reshape(-1, 3),
    )  # fmt: skip
