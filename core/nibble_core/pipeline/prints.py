"""Stage *print*: what a layer prints, with its bleed, lowest first."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.artwork.background import Cleaned
from nibble_core.artwork.blended import blended
from nibble_core.artwork.framing import Framing
from nibble_core.formats.client_page import page_alone
from nibble_core.formats.pdf_drawing import page_look
from nibble_core.geometry import Affine, Box, Bundle, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import oriented_rings, polygons
from nibble_core.geometry.units import MM_PER_INCH
from nibble_core.graphics import Drawn, Raster, Shape, Stroke
from nibble_core.graphics.coverage import covered
from nibble_core.graphics.silhouette import silhouette
from nibble_core.graphics.stroking import outlined, region_of
from nibble_core.lines.bleed import bleed_pixels
from nibble_core.lines.composing import area_of
from nibble_core.lines.offsetting import quarter_segments
from nibble_core.pipeline.clean import framing_of, size_in_px, worked_on
from nibble_core.pipeline.client_files import Sources, client_file
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.lines import LayerResult, edge_line
from nibble_core.pipeline.read import Picture, client_page, finer_look
from nibble_core.pipeline.store import Keyed, ResultStore, derived, later, stage
from nibble_core.pipeline.trace import TraceResult
from nibble_core.processes import FILM, PIECE, frees
from nibble_core.ticket.artwork import Artwork
from nibble_core.ticket.piece import Element, Layer, Piece, Plate, Printed, Prints, SpotPlate

EDGE = 0.02  # mm within a cut that bleed begins, so that no hair of paper shows
SOFT_EDGE = 3.0  # px within a cut that a picture's edge may still be see-through
AT_EDGE = 0.6  # mm: what is printed nearer to a cut than this goes on beyond it; a rim of paper so narrow is a fault
LOOKED_AT = 1500  # px of a picture across, from which its silhouette is told
WHITE = 250  # level from which nothing is printed
FRINGE = 1  # px of soft edge round what was dropped, beside those that it touches
PRINT_PPI = 300.0  # that drawings are printed in
MOST_PX = 12_000_000  # of a drawing's pictures together
WORTH = 1.1  # times as fine as it is that another picture must be
NOT_PRINTED = ("cut out", "common part")
"""Ways of an element that add nothing to see."""
AS_IT_CAME = ("the client’s pixels", "the client’s page")


@dataclass(frozen=True, eq=False)
class PrintedPicture:
    """Pixels over a width by height mm box with its corner at the origin, brought to the piece by each of
    ``places``."""

    raster: Raster
    width: float
    height: float
    places: tuple[Affine, ...]

    @property
    def mm_per_px(self) -> float:
        """At its first place."""
        return self.width / self.raster.width * float(np.sqrt(abs(self.places[0].determinant)))

    @property
    def to_pixels(self) -> Affine:
        """From the piece to the pixels of its first place."""
        grow = Affine.scale(self.width / self.raster.width, self.height / self.raster.height)
        return grow.then(self.places[0]).inverse()


@dataclass(frozen=True, eq=False)
class PrintedPage(PrintedPicture):
    """A client's PDF page, with its pixels for screens and papers. content: a PDF of that page alone, which ``framed``
    brings from a page_width by page_height mm box to the artwork's; clip: what is printed of it, in the piece."""

    content: bytes
    page_width: float
    page_height: float
    framed: Affine
    clip: tuple[Region, ...]

    @property
    def digest(self) -> str:
        return hashlib.sha256(self.content).hexdigest()


@dataclass(frozen=True, eq=False)
class Coverage:
    """How much of a picture is covered, in levels (rows, columns) of at most LOOKED_AT across; ``placed`` brings them
    to the piece at each of the picture's places."""

    levels: NDArray[np.uint8]
    placed: tuple[Affine, ...]

    @classmethod
    def of(cls, picture: PrintedPicture, alpha: NDArray[np.uint8]) -> Coverage:
        """By a picture's ``alpha``, or a part of it."""
        raster = picture.raster
        step = max(1, round(max(raster.width, raster.height) / LOOKED_AT))
        width, height = max(1, raster.width // step), max(1, raster.height // step)
        levels = np.asarray(cv2.resize(alpha, (width, height), interpolation=cv2.INTER_AREA), np.uint8)
        grow = Affine.scale(picture.width / width, picture.height / height)
        return cls(levels, tuple(grow.then(place) for place in picture.places))

    def silhouettes(self) -> list[BaseGeometry]:
        """What is covered at each place, mm."""
        own = _silhouette(self.levels)
        return [shapely.transform(own, placed.map) for placed in self.placed]

    def about(self, parts: BaseGeometry) -> list[BaseGeometry]:
        """What is covered at each place, mm, without pixels that lie wholly within some parts."""
        height, width = self.levels.shape
        within = [_share(parts, placed, width, height) > 1 - 1 / 255 for placed in self.placed]
        return [
            shapely.transform(_silhouette(np.where(inside, np.uint8(0), self.levels)), placed.map)
            for inside, placed in zip(within, self.placed, strict=True)
        ]


def _silhouette(levels: NDArray[np.uint8]) -> BaseGeometry:
    return shapely.union_all(silhouette(levels.astype(np.float32) / 255))


def _inked(raster: Raster) -> NDArray[np.uint8]:
    """The alpha of a picture without what is white, which prints nothing."""
    return np.where(raster.least >= WHITE, np.uint8(0), raster.alpha)


@dataclass(frozen=True, eq=False)
class PrintResult:
    """What is printed, lowest first, and the box of everything that shows; None when nothing is printed.

    area: what is printed without its bleed, white as well, ink: that without white, bled: where bleed is printed, and
    grain: mm that a picture's edge may be told wrong by.
    """

    items: tuple[PrintedPicture | Shape, ...]
    box: Box | None
    area: BaseGeometry = field(default_factory=Polygon)
    ink: tuple[Coverage | BaseGeometry, ...] = ()
    grain: float = 0.0
    bled: BaseGeometry = field(default_factory=Polygon)

    def beyond(self, parts: BaseGeometry) -> BaseGeometry:
        """What of the ink lies outside some parts."""
        found: list[BaseGeometry] = []
        for one in self.ink:
            found += one.about(parts) if isinstance(one, Coverage) else [one]
        return shapely.union_all(found).difference(parts)


@dataclass(frozen=True)
class Printing:
    """What a print depends on, beside its piece and pictures. framings: of the elements whose pixels are printed."""

    prints: Prints
    elements: tuple[Element, ...]
    framings: tuple[tuple[str, Framing], ...]


@dataclass(frozen=True)
class Pixels:
    """How an element prints the pixels of its artwork. size: finished, mm. mode: of its trace. recoloured: whether
    Clean changes more than where it can be seen through. unblended: whether it works on the pixels of a picture before
    it was enlarged smoothly."""

    element: str
    framing: Framing
    size: tuple[float, float]
    mode: str = ""
    recoloured: bool = False
    unblended: bool = False


@dataclass(frozen=True, eq=False)
class WholePage:
    """A client's page alone as a PDF, how that looks, the file as it was read, and its pixels after Clean."""

    content: bytes
    look: Raster | None
    came: Picture
    cleared: Raster


@dataclass(frozen=True, eq=False)
class ElementPrint:
    """plain: an element's pixels without bleed. covers: what it covers at its places. page: printed in their place."""

    plain: PrintedPicture
    covers: list[BaseGeometry]
    page: WholePage | None


class TracedArtwork(NamedTuple):
    """An artwork as a piece is composed of it. size: width and height of the finished picture, mm."""

    artwork: Artwork
    picture: Keyed[Picture]
    size: tuple[float, float]
    cleaned: Keyed[Cleaned]
    trace: Keyed[TraceResult]


def print_layer(
    store: ResultStore,
    piece: Piece,
    layer: Layer,
    composed: Keyed[PieceResult],
    drawn: Keyed[LayerResult],
    traced: Mapping[str, TracedArtwork],
    sources: Sources,
    *,
    preview: bool,
) -> Keyed[PrintResult]:
    """The print of a layer: pixels or whole pages of its artworks and painted text and simple shapes, or all of its
    shapes.

    What Trace drops leaves the artwork's print, too. Bleed is printed beyond the cuts only, where what is printed
    reaches them.
    """
    prints = layer.prints
    if not isinstance(prints, Printed):
        return stage(store, _nothing_printed, None)
    of_pixels: list[Keyed[ElementPrint]] = []
    framings: list[tuple[str, Framing]] = []
    for element in piece.elements if prints.kind != "the shapes" else ():
        if not element.artwork or element.way in NOT_PRINTED:
            continue
        own, picture, size, clean, trace = traced[element.artwork]
        framing = framing_of(own)
        if picture.value.drawing is None:  # cut where its pixels are traced
            framing = framing.snapped(*worked_on(*size_in_px(own, picture.value)))
        longer = None if preview else _longer(picture.value, framing, size, len(composed.value.places[element.id]))
        file = client_file(own.file, sources)
        fine = later(store, _fine, Finer(own.name, longer), picture, file) if longer else derived(_no_finer, None)
        if prints.kind in AS_IT_CAME:
            plain = derived(_as_it_came, Pixels(element.id, framing, size), composed, picture, fine)
        else:
            unblended = own.clean.blends == "its true pixels" and not preview
            by = Pixels(element.id, framing, size, own.trace.mode, _recoloured(own), unblended)
            plain = derived(_as_cleaned, by, composed, picture, clean, trace, fine)
        whole = derived(_no_page, None)
        if prints.kind == "the client’s page":
            page = later(store, _page_alone, (own.name, own.part), file)
            whole = derived(_whole_page, None, page, picture, clean)
        of_pixels.append(derived(_element_print, None, plain, later(store, _covers, None, plain), whole))
        framings.append((element.id, framing))
    printing = Printing(replace(prints, plate=Plate()), piece.elements, tuple(framings))
    bounded = prints.bleed > 0 or prints.kind == "the client’s page"
    cut = derived(_cuts, None, drawn) if bounded else derived(_no_cuts, None)
    return stage(store, _printed, printing, composed, cut, *of_pixels)


def _nothing_printed(_: None) -> PrintResult:
    return PrintResult((), None)


def _as_it_came(by: Pixels, composed: PieceResult, came: Picture, finer: Raster | None) -> PrintedPicture:
    """An element's pixels at its places, as the client sent them, as fine as they are printed."""
    raster = by.framing.raster(came.raster if finer is None else finer)
    return PrintedPicture(raster, *by.size, composed.places[by.element])


def _as_cleaned(
    by: Pixels, composed: PieceResult, came: Picture, cleaned: Cleaned, traced: TraceResult, finer: Raster | None
) -> PrintedPicture:
    """The same after Clean, without what Trace drops."""
    clean = cleaned.raster
    if finer is not None and not by.recoloured:
        clean = _as_clean(by.framing.raster(finer), clean, by.framing.raster(came.raster))
    if by.unblended and came.facts.blend:  # printed as smooth as it came
        fine = by.framing.raster(came.raster)
        clean = blended(clean, fine.width, fine.height, came.facts.blend.kernel)
    return PrintedPicture(without_dropped(clean, traced, by.mode), *by.size, composed.places[by.element])


def _covers(_: None, plain: PrintedPicture) -> list[BaseGeometry]:
    """What an artwork covers, whatever its lines do: kept while one of them is dragged."""
    return Coverage.of(plain, plain.raster.alpha).silhouettes()


def _whole_page(_: None, page: tuple[bytes, Raster | None] | None, came: Picture, cleaned: Cleaned) -> WholePage | None:
    return None if page is None else WholePage(*page, came, cleaned.raster)


def _no_page(_: None) -> WholePage | None:
    return None


def _element_print(_: None, plain: PrintedPicture, covers: list[BaseGeometry], page: WholePage | None) -> ElementPrint:
    return ElementPrint(plain, covers, page)


def _cuts(_: None, drawn: LayerResult) -> LayerResult | None:
    return drawn


def _no_cuts(_: None) -> LayerResult | None:
    """Of a print that they do not bound."""
    return None


def _printed(
    by: Printing, composed: PieceResult, drawn: LayerResult | None, *of_pixels: ElementPrint
) -> PrintResult:  # fmt: skip
    """of_pixels: of the elements that have framings, in their order."""
    prints, framings = by.prints, dict(by.framings)
    assert isinstance(prints, Printed)
    own_prints = dict(zip(framings, of_pixels, strict=True))
    items: list[PrintedPicture | Shape] = []
    bare: list[BaseGeometry] = []
    bled: list[BaseGeometry] = []
    ink: list[Coverage | BaseGeometry] = []
    grain = 0.0
    parts = MultiPolygon() if drawn is None else cut_parts(drawn, composed)
    for element in by.elements:
        if element.way in NOT_PRINTED:
            continue
        own = own_prints.get(element.id)
        if own is None:
            shapes, zone = _painted(element.id, prints, composed, parts)
            items += shapes
            bled.append(zone)
            drawings = [shape for owner, shape in composed.composed.painted if owner == element.id]
            bare += [area_of(shape) for shape in drawings]
            ink += [area_of(shape) for shape in drawings if min(shape.colour) < WHITE]
            continue
        plain = own.plain
        bare += own.covers
        ink.append(Coverage.of(plain, _inked(plain.raster)))
        grain = max(grain, plain.mm_per_px)
        zone = _bleeding(composed.whole, parts, prints, inward=max(EDGE, SOFT_EDGE * plain.mm_per_px))
        if prints.kind != "the client’s pixels":
            bled.append(zone)
        if own.page is None:
            for picture in _pictures(plain, prints, zone):
                items += _without_taken(picture, by.elements, element, zone, composed)
            continue
        clip = None
        if drawn is not None and _cut(drawn):
            clip = _left(parts.buffer(prints.bleed), by.elements, element, zone, composed)
        cleared = replace(plain, raster=own.page.cleared)
        for picture in _bleed_alone(cleared, prints, zone if clip is None else zone.intersection(clip)):
            items += _without_taken(picture, by.elements, element, zone, composed)
        items += _pages(plain, own.page, framings[element.id], clip)
    return PrintResult(
        tuple(items), _around(items), shapely.union_all(bare), tuple(ink), grain, shapely.union_all(bled)
    )


def plate_of(store: ResultStore, plate: SpotPlate, printed: Keyed[PrintResult]) -> Keyed[tuple[Region, ...]]:
    """The area of a layer's white or varnish: all that prints with its bleed, spread or choked."""
    return stage(store, _plate, plate.plate_spread, printed)


def _plate(spread: float, printed: PrintResult) -> tuple[Region, ...]:
    area = printed.area.union(printed.bled)
    grown = area.buffer(spread) if spread else area
    return tuple(refit_polygon(part) for part in polygons(grown))


@dataclass(frozen=True)
class Finer:
    """A drawing's picture, so many pixels along its longer side. name: of its file."""

    name: str
    longer: int


def _longer(picture: Picture, framing: Framing, size: tuple[float, float], copies: int) -> int | None:
    """How many pixels a drawing's picture must have along its longer side to be printed; None for pixels, and where
    what is there will do. copies: bleed may make a picture of each."""
    if picture.drawing is None:
        return None
    there = picture.raster
    wanted = size[0] / MM_PER_INCH * PRINT_PPI / framing.raster(there).width
    grow = min(wanted, (MOST_PX / copies / (there.width * there.height)) ** 0.5)
    return None if grow < WORTH else round(grow * max(there.width, there.height))


def _fine(by: Finer, picture: Picture, content: bytes) -> Raster | None:
    return finer_look(content, by.name, picture, by.longer)


def _no_finer(_: None) -> Raster | None:
    return None


def _recoloured(artwork: Artwork) -> bool:
    """Whether Clean changes more of a picture than where it can be seen through."""
    own = artwork.clean
    return own.calm != "off" or own.tones != "none"


def _as_clean(fine: Raster, clean: Raster, before: Raster) -> Raster:
    """A finer picture, as see-through as Clean made what was there before."""
    kept = np.where(before.alpha > 0, clean.alpha / np.maximum(before.alpha, 1), 1.0).astype(np.float32)
    if kept.min() >= 1.0:
        return fine
    share = cv2.resize(kept, (fine.width, fine.height), interpolation=cv2.INTER_LINEAR)
    pixels = fine.pixels.copy()
    pixels[..., 3] = np.rint(fine.alpha * np.minimum(share, 1.0))
    return Raster(pixels)


def _kissed(drawn: LayerResult) -> list[BaseGeometry]:
    """What is cut round in the film."""
    return [line.area for line in drawn.lines if frees(line.process) == FILM and line.regions]


def _cut(drawn: LayerResult) -> bool:
    """Whether anything that prints is cut out."""
    return edge_line(drawn.lines) is not None or bool(_kissed(drawn))


def cut_parts(drawn: LayerResult, composed: PieceResult) -> MultiPolygon:
    """What the cuts leave of the print: parts that are kiss cut, else the piece within its edge without its openings,
    else everything within the artwork's outermost edge."""
    kiss = _kissed(drawn)
    if kiss:
        return MultiPolygon(polygons(shapely.union_all(kiss)))
    edge = edge_line(drawn.lines)
    if edge is None:
        return MultiPolygon([Polygon(part.exterior) for part in polygons(composed.whole)])
    inner = [line.area for line in drawn.lines if frees(line.process) == PIECE and line is not edge and line.regions]
    # a cut that runs on the edge once more opens nothing
    hair = EDGE * edge.area.length
    inner = [area for area in inner if area.area < edge.area.area - hair]
    openings = shapely.union_all([area for area in inner if edge.area.contains(area.buffer(-EDGE))])
    return MultiPolygon(polygons(edge.area.difference(openings)))


def without_dropped(raster: Raster, trace: TraceResult, mode: str) -> Raster:
    """A picture without what was dropped at Trace: by hand, as a frame, and specks on paper."""
    reasons = ("hand", "frame") if mode == "colours" else ("hand", "frame", "small")
    dropped = [one.shape for one in trace.shapes if one.dropped in reasons]
    if not dropped:
        return raster
    px = raster.width / trace.width
    # sums along a row leave rounding behind every shape: less than a level is none
    gone = (_cover_of(dropped, raster, px) > 1 / 255).astype(np.uint8)
    fringed = cv2.dilate(gone, np.ones((2 * FRINGE + 1, 2 * FRINGE + 1), np.uint8)) > 0
    pixels = raster.pixels.copy()
    alpha = pixels[..., 3]
    alpha[fringed] = np.rint(alpha[fringed] * _cover_of(trace.kept, raster, px)[fringed])
    return Raster(pixels)


def _cover_of(shapes: Sequence[Drawn], raster: Raster, px: float) -> NDArray[np.float64]:
    """How much of each pixel of a picture some shapes cover, px to the mm."""
    rings = [ring for shape in shapes for region in region_of(shape) for ring in region.rings]
    points = Bundle.of(rings).arrays_of_points(0.05 / px) if rings else []
    return covered([own * px for own in points], raster.width, raster.height)


def _pictures(plain: PrintedPicture, prints: Printed, zone: BaseGeometry) -> list[PrintedPicture]:
    """The artwork's pixels with their bleed in ``zone``: one picture for all its places, or one each where bleed
    differs."""
    if zone.is_empty or prints.kind != "the artwork":
        return [plain]
    made, pad = _grown(plain, prints)
    if not pad:
        return [plain]
    raster = plain.raster
    before: NDArray[np.uint8] = np.zeros_like(made.raster.pixels)
    before[pad : pad + raster.height, pad : pad + raster.width] = raster.pixels
    return _where_bled(made, zone, before)


def _bleed_alone(plain: PrintedPicture, prints: Printed, zone: BaseGeometry) -> list[PrintedPicture]:
    """What the artwork's pixels bleed in ``zone``, without the artwork: one picture for each of its places."""
    if zone.is_empty:
        return []
    made, pad = _grown(plain, prints)
    return _where_bled(made, zone, np.zeros_like(made.raster.pixels)) if pad else []


def _grown(plain: PrintedPicture, prints: Printed) -> tuple[PrintedPicture, int]:
    """A picture with its bleed all round, and by how many px it has grown on each side."""
    reach = prints.bleed + _at_edge(prints) if prints.bleed > 0 else 0.0
    grown, pad = bleed_pixels(plain.raster, reach, mm_per_px=plain.mm_per_px)
    step = plain.width / plain.raster.width
    corner = Affine.translation(-pad * step, -pad * step)
    at = tuple(corner.then(place) for place in plain.places)
    return PrintedPicture(grown, grown.width * step, grown.height * step, at), pad


def _where_bled(made: PrintedPicture, zone: BaseGeometry, before: NDArray[np.uint8]) -> list[PrintedPicture]:
    """For each place of a grown picture its pixels in ``zone``, and those of before elsewhere."""
    pictures = []
    for number, place in enumerate(made.places):
        bled = cover(zone, made, number) > 0.5
        pixels = np.where(bled[..., None], made.raster.pixels, before)
        pictures.append(replace(made, raster=Raster(np.ascontiguousarray(pixels)), places=(place,)))
    return pictures


def _page_alone(named: tuple[str, str], content: bytes) -> tuple[bytes, Raster | None] | None:
    """A client's page alone, and how it looks; None where a part of a named file is no page of a PDF."""
    found = client_page(content, *named)
    if found is None:
        return None
    page = page_alone(*found)
    return page, page_look(page, 1)


def _pages(plain: PrintedPicture, page: WholePage, framing: Framing, clip: BaseGeometry | None) -> list[PrintedPage]:
    """A client's page at each place of an artwork's pixels, within ``clip`` and what the artwork is cropped to."""
    assert page.came.drawing is not None
    whole = page.came.drawing.drawing
    framed = Affine.scale(1 / whole.width, 1 / whole.height).then(framing.affine())
    framed = framed.then(Affine.scale(plain.width, plain.height))
    if page.look is not None:
        plain = replace(plain, raster=framing.raster(page.look))
    made = []
    for place in plain.places:
        area = shapely.transform(shapely.box(0, 0, plain.width, plain.height), place.map)
        if clip is not None:
            area = area.intersection(clip)
        one = replace(plain, places=(place,))
        pixels = plain.raster.pixels.copy()
        pixels[..., 3] = np.rint(plain.raster.alpha * cover(area, one, 0))
        regions = tuple(refit_polygon(part) for part in polygons(area))
        if regions:
            made.append(
                PrintedPage(
                    Raster(pixels), plain.width, plain.height, (place,), page.content, whole.width, whole.height,
                    framed, regions,
                )
            )  # fmt: skip
    return made


def _left(
    area: BaseGeometry, elements: Sequence[Element], element: Element, zone: BaseGeometry, composed: PieceResult
) -> BaseGeometry:
    """An area without what later elements cut out of it, or leave outside the common part."""
    for taken, way in _takers(elements, element, zone, composed):
        area = area.difference(taken) if way == "cut out" else area.intersection(taken)
    return area


def _takers(
    elements: Sequence[Element], element: Element, zone: BaseGeometry, composed: PieceResult
) -> list[tuple[BaseGeometry, str]]:
    """What later elements take of an element, or leave of it, and in which way; bleed reaches over their edges."""
    order = [own.id for own in elements]
    return [
        (one.area.difference(zone) if one.way == "cut out" else one.area.union(zone), one.way)
        for one in composed.composed.takers
        if order.index(one.id) > order.index(element.id) and not one.area.is_empty
    ]


def _bleeding(printed: BaseGeometry, parts: MultiPolygon, prints: Printed, *, inward: float) -> BaseGeometry:
    """Where bleed is printed: from what is printed at the edges of the parts to as far beyond them as is stated.
    ``inward``: mm within the edge, where pixels are see-through by half.

    Where the cut runs a little outside the ink, bleed fills what lies between: it grows from the ink, not from the cut.
    """
    if prints.bleed <= 0:
        return Polygon()
    rim = _at_edge(prints)
    near = printed.difference(parts.buffer(-rim))
    if near.is_empty:
        return near
    quarter = quarter_segments(prints.bleed + rim, 0.01)
    reached = near.buffer(prints.bleed + rim + 2 * inward, quad_segs=quarter)
    beyond = reached.intersection(parts.buffer(prints.bleed + 2 * (inward - EDGE), quad_segs=quarter))
    between = near.buffer(rim + inward).difference(parts.buffer(-rim)).difference(printed)
    return beyond.difference(parts.buffer(-inward)).union(between.intersection(parts))


def _at_edge(prints: Printed) -> float:
    """mm within a cut that ink counts as printed at its edge."""
    return max(prints.cutting_error, AT_EDGE)


def _without_taken(
    picture: PrintedPicture, elements: Sequence[Element], element: Element, zone: BaseGeometry, composed: PieceResult
) -> list[PrintedPicture]:
    """Pixels without what later elements cut out of them, or leave outside the common part; where bleed is printed, it
    reaches over the new edges as over all others."""
    takers = _takers(elements, element, zone, composed)
    if not takers:
        return [picture]
    made = []
    for number, place in enumerate(picture.places):
        alpha = picture.raster.alpha.astype(float)
        for taken, way in takers:
            share = cover(taken, picture, number)
            alpha *= 1 - share if way == "cut out" else share
        pixels = picture.raster.pixels.copy()
        pixels[..., 3] = np.rint(alpha)
        made.append(replace(picture, raster=Raster(pixels), places=(place,)))
    return made


def cover(area: BaseGeometry, picture: PrintedPicture, place: int) -> NDArray[np.float64]:
    """Share of each pixel of the picture, at one of its places, that lies inside an area of the piece."""
    width, height = picture.raster.width, picture.raster.height
    step = picture.width / width
    return _share(area, Affine.scale(step, step).then(picture.places[place]), width, height)


def _share(area: BaseGeometry, placed: Affine, width: int, height: int) -> NDArray[np.float64]:
    """Share of each of width by height pixels, which ``placed`` brings to the piece, inside an area of it."""
    back = placed.inverse()
    parts = np.array(polygons(area))
    frame = shapely.transform(shapely.box(0, 0, width, height), placed.map)
    rings = []
    for part in parts[shapely.STRtree(parts).query(frame)]:  # of a piece that repeats a picture, those near this one
        outer, holes = oriented_rings(part)
        rings += [back.map(ring) for ring in (outer, *holes)]
    return covered(rings, width, height)


def _painted(
    id: str, prints: Printed, composed: PieceResult, parts: MultiPolygon
) -> tuple[list[Shape], BaseGeometry]:  # fmt: skip
    """An element's shapes, with their bleed beneath all of them, and where that is printed."""
    own: list[Shape] = []
    for owner, shape in composed.composed.painted:
        if owner == id:
            own += outlined(shape) if isinstance(shape, Stroke) else [shape]
    under, zones = [], []
    for shape in own:
        grown = _bleeding(shapely.make_valid(shape.region.polygon()), parts, prints, inward=EDGE)
        zones.append(grown)
        # a hair larger, so that it lies beneath what it grows from
        beneath = grown.buffer(EDGE, join_style="mitre") if not grown.is_empty else grown
        under += [replace(shape, region=refit_polygon(part, 0.02)) for part in polygons(beneath)]
    return under + own, shapely.union_all(zones)


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
