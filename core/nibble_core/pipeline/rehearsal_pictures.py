"""Pictures of what comes off a rehearsed sheet: a copy from close by, and the whole sheet, every copy at its place."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.geometry.regions import polygons
from nibble_core.pipeline.rehearsal_bench import Bench
from nibble_core.simulators.cutter import Lies
from nibble_core.simulators.press import PrintedSheet

PPI, MOST_PIXELS, MOST_OF_SHEET = 150.0, 900, 1600  # px an inch; px at most of a copy, of a sheet
SIMPLER = 0.5  # px
LINER = (226, 224, 214)


@dataclass(frozen=True, eq=False)
class SheetPicture:
    """A whole sheet as it came off: pixels (rows, columns, 3), and the outer edge of each copy by its number, (n, 2)
    px."""

    pixels: NDArray[np.uint8]
    edges: Mapping[int, NDArray[np.float64]]


def sheet_picture(bench: Bench, sheet: PrintedSheet, lies: Lies) -> SheetPicture:
    """What the cuts of all copies freed as it was printed, the waste faint."""
    left, top, right, bottom = sheet.reach
    ppi = min(PPI, MOST_OF_SHEET * 25.4 / max(right - left, bottom - top))
    copies = {number: _freed(bench, lies, number) for number in np.unique(bench.copy).tolist() if number >= 0}
    largest = max(float(np.ptp(ring, axis=0).max()) for rings in copies.values() for _, ring in rings)
    seen = sheet.from_afar((left, top, right, bottom), ppi, math.ceil(2 * largest * ppi / 25.4))
    mask = np.zeros(seen.shape[:2], np.uint8)
    edges = {}
    for number, rings in copies.items():
        _cover(mask, rings, (left, top), ppi)
        outer = max((ring for _, ring in rings), key=lambda ring: np.ptp(ring, axis=0).prod())
        edge = (outer - (left, top)) * ppi / 25.4
        edges[number] = shapely.get_coordinates(shapely.LineString(edge).simplify(SIMPLER, preserve_topology=False))
    return SheetPicture(_with_waste(seen, mask), edges)


def _freed(bench: Bench, lies: Lies, number: int) -> list[tuple[str, NDArray[np.float64]]]:
    """What each closed cut of a copy is called, and where it runs, (n, 2) mm on the material; round a copy none of
    whose cuts closes, what they enclose."""
    rings = [
        (bench.meant.lines[k].called, bench.meant.lines[k].places)
        for k in np.flatnonzero(bench.copy == number).tolist() if k in bench.closed
    ] or [("", _outline_of_strokes(bench, number))]  # fmt: skip
    there = np.split(lies.forward(np.vstack([ring for _, ring in rings])), np.cumsum([len(ring) for _, ring in rings]))
    return [(called, own) for (called, _), own in zip(rings, there, strict=False)]


def _cover(
    mask: NDArray[np.uint8], rings: Sequence[tuple[str, NDArray[np.float64]]], corner: tuple[float, float], ppi: float
) -> None:
    """Put what lies within rings into a mask of the whole sheet, where they lie."""
    every = (np.vstack([ring for _, ring in rings]) - corner) * ppi / 25.4
    low = np.maximum(np.floor(every.min(0)).astype(int) - 1, 0)
    high = np.minimum(np.ceil(every.max(0)).astype(int) + 2, mask.shape[::-1])
    if (high <= low).any():
        return
    part = mask[low[1] : high[1], low[0] : high[0]]
    there = (corner[0] + low[0] * 25.4 / ppi, corner[1] + low[1] * 25.4 / ppi)
    np.maximum(part, _covered(rings, there, ppi, (part.shape[0], part.shape[1])), out=part)


def _covered(
    rings: Sequence[tuple[str, NDArray[np.float64]]], corner: tuple[float, float], ppi: float, shape: tuple[int, int]
) -> NDArray[np.uint8]:
    """Pixels within rings, 0 to 255; within a ring of the same cut another is a hole."""
    mask = np.zeros(shape, np.uint8)
    for called in {called for called, _ in rings}:
        own = [np.rint((ring - corner) * ppi / 25.4 * 16 - 8).astype(np.int32) for of, ring in rings if of == called]
        freed = np.zeros_like(mask)
        cv2.fillPoly(freed, own, 255, cv2.LINE_AA, 4)
        mask = np.maximum(mask, freed)
    return mask


def _with_waste(seen: NDArray[np.uint8], mask: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """As it was printed where the mask covers it, faint on the liner elsewhere."""
    liner = np.broadcast_to(np.array(LINER, np.uint8), seen.shape)
    made = cv2.addWeighted(liner, 0.8, seen, 0.2, 0.0)
    share = mask.astype(np.float32) / 255
    return np.asarray(cv2.blendLinear(seen, made, share, 1 - share), np.uint8)


def copy_picture(bench: Bench, sheet: PrintedSheet, lies: Lies, number: int) -> NDArray[np.uint8]:
    """A copy as it came off: what its cuts freed as it was printed, what was left behind faint."""
    rings = _freed(bench, lies, number)
    every = np.vstack([ring for _, ring in rings])
    pad = 2.0
    left, top = every.min(0) - pad
    right, bottom = every.max(0) + pad
    ppi = min(PPI, MOST_PIXELS * 25.4 / max(right - left, bottom - top))
    seen = sheet.picture((float(left), float(top), float(right), float(bottom)), ppi, 1.0)
    mask = _covered(rings, (float(left), float(top)), ppi, (seen.shape[0], seen.shape[1]))
    return _with_waste(seen, mask)


def _outline_of_strokes(bench: Bench, number: int) -> NDArray[np.float64]:
    """Round a copy none of whose cuts closes by itself, (n, 2) mm: what several enclose together, as on a panel, or all
    of them."""
    strokes = [bench.meant.lines[k].places for k in np.flatnonzero(bench.copy == number).tolist()]
    faces = list(
        shapely.get_parts(shapely.polygonize([shapely.unary_union([shapely.LineString(one) for one in strokes])]))
    )
    whole = shapely.union_all(faces) if faces else shapely.MultiPoint(np.vstack(strokes)).convex_hull
    largest = max(polygons(whole), key=lambda part: part.area, default=None)
    return np.vstack(strokes) if largest is None else shapely.get_coordinates(largest.exterior)
