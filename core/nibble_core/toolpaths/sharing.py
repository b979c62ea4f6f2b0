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
    """A program whose cuts follow each straight stretch that copies have in common once.

    Runs of one process and rank are taken together, so that different pieces share as well. Where all of them are
    straight, they become lines right through; where there are curves, the first copy keeps its outline whole and the
    others leave out what it has cut. What has no side in common with another is left as it is.
    """
    groups: dict[tuple[str, int], list[Run]] = {}
    for run in program.runs:
        if parts(run.of.process):
            groups.setdefault((run.of.process, run.of.rank), []).append(run)
    instead: dict[Run, list[Run]] = {}
    for runs in groups.values():
        straight = all(bool((run.of.paths.kinds == LINE).all()) for run in runs)
        instead |= _ruled(runs) if straight else _left_out(runs)
    return Program(tuple(made for run in program.runs for made in instead.get(run, [run])))


def _ruled(runs: list[Run]) -> dict[Run, list[Run]]:
    """Straight runs as lines right through, in place of the first; nothing where that saves nothing."""
    sides = np.concatenate([_sides(run) for run in runs])
    lines = merged(sides)
    saved = np.hypot(*(sides[:, 2:] - sides[:, :2]).T).sum() - np.hypot(*(lines[:, 2:] - lines[:, :2]).T).sum()
    if saved <= LEAST_SAVED:
        return {}
    paths = Bundle.of([Path.polygon([line[:2], line[2:]], closed=False) for line in lines])
    return {run: [] for run in runs} | {runs[0]: [Run(replace(runs[0].of, paths=paths, rings=None), (Affine(),))]}


def _left_out(runs: list[Run]) -> dict[Run, list[Run]]:
    """Runs with curves, without what an earlier copy cuts: copies that lose nothing stay as they are placed, the others
    become paths of their own. Nothing where no copy loses anything."""
    every = [(run, place, run.of.paths.mapped(place)) for run in runs for place in run.places]
    kinds = np.concatenate([paths.kinds for _, _, paths in every])
    sides = np.concatenate([paths.rows[:, [0, 1, 6, 7]] for _, _, paths in every])
    left = _uncovered(sides, np.nonzero(kinds == LINE)[0])
    if not left:
        return {}
    made: dict[Run, list[Run]] = {}
    first = 0
    for run in runs:
        kept, cut = [], []
        for number, place in enumerate(run.places):
            paths = run.of.paths.mapped(place)
            own = {k - first: spans for k, spans in left.items() if first <= k < first + paths.segments}
            first += paths.segments
            if own:
                cut += [part for n, path in enumerate(paths) for part in _without(path, int(paths.offsets[n]), own)]
            else:
                kept.append(number)
        if len(kept) < len(run.places):
            copies = tuple(run.copies[number] for number in kept) if run.copies else ()
            made[run] = [Run(run.of, tuple(run.places[number] for number in kept), copies)] if kept else []
            made[run] += [Run(replace(run.of, paths=Bundle.of(cut), rings=None), (Affine(),))] if cut else []
    return made


def _uncovered(sides: NDArray[np.float64], straight: NDArray[np.int64]) -> dict[int, list[tuple[float, float]]]:
    """Of each straight side that lies on an earlier one, what does not, as shares of it from its start. sides: (n, 4);
    straight: the numbers of those that count, in their order."""
    along = sides[straight, 2:] - sides[straight, :2]
    long = np.hypot(*along.T)
    straight, along, long = (some[long > SAME_LINE] for some in (straight, along, long))
    turns = np.arctan2(along[:, 1], along[:, 0]) % np.pi
    turns = np.where(turns > np.pi - SAME_TURN, turns - np.pi, turns)
    found: dict[int, list[tuple[float, float]]] = {}
    for alike in _alike(turns, SAME_TURN):
        turn = float(np.median(turns[alike]))
        way, across = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
        starts, ends = sides[straight[alike], :2], sides[straight[alike], 2:]
        for beside in _alike((starts @ across + ends @ across) / 2, SAME_LINE):
            spans = np.stack([starts[beside] @ way, ends[beside] @ way], 1)
            if len(beside) < 2 or _apart(np.sort(spans, 1)):
                continue
            numbers = straight[alike[beside]]
            covered: list[tuple[float, float]] = []
            for k in np.argsort(numbers, kind="stable").tolist():
                (begin, end), low, high = spans[k], float(spans[k].min()), float(spans[k].max())
                rest = _outside((low, high), covered)
                covered = _joined(np.array([*covered, (low, high)]))
                if sum(b - a for a, b in rest) < high - low - LEAST_SAVED:
                    shares = sorted(sorted(((a - begin) / (end - begin), (b - begin) / (end - begin))) for a, b in rest)
                    found[int(numbers[k])] = [(a, b) for a, b in shares if (b - a) * (high - low) > LEAST_SAVED]
    return found


def _apart(spans: NDArray[np.float64]) -> bool:
    """Whether no two of some stretches of one line overlap by more than counts."""
    spans = spans[np.argsort(spans[:, 0], kind="stable")]
    return bool((np.maximum.accumulate(spans[:-1, 1]) - spans[1:, 0] <= LEAST_SAVED).all())


def _outside(span: tuple[float, float], covered: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """What of a stretch lies in none of some others, which are in order and apart."""
    low, high = span
    found = []
    for a, b in covered:
        if b <= low or a >= high:
            continue
        if a > low:
            found.append((low, a))
        low = max(low, b)
    return [*found, (low, high)] if low < high else found


def _without(path: Path, first: int, left: dict[int, list[tuple[float, float]]]) -> list[Path]:
    """A path as the parts that are left of it. left: by the number of a segment, ``first`` being the path's own first,
    what stays of it, as shares."""
    if not any(first <= k < first + len(path) for k in left):
        return [path]
    chains: list[list[tuple[int, NDArray[np.float64]]]] = [[]]
    for n, (kind, row) in enumerate(zip(path.kinds.tolist(), path.rows, strict=True)):
        spans = left.get(first + n)
        if spans is None:
            chains[-1].append((kind, row))
            continue
        for a, b in spans:
            start, end = row[:2] + a * (row[6:] - row[:2]), row[:2] + b * (row[6:] - row[:2])
            if a > 1e-9:
                chains.append([])
            chains[-1].append((LINE, np.array([*start, 0.0, 0.0, 0.0, 0.0, *end])))
        if not spans or spans[-1][1] < 1 - 1e-9:
            chains.append([])
    if path.closed and len(chains) > 1:  # what begins at the path's first node goes on from its last
        chains[0] = chains.pop() + chains[0]
    return [
        Path(np.array([kind for kind, _ in chain], np.uint8), np.array([row for _, row in chain]), closed=False)
        for chain in chains
        if chain
    ]


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
