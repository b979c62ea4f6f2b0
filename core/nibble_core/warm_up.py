"""Compile the loops once, during set-up: traces a small drawing that takes every path through them."""

from __future__ import annotations

import numpy as np
import shapely

from nibble_core.geometry import Path, Region
from nibble_core.graphics import Raster
from nibble_core.lines.contour import contour, outer_shape
from nibble_core.tracing import trace_two_tone


def main() -> None:
    rows, columns = np.mgrid[0:120, 0:120]
    round_part = np.clip(40 - np.hypot(columns - 50, rows - 60) + 0.5, 0, 1)
    square_part = ((abs(columns - 80) < 25) & (abs(rows - 70) < 30)).astype(float)
    level = (255 * (1 - np.maximum(round_part, square_part))).astype(np.uint8)
    raster = Raster(np.dstack([level, level, level, np.full_like(level, 255)]))
    trace_two_tone(raster.grey(), raster, level=0.5)
    blob = shapely.Point(0, 0).buffer(20).union(shapely.box(10, -5, 60, 5))
    contour(outer_shape([Region(Path.polygon(np.asarray(blob.exterior.coords)[:-1]))]), 2.0)


if __name__ == "__main__":
    main()
