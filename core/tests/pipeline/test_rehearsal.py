"""A sheet's own files through the press and the cutter: what comes off, what would spoil it, and what mends that."""

import contextlib
import io
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import pypdfium2
import shapely

from benchmarks.made_up import ticket_of
from nibble_core.cli import main
from nibble_core.errors import CannotMake
from nibble_core.papers import printed_ticket
from nibble_core.pipeline.coming_off import Waste, freed, waste
from nibble_core.pipeline.files import make_files, write_files
from nibble_core.pipeline.mark_arrangements import arrangements, steadier_marks
from nibble_core.pipeline.prediction import predicted_worst
from nibble_core.pipeline.rehearsal import Errors, fed_wrong, look_at, rehearse, rehearse_often
from nibble_core.pipeline.rehearsal_bench import prepared
from nibble_core.pipeline.rehearsal_words import (
    chances_words,
    direction_mends,
    errors_of,
    fed_wrong_words,
    mends_of,
    rehearsal_words,
    rehearsed_line,
    worst_case_mends,
)
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.simulators.cut_files import CutLine
from nibble_core.simulators.cutter import Blade
from nibble_core.simulators.press import Faults
from nibble_core.ticket import Change, apply
from nibble_core.ticket.library import MACHINES, STARTING, STOCKS
from nibble_core.ticket.line import line_of
from nibble_core.ticket.piece import Element, Figure
from nibble_core.ticket.sentences import sentences
from tests.sample import LINE, badge_ticket, badge_work

PRINTS = "pieces/p1/layers/l1/prints"


def bench_of(ticket):
    return prepared(ticket, ticket.sheets[0], badge_work(ticket))


def bleeding(bleed=1.0, quantity=40, **machine):
    """Badges that are printed beyond their cut, on a long narrow sheet."""
    changes = [Change(f"sheets/s1/machine/head/{name}", value) for name, value in machine.items()]
    return badge_ticket(
        Change(f"{LINE}/offset/distance", 0.0), Change(f"{PRINTS}/bleed", bleed),
        Change("sheets/s1/machine/usable_width", 240.0), *changes, quantity=quantity,
    )  # fmt: skip


def on_the_laser(*changes):
    """Badges printed on birch and cut out by a beam that takes moves."""
    machine, stock = MACHINES["small-laser"], STOCKS["birch-3mm"]
    own = dict(machine=replace(machine, formats=("gcode",)), settings=STARTING.settings_of(machine.key, stock.key))
    ticket = badge_ticket(*changes, quantity=4)
    return replace(ticket, sheets=(replace(ticket.sheets[0], stock=replace(stock, printable=True), **own),))


class RehearsalTest(unittest.TestCase):
    def test_without_errors_every_cut_meets_its_print(self):
        ticket = badge_ticket(quantity=12)
        for formats in (("pdf",), ("combined",), ("svg",), ("dxf",), ("hpgl",)):
            machine = replace(ticket.sheets[0].machine, formats=formats)
            own = replace(ticket, sheets=(replace(ticket.sheets[0], machine=machine),))
            bench = bench_of(own)
            told = rehearse(bench, Faults(turn=0.7, shift=(2.0, -1.0)), blade=Blade(trails=0.25), pictured=0)
            with self.subTest(formats):
                self.assertTrue(bench.kept.all())  # every line is an edge of what is kept, whatever files call it
                self.assertEqual(len(bench.meant.lines), 24)
                self.assertEqual(len(told.copies), 12)
                self.assertLess(told.off[2], 0.035 if formats == ("hpgl",) else 0.01)
                self.assertFalse(any(copy.spoilt for copy in told.copies))

    def test_lines_of_several_processes_and_ranks_are_known_from_every_file(self):
        ticket = badge_ticket(quantity=2)
        layer = ticket.pieces[0].layers[0]
        lines = (*layer.lines, line_of("k2", "kiss cut", 0.5), replace(line_of("k3", "through cut", 5.0), rank=2))
        piece = replace(ticket.pieces[0], layers=(replace(layer, lines=lines),))
        counts = set()
        for key in ("pdf", "svg", "dxf", "dxf-polylines", "dxf-r12"):
            machine = replace(ticket.sheets[0].machine, formats=(key,))
            sheets = (replace(ticket.sheets[0], machine=machine),)
            counts.add(len(bench_of(replace(ticket, pieces=(piece,), sheets=sheets)).meant.lines))
        self.assertEqual(counts, {10})

    def test_the_whole_sheet_shows_each_copy_where_it_came_to_lie(self):
        bench, faults = bench_of(badge_ticket(quantity=6)), Faults(turn=2.0, shift=(5.0, 3.0))
        told = rehearse(bench, faults, pictured=1)
        self.assertEqual(sorted(told.sheet.edges), list(range(6)))
        freed = np.abs(told.sheet.pixels.astype(int) - told.sheet.pixels[2, 2]).max(2) > 12
        for number, edge in told.sheet.edges.items():
            middle = np.rint(shapely.Polygon(edge).representative_point().coords[0]).astype(int)
            self.assertTrue(freed[middle[1], middle[0]])
            laid = bench.laid.placements[number].at
            own = bench.printing(faults).forward(np.array([[laid.e, laid.f]]))[0]
            next_ = bench.printing(faults).forward(np.array([[laid.e + 10.0, laid.f]]))[0]
            self.assertAlmostEqual(np.degrees(np.arctan2(*(next_ - own)[::-1])), -2.0, delta=0.01)
        again = look_at(bench, told.copies[0].number, faults, camera=0.0, blade=Blade())
        np.testing.assert_array_equal(again, told.pictures[0])

    def test_stretch_turn_and_shift_are_taken_away_by_four_marks(self):
        bench = bench_of(badge_ticket())
        told = rehearse(bench, Faults(0.4, 0.4, turn=1.0, shift=(3.0, 3.0)))
        self.assertLess(told.off[2], 0.05)
        self.assertEqual(rehearsal_words(told, bench)[0].words, "All 4 marks were found.")

    def test_a_beam_is_led_by_its_moves_and_cuts_what_was_printed(self):
        bench = bench_of(on_the_laser())
        self.assertIsNotNone(bench.head)
        told = rehearse(bench, Faults(0.3, -0.2, turn=0.8, shift=(3.0, -2.0)), pictured=1)
        self.assertEqual(len(told.copies), 4)
        self.assertLess(told.off[2], 0.03)
        bowed = rehearse(bench, Faults(bow=1.0, turn=0.8), pictured=0)  # a head knows shift, turn and size only
        self.assertGreater(bowed.off[2], 0.3)
        hurt = rehearse(bench, Faults(scratches=((*bench.marks.places[2].tolist(), 4.0),)))
        self.assertEqual(hurt.copies, ())
        self.assertIn("needs every one of them", hurt.seen.complaints[-1].words)
        far = rehearse(bench, Faults(shift=(400.0, 0.0)))
        self.assertIn("bed", far.seen.complaints[-1].words)
        self.assertLess(rehearse_often(bench, Errors(0.0, 0.0, 0.05, 0.0), 8).quantile(1.0), 0.4)
        told = fed_wrong_words(fed_wrong(bench))  # each way told, though its machine refuses some
        self.assertEqual(len(told), 5)
        self.assertTrue(any(noticed for _, _, noticed in told))

    def test_a_print_that_allows_for_the_stretch_comes_out_at_true_size(self):
        on = "sheets/s1/machine/head"
        machine = [Change(f"{on}/stretch_across", 0.8), Change(f"{on}/stretch_along", -0.5)]
        plain = badge_ticket(*machine)
        ready = apply(plain, [Change("sheets/s1/print_size", "ready for the stretch")])
        for ticket in (plain, ready):
            for formats in (("pdf",), ("combined",), ("hpgl",)):
                sheet = replace(ticket.sheets[0], machine=replace(ticket.sheets[0].machine, formats=formats))
                own = replace(ticket, sheets=(sheet,))
                told = rehearse(bench_of(own), Faults(0.8, -0.5, turn=0.4), blade=Blade(trails=0.25), pictured=0)
                with self.subTest(formats, size=sheet.print_size):
                    self.assertLess(told.off[2], 0.09)
                    size = (told.seen.lies.across, told.seen.lies.down)
                    np.testing.assert_allclose(size, (1, 1) if ticket is ready else (1.008, 0.995), atol=2e-4)
        unmarked = apply(
            ready, [Change("sheets/s1/marks", 0), Change("sheets/s1/machine/formats", ["combined", "svg"])]
        )
        made = make_files(unmarked, badge_work(unmarked))
        self.assertEqual([one.name for one in made.refused], ["badge-print-and-cut.pdf"])
        said = " ".join(one.text for one in sentences(ready))
        self.assertIn("ready for the stretch of its press, 99.21 % wide and 100.50 % long", said)

    def test_a_clamp_over_the_work_is_told_before_anything_is_cut(self):
        clamp = {"id": "z1", "x": 20.0, "y": 20.0, "width": 30.0, "height": 30.0}
        bench = bench_of(badge_ticket(Change("sheets/s1/machine/clamps", [clamp])))
        told = rehearse(bench)
        self.assertEqual(told.copies, ())
        self.assertIn("under a clamp: nothing is cut", rehearsal_words(told, bench)[1].words)
        self.assertGreater(len(rehearse(bench, Faults(shift=(60.0, 60.0))).copies), 0)

    def test_bleed_that_is_left_is_what_was_given_less_the_error(self):
        bench = bench_of(bleeding(2.0, 6))
        given = rehearse(bench).left
        self.assertAlmostEqual(given, bench.inner[bench.kept].min(), delta=0.02)
        moved = rehearse(bench, blade=Blade(repeats=0.5, seed=2))
        self.assertGreaterEqual(moved.left, given - moved.off[2] - 0.05)
        self.assertLess(moved.left, given)

    def test_white_shows_where_the_print_bows_and_pairs_of_marks_keep_it_away(self):
        bowed = Faults(bow=4.0)
        bench = bench_of(bleeding())
        ends = rehearse(bench, bowed)
        self.assertGreater(sum(copy.white for copy in ends.copies), 10)
        worst = ends.copies[0]
        self.assertTrue(worst.white)
        self.assertAlmostEqual(ends.off[2], 4.0, delta=0.1)
        pairs = rehearse(bench_of(apply(bleeding(), [Change("sheets/s1/mark_every", 250.0)])), bowed)
        self.assertFalse(any(copy.white for copy in pairs.copies))
        self.assertLess(pairs.off[2], 4.0 / 3**2 + 0.02)  # the sagitta of one of three sections
        self.assertTrue(any("White shows on" in words and spoilt for words, spoilt in rehearsal_words(ends, bench)))

    def test_a_cut_with_a_border_that_runs_into_the_print_is_told(self):
        border = badge_ticket(Change("sheets/s1/machine/usable_width", 240.0), quantity=40)
        bench = bench_of(border)
        told = rehearse(bench, Faults(bow=6.0))
        self.assertGreater(told.cut_into, 5)
        self.assertEqual(told.white, 0)
        self.assertLess(max(copy.into for copy in told.copies), 6.0 - 2.0 + 0.3)
        self.assertTrue(
            any("runs into the print" in words and spoilt for words, spoilt in rehearsal_words(told, bench))
        )

    def test_a_hole_that_is_cut_out_is_no_part_of_the_picture(self):
        holed = badge_ticket(Change(f"{LINE}/offset/holes", "kept"), Change(f"{LINE}/offset/distance", 0.2), quantity=1)
        (picture,) = rehearse(bench_of(holed), pictured=1).pictures
        liner = picture[2, 2].astype(int)
        own = [line.places for line in bench_of(holed).meant.lines]
        outer = max(own, key=lambda places: np.ptp(places, axis=0).min())
        hole = min((one for one in own if shapely.Polygon(outer).contains(shapely.Polygon(one)) and one is not outer),
                   key=len)  # fmt: skip
        low = np.vstack(own).min(0) - 2.0
        x, y = np.rint((hole.mean(0) - low) * 150 / 25.4).astype(int)
        self.assertLess(np.abs(picture[y, x] - liner).max(), 4)

    def test_pictures_show_what_was_freed_as_it_was_printed(self):
        bench = bench_of(badge_ticket(quantity=4))
        told = rehearse(bench, pictured=1)
        (picture,) = told.pictures
        freed = np.abs(picture.astype(int) - picture[2, 2]).max(2) > 8  # all that is no bare liner
        own = np.flatnonzero(bench.copy == told.copies[0].number)
        area = sum(shapely.Polygon(bench.meant.lines[k].places).area for k in own)
        self.assertAlmostEqual(freed.sum() * (25.4 / 150) ** 2 / area, 1.0, delta=0.03)


class PanelTest(unittest.TestCase):
    def test_a_panel_is_seen_whole_though_none_of_its_cuts_closes(self):
        board = Element("e1", content=Figure("rounded rectangle", 900.0, 300.0, radius=40.0, colour="#804020"))
        ticket = ticket_of([board], [line_of("k1", "through cut", -2.0)], quantity=1, marks=True,
                           stock="matt-white-vinyl-1370")  # fmt: skip
        sheet = ticket.sheets[0]
        narrow = replace(sheet, panels="panels", machine=replace(sheet.machine, usable_width=400.0))
        ticket = replace(ticket, sheets=(narrow,))
        work = work_out(ticket, lambda _: b"", MemoryStore())
        self.assertGreater(len(work.sheets["s1"].panels), 2)
        bench = prepared(ticket, narrow, work, 1)
        (picture,) = rehearse(bench, pictured=1).pictures
        brown = (np.abs(picture.astype(int) - [128, 64, 32]).max(2) < 30).mean()
        self.assertGreater(brown, 0.9)


class ApartTest(unittest.TestCase):
    """How a sheet comes apart: neighbours' print, ties and waste."""

    def test_a_neighbours_print_is_told_where_copies_lie_close_and_not_where_they_lie_apart(self):
        near, apart = (apply(bleeding(1.0), [Change("sheets/s1/spacing", gap)]) for gap in (2.5, 20.0))
        close, far = (rehearse(bench_of(ticket), Faults(bow=6.0)) for ticket in (near, apart))
        self.assertEqual(far.strange, 0)
        self.assertGreater(close.strange, 0)
        self.assertGreater(close.off[2], max(copy.strange for copy in close.copies))
        words = " ".join(said.words for said in rehearsal_words(close, bench_of(near)))
        self.assertIn("the print of a neighbour shows", words)
        self.assertEqual(rehearse(bench_of(near)).strange, 0)

    def test_ties_are_as_long_as_meant_unless_the_knife_trails_over_them(self):
        perforated = badge_ticket(Change(f"{LINE}/process", "perforate"))
        bench = bench_of(perforated)
        meant = [tie.length for tie in bench.ties]
        self.assertGreater(len(meant), 50)
        drawn = rehearse(bench, blade=Blade(0.0))
        self.assertAlmostEqual(min(drawn.ties), min(meant), delta=0.13)
        self.assertIn("ties hold", " ".join(said.words for said in rehearsal_words(drawn, bench)))
        loose = rehearse(bench, blade=Blade(repeats=2.0, seed=3))
        self.assertLess(min(loose.ties), 0.1)
        self.assertIn("ties are cut through", " ".join(said.words for said in rehearsal_words(loose, bench)))

    def test_waste_comes_off_in_as_many_pulls_as_weed_lines_leave_pieces(self):
        ring = np.array([(np.cos(a), np.sin(a)) for a in np.linspace(0, 2 * np.pi, 200)])
        rings = [CutLine("k", ring * size + middle) for middle in ([30, 30], [90, 30]) for size in (20.0, 8.0)]
        processes = ["kiss cut"] * len(rings)
        self.assertEqual(waste(rings, processes, (120.0, 60.0)), Waste(1, 2))
        across = CutLine("w", np.array([(60.0, -5.0), (60.0, 65.0)]))
        self.assertEqual(waste([*rings, across], [*processes, "weed cut"], (120.0, 60.0)), Waste(2, 2))
        self.assertIsNone(waste(rings, ["through cut"] * 4, (120.0, 60.0)))

    def test_what_falls_free_is_what_a_cut_goes_round_in_time(self):
        ring = np.array([(np.cos(a), np.sin(a)) for a in np.linspace(0, 2 * np.pi, 200)])
        rings = [CutLine("k", ring * size + middle) for middle in ([30, 30], [90, 30]) for size in (8.0, 20.0)]
        copy = np.array([0, 0, 1, 1])
        through = ["through cut"] * 4
        told = freed(rings, through, copy, [])
        self.assertEqual((told.copies, told.waste, told.holding, told.late), ({0, 1}, 2, 0, 0))
        np.testing.assert_allclose(told.smallest, (16.0, 16.0), atol=0.1)
        kept = freed(rings, ["kiss cut", "through cut", "kiss cut", "kiss cut"], copy, [])
        self.assertEqual((kept.copies, kept.waste), ({0}, 0))
        self.assertIsNone(freed(rings, ["kiss cut"] * 4, copy, []))
        went = [one.places for one in rings]
        went[1] = went[1][:-2]  # ends short of where it began
        hangs = freed(rings, through, copy, went)
        self.assertEqual((hangs.copies, hangs.holding), ({1}, 1))
        late = freed(rings, through, copy, [went[k] for k in (3, 2, 0, 1)])
        self.assertEqual(late.late, 1)

    def test_an_edge_that_a_trailing_knife_does_not_close_holds_its_piece(self):
        plotted = [Change("sheets/s1/machine/formats", ["hpgl"])]
        bench = bench_of(badge_ticket(*plotted, quantity=2))
        closed = rehearse(bench, blade=Blade(trails=0.25), pictured=0)
        self.assertEqual((len(closed.freed.copies), closed.freed.holding), (2, 0))
        lines = tuple(replace(line, places=line.places[:-60]) for line in bench.file.lines)
        short = rehearse(replace(bench, file=replace(bench.file, lines=lines)), blade=Blade(trails=0.25), pictured=0)
        self.assertGreater(short.freed.holding, 0)
        said = [one for one in rehearsal_words(short, bench) if "hangs on" in one.words]
        self.assertTrue(said and said[0].spoilt)


class ManyTest(unittest.TestCase):
    def test_many_are_told_by_the_record_and_only_what_is_enough_is_offered(self):
        ticket = bleeding(0.6, 9, camera_error=1.2, repeats=0.1, print_bow=0.0, print_stretch=0.1)
        bench = bench_of(ticket)
        errors = Errors(0.1, 0.0, 1.2, 0.1)
        chances = rehearse_often(bench, errors, 16)
        self.assertEqual((chances.draws, chances.copies), (16, 144))
        self.assertGreater(chances.white, 0)
        mends = mends_of(ticket, ticket.sheets[0], chances, badge_work)
        more_bleed = next(mend for mend in mends if "bleed" in mend.label)
        mended = apply(ticket, more_bleed.changes)
        again = rehearse_often(bench_of(mended), errors, 16)
        self.assertEqual(again.spoilt, 0)
        self.assertIn("None of", chances_words(again)[0].words)

    def test_the_worst_of_many_sheets_is_foretold_without_a_draw(self):
        bench = bench_of(bleeding(quantity=12))
        for errors in (Errors(0.2, 0.1, 0.15, 0.02), Errors(0.2, 4.0, 0.05, 0.05), Errors(0.0, 0.0, 0.0, 0.2)):
            with self.subTest(errors):
                met = [rehearse_often(bench, errors, 60, seed=seed).quantile(1.0) for seed in range(5)]
                self.assertAlmostEqual(predicted_worst(bench, errors, 60) / np.median(met), 1.0, delta=0.15)
        self.assertEqual(predicted_worst(bench, Errors(0.0, 0.0, 0.0, 0.0), 60), 0.0)

    def test_marks_are_compared_by_how_far_the_cuts_drift_with_them(self):
        ticket = bleeding(quantity=120)
        bench, errors = bench_of(ticket), errors_of(ticket.sheets[0].machine)
        told = arrangements(bench, errors, 200)
        self.assertEqual([(one.corners, one.pairs) for one in told], [(3, 0), (4, 0), (4, 1), (4, 2), (4, 4), (4, 6)])
        now = predicted_worst(bench, errors, 200)
        self.assertAlmostEqual(now, told[1].worst, delta=1e-9)  # it has four
        (mend,) = steadier_marks(ticket.sheets[0], told, now)
        offered = next(one for one in told if f"{one.worst:.2f} mm" in mend.label)
        drawn = rehearse_often(bench_of(apply(ticket, mend.changes)), errors, 200).quantile(1.0)
        self.assertLess(abs(drawn / offered.worst - 1), 0.25)
        self.assertLess(drawn, 0.6 * now)
        self.assertEqual(steadier_marks(ticket.sheets[0], told, offered.worst), [])

    def test_the_worst_case_can_be_looked_at_for_what_is_foretold(self):
        ticket = bleeding(quantity=4)
        (mend,) = worst_case_mends(ticket, ticket.sheets[0], 0.4204)
        changed = apply(ticket, mend.changes)
        self.assertEqual(changed.layer("l1").prints.cutting_error, 0.45)
        self.assertEqual(worst_case_mends(changed, changed.sheets[0], 0.43), [])

    def test_the_printed_ticket_tells_what_came_of_it(self):
        ticket = bleeding(2.0, 6)
        work = badge_work(ticket)
        line = rehearsed_line(ticket, ticket.sheets[0], work)
        self.assertRegex(line, r"^Rehearsed 40 times: worst 0\.\d\d mm, \d\.\d mm of bleed left\.$")
        content = printed_ticket(ticket, work, code="1.1", rehearsed={"s1": line})
        words = " ".join(pypdfium2.PdfDocument(content)[0].get_textpage().get_text_range().split())
        self.assertIn(line, words)
        bare = badge_ticket(Change("sheets/s1/marks", 0))
        self.assertEqual(rehearsed_line(bare, bare.sheets[0], badge_work(bare)), "")

    def test_a_file_that_is_led_for_a_knife_is_rehearsed_often_by_what_it_means(self):
        ticket = badge_ticket()
        machine = replace(ticket.sheets[0].machine, formats=("hpgl",))
        bench = bench_of(replace(ticket, sheets=(replace(ticket.sheets[0], machine=machine),)))
        self.assertTrue(bench.file.led)
        self.assertLess(max(rehearse_often(bench, Errors(0.3, 0.0, 0.0, 0.0), 3).worst), 1e-6)

    def test_a_copy_is_spoilt_once_however_it_is(self):
        ticket = bleeding(0.0, 6)
        layer = ticket.pieces[0].layers[0]
        border = replace(layer, lines=(*layer.lines, line_of("k2", "through cut", 4.0)))
        both = replace(ticket, pieces=(replace(ticket.pieces[0], layers=(border,)),))
        chances = rehearse_often(bench_of(both), Errors(0.0, 0.0, 6.0, 0.0), 6)
        self.assertGreater(chances.white, 0)
        self.assertGreater(chances.into, 0)
        self.assertLess(chances.spoilt, chances.white + chances.into)
        self.assertLessEqual(chances.spoilt, chances.copies)

    def test_errors_of_nothing_spoil_nothing_and_a_stop_tells_what_was_done(self):
        bench = bench_of(badge_ticket())
        chances = rehearse_often(bench, Errors(0.0, 0.0, 0.0, 0.0), 5)
        self.assertLess(max(chances.worst), 1e-6)
        looks = iter([False, False, True])
        self.assertEqual(rehearse_often(bench, Errors(0.2, 0.1, 0.1, 0.1), 50, cancelled=lambda: next(looks)).draws, 2)


class FedWrongTest(unittest.TestCase):
    def test_a_direction_mark_tells_every_wrong_way(self):
        ticket = badge_ticket(quantity=8)
        told = fed_wrong(bench_of(ticket))
        spoilt = {way for way, _, safe in fed_wrong_words(told) if not safe}
        self.assertIn("turned round", spoilt)
        (mend,) = direction_mends(ticket.sheets[0], told)
        keyed = apply(ticket, mend.changes)
        noticed = fed_wrong(bench_of(keyed))
        self.assertTrue(all(safe for _, _, safe in fed_wrong_words(noticed)))
        self.assertFalse(any(one.copies for one in noticed.values()))


class RefusalTest(unittest.TestCase):
    def test_what_cannot_be_rehearsed_is_said(self):
        bare = badge_ticket(Change("sheets/s1/marks", 0))
        cut_only = badge_ticket(Change(PRINTS, "nothing"))
        for ticket, words in ((bare, "no registration marks"), (cut_only, "Nothing is printed")):
            with self.assertRaisesRegex(CannotMake, words):
                bench_of(ticket)

    def test_a_sheet_that_is_only_printed_is_told_so_and_has_its_ticket(self):
        ticket = badge_ticket(Change(f"{LINE}/process", "guide"))
        for key in ("pdf", "combined", "svg", "dxf", "hpgl"):
            machine = replace(ticket.sheets[0].machine, formats=(key,))
            own = replace(ticket, sheets=(replace(ticket.sheets[0], machine=machine),))
            with self.subTest(key):
                with self.assertRaisesRegex(CannotMake, "Nothing is cut"):
                    bench_of(own)
                self.assertEqual(rehearsed_line(own, own.sheets[0], badge_work(own)), "")


class CommandTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        ticket = badge_ticket()
        for file in write_files(ticket, badge_work(ticket), formats=["pdf", "svg", "hpgl"]):
            (self.folder / f"{file.purpose}{Path(file.name).suffix}").write_bytes(file.content)

    def run_it(self, *arguments) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main(["simulate", *(str(self.folder / one) if one[-4:-3] == "." or one[-5:-4] == "." else one
                                       for one in arguments)])  # fmt: skip
        return code, out.getvalue(), err.getvalue()

    def test_a_print_and_its_cut_meet_as_files(self):
        faults = ("--across", "0.4", "--along", "0.4", "--turn", "1", "--shift", "3,2", "--noise", "3", "--ppi", "200")
        code, _, err = self.run_it("press", "print.pdf", *faults, "-o", "sheet.tif", "--report", "did.json")
        self.assertEqual((code, err), (0, ""))
        told = ("--sheet", "sheet.tif", "--manifest", "manifest.json", "--truth", "did.json")
        for name in ("cut.pdf", "cut.svg"):
            code, out, _ = self.run_it("cutter", name, *told, "--report", "report.json", "-o", "seen.png")
            self.assertEqual(code, 0)
            self.assertLess(json.loads(out)["off_mm"]["worst"], 0.05)
            report = json.loads((self.folder / "report.json").read_text())
            self.assertEqual([one["whole"] for one in report["marks"]], [True] * 4)
            self.assertAlmostEqual(report["turn_deg"], 1.0, delta=0.01)
        led = ("cutter", "cut.hpgl", *told, "--trails", "0.25", "--meant", "cut.pdf")
        self.assertLess(json.loads(self.run_it(*led)[1])["off_mm"]["worst"], 0.1)

    def test_what_does_not_belong_together_is_told_in_words(self):
        self.run_it("press", "print.pdf", "-o", "sheet.tif", "--ppi", "100")
        half = (self.folder / "cut.hpgl").read_bytes()
        (self.folder / "half.hpgl").write_bytes(half[: len(half) // 2])
        (self.folder / "ten.hpgl").write_bytes(b"IN;SP1;PU0,0;PD90000,0,90000,90000;PU0,0;SP0;")
        told = ("--sheet", "sheet.tif", "--manifest", "manifest.json")
        for arguments, words in (
            (("press", "manifest.json", "-o", "x.tif"), "not a PDF"),
            (("press", "print.pdf", "-o", "x.tif", "--ppi", "9000"), "50 to 600"),
            (("cutter", "half.hpgl", *told), "cut off in the middle"),
            (("cutter", "cut.pdf", "--sheet", "manifest.json", "--manifest", "manifest.json"), "not a picture"),
            (("cutter", "cut.pdf", "--sheet", "sheet.tif", "--manifest", "cut.svg"), "no manifest"),
        ):
            code, out, err = self.run_it(*arguments)
            with self.subTest(arguments):
                self.assertEqual((code, out), (2, ""))
                self.assertIn(words, err)
        for clamp, cuts in (("60,60,20,10", False), ("1,1,5,5", True)):  # over the work, and beside it
            out = self.run_it("cutter", "cut.pdf", *told, "--clamp", clamp)[1]
            self.assertEqual((json.loads(out)["cut"], "under a clamp" in out), (cuts, not cuts))
        code, out, _ = self.run_it("cutter", "ten.hpgl", *told)
        self.assertFalse(json.loads(out)["cut"])
        self.assertIn("scale is off", out)
