"""Stage *lines*: a piece layer's shapes to its production lines."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from shapely.geometry import MultiPolygon

from nibble_core.artwork.background import Cleaned
from nibble_core.errors import NothingToCut
from nibble_core.geometry import Box, Region
from nibble_core.lines.contour import contour, contour_preview, outer_shape
from nibble_core.pipeline.store import Keyed, ResultStore, run_stage
from nibble_core.pipeline.trace import TraceResult
from nibble_core.ticket.model import Layer, Line

VERSION = 2


@dataclass(frozen=True, eq=False)
class DrawnLine:
    """One line of the ticket as geometry in mm, in the piece's coordinates."""

    id: str
    process: str
    regions: tuple[Region, ...]

    @property
    def length(self) -> float:
        return sum(ring.length() for region in self.regions for ring in region.rings)

    @property
    def nodes(self) -> int:
        return sum(region.node_count for region in self.regions)


@dataclass(frozen=True, eq=False)
class LayerResult:
    """The lines of a layer, and the box that everything made of it fills."""

    lines: tuple[DrawnLine, ...]
    box: Box


def draw_lines(
    store: ResultStore,
    layer: Layer,
    traces: Sequence[Keyed[TraceResult]],
    cleaned: Sequence[Keyed[Cleaned]],
    *,
    preview: bool,
) -> Keyed[LayerResult]:
    """All lines of a layer that are switched on. Raises NothingToCut when one leaves nothing."""
    inputs = [trace.key for trace in traces]
    lines = [line for line in layer.lines if line.on]

    def compute() -> LayerResult:
        drawn = tuple(_draw(store, line, traces, inputs, preview) for line in lines)
        boxes = [region.bounds() for line in drawn for region in line.regions]
        boxes += [shape.bounds() for trace in traces for shape in trace.value.kept]
        if layer.prints != "nothing":
            boxes += [visible_box(c.value, t.value) for c, t in zip(cleaned, traces, strict=True)]
        return LayerResult(drawn, _around(boxes))

    stage = "lines-preview" if preview else "lines"
    keys = inputs + [c.key for c in cleaned if layer.prints != "nothing"]
    return run_stage(store, stage, VERSION, [layer.prints, *lines], keys, compute)


def _draw(
    store: ResultStore, line: Line, traces: Sequence[Keyed[TraceResult]], inputs: list[str], preview: bool
) -> DrawnLine:
    def area() -> MultiPolygon:
        regions = [region for trace in traces for region in trace.value.kept_regions]
        if not regions:
            raise NothingToCut("Only bare lines are kept: they have no outside to cut round.", "Trace shapes instead.")
        return outer_shape(regions, close_gaps=line.close_gaps)

    base = run_stage(store, "outer-shape", VERSION, line.close_gaps, inputs, area)
    make = contour_preview if preview else contour
    regions = make(base.value, line.distance, corners=line.corners, mitre_limit=line.mitre_limit)  # type: ignore[arg-type]
    return DrawnLine(line.id, line.process, tuple(regions))


def visible_box(cleaned: Cleaned, trace: TraceResult) -> Box:
    """The box of everything printed, mm: pixels that are not wholly see-through."""
    raster = cleaned.raster
    rows, columns = np.nonzero((raster.alpha > 0).any(1))[0], np.nonzero((raster.alpha > 0).any(0))[0]
    x, y = trace.width / raster.width, trace.height / raster.height
    return Box(float(columns[0]) * x, float(rows[0]) * y, float(columns[-1] + 1) * x, float(rows[-1] + 1) * y)


def _around(boxes: Sequence[Box]) -> Box:
    return Box(
        min(b.left for b in boxes),
        min(b.top for b in boxes),
        max(b.right for b in boxes),
        max(b.bottom for b in boxes),
    )
