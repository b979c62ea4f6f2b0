"""From definitions and placements to a ``BeamJob``: the order of a beam, with what must come before what.

Engraving comes before scoring before cutting, and a line that lies in another before it, so that nothing is burnt on
what has dropped, be the other whole or parted by ties, or of another line. Within these rules the head travels little.
Copies are taken process by process, one after another, or region by region.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry import Bundle, Points
from nibble_core.geometry.arcing import arced
from nibble_core.processes import PROCESSES
from nibble_core.sheet import LaidSheet
from nibble_core.toolpaths.beam import Beam, BeamJob, taken, with_real_arcs
from nibble_core.toolpaths.grain import in_sweeps
from nibble_core.toolpaths.ordering import Items, shortest
from nibble_core.toolpaths.program import Definition, Program

REGION = 150.0  # mm, side of a square
MOST_STARTS = 64  # places looked at round a closed path


@dataclass(frozen=True, eq=False)
class _Unit:
    """One definition on one copy. first: its first path among all."""

    of: Definition
    copy: int
    paths: Bundle
    first: int
    tool: int


def planned_job(
    laid: LaidSheet,
    program: Program,
    tool_of: Callable[[Definition], Beam],
    *,
    grouping: str = "process by process",
    start: tuple[float, float] = (0.0, 0.0),
    sweeping: bool = False,
) -> BeamJob:
    """A program on its sheet as a beam runs it. sweeping: hatched copies beside each other in rows that run over all of
    them, where they are made process by process."""
    plain = {run.of: with_real_arcs(arced(run.of.paths)) for run in program.runs}
    tools: list[Beam] = []
    units: list[_Unit] = []
    first = 0
    for run in program.runs:
        tool = tool_of(run.of)
        if tool not in tools:
            tools.append(tool)
        for place, copy in zip(run.places, run.copies or [-1] * len(run.places), strict=True):
            own = plain[run.of].mapped(place)
            units.append(_Unit(run.of, copy, own, first, tools.index(tool)))
            first += len(own)
    if sweeping and grouping == "process by process":
        units = _swept(units)
    whole = Bundle.joined([unit.paths for unit in units])
    parents = _parents(units, first)
    head = start
    order: list[NDArray[np.int64]] = []
    rolls, flips = np.zeros(first, np.int64), np.zeros(first, bool)
    for group in _groups(units, laid, grouping):
        for phase in _phases(group, parents):
            items, members, free = _items(phase, parents)
            found = shortest(items, head)
            for k in found.order.tolist():
                order.append(members[k])
            rolls[free >= 0] = found.chosen[free[free >= 0]]
            flips[free >= 0] = found.flipped[free[free >= 0]]
            last = int(found.order[-1])
            head = _end(items, found.chosen, found.flipped, last)
    chosen = np.concatenate(order) if order else np.empty(0, np.int64)
    sizes = [len(unit.paths) for unit in units]
    return BeamJob(
        laid.width, laid.height, _turned(taken(whole, chosen), rolls[chosen], flips[chosen]),
        np.repeat([unit.tool for unit in units], sizes).astype(np.int64)[chosen],
        np.repeat([unit.copy for unit in units], sizes).astype(np.int64)[chosen],
        np.concatenate([_shares(unit.of) for unit in units] or [np.empty(0)])[chosen], tuple(tools),
    )  # fmt: skip


def sweepable(program: Program) -> bool:
    """Whether any engraving lies on several copies in hatches of which rows may run on from one to the next."""
    return any(run.of.hatch is not None and len(run.places) > 1 for run in program.runs)


def _swept(units: Sequence[_Unit]) -> list[_Unit]:
    """Hatched units of one tool and line that lie beside each other as one, which is no copy's own."""
    alike: dict[tuple[int, str, int], list[_Unit]] = {}
    made: list[_Unit] = []
    for unit in units:
        if unit.of.hatch is None:
            made.append(unit)
        else:
            alike.setdefault((unit.tool, unit.of.id, unit.of.rank), []).append(unit)
    for some in alike.values():
        for numbers, strokes in in_sweeps([(unit.of.hatch, unit.paths) for unit in some if unit.of.hatch is not None]):
            one = some[numbers[0]]
            if len(numbers) > 1:
                one = replace(one, of=replace(one.of, paths=strokes), copy=-1, paths=strokes)
            made.append(one)
    first = 0
    numbered = []
    for unit in made:
        numbered.append(replace(unit, first=first))
        first += len(unit.paths)
    return numbered


def _shares(of: Definition) -> NDArray[np.float64]:
    return np.ones(len(of.paths)) if of.shares is None else of.shares


def _groups(units: Sequence[_Unit], laid: LaidSheet, grouping: str) -> list[list[_Unit]]:
    """Units that are finished together; the sheet's own come last."""
    if grouping == "process by process":
        return [list(units)] if units else []
    own = [unit for unit in units if unit.copy < 0]
    centres = _centres(units, laid)
    if grouping == "copy by copy":
        before = np.full(len(centres), -1, np.int64)
        none = np.zeros(len(centres) + 1, np.int64)
        items = Items(centres, centres, np.zeros(len(centres), bool), np.empty((0, 2)), none, before)
        turn = {int(copy): k for k, copy in enumerate(shortest(items).order)}
    else:
        tiles = np.floor(centres / REGION).astype(int)
        keys = sorted({(y, x) for x, y in tiles.tolist()}, key=lambda yx: (yx[0], yx[1] if yx[0] % 2 == 0 else -yx[1]))
        turn = {copy: keys.index((int(y), int(x))) for copy, (x, y) in enumerate(tiles)}
    groups: dict[int, list[_Unit]] = {}
    for unit in units:
        if unit.copy >= 0:
            groups.setdefault(turn[unit.copy], []).append(unit)
    return [groups[k] for k in sorted(groups)] + ([own] if own else [])


def _centres(units: Sequence[_Unit], laid: LaidSheet) -> Points:
    """The middle of each copy's paths, (copies, 2); its origin where it has none."""
    boxes: dict[int, list[Points]] = {}
    for unit in units:
        boxes.setdefault(unit.copy, []).append(unit.paths.rows[:, :2])
    found = np.array([[p.at.e, p.at.f] for p in laid.placements]).reshape(-1, 2)
    for copy, some in boxes.items():
        if copy >= 0:
            points = np.vstack(some)
            found[copy] = (points.min(0) + points.max(0)) / 2
    return found


def _phases(units: Sequence[_Unit], parents: NDArray[np.int64]) -> list[list[_Unit]]:
    """Units of one process and rank together, in the order in which processes are run; of one process by rank, but the
    lines that lie in others first, and together with them where each lies in the other."""
    phases: dict[int, list[_Unit]] = {}
    for unit in units:
        phases.setdefault(PROCESSES[unit.of.process].order, []).append(unit)
    return [phase for key in sorted(phases) for phase in _ranks(phases[key], parents)]


def _ranks(units: Sequence[_Unit], parents: NDArray[np.int64]) -> list[list[_Unit]]:
    """Units of one process by rank, in an order in which nothing comes behind what it lies in."""
    ranks: dict[int, list[_Unit]] = {}
    for unit in units:
        ranks.setdefault(unit.of.rank, []).append(unit)
    if len(ranks) < 2:
        return list(ranks.values())
    rank_of = np.full(len(parents), -1, np.int64)
    for unit in units:
        rank_of[unit.first : unit.first + len(unit.paths)] = unit.of.rank
    inner = np.nonzero((parents >= 0) & (rank_of >= 0))[0]
    first = {(int(rank_of[k]), int(rank_of[parents[k]])) for k in inner if rank_of[parents[k]] >= 0}
    left = sorted(ranks)
    found = []
    while left:
        free = [rank for rank in left if not any((other, rank) in first for other in left if other != rank)]
        if not free:  # each lies in the other somewhere
            found.append([unit for rank in left for unit in ranks[rank]])
            break
        found.append(ranks[free[0]])
        left.remove(free[0])
    return found


def _parents(units: Sequence[_Unit], count: int) -> NDArray[np.int64]:
    """The nearest ring that each path lies in, by its first path, (count,); -1 for none. Rings that ties interrupt are
    known by all their stretches, and stand for each of them. Rings of one process only, within their copy: no copy may
    lie in another."""
    parents = np.full(count, -1, np.int64)
    known: dict[tuple[Definition, ...], NDArray[np.int64]] = {}
    alike: dict[tuple[int, str], list[_Unit]] = {}
    for unit in units:
        if not unit.of.filled:
            alike.setdefault((unit.copy, unit.of.process), []).append(unit)
    for some in alike.values():
        key = tuple(unit.of for unit in some)
        at = np.concatenate([unit.first + np.arange(len(unit.paths)) for unit in some])
        if key not in known:
            known[key] = _containers(some)
        own = known[key]
        parents[at] = np.where(own >= 0, at[own], -1)
    return parents


def _containers(units: Sequence[_Unit]) -> NDArray[np.int64]:
    """For each path of some units, all counted in turn, the first path of the smallest ring that holds its ring."""
    outlines = [one for unit in units for one in unit.paths.arrays_of_points()]
    ring_of, first = np.empty(len(outlines), np.int64), 0
    for unit in units:
        n = len(unit.paths)
        own = np.arange(n) if unit.of.rings is None else unit.of.rings
        _, starts, numbers = np.unique(own, return_index=True, return_inverse=True)
        ring_of[first : first + n] = first + starts[numbers]
        first += n
    firsts, numbers = np.unique(ring_of, return_inverse=True)
    whole = [np.vstack([outlines[k] for k in np.nonzero(ring_of == ring)[0]]) for ring in firsts]
    found = _nearest_container(whole)
    return np.where(found >= 0, firsts[found], -1)[numbers]


def _nearest_container(outlines: Sequence[Points]) -> NDArray[np.int64]:
    """For each outline the smallest other that holds it, -1 for none."""
    found = np.full(len(outlines), -1, np.int64)
    if len(outlines) < 2:
        return found
    solids = np.array([shapely.Polygon(one) if len(one) > 2 else shapely.Polygon() for one in outlines])
    areas = np.abs(shapely.area(solids))
    places = np.array([one[len(one) // 2] for one in outlines])
    inner, outer = shapely.STRtree(solids).query(shapely.points(places))
    real = (inner != outer) & (areas[outer] > areas[inner])
    inner, outer = inner[real], outer[real]
    # by the even-odd rule, which asks for no validity: a ring with its leads crosses itself
    shapely.prepare(solids)
    real = shapely.contains_xy(solids[outer], *places[inner].T)
    inner, outer = inner[real], outer[real]
    by_size = np.lexsort((-areas[outer], inner))  # the smallest last, so that it stays
    found[inner[by_size]] = outer[by_size]
    return found


def _items(
    phase: Sequence[_Unit], parents: NDArray[np.int64]
) -> tuple[Items, list[NDArray[np.int64]], NDArray[np.int64]]:
    """What can be put in order: single paths, rings that ties interrupt, stretch by stretch, and whole fills of an
    area in their own order. Also the paths of each, and by path its item where it is one by itself, else -1."""
    members: list[NDArray[np.int64]] = []
    enter, leave, flips, starts, sizes = [], [], [], [], []
    free = np.full(len(parents), -1, np.int64)
    item_of = np.full(len(parents), -1, np.int64)
    for unit in phase:
        rows, offsets = unit.paths.rows, unit.paths.offsets
        for own in _together(unit):
            low, high = int(offsets[own[0]]), int(offsets[own[-1] + 1])
            item_of[unit.first + own] = len(members)
            members.append(unit.first + own)
            enter.append(rows[low, :2])
            if unit.of.filled or len(own) > 1:
                leave.append(rows[high - 1, 6:])
                flips.append(False)
                sizes.append(0)
                continue
            free[unit.first + own[0]] = len(members) - 1
            closed = bool(unit.paths.closed[own[0]])
            leave.append(rows[low, :2] if closed else rows[high - 1, 6:])
            flips.append(not closed and not unit.of.one_way)
            places = rows[low:high, :2] if closed and high - low <= MOST_STARTS else rows[low : low + 1, :2]
            starts.append(places if closed else np.empty((0, 2)))
            sizes.append(len(starts[-1]))
    before = np.full(len(members), -1, np.int64)
    for k, own in enumerate(members):
        held = parents[own]
        if (held >= 0).any():
            before[k] = item_of[held[held >= 0][0]]
    before[before == np.arange(len(members))] = -1
    items = Items(
        np.array(enter), np.array(leave), np.array(flips, bool),
        np.vstack(starts) if starts else np.empty((0, 2)),
        np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64), before,
    )  # fmt: skip
    return items, members, free


def _together(unit: _Unit) -> list[NDArray[np.int64]]:
    """Paths of a unit that are run one after another: all of an area, the stretches of a ring, each other by itself."""
    every = np.arange(len(unit.paths))
    if unit.of.filled:
        return [every]
    if unit.of.rings is None:
        return [every[k : k + 1] for k in every]
    return np.split(every, np.nonzero(np.diff(unit.of.rings))[0] + 1)


def _end(items: Items, chosen: NDArray[np.int64], flipped: NDArray[np.bool_], k: int) -> tuple[float, float]:
    """Where the head stands after an item."""
    low, high = items.begins[k], items.begins[k + 1]
    at = items.starts[low + chosen[k]] if high > low else items.enter[k] if flipped[k] else items.leave[k]
    return float(at[0]), float(at[1])


def _turned(paths: Bundle, rolls: NDArray[np.int64], flips: NDArray[np.bool_]) -> Bundle:
    """Closed paths begun at another node, open ones run the other way."""
    sizes = np.diff(paths.offsets)
    of = np.repeat(np.arange(len(sizes)), sizes)
    within = np.arange(paths.segments) - paths.offsets[:-1][of]
    turned = np.where(flips[of], sizes[of] - 1 - within, (within + rolls[of]) % np.maximum(sizes[of], 1))
    at = paths.offsets[:-1][of] + turned
    kinds, rows = paths.kinds[at], paths.rows[at].copy()
    back = flips[of]
    rows[back, :2], rows[back, 6:] = paths.rows[at][back, 6:], paths.rows[at][back, :2]
    rows[back & (kinds == 1), 4] *= -1
    return Bundle(kinds, rows, paths.offsets, paths.closed)
