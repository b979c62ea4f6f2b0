"""Centre-lines: drawings of strokes whose middles and widths are known, traced from PNG and JPEG."""

from __future__ import annotations

import math

import numpy as np
import shapely

from benchmarks.tracing import jpeg
from nibble_core.geometry.fitting import densified
from nibble_core.geometry.nearest import distances_to_lines
from nibble_core.graphics import Raster
from nibble_core.graphics.coverage import covered
from nibble_core.tracing.centre_lines import stroke_lines, trace_centre_lines

BESIDE = 2.0  # stroke widths beside a junction or an end that are left out


def run() -> None:
    print(
        "centre-lines: px from the true middles beyond two widths of junctions and ends: mean, p95; strokes against the"
    )
    print("true number; largest error of a width in px")
    ratios, means = [], []
    for name, (lines, width, junctions) in drawings().items():
        raster = inked(lines, width)
        for kind, degrade in (("PNG", None), ("q75", jpeg(75))):
            picture = raster if degrade is None else degrade(raster)
            traced = trace_centre_lines(picture.grey(), picture, level=0.5)
            apart = far_from(traced_lines := stroke_lines(traced.strokes), lines, junctions, width)
            strokes = len(traced_lines) / len(lines)
            widths = max(abs(stroke.width - width) for stroke in traced.strokes)
            ratios.append(strokes)
            means.append(float(apart.mean()))
            print(f"  {name:14}{kind}{apart.mean():8.3f}{np.percentile(apart, 95):8.3f}{strokes:8.2f}{widths:8.2f}")
    print(f"  mean: median {np.median(means):.3f}, worst {max(means):.3f}; strokes: median {np.median(ratios):.2f}, "
          f"worst {max(ratios):.2f}")  # fmt: skip


def drawings() -> dict[str, tuple[list[np.ndarray], float, list[tuple[float, float]]]]:
    """Lines in pixels of a 400 px square, their width, and where they meet."""
    t = np.linspace(0, 1, 300)
    turn = 2 * math.pi * t
    wave = np.stack([40 + 320 * t, 200 + 60 * np.sin(2.5 * turn)], 1)
    spiral = np.stack([200 + (20 + 150 * t) * np.cos(2.2 * turn), 200 + (20 + 150 * t) * np.sin(2.2 * turn)], 1)
    ring = np.stack([200 + 120 * np.cos(turn), 200 + 90 * np.sin(turn)], 1)
    corner = np.array([[60.0, 330], [150, 80], [240, 330], [330, 80]])
    return {
        "wave": ([wave], 7.0, []),
        "spiral": ([spiral], 5.0, []),
        "ring": ([ring], 9.0, []),
        "zigzag": ([corner], 8.0, [tuple(c) for c in corner]),
        "cross": ([np.array([[60.0, 70], [340, 330]]), np.array([[70.0, 320], [330, 60]])], 8.0, [(199.2, 199.3)]),
        "tee": ([np.array([[50.0, 120], [350, 130]]), np.array([[200.0, 125], [210, 350]])], 10.0, [(200.0, 125.0)]),
        "hair": ([wave * [1, 0.5] + [0, 80]], 2.5, []),
    }


def inked(lines: list[np.ndarray], width: float) -> Raster:
    area = shapely.union_all([shapely.LineString(line).buffer(width / 2, quad_segs=32) for line in lines])
    rings = []
    for part in getattr(area, "geoms", [area]):
        outlines = shapely.polygons([part.exterior]).tolist()[0]
        rings.append(np.asarray(shapely.orient_polygons(outlines).exterior.coords)[:-1])
        rings += [np.asarray(hole.coords)[:-1] for hole in shapely.orient_polygons(part).interiors]
    level = np.rint(255 * (1 - covered(rings, 400, 400))).astype(np.uint8)
    return Raster(np.dstack([level, level, level, np.full_like(level, 255)]))


def far_from(
    made: list[np.ndarray], lines: list[np.ndarray], junctions: list[tuple[float, float]], width: float
) -> np.ndarray:
    """Distances both ways, at places beyond two widths of any junction or end."""
    spots = [*junctions, *(tuple(line[k]) for line in lines for k in (0, -1))]
    out = []
    for samples, target in ((made, lines), (lines, made)):
        places = np.vstack([densified(line, 0.5) for line in samples])
        off = np.hypot(*(places[:, None] - np.array(spots)[None]).transpose(2, 0, 1)).min(1)
        out.append(distances_to_lines(places[off > BESIDE * width], target))
    return np.concatenate(out)
