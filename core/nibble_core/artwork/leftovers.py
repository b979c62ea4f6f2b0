"""Shapes in a client's drawing that nobody sees, and that would be cut all the same."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from nibble_core.graphics import Drawing, Drawn, Shape
from nibble_core.graphics.stroking import covered_by

PAPER = 250  # a fill whose channels are all at least this is the paper's colour
SAME = 3  # decimals of mm in which two shapes that lie on one spot agree
MOST_COVERING = 200
SLACK = 0.01  # mm by which a cover may fall short
FILLS = 0.98  # of the page that a background fills, each way
CLEAR = 0.005  # of the page, by which a drawing keeps off the edges of its background


def without_leftovers(drawing: Drawing) -> tuple[Drawing, list[tuple[Drawn, str]]]:
    """The shapes that can be seen, and those that cannot, each with its reason (see formats.client_drawing)."""
    shapes = list(drawing.shapes)
    reasons: dict[int, str] = {}
    page = shapely.box(0, 0, drawing.width, drawing.height)
    boxes = [shapely.box(*shape.bounds()) for shape in shapes]
    for i, box in enumerate(boxes):
        if not page.intersects(box):
            reasons[i] = "off the page"
    for i in _doubled(shapes):
        reasons.setdefault(i, "doubled")
    areas = [_area(shape) for shape in shapes]
    for i in _covered(shapes, areas, boxes):
        reasons.setdefault(i, "covered")
    kept = tuple(shape for i, shape in enumerate(shapes) if i not in reasons)
    if not kept:
        return drawing, []
    return Drawing(drawing.width, drawing.height, kept), [(shapes[i], reasons[i]) for i in sorted(reasons)]


def _area(shape: Drawn) -> shapely.Geometry:
    if isinstance(shape, Shape):
        return shapely.make_valid(shape.region.polygon(0.01))
    if shape.width <= 0:
        return shapely.LineString(shape.path.flattened(0.01)) if len(shape.path) else shapely.Point()
    return shapely.MultiPolygon(covered_by(shape))


def _doubled(shapes: Sequence[Drawn]) -> list[int]:
    """All but the last of shapes with the same geometry and paint."""
    last: dict[tuple[object, ...], int] = {}
    again = []
    for i, shape in enumerate(shapes):
        paths = shape.region.rings if isinstance(shape, Shape) else (shape.path,)
        width = None if isinstance(shape, Shape) else round(shape.width, SAME)
        places = tuple(sorted(map(tuple, np.round(np.vstack([path.nodes for path in paths]), SAME).tolist())))
        key = (isinstance(shape, Shape), shape.colour, width, shape.layer, places)
        if key in last:
            again.append(last[key])
        last[key] = i
    return again


def _covered(
    shapes: Sequence[Drawn], areas: Sequence[shapely.Geometry], boxes: Sequence[shapely.Geometry]
) -> list[int]:
    """Shapes that lie wholly beneath opaque ones painted later."""
    solid = [i for i, shape in enumerate(shapes) if isinstance(shape, Shape) and shape.opacity >= 0.999]
    if not solid:
        return []
    tree = shapely.STRtree([boxes[i] for i in solid])
    found = []
    for i, area in enumerate(areas):
        above = [solid[k] for k in tree.query(boxes[i]) if solid[k] > i]
        if not above or len(above) > MOST_COVERING:
            continue
        inner = area.buffer(-SLACK) if area.geom_type in ("Polygon", "MultiPolygon") else area
        if inner.is_empty:
            inner = area
        if any(areas[k].covers(inner) for k in above) or shapely.union_all([areas[k] for k in above]).covers(inner):
            found.append(i)
    return found


def page_background(shapes: Sequence[Drawn], width: float, height: float) -> set[int]:
    """White areas that fill the page beneath a drawing which keeps off its edges: they stand for paper.

    Other white is drawn: a flag's field, letters on a bar. So is a white page whose edges other shapes reach, and white
    that is all there is, for dark material.
    """
    found: set[int] = set()
    for i, shape in enumerate(shapes):
        box = shape.bounds()
        fills = min(box.width / width, box.height / height) > FILLS
        if not (isinstance(shape, Shape) and min(shape.colour) >= PAPER and fills and not shape.region.holes):
            break
        if shape.region.area() < FILLS * box.width * box.height:
            break
        found.add(i)
    rest = [shape.bounds() for i, shape in enumerate(shapes) if i not in found]
    edge = CLEAR * max(width, height)
    clear = all(b.left > edge and b.top > edge and b.right < width - edge and b.bottom < height - edge for b in rest)
    return found if rest and clear else set()
