"""The recipe: what is done again after a change, what stays, what is told."""

import unittest
from dataclasses import replace
from unittest import mock

from nibble_core.errors import Cancelled, CannotMake
from nibble_core.pipeline.prints import print_layer
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.ticket import Change
from tests.sample import LINE, badge_ticket, badge_work


class CountingStore(MemoryStore):
    def __init__(self):
        super().__init__(200)
        self.made = 0

    def put(self, key, value):
        self.made += 1
        super().put(key, value)


class KeyTest(unittest.TestCase):
    def test_a_change_redoes_only_what_depends_on_it(self):
        store = CountingStore()
        badge_work(badge_ticket(), store)
        everything = store.made
        for change, at_most in (
            (Change("sheets/s1/spacing", 7.0), 1),
            (Change("name", "Other"), 0),
            (Change(f"{LINE}/offset/distance", 3.0), 3),
            (Change(f"{LINE}/offset/close_gaps", 3.0), 4),
            (Change("artworks/a1/trace/smallest", 1.0), 7),
        ):
            with self.subTest(change.path):
                store.made = 0
                badge_work(badge_ticket(change), store)
                self.assertLessEqual(store.made, at_most)
                self.assertLess(store.made, everything)

    def test_previews_keep_their_own_results(self):
        store = MemoryStore()
        preview, final = badge_work(badge_ticket(), store, preview=True), badge_work(badge_ticket(), store)
        self.assertIsNone(preview.artworks["a1"].trace.value.worst_deviation)
        self.assertIsNotNone(final.artworks["a1"].trace.value.worst_deviation)
        self.assertNotEqual(preview.layers["l1"].laid.key, final.layers["l1"].laid.key)

    def test_upto_a_station_is_the_same_without_what_lies_behind_it(self):
        whole, lines, trace = (badge_work(badge_ticket(), upto=upto) for upto in ("machine", "lines", "trace"))
        self.assertEqual(lines.layers["l1"].laid.key, whole.layers["l1"].laid.key)
        self.assertEqual(trace.artworks["a1"].trace.key, whole.artworks["a1"].trace.key)
        self.assertEqual((lines.sheets, trace.layers), ({}, {}))
        self.assertTrue(whole.sheets)

    def test_a_layer_that_cannot_be_drawn_is_told_and_takes_no_other_along(self):
        plain = badge_ticket()
        (piece,) = plain.pieces
        second = replace(piece.layers[0], id="l9")
        ticket = replace(plain, pieces=(replace(piece, layers=(*piece.layers, second)),))

        def printed(store, piece, layer, *rest, **options):
            if layer.id == "l9":
                raise CannotMake("This page cannot be printed.", "Print its pixels.")
            return print_layer(store, piece, layer, *rest, **options)

        with mock.patch("nibble_core.pipeline.work.print_layer", printed):
            work = badge_work(ticket)
        self.assertEqual([(one.where, str(one.error)) for one in work.problems],
                         [("pieces/p1/layers/l9", "This page cannot be printed.")])  # fmt: skip
        self.assertEqual((list(work.layers), list(work.sheets)), (["l1"], ["s1"]))
        told = next(one for one in stations(ticket, work) if one.key == "lines")
        self.assertIn("thinnest neck", [figure.label for figure in told.figures])
        self.assertEqual(told.state, "blocked")

    def test_it_can_be_stopped(self):
        with self.assertRaises(Cancelled):
            badge_work(badge_ticket(), cancelled=lambda: True)


class AreaTest(unittest.TestCase):
    def test_only_a_dragged_area_is_traced(self):
        whole = badge_work(badge_ticket()).artworks["a1"].trace.value
        left = Change("artworks/a1/trace/areas", {"id": "b1", "x": 0.0, "y": 0.0, "x2": 0.5, "y2": 1.0}, "add")
        half = badge_work(badge_ticket(left)).artworks["a1"].trace.value
        box = lambda trace: max(shape.bounds().right for shape in trace.kept)  # noqa: E731
        self.assertGreater(box(whole), 31)
        self.assertLessEqual(box(half), 30.2)
        area = lambda trace: sum(region.area() for region in trace.kept_regions)  # noqa: E731
        self.assertLess(area(half), area(whole))
        both = badge_ticket(left, Change("artworks/a1/trace/areas", {"id": "b2", "x": 0.5, "x2": 1.0}, "add"))
        self.assertAlmostEqual(area(badge_work(both).artworks["a1"].trace.value), area(whole), delta=1e-6)


class SizeTest(unittest.TestCase):
    def test_stated_distances_stay_when_the_size_changes(self):
        gaps = []
        for width in (60.0, 120.0):
            work = badge_work(badge_ticket(Change("artworks/a1/width", width)))
            shapes = [shape.region.bounds() for shape in work.artworks["a1"].trace.value.kept]
            cut = [region.bounds() for region in work.layers["l1"].laid.value.lines[0].regions]
            gaps.append(min(s.left for s in shapes) - min(c.left for c in cut))
        self.assertAlmostEqual(gaps[0], 2.0, delta=0.01)
        self.assertAlmostEqual(gaps[1], 2.0, delta=0.01)


class TouchUpTest(unittest.TestCase):
    def dropped_bar(self, *changes):
        bar = next(s for s in badge_work(badge_ticket()).artworks["a1"].trace.value.shapes if not s.shape.region.holes)
        touch = {"id": "t1", "kind": "drop", "x": bar.x, "y": bar.y, "colour": list(bar.shape.colour), "size": bar.size}
        return (
            badge_work(badge_ticket(Change("artworks/a1/touch_ups", touch, "add"), *changes)).artworks["a1"].trace.value
        )

    def test_a_dropped_region_stays_dropped_at_another_threshold_and_size(self):
        for changes in ((), (Change("artworks/a1/trace/threshold", 0.3),), (Change("artworks/a1/width", 33.0),)):
            with self.subTest(changes):
                trace = self.dropped_bar(*changes)
                self.assertEqual([shape.dropped for shape in trace.shapes], ["", "hand"])
                self.assertEqual(trace.lost, ())

    def test_one_whose_place_holds_no_such_region_is_listed_as_lost(self):
        ticket = badge_ticket(Change("artworks/a1/touch_ups", {"id": "t1", "x": 0.02, "y": 0.02, "size": 0.1}, "add"))
        work = badge_work(ticket)
        self.assertEqual(work.artworks["a1"].trace.value.lost, ("t1",))
        trace = next(s for s in stations(ticket, work) if s.key == "trace")
        self.assertEqual(trace.state, "look")

    def test_small_parts_are_left_out_and_kept_by_hand(self):
        small = Change("artworks/a1/trace/smallest", 38.0)
        ticket = badge_ticket(small)
        bar = next(s for s in badge_work(ticket).artworks["a1"].trace.value.shapes if s.dropped == "small")
        touch = {"id": "t1", "kind": "keep", "x": bar.x, "y": bar.y, "colour": list(bar.shape.colour), "size": bar.size}
        kept = badge_work(badge_ticket(small, Change("artworks/a1/touch_ups", touch, "add")))
        self.assertIn("", [s.dropped for s in kept.artworks["a1"].trace.value.shapes])


class ReportTest(unittest.TestCase):
    def states(self, *changes):
        ticket = badge_ticket(*changes)
        return {s.key: s for s in stations(ticket, badge_work(ticket))}

    def test_a_sound_job_is_fine_everywhere(self):
        told = self.states(
            Change("artworks/a1/width", 20.0),
            Change("artworks/a1/trace/mode", "outer"),
            Change(f"{LINE}/offset/close_gaps", 5.0),
        )
        self.assertEqual({s.state for s in told.values()}, {"fine"})
        self.assertEqual(told["sheet"].fact, "6 copies, 40 mm")

    def test_a_coarse_picture_needs_a_look(self):
        note = next(n for n in self.states(Change("artworks/a1/width", 300.0))["artwork"].notes if n.weight == "look")
        self.assertIn("10 px per inch", note.text)

    def test_a_blocked_station_makes_the_later_ones_wait(self):
        told = self.states(Change("artworks/a1/trace/threshold", 0.01), Change("artworks/a1/trace/smallest", 50.0))
        self.assertEqual(
            [told[k].state for k in ("artwork", "trace", "lines", "sheet", "machine")],
            ["look", "blocked", "waiting", "waiting", "waiting"],
        )
        self.assertEqual(told["lines"].fact, "waits for Trace")
        self.assertTrue(told["trace"].notes[0].what_to_do)

    def test_an_inset_that_leaves_nothing_and_a_piece_too_wide_are_said(self):
        self.assertEqual(self.states(Change(f"{LINE}/offset/distance", -20.0))["lines"].state, "blocked")
        self.assertEqual(self.states(Change("artworks/a1/width", 5000.0))["sheet"].state, "blocked")

    def test_separate_pieces_and_missing_lines_are_said(self):
        apart = self.states(Change(f"{LINE}/offset/distance", 0.5))["lines"]
        self.assertIn("2 separate pieces", apart.notes[0].text)
        self.assertEqual(self.states(Change(f"{LINE}/on", False))["lines"].state, "look")

    def test_more_than_one_sheet_is_said(self):
        ticket = badge_ticket(quantity=1000)
        ticket = replace(
            ticket, sheets=(replace(ticket.sheets[0], stock=replace(ticket.sheets[0].stock, usable_length=400.0)),)
        )
        sheet = next(s for s in stations(ticket, badge_work(ticket)) if s.key == "sheet")
        self.assertRegex(sheet.notes[0].text, r"Run this sheet \d+ times")
