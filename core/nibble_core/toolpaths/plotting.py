"""Programs as a pen plotter runs them: straight stretches on its grid, begun away from corners, run on past their
start, and led so that a trailing knife's tip, not its holder, follows the lines."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from nibble_core.geometry import Affine, Bundle
from nibble_core.toolpaths.knife_kernels import begun_smoothly, holder_paths, spaced, steered
from nibble_core.toolpaths.program import Definition, Program

CHORDS = 0.004  # mm that a chord may lie off its curve


@dataclass(frozen=True)
class Knife:
    """offset: mm that the tip trails its holder; 0 for one that is steered. overcut: mm that a closed line runs on past
    its start. corner: degrees of turn from which the holder swivels round the tip. passes: how often a line is run."""

    offset: float = 0.0
    overcut: float = 0.0
    corner: float = 20.0
    passes: int = 1


def plotted(
    program: Program, knife_of: Callable[[Definition], Knife], *, height: float, unit: float
) -> list[tuple[Definition, Bundle]]:
    """Each run's lines on the sheet, in order: open polylines on a grid of ``unit`` mm whose origin is the sheet's
    lower left corner, ``height`` mm below its top."""
    every: list[tuple[Definition, tuple[np.ndarray, np.ndarray], Knife]] = []
    for run in program.runs:
        knife = knife_of(run.of)
        every += [(run.of, _lines(run.of.paths, run.places, knife), knife)] * knife.passes
    upward = np.array([1.0, -1.0]), np.array([0.0, height])
    held = []
    after = math.nan  # the way along which the next line of a trailing knife begins
    for _, lines, knife in reversed(every):
        if knife.offset > 0:
            first = lines[0][1] - lines[0][0]
            held.append(holder_paths(*lines, knife.offset, math.radians(knife.corner), after, CHORDS))
            after = math.atan2(first[1], first[0])
        else:
            held.append((lines[0], lines[0], np.zeros(len(lines[0]), bool), lines[1]))
    made = []
    facing = math.nan
    for (of, _, knife), (points, tips, fixed, begins) in zip(every, reversed(held), strict=True):
        points, tips = points * upward[0] + upward[1], tips * upward[0] + upward[1]
        kept, ends = spaced(points, begins, unit)
        if knife.offset > 0:
            snapped, ends, facing = steered(points[kept], tips[kept], fixed[kept], ends, knife.offset, unit, facing)
        else:
            snapped = np.rint(points[kept] / unit) * unit
        made.append((of, Bundle.polylines(snapped * upward[0] + upward[1], ends)))
    return made


def _lines(paths: Bundle, places: tuple[Affine, ...], knife: Knife) -> tuple[np.ndarray, np.ndarray]:
    """Points and begins of every line of every copy."""
    points, begins = paths.flattened(CHORDS)
    if paths.closed.any():
        some = [points[a:b] for a, b in zip(begins[:-1].tolist(), begins[1:].tolist(), strict=True)]
        some = [
            begun_smoothly(one, math.radians(knife.corner), knife.overcut) if closed else one
            for one, closed in zip(some, paths.closed.tolist(), strict=True)
        ]
        points = np.vstack(some)
        begins = np.cumsum([0, *map(len, some)])
    every = np.vstack([place.map(points) for place in places])
    sizes = np.tile(np.diff(begins), len(places))
    return every, np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
