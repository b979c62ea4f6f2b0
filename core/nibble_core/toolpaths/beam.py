"""What a beam does on a sheet: paths in the order they are run, each with its tool, and every move of the head.

``BeamJob`` is what was decided; ``moves_of`` spells it out: travels with the beam off, glides at working speed with the
beam off (to gain and lose speed beyond a stroke), and burns.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Bundle
from nibble_core.geometry.segments import LINE
from nibble_core.graphics.moves import BURN, GLIDE, TRAVEL, Moves, Named

SAME = 1e-6  # mm
ALIGNED = 1e-9  # sine of the angle between strokes of one row


@dataclass(frozen=True)
class Beam:
    """How one process is made: a tool. power: share of all, 0 to 1. speed: mm a second. overscan: mm before and behind
    a stroke in which speed is gained and lost. pierce: seconds that the beam stands before it moves. air: assist on.
    focus: mm that the head is raised. rank: of lines within their process."""

    process: str
    power: float
    speed: float
    passes: int = 1
    overscan: float = 0.0
    pierce: float = 0.0
    air: bool = False
    focus: float = 0.0
    rank: int = 1


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

    def burnt(self, process: str) -> float:
        """mm burnt in a process, all passes."""
        mine = np.array([self.tools[t].process == process for t in self.tool], bool)
        passes = np.array([self.tools[t].passes for t in self.tool[mine]])
        return float((self.paths.lengths[mine] * passes).sum())


def moves_of(job: BeamJob, start: tuple[float, float] = (0.0, 0.0)) -> Moves:
    """Every move of a job, from where the head stands and back to there.

    Strokes that lie on one line behind each other, nearer than twice their overscan, are run in one sweep.
    """
    job = _with_passes(job)
    paths, n = job.paths, len(job.paths)
    named = tuple(Named(one.process, one.rank, one.air) for one in job.tools)
    if not n:
        none, whole, few = np.empty(0), np.empty(0, np.int64), np.empty(0, np.uint8)
        return Moves(job.width, job.height, few, few, np.empty((0, 8)), none, none, none, whole, named, whole)
    tool = job.tool
    over, speed, pierce, power = (
        np.array([getattr(one, name) for one in job.tools])[tool] for name in ("overscan", "speed", "pierce", "power")
    )
    first, last = paths.offsets[:-1], paths.offsets[1:] - 1
    begin, end = paths.rows[first, :2], paths.rows[last, 6:]
    straight = (first == last) & (paths.kinds[first] == LINE)
    over = np.where(straight, over, 0.0)
    way = end - begin
    way = way / np.maximum(np.hypot(*way.T), 1e-12)[:, None]
    sweeps = np.zeros(n, bool)  # whether a path goes on from the one before in one sweep
    gap = begin[1:] - end[:-1]
    off = np.abs(gap[:, 0] * way[1:, 1] - gap[:, 1] * way[1:, 0])
    ahead = (gap * way[1:]).sum(1)
    turn = np.abs(way[1:, 0] * way[:-1, 1] - way[1:, 1] * way[:-1, 0])
    forward = (way[1:] * way[:-1]).sum(1) > 0
    sweeps[1:] = (
        (over[1:] > 0) & (tool[1:] == tool[:-1]) & forward & (turn < ALIGNED * 1e3) & (off < SAME)
        & (ahead >= -SAME) & (ahead < 2 * over[1:])
    )  # fmt: skip
    goes_on = np.append(sweeps[1:], False)
    run_up = begin - way * over[:, None]
    run_out = end + way * over[:, None]
    stops = np.where((over > 0)[:, None], run_out, end)
    before = np.vstack([np.array(start)[None], np.where(goes_on[:-1, None], end[:-1], stops[:-1])])
    target = np.where((over > 0)[:, None], run_up, begin)
    travels = ~sweeps & (np.hypot(*(target - before).T) > SAME)
    glides = np.where(sweeps, np.hypot(*(begin - before).T) > SAME, over > 0)
    leaves = (over > 0) & ~goes_on
    segments = np.diff(paths.offsets)
    total = travels.astype(int) + glides + segments + leaves
    at = np.cumsum(total) - total
    m = int(total.sum())
    does = np.full(m, BURN, np.uint8)
    kinds, rows = np.full(m, LINE, np.uint8), np.zeros((m, 8))
    of = np.repeat(np.arange(n), total)
    inner = np.repeat(at + travels + glides - first, segments) + np.arange(paths.segments)
    kinds[inner], rows[inner] = paths.kinds, paths.rows
    for chosen, offset, what, starts, ends in (
        (travels, at, TRAVEL, before, target),
        (glides, at + travels, GLIDE, np.where(sweeps[:, None], before, target), begin),
        (leaves, at + total - 1, GLIDE, end, run_out),
    ):
        where = offset[chosen]
        does[where] = what
        rows[where, :2], rows[where, 6:] = starts[chosen], ends[chosen]
    speeds = np.where(does == TRAVEL, 0.0, speed[of])
    powers = np.where(does == BURN, (power * job.share)[of], 0.0)
    does[(does == BURN) & (powers <= 0)] = GLIDE  # a framing pass
    wait = np.zeros(m)
    wait[(at + travels + glides)] = np.where(over > 0, 0.0, pierce)
    home = np.zeros((1, 8))
    home[0, :2], home[0, 6:] = stops[-1], start
    of = np.append(of, n - 1)
    return Moves(
        job.width, job.height, np.append(does, np.uint8(TRAVEL)), np.append(kinds, np.uint8(LINE)),
        np.vstack([rows, home]), np.append(speeds, 0.0), np.append(powers, 0.0), np.append(wait, 0.0), tool[of],
        named, of,
    )  # fmt: skip


def _with_passes(job: BeamJob) -> BeamJob:
    """Each path as often as its tool passes: open ones to and fro, whole blocks of strokes again."""
    passes = np.array([one.passes for one in job.tools])[job.tool]
    if not len(passes) or (passes <= 1).all():
        return job
    order: list[NDArray[np.int64]] = []
    cuts = np.nonzero((np.diff(job.tool) != 0) | (np.diff(job.copy) != 0))[0] + 1
    for block in np.split(np.arange(len(job.tool)), cuts):
        count = int(passes[block[0]])
        each = job.tools[job.tool[block[0]]].overscan > 0 or len(block) == 1
        order.append(np.tile(block, count) if each else np.repeat(block, count))
    chosen = np.concatenate(order)
    return BeamJob(
        job.width,
        job.height,
        taken(job.paths, chosen),
        job.tool[chosen],
        job.copy[chosen],
        job.share[chosen],
        job.tools,
    )


def taken(paths: Bundle, chosen: NDArray[np.int64]) -> Bundle:
    """Some paths of a bundle, in a new order."""
    sizes = np.diff(paths.offsets)[chosen]
    offsets = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
    at = np.repeat(paths.offsets[:-1][chosen] - offsets[:-1], sizes) + np.arange(offsets[-1])
    return Bundle(paths.kinds[at], paths.rows[at], offsets, paths.closed[chosen])
