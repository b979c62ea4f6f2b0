"""What a beam does on a sheet: paths in the order they are run, each with its tool, and every move of the head.

``BeamJob`` is what was decided; ``moves_of`` spells it out: travels with the beam off, glides at working speed with the
beam off (to gain and lose speed beyond a stroke), and burns.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import ARC, Bundle, Points
from nibble_core.geometry.segments import LINE
from nibble_core.graphics.moves import BURN, GLIDE, TRAVEL, Moves, Named

SAME = 1e-6  # mm
FLAT, SHORT = 0.0005, 0.006  # mm: the rise and the chord under which an arc is run as a line
ALIGNED = 1e-6  # sine of the angle between strokes of one row


@dataclass(frozen=True)
class Beam:
    """How one process is made: a tool. power: share of all, 0 to 1. speed: mm a second. overscan: mm before and behind
    a stroke in which speed is gained and lost. pierce: seconds that the beam stands before it moves. air: assist on.
    focus: mm that the head is raised. rank: of lines within their process. warm_up: seconds before it begins, and
    before each further pass over many paths. heights, pen: see ``Named``."""

    process: str
    power: float
    speed: float
    passes: int = 1
    overscan: float = 0.0
    pierce: float = 0.0
    air: bool = False
    focus: float = 0.0
    rank: int = 1
    warm_up: float = 0.0
    heights: tuple[float, float] | None = None
    pen: bool = False


@dataclass(frozen=True, eq=False)
class BeamJob:
    """Paths of lines and arcs on the sheet, in the order they are run, n. tool: of each, a number of ``tools``. copy:
    the placement each belongs to, -1 for the sheet's own. share: of its tool's power, 0 to 1."""

    width: float
    height: float
    paths: Bundle
    tool: NDArray[np.int64]
    copy: NDArray[np.int64]
    share: NDArray[np.float64]
    tools: tuple[Beam, ...]


def moves_of(job: BeamJob, start: tuple[float, float] = (0.0, 0.0)) -> Moves:
    """Every move of a job, from where the head stands and back to there.

    Strokes that lie on one line behind each other, nearer than twice their overscan, are run in one sweep.
    """
    job, anew = _with_passes(job)
    paths, n = job.paths, len(job.paths)
    named = tuple(Named(one.process, one.rank, one.air, one.heights, one.pen) for one in job.tools)
    if not n:
        none, whole, few = np.empty(0), np.empty(0, np.int64), np.empty(0, np.uint8)
        return Moves(job.width, job.height, few, few, np.empty((0, 8)), none, none, none, whole, named, whole)
    ends = _ends(job)
    travels, glides, leaves = _beam_off(job, ends, start)
    segments = np.diff(paths.offsets)
    total = travels.astype(int) + glides + segments + leaves
    at = np.cumsum(total) - total
    m = int(total.sum())
    does, kinds, rows = np.full(m, BURN, np.uint8), np.full(m, LINE, np.uint8), np.zeros((m, 8))
    of = np.repeat(np.arange(n), total)
    inner = np.repeat(at + travels + glides - paths.offsets[:-1], segments) + np.arange(paths.segments)
    kinds[inner], rows[inner] = paths.kinds, paths.rows
    before = np.vstack([np.array(start)[None], ends.stops[:-1]])
    for chosen, offset, what, starts, stops in (
        (travels, at, TRAVEL, before, ends.target),
        (glides, at + travels, GLIDE, np.where(ends.sweeps[:, None], before, ends.target), ends.begin),
        (leaves, at + total - 1, GLIDE, ends.end, ends.run_out),
    ):
        where = offset[chosen]
        does[where] = what
        rows[where, :2], rows[where, 6:] = starts[chosen], stops[chosen]
    speed, pierce, power, warm_up = (
        np.array([getattr(one, name) for one in job.tools])[job.tool]
        for name in ("speed", "pierce", "power", "warm_up")
    )
    powers = np.where(does == BURN, (power * job.share)[of], 0.0)
    draws = np.array([one.pen for one in job.tools])[job.tool[of]]
    does[(does == BURN) & (powers <= 0) & ~draws] = GLIDE  # a framing pass
    wait = np.zeros(m)
    wait[at + travels + glides] = np.where(ends.over > 0, 0.0, pierce)
    changes = travels & ((np.diff(job.tool, prepend=-1) != 0) | anew)
    wait[at[changes]] = warm_up[changes]
    home = np.zeros((1, 8))
    home[0, :2], home[0, 6:] = ends.stops[-1], start
    of = np.append(of, n - 1)
    return Moves(
        job.width, job.height, np.append(does, np.uint8(TRAVEL)), np.append(kinds, np.uint8(LINE)),
        np.vstack([rows, home]), np.append(np.where(does == TRAVEL, 0.0, speed[of[:-1]]), 0.0), np.append(powers, 0.0),
        np.append(wait, 0.0), job.tool[of], named, of,
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Ends:
    """Of each path, n: where it begins and ends, and where the head comes from and stops when it is run with its
    overscan. sweeps: whether it goes on from the one before without a stop."""

    begin: Points
    end: Points
    target: Points
    run_out: Points
    stops: Points
    over: NDArray[np.float64]
    sweeps: NDArray[np.bool_]


def _ends(job: BeamJob) -> _Ends:
    paths, tool = job.paths, job.tool
    first, last = paths.offsets[:-1], paths.offsets[1:] - 1
    begin, end = paths.rows[first, :2], paths.rows[last, 6:]
    straight = (first == last) & (paths.kinds[first] == LINE)
    over = np.where(straight, np.array([one.overscan for one in job.tools])[tool], 0.0)
    way = end - begin
    way = way / np.maximum(np.hypot(*way.T), 1e-12)[:, None]
    gap = begin[1:] - end[:-1]
    off = np.abs(gap[:, 0] * way[1:, 1] - gap[:, 1] * way[1:, 0])
    ahead = (gap * way[1:]).sum(1)
    turn = np.abs(way[1:, 0] * way[:-1, 1] - way[1:, 1] * way[:-1, 0])
    forward = (way[1:] * way[:-1]).sum(1) > 0
    sweeps = np.zeros(len(paths), bool)
    sweeps[1:] = (
        (over[1:] > 0) & (tool[1:] == tool[:-1]) & forward & (turn < ALIGNED) & (off < SAME)
        & (ahead >= -SAME) & (ahead < 2 * over[1:])
    )  # fmt: skip
    run_out = end + way * over[:, None]
    goes_on = np.append(sweeps[1:], False)
    stops = np.where((goes_on | (over <= 0))[:, None], end, run_out)
    target = np.where((over > 0)[:, None], begin - way * over[:, None], begin)
    return _Ends(begin, end, target, run_out, stops, over, sweeps)


def _beam_off(
    job: BeamJob, ends: _Ends, start: tuple[float, float]
) -> tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_]]:
    """Which paths are travelled to, which are glided into, and which are glided out of."""
    before = np.vstack([np.array(start)[None], ends.stops[:-1]])
    travels = ~ends.sweeps & (np.hypot(*(ends.target - before).T) > SAME)
    glides = np.where(ends.sweeps, np.hypot(*(ends.begin - before).T) > SAME, ends.over > 0)
    leaves = (ends.over > 0) & ~np.append(ends.sweeps[1:], False)
    return travels, glides, leaves


def _with_passes(job: BeamJob) -> tuple[BeamJob, NDArray[np.bool_]]:
    """Each path as often as its tool passes, from its start again; strokes of an area as a whole, and which of the
    paths begin such a pass."""
    passes = np.array([one.passes for one in job.tools])[job.tool]
    if not len(passes) or (passes <= 1).all():
        return job, np.zeros(len(passes), bool)
    order: list[NDArray[np.int64]] = []
    begins: list[NDArray[np.bool_]] = []
    cuts = np.nonzero((np.diff(job.tool) != 0) | (np.diff(job.copy) != 0))[0] + 1
    for block in np.split(np.arange(len(job.tool)), cuts):
        count = int(passes[block[0]])
        each = job.tools[job.tool[block[0]]].overscan > 0 or len(block) == 1
        order.append(np.tile(block, count) if each else np.repeat(block, count))
        begins.append(np.arange(len(block) * count) % len(block) == 0 if each else np.zeros(len(block) * count, bool))
    chosen = np.concatenate(order)
    repeated = BeamJob(
        job.width, job.height, taken(job.paths, chosen), job.tool[chosen], job.copy[chosen], job.share[chosen],
        job.tools,
    )  # fmt: skip
    return repeated, np.concatenate(begins)


def with_real_arcs(paths: Bundle) -> Bundle:
    """Lines and arcs, those arcs straight that rounding to a thousandth could turn round: a machine runs a whole circle
    where an arc ends where it began."""
    spoke = paths.rows[:, :2] - paths.rows[:, 2:4]
    rise = np.hypot(*spoke.T) * (1 - np.cos(np.clip(np.abs(paths.rows[:, 4]) / 2, 0, np.pi)))
    chord = np.hypot(*(paths.rows[:, 6:] - paths.rows[:, :2]).T)
    flat = (paths.kinds == ARC) & ((rise < FLAT) | (chord < SHORT))
    if not flat.any():
        return paths
    rows = paths.rows.copy()
    rows[flat, 2:6] = 0.0
    return Bundle(np.where(flat, LINE, paths.kinds).astype(np.uint8), rows, paths.offsets, paths.closed)


def taken(paths: Bundle, chosen: NDArray[np.int64]) -> Bundle:
    """Some paths of a bundle, in a new order."""
    sizes = np.diff(paths.offsets)[chosen]
    offsets = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
    at = np.repeat(paths.offsets[:-1][chosen] - offsets[:-1], sizes) + np.arange(offsets[-1])
    return Bundle(paths.kinds[at], paths.rows[at], offsets, paths.closed[chosen])
