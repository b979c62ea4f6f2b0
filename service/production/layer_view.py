"""What the screen shows of a layer of a piece: its print, its lines, and what they would do to the stock."""

from typing import Any

import numpy as np
from shapely.geometry.base import BaseGeometry

from files.pictures import show
from nibble_core.geometry import Bundle, Path
from nibble_core.geometry.regions import polygons
from nibble_core.graphics import Shape, Stroke, hex_colour
from nibble_core.lines.composing import Taker
from nibble_core.pipeline.clicks import holes_to_click, widest_circle
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.examine import Examined
from nibble_core.pipeline.lines import DrawnLine, LayerResult, edge_line
from nibble_core.pipeline.minutes import minutes_by_layer
from nibble_core.pipeline.prints import PrintedPicture, PrintResult
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.store import Keyed
from nibble_core.ticket import fingerprint
from nibble_core.ticket.heads import BeamHead
from nibble_core.ticket.model import Ticket
from nibble_core.ticket.piece import Layer, Piece

COARSE = 0.01  # mm: what a view may be off by
MOST_DASHES = 4000  # more are told in slices
SLICE = 1000  # dashes that are drawn together


def layer_view(piece: Piece, layer: Layer, ticket: Ticket, work: Work) -> dict[str, Any]:
    """See production.schemas.LayerOut. Geometry in mm, in the piece's coordinates."""
    own = work.layers[layer.id]
    return _view(piece, layer, ticket, work, own.drawn.value, own.print_drawn)


def laid_view(piece: Piece, layer: Layer, ticket: Ticket, work: Work) -> dict[str, Any]:
    """The same as the layer is laid out, bent onto a round thing."""
    own = work.layers[layer.id]
    bent = _view(piece, layer, ticket, work, own.laid.value, own.print_laid)
    return bent | {"looks": None, "holes": [], "takers": [], "bridges": [], "shapes": [], "regions": []}


def _view(
    piece: Piece, layer: Layer, ticket: Ticket, work: Work, drawn: LayerResult, printed: Keyed[PrintResult]
) -> dict[str, Any]:
    composed, own = work.pieces[piece.id].value, work.layers[layer.id]
    edge = edge_line(drawn.lines)
    beam = _beam(ticket, layer.id)
    return {
        "box": list(drawn.box), "frame": list(composed.box), "lines": [_line(line, beam) for line in drawn.lines],
        "prints": _prints(printed.key, printed.value),
        "shapes": [_shape(owner, shape) for owner, shape in composed.composed.painted],
        "shown": _area(drawn.shown) if layer.shows != "everything" else "",
        "edge": "" if edge is None else "".join(region.svg(3) for region in edge.regions),
        "regions": [{"d": region.svg(3), "nodes": region.node_count} for region in composed.regions],
        "holes": _holes(composed, drawn),
        "takers": [_taker(one) for one in composed.composed.takers],
        "bridges": [[*bridge.one, *bridge.other] for bridge in composed.bridges],
        "marks": "".join(mark.svg(3) for mark in drawn.marks),
        "marks_process": drawn.marks_process.process if drawn.marks_process else "",
        "fills": _rings(own.footprint.value) if own.examined else [],
        "plate": "".join(region.svg(3) for region in own.plate),
        "hanging": _hanging(drawn), "minutes": _minutes(ticket, layer.id, work),
        "looks": _looks([one.value for one in own.examined]) if own.examined else None,
    }  # fmt: skip


def _rings(area: BaseGeometry) -> list[list[float]]:
    """Its outlines, x and y in turn."""
    return [
        np.round(np.asarray(part.exterior.coords)[:-1], 3).ravel().tolist() for part in polygons(area)
    ]  # fmt: skip


def _minutes(ticket: Ticket, layer: str, work: Work) -> float | None:
    """Of all its copies on all its sheets, of those Machine tells; None where one is not known."""
    told = [minutes_by_layer(sheet, work).get(layer) for sheet in ticket.sheets_of(layer) if sheet.id in work.sheets]
    known = [one for one in told if one is not None]
    return sum(known) if told and len(known) == len(told) else None


def _beam(ticket: Ticket, layer: str) -> float:
    """mm that the beam is wide that makes a layer first; 0 for a knife."""
    head = next((sheet.machine.head for sheet in ticket.sheets_of(layer)), None)
    return head.beam if isinstance(head, BeamHead) else 0.0


def _line(line: DrawnLine, beam: float) -> dict[str, Any]:
    many = len(line.paths) > MOST_DASHES
    paths = Bundle.of([ring for region in line.regions for ring in region.rings]) if many else line.paths
    return {
        "id": line.id, "process": line.process, "name": line.name, "d": paths.svg(3),
        "nodes": line.nodes, "length": round(line.length, 2), "parts": len(line.regions),
        "ties": [list(place) for place in line.places], "dashes": line.dashes,
        "slices": _slices(line.paths) if many else [], "filled": line.filled, "wide": beam if line.filled else 0.0,
        "picture": line.picture is not None,
        "area": "".join(region.svg(3) for region in line.regions) if line.filled else "",
    }  # fmt: skip


def _slices(dashes: Bundle) -> list[dict[str, Any]]:
    """As they follow each other along the line, so that each slice lies close together."""
    parts = [dashes.part(at, min(at + SLICE, len(dashes))) for at in range(0, len(dashes), SLICE)]
    return [{"d": part.svg(3), "box": [round(v, 3) for v in part.bounds()]} for part in parts]


def _prints(key: str, result: PrintResult) -> list[dict[str, Any]]:
    items = []
    for number, item in enumerate(result.items):
        if isinstance(item, PrintedPicture):
            url = show(fingerprint(key, number), item.raster)
            items += [
                {"kind": "picture", "url": url, "width": item.width, "height": item.height, "matrix": list(place),
                 "d": "", "colour": ""}
                for place in item.places
            ]  # fmt: skip
        else:
            items.append(
                {"kind": "shape", "url": "", "width": 0, "height": 0, "matrix": [1, 0, 0, 1, 0, 0],
                 "d": item.svg(3), "colour": hex_colour(item.colour)}
            )  # fmt: skip
    return items


def _shape(owner: str, shape: Shape | Stroke) -> dict[str, Any]:
    width = round(shape.width, 3) if isinstance(shape, Stroke) else None
    return {"element": owner, "d": shape.svg(3), "colour": hex_colour(shape.colour), "stroke": width}


def _taker(one: Taker) -> dict[str, Any]:
    return {"element": one.id, "d": _area(one.area), "meets": one.meets}


def _holes(composed: PieceResult, drawn: LayerResult) -> list[dict[str, Any]]:
    """See HoleOut."""
    found = []
    for hole in holes_to_click(composed, drawn):
        middle, width = widest_circle(hole.area)
        x, y = composed.share_of(middle)
        found.append({"d": hole.outline.svg(3), "x": x, "y": y, "width": round(width, 3), "line": hole.line})
    return found


def _hanging(drawn: LayerResult) -> dict[str, Any] | None:
    hung = drawn.hanging
    if hung is None:
        return None
    return {"balance": list(hung.balance), "place": list(hung.place), "wall": hung.wall, "tilt": hung.tilt}


def _looks(examined: list[Examined]) -> dict[str, Any]:
    """What a layer's lines do on all the stocks it lies on: what falls on any of them, and what is too weak for the one
    that holds least."""
    first, worst = examined[0], examined[0].worst
    # the faces are the same on all stocks: whether anything carries them is not
    lost = {k for one in examined for k, face in enumerate(one.dropped.faces)
            if face in one.dropped.lost(liner=one.liner)}  # fmt: skip
    weak = max((one.weak for one in examined), key=len)
    return {
        "falls": [
            {"d": _area(face.area), "kind": "lost" if k in lost else face.kind, "island": face.island}
            for k, face in enumerate(first.dropped.faces)
        ],
        "weak": [[*neck.one, *neck.other, round(neck.width, 3)] for neck in weak],
        "neck": None if first.neck is None else [*first.neck.one, *first.neck.other, first.neck.width],
        "work": _area(first.work), "solid": _area(first.solid),
        "slivers": "" if worst is None else _area(worst.slivers),
        "error": 0.0 if worst is None else worst.error, "needed": 0.0 if worst is None else round(worst.needed, 3),
    }  # fmt: skip


def _area(geometry: BaseGeometry) -> str:
    """Path data of an area's rings as chords."""
    tidy = geometry.simplify(COARSE / 2)
    rings = [ring for part in polygons(tidy) for ring in (part.exterior, *part.interiors)]
    return "".join(Path.polygon(np.asarray(ring.coords)[:-1, :2]).svg(3) for ring in rings)
