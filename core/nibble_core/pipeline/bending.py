"""Stage *bend*: the lines and the print of a layer that goes on a round thing, as they lie on its laid-out wall.

Flat they are drawn and looked at, bent they are laid out: once, before any copy. What fills an area is drawn on the
bent one, so that its strokes are as far apart on the wall as is asked.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
import shapely
from shapely.geometry import MultiPolygon
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import CannotMake
from nibble_core.geometry import Affine, Box, Bundle, Point, Region
from nibble_core.geometry.regions import polygons
from nibble_core.graphics import Shape
from nibble_core.pipeline.bent_pictures import BentPicture, pictured
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.engraving import filled
from nibble_core.pipeline.label_bands import is_band, print_in_band, with_band
from nibble_core.pipeline.lines import DrawnLine, LayerResult
from nibble_core.pipeline.prints import MOST_PX, Coverage, PrintedPage, PrintedPicture, PrintResult
from nibble_core.pipeline.round_walls import wall_of
from nibble_core.pipeline.store import Keyed, ResultStore, later, stage
from nibble_core.ticket.goods import Faces, Label, Made, OnRound, Seen
from nibble_core.ticket.line import AreaFill, Hatching, Rings
from nibble_core.ticket.piece import Layer
from nibble_core.ticket.round_shape import RoundShape
from nibble_core.wrap import (
    Bend,
    ByHand,
    Chart,
    Grid,
    Look,
    OnSurface,
    Relaid,
    ToTheEye,
    Turning,
    Wall,
    bent,
    straight_part,
)
from nibble_core.wrap import Label as LabelChart
from nibble_core.wrap.bending import bent_pixels

STEP = 0.4  # mm between places of an area that is bent: on a cup within a thousandth
BLEEDS = 2.0  # mm that a band's print goes on beyond its edges, where a layer says nothing


@dataclass(frozen=True)
class Bending:
    """What a bent layer depends on, beside what is bent."""

    wall: RoundShape
    seen: Seen
    faces: Faces
    made: Made | Label

    @staticmethod
    def of(goods: OnRound) -> Bending:
        return Bending(goods.thing.wall, goods.seen, goods.faces, goods.made)


def look_of(by: Bending, wall: Wall, high: float) -> Look:
    """How artwork so many mm high is bent onto a wall."""
    seen, level = by.seen, by.faces.below
    if seen.truth == "true to the eye":
        return ToTheEye(wall, level, math.inf if seen.distance is None else seen.distance)
    surface = OnSurface(wall, level)
    return surface if seen.truth == "true on the surface" else ByHand(surface, seen.top, seen.bottom, high)


def wall_under(goods: OnRound) -> Wall:
    """The wall that work lies on. Raises InvalidTicket."""
    return _under(goods.thing.wall, goods.made, goods.faces)[0]


def _under(shape: RoundShape, made: Made | Label, faces: Faces) -> tuple[Wall, float, float]:
    """The wall that work lies on, and from which height to which it is that: under a label, which bends one way alone,
    the part about it that is one cone."""
    wall = wall_of(shape)
    flat = isinstance(made, Label) and not wall.is_cone
    return straight_part(wall, faces.below) if flat else (wall, -math.inf, math.inf)


def chart_of(made: Made | Label, wall: Wall) -> Chart:
    """How a wall is laid out."""
    if isinstance(made, Label):
        return LabelChart(wall)
    return turning_of(made, wall)


def turning_of(made: Made, wall: Wall) -> Turning:
    """A wall as a machine that turns the thing sees it."""
    radius = wall.largest if made.ring is None else made.ring / 2
    return Turning(wall, radius, wall.is_cone and made.level == "with its wall level")


def bend_of(by: Bending, box: Box) -> Bend:
    """The bend of a piece that fills a box. Raises InvalidTicket, and CannotMake for a label where the wall bulges."""
    wall, upper, lower = _under(by.wall, by.made, by.faces)
    middle = (box.left + box.right) / 2, (box.top + box.bottom) / 2
    bend = Bend(wall, look_of(by, wall, box.height), chart_of(by.made, wall), middle)
    ends = np.array([[middle[0], box.top], [middle[0], box.bottom]])
    heights = wall.height_along(bend.look.onto(ends - middle)[:, 1]).tolist()
    if isinstance(by.made, Label) and is_band(by.made):
        heights += [by.made.upper, by.made.lower]
    if min(heights) < upper - 0.05 or max(heights) > lower + 0.05:
        raise CannotMake(
            f"From {max(min(heights), 0.0):.0f} to {max(heights):.0f} mm below the rim the wall bulges: a label would "
            f"crease. About {by.faces.below:g} mm it is straight from {upper:.0f} to {lower:.0f} mm.",
            "Make the label lower or move it, or engrave it.",
        )
    return bend


def bent_layer(
    store: ResultStore, by: Bending, composed: Keyed[PieceResult], drawn: Keyed[LayerResult],
    printed: Keyed[PrintResult],
) -> tuple[Keyed[LayerResult], Keyed[PrintResult]]:  # fmt: skip
    """Lines, none of their areas filled, and print of a layer, bent. Raises InvalidTicket for a wall that was measured
    wrongly, CannotMake for what cannot be bent."""
    lines = stage(store, _bent_lines, by, composed, drawn)
    return lines, later(store, _bent_print, by, composed, printed, lines)


def evenly_filled(
    store: ResultStore, layer: Layer, by: Bending, composed: Keyed[PieceResult], drawn: Keyed[LayerResult],
    made: Keyed[LayerResult],
) -> Keyed[LayerResult]:  # fmt: skip
    """Areas of a turned layer whose strokes would lie nearer where the wall leans or narrows: drawn on the wall as it
    lies flat, where they are as far apart as is asked, and brought to where the machine sees them. drawn: flat,
    unfilled."""
    if isinstance(by.made, Label):
        return made
    wall = wall_of(by.wall)
    if wall.is_cone and abs(wall.slope) < 1e-9:
        return made
    levelled = turning_of(by.made, wall).levelled
    fills = tuple(
        (line.id, line.fill) for line in layer.lines
        if line.on and (isinstance(line.fill, Rings) or (isinstance(line.fill, Hatching) and
                                                         (not levelled or _slants(line.fill))))
    )  # fmt: skip
    return stage(store, _evenly_filled, (by, fills), composed, drawn, made) if fills else made


def with_even_power(store: ResultStore, by: Bending, made: Keyed[LayerResult]) -> Keyed[LayerResult]:
    """Strokes with as much less power as the wall runs slower there than its ring."""
    if isinstance(by.made, Label) or by.made.power == "the same all over":
        return made
    return stage(store, _with_even_power, by, made)


def _with_even_power(by: Bending, drawn: LayerResult) -> LayerResult:
    assert isinstance(by.made, Made)
    chart = turning_of(by.made, wall_of(by.wall))
    lines = []
    for line in drawn.lines:
        if line.filled and len(line.paths):
            rows, offsets = line.paths.rows, line.paths.offsets
            middles = (rows[offsets[:-1], :2] + rows[offsets[1:] - 1, 6:]) / 2
            speed = chart.wall.radius_along(chart.lift(middles)[:, 1]) / chart.radius
            own = np.ones(len(speed)) if line.shares is None else line.shares
            line = replace(line, shares=np.round(own * np.minimum(speed, 1.0), 3), hatch=None)
        lines.append(line)
    return replace(drawn, lines=tuple(lines))


def _slants(fill: Hatching) -> bool:
    return fill.hatch_angle % 180 != 0 or fill.hatching == "crosswise"


def _evenly_filled(
    by: tuple[Bending, tuple[tuple[str, AreaFill], ...]], composed: PieceResult, drawn: LayerResult, made: LayerResult
) -> LayerResult:
    own, fills = dict(by[1]), by[0]
    assert isinstance(fills.made, Made)
    wall = wall_of(fills.wall)
    turning, bend = turning_of(fills.made, wall), bend_of(fills, composed.box)
    before = {line.id: line for line in drawn.lines}
    lines = []
    for line in made.lines:
        fill = own.get(line.id)
        if isinstance(fill, Hatching | Rings) and line.filled:
            flat = _laid_flat(fill, wall, fills.faces.below)
            on_wall = filled(fill, _bent_line(before[line.id], replace(bend, chart=flat)))
            line = replace(line, paths=bent(on_wall.paths, Relaid(flat, turning)), hatch=None)
        lines.append(line)
    return replace(made, lines=tuple(lines))


def _laid_flat(fill: Hatching | Rings, wall: Wall, level: float) -> Chart:
    """The wall flat, so that strokes on it lie as far apart as on the thing. Strokes round it stay circles, apart along
    the wall; others need a cone, and are true at the artwork's level on a wall that no sheet of paper can cover."""
    if wall.is_cone and (isinstance(fill, Rings) or _slants(fill)):
        return LabelChart(wall)
    return Turning(wall, float(wall.radius_at(level)), levelled=True)


def _bent_lines(by: Bending, composed: PieceResult, drawn: LayerResult) -> LayerResult:
    bend = bend_of(by, composed.box)
    lines = [_bent_line(line, bend) for line in drawn.lines]
    marks = tuple(_bent_region(mark, bend) for mark in drawn.marks)
    shown = _bent_area(drawn.shown, bend)
    made = replace(drawn, lines=tuple(lines), marks=marks, shown=MultiPolygon(polygons(shown)), hanging=None)
    if is_band(by.made):
        made = with_band(by.made, by.faces, bend, made)
    boxes = [line.paths.bounds() for line in made.lines if len(line.paths)]
    boxes += [mark.bounds() for mark in made.marks]
    boxes += [Box(*made.shown.bounds)] if not made.shown.is_empty else []
    return replace(made, box=Box.around(boxes) if boxes else drawn.box)


def _bent_line(line: DrawnLine, bend: Bend) -> DrawnLine:
    places = bend(np.array([(p.x, p.y) for p in line.places]).reshape(-1, 2)).tolist()
    return replace(
        line, regions=tuple(_bent_region(region, bend) for region in line.regions), paths=bent(line.paths, bend),
        places=tuple(Point(x, y) for x, y in places), bays=tuple(polygons(_bent_area(MultiPolygon(line.bays), bend))),
    )  # fmt: skip


def _bent_region(region: Region, bend: Bend) -> Region:
    outer, *holes = bent(Bundle.of(region.rings), bend)
    return Region(outer, tuple(holes))


def _bent_area(area: BaseGeometry, bend: Bend) -> BaseGeometry:
    if area.is_empty:
        return area
    return shapely.make_valid(shapely.transform(shapely.segmentize(area, STEP), bend))


def _bent_print(by: Bending, composed: PieceResult, printed: PrintResult, lines: LayerResult) -> PrintResult:
    bend = bend_of(by, composed.box)
    items = [one for item in printed.items for one in _bent_item(item, bend)]
    ink: list[Coverage | BaseGeometry] = []
    for one in printed.ink:
        flat = one.silhouettes() if isinstance(one, Coverage) else [one]
        ink += [_bent_area(area, bend) for area in flat]
    area, bled = _bent_area(printed.area, bend), _bent_area(printed.bled, bend)
    made = PrintResult(tuple(items), None, area, tuple(ink), printed.grain, bled)
    if is_band(by.made):
        made = print_in_band(by.faces, bend, _bent_area(composed.whole, bend), made, lines)
    boxes = [item.bounds() if isinstance(item, Shape) else _extent(item) for item in made.items]
    return replace(made, box=Box.around(boxes) if boxes else None)


def _bent_item(item: PrintedPicture | Shape, bend: Bend) -> list[PrintedPicture | Shape]:
    if isinstance(item, Shape):
        return [replace(item, region=_bent_region(item.region, bend))]
    if isinstance(item, PrintedPage):
        item = pictured(item)
    made: list[PrintedPicture | Shape] = []
    for place in item.places:
        flat = replace(item, places=(place,))
        frame = shapely.transform(shapely.box(0, 0, item.width, item.height), place.map)
        left, top, right, bottom = shapely.transform(shapely.segmentize(frame, STEP), bend).bounds
        pitch = max(item.mm_per_px, math.sqrt((right - left) * (bottom - top) / MOST_PX))
        grid = Grid(left, top, pitch, math.ceil((right - left) / pitch), math.ceil((bottom - top) / pitch))
        raster = bent_pixels(item.raster, bend, grid, flat.to_pixels)
        put = (Affine.translation(left, top),)
        made.append(BentPicture(raster, grid.width * pitch, grid.height * pitch, put, flat, bend))
    return made


def _extent(item: PrintedPicture) -> Box:
    frame = shapely.transform(shapely.box(0, 0, item.width, item.height), item.places[0].map)
    return Box(*frame.bounds)
