"""On a warm store any change gives what a cold one gives: no result is older than what was asked."""

import hashlib
import io
import os
import unittest
from collections import Counter
from dataclasses import fields, is_dataclass, replace

from hypothesis import given
from hypothesis import strategies as st
from reportlab.pdfgen import canvas

from nibble_core.errors import NibbleError
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply, first_ticket
from nibble_core.ticket.fields import rule_of
from nibble_core.ticket.goods import Faces, Label, OnRound, Seen
from nibble_core.ticket.heads import ByBeam
from nibble_core.ticket.library import MACHINES, STOCKS
from nibble_core.ticket.line import Engraving, Line, Source, line_of
from nibble_core.ticket.model import Setting, Spot
from nibble_core.ticket.piece import Element, Figure, prints_of
from nibble_core.ticket.steps import GiveSecondSide, SplitByColour
from tests import by_day
from tests.carve.test_carving import EDGE, WORDS
from tests.carve.test_carving import board as carved_board
from tests.pipeline.test_beam_jobs import job
from tests.pipeline.test_pieces import RING, ticket_of
from tests.pipeline.test_round_goods import job as round_job

RED, BLUE = "#cc2222", "#2222cc"
LINES = "pieces/p1/layers/l1/lines"
STEPS = 30 if os.environ.get("HYPOTHESIS_PROFILE") == "night" else 5  # changes of one walk
BAR = Element("e2", content=Figure("rectangle", 10.0, 10.0, colour=BLUE), way="apart", across="centred", down="centred")


def drawn_page() -> bytes:
    out = io.BytesIO()
    page = canvas.Canvas(out, pagesize=(283.46, 283.46), invariant=1)
    page.setFillColorRGB(0.1, 0.3, 0.7)
    page.circle(141.7, 141.7, 100, fill=1, stroke=0)
    page.save()
    return out.getvalue()


PAGE = drawn_page()


def knife():
    return ticket_of(
        [RING, BAR], [line_of("k1", "kiss cut", 1.0), line_of("k2", distance=3.0)], prints="the artwork", quantity=4
    )


def laser():
    engraved = Line("k2", Source(kind="the shapes"), process=Engraving())
    made = job((RING, BAR), [engraved, line_of("k1", distance=0.0)], quantity=3)
    (sheet,) = made.sheets
    weeds = Setting("weed", "weed cut", ByBeam(power=0.5, speed=20))
    machine = replace(sheet.machine, spots=(*sheet.machine.spots, Spot("weed cut", "Laser Weed")))
    sheet = replace(sheet, machine=machine, settings=(*sheet.settings, weeds), weed_lines="weed lines")
    return replace(made, sheets=(sheet,))


def rest():
    disc = Element("e1", content=Figure("circle", 40.0))
    square = Element("e2", content=Figure("rectangle", 20.0, 20.0), across="right of it", down="centred", x=10.0)
    lines = [line_of("k1", "kiss cut", 2.0, source="the rest"), line_of("k2", "score", source="one element", of="e1")]
    made = ticket_of([disc, square], lines, quantity=4)
    sheet = replace(
        made.sheets[0], stock=STOCKS["matt-white-vinyl-1370"], machine=MACHINES["wide-camera-cutter"], spacing=6.0
    )
    return replace(made, sheets=(sheet,))


def panels():
    return apply(rest(), [Change("sheets/s1/panels", "panels"), Change("sheets/s1/cross_cut", "a cross-cut behind it")])


def page():
    sha = hashlib.sha256(PAGE).hexdigest()
    made = first_ticket(name="Disc", file=sha, file_name="disc.pdf", width=60.0, quantity=2)
    return apply(made, [
        Change("pieces/p1/layers/l1/prints", "the client’s page"), Change("pieces/p1/layers/l1/prints/bleed", 0.0),
    ])  # fmt: skip


def second_side():
    return apply(knife(), GiveSecondSide("s1").changes(knife()))


def series():
    return apply(knife(), SplitByColour("p1", (RED, BLUE)).changes(knife()))


def cup():
    goods = OnRound(STOCKS["steel-cup"], Seen(), Faces(60.0, around="at equal angles", times=2))
    return round_job(goods, element=Figure("star", 20.0))


def pail():
    goods = OnRound(STOCKS["honey-pail"], Seen("true on the surface"), Faces(55.0), Label("cut as a band all round"))
    cut = line_of("k1", "through cut", 0.0, close_gaps=0.0)
    return round_job(
        goods, cut, element=Figure("rectangle", 90.0, 40.0), machine=MACHINES["wide-camera-cutter"],
        stock=STOCKS["matt-white-vinyl-1370"], prints=prints_of("the shapes"),
    )  # fmt: skip


def sign():
    return carved_board(WORDS, EDGE)


STARTS = (knife, laser, rest, panels, page, second_side, series, cup, pail, sign)


def told(ticket, store) -> dict[str, str]:
    """Files by their bytes, and all that the screen says."""
    work = work_out(ticket, lambda _: PAGE, store)
    found = {"stations": repr(stations(ticket, work))}
    try:
        found |= {f"{one.name}": hashlib.sha256(one.content).hexdigest() for one in write_files(ticket, work)}
    except NibbleError as error:
        found["files"] = error.message
    return found


def values_of(rule, value) -> list:
    """Others that a field takes."""
    if rule.choices:
        return [one for one in rule.choices if one != getattr(value, "kind", value)]
    if rule.kind == "flag":
        return [not value]
    if rule.kind == "count":
        return [one for one in (int(rule.low), int(rule.low) + 1, int(rule.low) + 5) if one != value]
    if rule.kind in ("length", "amount", "share", "angle"):
        near = (value or 0.0) * 0.8 + 0.1
        return [one for one in (near, 2 * near, rule.low) if rule.low <= one <= rule.high]
    return {"colour": [RED, BLUE], "text": ["e1", "e2", "k1", "k2", "another"]}.get(rule.kind, [])


def changes_of(node, path="") -> list[Change]:
    """Every field of a ticket with other values."""
    found = []
    for one in fields(node):
        value, here = getattr(node, one.name), f"{path}/{one.name}".strip("/")
        rule = rule_of(node, one.name)
        if rule is not None and one.name not in ("id", "kind", "key"):
            found += [Change(here, other) for other in values_of(rule, value)]
        if is_dataclass(value):
            found += changes_of(value, here)
        elif isinstance(value, tuple):
            for item in value:
                if is_dataclass(item) and hasattr(item, "id"):
                    found += changes_of(item, f"{here}/{item.id}")
    return found


class Counting(MemoryStore):
    """Counts how often each key is put."""

    def __init__(self) -> None:
        super().__init__(500)
        self.times: Counter[str] = Counter()

    def put(self, key, value, *, size=0) -> None:
        self.times[key] += 1
        super().put(key, value, size=size)


class WarmStoreTest(unittest.TestCase):
    def test_nothing_is_worked_out_twice_for_one_revision(self):
        for start in STARTS:
            store = Counting()
            told(start(), store)
            self.assertEqual([key for key, count in store.times.items() if count > 1], [], start.__name__)

    def assert_warm_is_cold(self, ticket, store, trail):
        warm, cold = told(ticket, store), told(ticket, MemoryStore())
        self.assertEqual([name for name in {*warm, *cold} if warm.get(name) != cold.get(name)], [], trail)

    def test_what_depends_on_something_elsewhere_follows_it(self):
        width = "sheets/s1/machine/usable_width"
        border = [Change("sheets/s1/border", "a weed border round each")]
        for start, before, after in (
            (rest(), [], [Change(f"{LINES}/k2/source/of", "e2")]),
            (rest(), [], [Change(f"{LINES}/k2/on", False)]),
            (page(), [Change(f"{LINES}/k1/offset/distance", -3.0)], [Change(f"{LINES}/k1/offset/distance", -15.0)]),
            (laser(), [Change("sheets/s1/weed_size", 150.0)], [Change("sheets/s1/weed_size", 20.0)]),
            (laser(), border, [Change("sheets/s1/border_distance", 2.4)]),
            (panels(), [Change(width, 1300.0)], [Change(width, 900.0)]),
        ):
            with self.subTest(changed=after[0].path):
                store, ticket = MemoryStore(500), apply(start, before)
                was = told(ticket, store)
                ticket = apply(ticket, after)
                self.assert_warm_is_cold(ticket, store, after)
                self.assertNotEqual(told(ticket, store), was)

    @by_day(6)
    @given(st.data())
    def test_whatever_is_changed_or_taken_back_files_and_notes_are_those_of_a_cold_store(self, data):
        start = data.draw(st.sampled_from(STARTS))
        ticket, store = start(), MemoryStore(500)
        told(ticket, store)
        past, trail = [ticket], []
        for _ in range(data.draw(st.integers(2, STEPS))):
            if data.draw(st.integers(0, 6)) == 0:
                ticket = data.draw(st.sampled_from(past))
                trail.append("undone")
            else:
                change = data.draw(st.sampled_from(changes_of(ticket)))
                try:
                    ticket = apply(ticket, [change])
                except NibbleError:
                    continue
                past.append(ticket)
                trail.append(change)
            self.assert_warm_is_cold(ticket, store, trail)
