"""Strokes to the areas they cover."""

from __future__ import annotations

import numpy as np
import shapely

from nibble_core.geometry import Path, Points, Region, run_lengths
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons
from nibble_core.geometry.segments import evaluate
from nibble_core.graphics.drawing import Shape, Stroke

CHORD = 0.0015  # mm: sagitta of the chords of a round cap or join
COARSE, FINE = 0.002, 0.00002  # mm: what a flattened stroke may be off by
NEAR_END = 1e-4  # of a segment
_CAPS = {"butt": "flat", "round": "round", "square": "square"}
_JOINS = {"miter": "mitre", "round": "round", "bevel": "bevel"}


def outlined(stroke: Stroke) -> list[Shape]:
    """The area a stroke covers, as shapes of its colour; none for a hairline."""
    if stroke.width <= 0:
        return []
    regions = [refit_polygon(area) for area in covered_by(stroke) if area.area > 1e-9]
    return [Shape(region, stroke.colour, stroke.layer, stroke.spot, stroke.opacity) for region in regions]


def covered_by(stroke: Stroke) -> list[shapely.Polygon]:
    """Polygons of everything within half a width of a stroke, dashes, caps and joins as it states them."""
    half = stroke.width / 2
    dashed = len(stroke.dashes) > 0 and sum(stroke.dashes) > 1e-6
    # dashes end at any chord, which must then point where the curve goes
    points = stroke.path.flattened(min(FINE if dashed else COARSE, stroke.width / 50))
    points = np.vstack([points, points[:1]]) if stroke.path.closed else _with_true_ends(points, stroke.path)
    step = 2 * np.arccos(np.clip(1 - min(CHORD, half / 4) / half, -1, 1))
    quarter = max(2, int(np.ceil(np.pi / 2 / max(step, 1e-3))))
    lines = _dashed(points, stroke.dashes, stroke.phase) if dashed else [points]
    areas = []
    for line in lines:
        if stroke.path.closed and not stroke.dashes and len(line) >= 4:
            geometry: shapely.Geometry = shapely.LinearRing(line)
        elif len(line) >= 2 and np.hypot(*np.ptp(line, axis=0)) > 1e-12:
            geometry = shapely.LineString(line)
        else:  # a point: only a round or square cap shows
            if stroke.cap == "butt":
                continue
            geometry = shapely.Point(line[0])
        areas.append(
            shapely.buffer(
                geometry, half, quad_segs=quarter, cap_style=_CAPS.get(stroke.cap, "flat"),
                join_style=_JOINS.get(stroke.join, "mitre"), mitre_limit=max(stroke.mitre_limit, 1.0),
            )
        )  # fmt: skip
    return polygons(shapely.union_all(areas)) if areas else []


def _with_true_ends(points: Points, path: Path) -> Points:
    """The points of a flattened open path with one more close to either end, so that caps stand across the curve and
    not across its last chord."""
    near = evaluate(path.kinds[[0, -1]], path.rows[[0, -1]], np.array([NEAR_END, 1 - NEAR_END]))
    return np.vstack([points[:1], near[:1], points[1:-1], near[1:], points[-1:]])


def _dashed(points: Points, dashes: tuple[float, ...], phase: float) -> list[Points]:
    """The drawn stretches of a polyline that starts ``phase`` into the pattern; an odd list of dashes and gaps is taken
    twice, as SVG and PDF do."""
    pattern = dashes if len(dashes) % 2 == 0 else dashes * 2
    along = run_lengths(points)
    length, at, index = float(along[-1]), -(phase % sum(pattern)), 0
    pieces: list[Points] = []
    while at < length and len(pieces) < 100_000:
        end = min(at + pattern[index % len(pattern)], length)
        start = max(at, 0.0)
        if index % 2 == 0 and end > start:
            inner = points[(along > start) & (along < end)]
            ends = [[np.interp(s, along, points[:, 0]), np.interp(s, along, points[:, 1])] for s in (start, end)]
            pieces.append(np.vstack([ends[:1], inner, ends[1:]]))
        at, index = max(end, at + 1e-6), index + 1
    return pieces


def region_of(shape: Shape | Stroke) -> list[Region]:
    """The regions a drawn shape covers."""
    if isinstance(shape, Shape):
        return [shape.region]
    return [made.region for made in outlined(shape)]
