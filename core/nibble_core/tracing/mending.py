"""Clean geometry: no stacked nodes, no segments of no length, no rings that cross themselves."""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Path, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons
from nibble_core.tracing.crossings import cut_at_crossings

STACKED = 1e-3
"""mm: nodes nearer than a file's positions are one node."""
LEAST_AREA = 1e-6
MENDED = 0.02
"""mm: how far a mended ring may lie off the one that crossed itself; nearer ones take hundreds of nodes."""
SLIVER = math.pi * MENDED**2  # mm²: a part or hole that a crossing cut off, too small to be told to within that
TOUCHING = 2e-5  # mm² by which a ring that crosses itself covers less or more than it encloses


@dataclass(frozen=True, eq=False)
class Mended:
    """Regions fit to be cut, and what was mended: “stacked nodes”, “self-crossings”, “empty rings”."""

    regions: tuple[Region, ...]
    counts: Counter[str]


def mended(region: Region) -> Mended:
    """A region without stacked nodes and crossings; it may fall into several, or into none."""
    counts: Counter[str] = Counter()
    rings = []
    for index, ring in enumerate(region.rings):
        whole, dropped = _without_stacked(ring)
        counts["stacked nodes"] += dropped
        if whole is None or abs(whole.area()) < LEAST_AREA:
            counts["empty rings"] += 1
            if index == 0:
                return Mended((), counts)
            continue
        rings.append(whole)
    cleaned = Region(rings[0], tuple(rings[1:]))
    whole = _uncrossed(cleaned)
    if whole is None:
        return Mended((cleaned,), +counts)
    counts["self-crossings"] += 1
    parts = [_without_slivers(part) for part in polygons(whole) if _is_part(part)]
    made = []
    for cut, part in zip(cut_at_crossings(cleaned, parts), parts, strict=True):
        sound = _unstacked(cut)
        is_sound = sound is not None and _uncrossed(sound) is None
        made.append(sound if sound is not None and is_sound else refit_polygon(part, MENDED, divisions=0))
    return Mended(tuple(made), +counts)


def _uncrossed(region: Region) -> BaseGeometry | None:
    """What a region whose rings cross covers; nothing for one whose rings cross nothing, or only touch at a node."""
    area = region.polygon()
    if area.is_valid:
        return None
    whole = shapely.make_valid(area)
    return None if abs(whole.area - region.area()) < TOUCHING else whole


def _unstacked(region: Region) -> Region | None:
    """Without stacked nodes; nothing where its outer ring is one."""
    outer, *holes = [_without_stacked(ring)[0] for ring in region.rings]
    return None if outer is None else Region(outer, tuple(hole for hole in holes if hole is not None))


def _is_part(area: shapely.Polygon) -> bool:
    """Whether what a crossing cut off can be told to within MENDED: neither so small nor so thin all along."""
    return bool(area.area > max(SLIVER, MENDED * area.length))


def _without_slivers(part: shapely.Polygon) -> shapely.Polygon:
    """Without holes that a crossing cut off."""
    holes = [hole for hole in part.interiors if _is_part(shapely.Polygon(hole))]
    return shapely.Polygon(part.exterior, holes)


def _without_stacked(ring: Path) -> tuple[Path | None, int]:
    """The ring without segments whose ends are one node and that go nowhere between."""
    rows = ring.rows
    chord = np.hypot(*(rows[:, 6:] - rows[:, :2]).T)
    reach = np.maximum(np.abs(rows[:, 2:4] - rows[:, :2]).max(1), np.abs(rows[:, 4:6] - rows[:, :2]).max(1))
    still = (chord < STACKED) & ((ring.kinds == 0) | ((ring.kinds == 2) & (reach < STACKED)))
    if not still.any():
        return ring, 0
    kept = rows[~still].copy()
    if len(kept) < 2:
        return None, int(still.sum())
    kept[:, 6:] = np.roll(kept[:, :2], -1, 0)
    return Path(ring.kinds[~still], kept), int(still.sum())
