"""Stage *route*: every move of a router over a laid board, cutter after cutter, and how long it takes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.carve import Course
from nibble_core.errors import CannotMake, DoesNotFit
from nibble_core.geometry import Affine, Box
from nibble_core.graphics.routing import Mounted, RouterMoves
from nibble_core.pipeline.beams import bed_of, clamps_on, corner_of, drive_of
from nibble_core.pipeline.carve_results import CarvedLayer, Cutting, PinHoles, RouterRun
from nibble_core.pipeline.carving import FLIP, GROOVES, PINS, carve_layer
from nibble_core.pipeline.pinning import pin_courses
from nibble_core.pipeline.results import Problem, Work, WorkedSheet
from nibble_core.pipeline.sheets import NO_BORDER, NO_CROSS_CUT, NO_WEED_LINES
from nibble_core.pipeline.store import Keyed, ResultStore, stage
from nibble_core.sheet import LaidSheet, Placement
from nibble_core.ticket.cutters import Cutter
from nibble_core.ticket.heads import RouterHead
from nibble_core.ticket.model import Machine, Sheet, Ticket
from nibble_core.ticket.stock import Stock
from nibble_core.toolpaths.motion import seconds_in_space

NEAR = 1.0  # mm above the surface to which a cutter comes fast
SAME = 1e-3  # mm between courses that go on without a lift
REACH = 0.01  # mm beyond the bed that counts as within


@dataclass(frozen=True)
class Routing:
    """What a route depends on, beside the laid sheet and what is carved on its layers. layers: in the order of what is
    carved, each with whether that is for copies that lie mirrored."""

    layers: tuple[tuple[str, bool], ...]
    machine: Machine
    thick: float
    grain: float | None


Carved = dict[tuple[str, bool], Keyed[CarvedLayer]]
"""What is carved on each layer of a sheet, and for copies that lie mirrored."""


def carve(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work) -> Carved:
    """What is carved on each layer of a laid sheet."""
    return {
        (layer, mirrored): carve_layer(
            store, ticket.layer(layer), sheet.machine, sheet.stock, work.layers[layer].laid, mirrored=mirrored
        )
        for layer, mirrored in sorted({_lies(placement) for placement in work.sheets[sheet.id].laid.value.placements})
    }  # fmt: skip


def not_carved(ticket: Ticket, carved: Mapping[str, Keyed[CarvedLayer]]) -> Iterator[Problem]:
    """The lines of each layer that no cutter makes."""
    for layer, one in carved.items():
        for line, error in one.value.failed:
            where = f"pieces/{ticket.piece_of_layer(layer).id}/layers/{layer}/lines/{line}"
            yield Problem("machine", where, error)


def route(sheet: Sheet, store: ResultStore, carved: Carved, own: WorkedSheet) -> Keyed[RouterRun] | None:
    """Every move that carves a laid sheet; nothing where a line of it cannot be made."""
    if any(one.value.failed for one in carved.values()):
        return None
    by = Routing(tuple(carved), replace(sheet.machine, head=_fed(sheet.stock, sheet.machine)),
                 sheet.stock.thickness, sheet.stock.grain_angle)  # fmt: skip
    pins = [own.pins] if own.pins else []
    return stage(store, _routed, by, own.laid, *carved.values(), *pins)


def _fed(stock: Stock, machine: Machine) -> RouterHead:
    return replace(machine.head_as(RouterHead), cutters=cutters_in(stock, machine))


def cutters_in(stock: Stock, machine: Machine) -> tuple[Cutter, ...]:
    """A rack, its feeds as the stock takes them."""
    return tuple(
        replace(one, feed=max(1, round(one.feed * stock.feeds)), plunge=max(1, round(one.plunge * stock.feeds)))
        for one in machine.head_as(RouterHead).cutters
    )


def _routed(by: Routing, laid: LaidSheet, *made: CarvedLayer | PinHoles) -> RouterRun:
    """made: what is carved on each layer, and the holes of pins where it has any."""
    carved = [one for one in made if isinstance(one, CarvedLayer)]
    own = dict(zip(by.layers, carved, strict=True))
    machine, head = by.machine, by.machine.head_as(RouterHead)
    used = sorted({
        (one.when, -head.cutters[one.cutter].diameter, one.cutter) for layer in carved for one in layer.cuttings
    })  # fmt: skip
    start = _start(machine, laid, own)
    home = (*start, head.safe_height)
    pen = _Pen(head, home)
    for holes in (one for one in made if isinstance(one, PinHoles)):
        number, courses = pin_courses(holes, head.cutters, by.thick)
        pen.cut(courses, number, PINS)
    for when, _, cutter in used:
        for placement in _in_turn(laid, pen.at):
            for one in own[_lies(placement)].cuttings:
                if (one.when, one.cutter) == (when, cutter):
                    pen.cut(_placed(one, _from_carved(placement), by.grain), cutter, when)
    pen.lift()
    pen.to(*home, 0.0)
    moves = pen.moves(laid.width, laid.height)
    took = seconds_in_space(moves.starts(home), moves.xyz, moves.feed, drive_of(machine))
    return RouterRun(moves, start, home, took, by.thick, head.zero == "the bed", tuple(pen.when))


def _lies(placement: Placement) -> tuple[str, bool]:
    """The layer of a copy, and whether it lies mirrored."""
    return placement.layer, placement.at.determinant < 0


def _from_carved(placement: Placement) -> Affine:
    """From where a copy was carved to where it lies: what lies mirrored was carved as its mirror image."""
    return FLIP.then(placement.at) if placement.at.determinant < 0 else placement.at


def _placed(one: Cutting, at: Affine, grain: float | None) -> list[Course]:
    """Courses of a copy on the sheet. grain: radians of the board's fibres; None for one that has none."""
    courses = [np.column_stack([at.map(course[:, :2]), course[:, 2]]) for course in one.courses]
    return courses + [course for edge in one.edges for course in edge.courses(at, grain)]


def _in_turn(laid: LaidSheet, at: tuple[float, float, float]) -> list:  # type: ignore[type-arg]
    """Placements, the nearest first, then the nearest of those that are left."""
    left, found = list(laid.placements), []
    x, y = at[:2]
    while left:
        one = min(left, key=lambda p: (p.at.e - x) ** 2 + (p.at.f - y) ** 2)
        left.remove(one)
        found.append(one)
        x, y = one.at.e, one.at.f
    return found


class _Pen:
    """Spells out the moves between courses and along them."""

    def __init__(self, head: RouterHead, home: tuple[float, float, float]) -> None:
        self._head = head
        self.at = home
        self._xyz: list[NDArray[np.float64]] = []
        self._feed: list[NDArray[np.float64]] = []
        self._tool: list[NDArray[np.int64]] = []
        self._course: list[NDArray[np.int64]] = []
        self._number = 0
        self.when: list[int] = []

    def to(self, x: float, y: float, z: float, feed: float) -> None:
        self._put(np.array([[x, y, z]]), np.array([feed]), -1)

    def lift(self) -> None:
        if self.at[2] < self._head.safe_height:
            self.to(self.at[0], self.at[1], self._head.safe_height, 0.0)

    def cut(self, courses: Sequence[Course], cutter: int, when: int) -> None:
        """Courses of one cutter: grooves in the order that travels least, and either way along; others as they are."""
        self._change(cutter)
        left = list(courses)
        while left:
            k, back = self._nearest(left) if when == GROOVES else (0, False)
            course = left.pop(k)
            self._along(course[::-1] if back else course, cutter)
            self.when.append(when)

    def _nearest(self, left: Sequence[Course]) -> tuple[int, bool]:
        ends = np.array([(*one[0, :2], *one[-1, :2]) for one in left])
        here = np.array(self.at[:2])
        there, back = np.hypot(*(ends[:, :2] - here).T), np.hypot(*(ends[:, 2:] - here).T)
        k = int(np.argmin(np.minimum(there, back)))
        return k, bool(back[k] < there[k])

    def _change(self, cutter: int) -> None:
        if self._number != cutter:
            self.lift()
        self._number = cutter

    def _along(self, course: Course, cutter: int) -> None:
        own = self._head.cutters[cutter]
        course = np.round(course, 3)  # as files have it: slopes are told of what is run
        course = course[np.concatenate([[True], (np.diff(course, axis=0) != 0).any(1)])]
        first = course[0]
        if float(np.abs(np.array(self.at) - first).max()) > SAME:
            self.lift()
            self.to(float(first[0]), float(first[1]), self._head.safe_height, 0.0)
            self.to(float(first[0]), float(first[1]), max(NEAR, float(first[2])), 0.0)
            self._put(first[None], np.array([float(own.plunge)]), len(self.when))
        if len(course) < 2:
            return
        way = np.diff(course, axis=0)
        length = np.sqrt((way**2).sum(1))
        down = np.maximum(-way[:, 2], 0.0) / np.maximum(length, 1e-12)
        # the part of a move that goes down is no faster than a plunge
        feed = np.minimum(float(own.feed), own.plunge / np.maximum(down, 1e-9))
        self._put(course[1:], feed, len(self.when))

    def _put(self, xyz: NDArray[np.float64], feed: NDArray[np.float64], course: int) -> None:
        self._xyz.append(xyz)
        self._feed.append(feed)
        self._tool.append(np.full(len(xyz), self._number))
        self._course.append(np.full(len(xyz), course))
        self.at = (float(xyz[-1, 0]), float(xyz[-1, 1]), float(xyz[-1, 2]))

    def moves(self, width: float, height: float) -> RouterMoves:
        tools = tuple(Mounted(k + 1, one.name, one.spindle) for k, one in enumerate(self._head.cutters))
        feed = np.concatenate(self._feed)
        return RouterMoves(
            width, height, np.asarray(np.round(np.vstack(self._xyz), 4), np.float64), feed <= 0, feed,
            np.concatenate(self._tool).astype(np.int64), tools, np.concatenate(self._course).astype(np.int64),
        )  # fmt: skip


def _start(machine: Machine, laid: LaidSheet, own: dict[tuple[str, bool], CarvedLayer]) -> tuple[float, float]:
    box = Box(0.0, 0.0, laid.width, laid.height)
    if machine.head_as(RouterHead).origin_of == "the job":
        boxes = []
        for placement in laid.placements:
            one = own[_lies(placement)].box
            places = np.array([(x, y) for x in (one.left, one.right) for y in (one.top, one.bottom)])
            corners = _from_carved(placement).map(places)
            boxes.append(Box(*corners.min(0).tolist(), *corners.max(0).tolist()))
        box = Box.around(boxes) if boxes else box
    return corner_of(machine, box)


def check_route(sheet: Sheet, work: Work) -> None:
    """Raises DoesNotFit for cuts beyond the bed, or over a clamp, CannotMake for a router without cutters, and for what
    it cuts of no board."""
    machine, head = sheet.machine, sheet.machine.head_as(RouterHead)
    if not head.cutters:
        raise CannotMake(f"The {machine.name} has no cutters.", "Add those in its rack to its record.")
    if (sheet.border, sheet.weed_lines, sheet.cross_cut) != (NO_BORDER, NO_WEED_LINES, NO_CROSS_CUT):
        raise CannotMake("A router cuts no film to weed, and no web off.", "Leave weed cuts and cross-cuts out.")
    made = work.router_run_of(sheet.id)
    if made is None:
        return
    run = made.value
    moves = run.moves
    if head.origin_of != "the bed" or not len(moves):
        return
    bed = bed_of(machine, run.start)
    low, high = moves.xyz[:, :2].min(0), moves.xyz[:, :2].max(0)
    over = max(bed.left - low[0], bed.top - low[1], high[0] - bed.right, high[1] - bed.bottom)
    if over > REACH:
        raise DoesNotFit(
            f"The cutter would run {over:.1f} mm beyond the bed.", "Move the work further in, or make it smaller."
        )
    if not sheet.every_clamp:
        return
    starts = moves.starts(run.home)
    under = np.minimum(starts[:, 2], moves.xyz[:, 2]) < head.safe_height - REACH
    lines = shapely.linestrings(np.stack([starts[under, :2], moves.xyz[under, :2]], 1))
    widest = max(one.diameter for one in head.cutters) / 2
    for clamp in clamps_on(sheet, bed):
        if shapely.dwithin(lines, shapely.box(*clamp), widest).any():
            raise DoesNotFit("A cutter would hit a clamp.", "Move the work, or the clamp.")
