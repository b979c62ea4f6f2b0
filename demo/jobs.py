"""The demo shop's jobs: their artwork and their tickets."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from datetime import date, timedelta

from demo.degrade import as_boxed_jpeg, as_phone_photo, as_png, as_soft_thumbnail
from demo.drawings import honey, island, kite, lighthouse, oars, owl, wheat
from nibble_core.ticket import STARTING, Ticket, first_ticket
from nibble_core.ticket.goods import Faces, Label, OnFlat, OnRound, Seen
from nibble_core.ticket.library import MACHINES, STOCKS
from nibble_core.ticket.line import (
    AS_THEY_ARE,
    Carving,
    Clearing,
    Cut,
    Engraving,
    Hatching,
    Line,
    Making,
    OneElement,
    Picture,
    Rings,
    Source,
    ThroughCut,
    line_of,
)
from nibble_core.ticket.model import Held, Sheet
from nibble_core.ticket.piece import Element, Figure, FromArtwork, Hanger, Layer, Lettering, Prints, Stencil, prints_of
from nibble_core.ticket.places import Chosen

LASER_PORT = 8470
LASER = replace(MACHINES["small-laser"], port=LASER_PORT)
ROUTER_PORT = 8471
ROUTER = replace(MACHINES["board-router"], port=ROUTER_PORT)
"""The demo shop's laser, which is simulated."""


@dataclass(frozen=True)
class DemoJob:
    """A client's file and the ticket made of it."""

    content: bytes
    ticket: Ticket


def demo_jobs(today: date) -> list[DemoJob]:
    """Every client's job, due in the days after ``today``."""
    return [
        _kite_week(today), _harbour_hive(today), _little_owl(today), _rowers(today), _tansy_lane(today),
        _lighthouse(today), _banner(today), _sign(today), _island(today), _cups(today), _pail(today),
        _name_board(today), _raised_oars(today), _kites_on_the_roll(today),
    ]  # fmt: skip


def _kite_week(today: date) -> DemoJob:
    content = as_boxed_jpeg(kite(1240), 85)
    ticket = first_ticket(
        name="Kite Week stickers", client="Orrinmouth Kite Week", due=(today + timedelta(days=4)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="kite-final-FINAL.jpg", width=76, mode="outer",
        quantity=120,
    )  # fmt: skip
    lines = (
        line_of("k1", "kiss cut", 0.0, close_gaps=1.0, name="sticker"),
        line_of("k2", "through cut", 4.0, close_gaps=8.0, name="backing"),
    )
    ticket = _with_lines(ticket, "kite", lines, bleed=1.0)
    return DemoJob(content, replace(ticket, sheets=(replace(ticket.sheets[0], arrangement="interlocked pairs"),)))


def _kites_on_the_roll(today: date) -> DemoJob:
    """Large kites along nearly three metres of roll, with marks at its ends only: what bows shows white half-way."""
    content = as_boxed_jpeg(kite(1240), 85)
    ticket = first_ticket(
        name="Kite Week, large, on the roll", client="Orrinmouth Kite Week",
        due=(today + timedelta(days=17)).isoformat(), file=hashlib.sha256(content).hexdigest(),
        file_name="kite-final-FINAL.jpg", width=140, mode="outer", quantity=150,
    )  # fmt: skip
    return DemoJob(
        content, _with_lines(ticket, "large kite", (line_of("k1", "kiss cut", 0.0, close_gaps=1.0),), bleed=1.0)
    )


def _harbour_hive(today: date) -> DemoJob:
    """Twelve labels to a sheet, each kissed, a perforated line round them all."""
    content = as_png(honey(900))
    ticket = first_ticket(
        name="Jar labels, spring honey", client="Harbour Hive Honey", due=(today + timedelta(days=2)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="hive_label.png", width=62, mode="outer",
        quantity=48, stock=STOCKS["label-paper-a3"],
    )  # fmt: skip
    elements = (Element("e1", FromArtwork("a1"), columns=3, rows=4, gap=6.0),)
    lines = (
        line_of("k1", "kiss cut", 1.5, close_gaps=3.0, name="label"),
        line_of("k2", "perforate", 8.0, source="a simple shape", surround="rounded rectangle", close_gaps=0.0),
    )
    return DemoJob(content, _with_lines(ticket, "sheet of labels", lines, elements))


def _lighthouse(today: date) -> DemoJob:
    """A birch key fob: engraved, cut out, with a loop to hang it by."""
    content = as_png(lighthouse(900))
    ticket = first_ticket(
        name="Key fobs for the open day", client="Orrinmouth Lighthouse Trust", quantity=24,
        due=(today + timedelta(days=6)).isoformat(), file=hashlib.sha256(content).hexdigest(),
        file_name="lighthouse.png", width=30, stock=STOCKS["birch-3mm"], machine=LASER,
    )  # fmt: skip
    elements = (
        Element("e1", content=Figure("circle", 54.0, colour="#dcc39a")),
        Element("e2", FromArtwork("a1"), way="apart", across="centred", down="centred", y=-3.0),
        Element(
            "e3", way="apart", across="centred", down="centred",
            content=Lettering("ORRINMOUTH LIGHT", "condensed", "", 3.6, 0.6, "under a circle", 24.0),
        ),
    )  # fmt: skip
    dots, strokes = Picture(0.12, tones="halftone dots", screen=0.9), Hatching(0.1)
    lines = (
        Line("k1", OneElement("e2"), AS_THEY_ARE, Engraving(dots), name="mark"),
        Line("k2", OneElement("e3"), AS_THEY_ARE, Engraving(strokes), name="words"),
        line_of("k4", "score", -2.5, close_gaps=0.0, source="one element", of="e1", name="rim"),
        line_of("k3", "through cut", 0.0, close_gaps=0.0, source="one element", of="e1"),
    )
    ticket = _with_lines(ticket, "fob", lines, elements, prints="nothing")
    piece = replace(ticket.pieces[0], hanger=Hanger("a loop", 4.0, 3.0))
    return DemoJob(content, replace(ticket, pieces=(piece,)))


def _little_owl(today: date) -> DemoJob:
    """A decal from a thick pencil drawing, photographed."""
    content = as_phone_photo(owl(760, "#ffffff"))
    ticket = first_ticket(
        name="Reading room window owl", client="Little Owl Library", due=(today + timedelta(days=9)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="owl drawing (photo).jpg", width=240,
    )  # fmt: skip
    ticket = _with_lines(ticket, "window owl", (line_of("k1", "kiss cut", 3.0, close_gaps=4.0),))
    return DemoJob(content, _with_artwork(ticket, source="photographed at the counter", allowed_by="the library"))


def _rowers(today: date) -> DemoJob:
    """Two flat colours for shirts, mirrored because film is cut from behind."""
    content = as_boxed_jpeg(oars(720), 75)
    ticket = first_ticket(
        name="Crew shirts, crossed oars", client="North Mole Rowers", due=(today + timedelta(days=11)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="oars_logo_web.jpg", width=110, mode="colours", quantity=9,
    )  # fmt: skip
    colours = (("navy", "#22323a", "shirt-film-navy-500"), ("teal", "#29848b", "shirt-film-teal-500"))
    shapes = Source(kind="the shapes")
    layers = tuple(
        Layer(
            f"l{n}", Prints(), (Line(f"k{n}", shapes, AS_THEY_ARE, Cut()),), name, shows="chosen colours",
            colours=(Chosen(f"c{n}", colour),), overlap=0.6 if n == 1 else 0.0,
        )
        for n, (name, colour, _) in enumerate(colours, 1)
    )  # fmt: skip
    piece = replace(ticket.pieces[0], name="oars", layers=layers, alignment="three triangles",
                    goods=OnFlat("#c3c9c6", kind="a shirt"))  # fmt: skip
    cutter = ticket.sheets[0].machine
    sheets = tuple(
        Sheet(
            f"s{n}",
            (Held("h1", f"l{n}"),),
            STOCKS[stock],
            cutter,
            border="a weed border round each",
            settings=STARTING.settings_of(cutter.key, stock),
        )
        for n, (_, _, stock) in enumerate(colours, 1)
    )
    return DemoJob(content, replace(ticket, pieces=(piece,), sheets=sheets))


def _sign(today: date) -> DemoJob:
    """Two layers of birch: a scored board with engraved words, and an owl of nested cuts to be glued onto it."""
    content = as_png(owl(480))
    ticket = first_ticket(
        name="Reading room sign", client="Little Owl Library", due=(today + timedelta(days=13)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="owl clean.png", width=58,
        stock=STOCKS["birch-3mm"], machine=LASER, quantity=2,
    )  # fmt: skip
    elements = (
        Element("e1", content=Figure("rounded rectangle", 230.0, 90.0, 8.0, colour="#dcc39a")),
        Element("e2", FromArtwork("a1"), way="apart", across="left edges", down="centred", x=14.0),
        Element(
            "e3", way="apart", across="centred", down="centred", x=36.0,
            content=Lettering("READING ROOM", "slab", "", 10.5, 0.6),
        ),
    )  # fmt: skip
    board = (
        Line("k1", OneElement("e3"), AS_THEY_ARE, Engraving(Rings(0.15)), name="words"),
        line_of("k2", "score", -4.0, close_gaps=0.0, source="one element", of="e1", name="rim"),
        Line("k3", OneElement("e1"), AS_THEY_ARE, name="board"),
    )
    ticket = _with_lines(ticket, "sign", board, elements, prints="nothing")
    bird = Layer("l2", Prints(), (Line("k4", OneElement("e2"), AS_THEY_ARE, name="owl"),), "owl")
    piece = ticket.pieces[0]
    piece = replace(piece, layers=(replace(piece.layers[0], name="board"), bird))
    second = replace(ticket.sheets[0], id="s2", holds=(Held("h1", "l2"),), micro_ties="micro-ties")
    return DemoJob(content, replace(ticket, pieces=(piece,), sheets=(ticket.sheets[0], second)))


def _island(today: date) -> DemoJob:
    """A steel plate for the torch: an island with a lake, an islet in it, a pond on that."""
    content = as_png(island(480))
    ticket = first_ticket(
        name="Island plate", client="Orrinmouth Lighthouse Trust", due=(today + timedelta(days=20)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="island.png", width=520,
        stock=STOCKS["mild-steel-2mm"], machine=MACHINES["torch-table"],
    )  # fmt: skip
    line = Line("k1", Source(kind="the shapes"), AS_THEY_ARE)
    ticket = _with_lines(ticket, "island", (line,), prints="nothing")
    return DemoJob(content, replace(ticket, sheets=(replace(ticket.sheets[0], spacing=15.0),)))


def _banner(today: date) -> DemoJob:
    """Wider than any roll: printed and cut in panels that overlap."""
    content = as_png(lighthouse(900))
    ticket = first_ticket(
        name="Open day banner, 3.6 m", client="Orrinmouth Lighthouse Trust",
        due=(today + timedelta(days=12)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="light for the banner.png", width=140, mode="outer",
    )  # fmt: skip
    elements = (
        Element("e2", content=Figure("rounded rectangle", 3600.0, 620.0, colour="#f4e3c1")),
        Element("e1", FromArtwork("a1"), way="apart", across="left edges", down="centred", x=160.0),
        Element(
            "e3", way="apart", across="centred", down="centred", x=160.0,
            content=Lettering("OPEN DAY AT THE LIGHT", "condensed", "", 230.0, colour="#1e5b6b"),
        ),
    )  # fmt: skip
    # cut a little within the board: nothing white shows, without any bleed
    ticket = _with_lines(ticket, "banner", (line_of("k1", "through cut", -3.0, close_gaps=0.0),), elements)
    sheet = replace(ticket.sheets[0], panels="panels", panel_overlap=20.0)
    return DemoJob(content, replace(ticket, sheets=(sheet,)))


def _tansy_lane(today: date) -> DemoJob:
    """A tiny soft logo for a dusting stencil."""
    content = as_soft_thumbnail(wheat(150, "#ffffff"))
    ticket = first_ticket(
        name="Wheat-ear stencil", client="Tansy Lane Bakery", due=(today + timedelta(days=16)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="logo-small.jpg", width=85,
        stock=STOCKS["stencil-polyester-300"], machine=LASER,
    )  # fmt: skip
    elements = (
        Element("e1", FromArtwork("a1")),
        Element(
            "e2", way="apart", across="centred", down="below it", y=5.0,
            content=Lettering("BREAD", "sans", "", 16.0, 1.5),
        ),
    )  # fmt: skip
    lines = (
        Line("k1", Source(kind="the shapes"), AS_THEY_ARE, name="openings"),
        line_of(
            "k2",
            "through cut",
            14.0,
            close_gaps=0.0,
            source="a simple shape",
            surround="rounded rectangle",
            name="edge",
        ),
    )
    ticket = _with_lines(ticket, "stencil", lines, elements, prints="nothing")
    piece = replace(ticket.pieces[0], stencil=Stencil("a stencil", 1.6, 2))
    return DemoJob(content, replace(ticket, pieces=(piece,)))


def _cups(today: date) -> DemoJob:
    """A wheat-ear on both sides of a tapered steel cup, turned under the laser."""
    content = as_png(wheat(600, "#ffffff"))
    cup = STOCKS["steel-cup"]
    ticket = first_ticket(
        name="Steel cups, wheat-ear", client="Tansy Lane Bakery", due=(today + timedelta(days=8)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="wheat-ear.png", width=34, stock=cup, machine=LASER,
        quantity=36,
    )  # fmt: skip
    lines = (Line("k1", Source(kind="the shapes"), AS_THEY_ARE, Engraving(Hatching(0.1)), name="wheat-ear"),)
    ticket = _with_lines(ticket, "wheat-ear", lines, prints="nothing")
    goods = OnRound(cup, Seen(), Faces(62.0, "a quarter to the right", around="at equal angles", times=2))
    sheet = replace(
        ticket.sheets[0], spares=1, settings=STARTING.settings_of(LASER.key, cup.key), grouping="copy by copy"
    )
    return DemoJob(content, replace(ticket, pieces=(replace(ticket.pieces[0], goods=goods),), sheets=(sheet,)))


def _pail(today: date) -> DemoJob:
    """A label all round a tapered pail, glued where it meets itself."""
    content = as_png(honey(900))
    ticket = first_ticket(
        name="Honey pails, label all round", client="Harbour Hive Honey", due=(today + timedelta(days=10)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="hive_label.png", width=52, mode="outer", quantity=24,
        stock=STOCKS["matt-white-vinyl-1370"],
    )  # fmt: skip
    elements = (
        Element("e1", content=Figure("rectangle", 400.0, 76.0, colour="#f3d9a0")),
        Element("e2", FromArtwork("a1"), way="apart", across="centred", down="centred", y=-6.0),
        Element(
            "e3", way="apart", across="centred", down="centred", y=30.0,
            content=Lettering("HARBOUR HIVE HONEY", "slab", "", 6.0, 0.8, colour="#5a3a12"),
        ),
    )  # fmt: skip
    ticket = _with_lines(ticket, "pail label", (line_of("k1", "through cut", -2.0, close_gaps=0.0),), elements)
    label = Label("cut as a band all round", 9.0, 20.0, 92.0)
    goods = OnRound(STOCKS["honey-pail"], Seen("true on the surface"), Faces(56.0), label)
    return DemoJob(content, replace(ticket, pieces=(replace(ticket.pieces[0], goods=goods),)))


def _name_board(today: date) -> DemoJob:
    """An oak board: owl and words in grooves, its rim cleared, cut out with tabs."""
    content = as_png(owl(760, "#ffffff"))
    ticket = first_ticket(
        name="Carved name board", client="Little Owl Library", due=(today + timedelta(days=18)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="owl clean.png", width=84,
        stock=STOCKS["oak-18mm"], machine=ROUTER,
    )  # fmt: skip
    elements = (
        *_rimmed(560.0, 190.0, 18.0, 10.0),
        Element("e2", FromArtwork("a1"), way="apart", across="left edges", down="centred", x=40.0),
        Element(
            "e3", way="apart", across="centred", down="centred", x=54.0,
            content=Lettering("LITTLE OWL", "slab", "", 38.0, 2.0),
        ),
    )  # fmt: skip
    lines = (
        Line("k1", OneElement("e4"), AS_THEY_ARE, Clearing(2.0, "k4"), name="rim"),
        Line("k2", OneElement("e3"), AS_THEY_ARE, Carving(6.0), name="words"),
        Line("k3", OneElement("e2"), AS_THEY_ARE, Carving(5.0), name="owl"),
        Line("k4", OneElement("e1"), AS_THEY_ARE, ThroughCut(ties=6, tie_width=8.0, tab_height=3.0), name="board"),
    )
    return DemoJob(content, _with_lines(ticket, "name board", lines, elements, prints="nothing"))


def _rimmed(width: float, height: float, corners: float, inner: float) -> tuple[Element, Element]:
    """The outline of a board, and that of its field, 12 mm within."""
    outer = Figure("rounded rectangle", width, height, corners, colour="#b98a52")
    field = replace(outer, width=width - 24.0, height=height - 24.0, radius=inner)
    return Element("e1", content=outer), Element("e4", content=field, way="apart", across="centred", down="centred")


def _raised_oars(today: date) -> DemoJob:
    """Crossed oars that stand in a recess of an oak plate."""
    content = as_png(oars(720))
    ticket = first_ticket(
        name="Boathouse plate, raised oars", client="North Mole Rowers", due=(today + timedelta(days=22)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="oars.png", width=130,
        stock=STOCKS["oak-18mm"], machine=ROUTER,
    )  # fmt: skip
    elements = (
        *_rimmed(220.0, 190.0, 30.0, 20.0),
        Element("e2", FromArtwork("a1"), way="apart", across="centred", down="centred"),
    )  # fmt: skip
    lines = (
        Line("k1", OneElement("e2"), AS_THEY_ARE, Clearing(4.0, "k2"), name="oars"),
        Line("k2", OneElement("e4"), AS_THEY_ARE, Making(), name="recess"),
        Line("k4", OneElement("e1"), AS_THEY_ARE, ThroughCut(ties=4, tie_width=8.0, tab_height=3.0), name="plate"),
    )
    return DemoJob(content, _with_lines(ticket, "plate", lines, elements, prints="nothing"))


def offcut_ticket(owl: Ticket) -> Ticket:
    """A job of the shop's own: what several clients want more of, on one sheet; it begins with the owl."""
    piece = replace(owl.pieces[0], name="owl", quantity=6)
    artworks = (replace(owl.artworks[0], width=70.0),)
    sheet = replace(
        owl.sheets[0], stock=STOCKS["matt-white-vinyl-1370"], machine=MACHINES["wide-camera-cutter"], own_quantity=6,
        marks=4, caption="job, sheet and feed", mark_key="a direction mark",
    )  # fmt: skip
    return replace(
        owl, name="Offcut: six of each", client="the shop’s own", artworks=artworks, pieces=(piece,), sheets=(sheet,)
    )


def _with_artwork(ticket: Ticket, **changes: str) -> Ticket:
    return replace(ticket, artworks=(replace(ticket.artworks[0], **changes),))


def _with_lines(
    ticket: Ticket,
    name: str,
    lines: tuple[Line, ...],
    elements: tuple[Element, ...] | None = None,
    *,
    prints: str = "the artwork",
    bleed: float = 0.0,
) -> Ticket:
    layer = Layer("l1", prints_of(prints, bleed), lines)
    piece = replace(ticket.pieces[0], name=name, layers=(layer,))
    return replace(ticket, pieces=(piece if elements is None else replace(piece, elements=elements),))
