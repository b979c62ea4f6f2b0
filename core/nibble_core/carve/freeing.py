"""Parts cut out of a board: round their outlines on the waste side, held by tabs until they are broken out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.carve.grooves import Course
from nibble_core.carve.passes import passes_to
from nibble_core.geometry import Points, run_lengths
from nibble_core.geometry.regions import oriented_rings, polygons

SEGMENTS = 24
SAME = 1e-6  # mm
SLOPE = math.tan(math.radians(30))  # of a tab's ends


@dataclass(frozen=True)
class Tabs:
    """What holds a part. places: middles of tabs, near its outline; each ``wide`` mm of material at its top and
    ``high`` above the bottom of the cut."""

    places: Sequence[tuple[float, float]] = ()
    wide: float = 6.0
    high: float = 2.0


def freed(area: BaseGeometry, diameter: float, depth: float, deepest_pass: float, tabs: Tabs = Tabs()) -> list[Course]:
    """Courses of a cutter's tip that free the parts of an area from a board ``depth`` mm thick: holes first, each ring
    in conventional passes, the last one at full depth, up over its tabs. Parts that are nearer to each other than the
    cutter is wide come off as one; holes that it does not fit into are left out."""
    rings: list[Points] = []
    for part in polygons(area.buffer(diameter / 2, quad_segs=SEGMENTS)):
        outer, holes = oriented_rings(part)
        rings += [*holes, outer]
    return _in_passes(rings, diameter, depth, deepest_pass, tabs)


def opened(hole: BaseGeometry, diameter: float, depth: float, deepest_pass: float, tabs: Tabs = Tabs()) -> list[Course]:
    """Courses that open a hole as ``freed`` frees parts; none where the cutter does not fit."""
    rings = [oriented_rings(part)[0][::-1] for part in polygons(hole.buffer(-diameter / 2, quad_segs=SEGMENTS))]
    return _in_passes(rings, diameter, depth, deepest_pass, tabs)


def _in_passes(rings: Sequence[Points], diameter: float, depth: float, deepest_pass: float, tabs: Tabs) -> list[Course]:
    passes = passes_to(depth, deepest_pass)
    homes = [_nearest(rings, place) for place in tabs.places] if rings else []
    made: list[Course] = []
    for number, ring in enumerate(rings):
        own = [place for place, home in zip(tabs.places, homes, strict=True) if home == number]
        closed = _begun_between(np.vstack([ring, ring[:1]])[::-1], own)
        for k in range(1, passes + 1):
            made.append(_over_tabs(closed, -depth * k / passes, own, tabs, depth, diameter))
    return made


def _begun_between(ring: Points, places: Sequence[tuple[float, float]]) -> Points:
    """A closed ring begun in the middle of its longest way from one tab to the next: leads are to cut none."""
    if not places:
        return ring
    line = shapely.LineString(ring)
    tabs = np.sort([line.project(shapely.Point(place)) for place in places])
    gaps = np.diff(tabs, append=tabs[0] + line.length)
    k = int(np.argmax(gaps))
    start = float((tabs[k] + gaps[k] / 2) % line.length)
    along = run_lengths(ring)
    first = np.array([[np.interp(start, along, ring[:, axis]) for axis in (0, 1)]])
    return np.vstack([first, ring[along > start + SAME], ring[1:][along[1:] < start - SAME], first])


def _nearest(rings: Sequence[Points], place: tuple[float, float]) -> int:
    point = shapely.Point(place)
    return int(np.argmin([shapely.LinearRing(ring).distance(point) for ring in rings]))


def _over_tabs(
    ring: Points, z: float, places: Sequence[tuple[float, float]], tabs: Tabs, depth: float, diameter: float
) -> Course:
    """A ring at a depth, raised where tabs stand: the cutter's own width more, so that they are as wide as is asked."""
    top = -depth + tabs.high
    if z >= top or not places:
        return np.column_stack([ring, np.full(len(ring), z)])
    line = shapely.LineString(ring)
    long = line.length
    half = (tabs.wide + diameter) / 2
    run = min((top - z) / SLOPE, half)
    stops = [(0.0, z), (long, z)]
    along = run_lengths(ring)
    for place in places:
        middle = line.project(shapely.Point(place))
        middle = min(max(middle, half + run), long - half - run) if long > 2 * (half + run) else long / 2
        stops += [(middle - half - run, z), (middle - half, top), (middle + half, top), (middle + half + run, z)]
    stops.sort()
    at = np.unique(np.concatenate([along, [one for one, _ in stops]]))
    at = at[(at >= 0) & (at <= long)]
    height = np.interp(at, [one for one, _ in stops], [one for _, one in stops])
    points = np.column_stack([np.interp(at, along, ring[:, 0]), np.interp(at, along, ring[:, 1])])
    return np.column_stack([points, height])
