"""A sheet rehearsed: its own files put through the press and the cutter that ship with Nibble, and what comes off.

The files are those that would be sent. What the press did is known, so every cut can be carried back to the print that
lies under it, and measured there.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import Cancelled, CannotMake, DoesNotFit
from nibble_core.formats.registry import BOTH, CUT, FORMATS, PRINT, Format
from nibble_core.geometry import Affine
from nibble_core.geometry.regions import polygons
from nibble_core.pipeline.coming_off import Tie, held, ties
from nibble_core.pipeline.files import write_part
from nibble_core.pipeline.led_head import LedHead, as_led, led_head
from nibble_core.pipeline.pages import Part, ink_of, parts_of
from nibble_core.pipeline.results import Work
from nibble_core.processes import PROCESSES
from nibble_core.sheet import LaidSheet
from nibble_core.simulators.cut_files import CutFile, CutLine, Unreadable, read_cut
from nibble_core.simulators.cutter import (
    Blade,
    Clamp,
    Complaint,
    Lies,
    Marks,
    Seen,
    clamped_words,
    cut,
    lies_by,
    look_for,
    under_clamps,
)
from nibble_core.simulators.press import Distortion, Faults, PrintedSheet
from nibble_core.ticket.model import Sheet, Ticket

APART = 0.6  # mm between two places at which a cut is measured
GRID = 1600  # px of a piece's longer side, on which distances to the end of its print are kept
FINEST_GRID = 0.01  # mm
CLEARS = 0.02  # mm by which a cut must leave the print for white to show
WIDEST = 6.0  # mm round a piece in which distances are kept
PICTURED, PICTURE_PPI, MOST_PICTURE = 6, 150.0, 900  # copies that are shown; px an inch, px at most
MOST_SAMPLES, FURTHEST_APART = 64, 8.0  # of a line, unless they lie further apart than so many mm
FAULTLESS, SHARP = Faults(), Blade()
PAPER = 250  # level of a pixel's darkest ink from which nothing is printed
LINER = (226, 224, 214)
EASY_PLACE = (1.5, -1.0)  # mm that the head is driven off the first mark, as a hand does
CAMERA_PPI = 300.0


@dataclass(frozen=True)
class Errors:
    """What a press and a cutter are known to do, one in three times more: stretch of the print, per cent, across and
    along; steady: per cent across and along that every print has besides; bow, mm over a metre of length; camera, mm
    that a mark is found off; repeats, mm that a line is cut off."""

    stretch: float
    bow: float
    camera: float
    repeats: float
    steady: tuple[float, float] = (0.0, 0.0)


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
class CutCopy:
    """One copy as it came off. number: among the sheet's copies, from 0. worst, mean: mm between its cuts and where
    they belong on the print. left: mm of print beyond its cuts, least; None where
    none was meant to be there. white: whether the stock shows within the cut. into: mm that a cut which was meant to
    leave a border runs into the print. strange: mm of a neighbour's print within the cut."""

    number: int
    layer: str
    worst: float
    mean: float
    left: float | None
    white: bool
    into: float = 0.0
    strange: float = 0.0

    @property
    def spoilt(self) -> bool:
        return self.white or self.into > 0 or self.strange > 0


@dataclass(frozen=True, eq=False)
class Rehearsed:
    """What came off. seen: what the camera found; copies: spoilt ones first, then by their worst place; none where
    nothing was cut. off: mean, 95th percentile and worst distance, mm; worst_at: mm on the sheet.
    pictures: of the first of the copies, pixels (rows, columns, 3). ties: what is left of each that was measured,
    mm."""

    seen: Seen
    copies: tuple[CutCopy, ...] = ()
    off: tuple[float, float, float] = (0.0, 0.0, 0.0)
    worst_at: tuple[float, float] = (0.0, 0.0)
    pictures: tuple[NDArray[np.uint8], ...] = ()
    ties: tuple[float, ...] = ()

    @property
    def white(self) -> int:
        return sum(copy.white for copy in self.copies)

    @property
    def strange(self) -> int:
        return sum(copy.strange > 0 for copy in self.copies)

    @property
    def cut_into(self) -> int:
        return sum(copy.into > 0 for copy in self.copies)

    @property
    def left(self) -> float | None:
        """Least print beyond any cut, mm."""
        some = [copy.left for copy in self.copies if copy.left is not None]
        return min(some) if some else None


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
    bed, in whose upper left corner it lies."""

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

    def printing(self, faults: Faults) -> Printing:
        """What a press with such faults makes of its file."""
        width, height = self.laid.width * self.print_scale[0], self.laid.height * self.print_scale[1]
        return Printing(self.print_scale, Distortion(width, height, faults))

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
    led = "gcode" in sheet.machine.formats and sheet.id in work.beams
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
    clamps = tuple((one.x, one.y, one.x + one.width, one.y + one.height) for one in sheet.machine.clamps)
    return replace(_bench(part, sheet, work, printed, file, meant), head=head, clamps=clamps)


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
    prints = {layer: work.prints[layer].value for layer in laid.layers}
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
            for layer in laid.layers if not ((own := work.prints[layer].value).area.is_empty and own.bled.is_empty)
        }  # fmt: skip
    finally:
        sheet.close()


def marks_of(laid: LaidSheet) -> Marks:
    """What a cutter is told of a sheet's marks."""
    own = laid.marks
    return Marks.of(np.array(own.places, float), own.shape, own.diameter, (laid.width, laid.height))


def _footprint(layer: str, work: Work) -> BaseGeometry:
    lines = [shapely.LineString(p.flattened(0.1)) for one in work.layers[layer].value.lines for p in one.paths]
    some = [*(line for line in lines), work.layers[layer].value.shown]
    return shapely.convex_hull(shapely.union_all(shapely.convex_hull(np.array(some))))


def _sampled(line: CutLine) -> NDArray[np.float64]:
    """Places along a line at equal distances, its ends among them."""
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line.places, axis=0).T))])
    count = max(2, math.ceil(along[-1] / min(max(along[-1] / MOST_SAMPLES, APART), FURTHEST_APART)) + 1)
    at = np.linspace(0, along[-1], count)
    return np.column_stack([np.interp(at, along, line.places[:, k]) for k in (0, 1)])


def rehearse(
    bench: Bench, faults: Faults = FAULTLESS, *, camera: float = 0.0, blade: Blade = SHARP, pictured: int = PICTURED
) -> Rehearsed:
    """Print a sheet, look for its marks in pixels, cut it, and measure what came off. camera: mm that each mark is
    found off, beyond what the pixels show; by chance, like what the blade does."""
    sheet = PrintedSheet(bench.printed, faults)
    try:
        first = Printing(bench.print_scale, sheet.distortion).forward(bench.marks.places[:1])[0] + EASY_PLACE
        seen = look_for(sheet.picture, bench.marks, (float(first[0]), float(first[1])), ppi=CAMERA_PPI)
        if seen.lies is None or any(one.stops for one in seen.complaints):
            return Rehearsed(seen)
        lies = seen.lies
        if bench.head is not None and len(lies.found) < len(bench.marks.places):
            return _stopped(seen, "A head that is led by marks needs every one of them.")
        clamped = under_clamps([lies.forward(line.places) for line in bench.file.lines], bench.clamps)
        if clamped:
            return _stopped(seen, clamped_words(clamped))
        if camera > 0:
            off = np.random.default_rng(blade.seed).normal(0, camera, lies.found.shape)
            lies = lies_by(lies.meant, lies.found + off)
        return _measured(bench, sheet, seen, lies, blade, pictured)
    except DoesNotFit as error:
        return _stopped(seen, error.message)
    finally:
        sheet.close()


def _stopped(seen: Seen, words: str) -> Rehearsed:
    """Nothing was cut, for a reason that the camera does not see."""
    return Rehearsed(replace(seen, complaints=[*seen.complaints, Complaint(words)]))


def _measured(
    bench: Bench, sheet: PrintedSheet, seen: Seen, lies: Lies, blade: Blade, pictured: int
) -> Rehearsed:  # fmt: skip
    truth = Printing(bench.print_scale, sheet.distortion)
    tracks = _tracks(bench, truth, lies, blade) if bench.file.led or bench.ties else []
    # a tip that trails its holder follows the file; others are led along the lines as they are meant
    if bench.file.led:
        found = _nearest(tracks, bench.places)
    else:
        there = lies.forward(bench.places) if bench.head is None else bench.head.reached(lies, bench.places)
        found = _landed(bench, truth, there, blade)
    off = np.hypot(*(found - bench.places).T)
    worst = int(np.argmax(off))
    copies = _copies(bench, off, found)
    pictures = [_picture(bench, sheet, lies, copy.number) for copy in copies[:pictured]]
    place = bench.places[worst]
    return Rehearsed(
        seen, copies, (float(off.mean()), float(np.quantile(off, 0.95)), float(off[worst])),
        (float(place[0]), float(place[1])), tuple(pictures), tuple(held(bench.ties, tracks)),
    )  # fmt: skip


def _landed(bench: Bench, truth: Printing, there: NDArray[np.float64], blade: Blade) -> NDArray[np.float64]:
    """Where on the print each place comes to be cut, (n, 2) mm, by a tip that is led to places on the material."""
    if blade.repeats > 0:
        chance = np.random.default_rng(blade.seed)
        there = there + chance.normal(0, blade.repeats, (len(bench.meant.lines), 2))[bench.line]
    return truth.back(there)


def _tracks(bench: Bench, truth: Printing, lies: Lies, blade: Blade) -> list[NDArray[np.float64]]:
    """Where on the print the tip goes along each line of the file, (n, 2) mm."""
    return [truth.back(line.places) for line in cut(bench.file, lies, blade)]


def _nearest(tracks: Sequence[NDArray[np.float64]], places: NDArray[np.float64]) -> NDArray[np.float64]:
    """The place nearest to each of some places on any of the tracks."""
    lines = np.array([shapely.LineString(track) for track in tracks])
    points = shapely.points(places)
    near = lines[shapely.STRtree(lines).nearest(points)]
    there = shapely.line_interpolate_point(near, shapely.line_locate_point(near, points))
    return np.asarray(shapely.get_coordinates(there), float)


def _copies(bench: Bench, off: NDArray[np.float64], found: NDArray[np.float64]) -> tuple[CutCopy, ...]:
    numbers = bench.copy[bench.line]
    left, white, into, strange = _left(bench, found)
    count = bench.laid.copies
    worst, least, shows = np.zeros(count), np.full(count, np.inf), np.zeros(count, bool)
    deep, other, total, places = (np.zeros(count) for _ in range(4))
    own = numbers >= 0
    np.maximum.at(worst, numbers[own], off[own])
    np.minimum.at(least, numbers[own], left[own])
    np.logical_or.at(shows, numbers[own], white[own])
    np.maximum.at(deep, numbers[own], into[own])
    np.maximum.at(other, numbers[own], strange[own])
    np.add.at(total, numbers[own], off[own])
    np.add.at(places, numbers[own], 1.0)
    made = [
        CutCopy(
            number, bench.laid.placements[number].layer, float(worst[number]), float(total[number] / places[number]),
            float(least[number]) if np.isfinite(least[number]) else None, bool(shows[number]),
            float(deep[number]), float(other[number]),
        )
        for number in range(count) if places[number]
    ]  # fmt: skip
    return tuple(sorted(made, key=lambda one: (not one.spoilt, -one.worst)))


def _left(
    bench: Bench, found: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.bool_], NDArray[np.float64], NDArray[np.float64]]:
    """Print that is left beyond each place of a cut, infinite where none was meant to be; whether the stock shows
    there; how deep the cut runs into print that it was meant to leave a border round; and how deep into a
    neighbour's."""
    within, neighbour = bench.within(found), bench.within_neighbours(found)
    meant = bench.kept & (bench.inner >= -CLEARS)
    left = np.where(meant, within, np.inf)
    into = np.where(bench.kept & ~meant & (within > CLEARS), within, 0.0)
    strange = np.where(bench.kept & (within < -CLEARS) & (neighbour > CLEARS), np.minimum(neighbour, -within), 0.0)
    return left, (left < -CLEARS) & (strange == 0), into, strange


def _picture(bench: Bench, sheet: PrintedSheet, lies: Lies, number: int) -> NDArray[np.uint8]:
    """A copy as it came off: what its cuts freed as it was printed, what was left behind faint."""
    rings = [
        (bench.meant.lines[k].called, lies.forward(bench.meant.lines[k].places))
        for k in np.flatnonzero(bench.copy == number).tolist() if k in bench.closed
    ] or [("", lies.forward(_outline_of_strokes(bench, number)))]  # fmt: skip
    every = np.vstack([ring for _, ring in rings])
    pad = 2.0
    left, top = every.min(0) - pad
    right, bottom = every.max(0) + pad
    ppi = min(PICTURE_PPI, MOST_PICTURE * 25.4 / max(right - left, bottom - top))
    seen = sheet.picture((float(left), float(top), float(right), float(bottom)), ppi, 1.0)
    mask = np.zeros(seen.shape[:2], np.uint8)
    for called in {called for called, _ in rings}:  # within a ring of the same cut another is a hole
        own = [
            np.rint((ring - (left, top)) * ppi / 25.4 * 16 - 8).astype(np.int32) for of, ring in rings if of == called
        ]
        freed = np.zeros_like(mask)
        cv2.fillPoly(freed, own, 255, cv2.LINE_AA, 4)
        mask = np.maximum(mask, freed)
    share = mask[..., None] / 255
    behind = np.array(LINER) * 0.8 + seen * 0.2
    return np.asarray(np.rint(seen * share + behind * (1 - share)), np.uint8)


def _outline_of_strokes(bench: Bench, number: int) -> NDArray[np.float64]:
    """Round a copy none of whose cuts closes by itself, (n, 2) mm: what several enclose together, as on a panel, or all
    of them."""
    strokes = [bench.meant.lines[k].places for k in np.flatnonzero(bench.copy == number).tolist()]
    faces = list(
        shapely.get_parts(shapely.polygonize([shapely.unary_union([shapely.LineString(one) for one in strokes])]))
    )
    whole = shapely.union_all(faces) if faces else shapely.MultiPoint(np.vstack(strokes)).convex_hull
    largest = max(polygons(whole), key=lambda part: part.area, default=None)
    return np.vstack(strokes) if largest is None else shapely.get_coordinates(largest.exterior)


@dataclass(frozen=True)
class Chances:
    """What many rehearsals came to. draws, copies: how many, of all draws together; white: copies at which the stock
    shows, into: those whose cut runs into the print, strange: those that show a neighbour's, spoilt: those of any;
    worst: the worst distance of each draw, mm, (draws,); short: mm of print that were missing, deep: mm that a cut ran
    into the print, wide: mm of a neighbour's print, at the worst; left: the least print beyond a cut, None where none
    was meant to be."""

    draws: int
    copies: int
    white: int
    into: int
    spoilt: int
    worst: tuple[float, ...]
    short: float
    deep: float
    left: float | None
    strange: int = 0
    wide: float = 0.0

    def quantile(self, share: float) -> float:
        return float(np.quantile(self.worst, share)) if self.worst else 0.0


def rehearse_often(
    bench: Bench, errors: Errors, draws: int, *, seed: int = 1,
    progress: Callable[[int], None] = lambda done: None, cancelled: Callable[[], bool] = lambda: False,
) -> Chances:  # fmt: skip
    """Rehearse with errors by chance, each as large as a press and a cutter are known to make them; told by maps,
    without pictures or a knife that trails. What was done so far is told where ``cancelled()`` turns true; raises
    Cancelled before the first."""
    told = bench.marks
    worst: list[float] = []
    white = into = spoilt = strange = done = 0
    short, deep, wide, least = 0.0, 0.0, 0.0, math.inf
    for k in range(draws):
        if cancelled():
            break
        progress(k)
        chance = np.random.default_rng((seed, k))
        truth = bench.printing(drawn_faults(errors, bench.laid, chance))
        found = truth.forward(told.places) + chance.normal(0, errors.camera, told.places.shape)
        use = [n for n in range(len(told.places)) if n != told.key]
        blade = Blade(repeats=errors.repeats, seed=k)
        lies = lies_by(told.places[use], found[use])
        there = (lies if bench.head is None else as_led(lies)).forward(bench.places)
        at = _landed(bench, truth, there, blade)
        left, shows, deeper, other = _left(bench, at)
        white += _copies_at(bench, shows)
        into += _copies_at(bench, deeper > 0)
        strange += _copies_at(bench, other > 0)
        spoilt += _copies_at(bench, shows | (deeper > 0) | (other > 0))
        wide = max(wide, float(other.max(initial=0.0)))
        deep = max(deep, float(deeper.max(initial=0.0)))
        least = min(least, float(left.min(initial=np.inf)))
        short = max(short, float(-left.min(initial=0.0)))
        worst.append(float(np.hypot(*(at - bench.places).T).max()))
        done += 1
    if not done:
        raise Cancelled("The rehearsals were stopped.", "Rehearse again when you like.")
    return Chances(
        done, done * bench.laid.copies, white, into, spoilt, tuple(worst), short, deep,
        least if least < math.inf else None, strange, wide,
    )  # fmt: skip


def _copies_at(bench: Bench, where: NDArray[np.bool_]) -> int:
    """How many copies have such a place."""
    copies = bench.copy[bench.line]
    return len(np.unique(copies[where & (copies >= 0)]))


def press_faults(errors: Errors, laid: LaidSheet, step: float) -> list[tuple[Faults, float]]:
    """Each way in which a press is off, by a step of it, per cent or mm, and how much of that one in three exceeds."""
    return [
        (Faults(across=step), errors.stretch), (Faults(along=step), errors.stretch),
        (Faults(bow=step), errors.bow * (laid.height / 1000) ** 2),
    ]  # fmt: skip


def drawn_faults(errors: Errors, laid: LaidSheet, chance: np.random.Generator) -> Faults:
    """What a press does to a sheet this time. A print bows by the square of its length."""
    across, along = (chance.normal(0, errors.stretch, 2) + errors.steady).tolist()
    bow = chance.normal(0, errors.bow) * (laid.height / 1000) ** 2
    return Faults(
        across=across, along=along, bow=float(bow), turn=float(chance.uniform(-0.5, 0.5)),
        shift=(float(chance.uniform(-2, 2)), float(chance.uniform(-2, 2))),
    )  # fmt: skip


WAYS = {
    "turned by a quarter": Faults(turn=90.0),
    "turned round": Faults(turn=180.0),
    "turned by three quarters": Faults(turn=270.0),
    "face down, through clear film": Faults(mirrored=True),
    "face down and turned round, through clear film": Faults(turn=180.0, mirrored=True),
}


def fed_wrong(bench: Bench) -> dict[str, Rehearsed]:
    """What happens when the sheet is put in each wrong way round; the head is driven to where the first mark should
    be."""
    made = {}
    for way, faults in WAYS.items():
        sheet = PrintedSheet(bench.printed, faults)
        try:
            x, y = bench.marks.places[0].tolist()
            seen = look_for(sheet.picture, bench.marks, (x, y), ppi=CAMERA_PPI)
            stopped = seen.lies is None or any(one.stops for one in seen.complaints)
            made[way] = Rehearsed(seen) if stopped or seen.lies is None else _measured(
                bench, sheet, seen, seen.lies, Blade(), 0
            )  # fmt: skip
        finally:
            sheet.close()
    return made
