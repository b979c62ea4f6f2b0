"""Artwork, Clean and Trace as the ticket says them: touch-ups, try-outs, sizes, files, mends."""

import base64
import hashlib
import io
import json
import math
import unittest
from unittest.mock import patch

import ezdxf
import numpy as np
import pypdfium2 as pdfium
from PIL import Image

from nibble_core.errors import NibbleError, NothingToTrace
from nibble_core.formats.registry import OUTLINE_FORMATS
from nibble_core.formats.svg_reader import read_svg
from nibble_core.geometry import Box
from nibble_core.pipeline.read import inspect
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.traced_drawing import traced_drawing
from nibble_core.pipeline.try_outs import try_out, try_outs
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply, first_ticket
from tests.sample import BADGE, badge_ticket, badge_work

HERE = "artworks/a1"
SIGN = b"""<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">
<circle cx="20" cy="20" r="12" fill="#c81e28"/><circle cx="20" cy="20" r="12" fill="#c81e28"/>
<path d="M38 8L52 32" fill="none" stroke="#14285a" stroke-width="4"/>
<text x="3" y="38" font-family="Pierhead">hi</text></svg>"""


MIXED = f"""<svg xmlns="http://www.w3.org/2000/svg" width="120mm" height="80mm" viewBox="0 0 240 160">
<rect x="4" y="4" width="232" height="152" fill="none" stroke="#c81e28"/>
<image x="20" y="40" width="120" height="100" href="data:image/png;base64,{base64.b64encode(BADGE).decode()}"/>
<text transform="translate(160 60) rotate(-90)" text-anchor="end" font-family="Pierhead" font-size="20">HH</text>
<text x="200" y="140" text-anchor="middle" style="font: 30px Pierhead">I</text></svg>""".encode()


def png(pixels: np.ndarray) -> bytes:
    """A picture's bytes; pixels: red, green, blue."""
    made = io.BytesIO()
    Image.fromarray(pixels).save(made, "PNG")
    return made.getvalue()


def touch(kind, **values):
    return Change(f"{HERE}/touch_ups", {"id": "t1", "kind": kind, **values}, "add")


def traced(*changes):
    return badge_work(badge_ticket(*changes)).artworks["a1"].trace.value


def sign(*changes, content=SIGN, width=60):
    sha256 = hashlib.sha256(content).hexdigest()
    ticket = first_ticket(name="s", file=sha256, file_name="sign.svg", width=width, mode="paths")
    ticket = apply(ticket, changes)
    return ticket, work_out(ticket, lambda _: content, MemoryStore())


class ManyPixelsTest(unittest.TestCase):
    @patch("nibble_core.pipeline.clean.MOST_PX", 400 * 400)
    def test_a_huge_picture_is_traced_in_fewer_pixels_and_printed_in_all_of_them_if_asked(self):
        pixels = np.full((420, 420, 3), 255, np.uint8)
        pixels[100:300, 80:350] = (20, 60, 120)
        content = png(pixels)
        sha256 = hashlib.sha256(content).hexdigest()
        ticket = first_ticket(name="wall", file=sha256, file_name="wall.png", width=420)
        work = work_out(ticket, lambda _: content, MemoryStore())
        self.assertLessEqual(work.artworks["a1"].cleaned.value.raster.width, 400)
        box = Box.around([region.bounds() for region in work.artworks["a1"].trace.value.kept_regions])
        np.testing.assert_allclose((box.left, box.top, box.right, box.bottom), (80, 100, 350, 300), atol=0.02)
        (note,) = (one for one in stations(ticket, work)[0].notes if "cleaned" in one.text)
        self.assertEqual(note.text, "It is cleaned and traced in 400 × 400 of its 420 × 420 pixels.")
        whole = apply(ticket, note.mends[0].changes)
        printed = work_out(whole, lambda _: content, MemoryStore()).layers["l1"].print_laid.value
        self.assertEqual(printed.items[0].raster.width, 420)


class TouchUpTest(unittest.TestCase):
    """The badge is a ring (centre 5/12, radii 36 and 14 of 120 px) and a bar from 96 to 108 px."""

    def areas(self, trace):
        return sorted(round(r.area(), 1) for shape in trace.shapes if not shape.dropped for r in shape.regions)

    def test_holes_are_filled_and_regions_made_round(self):
        ring = next(s for s in traced().shapes if s.shape.region.holes)
        anchor = {"x": ring.x, "y": ring.y, "colour": list(ring.shape.colour), "size": ring.size}
        filled = traced(touch("fill hole", x=50 / 120, y=50 / 120))
        self.assertAlmostEqual(max(self.areas(filled)), math.pi * 18**2, delta=1)
        round_one = traced(touch("circle", **anchor))
        self.assertEqual(
            next(s for s in round_one.shapes if s.shape.region.holes).shape.region.outer.kinds.tolist(), [1, 1]
        )
        self.assertEqual((filled.lost, round_one.lost), ((), ()))

    def test_eraser_filler_and_join_change_how_many_regions_there_are(self):
        across = [0.05, 50 / 120, 0.8, 50 / 120]
        self.assertEqual(len(traced(touch("rub out", points=across, width=2.0)).kept), 3)
        gap = [0.68, 50 / 120, 0.84, 50 / 120]
        self.assertEqual(len(traced(touch("fill in", points=gap, width=3.0)).kept), 1)
        self.assertEqual(len(traced(touch("join", x=0.7, y=50 / 120, x2=0.82, y2=50 / 120, width=3.0)).kept), 1)
        self.assertEqual(traced(touch("join", x=0.02, y=0.02, x2=0.04, y2=0.02, width=1.0)).lost, ("t1",))

    def test_a_filler_from_one_colour_into_another_takes_only_what_it_covers(self):
        halves = b"""<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="30mm" viewBox="0 0 60 30">
            <rect x="2" y="2" width="28" height="26" fill="#c02020"/>
            <rect x="30" y="2" width="28" height="26" fill="#2040c0"/>
            </svg>"""
        way = {"id": "t1", "kind": "fill in", "points": [0.4, 0.5, 0.6, 0.5], "width": 4.0}
        _, work = sign(Change(f"{HERE}/touch_ups", way, "add"), content=halves)
        kept = {one.colour: one.region for one in work.artworks["a1"].trace.value.kept}
        cap = math.pi * 2**2 / 2  # the filler's round end, beside 6 mm of its way
        self.assertAlmostEqual(kept[(192, 32, 32)].area(), 28 * 26 + 6 * 4 + cap, delta=0.1)
        self.assertAlmostEqual(kept[(32, 64, 192)].area(), 28 * 26 - 6 * 4 - cap, delta=0.1)

    def test_an_edge_between_two_places_is_straightened(self):
        before, after = traced(), traced(touch("straighten", x=86 / 120, y=50 / 120, x2=50 / 120, y2=86 / 120))
        segment = (math.pi / 4 - 0.5) * 18**2
        self.assertAlmostEqual(sum(self.areas(before)) - sum(self.areas(after)), segment, delta=1.5)

    def test_a_pinned_outline_is_the_one_set_by_hand(self):
        bar = next(s for s in traced().shapes if not s.shape.region.holes)
        anchor = {"x": bar.x, "y": bar.y, "colour": list(bar.shape.colour), "size": bar.size}
        pinned = touch("outline", outline="M800 200L900 200L900 800Z", **anchor)
        for width in (60.0, 30.0):
            kept = traced(pinned, Change(f"{HERE}/width", width))
            self.assertAlmostEqual(min(self.areas(kept)), 0.5 * (0.1 * width) * (0.6 * width), delta=0.3)

    def test_all_alike_go_at_once(self):
        bar = next(s for s in traced().shapes if not s.shape.region.holes)
        anchor = {"x": bar.x, "y": bar.y, "colour": list(bar.shape.colour), "size": bar.size}
        gone = traced(touch("drop", alike="of this colour", **anchor))
        self.assertEqual([s.dropped for s in gone.shapes], ["hand", "hand"])

    def test_they_follow_turns_mirrors_and_crops(self):
        ring = next(s for s in traced().shapes if s.shape.region.holes)
        anchor = {"x": ring.x, "y": ring.y, "colour": list(ring.shape.colour), "size": ring.size}
        for change in (
            Change(f"{HERE}/turn", "a quarter right"), Change(f"{HERE}/facing", "mirrored"),
            Change(f"{HERE}/crop", {"left": 0.05, "top": 0.0, "right": 0.0, "bottom": 0.1}),
        ):  # fmt: skip
            with self.subTest(change.path):
                trace = traced(touch("drop", **anchor), change)
                self.assertEqual(trace.lost, ())
                self.assertEqual(sorted(s.dropped for s in trace.shapes), ["", "hand"])


class TraceTest(unittest.TestCase):
    def test_every_mode_writes_files_that_others_read(self):
        for mode in ("two-tone", "outer", "colours", "centre-lines"):
            with self.subTest(mode):
                trace = traced(Change(f"{HERE}/trace/mode", mode))
                drawing = traced_drawing(trace)
                files = {ending: form.outlines(drawing) for ending, form in OUTLINE_FORMATS.items()}
                again = read_svg(files["svg"]).drawing
                self.assertAlmostEqual(again.width, 60, delta=0.01)
                self.assertEqual(json.loads(files["json"])["width"], 60)
                self.assertGreater(len(ezdxf.read(io.StringIO(files["dxf"].decode())).modelspace()), 0)
                page = pdfium.PdfDocument(files["pdf"])[0]
                self.assertAlmostEqual(page.get_width() / 72 * 25.4, 60, delta=0.01)

    def test_a_band_of_tones_and_the_edges_of_lines(self):
        band = traced(Change(f"{HERE}/trace/threshold", 0.6), Change(f"{HERE}/trace/lightest", 0.3))
        self.assertLess(sum(r.area() for r in band.kept_regions), 200)
        inner = traced(Change(f"{HERE}/trace/edges", "inner edge"))
        self.assertAlmostEqual(sum(r.area() for r in inner.kept_regions), math.pi * 49, delta=1)
        outer = traced(Change(f"{HERE}/trace/edges", "outer edge"))
        self.assertTrue(all(not r.holes for r in outer.kept_regions))
        wrong = badge_work(badge_ticket(Change(f"{HERE}/trace/threshold", 0.3), Change(f"{HERE}/trace/lightest", 0.6)))
        self.assertIsInstance(wrong.problems[0].error, NothingToTrace)

    def test_an_outline_that_is_one_long_arc_is_no_speck(self):
        ring = (
            b'<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="60mm" viewBox="0 0 60 60"><path'
            b' fill-rule="evenodd" d="M30 4A26 26 0 1 1 29.99 4ZM30 18A12 12 0 1 0 30.01 18Z"/></svg>'
        )
        ticket = first_ticket(name="r", file="0" * 64, file_name="ring.svg", width=60, mode="paths")
        ticket = apply(ticket, [Change(f"{HERE}/trace/smallest", 5.0), Change(f"{HERE}/trace/smallest_hole", 5.0)])
        (kept,) = work_out(ticket, lambda _: ring, MemoryStore()).artworks["a1"].trace.value.kept
        self.assertAlmostEqual(kept.region.area(), math.pi * (26**2 - 12**2), delta=0.5)

    def test_a_plate_that_fills_its_page_and_a_white_one_can_be_cut(self):
        page = '<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="1mm" viewBox="0 0 40 1">%s</svg>'
        for colour in ("#123", "white"):
            plate = (page % f'<path d="M0 0H40V1H0Z" fill="{colour}"/>').encode()
            self.assertEqual(inspect(plate, "plate.svg").verdict.advice, "paths")
            ticket = first_ticket(name="p", file="0" * 64, file_name="plate.svg", width=40, mode="paths")
            (kept,) = work_out(ticket, lambda _, plate=plate: plate, MemoryStore()).artworks["a1"].trace.value.kept
            self.assertAlmostEqual(kept.region.area(), 40, delta=0.01)
        with self.assertRaisesRegex(NothingToTrace, "beyond any drawing"):
            inspect((page % '<path d="M0 0L1e9 1L3 NaNZ"/>').encode(), "plate.svg")

    def test_own_paths_are_used_as_they_are(self):
        ticket, work = sign()
        kept = work.artworks["a1"].trace.value.kept
        self.assertEqual(len(kept), 2)
        areas = sorted(s.region.area() for s in kept)
        np.testing.assert_allclose(areas, [4 * math.hypot(14, 24), math.pi * 144], rtol=2e-3)
        _, lines = sign(Change(f"{HERE}/trace/strokes", "lines"))
        self.assertIn(4.0, [round(getattr(s, "width", 0), 3) for s in lines.artworks["a1"].trace.value.kept])
        artwork = next(s for s in stations(ticket, work) if s.key == "artwork")
        told = " ".join(note.text for note in artwork.notes)
        self.assertIn("Pierhead", told)
        self.assertIn("twice", told)
        self.assertEqual(try_outs(ticket.artworks[0], work), [])


class TryOutTest(unittest.TestCase):
    def test_six_to_nine_settings_each_with_figures(self):
        store = MemoryStore()
        for mode in ("two-tone", "outer", "colours", "centre-lines"):
            with self.subTest(mode):
                ticket = badge_ticket(Change(f"{HERE}/trace/mode", mode))
                work = badge_work(ticket, store)
                settings = try_outs(ticket.artworks[0], work)
                self.assertTrue(4 <= len(settings) <= 9)
                self.assertEqual(len({s.name for s in settings}), len(settings))
                tried = try_out(store, lambda _: BADGE, ticket, "a1", settings[0].changes)
                self.assertGreater(tried.trace.nodes, 0)
                self.assertIsNotNone(tried.trace.worst_deviation)

    def test_the_thinnest_part_is_the_bar(self):
        ticket = badge_ticket()
        settings = try_outs(ticket.artworks[0], badge_work(ticket))
        chosen = next(s for s in settings if s.name == "edges: as its pixels tell")
        tried = try_out(MemoryStore(), lambda _: BADGE, ticket, "a1", chosen.changes)
        self.assertAlmostEqual(tried.thinnest, 6.0, delta=0.2)


class SizeTest(unittest.TestCase):
    def test_width_height_or_scale_with_locked_proportions(self):
        for changes, size in (
            ((Change(f"{HERE}/sized_by", "high"), Change(f"{HERE}/height", 30.0)), (30, 30)),
            ((Change(f"{HERE}/turn", "a quarter left"),), (60, 60)),
            ((Change(f"{HERE}/crop", {"left": 0.0, "top": 0.5, "right": 0.0, "bottom": 0.0}),), (60, 30)),
            ((Change(f"{HERE}/sized_by", "of its own size"), Change(f"{HERE}/scale", 2.0)), (63.5, 63.5)),
        ):
            with self.subTest(changes[0].path):
                trace = traced(*changes)
                np.testing.assert_allclose((trace.width, trace.height), size, rtol=0.01)

    def test_a_crop_that_leaves_nothing_is_refused(self):
        with self.assertRaises(NibbleError):
            work = badge_work(badge_ticket(Change(f"{HERE}/crop", {"left": 0.6, "top": 0, "right": 0.6, "bottom": 0})))
            raise work.problems[0].error


class MendTest(unittest.TestCase):
    def test_every_mend_offered_can_be_made(self):
        tickets = [badge_ticket(), badge_ticket(Change(f"{HERE}/trace/mode", "outer")), sign()[0]]
        for ticket in tickets:
            content = SIGN if ticket.artworks[0].name.endswith("svg") else BADGE
            work = work_out(ticket, lambda _, content=content: content, MemoryStore())
            mends = [m for s in stations(ticket, work) for n in s.notes for m in n.mends]
            self.assertTrue(mends)
            for mend in mends:
                self.assertTrue(mend.copy or apply(ticket, mend.changes) != ticket)

    def test_text_without_outlines_is_set_again_in_a_font(self):
        mirrored = Change(f"{HERE}/facing", "mirrored")  # then it goes beneath
        ticket, work = sign(mirrored)
        offered = [m for n in stations(ticket, work)[0].notes for m in n.mends if "in a font" in m.label]
        self.assertEqual([mend.label for mend in offered], ["Set “hi” in a font"])
        ticket, work = sign(mirrored, *offered[0].changes)
        self.assertEqual(ticket.pieces[0].elements[-1].content.words, "hi")
        self.assertGreater(work.pieces["p1"].value.box.bottom, sign(mirrored)[1].pieces["p1"].value.box.bottom + 5)
        self.assertNotIn("Set “hi”", str([n.mends for n in stations(ticket, work)[0].notes]))

    def test_text_without_outlines_is_set_again_where_it_was(self):
        ticket, work = sign(content=MIXED, width=240)  # twice as large
        (mend,) = (m for n in stations(ticket, work)[0].notes for m in n.mends if "in a font" in m.label)
        self.assertEqual(mend.label, "Set all 2 in a font")
        ticket, work = sign(*mend.changes, content=MIXED, width=240)
        upright, other = ticket.pieces[0].elements[1:]
        painted = work.pieces["p1"].value.composed.painted
        boxes = [Box.around([shape.bounds() for of, shape in painted if of == e.id]) for e in (upright, other)]
        # its end is at (160, 60) of the drawing and it reads upwards; flat capitals, and a little space beside letters
        np.testing.assert_allclose((boxes[0].right, boxes[0].left), (160, 160 - 0.7 * 20), atol=0.02)
        self.assertAlmostEqual(boxes[0].top, 60, delta=3)
        self.assertGreater(boxes[0].bottom, 75)
        np.testing.assert_allclose((boxes[1].left + boxes[1].right) / 2, 200, atol=0.1)
        np.testing.assert_allclose((boxes[1].bottom, boxes[1].height), (140, 0.7 * 30), atol=0.02)
        self.assertNotIn("in a font", str([n.mends for n in stations(ticket, work)[0].notes]))

    def test_a_picture_within_a_drawing_is_brought_in_where_it_was(self):
        ticket, work = sign(content=MIXED, width=240)
        (mend,) = (m for n in stations(ticket, work)[0].notes for m in n.mends if "too" in m.label)
        ticket, work = sign(*mend.changes, content=MIXED, width=240)
        self.assertEqual(list(work.problems), [])
        picture, paths = ticket.pieces[0].elements
        self.assertEqual([one.part for one in ticket.artworks], ["", "picture 1"])
        # a square in a box of 120 x 100: kept in proportion and centred; its ring has its middle at (50, 50) of 120 px
        ring = max(work.artworks[picture.artwork].trace.value.kept_regions, key=lambda region: region.area())
        box = ring.mapped(work.pieces["p1"].value.places[picture.id][0]).bounds()
        middle = (box.left + box.right) / 2, (box.top + box.bottom) / 2
        np.testing.assert_allclose(middle, (20 + 10 + 50 / 1.2, 40 + 50 / 1.2), atol=0.02)
        self.assertFalse([n for n in stations(ticket, work)[0].notes for m in n.mends if "too" in m.label])
        self.assertEqual(paths.way, "apart")
