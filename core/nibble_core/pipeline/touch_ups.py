"""Stage *trace*, second half: corrections by hand, each at its place in the artwork."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
import shapely

from nibble_core.artwork.background import Cleaned
from nibble_core.formats.svg_path import drawn_until_error
from nibble_core.geometry import Affine, Points, Region
from nibble_core.graphics import Colour, Shape, colours_apart
from nibble_core.graphics.filling import filled_regions
from nibble_core.pipeline.clean import framing_of
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.store import Keyed, ResultStore, stage
from nibble_core.pipeline.trace import Found, Rules, TracedShape, TraceResult, find_shapes, in_mm
from nibble_core.ticket.artwork import Artwork, TouchUp
from nibble_core.tracing import editing

ALIKE = 60  # largest difference of a channel between a touch-up's colour and its region's
REACH = 0.05  # of the artwork's width: how far an edge may have moved from the places that name it
OUTLINE_UNIT = 1000.0  # pinned outlines are in thousandths of the artwork's width
WHITE: Colour = (255, 255, 255)


def trace(
    store: ResultStore,
    picture: Keyed[Picture],
    cleaned: Keyed[Cleaned],
    artwork: Artwork,
    size: tuple[float, float],
    *,
    preview: bool,
    cancelled: Callable[[], bool],
) -> Keyed[TraceResult]:
    """Shapes of an artwork, dropped ones among them. ``size``: finished width and height, mm."""
    found = find_shapes(store, picture, cleaned, artwork, size[0], preview=preview, cancelled=cancelled)
    facts, own = picture.value.facts, artwork.trace
    paper = facts.border_colour if facts.boxed and cleaned.value.way == "keep" else WHITE
    own_ground = cleaned.value.way == "see-through" and cleaned.value.raster.is_see_through
    rules = Rules(
        size, framing_of(artwork), own.mode, own.smallest, own.smallest_hole, own.paper, None if own_ground else paper,
        artwork.touch_ups, preview,
    )  # fmt: skip
    return stage(store, _finished, rules, found)


def _finished(rules: Rules, fit: Found) -> TraceResult:
    """A fit at its size, with the corrections by hand."""
    shapes, counts = in_mm(fit, rules)
    shapes, lost = touched_up(shapes, rules)
    scale = rules.size[0] / fit.unit
    worst, mean = (None, None) if fit.deviation is None else (d * scale for d in fit.deviation)
    places = () if rules.preview else tuple(line * scale for line in fit.places)
    return TraceResult(
        *rules.size, tuple(shapes), fit.level, fit.suggested, worst, mean, lost, tuple(sorted(counts.items())),
        fit.palette, places, fit.busy, fit.two_way,
    )  # fmt: skip


def touched_up(shapes: Sequence[TracedShape], rules: Rules) -> tuple[list[TracedShape], tuple[str, ...]]:
    """Shapes with the corrections by hand, in the order they were made, and the ids of those that found nothing.

    A correction finds the region that covers its place, of similar colour and half to twice its size.
    """
    work = _Bench(list(shapes), rules)
    lost = [touch.id for touch in rules.touch_ups if not work.apply(touch)]
    return work.shapes, tuple(lost)


class _Bench:
    def __init__(self, shapes: list[TracedShape], rules: Rules) -> None:
        self.shapes = shapes
        self._size, self._framing = rules.size, rules.framing
        self._one_ink = rules.mode in ("two-tone", "outer")
        self._areas: list[shapely.Geometry] | None = None

    def apply(self, touch: TouchUp) -> bool:
        """Make one correction; False when its place holds no such region."""
        if touch.kind in ("rub out", "fill in"):
            return self._brush(touch)
        if touch.kind in ("straighten", "smooth", "arc"):
            return self._edge(touch)
        if touch.kind == "join":
            return self._join(touch)
        fits = self._at(touch)
        if touch.kind in ("drop", "keep"):
            for i in self._alike(touch, fits):
                self.shapes[i] = replace(self.shapes[i], dropped="hand" if touch.kind == "drop" else "")
            return bool(fits)
        if touch.kind in ("fill hole", "open hole"):
            return self._hole(touch)
        return self._reshape(touch, fits)

    def _mm(self, fractions: Points) -> Points:
        return self._framing.forward(fractions.reshape(-1, 2)) * self._size

    def _place(self, x: float, y: float) -> tuple[float, float]:
        px, py = self._mm(np.array([[x, y]]))[0].tolist()
        return px, py

    def _index(self) -> list[shapely.Geometry]:
        if self._areas is None:
            self._areas = [
                shapely.make_valid(one.shape.region.polygon(0.05)) if isinstance(one.shape, Shape)
                else shapely.LineString(one.shape.path.flattened(0.05)).buffer(max(one.shape.width / 2, 0.3))
                for one in self.shapes
            ]  # fmt: skip
        return self._areas

    def _at(self, touch: TouchUp) -> list[int]:
        point = shapely.Point(self._place(touch.x, touch.y))
        return [
            i for i, area in enumerate(self._index())
            if area.intersects(point) and _like(self.shapes[i], touch)
        ]  # fmt: skip

    def _alike(self, touch: TouchUp, fits: list[int]) -> list[int]:
        if touch.alike == "only this" or not fits:
            return fits
        if touch.alike == "of this colour":
            return [i for i, one in enumerate(self.shapes) if _near(one.shape.colour, touch.colour)]
        return [i for i, one in enumerate(self.shapes) if 0.5 <= one.size / max(touch.size, 1e-12) <= 2]

    def _set(self, changes: dict[int, list[Region]]) -> None:
        """Shapes with other regions; one that falls into several becomes several."""
        result: list[TracedShape] = []
        for i, one in enumerate(self.shapes):
            if i not in changes:
                result.append(one)
                continue
            assert isinstance(one.shape, Shape)
            whole = self._size[0] * self._size[1]
            for region in changes[i]:
                size = min(max(region.area() / whole, 0.0), 1.0)
                result.append(replace(one, shape=replace(one.shape, region=region), size=size))
        self.shapes, self._areas = result, None

    def _kept(self) -> list[int]:
        return [i for i, one in enumerate(self.shapes) if not one.dropped and isinstance(one.shape, Shape)]

    def _region(self, i: int) -> Region:
        shape = self.shapes[i].shape
        assert isinstance(shape, Shape)
        return shape.region

    def _brush(self, touch: TouchUp) -> bool:
        if len(touch.points) < 2:
            return False
        points = self._mm(np.array(touch.points[: len(touch.points) // 2 * 2]))
        way = editing.way_of(points, touch.width)
        hit = [i for i in self._kept() if self._index()[i].intersects(way)]
        if touch.kind == "rub out":
            self._set({i: editing.rubbed(self._region(i), way) for i in hit})
            return bool(hit)
        if not hit:
            return False
        # the filler is of the colour that it begins on, and takes its place from the others; two-tone is one ink
        start = shapely.Point(points[0])
        first = min(hit, key=lambda i: self._index()[i].distance(start))
        colour = self.shapes[first].shape.colour
        own = [i for i in hit if self._one_ink or _near(self.shapes[i].shape.colour, colour)]
        made = editing.filled_in([self._region(i) for i in own], way)
        if made is None:
            return False
        left = {i: editing.rubbed(self._region(i), way) for i in hit if i not in own}
        self._set({**left, own[0]: [made], **{i: [] for i in own[1:]}})
        return True

    def _edge(self, touch: TouchUp) -> bool:
        kept = self._kept()
        one, other = self._place(touch.x, touch.y), self._place(touch.x2, touch.y2)
        found = editing.edges_between([self._region(i) for i in kept], one, other, REACH * self._size[0])
        for index, ring in found:  # a region stays one, so that those behind it keep their places
            self._set({kept[index]: [editing.with_edge(self._region(kept[index]), ring, one, other, touch.kind)]})
        return bool(found)

    def _join(self, touch: TouchUp) -> bool:
        one, other = self._place(touch.x, touch.y), self._place(touch.x2, touch.y2)
        bar = editing.bridge(one, other, touch.width)
        hit = [i for i in self._kept() if self._index()[i].intersects(bar)]
        made = editing.filled_in([self._region(i) for i in hit], bar)
        if len(hit) < 2 or made is None:
            return False
        self._set({hit[0]: [made], **{i: [] for i in hit[1:]}})
        return True

    def _hole(self, touch: TouchUp) -> bool:
        place = self._place(touch.x, touch.y)
        for i in self._kept():
            region = self._region(i)
            hole = editing.hole_at(region, place)
            if hole is not None:
                if touch.kind == "fill hole":
                    self._set({i: [editing.without_hole(region, hole)]})
                return True
        return False

    def _reshape(self, touch: TouchUp, fits: list[int]) -> bool:
        fits = [i for i in fits if isinstance(self.shapes[i].shape, Shape)]
        if not fits:
            return False
        region = self._region(fits[0])
        if touch.kind == "circle":
            made = [editing.as_circle(region)]
        elif touch.kind == "ellipse":
            made = [editing.as_ellipse(region)]
        else:
            paths, _ = drawn_until_error(touch.outline)
            grow = Affine.scale(self._size[0] / OUTLINE_UNIT)
            made = filled_regions([path.mapped(grow) for path in paths], even_odd=True)
        if made:
            self._set({fits[0]: made})
        return bool(made)


def _like(one: TracedShape, touch: TouchUp) -> bool:
    return 0.5 <= one.size / max(touch.size, 1e-12) <= 2 and _near(one.shape.colour, touch.colour)


def _near(one: Colour, other: Colour) -> bool:
    return colours_apart(one, other) <= ALIKE
