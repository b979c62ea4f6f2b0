"""How long a job takes: a head that cannot turn a corner or change its speed at once.

Between moves the velocity may change at once by at most ``jump`` mm a second, so that a turn by an angle t is taken
no faster than jump / (2 sin(t / 2)); along a move speed changes by ``acceleration``; an arc of radius r is run no
faster than the root of acceleration times r. Speeds are planned over all moves, back and forth.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import ARC
from nibble_core.graphics.moves import BURN, Moves
from nibble_core.toolpaths.motion_kernels import planned


@dataclass(frozen=True)
class Drive:
    """What moves the head. acceleration: mm a second squared. fastest: mm a second of a travel. jump: mm a second."""

    acceleration: float = 3000.0
    fastest: float = 500.0
    jump: float = 10.0


@dataclass(frozen=True, eq=False)
class Timed:
    """begins: seconds at which each move begins, its wait first, (m,), and the end of the last, (m + 1,) in all. enter:
    mm a second at the start of each and at the end of the last. cruise: the most that each reaches."""

    begins: NDArray[np.float64]
    enter: NDArray[np.float64]
    cruise: NDArray[np.float64]

    @property
    def seconds(self) -> float:
        return float(self.begins[-1])


def timed(moves: Moves, drive: Drive) -> Timed:
    """When each move is made."""
    lengths = moves.lengths
    wanted = np.where(moves.speed > 0, np.minimum(moves.speed, drive.fastest), drive.fastest)
    arcs = moves.kinds == ARC
    radius = np.hypot(*(moves.rows[arcs, :2] - moves.rows[arcs, 2:4]).T)
    wanted[arcs] = np.minimum(wanted[arcs], np.sqrt(drive.acceleration * radius))
    enter = planned(lengths, wanted, _corners(moves, drive.jump), moves.wait > 0, drive.acceleration)
    first, last = enter[:-1], enter[1:]
    peak = np.sqrt((2 * drive.acceleration * lengths + first**2 + last**2) / 2)
    cruise = np.minimum(wanted, peak)
    ramps = (2 * cruise**2 - first**2 - last**2) / (2 * drive.acceleration)
    steady = np.maximum(lengths - ramps, 0.0) / np.maximum(cruise, 1e-9)
    each = (2 * cruise - first - last) / drive.acceleration + steady + moves.wait + _lifts(moves, drive)
    return Timed(np.concatenate([[0.0], np.cumsum(each)]), enter, cruise)


def seconds_in_space(
    starts: NDArray[np.float64], ends: NDArray[np.float64], feed: NDArray[np.float64], drive: Drive
) -> NDArray[np.float64]:
    """What straight moves in space take, (m,), starts and ends (m, 3), one after another without a stop. feed: mm a
    second, 0 for as fast as it goes."""
    way = ends - starts
    lengths = np.sqrt((way**2).sum(1))
    wanted = np.where(feed > 0, np.minimum(feed, drive.fastest), drive.fastest)
    unit = way / np.maximum(lengths, 1e-12)[:, None]
    most = np.full(len(lengths), math.inf)
    along = np.clip((unit[:-1] * unit[1:]).sum(1), -1.0, 1.0)
    most[1:] = drive.jump / np.maximum(2 * np.sqrt((1 - along) / 2), 1e-9)
    enter = planned(lengths, wanted, most, np.zeros(len(lengths), bool), drive.acceleration)
    first, last = enter[:-1], enter[1:]
    peak = np.sqrt((2 * drive.acceleration * lengths + first**2 + last**2) / 2)
    cruise = np.minimum(wanted, peak)
    ramps = (2 * cruise**2 - first**2 - last**2) / (2 * drive.acceleration)
    steady = np.maximum(lengths - ramps, 0.0) / np.maximum(cruise, 1e-9)
    return np.asarray((2 * cruise - first - last) / drive.acceleration + steady)


def _lifts(moves: Moves, drive: Drive) -> NDArray[np.float64]:
    """Seconds that the head takes down behind a pierce, at working speed, and up before the travel behind its path."""
    lift = np.array([one.lift for one in moves.tools])[moves.tool]
    down = np.where(moves.pierces, lift / np.maximum(moves.speed, 1e-9), 0.0)
    begins = np.diff(moves.tool, prepend=-1) != 0
    return np.asarray(down + np.where(moves.lets_go & ~begins, lift / drive.fastest, 0.0))


def seconds_by_tool(moves: Moves, when: Timed) -> NDArray[np.float64]:
    """What each tool takes, the ways to its paths and its waits included, (tools,)."""
    return np.asarray(np.bincount(moves.tool, np.diff(when.begins), minlength=len(moves.tools)), np.float64)


def travelled(moves: Moves) -> float:
    """mm with the beam off."""
    return float(moves.lengths[moves.does != BURN].sum())


def _corners(moves: Moves, jump: float) -> NDArray[np.float64]:
    """The most where each move begins, mm a second, for the turn from the one before."""
    out, into = _directions(moves, 1.0), _directions(moves, 0.0)
    along = np.clip((out[:-1] * into[1:]).sum(1), -1.0, 1.0)
    half = np.sqrt((1 - along) / 2)  # the sine of half the turn
    most = np.full(len(moves), math.inf)
    most[1:] = jump / np.maximum(2 * half, 1e-9)
    return most


def _directions(moves: Moves, at: float) -> NDArray[np.float64]:
    """Unit directions at the starts (0) or ends (1) of moves."""
    rows = moves.rows
    chord = rows[:, 6:] - rows[:, :2]
    arcs = moves.kinds == ARC
    spoke = (rows[:, 6:] if at else rows[:, :2])[arcs] - rows[arcs, 2:4]
    chord[arcs] = np.stack([-spoke[:, 1], spoke[:, 0]], 1) * np.sign(rows[arcs, 4])[:, None]
    return np.asarray(chord / np.maximum(np.hypot(*chord.T), 1e-12)[:, None])
