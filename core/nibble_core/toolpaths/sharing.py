"""Lines that two copies have in common are cut once: straight sides that lie on each other become one line."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import LINE, Affine, Bundle, Path
from nibble_core.processes import parts
from nibble_core.toolpaths.program import Program, Run

SAME_TURN = 1e-4  # radians that two sides on one line may differ by
SAME_LINE = 0.005  # mm that they may lie beside each other, and apart along it
LEAST_SAVED = 0.01  # mm; less than that is no side in common


def shared(program: Program) -> Program:
    """A program whose cuts with straight sides only follow each side once, as lines right through where they go on.

    Runs of one process and rank are taken together, so that different pieces share as well. What has curves, or no
    side in common with another, is left as it is.
    """
    groups: dict[tuple[str, int], list[Run]] = {}
    for run in program.runs:
        if parts(run.of.process) and bool((run.of.paths.kinds == LINE).all()):
            groups.setdefault((run.of.process, run.of.rank), []).append(run)
    instead: dict[int, Run | None] = {}
    for runs in groups.values():
        sides = np.concatenate([_sides(run) for run in runs])
        lines = merged(sides)
        saved = np.hypot(*(sides[:, 2:] - sides[:, :2]).T).sum() - np.hypot(*(lines[:, 2:] - lines[:, :2]).T).sum()
        if saved > LEAST_SAVED:
            paths = Bundle.of([Path.polygon([line[:2], line[2:]], closed=False) for line in lines])
            instead |= {id(run): None for run in runs}
            instead[id(runs[0])] = Run(replace(runs[0].of, paths=paths), (Affine(),))
    found = (instead.get(id(run), run) for run in program.runs)
    return Program(tuple(run for run in found if run is not None))


def merged(sides: NDArray[np.float64]) -> NDArray[np.float64]:
    """Segments (n, 4) without what lies on each other, as few and as long as they can be: from one end to the other."""
    along = sides[:, 2:] - sides[:, :2]
    sides, along = sides[np.hypot(*along.T) > SAME_LINE], along[np.hypot(*along.T) > SAME_LINE]
    turns = np.arctan2(along[:, 1], along[:, 0]) % np.pi
    turns = np.where(turns > np.pi - SAME_TURN, turns - np.pi, turns)
    lines = []
    for own in _alike(turns, SAME_TURN):
        turn = float(np.median(turns[own]))
        way, across = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
        starts, ends = sides[own, :2], sides[own, 2:]
        offsets = (starts @ across + ends @ across) / 2
        for beside in _alike(offsets, SAME_LINE):
            spans = np.sort(np.stack([starts[beside] @ way, ends[beside] @ way], 1), 1)
            base = float(np.median(offsets[beside])) * across
            lines += [np.concatenate([base + low * way, base + high * way]) for low, high in _joined(spans)]
    return np.array(lines).reshape(-1, 4)


def _sides(run: Run) -> NDArray[np.float64]:
    """Every straight segment of every copy, (n, 4)."""
    ends = run.of.paths.rows[:, [0, 1, 6, 7]]
    return np.concatenate([place.map(ends.reshape(-1, 2)).reshape(-1, 4) for place in run.places])


def _alike(values: NDArray[np.float64], within: float) -> list[NDArray[np.int64]]:
    """Indices of values in groups, where each has another one of its group within a distance."""
    order = np.argsort(values, kind="stable")
    cuts = np.nonzero(np.diff(values[order]) > within)[0] + 1
    return np.split(order, cuts) if len(order) else []


def _joined(spans: NDArray[np.float64]) -> list[tuple[float, float]]:
    found: list[tuple[float, float]] = []
    for low, high in spans[np.argsort(spans[:, 0], kind="stable")].tolist():
        if found and low <= found[-1][1] + SAME_LINE:
            found[-1] = found[-1][0], max(found[-1][1], high)
        else:
            found.append((low, high))
    return found
