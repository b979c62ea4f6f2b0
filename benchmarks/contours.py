"""Offset contours: true distance both ways, segments, and the preview's time against the bare buffer call."""

from __future__ import annotations

import math

import numpy as np
import shapely
from shapely.geometry import Polygon

from benchmarks.tracing import median_seconds
from nibble_core.geometry import Path, Region
from nibble_core.lines.contour import contour, contour_preview, outer_shape, quarter_segments


def run() -> None:
    print("contour 2 mm outside: largest error both ways in mm, segments against the flattened outline's")
    errors, ratios, times = [], [], []
    for name, points in shapes().items():
        area = outer_shape([Region(Path.polygon(points))])
        regions = contour(area, 2.0)
        error = two_way_error(area, regions, 2.0)
        bare = area.buffer(2.0, quad_segs=quarter_segments(2.0))
        before, after = shapely.get_num_coordinates(bare), sum(region.node_count for region in regions)
        preview = median_seconds(lambda area=area: contour_preview(area, 2.0))
        buffer = median_seconds(lambda area=area: area.buffer(2.0, quad_segs=quarter_segments(2.0)))
        errors.append(error)
        ratios.append(before / after)
        times.append(preview / buffer)
        print(f"  {name:22} error {error:.4f}   {before:6} -> {after:4} segments ({before / after:5.1f} times fewer)"
              f"   preview {preview / buffer:.2f} of the bare buffer")  # fmt: skip
    print(f"  worst error {max(errors):.4f}, fewest saved {min(ratios):.1f} times, slowest preview {max(times):.2f}")


def shapes() -> dict[str, np.ndarray]:
    angles = {n: np.linspace(0, 2 * math.pi, n, endpoint=False) for n in (200, 2000, 20_000)}
    made = {}
    for n, a in angles.items():
        r = 30 * (1 + 0.12 * np.sin(3 * a + 1) + 0.06 * np.cos(7 * a) + 0.03 * np.sin(13 * a))
        made[f"blob of {n} points"] = np.stack([r * np.cos(a), r * np.sin(a)], 1)
        made[f"ellipse of {n} points"] = np.stack([45 * np.cos(a), 22 * np.sin(a)], 1)
    return made


def two_way_error(area: shapely.MultiPolygon, regions: list[Region], distance: float) -> float:
    drawn = shapely.union_all([Polygon(region.outer.flattened(0.0005)) for region in regions]).boundary
    points = shapely.points(np.vstack([region.outer.flattened(0.001) for region in regions]))
    there = np.abs(shapely.distance(points, area) - distance).max()
    ideal = shapely.get_coordinates(area.buffer(distance, quad_segs=500).boundary)
    return float(max(there, shapely.distance(shapely.points(ideal), drawn).max()))
