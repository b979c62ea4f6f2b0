"""Stage *trace*: the cleaned picture, or the client's own paths, to shapes in mm."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.artwork.background import Cleaned
from nibble_core.artwork.facts import Facts
from nibble_core.artwork.framing import Framing
from nibble_core.artwork.inks import inks_of, with_joined_inks
from nibble_core.artwork.leftovers import page_background
from nibble_core.errors import NothingToTrace
from nibble_core.geometry import Affine, Box, Bundle, Path, Points, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons
from nibble_core.graphics import Colour, Drawing, Drawn, Grey, Raster, Shape, Stroke, colours_apart
from nibble_core.graphics.filling import filled_regions
from nibble_core.graphics.light import to_light
from nibble_core.graphics.stroking import outlined, region_of
from nibble_core.pipeline.clean import framing_of
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.store import Keyed, ResultStore, derived, later, stage
from nibble_core.ticket.artwork import Area, Artwork, TouchUp, Trace
from nibble_core.tracing import edge_noise, measured_noise, suggested_threshold, trace_two_tone
from nibble_core.tracing.centre_lines import trace_centre_lines
from nibble_core.tracing.colours import trace_colours
from nibble_core.tracing.making import even_grey, is_fringed, is_in_light, level_in_light
from nibble_core.tracing.mending import mended
from nibble_core.tracing.panes import trace_panes
from nibble_core.tracing.two_tone import inside_place
from nibble_core.tracing.two_way import TwoWay, thickness, two_way

AS_TOLD, IN_GREY, IN_LIGHT = "as its pixels tell", "mixed in grey", "mixed in light"
EVERY_STEP = "every step is meant"
LEAST_CORNERS = {"rounded": 45.0, "true": 22.0, "sharp": 14.0}
MOST_SMOOTHING = 0.8  # px of ripple at 100 %
SAME_PANE = 0.08  # of a channel's whole range, by which panes of one colour may differ
PAPER_LEVELS = 22  # levels within which a colour is the paper's
FRAME_SHARE = 0.9  # of both sides that a region's box covers, to be a box or frame round the drawing
MOST_SHAPES = 20_000
ENOUGH = 20_000  # pixels to tell the paper's colour from
SOME_WHITE, MOST_WHITE = 0.002, 0.98  # of a see-through picture: white is drawn in it, or all there is


@dataclass(frozen=True, eq=False)
class TracedShape:
    """A shape in mm, its anchor in the artwork (fractions of the upright uncropped picture), a place on it in mm, and
    why it is left out: "" (kept), “small”, “paper”, “frame” or “hand”."""

    shape: Drawn
    x: float
    y: float
    place: tuple[float, float]
    size: float
    dropped: str = ""
    source: int = -1  # which of the found shapes it was

    @property
    def regions(self) -> list[Region]:
        """What it covers."""
        return region_of(self.shape)


@dataclass(frozen=True)
class Busy:
    """What was done to a picture with more edges than there is time for: outlines fitted quickly, and into how many
    pixels fewer, each way, it was brought."""

    hurried: int = 0
    reduced: int = 1


@dataclass(frozen=True, eq=False)
class TraceResult:
    """Shapes of one artwork in mm, origin its top left, and how true they are.

    ``level``: grey level used; ``suggested``: the one Nibble would use; both None where no threshold counts.
    Deviations in mm from where the colours truly meet, None in a preview. ``lost``: ids of touch-ups whose place
    holds no such region any more. ``mended``: what geometry was set right, counted. ``palette``: flat colours found.
    """

    width: float
    height: float
    shapes: tuple[TracedShape, ...]
    level: float | None = None
    suggested: float | None = None
    worst_deviation: float | None = None
    mean_deviation: float | None = None
    lost: tuple[str, ...] = ()
    mended: tuple[tuple[str, int], ...] = ()
    palette: tuple[Colour, ...] = ()
    places: tuple[Points, ...] = ()
    busy: Busy = Busy()
    two_way: TwoWay | None = None  # px of the picture; None where it was not measured

    @property
    def kept(self) -> list[Drawn]:
        return [traced.shape for traced in self.shapes if not traced.dropped]

    @property
    def nodes(self) -> int:
        return sum(shape.nodes for shape in self.kept)

    @property
    def kept_regions(self) -> list[Region]:
        """Everything the kept shapes cover."""
        return [region for traced in self.shapes if not traced.dropped for region in traced.regions]


@dataclass(frozen=True, eq=False)
class Found:
    """Shapes as fitted: in pixels of a raster, or in mm of a drawing (``unit`` of them wide)."""

    shapes: tuple[tuple[Drawn, tuple[float, float]], ...]
    unit: float
    level: float | None = None
    suggested: float | None = None
    deviation: tuple[float, float] | None = None
    palette: tuple[Colour, ...] = ()
    places: tuple[Points, ...] = ()
    busy: Busy = Busy()
    two_way: TwoWay | None = None


@dataclass(frozen=True)
class Fit:
    """What a fit depends on, beside its picture. trace: without the rules that are applied after it. tolerance: px."""

    trace: Trace
    tolerance: float | None
    preview: bool


@dataclass(frozen=True)
class Within:
    """Boxes that alone are traced, in the upright picture."""

    areas: tuple[Area, ...]
    framing: Framing


@dataclass(frozen=True)
class OwnPaths:
    """How a client's own paths are taken."""

    trace: Trace
    framing: Framing


def find_shapes(
    store: ResultStore,
    picture: Keyed[Picture],
    cleaned: Keyed[Cleaned],
    artwork: Artwork,
    width: float,
    *,
    preview: bool,
    cancelled: Callable[[], bool],
) -> Keyed[Found]:
    """The fit alone, before rules and hands; it depends on the finished size only through lengths stated in mm."""
    after = Trace()
    trace = replace(
        artwork.trace,
        smallest=after.smallest,
        smallest_hole=after.smallest_hole,
        paper=after.paper,
        overlap=after.overlap,
        deviation=None,
    )
    if trace.making == AS_TOLD and steps_are_meant(picture.value.facts, artwork.clean.squares == "single pixels"):
        trace = replace(trace, making=EVERY_STEP)
    framing = framing_of(artwork)
    if trace.mode == "paths":
        return stage(store, _own_paths, OwnPaths(trace, framing), picture)
    deviation, px = artwork.trace.deviation, cleaned.value.raster.width
    fit = Fit(trace, None if deviation is None else deviation * px / width, preview)
    if trace.areas:
        cleaned = derived(_only, Within(trace.areas, framing), cleaned)
    if trace.mode == "colours":
        return stage(store, _colours, fit, cleaned, cancelled=cancelled)
    if trace.mode == "centre-lines":
        return stage(store, _centre_lines, fit, cleaned, cancelled=cancelled)
    if trace.mode == "panes":
        return stage(store, _panes, fit, cleaned, cancelled=cancelled)
    edges = [later(store, _edges, trace_edges(trace), cleaned)] if preview else []
    return stage(store, _two_tone, fit, cleaned, *edges, cancelled=cancelled)


def steps_are_meant(facts: Facts, single: bool) -> bool:
    """Whether a picture's squares are drawn: a code, or what is not taken at the size it was made (``single``)."""
    return facts.squares.meant or (facts.squares.is_enlarged and not single)


def _only(within: Within, cleaned: Cleaned) -> Cleaned:
    """A picture that is see-through outside of some boxes."""
    raster = cleaned.raster
    kept = np.zeros((raster.height, raster.width), bool)
    for left, top, right, bottom in _boxes(within.areas, within.framing):
        rows = slice(round(top * raster.height), round(bottom * raster.height))
        kept[rows, round(left * raster.width) : round(right * raster.width)] = True
    pixels = raster.pixels.copy()
    pixels[~kept, 3] = 0
    return replace(cleaned, raster=Raster(pixels))


def _boxes(areas: Sequence[Area], framing: Framing) -> list[tuple[float, float, float, float]]:
    """Boxes as fractions of the part that is used."""
    boxes = []
    for area in areas:
        corners = np.clip(framing.forward(np.array([[area.x, area.y], [area.x2, area.y2]])), 0, 1)
        boxes.append((*corners.min(0).tolist(), *corners.max(0).tolist()))
    return boxes


def _is_filled(trace: Trace) -> bool:
    """Whether outlines go round everything that the ink encloses."""
    return trace.mode == "outer" or trace.edges == "outer edge"


@dataclass(frozen=True)
class EdgeRules:
    """What the noise of a picture's edges depends on. filled: outlines go round all that ink encloses."""

    mode: str
    filled: bool
    making: str


def trace_edges(trace: Trace) -> EdgeRules:
    return EdgeRules(trace.mode, _is_filled(trace), trace.making)


@dataclass(frozen=True, eq=False)
class InkField:
    """The surface that is traced, ink below ``level`` of it; in_light: as light instead of levels of grey."""

    grey: Grey
    suggested: float
    in_light: bool

    @property
    def surface(self) -> Grey:
        return to_light(self.grey) if self.in_light else self.grey

    def at(self, level: float) -> float:
        """A level of grey on the surface."""
        return float(to_light(np.array(level, np.float32))) if self.in_light else level


def _field(raster: Raster, rules: EdgeRules) -> InkField:
    grey, suggested, of_ink = ink_field(raster, rules.mode)
    in_light = of_ink and (rules.making == IN_LIGHT or (rules.making == AS_TOLD and is_in_light(grey, suggested)))
    return InkField(grey, level_in_light(grey, suggested) if in_light else suggested, in_light)


def _edges(rules: EdgeRules, cleaned: Cleaned) -> tuple[float, InkField]:
    """Of a picture traced in a mode: it takes as long to measure as the fit of a preview."""
    field = _field(cleaned.raster, rules)
    surface, level = field.surface, field.at(field.suggested)
    if rules.making == EVERY_STEP:
        return edge_noise(surface, level), field
    return measured_noise(surface, level, filled=rules.filled), field


def _two_tone(
    fit: Fit, cleaned: Cleaned, edges: tuple[float, InkField] | None = None, *, cancelled: Callable[[], bool]
) -> Found:
    raster, trace, preview = cleaned.raster, fit.trace, fit.preview
    rules = trace_edges(trace)
    noise, ink = edges or (None, _field(raster, rules))
    if noise is None and rules.making == EVERY_STEP:
        noise = edge_noise(ink.grey, ink.suggested)
    level = ink.suggested if trace.threshold is None or trace.mode == "outer" else trace.threshold
    field, at = ink.surface, ink.at(level)
    if trace.lightest is not None and trace.mode == "two-tone":
        if trace.lightest >= level:
            raise NothingToTrace(
                "No tone lies between the two thresholds.", "Set the tones left out lower than the ink."
            )
        # the line where either threshold is passed is the line where the larger excess is nothing
        field, at = np.maximum(field - at, ink.at(trace.lightest) - field) + np.float32(0.5), 0.5
    filled = _is_filled(trace)
    traced = trace_two_tone(
        field, raster, level=at, tolerance=fit.tolerance, filled=filled, polished=not preview, noise=noise,
        smoothing=MOST_SMOOTHING * trace.smooth, least_corner=LEAST_CORNERS[trace.corners], cancelled=cancelled,
    )  # fmt: skip
    _refuse_too_many(len(traced.regions))
    areas = [region.area for region in traced.regions]
    inks = inks_of([region.colour for region in traced.regions], areas, _paper(raster, field, at))
    shapes = [(Shape(region.region, ink), region.place) for region, ink in zip(traced.regions, inks, strict=True)]
    if trace.edges == "inner edge" and trace.mode == "two-tone":
        shapes = [
            (Shape(Region(hole.reversed()), shape.colour), inside_place(hole.flattened(0.05), []))
            for shape, _ in shapes for hole in shape.region.holes
        ]  # fmt: skip
    measured, both = None, None
    if not preview:
        measured = traced.deviation()
        if trace.edges != "inner edge" or trace.mode != "two-tone":
            inked = _filled(field < at) if filled else field < at
            regions = [region.region for region in traced.regions]
            both = two_way(np.asarray(inked), regions, reduced=traced.reduced)
    busy = Busy(traced.hurried, traced.reduced)
    return Found(tuple(shapes), raster.width, level, ink.suggested, measured, (), traced.places, busy, both)


def _paper(raster: Raster, field: Grey, at: float) -> Colour:
    """The colour of most of what is no ink, over white paper."""
    step = max(1, round((field.size / ENOUGH) ** 0.5))
    ground = field[::step, ::step] >= at
    if not ground.any():
        return (255, 255, 255)
    shown = Raster(np.ascontiguousarray(raster.pixels[::step, ::step])).over_white()
    red, green, blue = np.median(shown[ground], 0).astype(int).tolist()
    return red, green, blue


def _filled(ink: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Ink with everything it encloses."""
    framed = cv2.copyMakeBorder(ink.astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)
    _, labels = cv2.connectedComponents(1 - framed, connectivity=8)
    return np.asarray((labels != labels[0, 0])[1:-1, 1:-1])


def _colours(fit: Fit, cleaned: Cleaned, *, cancelled: Callable[[], bool]) -> Found:
    raster, trace, preview = cleaned.raster, fit.trace, fit.preview
    if is_fringed(raster):
        raster = _in_greys(raster)
    # on clear ground white is drawn, and the ground is none
    own_ground = cleaned.way == "see-through" and raster.is_see_through
    ground = _ground_for(raster) if own_ground else None
    if ground is not None:
        raster = Raster(np.dstack([raster.over(ground), np.full_like(raster.alpha, 255)]))
    traced = trace_colours(
        raster, count=trace.colours, renamed={one.colour: one.to for one in trace.recolours}, tolerance=fit.tolerance,
        polished=not preview, steps_meant=trace.making == EVERY_STEP, cancelled=cancelled,
    )  # fmt: skip
    shapes = tuple((Shape(region.region, region.colour), region.place) for region in traced.regions)
    deviation = None if preview else traced.deviation()
    palette = traced.palette
    if ground is not None:
        kept = [k for k, (shape, _) in enumerate(shapes) if not _alike(shape.colour, ground)]
        shapes = tuple(shapes[k] for k in kept)
        palette = tuple(colour for colour in palette if not _alike(colour, ground))
    return Found(shapes, raster.width, deviation=deviation, palette=palette, places=traced.places)


def _in_greys(raster: Raster) -> Raster:
    """A fringed picture in the greys that it stands for; its paper is white."""
    grey = np.rint(255 * even_grey(raster)).astype(np.uint8)
    return Raster(np.dstack([grey, grey, grey, np.full_like(grey, 255)]))


GROUNDS = ((0, 170, 160), (200, 0, 190), (110, 220, 0), (255, 120, 0))


def _ground_for(raster: Raster) -> Colour | None:
    """A colour to lay a see-through picture on that none of it resembles; None where white paper does as well."""
    solid = raster.pixels[raster.alpha > 200][:, :3].astype(int)
    if not len(solid) or (solid.min(1) >= 255 - PAPER_LEVELS).mean() < SOME_WHITE:
        return None
    some = solid[:: max(1, len(solid) // 20_000)]
    return max(GROUNDS, key=lambda ground: float(np.quantile(np.abs(some - ground).max(1), 0.02)))


def _alike(one: Colour, other: Colour) -> bool:
    return colours_apart(one, other) <= PAPER_LEVELS


def _centre_lines(fit: Fit, cleaned: Cleaned, *, cancelled: Callable[[], bool]) -> Found:
    raster, trace, preview = cleaned.raster, fit.trace, fit.preview
    field = _field(raster, trace_edges(trace))
    grey, suggested = field.grey, field.suggested
    level = suggested if trace.threshold is None else trace.threshold
    traced = trace_centre_lines(
        grey, raster, level=level, tolerance=fit.tolerance, steps_meant=trace.making == EVERY_STEP, cancelled=cancelled
    )
    paper = _paper(raster, grey, level)
    inks = inks_of([one.colour for one in traced.strokes], [one.area for one in traced.strokes], paper)
    shapes = tuple(
        (Stroke(one.path, one.width, ink, cap="round", join="round"), one.place)
        for one, ink in zip(traced.strokes, inks, strict=True)
    )
    both = None
    if not preview:
        ink = np.asarray(grey < level)
        both = two_way(ink, [region for shape, _ in shapes for region in region_of(shape)], slack=thickness(ink))
    return Found(shapes, raster.width, level, suggested, traced.deviation(), (), traced.middles, two_way=both)


def _panes(fit: Fit, cleaned: Cleaned, *, cancelled: Callable[[], bool]) -> Found:
    raster, trace, preview = cleaned.raster, fit.trace, fit.preview
    field = _field(raster, trace_edges(trace))
    level = field.suggested if trace.threshold is None else trace.threshold
    traced = trace_panes(
        field.grey, raster, level=level, tolerance=fit.tolerance, polished=not preview,
        steps_meant=trace.making == EVERY_STEP, cancelled=cancelled,
    )  # fmt: skip
    shapes = with_joined_inks([Shape(region.region, region.colour) for region in traced.regions], SAME_PANE)
    places = tuple(zip(shapes, (region.place for region in traced.regions), strict=True))
    deviation = None if preview else traced.deviation()
    return Found(places, raster.width, level, field.suggested, deviation, (), traced.places)


def _own_paths(by: OwnPaths, picture: Picture) -> Found:
    framing, trace = by.framing, by.trace
    if picture.drawing is None:
        raise NothingToTrace("This artwork is made of pixels: it has no paths.", "Choose another way to trace it.")
    drawing = framing.drawing(picture.drawing.drawing)
    drawn = as_shapes(drawing, outlines=trace.strokes == "outlines")
    shapes = [(shape, _on(shape)) for shape in with_joined_inks(drawn, trace.same_ink)]
    boxes = _boxes(trace.areas, framing)
    if boxes:
        size = np.array([drawing.width, drawing.height])
        shapes = [one for one in shapes if any(_within(np.array(one[1]) / size, box) for box in boxes)]
    return Found(tuple(shapes), drawing.width)


def _within(place: Points, box: tuple[float, float, float, float]) -> bool:
    return bool(box[0] <= place[0] <= box[2] and box[1] <= place[1] <= box[3])


def as_shapes(drawing: Drawing, *, outlines: bool) -> list[Drawn]:
    """A drawing's shapes for cutting: closed hairlines of one layer and colour as the areas they enclose; other
    strokes as lines, or with ``outlines`` as the areas they cover."""
    shapes: list[Drawn] = []
    loops: dict[tuple[str, Colour], list[Stroke]] = {}
    for shape in drawing.shapes:
        if isinstance(shape, Shape):
            shapes.append(shape)
        elif shape.width <= 0 and shape.path.closed:
            loops.setdefault((shape.layer, shape.colour), []).append(shape)
        elif outlines and shape.width > 0:
            _stroked_round(shapes, shape)
        else:
            shapes.append(shape)
    for (layer, colour), some in loops.items():
        regions = filled_regions([stroke.path for stroke in some], even_odd=True)
        shapes += [Shape(region, colour, layer) for region in regions]
    return shapes


def _stroked_round(shapes: list[Drawn], stroke: Stroke) -> None:
    """Add the area of a stroke to the shapes, and take what it hides of its own fill's edge away: nobody sees that
    edge, and a knife would follow it. A fill of the same colour becomes one with its stroke."""
    band = outlined(stroke)
    nodes = _node_set(stroke.path)
    for k in range(len(shapes) - 1, -1, -1):
        fill = shapes[k]
        if stroke.opacity < 0.999 or not isinstance(fill, Shape):
            break
        if not any(_node_set(ring) == nodes for ring in fill.region.rings):
            continue
        hole = band[0].region.holes if len(band) == 1 else ()
        if fill.colour == stroke.colour:
            areas = [shapely.make_valid(one.region.polygon()) for one in (fill, *band)]
            whole = shapely.union_all(areas)
            shapes[k : k + 1] = [replace(fill, region=refit_polygon(part)) for part in polygons(whole)]
            return
        if len(hole) == 1 and not fill.region.holes:
            shapes[k] = replace(fill, region=Region(hole[0].reversed()))
        else:
            hidden = shapely.union_all([shapely.make_valid(one.region.polygon()) for one in band])
            left = shapely.make_valid(fill.region.polygon()).difference(hidden)
            shapes[k : k + 1] = [replace(fill, region=refit_polygon(part)) for part in polygons(left)]
        break
    shapes += band


def _node_set(path: Path) -> frozenset[tuple[float, float]]:
    return frozenset((x, y) for x, y in np.round(path.nodes, 4).tolist())


def _on(shape: Drawn) -> tuple[float, float]:
    """A place on a shape."""
    if isinstance(shape, Stroke):
        points = shape.path.flattened(0.05)
        return float(points[len(points) // 2, 0]), float(points[len(points) // 2, 1])
    rings = [ring.flattened(0.05) for ring in shape.region.rings]
    return inside_place(rings[0], rings[1:])


@dataclass(frozen=True)
class Rules:
    """What is done to a fit to make it the shapes of an artwork. size: finished width and height, mm. ground: the
    colour of the paper, None on clear ground."""

    size: tuple[float, float]
    framing: Framing
    mode: str
    smallest: float
    smallest_hole: float
    paper: str
    ground: Colour | None
    touch_ups: tuple[TouchUp, ...]
    preview: bool


def in_mm(found: Found, rules: Rules) -> tuple[list[TracedShape], Counter[str]]:
    """The fit at the finished size, sound geometry only, with what rules leave out of it."""
    width, height = rules.size
    scale = width / found.unit
    grow = Affine.scale(scale)
    counts: Counter[str] = Counter()
    shapes: list[TracedShape] = []
    specks = _specks([shape for shape, _ in found.shapes], grow, rules.smallest)
    for source, (shape, place) in enumerate(found.shapes):
        at = (place[0] * scale, place[1] * scale)
        x, y = rules.framing.back(np.array([[at[0] / width, at[1] / height]]))[0].tolist()
        drawn = shape.mapped(grow)
        if isinstance(drawn, Stroke):
            share = drawn.path.length() * max(drawn.width, 0.1) / (width * height)
            shapes.append(TracedShape(drawn, x, y, at, min(share, 1.0), source=source))
            continue
        if source in specks:  # left out as it is
            share = min(max(specks[source] / (width * height), 0.0), 1.0)
            shapes.append(TracedShape(drawn, x, y, at, share, "small", source))
            continue
        sound = mended(_without_small_holes(drawn.region, rules.smallest_hole))
        counts.update(sound.counts)
        for region in sound.regions:
            share = min(max(region.area() / (width * height), 0.0), 1.0)
            shapes.append(TracedShape(replace(drawn, region=region), x, y, at, share, source=source))
    left = [one if one.dropped else replace(one, dropped=_left_out(one, rules)) for one in shapes]
    if rules.mode == "paths" and rules.paper == "left out":
        for k in page_background([one.shape for one in left], width, height):
            left[k] = replace(left[k], dropped="paper")
    return left, counts


def _specks(shapes: Sequence[Drawn], grow: Affine, smallest: float) -> dict[int, float]:
    """Which of some shapes are smaller than the smallest part when mapped, and their areas: all at once, for there may
    be thousands."""
    owners = [k for k, shape in enumerate(shapes) if isinstance(shape, Shape)]
    if not owners or smallest <= 0:
        return {}
    regions = [shape.region for shape in shapes if isinstance(shape, Shape)]
    small = (Bundle.of([region.outer for region in regions]).mapped(grow).sizes.max(1) < smallest).tolist()
    specks = {k: region for k, region, is_small in zip(owners, regions, small, strict=True) if is_small}
    if not specks:
        return {}
    of = np.repeat(np.arange(len(specks)), [len(region.rings) for region in specks.values()])
    rings = Bundle.of([ring for region in specks.values() for ring in region.rings]).mapped(grow)
    return dict(zip(specks, np.bincount(of, rings.areas, len(specks)).tolist(), strict=True))


def _without_small_holes(region: Region, smallest: float) -> Region:
    if smallest <= 0 or not region.holes:
        return region
    return Region(region.outer, tuple(hole for hole in region.holes if _extent(hole.bounds()) >= smallest))


def _left_out(one: TracedShape, rules: Rules) -> str:
    box, size = one.shape.bounds(), rules.size
    if isinstance(one.shape, Stroke):
        return "small" if _extent(box) < rules.smallest else ""
    if _extent(box) < rules.smallest:
        return "small"
    paper = rules.ground if rules.mode == "colours" and rules.paper == "left out" else None
    if paper is not None and _alike(one.shape.colour, paper):
        return "paper"
    edge = 0.004 * max(size)
    touches = (box.left < edge) + (box.top < edge) + (box.right > size[0] - edge) + (box.bottom > size[1] - edge)
    wide = box.width > FRAME_SHARE * size[0] and box.height > FRAME_SHARE * size[1]
    return "frame" if rules.mode == "two-tone" and touches >= 3 and wide else ""


def traced_raster(
    raster: Raster, trace: Trace, width: float, *, tolerance: float | None = None
) -> tuple[Drawing, Found]:
    """Everything found in a picture as it is, ``width`` mm wide, with no rule applied; and the fit itself, in pixels.
    ``tolerance``: largest deviation of smooth stretches, px."""
    never = lambda: False  # noqa: E731 - one-line local
    trace_it = {"colours": _colours, "centre-lines": _centre_lines, "panes": _panes}.get(trace.mode, _two_tone)
    cleaned = Cleaned(raster, "see-through" if raster.is_see_through else "keep", 0.0)
    found = trace_it(Fit(trace, tolerance, preview=False), cleaned, cancelled=never)
    scale = width / raster.width
    grow = Affine.scale(scale)
    shapes = tuple(sound for shape, _ in found.shapes for sound in _sound(shape.mapped(grow)))
    return Drawing(width, raster.height * scale, shapes), found


def _sound(shape: Drawn) -> list[Drawn]:
    """A shape without crossings and stacked nodes; see ``mended``."""
    if isinstance(shape, Stroke):
        return [shape]
    return [replace(shape, region=region) for region in mended(shape.region).regions]


def require_shapes(result: TraceResult) -> None:
    """Raises NothingToTrace when nothing that was found is kept."""
    if not result.kept:
        raise NothingToTrace(
            "The tracing finds nothing that is kept.",
            "Move the threshold, lower the smallest part, or bring dropped regions back.",
        )


def ink_field(raster: Raster, mode: str) -> tuple[Grey, float, bool]:
    """The grey surface to trace, the level suggested for it, and whether it is of the picture's tones.

    For the outer shape of a picture without background that is its transparency, so that pale parts of the
    drawing count as drawing; so it is of a white drawing on clear ground.
    """
    if mode == "outer" and raster.is_see_through:
        return _clear(raster), 0.5, False
    if raster.is_see_through and not _has_ink(raster):
        return _clear(raster), 0.5, False
    grey = even_grey(raster) if is_fringed(raster) else raster.grey()
    return grey, suggested_threshold(grey), True


def _clear(raster: Raster) -> Grey:
    return np.asarray(1 - raster.alpha.astype(np.float32) / 255, np.float32)


def _has_ink(raster: Raster) -> bool:
    """Whether a see-through picture shows on white paper: one in white alone, for dark material, does not."""
    solid = raster.alpha > 200
    inked = solid & (raster.least < 255 - PAPER_LEVELS)
    return not solid.any() or bool(inked.sum() > (1 - MOST_WHITE) * solid.sum())


def _refuse_too_many(count: int) -> None:
    if count > MOST_SHAPES:
        raise NothingToTrace(
            f"This picture falls into {count:,} shapes: it is a photo or full of noise.",
            "Calm its pixels or turn it into flat tones at Clean, or only cut its outer shape.",
        )


def _extent(box: Box) -> float:
    """The longer side: an outline may be one long arc, whose nodes say nothing of its size."""
    return max(box.width, box.height)
