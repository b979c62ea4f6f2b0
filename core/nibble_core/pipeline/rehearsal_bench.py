"""A sheet made ready for a rehearsal: its print, its cuts as a cutter reads them, and what is printed under each place
of them."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import CannotMake
from nibble_core.formats.registry import BOTH, CUT, FORMATS, PRINT, Format
from nibble_core.geometry import Affine, run_lengths
from nibble_core.geometry.regions import polygons
from nibble_core.pipeline.coming_off import Tie, ties
from nibble_core.pipeline.led_head import LedHead, led_head
from nibble_core.pipeline.pages import Part, ink_of, parts_of
from nibble_core.pipeline.part_files import write_part
from nibble_core.pipeline.results import Work
from nibble_core.processes import PROCESSES
from nibble_core.sheet import LaidSheet
from nibble_core.simulators.cut_files import CutFile, CutLine, Unreadable, read_cut
from nibble_core.simulators.cutter import Clamp, Lies, Marks
from nibble_core.simulators.press import Distortion, Faults, PrintedSheet
from nibble_core.ticket.model import Sheet, Ticket

APART = 0.6  # mm between two places at which a cut is measured
MOST_SAMPLES, FURTHEST_APART = 64, 8.0  # of a line, unless they lie further apart than so many mm
GRID = 1600  # px of a piece's longer side, on which distances to the end of its print are kept
FINEST_GRID = 0.01  # mm
WIDEST = 6.0  # mm round a piece in which distances are kept
PAPER = 250  # level of a pixel's darkest ink from which nothing is printed


@dataclass(frozen=True)
class Printing:
    """Where places of a sheet come to lie on the material. scale: shares of its true size that its file has across and
    along; distortion: what the press does to that."""

    scale: tuple[float, float]
    distortion: Distortion

    def forward(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        return self.distortion.forward(places * self.scale)

    def back(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(self.distortion.back(places) / self.scale, float)


@dataclass(frozen=True, eq=False)
class InkField:
    """How far places of a piece lie within what is printed of it (below nothing: outside), mm, on a grid."""

    levels: NDArray[np.float32]
    left: float
    top: float
    pitch: float

    @classmethod
    def of(cls, area: BaseGeometry, zone: BaseGeometry, sheet: PrintedSheet, place: Affine) -> InkField:
        """Of a piece that is printed at a place of a sheet. area: what is printed of it, be it white; zone: where its
        bleed may lie, as far as the sheet's own pixels show it."""
        whole = area.union(zone)
        left, top, right, bottom = whole.bounds
        pitch = max(max(right - left, bottom - top) / GRID, FINEST_GRID)
        left, top = left - WIDEST, top - WIDEST
        shape = math.ceil((bottom + WIDEST - top) / pitch), math.ceil((right + WIDEST - left) / pitch)
        mask = _mask(area, left, top, pitch, shape)
        bleed = _mask(zone, left, top, pitch, shape) & (1 - mask)
        mask |= bleed & _inked(sheet, place, left, top, pitch, shape)
        within = cv2.distanceTransform(mask, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        beyond = cv2.distanceTransform(1 - mask, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        # a pixel's middle lies half a pixel from the edge that runs between it and the next
        levels = np.where(mask > 0, within - 0.5, 0.5 - beyond) * pitch
        return cls(levels.astype(np.float32), left, top, pitch)

    def at(self, across: NDArray[np.float64], down: NDArray[np.float64]) -> NDArray[np.float64]:
        """(n,) of places in the piece's coordinates, each (n,)."""
        height, width = self.levels.shape
        x = np.clip((across - self.left) / self.pitch - 0.5, 0, width - 1.001)
        y = np.clip((down - self.top) / self.pitch - 0.5, 0, height - 1.001)
        i, j = x.astype(np.int64), y.astype(np.int64)
        u, v = x - i, y - j
        flat, k = self.levels.ravel(), j * width + i
        upper = flat[k] * (1 - u) + flat[k + 1] * u
        lower = flat[k + width] * (1 - u) + flat[k + width + 1] * u
        return np.asarray(upper * (1 - v) + lower * v, float)


def _mask(
    area: BaseGeometry, left: float, top: float, pitch: float, shape: tuple[int, int]
) -> NDArray[np.uint8]:  # fmt: skip
    mask = np.zeros(shape, np.uint8)
    rings = [
        np.rint((shapely.get_coordinates(ring) - (left, top)) / pitch * 16 - 8).astype(np.int32)
        for part in polygons(area) for ring in (part.exterior, *part.interiors)
    ]  # fmt: skip
    if rings:
        cv2.fillPoly(mask, rings, 1, cv2.LINE_8, 4)
    return mask


def _inked(
    sheet: PrintedSheet, place: Affine, left: float, top: float, pitch: float, shape: tuple[int, int]
) -> NDArray[np.uint8]:
    """Which pixels of a piece's grid show ink on the sheet."""
    rows, columns = shape
    corners = np.array([[left, top], [left + columns * pitch, top], [left, top + rows * pitch],
                        [left + columns * pitch, top + rows * pitch]])  # fmt: skip
    there = place.map(corners)
    low, high = there.min(0), there.max(0)
    step = pitch * math.sqrt(abs(place.determinant))
    seen = sheet.picture((float(low[0]), float(low[1]), float(high[0]), float(high[1])), 25.4 / step, 1.0)
    x, y = np.meshgrid(left + (np.arange(columns) + 0.5) * pitch, top + (np.arange(rows) + 0.5) * pitch)
    at = (place.map(np.column_stack([x.ravel(), y.ravel()])) - low) / step - 0.5
    across, down = (at[:, k].reshape(shape).astype(np.float32) for k in (0, 1))
    darkest = cv2.remap(seen.min(2), across, down, cv2.INTER_NEAREST, borderValue=255)
    return np.asarray(darkest < PAPER, np.uint8)


@dataclass(frozen=True, eq=False)
class Bench:
    """A sheet ready to be rehearsed: its print, its cut file as a cutter reads it, what is meant by it, and places
    along the lines that are meant, (n, 2) mm on the sheet. line: of each place, its number; copy: of each line, that of
    the copy that it is on, -1 for what is the sheet's own; kept: of each place, whether it is on an edge of what is
    kept; inner: how far it lies within the print. fields: of each layer that prints; back: of each such layer which
    places are on copies of it, and the six numbers of the map back to its piece; beside: the same of the copy next to
    each place. closed: numbers of lines that close; processes: of each line; ties: between its strokes; print_scale:
    see ``Part``; head: of a machine that takes moves; its file is what is meant; clamps: of the
    bed, in whose upper left corner it lies; rolls: whether its stock runs on over the end of the bed."""

    laid: LaidSheet
    printed: bytes
    file: CutFile
    meant: CutFile
    marks: Marks
    places: NDArray[np.float64]
    line: NDArray[np.int64]
    copy: NDArray[np.int64]
    kept: NDArray[np.bool_]
    inner: NDArray[np.float64]
    fields: Mapping[str, InkField]
    back: Mapping[str, tuple[NDArray[np.int64], NDArray[np.float64]]]
    beside: Mapping[str, tuple[NDArray[np.int64], NDArray[np.float64]]]
    closed: frozenset[int]
    processes: tuple[str, ...]
    ties: tuple[Tie, ...]
    print_scale: tuple[float, float] = (1.0, 1.0)
    head: LedHead | None = None
    clamps: tuple[Clamp, ...] = ()
    rolls: bool = False

    def printing(self, faults: Faults) -> Printing:
        """What a press with such faults makes of its file."""
        width, height = self.laid.width * self.print_scale[0], self.laid.height * self.print_scale[1]
        return Printing(self.print_scale, Distortion(width, height, faults))

    def taken(self, lies: Lies) -> Lies:
        """How its machine takes a sheet to lie that a camera sees lie so: a head that takes moves knows shift, turn and
        size only."""
        return lies if self.head is None else replace(lies, model="affine")

    def within(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far the places, each at its own copy, lie within what is printed of it, mm; far outside for others."""
        return self._within(places, self.back)

    def within_neighbours(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far they lie within what is printed of the copy next to their own."""
        return self._within(places, self.beside)

    def _within(
        self, places: NDArray[np.float64], of: Mapping[str, tuple[NDArray[np.int64], NDArray[np.float64]]]
    ) -> NDArray[np.float64]:
        found = np.full(len(places), -WIDEST)
        for layer, (some, back) in of.items():
            own = places[some]
            x = own[:, 0] * back[:, 0] + own[:, 1] * back[:, 2] + back[:, 4]
            y = own[:, 0] * back[:, 1] + own[:, 1] * back[:, 3] + back[:, 5]
            found[some] = self.fields[layer].at(x, y)
        return found


def _back(
    laid: LaidSheet, copies: NDArray[np.int64], layers: Iterable[str]
) -> dict[str, tuple[NDArray[np.int64], NDArray[np.float64]]]:
    """Of each layer which places lie on copies of it, and the six numbers of the map back to its piece, (n, 6)."""
    inverse = [at.inverse() for _, at in laid.placements]
    numbers = np.array([(at.a, at.b, at.c, at.d, at.e, at.f) for at in inverse]).reshape(-1, 6)
    found = {}
    for layer in layers:
        of_layer = np.array([placement.layer == layer for placement in laid.placements])
        some = np.flatnonzero((copies >= 0) & of_layer[np.maximum(copies, 0)])
        found[layer] = some, numbers[copies[some]]
    return found


def prepared(ticket: Ticket, sheet: Sheet, work: Work, panel: int = 0) -> Bench:
    """A sheet, or one of its panels (from 0; the last where it has fewer), for the press and the cutter. Raises
    CannotMake for what they cannot show: nothing printed or cut, no marks, moves that are not planned."""
    if not ticket.prints_on(sheet):
        raise CannotMake("Nothing is printed on this sheet: its cuts have no print to meet.", "Rehearse one that is.")
    purposes = [
        (FORMATS[key], purpose) for key in sheet.machine.formats for purpose in (CUT, BOTH)
        if FORMATS[key].sheets is not None and purpose in FORMATS[key].purposes
    ]  # fmt: skip
    parts = parts_of(ticket, sheet, work)
    part = parts[min(panel, len(parts) - 1)]
    if len(part.laid.marks.places) < 2:
        raise CannotMake("This sheet has no registration marks.", "Give it some at Sheet.")
    if not part.program.runs:
        raise CannotMake("Nothing is cut on this sheet.", "Draw a line at Lines.")
    led = "gcode" in sheet.machine.formats and work.beam_run_of(sheet.id) is not None
    head = led_head(ticket, sheet, work) if led or not purposes else None
    if head is not None and len(parts) > 1:
        raise CannotMake("Panels cannot be sent as moves.", "Make the sheet in one, or choose another machine.")
    form, purpose = purposes[0] if head is None else (FORMATS["pdf"], CUT)
    printed, _ = write_part(part, PRINT, FORMATS["pdf"], sheet, "print file")
    try:
        file = _read(part, purpose, form, sheet)
        # the places of a file that is led for a knife are its holder's: what is meant is told by one that is not
        meant = _read(part, CUT, FORMATS["pdf"], sheet) if file.led else file
    except Unreadable as error:
        raise CannotMake(f"This sheet cannot be cut: {error}", "See what Lines and Machine say.") from error
    clamps = tuple((one.x, one.y, one.x + one.width, one.y + one.height) for one in sheet.every_clamp)
    return replace(
        _bench(part, sheet, work, printed, file, meant), head=head, clamps=clamps, rolls=sheet.stock.kind == "a roll"
    )


def _read(part: Part, purpose: str, form: Format, sheet: Sheet) -> CutFile:
    """A cut file as a cutter reads it, without the marks that are drawn in some: nobody follows them."""
    content, _ = write_part(part, purpose, form, sheet, "cut file")
    file = read_cut(content, form.ending, height=part.laid.height)
    if purpose == BOTH:  # a cutter lays the marks of the file onto those it finds, and its lines with them
        lines = tuple(replace(line, places=line.places / part.print_scale) for line in file.lines)
        file = replace(file, lines=lines)
    known = _process_of(part, sheet)
    return file if file.led else replace(file, lines=tuple(line for line in file.lines if line.called in known))


def _bench(part: Part, sheet: Sheet, work: Work, printed: bytes, file: CutFile, meant: CutFile) -> Bench:
    laid = part.laid
    process_of = _process_of(part, sheet)
    processes = [process_of[line.called] for line in meant.lines]
    areas = [shapely.transform(_footprint(layer, work), at.map) for layer, at in laid.placements]
    middles = shapely.points([line.places.mean(0) for line in meant.lines])
    near = shapely.STRtree(areas).query_nearest(middles, all_matches=False)[1]
    own = [PROCESSES[process].across_waste for process in processes]
    copy = np.where(own, -1, near)
    sampled = [_sampled(line) for line in meant.lines]
    line = np.repeat(np.arange(len(sampled)), [len(one) for one in sampled])
    edges = np.array([PROCESSES[process].edges for process in processes])
    fields = _fields(laid, work, printed, Affine.scale(*part.print_scale))
    neighbours = _neighbours(np.vstack(sampled), copy[line], laid, work)
    closed = frozenset(k for k, one in enumerate(meant.lines) if one.closed)
    bench = Bench(
        laid, printed, file, meant, marks_of(laid), np.vstack(sampled), line, copy, edges[line], np.empty(0),
        fields, _back(laid, copy[line], fields), _back(laid, neighbours, fields), closed, tuple(processes),
        tuple(ties(meant.lines, processes)), part.print_scale,
    )  # fmt: skip
    return replace(bench, inner=bench.within(bench.places))


def _neighbours(
    places: NDArray[np.float64], copies: NDArray[np.int64], laid: LaidSheet, work: Work
) -> NDArray[np.int64]:
    """Of each place on a copy the number of the copy next to it whose print may lie nearer than ``WIDEST``, else -1."""
    prints = {layer: work.layers[layer].print_laid.value for layer in laid.layers}
    zones = [
        shapely.transform(shapely.convex_hull(own.area.union(own.bled)), at.map)
        for layer, at in laid.placements for own in (prints[layer],)
    ]  # fmt: skip
    points = shapely.points(places)
    near = shapely.STRtree(zones).query(points, predicate="dwithin", distance=WIDEST)
    near = near[:, near[1] != copies[near[0]]]
    apart = shapely.distance(points[near[0]], np.array(zones)[near[1]])
    found = np.full(len(places), -1)
    order = np.argsort(-apart, kind="stable")  # the nearest is written last
    found[near[0][order]] = near[1][order]
    return np.where(copies >= 0, found, -1)


def _process_of(part: Part, sheet: Sheet) -> dict[str, str]:
    """The process of a line, by what files call it: its ink, or its group."""
    runs = part.program.runs
    inks = {ink_of(sheet.machine, run.of).name: run.of.process for run in runs}
    ranked = [(run.of.process, f"-{run.of.rank}" if run.of.rank > 1 else "") for run in runs]
    return {f"{process.replace(' ', '-')}{rank}": process for process, rank in ranked} | inks


def _fields(laid: LaidSheet, work: Work, printed: bytes, scale: Affine) -> dict[str, InkField]:
    """Of each layer that prints, by its first copy. scale: of the file that is printed."""
    sheet = PrintedSheet(printed)
    try:
        return {
            layer: InkField.of(
                own.area, own.bled, sheet, next(at for name, at in laid.placements if name == layer).then(scale)
            )
            for layer in laid.layers
            if not ((own := work.layers[layer].print_laid.value).area.is_empty and own.bled.is_empty)
        }  # fmt: skip
    finally:
        sheet.close()


def marks_of(laid: LaidSheet) -> Marks:
    """What a cutter is told of a sheet's marks."""
    own = laid.marks
    return Marks.of(np.array(own.places, float), own.shape, own.diameter, (laid.width, laid.height))


def _footprint(layer: str, work: Work) -> BaseGeometry:
    lines = [shapely.LineString(p.flattened(0.1)) for one in work.layers[layer].laid.value.lines for p in one.paths]
    some = [*(line for line in lines), work.layers[layer].laid.value.shown]
    return shapely.convex_hull(shapely.union_all(shapely.convex_hull(np.array(some))))


def _sampled(line: CutLine) -> NDArray[np.float64]:
    """Places along a line at equal distances, its ends among them."""
    along = run_lengths(line.places)
    count = max(2, math.ceil(along[-1] / min(max(along[-1] / MOST_SAMPLES, APART), FURTHEST_APART)) + 1)
    at = np.linspace(0, along[-1], count)
    return np.column_stack([np.interp(at, along, line.places[:, k]) for k in (0, 1)])
