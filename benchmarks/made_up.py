"""Forty shapes of figures and letters, about 40 to 120 mm, and tickets of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from nibble_core.ticket.library import STARTING
from nibble_core.ticket.line import Line
from nibble_core.ticket.model import Held, Placed, Sheet, Ticket
from nibble_core.ticket.piece import Element, Figure, Layer, Lettering, Piece, prints_of

Elements = tuple[Element, ...]
MIDDLE = {"across": "centred", "down": "centred"}


def _one(kind: str, width: float, height: float = 20.0, **more: float) -> Elements:
    return (Element("e1", Figure(kind, width, height, **more)),)


def _two(first: Figure, second: Figure, **how: object) -> Elements:
    return Element("e1", first), Element("e2", second, **how)


def _words(words: str, font: str, height: float) -> Elements:
    return (Element("e1", Lettering(words, font, "", height)),)


SHAPES: dict[str, Elements] = {
    "circle 40": _one("circle", 40), "circle 7": _one("circle", 7), "ellipse": _one("ellipse", 80, 30),
    "flat ellipse": _one("ellipse", 90, 9), "ring": _one("ring", 50, wall=6), "rectangle": _one("rectangle", 40, 20),
    "square": _one("rectangle", 33, 33), "strip": _one("rectangle", 120, 6), "tall": _one("rectangle", 11, 90),
    "rounded 64 x 48": _one("rounded rectangle", 64, 48, radius=4),
    "rounded 64 x 48, 8": _one("rounded rectangle", 64, 48, radius=8),
    "pill": _one("rounded rectangle", 70, 22, radius=11), "barely round": _one("rounded rectangle", 55, 35, radius=0.4),
    "triangle": _one("regular polygon", 50, count=3), "pentagon": _one("regular polygon", 44, count=5),
    "hexagon": _one("regular polygon", 52, count=6), "octagon": _one("regular polygon", 37, count=8),
    "17 corners": _one("regular polygon", 61, count=17), "star": _one("star", 60, count=5, depth=0.5),
    "slim star": _one("star", 70, count=5, depth=0.3), "burst": _one("star", 66, count=24, depth=0.8),
    "spiky burst": _one("star", 75, count=12, depth=0.25), "four points": _one("star", 58, count=4, depth=0.35),
    "keyhole": _two(Figure("circle", 40), Figure("rectangle", 12, 50), down="centred"),
    "washer": _two(Figure("circle", 48), Figure("circle", 20), way="cut out", **MIDDLE),
    "frame": _two(Figure("rectangle", 60, 45), Figure("rectangle", 44, 29), way="cut out", **MIDDLE),
    "notched": _two(Figure("rectangle", 60, 40), Figure("circle", 22), way="cut out", across="centred"),
    "slotted": _two(Figure("rounded rectangle", 70, 40, radius=6), Figure("rounded rectangle", 30, 5, radius=2.5),
                    way="cut out", **MIDDLE),
    "lens": _two(Figure("circle", 60), Figure("circle", 60), way="common part", x=30.0),
    "cross": _two(Figure("rectangle", 60, 18), Figure("rectangle", 18, 60), **MIDDLE),
    "crescent": _two(Figure("circle", 56), Figure("circle", 46), way="cut out", x=16.0, y=4.0),
    "two discs": _two(Figure("circle", 30), Figure("circle", 30), x=34.0),
    "turned square": (Element("e1", Figure("rectangle", 40, 40), turn=17.0),),
    "turned pill": (Element("e1", Figure("rounded rectangle", 80, 24, radius=12), turn=33.0),),
    "R": _words("R", "serif", 45.0), "S": _words("S", "sans", 50.0), "Kg": _words("Kg", "serif", 30.0),
    "open": _words("OPEN", "sans", 24.0), "ampersand": _words("&", "serif", 48.0), "8": _words("8", "condensed", 52.0),
}  # fmt: skip


def ticket_of(
    elements: Elements, lines: Sequence[Line], *, quantity: int, marks: bool, stock: str, machine: str = ""
) -> Ticket:
    """A job of one piece on a stock of the starting library, on the first machine that takes it. marks: it is printed
    with four marks."""
    prints = prints_of("the shapes" if marks else "nothing")
    layer = Layer("l1", prints=prints, lines=tuple(lines))
    material = replace(STARTING.stock(stock), printable=True)
    on = STARTING.machine(machine or material.machines[0])
    settings = STARTING.settings_of(on.key, stock)
    sheet = Sheet("s1", (Held("h1", "l1"),), material, on, settings=settings, marks=4)
    return Ticket(name="Sweep", pieces=(Piece("p1", "part", quantity, elements, (layer,)),), sheets=(sheet,))


def sheet_on(sheet: Sheet, placed: Sequence[Placed]) -> Sheet:
    """A sheet as placed, with room for all."""
    wide = replace(sheet.stock, width=2000.0, usable_width=1900.0)
    machine = replace(sheet.machine, usable_width=1900.0)
    return replace(sheet, stock=wide, machine=machine, arrangement="as placed", placed=tuple(placed))
