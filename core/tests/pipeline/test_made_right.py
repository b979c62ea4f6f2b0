"""What a job must not get wrong: machines that cannot make a line, marks nobody prints, shapes as they are, several
pieces told apart, limits."""

import math
import unittest
from dataclasses import replace

import numpy as np
from PIL import Image

from nibble_core.artwork.background import take_background_away
from nibble_core.errors import CannotMake, InvalidTicket
from nibble_core.formats.pixels import read_picture
from nibble_core.lines.bleed import bleed_pixels
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.report import stations
from nibble_core.ticket import Change, apply, sentences
from nibble_core.ticket.library import MACHINES, STOCKS
from nibble_core.ticket.line import Offset, line_of
from nibble_core.ticket.model import Held, Sheet
from nibble_core.ticket.piece import Element, Figure, Layer, Piece, Prints
from tests.pictures import coverage, disc, encoded, grey_raster
from tests.sample import LINE, badge_ticket, badge_work

LAYER = "pieces/p1/layers/l1"


def two_pieces():
    """The badge, cut, and a bar on a film of its own."""
    ticket = badge_ticket()
    bar = Piece(
        "p2", "bar", 3, (Element("b1", content=Figure("rectangle", 30.0, 10.0)),),
        (Layer("l2", Prints(), (line_of("m1", "kiss cut", 0.0),)),),
    )  # fmt: skip
    sheet = Sheet("s2", (Held("h", "l2"),), STOCKS["gloss-clear-vinyl-610"], MACHINES["wide-camera-cutter"])
    return replace(ticket, pieces=(*ticket.pieces, bar), sheets=(*ticket.sheets, sheet))


class MachinesTest(unittest.TestCase):
    def test_a_line_its_machine_cannot_make_blocks_with_those_that_can(self):
        for machine, process, able in (
            ("wide-camera-cutter", "engrave", "small laser"), ("small-laser", "kiss cut", "desk cutter"),
        ):  # fmt: skip
            with self.subTest(machine, process=process):
                ticket = badge_ticket(Change(f"{LINE}/process", process), Change("sheets/s1/machine", machine))
                work = badge_work(ticket)
                told = {station.key: station for station in stations(ticket, work)}
                self.assertEqual(told["machine"].state, "blocked")
                self.assertIn(able, told["machine"].notes[0].what_to_do)
                with self.assertRaises(CannotMake):
                    write_files(ticket, work)
                off = apply(ticket, [Change(f"{LINE}/on", False)])
                left = [p.error.message for p in badge_work(off).problems if p.station == "machine"]
                self.assertTrue(all("does not take" in words for words in left), left)

    def test_marks_are_none_where_nothing_is_printed_or_none_are_wanted(self):
        self.assertEqual(len(badge_work(badge_ticket()).sheets["s1"].laid.value.marks.places), 4)
        bare = badge_work(badge_ticket(Change(f"{LAYER}/prints", "nothing"))).sheets["s1"].laid.value
        none = badge_work(badge_ticket(Change("sheets/s1/marks", 0))).sheets["s1"].laid.value
        for layout in (bare, none):
            self.assertEqual(layout.marks.places, ())
            self.assertLess(layout.width, badge_work(badge_ticket()).sheets["s1"].laid.value.width)
        ticket = badge_ticket(Change(f"{LAYER}/prints", "nothing"))
        self.assertIn("no registration marks", " ".join(s.text for s in sentences(ticket)))


class ShapesAsTheyAreTest(unittest.TestCase):
    def test_shapes_at_no_distance_keep_their_gaps_and_holes_whatever_the_ticket_closes(self):
        ring = Element("e1", content=Figure("ring", 20.0, wall=2.0))
        other = Element("e2",  way="apart", content=Figure("circle", 6.0), across="right of it",
                        down="centred", x=0.4)  # fmt: skip
        line = line_of("k1", "kiss cut", 0.0, close_gaps=1.5, source="the shapes")
        ticket = badge_ticket()
        piece = replace(ticket.pieces[0], elements=(ring, other), layers=(Layer("l1", Prints(), (line,)),))
        drawn = badge_work(replace(ticket, artworks=(), pieces=(piece,))).layers["l1"].laid.value.lines[0]
        wanted = math.pi * (10**2 - 8**2 + 3**2)
        self.assertAlmostEqual(sum(region.area() for region in drawn.regions), wanted, delta=0.1)
        self.assertEqual(len(drawn.paths), 3)

    def test_choosing_shapes_closes_nothing_until_asked(self):
        chosen = apply(badge_ticket(), [Change(f"{LINE}/source", "the shapes")])
        line = chosen.pieces[0].layers[0].lines[0]
        self.assertEqual(line.offset, Offset(2.0, close_gaps=0.0, holes="kept", smallest_hole=0.0))
        asked = apply(
            badge_ticket(), [Change(f"{LINE}/source", "the shapes"), Change(f"{LINE}/offset/close_gaps", 0.8)]
        )
        self.assertEqual(asked.pieces[0].layers[0].lines[0].offset.close_gaps, 0.8)

    def test_bays_that_the_distance_closes_off_are_holes_like_others(self):
        hook = Element("e1", content=Figure("ring", 40.0, wall=4.0))
        slot = Element("e2",  way="cut out", content=Figure("rectangle", 20.0, 3.0),
                       across="right edges", down="centred", x=1.0)  # fmt: skip
        for holes, smallest, count in (("kept", 0.0, 1), ("kept", 40.0, 0), ("filled", 0.0, 0)):
            with self.subTest(holes, smallest=smallest):
                line = line_of("k1", "kiss cut", 2.0, close_gaps=0.0, holes=holes, smallest_hole=smallest)
                ticket = badge_ticket()
                piece = replace(ticket.pieces[0], elements=(hook, slot), layers=(Layer("l1", Prints(), (line,)),))
                drawn = badge_work(replace(ticket, artworks=(), pieces=(piece,))).layers["l1"].laid.value.lines[0]
                self.assertEqual(sum(len(region.holes) for region in drawn.regions), count)


class SeveralTest(unittest.TestCase):
    def test_sentences_figures_notes_and_files_say_what_they_belong_to(self):
        ticket = two_pieces()
        work = badge_work(ticket)
        told = {station.key: station for station in stations(ticket, work)}
        lay = [s.text for s in sentences(ticket) if s.id.endswith("-lay")]
        self.assertTrue(lay[0].startswith("Sheet 1, sticker:") and lay[1].startswith("Sheet 2, bar:"), lay)
        self.assertEqual(dict(told["lines"].facts), {"p1": "1 line", "p2": "1 line"})
        boxes = {f.about: f.value for f in told["lines"].figures if f.label == "mm, the piece"}
        self.assertEqual(boxes["p2"], "30.0 × 10.0")
        self.assertNotEqual(boxes["p1"], boxes["p2"])
        self.assertTrue(all(note.of for note in told["lines"].notes if note.where.startswith("pieces/")))
        names = [file.name for file in write_files(ticket, work)]
        self.assertIn("badge-sheet-1-sticker-cut.pdf", names)
        self.assertIn("badge-sheet-2-bar-cut.pdf", names)


class LimitsTest(unittest.TestCase):
    def test_lists_without_end_are_refused_in_words_before_they_are_kept(self):
        words = [{"id": f"e{n}", "kind": "text"} for n in range(10_000)]
        lines = [{"id": f"k{n}"} for n in range(10_000)]
        for path, value in (("pieces/p1/elements", words), (f"{LAYER}/lines", lines)):
            with self.subTest(path), self.assertRaises(InvalidTicket) as caught:
                apply(badge_ticket(), [Change(path, value)])
            self.assertIn("10 000", caught.exception.message)
        with self.assertRaises(InvalidTicket):
            apply(badge_ticket(), [Change(f"pieces/p1/elements/e1/{side}", 50) for side in ("columns", "rows")])


class BleedTest(unittest.TestCase):
    def test_bleed_of_a_compressed_picture_is_never_less_than_stated(self):
        ink = coverage(disc(100, 100, 60), 200)
        image = Image.fromarray(grey_raster(0.6 * ink).pixels).convert("RGB")
        raster = read_picture(encoded(image, "JPEG", quality=60)).raster
        cleaned = take_background_away(raster, way="flood").raster
        grown, pad = bleed_pixels(cleaned, 1.0, mm_per_px=0.1)
        y, x = np.mgrid[0 : grown.height, 0 : grown.width] + 0.5
        away = np.hypot(x - pad - 100, y - pad - 100)
        self.assertEqual(int((grown.alpha[(away > 61) & (away < 70)] < 250).sum()), 0)
        self.assertFalse(grown.alpha[away > 75].any())
