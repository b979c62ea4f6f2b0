"""What a copy of a layer fills on its sheet: all that others keep their distance from."""

from __future__ import annotations

import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry.regions import courses, polygons
from nibble_core.pipeline.lines import LayerResult
from nibble_core.pipeline.prints import PrintResult
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.store import Keyed, ResultStore, later
from nibble_core.processes import is_sent


def footprint_of(store: ResultStore, drawn: Keyed[LayerResult], printed: Keyed[PrintResult]) -> Keyed[BaseGeometry]:
    """All that a copy fills: what its lines enclose and run along, its print with its bleed, its alignment marks."""
    return later(store, _footprint, None, drawn, printed)


def footprint(layer: str, work: Work) -> BaseGeometry:
    """Of a layer that is drawn, by its id."""
    return work.layers[layer].footprint.value


def _footprint(_: None, drawn: LayerResult, printed: PrintResult) -> BaseGeometry:
    sent = [line for line in drawn.lines if is_sent(line.process)]
    areas: list[BaseGeometry] = [line.area for line in sent if line.regions]
    for line in sent:
        if not line.regions and len(line.paths):
            areas.append(shapely.union_all(courses(line.paths, 0.01)).buffer(0.05))
    areas += [drawn.shown, printed.area.buffer(printed.grain), printed.bled, *(mark.polygon() for mark in drawn.marks)]
    whole = shapely.union_all([area for area in areas if not area.is_empty])
    return shapely.union_all([shapely.Polygon(part.exterior) for part in polygons(whole)]).simplify(0.02)
