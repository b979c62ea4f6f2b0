"""Work that is wider than its stock leaves as panels that overlap, with marks of their own, and nothing is lost."""

import io
import json
import unittest
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pypdfium2 as pdfium
import shapely
from hypothesis import given
from hypothesis import strategies as st

from nibble_core.errors import DoesNotFit
from nibble_core.formats import pdf_reader
from nibble_core.geometry.regions import courses
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.stocktaking import Taken, stock_area, taken
from nibble_core.sheet import panels, seams
from nibble_core.ticket import ticket_from_plain, to_plain
from nibble_core.ticket.line import line_of
from nibble_core.ticket.model import Held, Seam
from nibble_core.ticket.piece import Element, Figure, Layer, Lettering, Piece, prints_of
from tests.pipeline.test_every_line import ANY
from tests.sample import badge_ticket, badge_work

USABLE = 1340.0


def banner(prints: str = "the shapes", **changes) -> tuple:
    """3.2 m long: a board with words on it."""
    board = Element("e1", content=Figure("rounded rectangle", 3200.0, 420.0, colour="#e9a50c"))
    words = Element("e2", way="apart", across="centred", down="centred",
                    content=Lettering("FRESH FROM THE HARBOUR", "condensed", "", 180.0))  # fmt: skip
    lines = (line_of("k1", "through cut", 5.0), line_of("k2", "kiss cut", 0.0, source="one element", of="e2"))
    piece = Piece("p1", "banner", 1, (board, words), (Layer("l1", prints_of(prints), lines),))
    plain = badge_ticket()
    sheet = replace(plain.sheets[0], holds=(Held("h1", "l1"),), machine=replace(ANY, usable_width=1500.0),
                    **{"panels": "panels", **changes})  # fmt: skip
    ticket = ticket_from_plain(to_plain(replace(plain, artworks=(), pieces=(piece,), sheets=(sheet,))))
    return ticket, badge_work(ticket)


class PanelsTest(unittest.TestCase):
    @given(st.floats(100, 9000), st.floats(200, 1500), st.floats(0, 90))
    def test_strips_cover_the_width_fit_the_stock_and_overlap(self, width, usable, overlap):
        found = panels(width, seams(width, usable, overlap, reach=40.0), overlap)
        self.assertEqual((found[0].left, found[-1].right), (0.0, width))
        self.assertTrue(all(one.width <= usable + 1e-6 for one in found))
        for one, other in pairwise(found):
            self.assertAlmostEqual(one.right - other.left, overlap, places=6)
        self.assertTrue(len(found) == 1 or (len(found) - 1) * (usable - overlap) + overlap < width + 1e-6)

    def test_a_seam_is_moved_to_where_it_crosses_least(self):
        board = shapely.box(0, 0, 1900, 60)  # as wide as all, so that no seam can miss it
        blocks = [shapely.box(x, 0, x + 58, 50) for x in range(20, 1880, 60) if x != 860]
        (seam,) = seams(1900.0, 1050.0, 10.0, busy=[board, *blocks], reach=100.0)
        self.assertTrue(863 + 5 <= seam.x <= 920 - 5, seam)
        self.assertEqual(seam.crossed, 0)
        (short,) = seams(1900.0, 1050.0, 10.0, busy=[board, *blocks], reach=20.0)
        self.assertEqual(short.crossed, 1)
        (typed,) = seams(1900.0, 1050.0, 10.0, busy=[board, *blocks], reach=100.0, fixed={1: 1000.0})
        self.assertEqual((typed.x, typed.by_hand), (1000.0, True))
        with self.assertRaises(DoesNotFit):
            seams(1900.0, 1050.0, 10.0, fixed={1: 1200.0})

    def test_no_seam_of_a_banner_runs_through_a_letter_and_one_that_does_is_told(self):
        _, work = banner()
        letters = [
            shapely.box(*shape.region.polygon(0.1).bounds) for id, shape in work.pieces["p1"].value.composed.painted
            if id == "e2"
        ]  # fmt: skip
        at = work.sheets["s1"].laid.value.placements[0].at
        for seam in work.sheets["s1"].seams:
            self.assertEqual(seam.crossed, 0)
            self.assertFalse([box for box in letters if box.bounds[0] + at.e < seam.x < box.bounds[2] + at.e])
        ticket, work = banner(seams=(Seam("m1", 1, letters[5].centroid.x + at.e),))
        told = [note.text for station in stations(ticket, work) for note in station.notes]
        self.assertTrue([words for words in told if "runs through" in words])
        with self.assertRaises(DoesNotFit):
            seams(3000.0, 500.0, 400.0)

    def test_every_panel_is_a_file_of_its_own_and_together_they_hold_every_line(self):
        ticket, work = banner()
        self.assertEqual(work.problems, [])
        strips = work.sheets["s1"].panels
        self.assertEqual(len(strips), 3)
        files = {one.name: one.content for one in write_files(ticket, work, formats=["pdf", "svg", "dxf", "hpgl"])}
        self.assertEqual(sum(name.endswith("cut.pdf") for name in files), 3)
        told = json.loads(files["manifest.json"])["sheets"][0]
        self.assertEqual([one["left_mm"] for one in told["panels"]], [round(one.left, 3) for one in strips])
        laid = work.sheets["s1"].laid.value
        wanted = shapely.union_all([
            shapely.union_all(courses(line.paths.mapped(at), 0.002))
            for _, at in laid.placements for line in work.layers["l1"].laid.value.lines
        ])  # fmt: skip
        made = []
        for number, strip in enumerate(strips, 1):
            printed, cut = (
                pdf_reader.read_page(files[f"badge-panel-{number}-of-3-{kind}.pdf"]) for kind in ("print", "cut")
            )
            self.assertAlmostEqual(printed.width, strip.width, places=3)
            self.assertLessEqual(cut.width, USABLE)
            self.assertEqual(len(printed.filled[0].paths if len(printed.filled) == 1 else printed.filled), 4)
            for run in cut.stroked:
                for place in run.placements:
                    made += [
                        shapely.affinity.translate(one, strip.left) for one in courses(run.paths.mapped(place), 0.002)
                    ]
        whole = shapely.union_all(made)
        missed = shapely.difference(wanted, whole.buffer(0.02))
        self.assertLess(missed.length, 0.1)
        # what is more than was drawn: the seams alone, upright and within the board
        more = shapely.difference(whole, wanted.buffer(0.02))
        self.assertGreater(more.length, 4 * 400)
        for part in shapely.get_parts(more):
            left, _, right, _ = part.bounds
            self.assertLess(right - left, 0.05)

    def test_what_is_printed_meets_where_panels_overlap(self):
        ticket, work = banner(panel_overlap=30.0)
        files = {one.name: one.content for one in write_files(ticket, work, formats=["pdf"])}
        strips = work.sheets["s1"].panels
        looks = []
        for number in range(1, len(strips) + 1):
            content = files[f"badge-panel-{number}-of-{len(strips)}-print.pdf"]
            page = pdfium.PdfDocument(io.BytesIO(content))[0]
            looks.append(np.asarray(page.render(scale=0.5).to_numpy())[..., :3].astype(int))
        k = 0.5 * 72 / 25.4
        for (one, other), (a, b) in zip(pairwise(looks), pairwise(strips), strict=True):
            wide = int((a.right - b.left) * k) - 2
            at = round((b.left - a.left) * k)
            left, right = one[80:-80, at : at + wide], other[80:-80, :wide]
            self.assertLess(float((np.abs(left - right).max(-1) > 60).mean()), 0.05)

    def test_each_panel_takes_its_length_of_the_roll(self):
        ticket, work = banner()
        (sheet,), laid, count = ticket.sheets, work.sheets["s1"].laid.value, len(work.sheets["s1"].panels)
        self.assertEqual(taken(sheet, work), Taken(count * laid.height, None, 0))
        self.assertAlmostEqual(stock_area(sheet, work), count * laid.height * sheet.stock.width / 1e6)
        figures = [f for station in stations(ticket, work) for f in station.figures]
        told = [f.value for f in figures if "material" in f.label or "of that is waste" in f.label]
        cost, waste = (float(value.split()[0]) for value in told)
        self.assertGreater(cost, waste)
        self.assertGreater(waste, 0)

    def test_a_sheet_that_fits_is_one_and_without_panels_it_is_refused(self):
        _, work = banner(panels="one sheet")
        self.assertEqual([one.error.code for one in work.problems], ["does-not-fit"])
        small = badge_ticket()
        small = replace(small, sheets=(replace(small.sheets[0], panels="panels"),))
        names = [one.name for one in write_files(small, badge_work(small))]
        self.assertFalse(any("panel" in name for name in names))
