"""Stage *trace*: the cleaned picture to shapes in mm, with what rules and hands drop from them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
import shapely

from nibble_core.artwork.background import Cleaned
from nibble_core.errors import NothingToTrace
from nibble_core.graphics import Grey, Raster, Shape
from nibble_core.pipeline.store import Keyed, ResultStore, run_stage
from nibble_core.ticket.model import Artwork, TouchUp
from nibble_core.tracing import Traced, measured_noise, suggested_threshold, trace_two_tone

VERSION = 1
ALIKE = 60  # largest difference of a channel between a touch-up's colour and its region's


@dataclass(frozen=True, eq=False)
class TracedShape:
    """A shape in mm, its anchor in the artwork, and why it is left out: "" (kept), "small" or "hand"."""

    shape: Shape
    x: float
    y: float
    size: float
    dropped: str = ""


@dataclass(frozen=True, eq=False)
class TraceResult:
    """Shapes of one artwork in mm, origin its top left, and how true they are.

    ``level``: grey level used; ``suggested``: the one Nibble would use. Deviations in mm from the grey iso-line,
    None in a preview. ``lost``: ids of touch-ups whose place holds no such region any more.
    """

    width: float
    height: float
    shapes: tuple[TracedShape, ...]
    level: float
    suggested: float
    worst_deviation: float | None
    mean_deviation: float | None
    lost: tuple[str, ...] = ()

    @property
    def kept(self) -> list[Shape]:
        return [traced.shape for traced in self.shapes if not traced.dropped]

    @property
    def nodes(self) -> int:
        return sum(shape.region.node_count for shape in self.kept)


def trace(
    store: ResultStore,
    cleaned: Keyed[Cleaned],
    artwork: Artwork,
    *,
    preview: bool,
    cancelled: Callable[[], bool],
) -> Keyed[TraceResult]:
    """Shapes of an artwork, dropped ones among them."""
    specification = artwork.trace
    raster = cleaned.value.raster
    mm_per_px = artwork.width / raster.width

    def find() -> tuple[Traced, float]:
        grey, suggested = ink_field(raster, specification.mode)
        level = (
            suggested if specification.threshold is None or specification.mode == "outer" else specification.threshold
        )
        noise = _known_noise(store, cleaned, specification.mode, grey, suggested) if preview else None
        tolerance = None if specification.deviation is None else specification.deviation / mm_per_px
        traced = trace_two_tone(
            grey, raster, level=level, tolerance=tolerance, filled=specification.mode == "outer",
            polished=not preview,
            noise=noise, cancelled=cancelled,
        )  # fmt: skip
        return traced, suggested

    # the fit in pixels depends on the size only through a deviation stated in mm
    by = [
        specification.mode,
        specification.threshold,
        specification.deviation and specification.deviation / mm_per_px,
    ]
    found = run_stage(store, "iso-preview" if preview else "iso", VERSION, by, [cleaned.key], find)

    def compute() -> TraceResult:
        traced, suggested = found.value
        worst, mean = (None, None) if preview else (d * mm_per_px for d in traced.deviation())
        whole = float(raster.width * raster.height)
        shapes = [
            TracedShape(
                region.shape(mm_per_px), region.place[0] / raster.width, region.place[1] / raster.height,
                min(region.area / whole, 1.0),
            )
            for region in traced.regions
        ]  # fmt: skip
        shapes = [replace(s, dropped="small") if _extent(s) < specification.smallest else s for s in shapes]
        shapes, lost = touched_up(shapes, artwork.touch_ups, artwork.width, raster.height * mm_per_px)
        return TraceResult(
            artwork.width,
            raster.height * mm_per_px,
            tuple(shapes),
            traced.level,
            suggested,
            worst,
            mean,
            lost,
        )

    key = [artwork.width, specification.smallest, *artwork.touch_ups]
    return run_stage(store, "trace", VERSION, key, [found.key], compute)


def _known_noise(store: ResultStore, cleaned: Keyed[Cleaned], mode: str, grey: Grey, suggested: float) -> float:
    """The picture's noise at the suggested level, measured once for all previews."""
    measure = partial(measured_noise, grey, suggested, filled=mode == "outer")
    return run_stage(store, "noise", VERSION, mode, [cleaned.key], measure).value


def require_shapes(result: TraceResult) -> None:
    """Raises NothingToTrace when nothing that was found is kept."""
    if not result.kept:
        raise NothingToTrace(
            "The tracing finds nothing that is kept.",
            "Move the threshold, lower the smallest part, or bring dropped regions back.",
        )


def ink_field(raster: Raster, mode: str) -> tuple[Grey, float]:
    """The grey surface to trace and the level suggested for it.

    For the outer shape of a picture without background that is its transparency, so that pale parts of the
    drawing count as drawing.
    """
    if mode == "outer" and raster.is_see_through:
        return np.asarray(1 - raster.alpha.astype(np.float32) / 255, np.float32), 0.5
    grey = raster.grey()
    return grey, suggested_threshold(grey)


def touched_up(
    shapes: Sequence[TracedShape], touch_ups: Sequence[TouchUp], width: float, height: float
) -> tuple[list[TracedShape], tuple[str, ...]]:
    """Shapes with the corrections by hand applied, and the ids of corrections that found no such region.

    A correction finds the region that covers its place, of similar colour and half to twice its size.
    """
    result, lost = list(shapes), []
    if not touch_ups:
        return result, ()
    areas = [shapely.make_valid(traced.shape.region.polygon(0.05)) for traced in result]
    tree = shapely.STRtree(areas)
    for touch in touch_ups:
        place = shapely.Point(touch.x * width, touch.y * height)
        fits = [
            int(i)
            for i in tree.query(place, predicate="intersects")
            if 0.5 <= result[i].size / max(touch.size, 1e-12) <= 2
            and max(abs(a - b) for a, b in zip(result[i].shape.colour, touch.colour, strict=True)) <= ALIKE
        ]
        if not fits:
            lost.append(touch.id)
        for i in fits:
            result[i] = replace(result[i], dropped="hand" if touch.kind == "drop" else "")
    return result, tuple(lost)


def _extent(traced: TracedShape) -> float:
    nodes = traced.shape.region.outer.nodes
    return float((nodes.max(0) - nodes.min(0)).max())
