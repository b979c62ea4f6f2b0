"""The ticket: values kept and checked, changes as data, sentences."""

import json
import unittest
from dataclasses import replace
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from nibble_core.errors import CannotMake, InvalidTicket
from nibble_core.ticket import (
    Change,
    Ticket,
    apply,
    json_schema,
    overlap,
    sentences,
    ticket_from_plain,
    to_plain,
    words,
)
from nibble_core.ticket.adding import new_elements, new_lines
from nibble_core.ticket.goods import OnFlat
from nibble_core.ticket.heads import SeesMarks
from nibble_core.ticket.line import AS_THEY_ARE, Engraving, Fill, Perforation, Picture, Rings, Surround, ThroughCut
from nibble_core.ticket.piece import Element, Figure, FromArtwork, Lettering, Piece, Printed, Prints, SpotPlate
from nibble_core.ticket.sentences import Slot
from tests.sample import LINE, badge_ticket

FIXTURES = Path(__file__).parent / "fixtures"
SCHEMA = Draft202012Validator(json_schema(Ticket))


def every_kind() -> Ticket:
    """A ticket with elements, prints and lines of every kind."""
    return ticket_from_plain(json.loads((FIXTURES / "schema-11.json").read_text()))


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


ticket_paths = st.sampled_from(sorted(_paths_of(to_plain(every_kind())))).flatmap(
    lambda path: st.sampled_from([path, f"{path}/x", path.rsplit("/", 1)[0], f"{path}/0"])
) | st.text(max_size=6)


class KeepingTest(unittest.TestCase):
    def test_a_ticket_survives_json(self):
        ticket = badge_ticket()
        self.assertEqual(ticket_from_plain(json.loads(json.dumps(to_plain(ticket)))), ticket)

    def test_hostile_changes_are_refused_in_words(self):
        ticket = badge_ticket()
        machines = Change(f"sheets/{ticket.sheets[0].id}/stock/machines", {"id": "e1"}, "add")
        plain = apply(ticket, [Change(f"sheets/{ticket.sheets[0].id}/stock/machines", ["small-laser"])])
        with self.assertRaisesRegex(InvalidTicket, "plain values"):
            apply(plain, [machines])
        with self.assertRaisesRegex(InvalidTicket, "no such place"):
            apply(ticket, [Change("name/letters/first", "x")])
        piece = to_plain(ticket.pieces[0])
        for id in ("a\nb", "x\u202ey", "a/b", " ", "a" * 41, ""):
            with self.assertRaisesRegex(InvalidTicket, "An id has"):
                apply(ticket, [Change("pieces", {**piece, "id": id, "layers": []}, "add")])

    def test_tickets_of_every_schema_are_read(self):
        for file in sorted(FIXTURES.glob("schema-*.json")):
            with self.subTest(file.name):
                ticket = ticket_from_plain(json.loads(file.read_text()))
                self.assertEqual(ticket.pieces[0].layers[0].lines[0].offset.distance, 2.0)
        press, router = (
            ticket_from_plain(json.loads((FIXTURES / f"schema-{number}.json").read_text())).sheets[0].machine
            for number in (12, 13)
        )
        self.assertEqual((press.head.kind, press.head.print_stretch), ("a knife", 0.35))
        self.assertEqual([one.kind for one in router.head.cutters], ["flat", "flat", "pointed", "a drill"])
        shirts = [
            ticket_from_plain(json.loads((FIXTURES / f"schema-{number}.json").read_text())).pieces[0].goods
            for number in (13, 14)
        ]
        held = ticket_from_plain(json.loads((FIXTURES / "schema-15.json").read_text())).sheets[0]
        self.assertEqual((held.machine.head.kind, held.clamps), ("a router", ()))
        self.assertEqual(shirts, [OnFlat("#c3c9c6", 60.0, kind="a shirt")] * 2)

    def test_machines_of_before_they_had_heads_are_what_they_were(self):
        """Schema 17: what counts for another kind of head is left, all else is there, each setting as its head makes
        it."""
        plain = json.loads((FIXTURES / "schema-16.json").read_text())
        ticket = ticket_from_plain(plain)
        self.assertEqual(ticket_from_plain(to_plain(ticket)), ticket)
        for was, sheet in zip(plain["sheets"], ticket.sheets, strict=True):
            machine, head = sheet.machine, sheet.machine.head
            self.assertEqual(head.kind, was["machine"]["kind"])
            for value in (machine, head):
                for name in set(value.__dataclass_fields__) & set(was["machine"]) - {"spots"}:
                    self.assertEqual(to_plain(getattr(value, name)), was["machine"][name], name)
            for own, before in zip(sheet.settings, was["settings"], strict=True):
                self.assertIs(type(own.how), type(head.usual))
                for name in set(own.how.__dataclass_fields__) - {"kind"}:
                    self.assertEqual(getattr(own.how, name), before[name], name)
        laid = ticket.sheets
        self.assertEqual([one.machine.marks for one in laid], [6, 4, 0, 0])
        self.assertEqual([one.machine.head.tightest for one in laid], [0.35, 0.075, 0.6, 3.0])
        self.assertEqual([one.setting("through cut").kerf for one in laid], [0.0, 0.16, 1.3, 0.0])
        with self.assertRaisesRegex(CannotMake, "torch table, 1250 × 1250 mm has no camera"):
            laid[2].machine.head_as(SeesMarks)

    def test_a_setting_that_no_head_of_its_machine_can_have_is_refused(self):
        ticket = ticket_from_plain(json.loads((FIXTURES / "schema-16.json").read_text()))
        for path, value in (
            ("sheets/s1/machine/head", "a laser"), ("sheets/s2/settings/through/how", "by knife"),
            ("sheets/s2/settings/through/how", {"kind": "by beam", "force": 90}),
        ):  # fmt: skip
            with self.subTest(path), self.assertRaises(InvalidTicket):
                apply(ticket, [Change(path, value)])

    def test_what_is_no_ticket_is_refused_with_its_place(self):
        good = to_plain(badge_ticket())
        for path, value in (
            (("schema",), 99), (("schema",), "1"), (("artworks",), {}), (("colour",), "red"),
            (("artworks", 0, "width"), float("nan")), (("artworks", 0, "width"), True),
            (("artworks", 0, "file"), "../../etc"),
            (("pieces", 0, "quantity"), 2.5), (("pieces", 0, "elements", 0, "content", "artwork"), "a9"),
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
        more = apply(
            ticket, [Change(lines, {"id": "k2", "process": "kiss cut", "offset": {"distance": 1}}, "add", before="k1")]
        )
        self.assertEqual([line.id for line in more.pieces[0].layers[0].lines], ["k2", "k1"])
        moved = apply(more, [Change(f"{lines}/k2", operation="move")])
        self.assertEqual([line.id for line in moved.pieces[0].layers[0].lines], ["k1", "k2"])
        self.assertEqual(apply(moved, [Change(f"{lines}/k2", operation="remove")]), ticket)
        self.assertEqual(ticket, badge_ticket())

    @given(st.floats(-20, 200).map(lambda v: round(v, 3)))
    def test_setting_back_is_the_first_ticket_again(self, distance):
        ticket = badge_ticket()
        changed = apply(ticket, [Change(f"{LINE}/offset/distance", distance)])
        self.assertAlmostEqual(changed.pieces[0].layers[0].lines[0].offset.distance, distance, places=6)
        self.assertEqual(apply(changed, [Change(f"{LINE}/offset/distance", 2.0)]), ticket)

    def test_a_stock_is_copied_in_by_its_key(self):
        changed = badge_ticket(Change("sheets/s1/stock", "shirt-film-navy-500"))
        self.assertTrue(changed.sheets[0].stock.mirrored)
        with self.assertRaises(InvalidTicket) as caught:
            badge_ticket(Change("sheets/s1/stock", "moon-rock"))
        self.assertIn("label-paper-a3", caught.exception.what_to_do)

    def test_places_that_are_gone_and_values_beyond_limits_are_refused(self):
        for change in (
            Change("pieces/p9/name", "x"), Change(f"{LINE}/offset/distance", 1e9), Change(f"{LINE}/nothing", 1),
            Change("", 1), Change(f"{LINE}/process/cut", 3.0), Change(f"{LINE}/process", {"kind": "score", "ties": 3}),
            Change("pieces", operation="remove"), Change(LINE, operation="swap"),
            Change("pieces/p1/layers", {"id": "l1"}, "add"),
            Change("artworks/a1/touch_ups", {"kind": "drop"}, "add"), Change("artworks/a1", operation="remove"),
            Change("artworks/a1/clean/tones", [{"id": "k1"}]), Change("artworks/a1/clean/tones", {}),
            Change("pieces/p1/goods", [{"id": "k1"}]), Change("pieces/p1/goods", True), Change("pieces/p1/goods", {}),
            Change("pieces/p1/goods", {"kind": "a round thing", "thing": []}),
        ):  # fmt: skip
            with self.subTest(change), self.assertRaises(InvalidTicket):
                badge_ticket(Change("artworks/a1/trace/mode", "outer"), change)

    def test_a_value_that_leaves_others_to_their_defaults_takes_with_it_what_follows(self):
        turned = badge_ticket(Change("pieces/p1/goods", {"kind": "a round thing"}))
        self.assertTrue(turned.sheets[0].stock.is_round)
        self.assertEqual(turned, badge_ticket(Change("pieces/p1/goods", "a round thing")))

    @given(st.data())
    @settings(max_examples=300, deadline=None)
    def test_no_change_however_hostile_does_more_than_be_refused(self, data):
        change = Change(
            data.draw(ticket_paths), data.draw(anything), data.draw(st.sampled_from(["set", "add", "move", "remove"])),
            data.draw(st.none() | st.text(max_size=3)),
        )  # fmt: skip
        ticket = every_kind()
        try:
            self.assertTrue(words(ticket, change))  # undo's are said of what may then be refused
            made = apply(ticket, [change])
        except InvalidTicket as error:
            self.assertTrue(error.message)
            return
        self.assertEqual(ticket_from_plain(to_plain(made)), made)
        SCHEMA.validate(json.loads(json.dumps(to_plain(made))))
        self.assertTrue(sentences(made))

    def test_overlap_is_the_same_place_or_one_within_the_other(self):
        self.assertTrue(overlap("a/b", "a/b"))
        self.assertTrue(overlap("a", "a/b/c"))
        self.assertFalse(overlap("a/b", "a/bc"))

    def test_words_for_undo(self):
        ticket = badge_ticket()
        for change, said in (
            (Change(f"{LINE}/offset/distance", 2.4), "through cut: distance to 2.4 mm"),
            (Change("artworks/a1/trace/threshold", 0.48), "threshold to 48 %"),
            (Change("artworks/a1/trace/threshold", None), "threshold to as suggested"),
            (Change(f"{LINE}/on", False), "through cut off"),
            (Change(LINE, operation="remove"), "through cut removed"),
            (Change(f"{LINE}/process/kerf_marks", {"id": "m"}, "add"), "side of the kerf set by hand"),
            (Change(f"{LINE}/process/kerf_marks/m", operation="remove"), "side of the kerf taken back"),
            (
                Change("sheets/s1/stock", "label-paper-a3"),
                "stock to label paper, A3 sheet, machine to desk cutter, A3, which takes it",
            ),
            (Change("artworks/a1/touch_ups", {"id": "t", "kind": "drop"}, "add"), "region dropped"),
        ):
            with self.subTest(said):
                self.assertEqual(words(ticket, change), said)


class KindsTest(unittest.TestCase):
    """Values that do not count for a kind do not exist in it."""

    def test_older_tickets_keep_what_counts(self):
        old = json.loads((FIXTURES / "schema-9-kinds.json").read_text())
        ticket = ticket_from_plain(old)
        self.assertEqual(ticket, every_kind())
        (piece,) = ticket.pieces
        self.assertEqual([type(one.content) for one in piece.elements], [FromArtwork, Figure, Lettering])
        self.assertEqual([one.prints for one in piece.layers],
                         [Printed(1.5, 0.4, SpotPlate(0.3), kind="the shapes"), Prints()])  # fmt: skip
        lines = {line.id: line for line in piece.layers[0].lines}
        self.assertEqual(lines["k1"].process, ThroughCut(ties=3, tie_width=0.8))
        self.assertEqual((lines["k2"].follows, lines["k2"].process), ("k1", Perforation(cut=2.0, tie=0.5)))
        self.assertEqual(lines["k4"].fill, Picture(0.2, tones="halftone dots", screen=0.9))
        self.assertEqual(lines["k5"].fill, Rings(rings="inner to outer"))
        self.assertEqual(lines["k6"].source, Surround("smooth hull", 3.0))

    def test_another_kind_keeps_what_both_have(self):
        here = "pieces/p1/layers/l1"
        ticket = apply(every_kind(), [
            Change(f"{here}/lines/k1/process/crossings", "may cross"), Change(f"{here}/lines/k1/process", "perforate"),
            Change(f"{here}/lines/k4/process/fill", "by rings"), Change(f"{here}/lines/k6/source", "the shapes"),
            Change(f"{here}/lines/k5/process", "engrave"), Change(f"{here}/prints", "the artwork"),
        ])  # fmt: skip
        layer = ticket.pieces[0].layers[0]
        lines = {line.id: line for line in layer.lines}
        self.assertEqual(lines["k1"].process, Perforation("may cross"))
        self.assertEqual((lines["k4"].fill, lines["k5"].fill), (Rings(0.2), Rings(rings="inner to outer")))
        self.assertEqual(lines["k6"].offset.smallest_hole, 0.0)  # it follows all shapes now
        self.assertEqual((layer.prints.kind, layer.bleed, layer.plate), ("the artwork", 1.5, SpotPlate(0.3)))
        again = apply(ticket, [Change(f"{here}/lines/k1/process", "engrave")]).pieces[0].layers[0].lines[0]
        self.assertEqual(again.process, Engraving(Fill()))

    def test_a_value_of_another_kind_is_told_with_the_right_ones(self):
        for path, value, message, mend in (
            ("lines/k2/process", {"kind": "perforate", "ties": 3}, "“ties” does not belong to “perforate”.",
             "It belongs to through cut."),
            ("lines/k1/source", {"kind": "the rest", "of": "k2"}, "“of” does not belong to “the rest”.",
             "It belongs to one element, another line."),
            ("lines/k1/process", {"kind": "nibble"}, "The process cannot be “nibble”.", "Choose through cut, kiss cut"),
            ("prints", {"kind": "nothing", "speed": 2}, "“speed” does not belong to “nothing”.", "Known: kind."),
        ):  # fmt: skip
            with self.subTest(path), self.assertRaises(InvalidTicket) as caught:
                apply(every_kind(), [Change(f"pieces/p1/layers/l1/{path}", value)])
            self.assertEqual(caught.exception.message, message)
            self.assertTrue(caught.exception.what_to_do.startswith(mend), caught.exception.what_to_do)
            self.assertTrue(caught.exception.where.startswith("pieces/p1/layers/l1/"))


class AddingTest(unittest.TestCase):
    def test_what_can_be_added_is_taken_as_it_is(self):
        ticket = every_kind()
        (piece,) = ticket.pieces
        lines = {one.words: one.line for one in new_lines(ticket, piece.layers[0])}
        self.assertEqual(lines["Follow another line"].follows, "k8")
        for called, line in lines.items():
            with self.subTest(called):
                value = to_plain(line) | {"id": "new"}
                made = apply(ticket, [Change("pieces/p1/layers/l1/lines", value, "add")])
                self.assertEqual(made.pieces[0].layers[0].lines[-1], replace(line, id="new"))
        for called, element in new_elements(piece):
            with self.subTest(called):
                value = to_plain(element) | {"id": "new"}
                made = apply(ticket, [Change("pieces/p1/elements", value, "add")])
                self.assertEqual(made.pieces[0].elements[-1], replace(element, id="new"))

    def test_what_suits_the_stock_and_the_piece_is_offered(self):
        film, plate = badge_ticket(), badge_ticket(Change("sheets/s1/stock", "birch-3mm"))
        cuts = [
            {one.words: one.line.process.kind for one in new_lines(t, t.pieces[0].layers[0])} for t in (film, plate)
        ]
        self.assertEqual([own["Cut the shapes themselves"] for own in cuts], ["kiss cut", "through cut"])
        self.assertEqual(["Kiss cut outside" in own for own in cuts], [True, False])
        bare = Piece("p", elements=(Element("e1", Figure()),))
        self.assertNotIn("The artwork again", [one.words for one in new_elements(bare)])
        self.assertEqual([one.element.beside for one in new_elements(film.pieces[0])], ["", "", "e1"])
        self.assertEqual(new_elements(every_kind().pieces[0])[0].element.beside, "e3")


class SentenceTest(unittest.TestCase):
    def test_the_ticket_says_itself(self):
        said = {sentence.id: sentence.text for sentence in sentences(badge_ticket())}
        self.assertEqual(
            said["pieces/p1/layers/l1/lines/k1"],
            "Through cut 2.0 mm outside the outer shape with round corners, closing gaps under 1.5 mm, holes filled.",
        )
        self.assertEqual(said["s1-lay"], "Lay 6 on matt white vinyl, 1370 mm roll, 3.0 mm apart, in a grid.")
        film = badge_ticket(Change("sheets/s1/stock", "shirt-film-navy-500"))
        self.assertIn("Mirrored", {s.id: s.text for s in sentences(film)}["s1-mirror"])

    def test_what_another_choice_takes_with_it_is_set_and_said(self):
        line, text = "pieces/p1/layers/l1/lines/k1", {"id": "e2", "content": {"kind": "text"}, "x": 40.0, "y": 7.0}
        ticket = badge_ticket(Change("artworks/a1/trace/mode", "outer"), Change("pieces/p1/elements", text, "add"))
        engraved = apply(ticket, [Change(f"{line}/process", "engrave"), Change(f"{line}/process/fill", "by hatching"),
                                  Change(f"{line}/process/fill/interval", 0.2)]).layer("l1").lines[0]  # fmt: skip
        self.assertEqual((engraved.source.kind, engraved.offset, engraved.fill.interval),
                         ("the shapes", AS_THEY_ARE, 0.2))  # fmt: skip
        middle = apply(ticket, [Change("pieces/p1/elements/e2/across", "centred")]).pieces[0].elements[1]
        self.assertEqual((middle.x, middle.y), (0.0, 7.0))
        again = Change("pieces/p1/elements/e2/across", "where it is")
        self.assertEqual(apply(ticket, [again]), ticket)
        flat = Change("artworks/a1/clean/tones", "solid shadows")
        self.assertEqual(apply(ticket, [flat]).artworks[0].trace.mode, "two-tone")
        self.assertEqual(words(ticket, flat), "tones to solid shadows, tracing to two-tone")
        chosen = badge_ticket(Change("artworks/a1/trace/mode", "colours"), flat)
        self.assertEqual(chosen.artworks[0].trace.mode, "colours")

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
        mitred = badge_ticket(Change(f"{LINE}/offset/corners", "mitred"), Change(f"{LINE}/offset/mitre_limit", 3.0))
        self.assertIn("mitre limit 300 %", {s.id: s.text for s in sentences(mitred)}[LINE])
