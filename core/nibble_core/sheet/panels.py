"""Panels: a laid sheet that is wider than the stock, parted into strips that overlap."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import DoesNotFit
from nibble_core.geometry import Bundle, Path
from nibble_core.geometry.regions import courses

TRIED = 15  # places of each seam
FINE = 0.004  # mm that a clipped curve may lie off


class Panel(NamedTuple):
    """A strip of the sheet from ``left`` to ``right``, mm: it overlaps with its neighbours."""

    left: float
    right: float

    @property
    def width(self) -> float:
        return self.right - self.left


def panels(width: float, usable: float, overlap: float, busy: Sequence[BaseGeometry] = ()) -> list[Panel]:
    """As few strips as a stock of ``usable`` mm takes, as even as can be; their seams are moved within what is left
    over to where they cross least of ``busy``, small parts and edges. Raises DoesNotFit for an overlap that leaves
    nothing.
    """
    if width <= usable + 1e-9:
        return [Panel(0.0, width)]
    if overlap >= usable / 2:
        raise DoesNotFit(
            f"An overlap of {overlap:g} mm leaves too little of a stock {usable:.0f} mm wide.", "Lower the overlap."
        )
    count = math.ceil((width - overlap) / (usable - overlap) - 1e-9)
    each = (width + (count - 1) * overlap) / count
    slack = max(0.0, (usable - each) / 2)
    edges = shapely.union_all([shapely.boundary(one) for one in busy]) if busy else shapely.LineString()
    middles = []
    for k in range(1, count):
        even = k * (each - overlap) + overlap / 2
        places = even + np.linspace(-slack, slack, TRIED) if slack > 1 else np.array([even])
        middles.append(min(places.tolist(), key=lambda x: (_crossed(edges, x, overlap), abs(x - even))))
    lefts = [0.0, *(x - overlap / 2 for x in middles)]
    rights = [*(x + overlap / 2 for x in middles), width]
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


def _crossed(edges: BaseGeometry, x: float, overlap: float) -> int:
    """How many edges lie across the middle of a seam or run within its overlap."""
    if edges.is_empty:
        return 0
    low, high = edges.bounds[1] - 1, edges.bounds[3] + 1
    across = shapely.get_num_geometries(shapely.intersection(edges, shapely.LineString([(x, low), (x, high)])))
    band = shapely.clip_by_rect(edges, x - overlap / 2, low, x + overlap / 2, high)
    return 1000 * int(across) + round(float(band.length))
