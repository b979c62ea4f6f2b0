"""Panels: a laid sheet that is wider than the stock, parted into strips that overlap."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import DoesNotFit
from nibble_core.geometry import Bundle, Path
from nibble_core.geometry.regions import courses

STEP = 2.0  # mm between two places that are tried for a seam
FINE = 0.004  # mm that a clipped curve may lie off


class Panel(NamedTuple):
    """A strip of the sheet from ``left`` to ``right``, mm: it overlaps with its neighbours."""

    left: float
    right: float

    @property
    def width(self) -> float:
        return self.right - self.left


class Seam(NamedTuple):
    """Where two panels meet: the middle of their overlap, mm from the left; how many shapes it crosses that it need
    not, and whether it was put there by hand."""

    x: float
    crossed: int = 0
    by_hand: bool = False


def seams(
    width: float, usable: float, overlap: float, *, busy: Sequence[BaseGeometry] = (), reach: float = 0.0,
    fixed: Mapping[int, float] | None = None,
) -> list[Seam]:  # fmt: skip
    """The seams of as few strips as a stock of ``usable`` mm takes, as even as can be, each moved by up to ``reach`` mm
    to where it crosses no shape of ``busy``, nor runs within the overlap of one, or as few as may be, and where its
    overlap comes no nearer than it need.

    fixed: places by number, from 1, that are kept. All are found together, by dynamic programming over their places,
    since no strip may be wider than the stock. Raises DoesNotFit for an overlap that leaves nothing, and for fixed
    seams too far apart.
    """
    kept = dict(fixed or {})
    if width <= usable + 1e-9:
        return []
    if overlap >= usable / 2:
        raise DoesNotFit(
            f"An overlap of {overlap:g} mm leaves too little of a stock {usable:.0f} mm wide.", "Lower the overlap."
        )
    count = max(math.ceil((width - overlap) / (usable - overlap) - 1e-9), max(kept, default=0) + 1)
    each = (width + (count - 1) * overlap) / count
    spans = np.array([one.bounds[::2] for one in busy if one.bounds[2] - one.bounds[0] <= usable]).reshape(-1, 2)
    lines: list[NDArray[np.float64]] = [np.zeros(1)]
    costs: list[NDArray[np.float64]] = [np.zeros(1)]
    for k in range(1, count):
        even = float(k * (each - overlap) + overlap / 2)
        steps = np.arange(-math.floor(reach / STEP), math.floor(reach / STEP) + 1) * STEP
        places: NDArray[np.float64] = np.array([kept[k]], float) if k in kept else np.asarray(even + steps, float)
        lines.append(places)
        clear = np.abs(places[:, None] - spans.mean(1)) - np.diff(spans, axis=1)[:, 0] / 2
        close = np.clip(2.0 - clear.min(1, initial=math.inf) / max(overlap, 1.0), 0.0, 2.0)
        moved = np.abs(places - even) / max(reach, 1.0)
        costs.append(1000.0 * (clear < 0).sum(1) + 10.0 * (clear < overlap / 2).sum(1) + close + moved)
    lines.append(np.array([width]))
    costs.append(np.zeros(1))
    chosen = _cheapest(lines, costs, usable, overlap)
    if chosen is None:
        raise DoesNotFit(
            f"With these seams a panel would be wider than {usable:.0f} mm, or seams would change places.",
            "Move them nearer to each other, or let them go.",
        )
    return [
        Seam(x, int((np.abs(x - spans.mean(1)) < np.diff(spans, axis=1)[:, 0] / 2).sum()), k in kept)
        for k, x in enumerate(chosen[1:-1], 1)
    ]


def _cheapest(
    lines: Sequence[NDArray[np.float64]], costs: Sequence[NDArray[np.float64]], usable: float, overlap: float
) -> list[float] | None:
    """One place of each row so that the sum of their costs is least and no strip between two is wider than the stock,
    nor narrower than its overlaps; None where there is none."""
    last = len(lines) - 1
    total, back = costs[0], []
    for k in range(1, len(lines)):
        sides = overlap / 2 * ((k > 1) + (k < last))
        apart = lines[k][:, None] - lines[k - 1][None] + sides
        open_ = (apart <= usable + 1e-6) & (apart > 2 * overlap + 1e-6)
        sums = np.where(open_, total[None], math.inf)
        back.append(sums.argmin(1))
        total = costs[k] + sums.min(1)
    if not math.isfinite(total[0]):
        return None
    at, found = 0, [float(lines[last][0])]
    for k in range(last, 0, -1):
        at = int(back[k - 1][at])
        found.append(float(lines[k - 1][at]))
    return found[::-1]


def panels(width: float, found: Sequence[Seam], overlap: float) -> list[Panel]:
    """The strips between some seams."""
    lefts = [0.0, *(seam.x - overlap / 2 for seam in found)]
    rights = [*(seam.x + overlap / 2 for seam in found), width]
    return [Panel(left, right) for left, right in zip(lefts, rights, strict=True)]


def clipped(paths: Bundle, panel: Panel, height: float) -> Bundle:
    """What of some paths lies within a panel, in its own coordinates; what is not crossed stays as it is."""
    kept: list[Path] = []
    for path in paths:
        box = path.bounds()
        if box.right < panel.left or box.left > panel.right:
            continue
        if box.left >= panel.left and box.right <= panel.right:
            kept.append(path)
            continue
        (line,) = courses(Bundle.of([path]), FINE)
        inside = shapely.clip_by_rect(line, panel.left, -height, panel.right, 2 * height)
        parts = shapely.get_parts(shapely.line_merge(inside) if inside.geom_type == "MultiLineString" else inside)
        kept += [Path.polygon(shapely.get_coordinates(part), closed=False) for part in parts if part.length > FINE]
    return Bundle.of(kept)
