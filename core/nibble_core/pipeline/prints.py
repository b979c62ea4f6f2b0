"""Stage *print*: what a layer prints, with its bleed, lowest first."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.artwork.background import Cleaned
from nibble_core.artwork.framing import inverse
from nibble_core.geometry import Affine, Box
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import oriented_rings, polygons
from nibble_core.graphics import Raster, Shape, Stroke
from nibble_core.graphics.coverage import covered
from nibble_core.graphics.stroking import outlined
from nibble_core.lines.bleed import bleed_pixels
from nibble_core.lines.contour import quarter_segments
from nibble_core.pipeline.clean import framing_of
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.sources import holes_of
from nibble_core.pipeline.store import Keyed, ResultStore, run_stage
from nibble_core.ticket.artwork import Artwork
from nibble_core.ticket.piece import Element, Layer, Line, Piece

VERSION = 4


@dataclass(frozen=True, eq=False)
class PrintedPicture:
    """Pixels over a width by height mm box with its corner at the origin, brought to the piece by each of
    ``places``."""

    raster: Raster
    width: float
    height: float
    places: tuple[Affine, ...]


@dataclass(frozen=True, eq=False)
class PrintResult:
    """What is printed, lowest first, and the box of everything that shows; None when nothing is printed."""

    items: tuple[PrintedPicture | Shape, ...]
    box: Box | None


def print_layer(
    store: ResultStore,
    piece: Piece,
    layer: Layer,
    composed: Keyed[PieceResult],
    artworks: Mapping[str, Artwork],
    pictures: Mapping[str, Keyed[Picture]],
    cleaned: Mapping[str, Keyed[Cleaned]],
    sizes: Mapping[str, tuple[float, float]],
    *,
    preview: bool,
) -> Keyed[PrintResult]:
    """The print of a layer: pixels of its artworks and painted text and simple shapes, or all of its shapes."""
    used = [element.artwork for element in piece.elements if element.kind == "artwork"]
    keys = [composed.key]
    if layer.prints == "the artwork":
        keys += [cleaned[id].key for id in used]
    elif layer.prints == "the client’s pixels":
        keys += [pictures[id].key for id in used]

    def compute() -> PrintResult:
        if layer.prints == "nothing":
            return PrintResult((), None)
        items: list[PrintedPicture | Shape] = []
        open_holes = _open_holes(layer, composed.value) if layer.bleed > 0 else []
        for element in piece.elements:
            if element.way in ("cut out", "common part"):
                continue
            if element.kind == "artwork" and layer.prints != "the shapes":
                own = artworks[element.artwork]
                raster = (
                    cleaned[element.artwork].value.raster
                    if layer.prints == "the artwork"
                    else framing_of(own).raster(pictures[element.artwork].value.raster)
                )
                picture = _picture(raster, sizes[element.artwork], element, layer, composed.value, open_holes)
                items += _without_taken(picture, piece, element, layer, composed.value)
            else:
                items += _painted(element.id, layer, composed.value, open_holes)
        return PrintResult(tuple(items), _around(items))

    by = [layer.prints, layer.bleed, *(sizes[id] for id in used), preview]
    if layer.bleed > 0:
        by += [(own.holes, own.smallest_hole, own.hole_marks) for own in _hole_cutters(layer)]
    if layer.prints == "the client’s pixels":
        by += [[artworks[id].crop, artworks[id].turn, artworks[id].facing] for id in used]
    return run_stage(store, "print", VERSION, by, keys, compute)


def _picture(
    raster: Raster,
    size: tuple[float, float],
    element: Element,
    layer: Layer,
    composed: PieceResult,
    open_holes: list[Polygon],
) -> PrintedPicture:
    places = composed.places[element.id]
    grow = float(np.sqrt(abs(places[0].determinant)))
    mm_per_px = size[0] / raster.width * grow
    if layer.bleed <= 0 or layer.prints != "the artwork":
        return PrintedPicture(raster, size[0], size[1], places)
    grown, pad = bleed_pixels(raster, layer.bleed, mm_per_px=mm_per_px)
    step = size[0] / raster.width
    corner = Affine.translation(-pad * step, -pad * step)
    at = tuple(corner.then(place) for place in places)
    made = PrintedPicture(grown, grown.width * step, grown.height * step, at)
    return replace(made, raster=_with_open_holes(made, raster, pad, open_holes, step))


def _hole_cutters(layer: Layer) -> list[Line]:
    return [
        line
        for line in layer.lines
        if line.on
        and line.process in ("through cut", "kiss cut")
        and line.source in ("the outer shape", "the shapes")
        and (line.holes == "kept" or line.hole_marks)
    ]


def _open_holes(layer: Layer, composed: PieceResult) -> list[Polygon]:
    """Holes that no line cuts: paper shows in them, and bleed keeps out. Those that are cut are edges like others."""
    holes = [Polygon(ring) for part in polygons(composed.whole) for ring in part.interiors]
    cut = [hole for line in _hole_cutters(layer) for hole, _ in holes_of(line, composed, composed.whole)]
    known = {hole.wkb for hole in cut}
    return [hole for hole in holes if hole.wkb not in known]


def _with_open_holes(
    made: PrintedPicture, original: Raster, pad: int, open_holes: list[Polygon], step: float
) -> Raster:
    """Bleed goes outward: holes that stay open keep what they held."""
    if not open_holes or not pad:
        return made.raster
    wide = shapely.union_all(shapely.buffer(np.array(open_holes), 1.5 * step))
    within = _cover(wide, made, 0) > 0.5
    before: NDArray[np.uint8] = np.zeros_like(made.raster.pixels)
    before[pad : pad + original.height, pad : pad + original.width] = original.pixels
    pixels = np.where(within[..., None], before, made.raster.pixels)
    return Raster(np.ascontiguousarray(pixels))


def _without_taken(
    picture: PrintedPicture, piece: Piece, element: Element, layer: Layer, composed: PieceResult
) -> list[PrintedPicture]:
    """Pixels without what later elements cut out of them, or leave outside the common part; bleed reaches over the new
    edges as over all others."""
    order = [own.id for own in piece.elements]
    takers = [
        (area, way)
        for id, area, way in composed.composed.takers
        if order.index(id) > order.index(element.id) and not area.is_empty
    ]
    if not takers:
        return [picture]
    made = []
    for number, place in enumerate(picture.places):
        alpha = picture.raster.alpha.astype(float)
        for area, way in takers:
            taken = area.buffer(-layer.bleed if way == "cut out" else layer.bleed, quad_segs=16)
            share = _cover(taken, picture, number)
            alpha *= 1 - share if way == "cut out" else share
        pixels = picture.raster.pixels.copy()
        pixels[..., 3] = np.rint(alpha)
        made.append(replace(picture, raster=Raster(pixels), places=(place,)))
    return made


def _cover(area: BaseGeometry, picture: PrintedPicture, place: int) -> NDArray[np.float64]:
    """Share of each pixel of the picture, at one of its places, that lies inside an area of the piece."""
    back, step = inverse(picture.places[place]), picture.width / picture.raster.width
    rings = []
    for part in polygons(area):
        outer, holes = oriented_rings(part)
        rings += [back.map(ring) / step for ring in (outer, *holes)]
    return covered(rings, picture.raster.width, picture.raster.height)


def _painted(id: str, layer: Layer, composed: PieceResult, open_holes: list[Polygon]) -> list[Shape]:
    """An element's shapes, each grown by the bleed beneath all of them."""
    own: list[Shape] = []
    for owner, shape in composed.composed.painted:
        if owner == id:
            own += outlined(shape) if isinstance(shape, Stroke) else [shape]
    if layer.bleed <= 0:
        return own
    quarter = quarter_segments(layer.bleed, 0.01)
    holes = shapely.union_all(open_holes)
    under = []
    for shape in own:
        grown = shapely.make_valid(shape.region.polygon()).buffer(layer.bleed, quad_segs=quarter).difference(holes)
        under += [replace(shape, region=refit_polygon(part, 0.02)) for part in polygons(grown)]
    return under + own


def _around(items: list[PrintedPicture | Shape]) -> Box | None:
    boxes = []
    for item in items:
        if isinstance(item, Shape):
            boxes.append(np.array(item.bounds()).reshape(2, 2))
        else:
            boxes.append(_visible(item))
    corners = np.vstack(boxes) if boxes else np.empty((0, 2))
    if not len(corners):
        return None
    return Box(*corners.min(0).tolist(), *corners.max(0).tolist())


def _visible(item: PrintedPicture) -> NDArray[np.float64]:
    """Corners of the pixels that are not wholly see-through, mm."""
    alpha = item.raster.alpha > 0
    rows, columns = np.nonzero(alpha.any(1))[0], np.nonzero(alpha.any(0))[0]
    if not len(rows):
        return np.empty((0, 2))
    x, y = item.width / item.raster.width, item.height / item.raster.height
    left, right, top, bottom = columns[0] * x, (columns[-1] + 1) * x, rows[0] * y, (rows[-1] + 1) * y
    corners = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
    return np.vstack([place.map(corners) for place in item.places])
