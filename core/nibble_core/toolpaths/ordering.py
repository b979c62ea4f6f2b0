"""In which order, from where and which way round paths are run, so that the head travels little between them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Points
from nibble_core.toolpaths.ordering_kernels import best_starts, improved, kicked, nearest_few, nearest_first

NEIGHBOURS = 12
ROUNDS = 6  # of neighbour lists drawn anew
SWEEPS = 20  # of the local search on each
WINDOW, NEAR = 40, 7  # items that are searched again after a kick, and of their neighbours
KICKS, MOST_KICKS = 8, 4500  # an item, and in all


@dataclass(frozen=True, eq=False)
class Items:
    """What is run, n items. enter, leave: where each begins and ends, (n, 2). flips: whether it may be run the other
    way. starts: where those that are closed may begin, (m, 2), item i's from ``begins[i]``. before: the item that each
    must precede, -1 for none."""

    enter: Points
    leave: Points
    flips: NDArray[np.bool_]
    starts: Points
    begins: NDArray[np.int64]
    before: NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Order:
    """order: items in turn. chosen: of each item, its start's number among its own. flipped: run the other way.
    travel: mm between items, from the head's place to the first on."""

    order: NDArray[np.int64]
    chosen: NDArray[np.int64]
    flipped: NDArray[np.bool_]
    travel: float


def shortest(items: Items, start: tuple[float, float] = (0.0, 0.0)) -> Order:
    """A short way through all items from a place on the sheet."""
    n = len(items.enter)
    chosen = np.zeros(n, np.int64)
    flipped = np.zeros(n, bool)
    if not n:
        return Order(np.empty(0, np.int64), chosen, flipped, 0.0)
    enter, leave = items.enter.copy(), items.leave.copy()
    at = np.array(start, float)
    pending = np.bincount(items.before[items.before >= 0], minlength=n)
    order = nearest_first(enter, leave, items.before, pending, at)
    # one that may not be turned, begun and ended at the middle of its ends, costs the same either way
    fixed = ~items.flips
    ends = enter[fixed], leave[fixed]
    enter[fixed] = leave[fixed] = (ends[0] + ends[1]) / 2
    for _ in range(ROUNDS):
        changed = bool(best_starts(order, enter, leave, items.starts, items.begins, chosen, at))
        near = nearest_few((enter + leave) / 2, NEIGHBOURS)
        changed |= bool(improved(order, enter, leave, flipped, items.before, near, at, SWEEPS))
        if not changed:
            break
    kicks = min(KICKS * n, MOST_KICKS) if n > 3 else 0
    kicked(order, enter, leave, flipped, items.before, items.starts, items.begins, chosen, at, WINDOW, NEAR, kicks, 1)
    closed = np.diff(items.begins)[fixed] > 1
    enter[fixed], leave[fixed] = (np.where(closed[:, None], enter[fixed], end) for end in ends)
    flipped[fixed] = False
    return Order(order, chosen, flipped, travelled(order, enter, leave, start))


def travelled(order: NDArray[np.int64], enter: Points, leave: Points, start: tuple[float, float] = (0.0, 0.0)) -> float:
    """mm from a place to the first item and from each to the next."""
    places = np.vstack([np.array(start)[None], leave[order[:-1]]])
    return float(np.hypot(*(enter[order] - places).T).sum())
