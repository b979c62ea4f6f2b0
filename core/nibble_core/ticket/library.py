"""The shop's own records of stocks, machines, and how each machine makes each process in each stock.

A record is copied into a ticket when it is chosen; a later change of it never changes an old job, it is offered there.
``STARTING`` is the made-up set that a new shop begins with.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import TypeVar

from nibble_core.errors import InvalidTicket
from nibble_core.ticket.cutters import Cutter
from nibble_core.ticket.fields import amount, share, text
from nibble_core.ticket.goods import OnRound
from nibble_core.ticket.heads import ByBeam, ByCutter, ByKnife, KnifeHead, LaserHead, RouterHead, TorchHead
from nibble_core.ticket.model import Machine, Setting, Spot, Stock, Ticket
from nibble_core.ticket.round_shape import FreePart, RoundShape
from nibble_core.ticket.turners import Rollers

USUAL_NAMES = "{client}-{job}-{sheet}-{mirrored}-{panel}-{purpose}-{rev}"


@dataclass(frozen=True)
class Rates:
    """What the shop asks for its time, and how it calls its files. hour: of work or of a machine, in its money. set_up:
    minutes of a job. weeding: seconds a metre of edges. money: written behind amounts. day_ends: hours and
    minutes, to compare long runs with."""

    hour: float = amount(48.0, 0.0, 10_000.0, "an hour of work")
    set_up: float = amount(12.0, 0.0, 10_000.0, "minutes of set-up")
    weeding: float = amount(18.0, 0.0, 10_000.0, "seconds of weeding a metre")
    mark_up: float = share(0.2, "mark-up", high=10.0)
    tax: float = share(0.2, "tax")
    money: str = text("", 8, "money", empty="no sign")
    terms: str = text("Good for 30 days.", 300, "terms", empty="none")
    shop: str = text("", 80, "name of the shop", empty="not printed")
    day_ends: str = text("17:30", 5, "end of the working day", empty="not compared")
    file_names: str = text(USUAL_NAMES, 120, "names of job files", shortest=1)


@dataclass(frozen=True)
class Library:
    """settings: by the keys of machine and stock."""

    stocks: tuple[Stock, ...]
    machines: tuple[Machine, ...]
    settings: Mapping[tuple[str, str], tuple[Setting, ...]] = field(default_factory=dict)
    rates: Rates = field(default_factory=Rates)

    def stock(self, key: str) -> Stock:
        """A record as a ticket copies it, with the machines that take it. Raises InvalidTicket for a key that no record
        has."""
        return replace(_found({one.key: one for one in self.stocks}, key, "stock"), machines=self.takers(key))

    def takers(self, stock: str) -> tuple[str, ...]:
        """Keys of the machines that have settings for a stock, in the order of their records."""
        return tuple(one.key for one in self.machines if self.settings_of(one.key, stock))

    def machine(self, key: str) -> Machine:
        """Raises InvalidTicket for a key that no record has."""
        return _found({one.key: one for one in self.machines}, key, "machine")

    def taker(self, stock: str, machine: str) -> Machine | None:
        """The first machine that takes a stock, where the one it lies on does not; None where nothing need change."""
        able = self.takers(stock)
        return None if not able or machine in able else self.machine(able[0])

    def settings_of(self, machine: str, stock: str) -> tuple[Setting, ...]:
        """Those of a machine as it is now: of another kind of head they were before, none counts."""
        kept = self.settings.get((machine, stock), ())
        made = next((type(one.head.usual) for one in self.machines if one.key == machine), None)
        return tuple(one for one in kept if made is None or isinstance(one.how, made))


T = TypeVar("T")


def _found(records: Mapping[str, T], key: str, what: str) -> T:
    if key not in records:
        raise InvalidTicket(f"There is no {what} “{key}”.", f"Choose {', '.join(records)}.")
    return records[key]


@dataclass(frozen=True)
class Outdated:
    """A record that has changed since it was copied: where it lies in the ticket, its name, and what it is now."""

    path: str
    called: str
    key: str


def outdated(ticket: Ticket, library: Library) -> list[Outdated]:
    """Copies of records that the library has otherwise now; records that it no longer has stay as they are."""
    stocks = {one.key: one for one in library.stocks}
    machines = {one.key: one for one in library.machines}
    found = []
    for sheet in ticket.sheets:
        here = f"sheets/{sheet.id}"
        stock, machine = stocks.get(sheet.stock.key), machines.get(sheet.machine.key)
        if stock is not None and _is_other(sheet.stock, stock):
            found.append(Outdated(f"{here}/stock", stock.name, stock.key))
        settings = library.settings_of(sheet.machine.key, sheet.stock.key)
        if machine is not None and (machine != sheet.machine or (settings and settings != sheet.settings)):
            found.append(Outdated(f"{here}/machine", machine.name, machine.key))
    for piece in ticket.pieces:
        thing = stocks.get(piece.goods.thing.key) if isinstance(piece.goods, OnRound) else None
        if thing is not None and isinstance(piece.goods, OnRound) and _is_other(piece.goods.thing, thing):
            found.append(Outdated(f"pieces/{piece.id}/goods/thing", thing.name, thing.key))
    return found


def _is_other(copied: Stock, record: Stock) -> bool:
    """Whether anything but the length that is left differs, which falls with every job, and the machines that take it,
    which no record says."""
    names = record.__dataclass_fields__.keys() - {"length_left", "machines"}
    return any(getattr(copied, name) != getattr(record, name) for name in names)


_PLUM, _ORCHID, _PLUM_LIGHT = (0.0, 1.0, 0.0, 0.3), (0.3, 0.9, 0.0, 0.0), (0.0, 0.6, 0.0, 0.3)
_VIOLET, _SLATE = (0.4, 0.6, 0.0, 0.0), (0.6, 0.6, 0.0, 0.3)
_OLIVE, _UMBER = (0.0, 0.0, 0.9, 0.5), (0.2, 0.5, 0.8, 0.4)


def _shirt_film(key: str, name: str, colour: str) -> Stock:
    return Stock(
        key, name, 500, 480, 2000, 1.2, colour, True, thickness=0.09, price=14.0, beneath="clear polyester liner",
        finishing="Weed, cover with the liner, press on the face side of the shirt.",
        press_heat=150, press_seconds=12, press_pressure="medium", peel="warm",
    )  # fmt: skip


_STOCKS = (
    Stock("matt-white-vinyl-1370", "matt white vinyl, 1370 mm roll", 1370, 1340, 3000, 1.0, "#ffffff", False,
          price=4.2, beneath="siliconed paper", length_left=24_000),
    Stock("gloss-clear-vinyl-610", "gloss clear vinyl, 610 mm roll", 610, 580, 3000, 1.0, "#f3f6f6", False,
          price=5.1, beneath="siliconed paper"),
    Stock("label-paper-a3", "label paper, A3 sheet", 297, 287, 400, 0.8, "#fffdf6", False, kind="a sheet", price=1.9,
          thickness=0.16, beneath="siliconed paper"),
    _shirt_film("shirt-film-navy-500", "navy shirt film, 500 mm roll", "#1d2c52"),
    Stock("window-film-black-610", "black window film, 610 mm roll", 610, 590, 2500, 1.0, "#20242a", False,
          price=6.4, beneath="siliconed paper", printable=False,
          finishing="Wet the pane, lay, squeegee from the middle."),
    _shirt_film("shirt-film-white-500", "white shirt film, 500 mm roll", "#fafaf7"),
    _shirt_film("shirt-film-teal-500", "teal shirt film, 500 mm roll", "#29848b"),
    Stock("stencil-polyester-300", "stencil polyester 0.25 mm, A3 sheet", 420, 290, 400, 1.0, "#e3eef0", False, 1.2,
          False, kind="a sheet", thickness=0.25, price=7.5, printable=False),
    Stock("birch-3mm", "birch plywood 3 mm, 600 × 400 mm", 600, 580, 380, 1.0, "#dcc39a", False, 1.6, False,
          kind="a sheet", thickness=3.0, price=16.0, printable=False,
          finishing="Wipe the smoke off with a damp cloth."),
    Stock("steel-cup", "coated steel cup, 350 ml", 300, 300, 120, 0.4, "#2f5d62", False, 0.3, False,
          kind="a round thing", thickness=0.6, price=4.8, printable=False, finishing="Wipe the dust off, wash once.",
          wall=RoundShape("tapered", 84.0, None, 64.0, None, None, 118.0, None,
                          free=(FreePart("f1", "the rim", 0.0, 360.0, 0.0, 12.0),
                                FreePart("f2", "the seam", 0.0, 10.0, 0.0, None)))),
    Stock("glass-tumbler", "glass tumbler, 300 ml", 300, 300, 120, 0.4, "#dfe9ea", False, 0.3, False,
          kind="a round thing", thickness=2.0, price=1.6, printable=False,
          wall=RoundShape("straight", 74.0, None, None, None, None, 96.0)),
    Stock("honey-pail", "tapered honey pail, 1 kg", 400, 400, 140, 1.0, "#f4f1e6", False, 0.8, False,
          kind="a round thing", thickness=1.0, price=0.7, printable=False,
          wall=RoundShape("tapered", 118.0, None, 100.0, None, None, 110.0, None,
                          free=(FreePart("f1", "the rim", 0.0, 360.0, 0.0, 14.0),))),
    Stock("oak-18mm", "oak board 18 mm, 700 × 300 mm", 700, 690, 290, 2.0, "#b98a52", False, 2.0, False,
          kind="a sheet", thickness=18.0, price=92.0, printable=False,
          grain="from left to right", finishing="Break the tabs, sand with the grain, paint the grooves, oil."),
    Stock("mild-steel-2mm", "mild steel 2 mm, 1250 × 1250 mm", 1250, 1230, 1230, 4.0, "#8d9499", False, 4.0, False,
          kind="a sheet", thickness=2.0, price=38.0, printable=False,
          finishing="Knock the slag off, oil against rust."),
)  # fmt: skip
_CUTTERS = (
    Cutter("flat6", "6 mm flat cutter", "flat", 6.0, feed=40, plunge=10, spindle=18_000, deepest_pass=4.0),
    Cutter("flat3", "3 mm flat cutter", "flat", 3.175, feed=30, plunge=8, spindle=20_000, deepest_pass=2.0),
    Cutter("v60", "60° pointed cutter", "pointed", 12.7, 60.0, 0.1, feed=35, plunge=10, deepest_pass=6.0),
    Cutter("drill5", "5 mm drill", "a drill", 5.0, feed=10, plunge=5, spindle=6000, deepest_pass=5.0),
)
_MACHINES = (
    Machine(
        "wide-camera-cutter", "wide cutter with camera", 1300, 3000, 1.0, 0.5,
        KnifeHead(knife_radius=0.25, speed=300, blade_offset=0.25, overcut=0.5), formats=("pdf", "svg", "hpgl"),
        spots=(
            Spot("through cut", "Nibble Through", _PLUM), Spot("kiss cut", "Nibble Kiss", _ORCHID),
            Spot("perforate", "Nibble Perforate", _PLUM_LIGHT), Spot("score", "Nibble Score", _OLIVE),
            Spot("weed cut", "Nibble Weed", _VIOLET), Spot("cross-cut", "Nibble Cross", _SLATE),
        ),
    ),
    Machine(
        "desk-cutter", "desk cutter, A3", 290, 410, 1.5, 0.6,
        KnifeHead(knife_radius=0.35, speed=100, blade_offset=0.35, overcut=0.5), formats=("pdf", "svg", "dxf", "hpgl"),
        spots=(
            Spot("through cut", "Desk Through", _PLUM), Spot("kiss cut", "Desk Kiss", _ORCHID),
            Spot("perforate", "Desk Perforate", _PLUM_LIGHT), Spot("score", "Desk Score", _OLIVE),
            Spot("weed cut", "Desk Weed", _VIOLET),
        ),
    ),
    Machine(
        "small-laser", "small laser, 600 × 400 mm", 580, 380, 0.8, 0.15,
        LaserHead(beam=0.15, acceleration=4000, fastest=600, jump=12, longest_run=120, openings=12.0,
                  turner=Rollers()),
        formats=("gcode", "svg", "dxf"),
        spots=(
            Spot("through cut", "Laser Cut", _PLUM), Spot("engrave", "Laser Engrave", _UMBER),
            Spot("perforate", "Laser Perforate", _PLUM_LIGHT), Spot("score", "Laser Score", _OLIVE),
        ),
    ),
    Machine(
        "board-router", "board router, 800 × 600 mm", 800, 600, 2.0, 0.5,
        RouterHead(acceleration=1500, fastest=100, jump=10, longest_run=240, comments="in brackets", safe_height=12.0,
                   cutters=_CUTTERS),
        formats=("gcode", "dxf"),
        spots=(
            Spot("clear", "Router Clear", (0.1, 0.3, 0.6, 0.2)), Spot("carve", "Router Carve", (0.1, 0.6, 0.9, 0.3)),
            Spot("through cut", "Router Cut", _PLUM),
        ),
    ),
    Machine(
        "torch-table", "torch table, 1250 × 1250 mm", 1250, 1250, 6.0, 1.6,
        TorchHead(beam=1.2, acceleration=1200, fastest=250, jump=6, longest_run=240, openings=60.0,
                  comments="in brackets", height="moved by G-code"),
        formats=("gcode", "dxf"),
        spots=(Spot("through cut", "Torch Cut", _PLUM), Spot("engrave", "Torch Mark", _UMBER)),
    ),
)  # fmt: skip


def _knives(kiss: int, through: int, speed: int, offset: float) -> tuple[Setting, ...]:
    """Made-up forces of one knife in one stock."""
    return (
        Setting("kiss", "kiss cut", ByKnife(kiss, speed, 1, offset, 0.5)),
        Setting("weed", "weed cut", ByKnife(kiss, speed, 1, offset, 0.0)),
        Setting("through", "through cut", ByKnife(through, speed // 2, 1, offset, 0.5)),
    )


_SETTINGS = {
    ("wide-camera-cutter", "matt-white-vinyl-1370"): _knives(90, 240, 300, 0.25),
    **{
        ("wide-camera-cutter", f"shirt-film-{one}-500"): _knives(110, 260, 250, 0.25)
        for one in ("navy", "white", "teal")
    },
    ("wide-camera-cutter", "gloss-clear-vinyl-610"): _knives(95, 250, 300, 0.25),
    ("wide-camera-cutter", "window-film-black-610"): _knives(85, 230, 300, 0.25),
    ("desk-cutter", "label-paper-a3"): _knives(70, 180, 100, 0.35),
    ("desk-cutter", "matt-white-vinyl-1370"): _knives(80, 220, 100, 0.35),
    ("desk-cutter", "gloss-clear-vinyl-610"): _knives(85, 230, 100, 0.35),
    ("small-laser", "birch-3mm"): (
        Setting("engrave", "engrave", ByBeam(speed=300, power=0.35, overscan=6.0, air="with air")),
        Setting("score", "score", ByBeam(speed=60, power=0.15, air="with air")),
        Setting(
            "through",
            "through cut",
            ByBeam(speed=12, power=0.85, kerf=0.16, lead="a line", lead_length=1.5, air="with air"),
        ),
    ),
    ("small-laser", "stencil-polyester-300"): (
        Setting("engrave", "engrave", ByBeam(speed=400, power=0.12, overscan=8.0)),
        Setting("score", "score", ByBeam(speed=80, power=0.1)),
        Setting("through", "through cut", ByBeam(speed=45, power=0.3, kerf=0.12, air="with air")),
    ),
    ("small-laser", "steel-cup"): (
        Setting("engrave", "engrave", ByBeam(speed=200, power=0.6, overscan=4.0)),
        Setting("score", "score", ByBeam(speed=80, power=0.5)),
    ),
    ("small-laser", "glass-tumbler"): (
        Setting("engrave", "engrave", ByBeam(speed=150, power=0.3, overscan=4.0)),
        Setting("score", "score", ByBeam(speed=60, power=0.25)),
    ),
    ("board-router", "oak-18mm"): (
        Setting("clear", "clear", ByCutter()),
        Setting("carve", "carve", ByCutter()),
        Setting("through", "through cut", ByCutter()),
    ),
    ("torch-table", "mild-steel-2mm"): (
        Setting(
            "through",
            "through cut",
            ByBeam(
                speed=55, power=1.0, kerf=1.3, lead="an arc", lead_length=4.0, pierce=0.3, pierce_height=3.8, focus=1.5
            ),
        ),
        Setting("engrave", "engrave", ByBeam(speed=80, power=0.3)),
    ),
}

STARTING = Library(_STOCKS, _MACHINES, _SETTINGS)
STOCKS = {stock.key: stock for stock in _STOCKS}
MACHINES = {machine.key: machine for machine in _MACHINES}
