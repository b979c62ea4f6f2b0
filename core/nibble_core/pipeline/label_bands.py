"""A label all round a thing: its edge from the seam round to itself, with a lap, and what is printed on it."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import shapely
from shapely.geometry import MultiPolygon
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import CannotMake
from nibble_core.geometry import Affine, Bundle, Path, Point, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import oriented_rings, polygons
from nibble_core.graphics import Raster, Shape
from nibble_core.graphics.coverage import covered
from nibble_core.pipeline.lines import LayerResult, edge_line, rings_of
from nibble_core.pipeline.prints import Coverage, PrintedPicture, PrintResult
from nibble_core.pipeline.round_places import turns_of
from nibble_core.ticket.goods import Faces, Label, Made, faces_of
from nibble_core.wrap import Bend, bent

BLEEDS = 2.0  # mm that its print goes on beyond its edges


def is_band(made: Made | Label) -> bool:
    return isinstance(made, Label) and made.edge == "cut as a band all round"


def band_of(made: Label, faces: Faces, bend: Bend) -> Region:
    """The edge of a label all round, flat, with its lap: between two heights, from the handle or seam round to itself
    and on. The artwork's middle is at angle 0. Raises CannotMake for heights that the wall has not."""
    wall = bend.wall
    if not 0 <= made.upper < made.lower <= wall.height:
        raise CannotMake(
            f"A band from {made.upper:g} to {made.lower:g} mm below the rim does not fit a wall {wall.height:g} mm "
            "high.",
            "Its upper edge comes first, and both lie on the wall.",
        )
    start = -math.radians(faces_of(faces))
    upper, lower = (float(wall.slant_at(at)) for at in (made.upper, made.lower))
    radii = float(wall.radius_along(upper)), float(wall.radius_along(lower))
    laps = [made.lap / radius for radius in radii]  # as wide all along
    end = start + 2 * math.pi
    corners = [(start, upper), (end + laps[0], upper), (end + laps[1], lower), (start, lower)]
    return Region(bent(Bundle.of([Path.polygon(corners)]), bend.chart.lay)[0])


def with_band(label: Made | Label, faces: Faces, bend: Bend, made: LayerResult) -> LayerResult:
    """A label's edge goes all round in place of its outermost cut; what else it cuts stays, at every place."""
    edge = edge_line(made.lines)
    if edge is None:
        raise CannotMake("A band needs a cut to go round it.", "Add a through cut or a kiss cut.")
    assert isinstance(label, Label)
    band = band_of(label, faces, bend)
    turns = [bend.chart.turned(angle) for angle in turns_of(faces, made.shown, bend)]
    lines = []
    for line in made.lines:
        if line is edge:
            lines.append(replace(line, regions=(band,), paths=rings_of((band,)), places=(), dashes=0, bays=()))
            continue
        lines.append(replace(
            line, regions=tuple(region.mapped(turn) for turn in turns for region in line.regions),
            paths=Bundle.joined([line.paths.mapped(turn) for turn in turns]),
            places=tuple(Point(*turn.map(np.array([p]))[0].tolist()) for turn in turns for p in line.places),
        ))  # fmt: skip
    shown = shapely.union_all([shapely.transform(made.shown, turn.map) for turn in turns])
    return replace(made, lines=tuple(lines), shown=MultiPolygon(polygons(shown)))


def print_in_band(
    faces: Faces, bend: Bend, shown: BaseGeometry, printed: PrintResult, lines: LayerResult
) -> PrintResult:
    """A bent print at every place that it has round the thing, and once more where the ends lap, within the band and
    its bleed. shown: what the piece shows, bent."""
    edge = edge_line(lines.lines)
    assert edge is not None
    room = edge.area.buffer(BLEEDS, join_style="mitre")
    whole = 2 * math.pi
    turns = [bend.chart.turned(a + b) for a in turns_of(faces, shown, bend) for b in (0.0, whole, -whole)]

    def everywhere(area: BaseGeometry) -> BaseGeometry:
        return shapely.union_all([shapely.transform(area, turn.map) for turn in turns]).intersection(room)

    # what lies lower lies below all round: a ground that goes round more than once covers nothing that stands on it
    items = [cut for item in printed.items for turn in turns for cut in _within(_turned(item, turn), room)]
    return replace(
        printed, items=tuple(items),
        area=everywhere(printed.area), bled=everywhere(printed.bled),
        ink=tuple(everywhere(one) for one in printed.ink if not isinstance(one, Coverage)),
    )  # fmt: skip


def _turned(item: PrintedPicture | Shape, turn: Affine) -> PrintedPicture | Shape:
    if isinstance(item, Shape):
        return item.mapped(turn)
    return PrintedPicture(item.raster, item.width, item.height, tuple(one.then(turn) for one in item.places))


def _within(item: PrintedPicture | Shape, room: BaseGeometry) -> list[PrintedPicture | Shape]:
    """What of an item lies in some room."""
    if isinstance(item, Shape):
        area = shapely.make_valid(item.region.polygon())
        if room.contains(area):
            return [item]
        return [replace(item, region=refit_polygon(part)) for part in polygons(area.intersection(room))]
    frame = shapely.transform(shapely.box(0, 0, item.width, item.height), item.places[0].map)
    if room.contains(frame):
        return [item]
    if not room.intersects(frame):
        return []
    back = item.to_pixels
    rings = []
    for part in polygons(room.intersection(frame)):
        outer, holes = oriented_rings(part)
        rings += [back.map(ring) for ring in (outer, *holes)]
    pixels = item.raster.pixels.copy()
    pixels[..., 3] = np.rint(pixels[..., 3] * covered(rings, item.raster.width, item.raster.height))
    return [replace(item, raster=Raster(pixels))]
