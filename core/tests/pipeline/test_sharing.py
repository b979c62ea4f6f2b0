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
from nibble_core.ticket import Change, apply
from nibble_core.ticket.line import line_of
from nibble_core.ticket.piece import Element, Figure
from nibble_core.toolpaths.sharing import merged
from tests.pipeline.test_pieces import badge_work, ticket_of

PLATE = Element("e1", content=Figure("rectangle", 40.0, 25.0))
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
        laid, sheet = work.sheets["s1"].value, ticket.sheets[0]
        ((columns, rows),) = laid.blocks
        (run,) = program_of(sheet, work).runs
        self.assertEqual(len(run.of.paths), columns + 1 + rows + 1)
        self.assertAlmostEqual(run.length, (columns + 1) * rows * 25 + (rows + 1) * columns * 40, places=2)
        self.assertAlmostEqual(each_by_itself(sheet, work).length, 12 * 130, places=2)

    def test_the_files_hold_each_side_once_by_readers_of_their_own(self):
        ticket = plates()
        machine = replace(ticket.sheets[0].machine, formats=("pdf", "svg", "hpgl", "dxf"))
        ticket = replace(ticket, sheets=(replace(ticket.sheets[0], machine=machine),))
        work = badge_work(ticket)
        files = {file.name.rsplit(".", 1)[1]: file.content for file in write_files(ticket, work)}
        once = shapely.union_all(
            [shapely.box(at.e, at.f, at.e + 40, at.f + 25).boundary for _, at in work.sheets["s1"].value.placements]
        )
        for ending, read in (("pdf", pdf_reader.read_page), ("svg", svg.read_page), ("hpgl", hpgl.read_page)):
            with self.subTest(ending):
                page = read(files[ending])
                length = sum(one.paths.length * len(one.placements) for one in page.stroked)
                self.assertAlmostEqual(length, once.length, delta=0.5 if ending == "hpgl" else 0.01)

    def test_round_corners_distances_and_other_processes_share_nothing_and_it_is_said(self):
        for ticket in (plates(ROUND), plates(PLATE, 2.0)):
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
