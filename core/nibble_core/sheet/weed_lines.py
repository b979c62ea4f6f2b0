"""Weed lines: cuts across the waste of a sheet, so that it peels off in pieces of a handy size."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Bundle, Path
from nibble_core.geometry.regions import polygons

TRIED = 9  # places of each line
EARLIEST = 0.6  # of the largest size, where the next line may stand at the nearest
SHORTEST = 0.2  # mm, of a cut that does anything


def weed_lines(waste: BaseGeometry, copies: Sequence[BaseGeometry], largest: float, clear: float) -> Bundle:
    """Upright and level cuts through the waste, so that no piece of it is longer or wider than ``largest`` mm.

    waste: what is peeled, copies taken out or not. The cuts end ``clear`` mm before each copy: there the waste hangs by
    so little that it tears, see ``pieces_of_waste``. Of several places of each line the one with the least cutting is
    taken.
    """
    if waste.is_empty:
        return Bundle.of(())
    largest = max(largest - 2 * (clear + 0.02), largest / 2)  # beside a copy a piece reaches a little past its cut
    kept = shapely.buffer(np.array(copies, object), clear + 0.01, quad_segs=16)  # the chords of a curve lie within it
    tree = shapely.STRtree(kept)

    def within(line: BaseGeometry) -> BaseGeometry:
        near = tree.query(line, predicate="intersects")
        free = shapely.intersection(line, waste)
        return shapely.difference(free, shapely.union_all(kept[near])) if len(near) else free

    left, top, right, bottom = waste.bounds
    cuts: list[BaseGeometry] = []
    for low, high, upright in ((left, right, True), (top, bottom, False)):
        at = low
        while high - at > largest + 1e-9:
            left_over = math.ceil((high - at) / largest - 1e-9)  # lines still needed, and one: as even as they can be
            furthest = min(at + largest, high)
            nearest = min(max(at + EARLIEST * largest, high - (left_over - 1) * largest), furthest)
            made = []
            for place in np.linspace(furthest, nearest, TRIED):
                ends = [(place, top - 1), (place, bottom + 1)] if upright else [(left - 1, place), (right + 1, place)]
                made.append((within(shapely.LineString(ends)), float(place)))
            best, at = min(made, key=lambda one: round(shapely.length(one[0]), 3))
            cuts.append(best)
    return Bundle.of(
        Path.polygon(shapely.get_coordinates(part), closed=False)
        for cut in cuts
        for part in shapely.get_parts(cut)
        if part.geom_type == "LineString" and part.length > SHORTEST
    )


def pieces_of_waste(
    waste: BaseGeometry, copies: Sequence[BaseGeometry], cuts: Bundle, clear: float
) -> list[BaseGeometry]:
    """What is peeled in one pull each, without about ``clear`` mm round the copies: what hangs by no more than that,
    between a cut and a copy or between two copies that no cut fits between, tears."""
    points, begins = cuts.flattened() if len(cuts) else (np.empty((0, 2)), np.zeros(1, np.int64))
    lines = shapely.linestrings(points, indices=np.repeat(np.arange(len(cuts)), np.diff(begins)))
    parted = shapely.union_all(shapely.buffer(lines, 0.02, cap_style="square"))
    kept = shapely.union_all(shapely.buffer(np.array(copies, object), clear + 0.01 + SHORTEST / 2, quad_segs=16))
    return polygons(shapely.difference(shapely.difference(waste, kept), parted))
