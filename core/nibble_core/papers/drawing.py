"""Pieces and sheets on paper: as made, and what is weeded."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Affine, Box, Bundle, Path
from nibble_core.geometry.path_text import SVG
from nibble_core.graphics import Raster, Shape, hex_colour
from nibble_core.papers.page import HAIR, INK, SOFT, Page
from nibble_core.pipeline.lines import DrawnLine, edge_line
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import own_lines
from nibble_core.processes import PROCESSES, is_sent, parts
from nibble_core.sheet import at_place
from nibble_core.ticket.goods import OnFlat
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.ticket.piece import Piece

MOST_DRAWN = 4000  # copies of a sheet
FINE = 0.05  # mm: what a drawing on paper may be off by, at its own scale


def piece_box(piece: Piece, work: Work) -> Box | None:
    """Round all layers of a piece; None while none is drawn."""
    boxes = [work.layers[layer.id].drawn.value.box for layer in piece.layers if layer.id in work.layers]
    return Box.around(boxes) if boxes else None


def draw_piece(
    page: Page, piece: Piece, ticket: Ticket, work: Work, x: float, y: float, width: float, height: float,
    *, lines: bool, behind: bool = False,
) -> tuple[float, float]:  # fmt: skip
    """A piece as made, as large as the room allows and no larger than life; lines: with its production lines. behind:
    its second side, in place of its first. Returns its width and height on paper."""
    box = piece_box(piece, work)
    if box is None or box.width <= 0 or box.height <= 0:
        return 0.0, 0.0
    scale = min(width / box.width, height / box.height, 1.0)
    with page.within(x - box.left * scale, y - box.top * scale, scale):
        for layer in piece.layers:
            if layer.id in work.layers and ticket.is_behind(layer.id) == behind:
                _layer(page, layer.id, ticket, work, FINE / scale, 0.2 / scale, lines=lines)
    return box.width * scale, box.height * scale


def has_second_side(piece: Piece, ticket: Ticket, work: Work) -> bool:
    """Whether anything is printed or engraved on a piece's second side."""
    drawn = [layer.id for layer in piece.layers if layer.id in work.layers and ticket.is_behind(layer.id)]
    return any(work.layers[id].print_drawn.value.items or _marking(work.layers[id].drawn.value.lines) for id in drawn)


def _layer(page: Page, layer: str, ticket: Ticket, work: Work, fine: float, weight: float, *, lines: bool) -> None:
    drawn, printed = work.layers[layer].drawn.value, work.layers[layer].print_drawn.value
    stock = next(iter(ticket.sheets_of(layer)), None)
    made = _finished(layer, work).simplify(fine)
    page.shape(made, fill=stock.stock.colour if stock else "#ffffff")
    with page.clipped(made if not made.is_empty else shapely.box(*drawn.box)):
        for item in printed.items:
            if isinstance(item, Shape):
                page.shape(item.region.polygon().simplify(fine), fill=hex_colour(item.colour))
                continue
            for place in item.places:
                with page.mapped(place):
                    page.picture(item.raster, item.width, item.height)
    page.shape(made, edge=SOFT, weight=weight)
    for line in _marking(drawn.lines):
        _marked(page, line, fine, weight)
    if lines:
        _lines(page, drawn.lines, fine, weight)


def _marking(lines: Sequence[DrawnLine]) -> list[DrawnLine]:
    """Lines that are seen on the finished piece: machines make them, and they part nothing."""
    return [
        line for line in lines
        if is_sent(line.process) and not parts(line.process)
    ]  # fmt: skip


def _marked(page: Page, line: DrawnLine, fine: float, weight: float) -> None:
    """An engraved area or picture, or a line that is scored or engraved, as it is seen."""
    colour = PROCESSES[line.process].colour
    if line.picture is not None:
        one = line.picture
        tone = np.full((*one.levels.shape, 4), [*bytes.fromhex(colour[1:]), 0], np.uint8)
        tone[..., 3] = one.levels
        high, wide = one.levels.shape
        with page.mapped(Affine.translation(one.left, one.top)):
            page.picture(Raster(tone), wide * one.pitch, high * one.pitch)
    elif line.filled:
        page.shape(line.area.simplify(fine), fill=colour)
    else:
        for path in line.paths:
            page.line(_course(path, fine), edge=colour, weight=1.2 * weight)


def _lines(page: Page, lines: tuple, fine: float, weight: float) -> None:  # type: ignore[type-arg]
    for line in lines:
        if is_sent(line.process):
            look = PROCESSES[line.process]
            dash = [2 * weight * d for d in look.dash]
            paths = Bundle.of([ring for region in line.regions for ring in region.rings]) if line.dashes else line.paths
            for path in paths:
                page.line(_course(path, fine), edge=look.colour, weight=1.6 * weight, dash=dash)


def _course(path: Path, fine: float) -> np.ndarray:
    """Points along a path, back to its start where it is closed."""
    points = path.flattened(fine)
    return np.vstack([points, points[:1]]) if path.closed else points


def _finished(layer: str, work: Work) -> BaseGeometry:
    """The finished piece of a layer: what its cuts leave, or what it holds."""
    if work.layers[layer].examined:
        made = work.layers[layer].examined[0].value.work
        if not made.is_empty:
            return made
    edge = edge_line(work.layers[layer].drawn.value.lines)
    return edge.area if edge is not None else work.layers[layer].drawn.value.shown


def draw_on_thing(
    page: Page, piece: Piece, ticket: Ticket, work: Work, x: float, y: float, width: float, height: float
) -> tuple[float, float]:
    """A piece on what it goes on, in true proportion. Returns the width and height of it all on paper."""
    box, goods = piece_box(piece, work), piece.goods
    if box is None or not isinstance(goods, OnFlat):
        return 0.0, 0.0
    thing = goods.thing
    body = Bundle.read(thing.outline.encode(), SVG)
    whole = body.bounds()
    scale = min(width / whole.width, height / whole.height, 1.0)
    weight = 0.3 / scale
    top = thing.y + thing.below(goods.down) - (0.0 if thing.from_top else box.height / 2)
    with page.within(x - whole.left * scale, y - whole.top * scale, scale):
        for path in body:
            area = shapely.Polygon(path.flattened(FINE / scale))
            page.shape(area, fill=goods.colour, edge=INK, weight=weight)
        for path in Bundle.read(thing.details.encode(), SVG):
            page.line(_course(path, FINE / scale), edge=SOFT, weight=weight)
        with page.mapped(Affine.translation(thing.x - (box.left + box.right) / 2, top - box.top)):
            for layer in piece.layers:
                if layer.id in work.layers and not ticket.is_behind(layer.id):
                    _layer(page, layer.id, ticket, work, FINE / scale, 0.05 / scale, lines=False)
    return whole.width * scale, whole.height * scale


def draw_sheet(
    page: Page, sheet: Sheet, work: Work, x: float, y: float, width: float, height: float
) -> tuple[float, float]:
    """A whole sheet as it is weeded: what stays is solid, what goes is hatched; marks and cuts in the waste. Returns
    its width and height on paper."""
    laid = work.sheets[sheet.id].laid.value
    scale = min(width / laid.width, height / laid.height)
    weight, fine = 0.15 / scale, FINE / scale
    with page.within(x, y, scale):
        whole = shapely.box(0, 0, laid.width, laid.height)
        page.shape(whole, fill="#FFFFFF")
        copies = [at_place(_stays(one.layer, work).simplify(fine), one.at) for one in laid.placements[:MOST_DRAWN]]
        cleared = shapely.difference(whole, shapely.union_all(copies)) if len(copies) <= 400 else whole
        with page.clipped(cleared):
            step, end = 2.2 / scale, laid.width + laid.height
            for at in np.arange(step, end, step).tolist():
                page.line(np.array([[at, 0.0], [at - laid.height, laid.height]]), edge=HAIR, weight=0.8 * weight)
        for copy in copies:
            page.shape(copy, fill="#8A958F", edge=INK, weight=weight)
        for path in laid.marks.paths():
            page.shape(shapely.Polygon(path.flattened(fine)), fill=INK)
        for own in own_lines(sheet, work):
            look = PROCESSES[own.process]
            for path in own.paths:
                page.line(_course(path, fine), edge=look.colour, weight=1.5 * weight,
                          dash=[1.2 * weight * d for d in look.dash])  # fmt: skip
        page.shape(whole, edge=INK, weight=weight)
    return laid.width * scale, laid.height * scale


def _stays(layer: str, work: Work) -> BaseGeometry:
    if work.layers[layer].bent:  # as it lies there, not as it was drawn
        laid = work.layers[layer].laid.value
        edge = edge_line(laid.lines)
        return laid.shown if edge is None else edge.area
    if work.layers[layer].examined:
        solid = work.layers[layer].examined[0].value.solid
        if not solid.is_empty:
            return solid
    return _finished(layer, work)
