"""Sides that copies have in common are cut once, and nothing else is lost or gained."""

import unittest
from dataclasses import replace

import numpy as np
import shapely
from hypothesis import given
from hypothesis import strategies as st

from nibble_core.formats import hpgl, pdf_reader, svg
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.sheets import each_by_itself, program_of
from nibble_core.simulators.burnt import run
from nibble_core.ticket import Change, apply
from nibble_core.ticket.library import STARTING
from nibble_core.ticket.line import line_of
from nibble_core.ticket.piece import Element, Figure
from nibble_core.toolpaths.sharing import merged
from tests.pipeline.test_beam_jobs import body_for, gcode, job
from tests.pipeline.test_pieces import badge_work, ticket_of

PLATE = Element("e1", content=Figure("rectangle", 40.0, 25.0))
PILL = Element("e1", content=Figure("rounded rectangle", 40.0, 25.0, radius=12.5))
DISC = Element("e1", content=Figure("circle", 30.0))
ROUND = Element("e1", content=Figure("rounded rectangle", 40.0, 25.0, radius=4.0))


def plates(element: Element = PLATE, spacing: float = 0.0, *changes: Change):
    ticket = ticket_of([element], [line_of("k1", distance=0.0, source="the shapes")], prints="nothing")
    return apply(
        ticket,
        [
            Change("pieces/p1/quantity", 12), Change("sheets/s1/spacing", spacing),
            Change("sheets/s1/shared", "once where they touch"), *changes,
        ],
    )  # fmt: skip


class SharingTest(unittest.TestCase):
    def test_a_grid_of_plates_is_cut_by_its_rulings(self):
        ticket = plates()
        work = badge_work(ticket)
        laid, sheet = work.sheets["s1"].laid.value, ticket.sheets[0]
        ((columns, rows),) = laid.blocks
        (run,) = program_of(sheet, work).runs
        self.assertEqual(len(run.of.paths), columns + 1 + rows + 1)
        self.assertAlmostEqual(run.length, (columns + 1) * rows * 25 + (rows + 1) * columns * 40, places=2)
        self.assertAlmostEqual(each_by_itself(sheet, work).length, 12 * 130, places=2)

    def test_a_beam_runs_once_between_copies_a_kerf_apart_and_frees_each_at_its_size(self):
        for machine, stock in (("small-laser", "birch-3mm"), ("torch-table", "mild-steel-2mm")):
            for element in (PLATE, ROUND):
                with self.subTest(machine=machine, figure=element.content.figure):
                    settings = STARTING.settings_of(machine, stock)
                    ticket = job((element,), [line_of("k1", distance=0.0)], STARTING.machine(machine), quantity=12,
                                 settings=settings, stock=STARTING.stock(stock), spacing=0.0,
                                 shared="once where they touch")  # fmt: skip
                    work = badge_work(ticket)
                    (sheet,) = ticket.sheets
                    kerf = sheet.setting("through cut").kerf
                    self.assertLess(program_of(sheet, work).length, 0.9 * each_by_itself(sheet, work).length)
                    _, told = run(gcode(ticket, work), body_for(sheet.machine))
                    whole = [one.box for one in told.dropped if one.area > 500]
                    self.assertEqual((len(whole), told.complaints), (12, []))
                    for left, bottom, right, top in whole:
                        self.assertAlmostEqual(right - left, 40 + kerf, delta=0.02)
                        self.assertAlmostEqual(top - bottom, 25 + kerf, delta=0.02)

    def test_the_files_hold_each_side_once_by_readers_of_their_own(self):
        ticket = plates()
        machine = replace(ticket.sheets[0].machine, formats=("pdf", "svg", "hpgl", "dxf"))
        ticket = replace(ticket, sheets=(replace(ticket.sheets[0], machine=machine),))
        work = badge_work(ticket)
        files = {file.name.rsplit(".", 1)[1]: file.content for file in write_files(ticket, work)}
        once = shapely.union_all(
            [
                shapely.box(at.e, at.f, at.e + 40, at.f + 25).boundary
                for _, at in work.sheets["s1"].laid.value.placements
            ]
        )
        for ending, read in (("pdf", pdf_reader.read_page), ("svg", svg.read_page), ("hpgl", hpgl.read_page)):
            with self.subTest(ending):
                page = read(files[ending])
                length = sum(one.paths.length * len(one.placements) for one in page.stroked)
                self.assertAlmostEqual(length, once.length, delta=0.5 if ending == "hpgl" else 0.01)

    def test_copies_with_round_corners_share_their_straight_stretches(self):
        """Of 40 by 25 mm with corners of 4 mm: 32 and 17 mm of straight side, and a circle of 4 mm."""
        for element, spread in ((ROUND, 4.0), (PILL, 12.5)):
            ticket = plates(element)
            work = badge_work(ticket)
            sheet, ((columns, rows),) = ticket.sheets[0], work.sheets["s1"].laid.value.blocks
            runs = program_of(sheet, work).runs
            across, down = 40 - 2 * spread, 25 - 2 * spread
            self.assertEqual(columns * rows, 12)
            wanted = 12 * 2 * np.pi * spread + across * columns * (rows + 1) + down * rows * (columns + 1)
            self.assertAlmostEqual(sum(run.length for run in runs), wanted, delta=0.3)
            drawn = [
                shapely.LineString(path.flattened(0.01))
                for run in runs for place in run.places for path in run.of.paths.mapped(place)
            ]  # fmt: skip
            (outline,) = work.layers["l1"].laid.value.definitions
            for _, at in work.sheets["s1"].laid.value.placements:
                whole = shapely.LineString(next(iter(outline.paths.mapped(at))).flattened(0.01))
                self.assertTrue(shapely.union_all(drawn).buffer(0.02).covers(whole))
            for i, one in enumerate(drawn):
                for other in drawn[i + 1 :]:
                    self.assertLess(one.intersection(other.buffer(1e-3)).length, 0.3)

    def test_nine_touching_cards_are_cut_in_four_fifths_of_their_outlines(self):
        card = Element("e1", content=Figure("rounded rectangle", 86.0, 37.7, radius=4.0))
        ticket = plates(card, 0.0, Change("pieces/p1/quantity", 9), Change("sheets/s1/stock/usable_width", 300.0))
        work = badge_work(ticket)
        whole = each_by_itself(ticket.sheets[0], work).length
        self.assertAlmostEqual(whole, 2162.6, delta=12)
        self.assertLess(program_of(ticket.sheets[0], work).length, 1750)
        self.assertEqual(len(write_files(ticket, work)), 4)

    def test_distances_and_circles_share_nothing_and_it_is_said(self):
        for ticket in (plates(DISC), plates(PLATE, 2.0)):
            work = badge_work(ticket)
            self.assertAlmostEqual(
                program_of(ticket.sheets[0], work).length, each_by_itself(ticket.sheets[0], work).length, places=6
            )
            notes = [note.text for station in stations(ticket, work) for note in station.notes]
            self.assertIn("No two copies have a straight side in common, so that none is cut once for both.", notes)

    @given(st.lists(st.tuples(*[st.integers(0, 6)] * 4), min_size=1, max_size=30), st.floats(0, 3.1))
    def test_any_segments_stay_covered_and_lie_nowhere_twice(self, ends, turn):
        c, s = np.cos(turn), np.sin(turn)
        sides = np.array(ends, float) @ np.kron(np.eye(2), [[c, s], [-s, c]])
        sides = sides[np.hypot(*(sides[:, 2:] - sides[:, :2]).T) > 0.5]
        found = merged(sides)
        if not len(sides):
            self.assertEqual(len(found), 0)
            return
        before = shapely.union_all(shapely.linestrings(sides.reshape(-1, 2, 2)))
        after = shapely.multilinestrings(shapely.linestrings(found.reshape(-1, 2, 2)))
        self.assertTrue(after.buffer(1e-3).covers(before) and before.buffer(1e-3).covers(after))
        for i, one in enumerate(after.geoms):
            for other in list(after.geoms)[i + 1 :]:
                self.assertLess(one.intersection(other.buffer(1e-6)).length, 1e-3)
