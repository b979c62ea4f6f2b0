"""Interlocked pairs against rows of boxes, the better of two turns: sheet saved, time, and how near two copies come."""

from __future__ import annotations

import time

import shapely
import shapely.affinity

from nibble_core.geometry import Box
from nibble_core.lines.figures import figure
from nibble_core.sheet import Part, grid, interlocked, room

GAP = 2.0
COPIES = 200
WITHIN = room(spacing=GAP, usable_width=1300.0, usable_length=1e6, mark_count=0)


def run() -> None:
    for name, shape in shapes().items():
        turned = shapely.affinity.rotate(shape, 90)
        rows = [grid([Part("l", Box(*one.bounds), COPIES)], WITHIN) for one in (shape, turned)]
        best = min(sheet.width * sheet.height for sheet in rows)
        start = time.process_time()
        laid = interlocked([Part("l", Box(*shape.bounds), COPIES, shape)], WITHIN)
        seconds = time.process_time() - start
        put = [shapely.affinity.affine_transform(shape, [m.a, m.c, m.b, m.d, m.e, m.f]) for _, m in laid.placements]
        tree = shapely.STRtree(put)
        pairs = zip(*tree.query(put, predicate="dwithin", distance=3 * GAP), strict=True)
        near = min(put[a].distance(put[b]) for a, b in pairs if a < b)
        saved = 100 * (1 - laid.width * laid.height / best)
        print(f"{name}: {saved:.0f} % saved, nearest {near:.3f} mm ({GAP:g} asked), {seconds:.2f} s of processor")


def shapes() -> dict[str, shapely.Geometry]:
    return {
        "circle": shapely.Point(0, 0).buffer(25, quad_segs=64),
        "triangle": shapely.Polygon([(0, 0), (50, 0), (25, 43)]),
        "kite": shapely.Polygon([(0, 20), (20, 0), (40, 20), (20, 70)]), "bar": shapely.box(0, 0, 60, 20),
        "letter L": shapely.union_all([shapely.box(0, 0, 15, 60), shapely.box(0, 45, 45, 60)]),
        "star": figure("star", 60, 60)[0].polygon(),
    }  # fmt: skip
