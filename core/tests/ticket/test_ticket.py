"""The ticket: values kept and checked, changes as data, sentences."""

import json
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import InvalidTicket
from nibble_core.ticket import Change, apply, overlap, sentences, ticket_from_plain, to_plain, words
from nibble_core.ticket.sentences import Slot
from tests.sample import LINE, badge_ticket

FIXTURES = Path(__file__).parent / "fixtures"


anything = st.recursive(
    st.none() | st.booleans() | st.integers() | st.integers(-(10**400), 10**400) | st.floats() | st.text(max_size=8)
    | st.sampled_from(["\ud800", "through cut", "l1", "#000000", "a1", "vinyl", "0" * 64]),
    lambda inner: st.lists(inner, max_size=3)
    | st.dictionaries(st.sampled_from(["id", "kind", "layer", "colour", "artwork", "x", "cmyk"]), inner, max_size=4),
    max_leaves=8,
)  # fmt: skip


def _paths_of(value, here=""):
    """Every path into a plain ticket."""
    items = (
        value.items()
        if isinstance(value, dict)
        else ((one.get("id", ""), one) for one in value if isinstance(one, dict))
    )
    for name, inner in items:
        yield f"{here}{name}"
        if isinstance(inner, (dict, list)):
            yield from _paths_of(inner, f"{here}{name}/")


ticket_paths = st.sampled_from(sorted(_paths_of(to_plain(badge_ticket())))).flatmap(
    lambda path: st.sampled_from([path, f"{path}/x", path.rsplit("/", 1)[0], f"{path}/0"])
) | st.text(max_size=6)


class KeepingTest(unittest.TestCase):
    def test_a_ticket_survives_json(self):
        ticket = badge_ticket()
        self.assertEqual(ticket_from_plain(json.loads(json.dumps(to_plain(ticket)))), ticket)

    def test_tickets_of_every_schema_are_read(self):
        for file in sorted(FIXTURES.glob("schema-*.json")):
            with self.subTest(file.name):
                ticket = ticket_from_plain(json.loads(file.read_text()))
                self.assertEqual(ticket.pieces[0].layers[0].lines[0].distance, 2.0)
        self.assertTrue(list(FIXTURES.glob("schema-*.json")))

    def test_what_is_no_ticket_is_refused_with_its_place(self):
        good = to_plain(badge_ticket())
        for path, value in (
            (("schema",), 99), (("schema",), "1"), (("artworks",), {}), (("colour",), "red"),
            (("artworks", 0, "width"), float("nan")), (("artworks", 0, "width"), True),
            (("artworks", 0, "file"), "../../etc"),
            (("pieces", 0, "quantity"), 2.5), (("pieces", 0, "elements", 0, "artwork"), "a9"),
            (("sheets", 0, "holds", 0, "layer"), "l9"), (("sheets", 0, "holds"), []),
            (("pieces", 0, "layers", 0, "lines", 0, "process"), "bite"), (("name",), "two\nlines"),
            (("sheets", 0, "machine", "spots", 0, "cmyk"), [0, 1]),
        ):  # fmt: skip
            with self.subTest(path=path, value=value):
                spoilt = json.loads(json.dumps(good))
                holder = spoilt
                for part in path[:-1]:
                    holder = holder[part]
                holder[path[-1]] = value
                with self.assertRaises(InvalidTicket):
                    ticket_from_plain(spoilt)
        for other in (None, [], "ticket", 3):
            with self.assertRaises(InvalidTicket):
                ticket_from_plain(other)


class ChangeTest(unittest.TestCase):
    def test_set_add_move_remove(self):
        ticket = badge_ticket()
        lines = "pieces/p1/layers/l1/lines"
        more = apply(ticket, [Change(lines, {"id": "k2", "process": "kiss cut", "distance": 1}, "add", before="k1")])
        self.assertEqual([line.id for line in more.pieces[0].layers[0].lines], ["k2", "k1"])
        moved = apply(more, [Change(f"{lines}/k2", operation="move")])
        self.assertEqual([line.id for line in moved.pieces[0].layers[0].lines], ["k1", "k2"])
        self.assertEqual(apply(moved, [Change(f"{lines}/k2", operation="remove")]), ticket)
        self.assertEqual(ticket, badge_ticket())

    @given(st.floats(-20, 200).map(lambda v: round(v, 3)))
    def test_setting_back_is_the_first_ticket_again(self, distance):
        ticket = badge_ticket()
        changed = apply(ticket, [Change(f"{LINE}/distance", distance)])
        self.assertAlmostEqual(changed.pieces[0].layers[0].lines[0].distance, distance, places=6)
        self.assertEqual(apply(changed, [Change(f"{LINE}/distance", 2.0)]), ticket)

    def test_a_stock_is_copied_in_by_its_key(self):
        changed = badge_ticket(Change("sheets/s1/stock", "shirt-film-navy-500"))
        self.assertTrue(changed.sheets[0].stock.mirrored)
        with self.assertRaises(InvalidTicket) as caught:
            badge_ticket(Change("sheets/s1/stock", "moon-rock"))
        self.assertIn("label-paper-a3", caught.exception.what_to_do)

    def test_places_that_are_gone_and_values_beyond_limits_are_refused(self):
        for change in (
            Change("pieces/p9/name", "x"), Change(f"{LINE}/distance", 1e9), Change(f"{LINE}/nothing", 1), Change("", 1),
            Change("pieces", operation="remove"), Change(LINE, operation="swap"),
            Change("pieces/p1/layers", {"id": "l1"}, "add"),
            Change("artworks/a1/touch_ups", {"kind": "drop"}, "add"), Change("artworks/a1", operation="remove"),
        ):  # fmt: skip
            with self.subTest(change), self.assertRaises(InvalidTicket):
                badge_ticket(change)

    @given(st.data())
    @settings(max_examples=300, deadline=None)
    def test_no_change_however_hostile_does_more_than_be_refused(self, data):
        change = Change(
            data.draw(ticket_paths), data.draw(anything), data.draw(st.sampled_from(["set", "add", "move", "remove"])),
            data.draw(st.none() | st.text(max_size=3)),
        )  # fmt: skip
        ticket = badge_ticket()
        try:
            made = apply(ticket, [change])
        except InvalidTicket as error:
            self.assertTrue(error.message)
            return
        self.assertEqual(ticket_from_plain(to_plain(made)), made)
        self.assertTrue(words(ticket, change))
        self.assertTrue(sentences(made))

    def test_overlap_is_the_same_place_or_one_within_the_other(self):
        self.assertTrue(overlap("a/b", "a/b"))
        self.assertTrue(overlap("a", "a/b/c"))
        self.assertFalse(overlap("a/b", "a/bc"))

    def test_words_for_undo(self):
        ticket = badge_ticket()
        for change, said in (
            (Change(f"{LINE}/distance", 2.4), "through cut: distance to 2.4 mm"),
            (Change("artworks/a1/trace/threshold", 0.48), "threshold to 48 %"),
            (Change("artworks/a1/trace/threshold", None), "threshold to as suggested"),
            (Change(f"{LINE}/on", False), "through cut off"),
            (Change(LINE, operation="remove"), "through cut removed"),
            (Change("sheets/s1/stock", "label-paper-a3"), "stock to label paper, A3 sheet"),
            (Change("artworks/a1/touch_ups", {"id": "t", "kind": "drop"}, "add"), "region dropped"),
        ):
            with self.subTest(said):
                self.assertEqual(words(ticket, change), said)


class SentenceTest(unittest.TestCase):
    def test_the_ticket_says_itself(self):
        said = {sentence.id: sentence.text for sentence in sentences(badge_ticket())}
        self.assertEqual(
            said["k1"],
            "Through cut 2.0 mm outside the outer shape with round corners, closing gaps under 1.5 mm, holes filled.",
        )
        self.assertEqual(said["s1-lay"], "Lay 6 on matt white vinyl, 1370 mm roll, 3.0 mm apart, in a grid.")
        film = badge_ticket(Change("sheets/s1/stock", "shirt-film-navy-500"))
        self.assertIn("Mirrored", {s.id: s.text for s in sentences(film)}["s1-mirror"])

    def test_every_slot_names_a_place_that_can_be_set_to_what_it_shows(self):
        ticket = badge_ticket()
        slots = [part for s in sentences(ticket) for part in (*s.parts, *s.more) if isinstance(part, Slot)]
        self.assertGreater(len(slots), 12)
        for slot in slots:
            with self.subTest(slot.path):
                self.assertEqual(apply(ticket, [Change(slot.path, slot.value)]), ticket)
                for choice in slot.choices:
                    apply(ticket, [Change(slot.path, choice.value)])
                if slot.kind in ("length", "share", "count"):
                    with self.assertRaises(InvalidTicket):
                        apply(ticket, [Change(slot.path, slot.high + 1)])

    def test_more_values_are_said_when_they_differ(self):
        mitred = badge_ticket(Change(f"{LINE}/corners", "mitred"), Change(f"{LINE}/mitre_limit", 3.0))
        self.assertIn("mitre limit 300 %", {s.id: s.text for s in sentences(mitred)}["k1"])
