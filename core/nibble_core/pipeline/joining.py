"""Bars of material that join what would fall out, as changes to the ticket."""

from __future__ import annotations

import math
from collections.abc import Sequence

import shapely

from nibble_core.geometry import Point
from nibble_core.graphics import hex_colour
from nibble_core.lines.composing import area_of
from nibble_core.pipeline.compose import PieceResult
from nibble_core.ticket import Change
from nibble_core.ticket.ids import free_ids
from nibble_core.ticket.piece import Piece

NEAR = 0.1  # mm between a shape and the cut along it
LEAST_WIDTH = 2.0  # mm
WIDTH_SHARE = 0.025  # of the piece's longer side, at most
SLIM = 0.4  # of its length
INTO = 1.0  # times its width that a bar reaches into what it joins


def joining_bars(
    piece: Piece, composed: PieceResult, ways: Sequence[tuple[Point, Point]], distance: float
) -> tuple[Change, ...]:
    """A simple shape for each of ``ways`` (from edge to edge of what is cut, mm in the piece), joined to the piece.
    Elements that lie apart and are met by one are joined as well.

    distance: mm that the cut lies outside the shapes, which the bars have to reach.
    """
    widest = WIDTH_SHARE * max(composed.box.width, composed.box.height)
    painted = composed.composed.painted
    colour = hex_colour(painted[0][1].colour) if painted else "#22323a"
    reach = max(distance, 0.0)
    bars = [
        Change(f"pieces/{piece.id}/elements", _bar(id, one, other, _width(one, other, widest), reach, colour), "add")
        for id, (one, other) in zip(free_ids("bar", piece.elements), ways, strict=False)
    ]
    ends = shapely.MultiPoint([end for way in ways for end in way])
    met = [
        Change(f"pieces/{piece.id}/elements/{element.id}/way", "joined")
        for element in piece.elements
        if element.way == "apart"
        and any(id == element.id and area_of(shape).distance(ends) < reach + NEAR for id, shape in painted)
    ]
    return (*met, *bars)


def _width(one: Point, other: Point, widest: float) -> float:
    """Of a bar: the longer, the wider, up to what suits the piece."""
    return round(max(LEAST_WIDTH, min(widest, SLIM * math.dist(one, other))), 1)


def _bar(id: str, one: Point, other: Point, width: float, distance: float, colour: str) -> dict[str, object]:
    apart = math.dist(one, other)
    turn = math.atan2(other.y - one.y, other.x - one.x) if apart > 1e-6 else 0.0
    long = apart + 2 * (distance + INTO * width)
    # words and shapes are placed by the box that they fill once turned
    across = long * abs(math.cos(turn)) + width * abs(math.sin(turn))
    down = long * abs(math.sin(turn)) + width * abs(math.cos(turn))
    x, y = (one.x + other.x) / 2 - across / 2, (one.y + other.y) / 2 - down / 2
    return {
        "id": id, "way": "joined", "across": "where it is", "down": "where it is",
        "x": round(x, 3), "y": round(y, 3), "turn": round(math.degrees(turn), 3),
        "content": {
            "kind": "simple shape", "figure": "line", "width": round(long, 3), "height": width, "colour": colour,
        },
    }  # fmt: skip
