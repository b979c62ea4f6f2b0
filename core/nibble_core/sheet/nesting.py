"""Nesting: copies of any shapes as tight as they go, each at the best of some turns.

Bottom-left on a bitmap (after Baker, Coffman and Rivest, with masks in place of boxes): pieces are laid one after the
other, largest first, each where it ends highest on the sheet; then the order is changed at random and kept where that
is shorter. Masks are grown by half the gap and take every cell they touch, so that the gap holds however coarse the
cells are; what the cells lost is won back by sliding every copy against its neighbours, exactly. Interlocked pairs and
rows of boxes are tried as well: the shortest is kept, so that a nest is never longer than the grid.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import DoesNotFit, InvalidTicket
from nibble_core.geometry import Affine
from nibble_core.geometry.regions import polygons
from nibble_core.sheet.arranging import Part, Room, grid, interlocked
from nibble_core.sheet.borders import at_place
from nibble_core.sheet.laid import LaidSheet, Placement
from nibble_core.sheet.nesting_kernels import empty_runs, lay_in_order, mask_of, slide, take

TURNS: dict[str, tuple[float, ...]] = {
    "as it stands": (0.0,),
    "by half turns": (0.0, 180.0),
    "by quarter turns": (0.0, 90.0, 180.0, 270.0),
    "by any turn": tuple(15.0 * k for k in range(24)),
}
MOST_FREE = 3000  # pieces laid one by one; more are laid in pairs or rows
MOST_TURNED = 2  # parts whose pairs are tried at every turn
MOST_PAIRED = 6  # parts that are laid in interlocked pairs as well, part below part
MOST_CELLS = 24_000_000  # of the bitmap
CELLS_ACROSS = 60  # of a piece of middling size
FINEST, COARSEST = 0.2, 2.5  # mm
ROUNDING = 0.01  # mm that a grown shape's corners may lie within the true curve
MOST_WAYS = 4  # kinds whose turns are each tried for all of them at once
PAUSE = 1.0  # s between two that are told
SWEEPS = 3  # of sliding
REACH = 4.0  # cells that a copy slides at most in one go: they lost no more


class Nest(NamedTuple):
    """Where each copy lies, from the corner of the sheet; width and length of the sheet, mm. left: copies that found no
    place."""

    placements: tuple[Placement, ...]
    width: float
    length: float
    left: int = 0

    @property
    def rank(self) -> tuple[int, float, float]:
        """Less is better."""
        return self.left, round(self.length, 4), self.width


@dataclass(frozen=True)
class Limits:
    """How long a nest is looked for. seconds: of wall time. better: told each better one. cancelled: whether to stop;
    the best found so far stands."""

    seconds: float = 5.0
    better: Callable[[Nest], None] = lambda found: None
    cancelled: Callable[[], bool] = lambda: False


def nest(
    parts: Sequence[Part], within: Room, *, turns: str = "by quarter turns", locked: Sequence[Placement] = (),
    full: bool = False, limits: Limits = Limits(),
) -> tuple[Nest, int]:  # fmt: skip
    """The shortest nest that is found in the time, and how many runs of it make the quantities.

    locked: copies that stay where they are, of layers among the parts; they count towards the quantities. full: as many
    as one sheet takes, in the proportion of the quantities. Raises DoesNotFit when a piece is larger than the sheet,
    InvalidTicket for no copies or an unknown way to turn.
    """
    if turns not in TURNS:
        raise InvalidTicket(f"“{turns}” is no way to turn.", f"Choose one of {', '.join(TURNS)}.")
    if not parts or min(part.quantity for part in parts) < 1:
        raise InvalidTicket("A sheet needs at least one copy.", "Set the quantity to 1 or more.")
    started = time.perf_counter()
    bench = _Bench(parts, within, TURNS[turns], locked)
    bench.require_fits()
    rivals = [] if locked else [_plain(found, within) for found in _rules(parts, within, TURNS[turns], full)]
    best, runs = min(rivals, key=lambda one: (one[1], one[0].rank), default=(None, 0))
    if best is not None:
        best = bench.closer(best)
        limits.better(best)
    quantities, tried = _quantities(parts, bench, full, runs)
    if quantities is None or sum(quantities) > MOST_FREE:
        if best is None:
            raise DoesNotFit(
                f"{sum(part.quantity for part in parts)} copies are too many to nest round locked ones.",
                "Unlock them, or nest fewer.",
            )
        return best, runs
    if full and best is not None and len(best.placements) >= sum(quantities) + len(locked):
        return best, 1
    if best is None or tried < runs or full:
        best, runs = None, tried
    for found in bench.search(quantities, started + limits.seconds, limits.cancelled):
        if best is None or found.rank < best.rank:
            best = found
            limits.better(best)
    assert best is not None
    return best, runs


def _rules(parts: Sequence[Part], within: Room, turns: Sequence[float], full: bool) -> Iterable[LaidSheet]:
    """What the rules make that turn copies no more than is allowed."""
    ways: list[Callable[..., LaidSheet]] = [grid]
    if len(parts) <= MOST_PAIRED and {0.0, 90.0, 180.0} <= set(turns):
        # all turns of a pair are worth the time for a few parts only
        standing = sorted({turn % 180 for turn in turns if len(parts) <= MOST_TURNED or turn % 90 == 0})
        ways.append(partial(interlocked, turns=standing))
    for way in ways:
        try:
            yield way(parts, within, full=full)
        except DoesNotFit:  # what has no place as a block may have one piece by piece
            continue


def _plain(laid: LaidSheet, within: Room) -> tuple[Nest, int]:
    return Nest(laid.placements, laid.width, laid.height), laid.times


def _quantities(parts: Sequence[Part], bench: _Bench, full: bool, runs: int) -> tuple[list[int] | None, int]:
    """How many of each part one run holds beside the locked copies, and how many runs there are: the fewest on which
    all find a place. None when even the area is too small for so many."""
    wanted = [part.quantity for part in parts]
    held = bench.locked_counts()
    if full:
        low = 0
        high = 1
        while sum(_share(wanted, high)) <= MOST_FREE and bench.fits(_share(wanted, high)):
            low, high = high, 2 * high
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (middle, high) if bench.fits(_share(wanted, middle)) else (low, middle)
        return (_share(wanted, low) if low else None), 1
    least = max(1, math.ceil(sum(map(bench.area_of, range(len(parts)), wanted)) / bench.area))
    for times in range(least, (runs or 200) + 1):
        some = [max(0, math.ceil(count / times) - own) for count, own in zip(wanted, held, strict=True)]
        if sum(some) > MOST_FREE:
            continue
        if bench.fits(some):
            return some, times
    return None, runs


def _share(wanted: Sequence[int], first: int) -> list[int]:
    """So many of the first, the others in proportion."""
    return [math.ceil(count * first / wanted[0]) for count in wanted]


class _Bench:
    """The masks of all parts at all turns, and the sheet as a bitmap."""

    def __init__(
        self, parts: Sequence[Part], within: Room, turns: Sequence[float], locked: Sequence[Placement]
    ) -> None:
        self.parts, self.within, self.locked = parts, within, locked
        self.margin = margin = within.spacing / 2 + ROUNDING
        self.width, self.length = within.inner + 2 * margin, within.length - 2 * within.edge + 2 * margin
        self._index = {part.layer: i for i, part in enumerate(parts)}
        self._grown = [_grown(_shape(part), margin) for part in parts]
        areas = [grown.area for grown in self._grown]
        self._areas = areas
        self._diameters = [math.dist(grown.bounds[:2], grown.bounds[2:]) for grown in self._grown]
        total = sum(area * part.quantity for area, part in zip(areas, parts, strict=True))
        middling = math.sqrt(float(np.median(np.repeat(areas, [min(part.quantity, 100) for part in parts]))))
        deepest = min(self.length, 2.2 * total / self.width + 3 * max(self._diameters) + self._lowest_locked())
        self.cell = max(
            min(max(middling / CELLS_ACROSS, FINEST), COARSEST), math.sqrt(deepest * self.width / MOST_CELLS)
        )
        self.columns, self.rows = math.ceil(self.width / self.cell), math.ceil(deepest / self.cell)
        self.bottom = self.length if deepest == self.length else self.rows * self.cell
        self._turned: list[list[tuple[Affine, BaseGeometry]]] = []
        self._pack(turns)

    @property
    def area(self) -> float:
        """mm² of the sheet that copies with their gap may fill."""
        return self.width * self.length

    def area_of(self, index: int, count: int) -> float:
        """mm² that copies of a part fill, with their gap."""
        return float(self._areas[index] * count)

    def _lowest_locked(self) -> float:
        return max(
            (float(at_place(self._grown[self._index[one.layer]], one.at).bounds[3]) for one in self.locked), default=0.0
        )

    def _pack(self, turns: Sequence[float]) -> None:
        count, most = len(self.parts), len(turns)
        self.starts = np.zeros((count, most, 2), np.int64)
        self.widths = np.zeros((count, most), np.int64)
        self.heights = np.zeros((count, most), np.int64)
        self.turns = np.zeros(count, np.int64)
        masks: list[NDArray[np.int64]] = []
        at = 0
        margin = self.margin
        for i, grown in enumerate(self._grown):
            shape = _shape(self.parts[i])
            self._turned.append([])
            known: set[bytes] = set()
            for turn in turns:
                about = Affine.rotation(turn)
                left, top, right, bottom = at_place(shape, about).bounds
                turned = at_place(grown, about)
                turned = shapely.clip_by_rect(turned, left - margin, top - margin, right + margin, bottom + margin)
                mask, wide, tall = _mask(turned, self.cell)
                packed = mask.tobytes()
                if packed in known:  # turned, it is the same
                    continue
                known.add(packed)
                t = int(self.turns[i])
                self.starts[i, t] = at, at + len(mask)
                size = turned.bounds[2] - turned.bounds[0], turned.bounds[3] - turned.bounds[1]
                self.widths[i, t] = max(wide, self.columns - math.floor((self.width - size[0]) / self.cell + 1e-6))
                self.heights[i, t] = max(tall, self.rows - math.floor((self.bottom - size[1]) / self.cell + 1e-6))
                self.turns[i] += 1
                at += len(mask)
                masks.append(mask)
                left, top, _, _ = turned.bounds
                self._turned[i].append((about.then(Affine.translation(-left, -top)), turned))
        self.masks = np.vstack(masks)

    def require_fits(self) -> None:
        """Raises DoesNotFit for a part that no turn brings onto the sheet."""
        for ways in self._turned:
            sizes = [(b[2] - b[0], b[3] - b[1]) for b in (turned.bounds for _, turned in ways)]
            if not any(w <= self.width + 1e-6 and h <= self.length + 1e-6 for w, h in sizes):
                edge, gap = 2 * self.within.edge, 2 * self.margin
                wide, tall = min(sizes)
                raise DoesNotFit(
                    f"With its {self.within.edge_of} the piece is {wide - gap + edge:.1f} by {tall - gap + edge:.1f} "
                    f"mm; the sheet has {self.within.width:.0f} by {self.within.length:.0f} mm.",
                    "Make it smaller, or choose a larger stock.",
                )

    def locked_counts(self) -> list[int]:
        counts = [0] * len(self.parts)
        for one in self.locked:
            counts[self._index[one.layer]] += 1
        return counts

    def fits(self, quantities: Sequence[int]) -> bool:
        """Whether all find a place, largest first."""
        kinds = self._kinds(quantities)
        return any(not self._lay(kinds, order)[0] for order in self._orders(kinds))

    def search(self, quantities: Sequence[int], until: float, cancelled: Callable[[], bool]) -> Iterable[Nest]:
        """Nests, each better than the one before, slid together."""
        kinds = self._kinds(quantities)
        if not len(kinds):
            yield self._nest(kinds, np.empty((0, 3), np.int64))
            return
        free = np.full(len(kinds), -1)
        tries = [(order, free) for order in self._orders(kinds)]
        tries += [(tries[0][0], np.where(kinds == kind, turn, -1)) for kind, turn in self._ways(kinds)]
        laid = [(*self._lay(kinds, *one)[:2], number) for number, one in enumerate(tries)]
        left, reach, number = min(laid)
        order, only = tries[number]
        yield self._nest(kinds, self._lay(kinds, order, only)[2])
        shorter: NDArray[np.int64] | None = None
        told = time.perf_counter()
        changes = np.random.default_rng(1)
        while time.perf_counter() < until and not cancelled() and len(np.unique(kinds)) > 1:
            other = self._changed(order, only, kinds, changes)
            found = self._lay(kinds, *other)
            if found[:2] <= (left, reach):
                shorter = found[2] if found[:2] < (left, reach) else shorter
                left, reach, (order, only) = found[0], found[1], other
            if shorter is not None and time.perf_counter() - told > PAUSE:  # sliding takes as long as some tries
                yield self._nest(kinds, shorter)
                shorter, told = None, time.perf_counter()
        if shorter is not None:
            yield self._nest(kinds, shorter)

    def _ways(self, kinds: NDArray[np.int64]) -> list[tuple[int, int]]:
        """Each turn of the kinds that fill most: what is tried for all of a kind at once."""
        counts = np.bincount(kinds, minlength=len(self.parts))
        largest = np.argsort(-counts * np.array(self._areas), kind="stable")[:MOST_WAYS]
        return [(int(kind), turn) for kind in largest if counts[kind] > 2 for turn in range(int(self.turns[kind]))]

    def _changed(
        self, order: NDArray[np.int64], only: NDArray[np.int64], kinds: NDArray[np.int64], changes: np.random.Generator
    ) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Some pieces moved in the order, near where they were, or held to one turn, or let go again."""
        window = max(2, len(order) // 4)
        other, held = order.copy(), only.copy()
        for _ in range(changes.integers(1, 4)):
            i = int(changes.integers(len(order)))
            j = min(len(order) - 1, max(0, i + int(changes.integers(-window, window + 1))))
            way = changes.random()
            if way < 0.45:
                other[i], other[j] = other[j], other[i]
            elif way < 0.9:
                other = np.insert(np.delete(other, i), j, other[i])
            else:
                held[other[i]] = changes.integers(-1, int(self.turns[kinds[other[i]]]))
        return other, held

    def _kinds(self, quantities: Sequence[int]) -> NDArray[np.int64]:
        return np.repeat(np.arange(len(quantities)), quantities)

    def _orders(self, kinds: NDArray[np.int64]) -> list[NDArray[np.int64]]:
        """Largest first, by area and by reach, and a middle way."""
        areas, reach = np.array(self._areas)[kinds], np.array(self._diameters)[kinds]
        return [np.argsort(-by, kind="stable") for by in (areas, reach, areas * reach)]

    def _lay(
        self, kinds: NDArray[np.int64], order: NDArray[np.int64], only: NDArray[np.int64] | None = None
    ) -> tuple[int, int, NDArray[np.int64]]:
        """How many found no place, how many rows the others reach, and their places. only: turns that are
        held to."""
        runs, longest = empty_runs(self.rows, self.columns)
        for mask in self._locked_masks:
            take(runs, longest, mask, 0, 0)
        places = np.full((len(kinds), 3), -1, np.int64)
        lowest = np.zeros(self.widths.shape, np.int64)
        held = np.full(len(kinds), -1) if only is None else only
        reach = lay_in_order(
            runs, longest, order, kinds, self.masks, self.starts, self.widths, self.heights, self.turns, held, places,
            lowest,
        )  # fmt: skip
        return int((places[:, 0] < 0).sum()), int(reach), places

    @cached_property
    def _locked_masks(self) -> list[NDArray[np.int64]]:
        """Rows of (row, column, length) that each locked copy takes of the bitmap."""
        found = []
        for one in self.locked:
            grown = at_place(self._grown[self._index[one.layer]], self._inward(one.at))
            mask, _, _ = _mask(grown, self.cell, whole=True)
            mask = mask[(mask[:, 0] >= 0) & (mask[:, 0] < self.rows)]
            ends = np.minimum(mask[:, 1] + mask[:, 2], self.columns)
            mask[:, 1] = np.maximum(mask[:, 1], 0)
            mask[:, 2] = ends - mask[:, 1]
            found.append(mask[mask[:, 2] > 0])
        return found

    def _inward(self, at: Affine) -> Affine:
        """From the sheet's corner to the bitmap's."""
        back = self.margin - self.within.edge
        return at.then(Affine.translation(back, back))

    def _nest(self, kinds: NDArray[np.int64], places: NDArray[np.int64]) -> Nest:
        """The placements, slid together."""
        maps: list[Placement] = []
        for kind, (row, column, turn) in zip(kinds.tolist(), places.tolist(), strict=True):
            if row >= 0:
                own, _ = self._turned[kind][turn]
                at = own.then(Affine.translation(column * self.cell, row * self.cell))
                maps.append(Placement(self.parts[kind].layer, at))
        left_over = int((places[:, 0] < 0).sum()) if len(places) else 0
        return self._slid(maps, REACH * self.cell, left_over)

    def closer(self, found: Nest) -> Nest:
        """Copies that a rule laid, slid together; as they were where that makes nothing shorter, or where they lay
        nearer than grown shapes may."""
        if len(found.placements) > MOST_FREE:
            return found
        maps = [Placement(layer, self._inward(at)) for layer, at in found.placements]
        slid = self._slid(maps, REACH * self.cell, 0)
        return min(found, slid, key=lambda one: one.rank) if self._keeps_distance(slid.placements) else found

    def _keeps_distance(self, placements: Sequence[Placement]) -> bool:
        true = [_shape(part) for part in self.parts]
        copies = np.array([at_place(true[self._index[layer]], at) for layer, at in placements])
        one, other = shapely.STRtree(copies).query(copies, predicate="dwithin", distance=self.within.spacing - 1e-6)
        return bool((one == other).all())

    def _slid(self, maps: Sequence[Placement], most: float, left_over: int) -> Nest:
        """Copies on the bitmap slid together, beside the locked ones, and the size of the sheet round them."""
        shapes = [at_place(self._grown[self._index[layer]], at) for layer, at in maps]
        fixed = [at_place(self._grown[self._index[one.layer]], self._inward(one.at)) for one in self.locked]
        moves = _slides(shapes, fixed, most)
        shift = self.within.edge - self.margin
        put = [
            Placement(layer, at.then(Affine.translation(dx + shift, dy + shift)))
            for (layer, at), (dx, dy) in zip(maps, moves, strict=True)
        ]
        true = [_shape(part) for part in self.parts]
        bounds = [at_place(true[self._index[layer]], at).bounds for layer, at in [*self.locked, *put]]
        right, bottom = np.array(bounds)[:, 2:].max(0)
        edge = self.within.edge
        return Nest((*self.locked, *put), float(right) + edge, float(bottom) + edge, left_over)


def _shape(part: Part) -> BaseGeometry:
    return shapely.box(*part.box) if part.shape is None or part.shape.is_empty else part.shape


def _grown(shape: BaseGeometry, margin: float) -> BaseGeometry:
    """With half the gap round it, and nowhere less; its holes are kept, smaller pieces may lie in them."""
    return shapely.simplify(shapely.buffer(shape, margin + ROUNDING / 2, quad_segs=12), ROUNDING / 2)


def _mask(shape: BaseGeometry, cell: float, *, whole: bool = False) -> tuple[NDArray[np.int64], int, int]:
    """Cells that a shape touches, and how many it is wide and tall; from its own corner, or from the origin."""
    left, top, right, bottom = shape.bounds
    wide, tall = math.ceil((right - left) / cell - 1e-9), math.ceil((bottom - top) / cell - 1e-9)
    first_row = 0
    if whole:
        first_row = math.floor(top / cell)
        left, top, tall = math.floor(left / cell) * cell, first_row * cell, math.ceil(bottom / cell) - first_row
    rings = [ring for part in polygons(shape) for ring in (part.exterior, *part.interiors)]
    points = [shapely.get_coordinates(ring) for ring in rings]
    mask = mask_of(np.vstack(points), np.cumsum([len(one) for one in points]), left, top, tall, cell)
    if whole:
        mask = mask + np.array([first_row, round(left / cell), 0])
    else:  # rounding must not carry it beyond its own width
        mask[:, 2] = np.minimum(mask[:, 2], wide - mask[:, 1])
    return mask, wide, tall


def _slides(shapes: Sequence[BaseGeometry], fixed: Sequence[BaseGeometry], most: float) -> list[tuple[float, float]]:
    """By how much each shape can be pushed up and to the left until it touches its neighbours, mm, ``most`` at a time;
    the sheet's corner is the origin. Shapes with holes that hold others stay within them: all rings count."""
    every = [*shapes, *fixed]
    rings = [[ring for part in polygons(shape) for ring in (part.exterior, *part.interiors)] for shape in every]
    ends = np.cumsum([0, *(shapely.get_num_coordinates(ring) for own in rings for ring in own)])
    points = shapely.get_coordinates([ring for own in rings for ring in own]).copy()
    first = np.cumsum([0, *(len(own) for own in rings)])
    bounds = np.array([shape.bounds for shape in every])
    moves = np.zeros((len(every), 2))
    for _ in range(SWEEPS):
        for dx, dy in ((0, -1), (-1, 0)):
            axis = 0 if dx else 1
            for i in np.argsort(bounds[: len(shapes), axis + 2]):
                own = bounds[i]
                low, high = own[1 - axis], own[3 - axis]
                far = min(float(own[axis]), most)
                near = (bounds[:, 3 - axis] > low) & (bounds[:, 1 - axis] < high)
                near &= (bounds[:, axis] < own[axis + 2]) & (bounds[:, axis + 2] > own[axis] - far)
                near[i] = False
                others = np.concatenate(
                    [np.arange(first[j], first[j + 1]) for j in np.nonzero(near)[0]] or [np.empty(0, np.int64)]
                ).astype(np.int64)
                for ring in range(first[i], first[i + 1]):
                    far = min(far, slide(points, ends, ring, others, dx, dy, far))
                far = max(0.0, far - 1e-6)
                if far > 0:
                    points[ends[first[i]] : ends[first[i + 1]], axis] -= far
                    bounds[i, [axis, axis + 2]] -= far
                    moves[i, axis] -= far
    return [(float(x), float(y)) for x, y in moves[: len(shapes)]]
