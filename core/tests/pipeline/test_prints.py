"""Drawings are printed as they are drawn, and as fine as their size asks for."""

import hashlib
import io
import itertools
import unittest
from dataclasses import replace

import numpy as np
import resvg_py
import shapely
from PIL import Image

from benchmarks.made_up import SHAPES, ticket_of
from nibble_core.geometry import Box
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.footprints import footprint
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply, first_ticket
from nibble_core.ticket.line import line_of
from nibble_core.ticket.piece import Element, Figure, prints_of
from tests.formats.test_client_page import painted
from tests.pictures import badge_png

WIDE, HIGH = 100.0, 50.0
SHADED = b"""<svg xmlns="http://www.w3.org/2000/svg" width="400mm" height="200mm" viewBox="0 0 400 200"><defs>
<linearGradient id="g"><stop offset="0" stop-color="#123a8c"/><stop offset="1" stop-color="#e9a50c"/></linearGradient>
<clipPath id="c"><circle cx="200" cy="100" r="80"/></clipPath></defs>
<rect x="10" y="10" width="380" height="180" rx="30" fill="url(#g)"/>
<g clip-path="url(#c)"><rect x="100" y="40" width="200" height="120" fill="#fff" fill-opacity=".5"/></g>
<path d="M40 100h320" stroke="#222" stroke-width="0.6"/></svg>"""
FLAT = b"""<svg xmlns="http://www.w3.org/2000/svg" width="400mm" height="200mm" viewBox="0 0 400 200">
<rect x="10" y="10" width="380" height="180" rx="30" fill="#123a8c"/>
<path d="M40 100h320" stroke="#fff" stroke-width="0.6"/>
<circle cx="200" cy="100" r="60" fill="#e9a50c"/></svg>"""


def worked(content: bytes, *changes: Change):
    sha = hashlib.sha256(content).hexdigest()
    ticket = apply(first_ticket(name="Sign", file=sha, file_name="sign.svg", width=WIDE, quantity=1), changes)
    work = work_out(ticket, lambda _: content, MemoryStore())
    work.require_whole()
    return ticket, work


class DrawingTest(unittest.TestCase):
    def test_gradients_transparency_and_clips_print_as_drawn_and_sharp(self):
        for content, prints in ((SHADED, "the artwork"), (FLAT, "the artwork"), (SHADED, "the client’s pixels")):
            with self.subTest(prints, shaded=content is SHADED):
                ticket, work = worked(content, Change("pieces/p1/layers/l1/prints", prints))
                (item,) = work.layers["l1"].print_laid.value.items
                self.assertGreater(25.4 / item.mm_per_px, 250)
                print_file = next(one for one in write_files(ticket, work) if one.purpose == "print")
                (placement,) = work.sheets["s1"].laid.value.placements
                x, y = placement.at.e, placement.at.f
                seen = painted(print_file.content, 1, Box(x, y, x + WIDE, y + HIGH), 100)
                png = resvg_py.svg_to_bytes(svg_string=content.decode(), width=round(WIDE / 25.4 * 100), dpi=96)
                with Image.open(io.BytesIO(bytes(png))) as image:
                    flat = Image.alpha_composite(Image.new("RGBA", image.size, "white"), image.convert("RGBA"))
                    wanted = np.asarray(flat.convert("L"), float)
                high, wide = min(seen.shape[0], wanted.shape[0]), min(seen.shape[1], wanted.shape[1])
                apart = np.abs(seen[:high, :wide] - wanted[:high, :wide])
                self.assertLess((apart > 24).mean(), 0.02)  # edges, half a pixel off
                self.assertLess(np.median(apart), 3)

    def test_what_clean_takes_away_is_not_printed_however_fine(self):
        rub = {"id": "b1", "kind": "rub out", "points": [0.5, 0.5, 0.5, 0.52], "width": 40.0}
        _, work = worked(FLAT, Change("artworks/a1/clean/strokes", rub, "add"))
        item = work.layers["l1"].print_laid.value.items[0]
        self.assertGreater(25.4 / item.mm_per_px, 250)
        middle = item.raster.alpha[item.raster.height // 2, item.raster.width // 2]
        self.assertEqual(
            (int(middle), int(item.raster.alpha[item.raster.height // 2, item.raster.width // 8])), (0, 255)
        )


class BleedFromTheInk(unittest.TestCase):
    """Bleed where the cut runs a little within, on, or outside the ink: no paper inside it, never too little."""

    def inked(self, items):
        return shapely.union_all([shapely.make_valid(item.region.polygon(0.001)) for item in items])

    def test_no_paper_shows_inside_the_cut_and_bleed_is_no_less_than_stated(self):
        offsets = (-0.3, 0.0, 0.1, 0.3, 0.5)
        for name, at in itertools.product(("star", "S"), offsets):
            ticket = ticket_of(SHAPES[name], [line_of("k1", "kiss cut", at)], quantity=1, marks=True,
                               stock="matt-white-vinyl-1370")  # fmt: skip
            layer = ticket.pieces[0].layers[0]
            layer = replace(layer, prints=replace(prints_of("the shapes"), bleed=2.0, cutting_error=0.2))
            ticket = replace(ticket, pieces=(replace(ticket.pieces[0], layers=(layer,)),))
            work = work_out(ticket, lambda _: b"", MemoryStore())
            ink = self.inked(work.layers["l1"].print_laid.value.items)
            (cut,) = work.layers["l1"].laid.value.lines
            self.assertLess(cut.area.difference(ink).area, 1e-6, (name, at))
            rim = shapely.segmentize(cut.area.boundary, 0.5)
            ways = [shapely.Point(*xy) for xy in shapely.get_coordinates(rim)]
            self.assertGreater(min(ink.boundary.distance(one) for one in ways), 1.995, (name, at))

    def test_a_picture_bleeds_from_its_ink_as_well(self):
        for at in (-0.2, 0.2, 0.4):
            content = badge_png()
            sha = hashlib.sha256(content).hexdigest()
            ticket = first_ticket(name="Badge", file=sha, file_name="badge.png", width=60, quantity=1)
            line = "pieces/p1/layers/l1/lines/k1/offset/distance"
            ticket = apply(ticket, [Change(line, at), Change("pieces/p1/layers/l1/prints/bleed", 2.0)])
            work = work_out(ticket, lambda _, own=content: own, MemoryStore())
            (item,) = work.layers["l1"].print_laid.value.items
            cut = work.layers["l1"].laid.value.lines[0].area
            step = item.width / item.raster.width
            solid = item.raster.alpha > 250
            rows, columns = np.nonzero(~solid)
            clear = shapely.points(item.places[0].map(np.stack([columns + 0.5, rows + 0.5], 1) * step))
            rim = cut.difference(cut.buffer(-0.3)).buffer(-0.02)
            self.assertEqual(int(shapely.contains(rim, clear).sum()), 0, at)

    def test_letters_well_inside_the_cut_are_not_thickened(self):
        ticket = ticket_of(SHAPES["R"], [line_of("k1", "kiss cut", 3.0)], quantity=1, marks=True,
                           stock="matt-white-vinyl-1370")  # fmt: skip
        work = work_out(ticket, lambda _: b"", MemoryStore())
        ink = self.inked(work.layers["l1"].print_laid.value.items)
        self.assertAlmostEqual(ink.area, work.pieces["p1"].value.whole.area, delta=0.5)

    def test_nothing_keeps_clear_of_bleed_that_is_not_printed(self):
        for at, bled in ((3.0, False), (0.0, True)):
            ticket = ticket_of(SHAPES["circle 40"], [line_of("k1", "kiss cut", at)], quantity=1, marks=True,
                               stock="matt-white-vinyl-1370")  # fmt: skip
            work = work_out(ticket, lambda _: b"", MemoryStore())
            bleed = ticket.pieces[0].layers[0].bleed
            wide = np.ptp(footprint(ticket.pieces[0].layers[0].id, work).bounds[::2])
            self.assertAlmostEqual(wide, 40 + 2 * at + 2 * bleed * bled, delta=0.1)


class HolesThatShrink(unittest.TestCase):
    def test_a_hole_that_shrinks_to_nothing_leaves_no_dot_for_the_knife(self):
        hole = Element("e2", Figure("circle", 4.0126), way="cut out", across="centred", down="centred")
        plate = (Element("e1", Figure("circle", 40.0)), hole)
        line = line_of("k1", "kiss cut", 2.0, holes="kept", smallest_hole=0.0, hole_distance=2.0)
        ticket = ticket_of(plate, [line], quantity=1, marks=False, stock="matt-white-vinyl-1370")
        work = work_out(ticket, lambda _: b"", MemoryStore())
        self.assertEqual(len(work.layers["l1"].laid.value.lines[0].regions[0].rings), 1)
        wider = replace(hole, content=Figure("circle", 5.0))
        ticket = ticket_of((plate[0], wider), [line], quantity=1, marks=False, stock="matt-white-vinyl-1370")
        work = work_out(ticket, lambda _: b"", MemoryStore())
        self.assertEqual(len(work.layers["l1"].laid.value.lines[0].regions[0].rings), 2)
