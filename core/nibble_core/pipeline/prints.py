"""Stage *print*: what a layer prints, with its bleed, lowest first."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from nibble_core.artwork.background import Cleaned
from nibble_core.artwork.framing import inverse
from nibble_core.geometry import Affine, Box
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons
from nibble_core.graphics import Raster, Shape, Stroke
from nibble_core.graphics.coverage import covered
from nibble_core.graphics.stroking import outlined
from nibble_core.lines.bleed import bleed_pixels
from nibble_core.lines.contour import quarter_segments
from nibble_core.pipeline.clean import framing_of
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.store import Keyed, ResultStore, run_stage
from nibble_core.ticket.artwork import Artwork
from nibble_core.ticket.piece import Element, Layer, Piece

VERSION = 2


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
                items.append(_picture(raster, sizes[element.artwork], element, layer, composed.value))
            else:
                items += _painted(element.id, layer, composed.value)
        return PrintResult(tuple(items), _around(items))

    by = [layer.prints, layer.bleed, *(sizes[id] for id in used), preview]
    if layer.prints == "the client’s pixels":
        by += [[artworks[id].crop, artworks[id].turn, artworks[id].facing] for id in used]
    return run_stage(store, "print", VERSION, by, keys, compute)


def _picture(
    raster: Raster, size: tuple[float, float], element: Element, layer: Layer, composed: PieceResult
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
    return replace(made, raster=_with_open_holes(made, raster, pad, composed, step))


def _with_open_holes(made: PrintedPicture, original: Raster, pad: int, composed: PieceResult, step: float) -> Raster:
    """Bleed goes outward: holes within the artwork stay see-through."""
    holes = [Polygon(ring) for part in polygons(composed.whole) for ring in part.interiors]
    if not holes or not pad:
        return made.raster
    back = inverse(made.places[0])
    rings = []
    for hole in shapely.buffer(np.array(holes), 1.5 * step):
        for part in polygons(hole):
            rings.append(back.map(shapely.get_coordinates(part.exterior)[:-1]) / step)
    within = covered(rings, made.raster.width, made.raster.height) > 0.5
    before: NDArray[np.uint8] = np.zeros_like(made.raster.pixels)
    before[pad : pad + original.height, pad : pad + original.width] = original.pixels
    pixels = np.where(within[..., None], before, made.raster.pixels)
    return Raster(np.ascontiguousarray(pixels))


def _painted(id: str, layer: Layer, composed: PieceResult) -> list[Shape]:
    """An element's shapes, each grown by the bleed beneath all of them."""
    own: list[Shape] = []
    for owner, shape in composed.composed.painted:
        if owner == id:
            own += outlined(shape) if isinstance(shape, Stroke) else [shape]
    if layer.bleed <= 0:
        return own
    quarter = quarter_segments(layer.bleed, 0.01)
    holes = shapely.union_all([Polygon(ring) for part in polygons(composed.whole) for ring in part.interiors])
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
