"""Stage *part*: a sheet whose work is wider than its stock becomes panels, each laid out and run by itself."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Affine, Bundle, Path
from nibble_core.geometry.regions import polygons
from nibble_core.graphics import Shape
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.lines import edge_line
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.room import usable_width
from nibble_core.pipeline.sheets import ONE_SHEET, keyed, keyed_copies
from nibble_core.pipeline.store import ResultStore, stage
from nibble_core.processes import parts
from nibble_core.sheet import LaidSheet, Panel, Placement, Seam, at_place, clipped, marked, panels, seams
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.toolpaths import Definition, Program, Run

TICK = (0.3, 4.0)  # mm: width and height of a joining mark
MOST_MARKS = 4  # of a panel: further ones would stand on the work


def parted(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work) -> tuple[list[Seam], list[Panel]]:
    """The seams and the panels of a laid sheet: one where it is made whole. Raises DoesNotFit for an overlap that
    leaves nothing of the stock."""
    laid = work.sheets[sheet.id].laid
    if sheet.panels == ONE_SHEET:
        return [], [Panel(0.0, laid.value.width)]
    pieces = [work.pieces[ticket.piece_of_layer(layer).id] for layer in laid.value.layers]
    by = Seaming(
        usable_width(sheet), sheet.panel_overlap, sheet.seam_reach, tuple((one.number, one.x) for one in sheet.seams),
        tuple(laid.value.layers),
    )  # fmt: skip
    found = stage(store, _found_seams, by, laid, keyed_copies(laid, work), *pieces).value
    return found, panels(laid.value.width, found, sheet.panel_overlap)


@dataclass(frozen=True)
class Seaming:
    """Where seams may lie, mm. fixed: places that were set by hand, by the seam's number. layers: of the sheet."""

    width: float
    overlap: float
    reach: float
    fixed: tuple[tuple[int, float], ...]
    layers: tuple[str, ...]


def _found_seams(
    by: Seaming, laid: LaidSheet, copies: list[BaseGeometry], *pieces: PieceResult
) -> list[Seam]:  # fmt: skip
    """pieces: of the layers, in their order."""
    shapes = {
        layer: [
            part
            for _, shape in piece.composed.painted
            if isinstance(shape, Shape)
            for part in polygons(shape.region.polygon(0.1))
        ]
        for layer, piece in zip(by.layers, pieces, strict=True)
    }
    busy = [*copies, *(at_place(part, at) for layer, at in laid.placements for part in shapes[layer])]
    return seams(laid.width, by.width, by.overlap, busy=busy, reach=by.reach, fixed=dict(by.fixed))


def panel_sheet(sheet: Sheet, laid: LaidSheet, panel: Panel) -> LaidSheet:
    """A panel as a laid sheet: the work as it lies in its strip, marks in its own corners, in the bands that are free
    above and below the work."""
    shift = Affine.translation(-panel.left, 0.0)
    strip = replace(
        laid, width=panel.width, placements=tuple(Placement(layer, at.then(shift)) for layer, at in laid.placements)
    )
    count = min(len(laid.marks.places), sheet.marks, MOST_MARKS)
    return marked(strip, count, sheet.mark_diameter, shape=sheet.mark_shape, keyed=keyed(sheet))


def panel_program(program: Program, laid: LaidSheet, work: Work, which: int, found: list[Panel]) -> Program:
    """What of a whole sheet's program lies in a panel, in the panel's coordinates, and its seams, which are cut as what
    comes last is."""
    panel = found[which]
    shift = Affine.translation(-panel.left, 0.0)
    runs = []
    for run in program.runs:
        own = Bundle.joined([clipped(run.of.paths.mapped(at), panel, laid.height) for at in run.places])
        if len(own):
            runs.append(Run(replace(run.of, paths=own, rings=None), (shift,)))
    seams = _seams(laid, work, which, found)
    last = next((run.of for run in reversed(runs) if parts(run.of.process)), None)
    if len(seams) and last is not None:
        runs.append(Run(Definition("seams", last.process, seams, last.rank), (shift,)))
    return Program(tuple(runs))


def _seams(laid: LaidSheet, work: Work, which: int, found: list[Panel]) -> Bundle:
    """Straight cuts along a panel's inner edges, within what is cut out, in the sheet's coordinates."""
    edges = {layer: edge_line(work.layers[layer].laid.value.lines) for layer in laid.layers}
    areas = [at_place(edge.area, at) for layer, at in laid.placements if (edge := edges[layer]) is not None]
    whole = shapely.union_all(areas) if areas else shapely.box(0, 0, laid.width, laid.height)
    places = ([found[which].left] if which else []) + ([found[which].right] if which < len(found) - 1 else [])
    lines = shapely.linestrings([[(x, -1.0), (x, laid.height + 1.0)] for x in places])
    return Bundle.of(
        Path.polygon(shapely.get_coordinates(part), closed=False)
        for part in shapely.get_parts(shapely.intersection(whole, lines))
        if part.geom_type == "LineString" and part.length > 0
    )


def ticks(height: float, which: int, found: list[Panel]) -> Bundle:
    """Where the neighbours' edges come to lie on a panel, at its head and foot."""
    places = [found[which - 1].right] if which else []
    places += [found[which + 1].left] if which < len(found) - 1 else []
    wide, tall = TICK
    boxes = [(x - found[which].left - wide / 2, y) for x in places for y in (0.0, height - tall)]
    corner = np.array([(0.0, 0.0), (wide, 0.0), (wide, tall), (0.0, tall)])
    return Bundle.of(Path.polygon(corner + np.array(at)) for at in boxes)
