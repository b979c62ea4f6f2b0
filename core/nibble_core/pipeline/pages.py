"""Stage *page*: what the files of a sheet hold for each purpose, whole or panel by panel."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import shapely

from nibble_core.formats.registry import BOTH, CUT, PRINT
from nibble_core.geometry import Affine, Box, Bundle, Points
from nibble_core.graphics import ClientPage, Engraving, Filled, Ink, Page, Painted, Picture, Plate, Shape, Stroked, Tool
from nibble_core.pipeline.compose import rgb
from nibble_core.pipeline.lines import edge_line
from nibble_core.pipeline.panels import panel_program, panel_sheet, ticks
from nibble_core.pipeline.prints import PrintedPage
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import caption_of, program_of
from nibble_core.processes import PROCESSES, parts
from nibble_core.sheet import LaidSheet, hull
from nibble_core.ticket.model import Machine, Sheet, Ticket
from nibble_core.ticket.sentences import print_scale_words
from nibble_core.toolpaths import Definition, Knife, Program, plotted

PLATE_INKS = {
    "white under the print": Ink("White", (0.12, 0.04, 0.0, 0.0)),
    "varnish over the print": Ink("Varnish", (0.0, 0.0, 0.25, 0.0)),
}
"""What presses know plates by, and how a screen shows them."""


@dataclass(frozen=True, eq=False)
class Part:
    """What leaves as files of its own: its laid sheet, its pages, what its machine does. name: “panel 2 of 3”, empty
    for a sheet that is made whole. printed: at true size; print_scale: shares of it that are printed across and
    along."""

    name: str
    laid: LaidSheet
    printed: Page
    cut: Page
    program: Program
    print_scale: tuple[float, float] = (1.0, 1.0)

    @property
    def pages(self) -> dict[str, Page]:
        """By what they are for: one size, one origin, the same marks, but for the scale of what is printed."""
        both = replace(self.printed, stroked=self.cut.stroked, title=f"{self.printed.title} and cut")
        said = _scale_words(self.print_scale)
        made = {PRINT: self.printed, BOTH: both}
        return {CUT: self.cut} | {
            purpose: replace(page.scaled(*self.print_scale), title=page.title + said) for purpose, page in made.items()
        }

    def at_true_size(self, purpose: str, page: Page) -> Page:
        """A page for a purpose as it lies on the sheet once it is printed."""
        across, down = self.print_scale
        return page if purpose == CUT else page.scaled(1 / across, 1 / down)


def _scale_words(scale: tuple[float, float]) -> str:
    return "" if scale == (1.0, 1.0) else f", {print_scale_words(scale)} for the stretch of the press"


def parts_of(ticket: Ticket, sheet: Sheet, work: Work) -> list[Part]:
    """A sheet's pages and program: one of each, or one for each of its panels."""
    laid, program, found = work.sheets[sheet.id].laid.value, program_of(sheet, work), work.sheets[sheet.id].panels
    if len(found) == 1:
        return [_part(ticket, sheet, work, laid, program)]
    return [
        _part(
            ticket, sheet, work, panel_sheet(sheet, laid, panel), panel_program(program, laid, work, which, found),
            f"panel {which + 1} of {len(found)}", ticks(laid.height, which, found),
        )
        for which, panel in enumerate(found)
    ]  # fmt: skip


def _part(
    ticket: Ticket, sheet: Sheet, work: Work, laid: LaidSheet, program: Program, name: str = "",
    beside: Bundle | None = None,
) -> Part:  # fmt: skip
    """The pages of a laid sheet. beside: printed in black beside the work, as its caption is."""
    printed: list[Picture | ClientPage | Painted] = []
    plates: list[Plate] = []
    for layer in laid.layers:
        places = tuple(placement.at for placement in laid.placements if placement.layer == layer)
        for item in work.layers[layer].print_laid.value.items:
            if isinstance(item, Shape):
                printed.append(Painted(Bundle.of(item.region.rings), item.colour, places))
            elif isinstance(item, PrintedPage):
                clip = Bundle.of([ring for region in item.clip for ring in region.rings])
                at = item.framed.then(item.places[0])
                printed.append(
                    ClientPage(item.digest, item.page_width, item.page_height, at, clip, places, item.content)
                )
            else:
                own = tuple(at.then(place) for place in places for at in item.places)
                printed.append(Picture(item.raster, item.width, item.height, own))
        plate = ticket.layer(layer).plate
        if plate is not None and work.layers[layer].plate:
            rings = Bundle.of([ring for region in work.layers[layer].plate for ring in region.rings])
            plates.append(Plate(rings, PLATE_INKS[plate.kind], places, plate.kind == "white under the print"))
    words = [ring for region in caption_of(sheet, ticket, laid, name) for ring in region.rings]
    black = Bundle.joined([Bundle.of(words), beside or Bundle.of(())]) if printed else Bundle.of(())
    if len(black):
        printed.append(Painted(black, (0, 0, 0), (Affine(),)))
    marks = (Filled(laid.marks.paths()),) if laid.marks.places else ()
    title = ", ".join(filter(None, (ticket.name, name)))
    press = work.sheets[sheet.id].press
    plates.sort(key=lambda plate: not plate.under)
    trim, bleed = _boxes(ticket, laid, work)
    return Part(
        name, laid,
        Page(laid.width, laid.height, marks, (), tuple(printed), f"{title}, print", tuple(plates), press, (), trim,
             bleed),
        Page(laid.width, laid.height, marks, strokes(program, sheet.machine), title=f"{title}, cut"),
        program, sheet.print_scale,
    )  # fmt: skip


def _boxes(ticket: Ticket, laid: LaidSheet, work: Work) -> tuple[Box | None, Box | None]:
    """The boxes round all that is cut out of a laid sheet, and round that and all that is printed, within the sheet."""
    sheet = shapely.box(0, 0, laid.width, laid.height)
    cut: list[Points] = []
    printed: list[Points] = []
    for layer in laid.layers:
        own = work.layers[layer].laid.value
        edge = edge_line(own.lines)
        area = own.shown if edge is None else edge.area
        ink = shapely.union_all(
            [area, work.layers[layer].print_laid.value.area, work.layers[layer].print_laid.value.bled]
        )
        places = [placement.at for placement in laid.placements if placement.layer == layer]
        for some, shape in ((cut, area), (printed, ink)):
            corners = hull(shape) if not shape.is_empty else np.empty((0, 2))
            some += [at.map(corners) for at in places if len(corners)]
    boxes = []
    for some in (cut, printed):
        whole = shapely.MultiPoint(np.vstack(some)).envelope.intersection(sheet) if some else shapely.Polygon()
        boxes.append(None if whole.is_empty else Box(*whole.bounds))
    return boxes[0], boxes[1]


def strokes(program: Program, machine: Machine) -> tuple[Stroked, ...]:
    """A program as it is drawn in files that keep definitions."""
    return tuple(Stroked(run.of.paths, ink_of(machine, run.of), run.of.process, run.places) for run in program.runs)


def with_areas(page: Page, program: Program, machine: Machine) -> Page:
    """A page of cuts for formats that fill areas: engraved ones as areas or pixels instead of their strokes."""
    lines = Program(tuple(run for run in program.runs if not run.of.filled))
    engravings, edges = [], []
    for run in program.runs:
        area = run.of.area
        if not run.of.filled or area is None:
            continue
        ink, picture = ink_of(machine, run.of), run.of.picture
        if picture is None:
            engravings.append(Engraving(area, ink, run.of.process, run.places))
        else:
            engravings.append(
                Engraving(
                    area, ink, run.of.process, run.places, picture.levels, picture.left, picture.top, picture.pitch
                )
            )
        if run.of.outlined:
            edges.append(Stroked(area, ink, run.of.process, run.places))
    return replace(page, stroked=(*edges, *strokes(lines, machine)), engravings=tuple(engravings))


def plotter_strokes(program: Program, sheet: Sheet, height: float, unit: float) -> tuple[Stroked, ...]:
    """A program as a pen plotter runs it on a page so high, with the sheet's settings; see ``toolpaths.plotting``."""
    settings = {process: sheet.setting(process) for process in PROCESSES}

    def knife_of(of: Definition) -> Knife:
        own = settings[of.process]
        how = own.by_knife
        return Knife(how.blade_offset if parts(of.process) else 0.0, how.overcut, how.corner, how.passes)

    def tool_of(process: str) -> Tool:
        return Tool(sheet.machine.pen(process), settings[process].by_knife.force, settings[process].speed)

    return tuple(
        Stroked(paths, ink_of(sheet.machine, of), of.process, tool=tool_of(of.process))
        for of, paths in plotted(program, knife_of, height=height, unit=unit)
    )


def ink_of(machine: Machine, of: Definition) -> Ink:
    """What a machine knows a line by: the spot colour of its process, numbered beyond the first."""
    spot = machine.spot(of.process)
    name = spot.ink if of.rank == 1 else f"{spot.ink} {of.rank}"
    return Ink(name, spot.cmyk, rgb(spot.colour) if spot.colour else None)
