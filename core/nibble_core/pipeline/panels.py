"""Stage *part*: the pages of a sheet, panel by panel where its work is wider than the stock."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import shapely

from nibble_core.geometry import Affine, Bundle, Path, Point
from nibble_core.geometry.regions import polygons
from nibble_core.graphics import Filled, Page, Painted, Picture, Plate, Stroked
from nibble_core.pipeline.lines import edge_line
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import ONE_SHEET, footprint, usable_width
from nibble_core.processes import parts
from nibble_core.sheet import Panel, at_place, clipped, panels
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.toolpaths import Definition, Program, Run

TICK = (0.3, 4.0)  # mm: width and height of a joining mark


@dataclass(frozen=True, eq=False)
class Part:
    """One page of a sheet for each purpose, and what its machine does. name: “panel 2 of 3”, empty for one
    that is made whole."""

    name: str
    printed: Page
    cut: Page
    program: Program


def seams(ticket: Ticket, sheet: Sheet, work: Work) -> list[Panel]:
    """The panels of a sheet: one for a sheet that is made whole."""
    laid = work.sheets[sheet.id].value
    if sheet.panels == ONE_SHEET:
        return [Panel(0.0, laid.width)]
    shapes = {layer: footprint(ticket.layer(layer), work) for layer in laid.layers}
    edges = [at_place(shapes[layer], at) for layer, at in laid.placements]
    for layer, at in laid.placements:
        if layer in work.prints:
            edges += [at_place(part, at) for part in polygons(work.prints[layer].value.area)]
    return panels(laid.width, usable_width(sheet), sheet.panel_overlap, edges)


def parts_of(ticket: Ticket, sheet: Sheet, work: Work, printed: Page, cut: Page, program: Program) -> list[Part]:
    """The pages of a sheet, parted where it is. A panel's page is its strip; its marks stand in its own corners, above
    and below the work; a tick shows where its neighbour's edge comes to lie; its seams are cut like the edge is."""
    found = seams(ticket, sheet, work)
    if len(found) < 2:
        return [Part("", printed, cut, program)]
    return [_part(ticket, sheet, work, (number, found), (printed, cut), program) for number in range(len(found))]


def _part(
    ticket: Ticket, sheet: Sheet, work: Work, which: tuple[int, list[Panel]], pages: tuple[Page, Page], program: Program
) -> Part:
    number, found = which
    printed, cut = pages
    panel = found[number]
    name = f"panel {number + 1} of {len(found)}"
    shift = Affine.translation(-panel.left, 0.0)
    marks = _marks(sheet, work, panel, printed.height)
    filled = (Filled(marks),) if len(marks) else ()
    runs = [
        Run(replace(run.of, paths=own), (shift,))
        for run in program.runs
        if len(own := Bundle.joined([clipped(run.of.paths.mapped(at), panel, cut.height) for at in run.places]))
    ]
    own_seams = _seam_cuts(ticket, work, sheet, which)
    last = next((run for run in reversed(runs) if parts(run.of.process)), None)
    if len(own_seams) and last is not None:
        process = last.of.process  # what falls out comes last: seams are cut as that is
        runs.append(Run(Definition("seams", process, own_seams), (shift,)))
    inks = {(one.layer, id(one.paths)): one.ink for one in cut.stroked}
    by_process = {one.layer: one.ink for one in reversed(cut.stroked)}
    whole = {run.of.id: inks.get((run.of.process, id(run.of.paths))) for run in program.runs}
    stroked = tuple(
        Stroked(run.of.paths, whole.get(run.of.id) or by_process[run.of.process], run.of.process, run.places)
        for run in runs
    )
    moved: list[Picture | Painted] = [
        replace(one, placements=tuple(at.then(shift) for at in one.placements)) for one in printed.printed
    ]
    ticks = _ticks(which, printed.height)
    if len(ticks) and printed.printed:
        moved.append(Painted(ticks, (0, 0, 0), (Affine(),)))
    plates = tuple(Plate(one.paths, one.ink, tuple(at.then(shift) for at in one.placements)) for one in printed.plates)
    return Part(
        name,
        Page(
            panel.width, printed.height, filled, printed=tuple(moved), title=f"{printed.title}, {name}", plates=plates
        ),
        Page(panel.width, cut.height, filled, stroked, title=f"{cut.title}, {name}"),
        Program(tuple(runs)),
    )


def _marks(sheet: Sheet, work: Work, panel: Panel, height: float) -> Bundle:
    """Four in a panel's corners, in the bands that are free above and below the work."""
    laid = work.sheets[sheet.id].value
    if not laid.marks.places:
        return Bundle.of(())
    r = laid.marks.diameter / 2
    corners = [(r, r), (r, height - r), (panel.width - r, height - r), (panel.width - r, r)]
    made = replace(laid.marks, places=tuple(Point(*at) for at in corners), middle=(panel.width / 2, height / 2))
    return made.paths()


def _seam_cuts(ticket: Ticket, work: Work, sheet: Sheet, which: tuple[int, list[Panel]]) -> Bundle:
    """Straight cuts along a panel's inner edges, within what is cut out, in the sheet's coordinates."""
    number, found = which
    panel = found[number]
    laid = work.sheets[sheet.id].value
    edges = {layer: edge_line(work.layers[layer].value.lines) for layer in laid.layers}
    areas = [at_place(edge.area, at) for layer, at in laid.placements if (edge := edges[layer]) is not None]
    whole = shapely.union_all(areas) if areas else shapely.box(0, 0, laid.width, laid.height)
    at = [panel.left] if number else []
    at += [panel.right] if number < len(found) - 1 else []
    made = []
    for x in at:
        line = shapely.intersection(whole, shapely.LineString([(x, -1.0), (x, laid.height + 1.0)]))
        made += [
            Path.polygon(shapely.get_coordinates(part), closed=False)
            for part in shapely.get_parts(line)
            if part.geom_type == "LineString" and part.length > 0
        ]
    return Bundle.of(made)


def _ticks(which: tuple[int, list[Panel]], height: float) -> Bundle:
    """Where the neighbours' edges come to lie on a panel, at its head and foot."""
    number, found = which
    panel = found[number]
    places = [found[number - 1].right - panel.left] if number else []
    places += [found[number + 1].left - panel.left] if number < len(found) - 1 else []
    wide, tall = TICK
    boxes = [(x - wide / 2, y) for x in places for y in (0.0, height - tall)]
    corner = np.array([(0.0, 0.0), (wide, 0.0), (wide, tall), (0.0, tall)])
    return Bundle.of(Path.polygon(corner + np.array(at)) for at in boxes)
