"""Hatched areas as they lie on the sheet: strokes run the same way on every copy, and rows may run on over several."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Affine, Bundle
from nibble_core.toolpaths.hatching import as_strokes, hatched

if TYPE_CHECKING:
    from nibble_core.toolpaths.program import Run

ALIKE = 1e-6  # mm that rows of two copies may lie beside each other and be one


@dataclass(frozen=True, eq=False)
class Hatch:
    """How an area is filled with strokes. angle: degrees, clockwise on screen, on the sheet, or of the piece where it
    turns with the copies. outline: followed behind them."""

    area: BaseGeometry
    interval: float
    angle: float = 0.0
    one_way: bool = False
    crosswise: bool = False
    outline: Bundle | None = None
    turns: bool = False

    def strokes(self, angle: float) -> Bundle:
        """At an angle of the piece's own."""
        found = hatched(self.area, self.interval, angle=angle, one_way=self.one_way)
        if self.crosswise:
            found = Bundle.joined([found, hatched(self.area, self.interval, angle=angle + 90)])
        return found

    def paths(self, angle: float) -> Bundle:
        """Strokes and outline."""
        return self.strokes(angle) if self.outline is None else Bundle.joined([self.strokes(angle), self.outline])


def grained(run: Run) -> list[Run]:
    """A run of copies, those that lie turned or mirrored hatched anew, so that all strokes run one way on the sheet."""
    hatch = run.of.hatch
    if hatch is None or hatch.turns:
        return [run]
    alike: dict[float, list[int]] = {}
    for number, place in enumerate(run.places):
        alike.setdefault(_angle_within(place, hatch.angle), []).append(number)
    made = []
    for angle, numbers in alike.items():
        of = run.of if angle == hatch.angle % 360 else replace(run.of, paths=hatch.paths(angle))
        copies = tuple(run.copies[k] for k in numbers) if run.copies else ()
        made.append(replace(run, of=of, places=tuple(run.places[k] for k in numbers), copies=copies))
    return made


def _angle_within(place: Affine, angle: float) -> float:
    """Degrees in a copy's own coordinates of a direction on the sheet, 0 to 360."""
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    back = place.inverse()
    x, y = back.a * c + back.c * s, back.b * c + back.d * s
    return round(math.degrees(math.atan2(y, x)), 9) % 360


def in_sweeps(fills: Sequence[tuple[Hatch, Bundle]]) -> list[tuple[list[int], Bundle]]:
    """Copies of one engraving in sweeps over all that lie beside each other: for each the numbers of the copies, and
    their strokes, row by row. fills: of each copy its hatch and its strokes on the sheet. Those whose rows do not meet
    those of another stay by themselves, as do outlines and crosswise hatches."""
    alone = [k for k, (hatch, _) in enumerate(fills) if hatch.turns or hatch.crosswise or hatch.outline is not None]
    lying = [_Rows.of(*fills[k]) if k not in alone else None for k in range(len(fills))]
    groups: dict[tuple[float, float, int], list[int]] = {}
    for k, rows in enumerate(lying):
        if rows is not None:
            hatch = fills[k][0]
            phase = round((rows.y[0] / hatch.interval) % 1 * hatch.interval / ALIKE)
            groups.setdefault((hatch.angle, hatch.interval, phase), []).append(k)
    found = [([k], fills[k][1]) for k in alone]
    for numbers in groups.values():
        for band in _bands(numbers, [rows for rows in (lying[k] for k in numbers) if rows is not None]):
            some = [rows for rows in (lying[k] for k in band) if rows is not None]
            found.append((band, some[0].swept(some, fills[band[0]][0]) if len(band) > 1 else fills[band[0]][1]))
    return sorted(found, key=lambda one: min(one[0]))


@dataclass(frozen=True, eq=False)
class _Rows:
    """Strokes (n, 4) in coordinates turned so that they run across, and the row that each lies in, mm."""

    strokes: NDArray[np.float64]
    y: NDArray[np.float64]

    @classmethod
    def of(cls, hatch: Hatch, strokes: Bundle) -> _Rows | None:
        if not len(strokes):
            return None
        ends = strokes.rows[:, [0, 1, 6, 7]].reshape(-1, 2)
        turned = Affine.rotation(-hatch.angle).map(ends).reshape(-1, 4)
        return cls(turned, turned[:, 1])

    def swept(self, all_rows: Sequence[_Rows], hatch: Hatch) -> Bundle:
        """The strokes of several copies row by row, every other row backward unless they run one way."""
        strokes = np.vstack([rows.strokes for rows in all_rows])
        left, right = np.minimum(strokes[:, 0], strokes[:, 2]), np.maximum(strokes[:, 0], strokes[:, 2])
        row = np.rint((strokes[:, 1] - strokes[:, 1].min()) / hatch.interval).astype(np.int64)
        back = (row % 2 == 1) & (not hatch.one_way)
        order = np.lexsort((np.where(back, -left, left), row))
        begin, end = np.where(back, right, left)[order], np.where(back, left, right)[order]
        # a row is one line for all copies, to the last digit
        first = np.concatenate([[True], np.diff(row[order]) != 0])
        y = strokes[order, 1][np.maximum.accumulate(np.where(first, np.arange(len(first)), 0))]
        ends = np.column_stack([begin, y, end, y]).reshape(-1, 2)
        return as_strokes(Affine.rotation(hatch.angle).map(ends).reshape(-1, 4))


def _bands(numbers: Sequence[int], lying: Sequence[_Rows]) -> list[list[int]]:
    """Copies whose rows overlap, together."""
    spans = sorted(
        (float(rows.y.min()), float(rows.y.max()), number) for number, rows in zip(numbers, lying, strict=True)
    )
    bands: list[list[int]] = []
    reached = -math.inf
    for low, high, number in spans:
        if low > reached:
            bands.append([])
        bands[-1].append(number)
        reached = max(reached, high)
    return bands
