"""Whatever an operator presses, the job says what is wrong: no result, note or file fails without words."""

import io
import unittest
from dataclasses import replace

import ezdxf
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import NibbleError
from nibble_core.papers import printed_ticket, proof, quote
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.head_files import marks_on_machine
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, Slot, apply, sentences, to_plain
from nibble_core.ticket.adding import new_elements, new_lines
from nibble_core.ticket.library import Rates
from nibble_core.ticket.line import Engraving, Line, Source, line_of
from nibble_core.ticket.piece import Element, Figure
from nibble_core.ticket.steps import (
    AddLayer,
    CopyLine,
    CopyPiece,
    DrawFold,
    GiveOwnSheet,
    GiveSecondSide,
    MoreOfTheSame,
    RemovePiece,
    SplitByColour,
)
from tests.pipeline.test_beam_jobs import job
from tests.pipeline.test_pieces import DISC, RING, ticket_of
from tests.sample import LINE, badge_ticket

RED, BLUE = "#cc2222", "#2222cc"
BAR = Element("e2", content=Figure("rectangle", 10.0, 10.0, colour=BLUE), way="apart", across="centred", down="centred")
CUT = line_of("k1", distance=0.0)
STARTS = (
    ticket_of([DISC, BAR], [CUT], prints="the artwork", quantity=3),
    ticket_of([RING, BAR], [line_of("k1", "kiss cut", 1.0), line_of("k2", distance=3.0)], prints="the artwork"),
    job((RING, BAR), [Line("k2", Source(kind="the shapes"), process=Engraving()), CUT], quantity=2),
)


def value_of(slot: Slot) -> st.SearchStrategy:
    """What can be taken in a slot, ends of its limits included."""
    if slot.choices:
        return st.sampled_from([one.value for one in slot.choices])
    if slot.kind == "flag":
        return st.booleans()
    if slot.kind == "count":
        return st.integers(int(slot.low), int(min(slot.high, slot.low + 12)))
    if slot.kind in ("length", "amount", "share", "angle"):
        usual = st.floats(slot.low, min(slot.high, slot.low + 100 + abs(slot.low)))
        return st.one_of(st.sampled_from([slot.low, slot.high, slot.value]), usual.map(lambda v: round(v, 3)))
    if slot.kind == "colour":
        return st.sampled_from([RED, BLUE, "#ffffff"])
    return st.just(slot.value)


@st.composite
def presses(draw, ticket):
    """The changes of one press: a slot taken, something added, or a step."""
    piece = draw(st.sampled_from(ticket.pieces))
    layer = draw(st.sampled_from(piece.layers))
    sheet = draw(st.sampled_from(ticket.sheets))
    way = draw(st.sampled_from(["slot"] * 5 + ["line", "element"] + ["step"] * 3))
    if way == "slot":
        slots = [part for one in sentences(ticket) for part in (*one.parts, *one.more) if isinstance(part, Slot)]
        slot = draw(st.sampled_from(slots))
        return [Change(slot.path, draw(value_of(slot)))]
    if way == "line":
        line = draw(st.sampled_from(new_lines(ticket, layer))).line
        added = replace(line, id=f"n{len(layer.lines)}")
        return [Change(f"pieces/{piece.id}/layers/{layer.id}/lines", to_plain(added), "add")]
    if way == "element":
        element = replace(draw(st.sampled_from(new_elements(piece))).element, id=f"n{len(piece.elements)}")
        return [Change(f"pieces/{piece.id}/elements", to_plain(element), "add")]
    steps = [
        AddLayer(piece.id, (RED, BLUE)), AddLayer(piece.id), SplitByColour(piece.id, (RED, BLUE)), CopyPiece(piece.id),
        RemovePiece(piece.id), MoreOfTheSame(sheet.id), GiveSecondSide(sheet.id), GiveOwnSheet(sheet.id, layer.id),
        DrawFold(layer.id, 0.1, 0.2, 0.9, 0.8), *(CopyLine(layer.id, line.id) for line in layer.lines),
    ]  # fmt: skip
    return draw(st.sampled_from(steps)).changes(ticket)


class AnyPressTest(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(st.data())
    def test_nothing_fails_without_words(self, data):
        ticket = data.draw(st.sampled_from(STARTS))
        for _ in range(data.draw(st.integers(1, 4))):
            try:
                ticket = apply(ticket, data.draw(presses(ticket)))
            except NibbleError as error:
                self.assertTrue(error.message)
        work = work_out(ticket, lambda _: b"", MemoryStore())
        self.assertTrue(stations(ticket, work))
        for made in (
            lambda: write_files(ticket, work),
            lambda: printed_ticket(ticket, work, code="1.1", size="a4"),
            lambda: proof(ticket, work, code="1.1", shop="", size="letter"),
            lambda: quote(ticket, work, Rates(), code="1.1", shop="", size="a4"),
        ):
            try:
                made()
            except NibbleError as error:
                self.assertTrue(error.message)

    def test_a_blocked_laser_job_says_why(self):
        ticket = apply(STARTS[2], [Change("pieces/p1/layers/l1/shows", "chosen regions")])
        work = work_out(ticket, lambda _: b"", MemoryStore())
        self.assertIn("blocked", [one.state for one in stations(ticket, work)])
        ticket = apply(STARTS[2], [Change("pieces/p1/elements/e1/content/width", 4000.0)])
        work = work_out(ticket, lambda _: b"", MemoryStore())
        with self.assertRaisesRegex(NibbleError, "wide"):
            marks_on_machine(ticket.sheets[0], work)

    def test_a_cut_made_twice_leaves_the_print_as_it_was(self):
        ticket = STARTS[0]
        twice = apply(ticket, CopyLine("l1", "k1").changes(ticket))
        notes = [
            [note.text for one in stations(own, work_out(own, lambda _: b"", MemoryStore())) for note in one.notes
             if "beyond the cut" in note.text]
            for own in (ticket, twice)
        ]  # fmt: skip
        self.assertEqual(notes[1], notes[0])

    def test_what_surrounds_a_layer_without_shapes_is_said_and_bare_lines_are_surrounded(self):
        round_it = line_of("k1", source="a simple shape", surround="circle", distance=0.0)
        none = ticket_of([DISC, BAR], [round_it])
        none = apply(none, [Change("pieces/p1/layers/l1/shows", "chosen regions")])
        work = work_out(none, lambda _: b"", MemoryStore())
        self.assertIn("The layer holds no shape.", [problem.error.message for problem in work.problems])
        document, stream = ezdxf.new("R2000", units=4), io.StringIO()
        document.modelspace().add_lwpolyline([(0, 0), (60, 0), (0, 40), (60, 40)])
        document.write(stream)
        bare = badge_ticket(
            Change("artworks/a1/name", "zigzag.dxf"), Change("artworks/a1/trace/mode", "paths"),
            Change(f"{LINE}/source", "a simple shape"), Change(f"{LINE}/offset/distance", 2.0),
        )  # fmt: skip
        work = work_out(bare, lambda _: stream.getvalue().encode(), MemoryStore())
        piece, drawn = work.pieces["p1"].value, work.layers["l1"].laid.value
        self.assertTrue(piece.whole.is_empty and piece.strokes)
        self.assertAlmostEqual(drawn.lines[0].paths.bounds().width, piece.box.width + 4, delta=0.1)
