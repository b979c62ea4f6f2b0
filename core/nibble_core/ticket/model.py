"""The ticket: everything the operator asked for, and nothing that is worked out from it.

Frozen dataclasses; every item of a list has a permanent id; lengths in mm at the finished size. ``SCHEMA`` rises
with every change of form, and ``serial.upgrade`` reads the older ones.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TypeVar

from nibble_core.errors import CannotMake
from nibble_core.processes import PROCESSES, THROUGH_CUT, WORDS, is_sent
from nibble_core.ticket.artwork import Artwork
from nibble_core.ticket.fields import angle, choice, count, day, flag, length, of_kinds, text
from nibble_core.ticket.goods import OnRound
from nibble_core.ticket.heads import (
    KINDS_OF_MACHINE,
    MARK_SHAPES,
    WAYS_OF_MAKING,
    BeamHead,
    ByBeam,
    ByKnife,
    Head,
    How,
    KnifeHead,
    SeesMarks,
    type_of_head,
    type_of_how,
)
from nibble_core.ticket.line import Line
from nibble_core.ticket.piece import Element, Layer, Piece
from nibble_core.ticket.stock import Stock

__all__ = [
    "SCHEMA", "Element", "Held", "Layer", "Line", "Machine", "Piece", "Placed", "Seam", "Setting", "Sheet", "Spot",
    "Stock", "Ticket", "Zone",
]  # fmt: skip

SCHEMA = 18
H = TypeVar("H", bound=Head)

ARRANGEMENTS = {
    "a grid": "In rows, as many as fit.",
    "interlocked pairs": "By their true shapes, every other one turned where that saves material.",
    "as placed": "Where each copy was put.",
}
AMOUNTS = {
    "as many as wanted": "The quantity of each piece, and its spares.",
    "a full sheet": "As many as one sheet takes, in the proportion of their quantities.",
}
NEST_TURNS = {
    "as it stands": "Copies keep their direction: for film with a grain.",
    "by half turns": "Upright or upside down.",
    "by quarter turns": "Four ways.",
    "by any turn": "In steps of 15°: the tightest, and the slowest to find.",
}
TOGETHER = {
    "each on its own": "Every copy where it fits best.",
    "one of each together": "A copy of each, in the proportion of their quantities, stays side by side.",
}
WEED_LINES = {
    "no weed lines": "The waste is not parted.",
    "weed lines": "Cuts across the waste, so that it peels off in handy pieces.",
}
PANELS = {
    "one sheet": "Work wider than the stock is refused.",
    "panels": "Work wider than the stock is parted into strips that overlap, each a sheet of its own.",
}
CROSS_CUTS = {
    "no cross-cut": "The sheet is cut off by hand.",
    "a cross-cut behind it": "The last cut goes across the roll and frees the finished length.",
}
SHARED = {
    "each on its own": "Every copy is cut round, also where it touches another.",
    "once where they touch": "Straight sides that lie on each other are one line, cut right through.",
}
CAPTIONS = {
    "nothing": "The sheet carries the work and its marks only.",
    "job, sheet and feed": "The job's name, the sheet's number, and an arrow in the direction it is fed.",
}
BORDERS = {
    "no weed border": "The waste comes off in one.",
    "a weed border round all": "One rectangle round all copies.",
    "a weed border round each": "A rectangle round each copy; those that meet become one.",
    "a weed border along each": "At a distance along the shape of each copy; those that meet become one.",
}
MARK_KEYS = {
    "no direction mark": "Turned by half a turn, four or six marks look the same.",
    "a direction mark": "One more beside the first: a sheet that is fed the wrong way round is noticed.",
}
PRINT_SIZES = {
    "at true size": "As it is drawn, whatever the press makes of it.",
    "ready for the stretch": "Smaller by what the press always stretches, so that it comes out at true size.",
}
GROUPINGS = {
    "process by process": "All engraving, then all scores, then all cuts: the least travel.",
    "copy by copy": "Each copy is finished before the next: what is begun is whole when the run is stopped.",
    "region by region": "Squares of the bed are finished in turn: for material that warps.",
}
PINS = {
    "no pins": "It is laid against a stop, or by eye.",
    "two pins": "The first side is drilled through, into the bed below; pins in the bed hold the board where it was.",
}
TURNED = {"left to right": "Like a page of a book.", "head to foot": "Over its upper edge."}
MICRO_TIES = {
    "no micro-ties": "Small parts drop, and may tilt into the way of the head.",
    "micro-ties": "Parts smaller than the bed's openings are held by one thin tie.",
}
PLACED_BY = {"nest": "Nibble found the place.", "hand": "The operator put it there."}
FACINGS = {
    "as its stock says": "Mirrored only where the stock is pressed on its face.",
    "mirrored": "Left and right exchanged, for what is turned over or seen from behind.",
}
FLIPS = {"as it is": "Seen from its face.", "mirrored": "Left and right exchanged."}


@dataclass(frozen=True)
class Spot:
    """How a machine wants one process marked in its file. pen: of a plotter; 0 for the next one in turn. colour: in
    files that know no inks, SVG and DXF; empty for that of the ink."""

    process: str = choice(THROUGH_CUT, "process", WORDS)
    ink: str = text("Through Cut", 40, "spot name", shortest=1)
    cmyk: tuple[float, float, float, float] = (0.0, 1.0, 0.0, 0.0)
    pen: int = count(0, 0, 8, "pen")
    colour: str = text("", 7, "colour of its lines", empty="that of the ink")


@dataclass(frozen=True)
class Setting:
    """How a machine makes one process in one stock. Speed, passes and kerf are asked of any; a way of making that has
    none says so here."""

    id: str
    process: str = choice(THROUGH_CUT, "process", WORDS)
    how: How = of_kinds(ByKnife(), "way of making", WAYS_OF_MAKING, type_of_how)

    @property
    def speed(self) -> int | None:
        """mm a second; None where nobody has said."""
        return self.how.speed if isinstance(self.how, ByKnife | ByBeam) else None

    @property
    def passes(self) -> int:
        return self.how.passes if isinstance(self.how, ByKnife | ByBeam) else 1

    @property
    def kerf(self) -> float:
        """mm that a beam takes away; a blade parts without."""
        return self.how.kerf if isinstance(self.how, ByBeam) else 0.0

    @property
    def by_knife(self) -> ByKnife:
        """As a blade makes it: the usual way where this is none."""
        return self.how if isinstance(self.how, ByKnife) else ByKnife()

    @property
    def by_beam(self) -> ByBeam:
        """As a beam makes it: the usual way, without power, where this is none."""
        return self.how if isinstance(self.how, ByBeam) else ByBeam()


@dataclass(frozen=True)
class Zone:
    """A rectangle of the bed that the head must not run over: a clamp. x, y: mm from the bed's upper left corner."""

    id: str
    x: float = length(0.0, 0.0, 10_000.0, "place across")
    y: float = length(0.0, 0.0, 10_000.0, "place down")
    width: float = length(20.0, 0.1, 10_000.0, "width")
    height: float = length(20.0, 0.1, 10_000.0, "height")


@dataclass(frozen=True)
class Machine:
    """A machine as it stood in the shop when it was chosen. formats: endings of the cut files it is sent. port: of this
    computer, that it listens at."""

    key: str = text("", 60, "machine", shortest=1)
    name: str = text("", 80, "machine", shortest=1)
    usable_width: float = length(1200.0, 10.0, 10_000.0, "usable width")
    usable_length: float = length(3000.0, 10.0, 100_000.0, "usable length")
    smallest_part: float = length(1.0, 0.0, 100.0, "smallest part")
    narrowest_gap: float = length(0.5, 0.0, 20.0, "narrowest gap")
    head: Head = of_kinds(KnifeHead(), "kind of machine", KINDS_OF_MACHINE, type_of_head)
    spots: tuple[Spot, ...] = ()
    formats: tuple[str, ...] = ("pdf", "svg")
    clamps: tuple[Zone, ...] = ()
    port: int | None = count(None, 1024, 65_535, "port", auto="not connected")

    def head_as(self, kind: type[H]) -> H:
        """Its head where only one of a kind can do what is asked. Raises CannotMake for another."""
        if not isinstance(self.head, kind):
            raise CannotMake(f"The {self.name} has no {kind.part}.", "Choose another machine.")
        return self.head

    @property
    def stretch(self) -> tuple[float, float]:
        """Per cent by which every print of its press comes out larger, across and along."""
        head = self.head
        return (head.stretch_across, head.stretch_along) if isinstance(head, SeesMarks) else (0.0, 0.0)

    @property
    def turns(self) -> bool:
        """Whether it turns round things under its head."""
        return isinstance(self.head, BeamHead) and self.head.turner.turns

    @property
    def marks(self) -> int:
        """How many registration marks it looks for."""
        return self.head.mark_count if isinstance(self.head, SeesMarks) else 0

    @property
    def mark_shape(self) -> str:
        """Of the marks that it looks for, or of any where it looks for none."""
        return self.head.mark_shape if isinstance(self.head, SeesMarks) else "circles"

    def pen(self, process: str) -> int:
        """The pen of a process: its record's, or its number among the machine's processes."""
        own = self.spot(process).pen
        order = [spot.process for spot in self.spots] or list(PROCESSES)
        return own or (1 + order.index(process) % 8 if process in order else 1)

    def spot(self, process: str) -> Spot:
        """How this machine names a process; its own name where the record says nothing."""
        found = next((spot for spot in self.spots if spot.process == process), None)
        return found or Spot(process, PROCESSES[process].spot, PROCESSES[process].cmyk)

    def makes(self, process: str) -> bool:
        """Whether it has an entry for a process; a record without any takes all. What is never sent needs none."""
        if process in PROCESSES and not is_sent(process):
            return True
        return not self.spots or any(spot.process == process for spot in self.spots)


@dataclass(frozen=True)
class Held:
    """A layer that lies on a sheet."""

    id: str
    layer: str = text("", 40, "layer", shortest=1)


@dataclass(frozen=True)
class Placed:
    """A copy of a layer where a nest or a hand put it: its piece's origin, x and y mm from the sheet's corner."""

    id: str
    layer: str = text("", 40, "layer", shortest=1)
    x: float = length(0.0, -100_000.0, 100_000.0, "place across")
    y: float = length(0.0, -100_000.0, 100_000.0, "place down")
    turn: float = angle(0.0, "turn")
    flip: str = choice("as it is", "side", FLIPS)
    by: str = choice("hand", "placed by", PLACED_BY)
    locked: bool = flag(False, "lock")


@dataclass(frozen=True)
class Seam:
    """Where the operator put the seam behind a panel: its number, from 1, and mm from the sheet's left."""

    id: str
    number: int = count(1, 1, 60, "seam")
    x: float = length(0.0, 0.0, 20_000.0, "place of the seam", step=1.0)


@dataclass(frozen=True)
class Sheet:
    """One stock on one machine, with copies of one or more layers on it. placed: counts when it is laid “as placed”.
    runs: how often copies “as placed” are made. facing: whether it is mirrored, even of a stock that is not. marks: 0
    or 3 to 6; they are printed, so that a sheet that prints nothing has none. print_size: whether its print file allows
    for what the press always stretches. behind: the sheet whose second side it
    is, for which it is turned over: its copies and marks lie on those of that one, and its own arrangement does not
    count. clamps: that hold this job, besides those of its machine. pins: of a second side, what it is turned over
    on."""

    id: str
    holds: tuple[Held, ...] = ()
    stock: Stock = field(default_factory=Stock)
    machine: Machine = field(default_factory=Machine)
    arrangement: str = choice("a grid", "arrangement", ARRANGEMENTS)
    settings: tuple[Setting, ...] = ()
    placed: tuple[Placed, ...] = ()
    runs: int = count(1, 1, 10_000, "runs")
    turns: str = choice("by quarter turns", "turns when nested", NEST_TURNS)
    together: str = choice("each on its own", "what stays together when nested", TOGETHER)
    own_quantity: int | None = count(None, 1, 20_000, "copies on this sheet", auto="the quantity of each piece")
    amount: str = choice("as many as wanted", "number of copies", AMOUNTS)
    spares: int = count(0, 0, 10_000, "spares")
    spacing: float = length(3.0, 0.0, 200.0, "spacing")
    facing: str = choice("as its stock says", "facing", FACINGS)
    marks: int = count(4, 0, 6, "registration marks")
    mark_diameter: float = length(6.0, 1.0, 30.0, "mark size", step=0.5)
    mark_gap: float = length(5.0, 0.0, 100.0, "distance of the marks", step=0.5)
    mark_shape: str = choice("circles", "shape of the marks", MARK_SHAPES)
    mark_key: str = choice("no direction mark", "direction mark", MARK_KEYS)
    mark_every: float = length(0.0, 0.0, 10_000.0, "largest distance of marks", step=50.0)
    print_size: str = choice("at true size", "size of the print", PRINT_SIZES)
    border: str = choice("no weed border", "weed border", BORDERS)
    border_distance: float = length(2.0, 0.5, 100.0, "distance of the weed border", step=0.5)
    weed_lines: str = choice("no weed lines", "weed lines", WEED_LINES)
    weed_size: float = length(150.0, 10.0, 2000.0, "largest piece of waste", step=10.0)
    weed_clear: float = length(0.5, 0.0, 20.0, "distance of weed lines from copies", step=0.1)
    cross_cut: str = choice("no cross-cut", "cross-cut", CROSS_CUTS)
    shared: str = choice("each on its own", "cuts where copies touch", SHARED)
    panels: str = choice("one sheet", "panels", PANELS)
    panel_overlap: float = length(10.0, 0.0, 500.0, "overlap of panels", step=1.0)
    seam_reach: float = length(200.0, 0.0, 2000.0, "reach of the seams", step=10.0)
    seams: tuple[Seam, ...] = ()
    caption: str = choice("nothing", "what is printed beside the work", CAPTIONS)
    grouping: str = choice("process by process", "order of the work", GROUPINGS)
    micro_ties: str = choice("no micro-ties", "micro-ties", MICRO_TIES)
    micro_tie: float = length(0.2, 0.05, 5.0, "width of micro-ties", step=0.05)
    behind: str = text("", 40, "sheet it is behind", empty="none")
    turned: str = choice("left to right", "way it is turned over", TURNED)
    clamps: tuple[Zone, ...] = ()
    pins: str = choice("no pins", "pins it is turned over on", PINS)
    pin_diameter: float = length(5.0, 2.0, 30.0, "width of the pins", step=0.5)
    pin_depth: float = length(8.0, 1.0, 60.0, "depth of the pins in the bed", step=0.5)

    @property
    def every_clamp(self) -> tuple[Zone, ...]:
        """Those of its machine, and those that hold this job."""
        return (*self.machine.clamps, *self.clamps)

    @property
    def is_mirrored(self) -> bool:
        """Whether left and right are exchanged on it."""
        return self.facing == "mirrored" or self.stock.mirrored

    @property
    def print_scale(self) -> tuple[float, float]:
        """Shares of its true size that its print file has across and along."""
        if self.print_size == "at true size":
            return 1.0, 1.0
        across, along = self.machine.stretch
        return 1 / (1 + across / 100), 1 / (1 + along / 100)

    def setting(self, process: str) -> Setting:
        """How its machine makes a process in its stock; the machine's own way where nobody has set it."""
        return setting_of(process, self.settings, self.machine)


def setting_of(process: str, settings: Sequence[Setting], machine: Machine) -> Setting:
    """How a machine makes a process by some settings; its own way where they do not say."""
    found = next((one for one in settings if one.process == process), None)
    return found or Setting(process, process, machine.head.usual)


@dataclass(frozen=True)
class Accepted:
    """A note that somebody looked at and found to be fine. id: of the note, see ``pipeline.notes.note_key``; said: its
    words; by and on: who that was, and the day."""

    id: str
    said: str = text("", 400, "note")
    by: str = text("", 150, "who accepted it")
    on: str = text("", 40, "day it was accepted")


@dataclass(frozen=True)
class Ticket:
    """A whole job."""

    schema: int = SCHEMA
    name: str = text("New job", 120, "job's name", shortest=1)
    client: str = text("", 120, "client", empty="nobody yet")
    due: str | None = day("due date")
    artworks: tuple[Artwork, ...] = ()
    pieces: tuple[Piece, ...] = ()
    sheets: tuple[Sheet, ...] = ()
    accepted: tuple[Accepted, ...] = ()

    def artwork(self, id: str) -> Artwork:
        return next(artwork for artwork in self.artworks if artwork.id == id)

    def layer(self, id: str) -> Layer:
        return next(layer for piece in self.pieces for layer in piece.layers if layer.id == id)

    def sheets_of(self, layer: str) -> list[Sheet]:
        """The sheets that a layer lies on."""
        return [sheet for sheet in self.sheets if any(held.layer == layer for held in sheet.holds)]

    def goods_of(self, layer: str) -> OnRound | None:
        """The round thing that a layer's piece goes on, if it does."""
        own = self.piece_of_layer(layer).goods
        return own if isinstance(own, OnRound) else None

    def turns(self, sheet: Sheet) -> bool:
        """Whether a sheet is the wall of things that a machine turns."""
        return any(goods is not None and goods.turned for goods in (self.goods_of(one.layer) for one in sheet.holds))

    def is_behind(self, layer: str) -> bool:
        """Whether a layer lies on second sides alone."""
        sheets = self.sheets_of(layer)
        return bool(sheets) and all(sheet.behind for sheet in sheets)

    def number(self, sheet: Sheet) -> int:
        """Of a sheet among all, from 1."""
        return [one.id for one in self.sheets].index(sheet.id) + 1

    def first_side(self, sheet: Sheet) -> Sheet:
        """The sheet that a sheet is the second side of; itself where it is none."""
        return next((one for one in self.sheets if one.id == sheet.behind), sheet)

    def second_side(self, sheet: Sheet) -> Sheet | None:
        """The sheet that is a sheet's second side; None where it has none."""
        return next((one for one in self.sheets if one.behind == sheet.id), None)

    def with_first_side(self, sheet: Sheet) -> tuple[Sheet, ...]:
        """A sheet and, where it is a second side, the one that it is laid behind."""
        first = self.first_side(sheet)
        return (sheet,) if first is sheet else (sheet, first)

    def prints_on(self, sheet: Sheet) -> bool:
        """Whether anything on a sheet is printed, be it marks behind those of its first side."""
        if any(self.layer(held.layer).prints.kind != "nothing" for held in sheet.holds):
            return True
        first = self.first_side(sheet)
        return first is not sheet and first.marks > 0 and self.prints_on(first)

    def wanted_on(self, sheet: Sheet, layer: str) -> int:
        """How many copies of a layer a sheet is to hold, without spares."""
        return sheet.own_quantity or self.piece_of_layer(layer).quantity

    def wanted(self, piece: Piece) -> int | None:
        """How many of a piece all sheets together are to hold, without spares; None where full sheets decide."""
        layer = next((one.id for one in piece.layers if not self.is_behind(one.id)), "")
        sheets = self.sheets_of(layer)
        if any(sheet.amount == "a full sheet" for sheet in sheets):
            return None
        return sum(self.wanted_on(sheet, layer) for sheet in sheets) if sheets else piece.quantity

    def piece_of_layer(self, layer: str) -> Piece:
        return next(piece for piece in self.pieces if any(own.id == layer for own in piece.layers))
