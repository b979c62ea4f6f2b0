"""What shows a round thing with its work on it: the wall, and all that lies there by angle and height."""

import math
from typing import Any

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from files.pictures import show
from nibble_core.errors import NibbleError
from nibble_core.geometry import Path, Points
from nibble_core.graphics import Shape, hex_colour
from nibble_core.pipeline.bending import chart_of, turning_of, wall_under
from nibble_core.pipeline.label_bands import is_band
from nibble_core.pipeline.lines import edge_line
from nibble_core.pipeline.prints import PrintedPicture
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.round_places import repeats, spread_of
from nibble_core.pipeline.round_walls import wall_of
from nibble_core.sheet import LaidSheet
from nibble_core.ticket import fingerprint
from nibble_core.ticket.goods import Label, Made, OnRound, faces_of
from nibble_core.ticket.heads import BeamHead
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.ticket.piece import Piece
from nibble_core.ticket.turners import Rollers
from nibble_core.wrap import Chart, Wall

STEP = 1.0  # mm between places of an outline
COARSE = 0.05  # mm
STATIONS = 60  # of a wall
CELLS = 24  # of a picture, each way


def round_view(piece: Piece, ticket: Ticket, work: Work) -> dict[str, Any] | None:
    """See production.schemas.RoundOut; None for flat work, and for a wall that was measured wrongly."""
    goods = piece.goods
    if not isinstance(goods, OnRound):
        return None
    try:
        wall = wall_of(goods.thing.wall)
        chart = chart_of(goods.made, wall_under(goods))
    except NibbleError:
        return None
    heights = np.linspace(0.0, wall.height, STATIONS if not wall.is_cone else 2)
    seen = goods.seen.distance if goods.seen.truth == "true to the eye" else None
    return {
        "wall": [[round(z, 3), round(r, 3)] for z, r in zip(heights.tolist(), wall.radius_at(heights).tolist(),
                                                            strict=True)],
        "colour": goods.thing.colour, "name": goods.thing.name, "below": goods.faces.below, "distance": seen,
        "facing": math.radians(faces_of(goods.faces)), "turns": _turns(piece, goods, chart, wall, work),
        "free": [
            {"what": one.what, "middle": math.radians(one.middle), "wide": math.radians(min(one.wide, 360.0)),
             "below": one.below, "to": wall.height if one.to is None else one.to}
            for one in goods.thing.wall.free
        ],
        "items": [
            item for layer in piece.layers if layer.id in work.layers for item in _items(layer.id, goods, chart, ticket,
                                                                                         work)
        ],
    }  # fmt: skip


def wall_guides(sheet: Sheet, ticket: Ticket, laid: LaidSheet) -> list[dict[str, str]]:
    """Lines for the eye on a wall that is turned: each quarter of a turn, and round what stays free of it. They are
    sent nowhere."""
    goods = ticket.goods_of(sheet.holds[0].layer)
    if goods is None or not isinstance(goods.made, Made):
        return []
    wide, high = laid.width, laid.height
    quarters = [f"M{wide * k / 4:.3f} 0L{wide * k / 4:.3f} {high:.3f}" for k in range(1, 4)]
    chart = turning_of(goods.made, wall_of(goods.thing.wall))
    parts = []
    for one in goods.thing.wall.free:
        lower = chart.wall.height if one.to is None else one.to
        upper, lower = (float(chart.lay(np.array([[0.0, chart.wall.slant_at(at)]]))[0, 1]) for at in (one.below, lower))
        for left, right in _spans(wide, wide * one.middle / 360, wide * min(one.wide, 360.0) / 360):
            parts.append(Path.polygon([(left, upper), (right, upper), (right, lower), (left, lower)]).svg(3))
    return [{"process": "guide", "d": d} for d in (*quarters, *parts)]


def _spans(around: float, middle: float, wide: float) -> list[tuple[float, float]]:
    """Where an arc lies on a wall that was cut open at 0: in two parts where it goes over that."""
    if wide >= around:
        return [(0.0, around)]
    start = (middle - wide / 2) % around
    if start + wide <= around:
        return [(start, start + wide)]
    return [(start, around), (0.0, start + wide - around)]


def wall_angles(laid: LaidSheet) -> list[list[Any]]:
    """What is written along the upper edge of a wall that is turned: mm from the left, degrees."""
    return [[laid.width * k / 8, f"{45 * k}°"] for k in range(9)]


def wall_lies(sheet: Sheet) -> str:
    """Which way the upper edge of a wall points in the machine, and that nothing is mirrored."""
    head = sheet.machine.head
    turner = head.turner if isinstance(head, BeamHead) else None
    if not isinstance(turner, Rollers):
        return ""
    arrow = "←" if turner.rim == "to the left" else "→"
    return f"The rim is above; in the machine it points {turner.rim} {arrow}. Nothing is mirrored."


def _turns(piece: Piece, goods: OnRound, chart: Chart, wall: Wall, work: Work) -> list[float]:
    facing = math.radians(faces_of(goods.faces))
    shown = [work.layers[one.id].laid.value.shown for one in piece.layers if one.id in work.layers]
    if is_band(goods.made) or not shown:
        return [facing]
    try:
        radius = float(wall.radius_at(goods.faces.below))
        return [facing + turn for turn in repeats(goods.faces, spread_of(shapely.union_all(shown), chart), radius)]
    except NibbleError:
        return [facing]


def _items(layer: str, goods: OnRound, chart: Chart, ticket: Ticket, work: Work) -> list[dict[str, Any]]:
    """What lies on the wall, lowest first: a label's stock, its print; what a beam engraves."""
    drawn, printed = work.layers[layer].laid.value, work.layers[layer].print_laid.value
    found: list[dict[str, Any]] = []
    if isinstance(goods.made, Label):
        edge = edge_line(drawn.lines)
        stock = next((sheet.stock.colour for sheet in ticket.sheets_of(layer)), "#ffffff")
        if edge is not None:
            found.append(_painted([region.polygon(COARSE) for region in edge.regions], stock, chart))
        for number, item in enumerate(printed.items):
            if isinstance(item, Shape):
                found.append(_painted([item.region.polygon(COARSE)], hex_colour(item.colour), chart))
            else:
                url = show(fingerprint(work.layers[layer].print_laid.key, number), item.raster)
                found += [_picture(item, k, url, chart) for k in range(len(item.places))]
        return found
    for line in drawn.lines:
        if line.regions and line.filled:
            found.append(_painted([one.polygon(COARSE) for one in line.regions], "", chart))
        elif len(line.paths):
            found.append({"kind": "line", "rings": [_lifted(path.flattened(COARSE), chart) for path in line.paths],
                          "colour": "", "url": "", "cells": 0})  # fmt: skip
    return found


def _painted(areas: list[BaseGeometry], colour: str, chart: Chart) -> dict[str, Any]:
    rings = [
        _lifted(shapely.get_coordinates(shapely.segmentize(ring, STEP)), chart)
        for area in areas for ring in shapely.get_rings(area)
    ]  # fmt: skip
    return {"kind": "area", "rings": rings, "colour": colour, "url": "", "cells": 0}


def _picture(item: PrintedPicture, place: int, url: str, chart: Chart) -> dict[str, Any]:
    """A picture by a mesh of its cells, row by row."""
    x, y = np.meshgrid(np.linspace(0, item.width, CELLS + 1), np.linspace(0, item.height, CELLS + 1))
    mesh = item.places[place].map(np.column_stack([x.ravel(), y.ravel()]))
    return {"kind": "picture", "rings": [_lifted(mesh, chart)], "colour": "", "url": url, "cells": CELLS}


def _lifted(points: Points, chart: Chart) -> list[float]:
    """Angles (radians) and heights (mm), in turn."""
    angle, slant = chart.lift(points).T
    height = chart.wall.height_along(slant)
    told: list[float] = np.column_stack([np.round(angle, 5), np.round(height, 3)]).ravel().tolist()
    return told
