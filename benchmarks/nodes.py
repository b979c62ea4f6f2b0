"""Nodes of contours: how they change from one distance to the next, and with the kind of corners."""

from __future__ import annotations

import numpy as np
from tests import zoo

from nibble_core.errors import NothingToCut
from nibble_core.geometry import Region
from nibble_core.geometry.regions import union
from nibble_core.graphics import Shape
from nibble_core.lines.contour import Corners, contour, outer_shape_of
from nibble_core.pipeline.trace import traced_raster
from nibble_core.ticket.artwork import Trace

SHAPES = ("leaf", "cloud", "flower", "winged badge", "lizard", "crescent", "soft blob", "rough blob", "script", "oars")
DISTANCES = np.round(np.arange(0.1, 6.05, 0.1), 1)  # at 0 corners have no arcs yet


def run() -> None:
    for corners in ("round", "mitred", "bevelled"):
        _steps(corners)


def _steps(corners: Corners) -> None:
    print(
        f"{corners} contours of traced shapes, {len(DISTANCES)} distances 0.1 mm apart: nodes, most times a neighbour's"
    )
    worst = []
    for name in SHAPES:
        base = outer_shape_of(union(traced(name)))
        counts = []
        for distance in DISTANCES:
            try:
                counts.append(sum(region.node_count for region in contour(base, float(distance), corners=corners)))
            except NothingToCut:
                continue
        row = np.array(counts, float)
        steps = np.maximum(row[1:] / row[:-1], row[:-1] / row[1:])
        at = int(np.argmax(steps))
        worst.append(float(steps[at]))
        print(f"  {name:14} {row.min():5.0f} to {row.max():5.0f}, median {np.median(row):5.0f}; {steps[at]:.2f} times "
              f"({row[at]:.0f} at {DISTANCES[at]:g} mm, {row[at + 1]:.0f} at {DISTANCES[at + 1]:g} mm)")  # fmt: skip
    print(f"  most {max(worst):.2f} times (wanted: 1.5)")


def traced(name: str) -> list[Region]:
    """A shape of the zoo as its two-tone trace at 1200 px, 100 mm wide."""
    drawing, _ = traced_raster(zoo.picture(zoo.shape(name), 1200), Trace(), 100.0)
    return [shape.region for shape in drawing.shapes if isinstance(shape, Shape)]
