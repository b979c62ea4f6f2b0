"""Mends offered with a press: what was told is gone once they are made."""

import io
import re
import unittest
from dataclasses import replace
from unittest import mock

import cv2
import numpy as np
import shapely
from PIL import Image, ImageDraw, ImageFont
from shapely.affinity import translate

from nibble_core.formats.pixels import write_png
from nibble_core.geometry import Box
from nibble_core.graphics import Raster
from nibble_core.pipeline.notes import Note, judged
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.text.fonts import FOLDER
from nibble_core.ticket import Change, apply, first_ticket
from nibble_core.ticket.library import STARTING
from nibble_core.ticket.line import line_of
from nibble_core.ticket.model import Held, Sheet, Ticket
from nibble_core.ticket.piece import Element, Figure, Layer, Lettering, Piece, Prints, Stencil
from tests import zoo
from tests.pipeline.test_pieces import shapes, ticket_of
from tests.sample import BADGE_SHA, badge_ticket, badge_work

BOARD = STARTING.stock("birch-3mm")


def told(ticket, word):
    notes = next(one for one in stations(ticket, badge_work(ticket)) if one.key == "lines").notes
    return [note for note in notes if word in note.text]


def pressed(ticket, word, mend=0):
    (note,) = told(ticket, word)
    return apply(ticket, note.mends[mend].changes)


def disc(id, width, **more):
    return Element(id, content=Figure("circle", width), **more)


class JoinTest(unittest.TestCase):
    def sign(self, *elements, distance=0.0):
        ticket = ticket_of(elements, [line_of("k1", **shapes(distance=distance))], machine="small-laser")
        return replace(ticket, sheets=(replace(ticket.sheets[0], stock=BOARD),))

    def test_what_falls_is_joined_by_bars(self):
        apart = {"way": "apart", "across": "right of it", "down": "centred"}
        for distance in (0.0, 1.0):
            for elements in (
                [disc("e1", 40.0), disc("e2", 15.0, x=6.0, **apart), disc("e3", 9.0, x=30.0, y=14.0, **apart)],
                [Element("e1", content=Lettering("Hi it", "sans", cap_height=30.0))],
            ):
                with self.subTest(distance=distance, elements=len(elements)):
                    ticket = self.sign(*elements, distance=distance)
                    self.assertEqual(told(pressed(ticket, "nothing holds"), "nothing holds"), [])

    def test_a_stencil_without_an_edge_of_its_own_drops_waste_only(self):
        words = Element("e1", content=Lettering("HI", "sans", cap_height=30.0))
        ticket = self.sign(words)
        ticket = replace(ticket, pieces=(replace(ticket.pieces[0], stencil=Stencil("a stencil")),))
        (examined,) = badge_work(ticket).layers["l1"].examined
        self.assertEqual([face.kind for face in examined.value.dropped.faces], ["waste", "waste"])
        self.assertEqual(told(ticket, "nothing holds"), [])


class TakingTest(unittest.TestCase):
    def test_words_cut_out_of_nothing_are_told_and_set_in_the_middle(self):
        words = Element("e2", way="cut out", x=300.0, content=Lettering("Kite", "sans", cap_height=9.0))
        ticket = ticket_of([disc("e1", 60.0), words], [line_of("k1")])
        mended = pressed(ticket, "nothing away")
        self.assertEqual(told(mended, "nothing away"), [])
        self.assertEqual(len(badge_work(mended).pieces["p1"].value.regions[0].holes), 5)  # i and its dot, and the rest


class GapTest(unittest.TestCase):
    def test_closing_a_narrow_gap_closes_it_at_any_distance(self):
        for distance in (0.0, 2.0):
            pair = [disc("e1", 30.0), Element("e2",  way="apart", across="right of it",
                    down="centred", x=2 * distance + 0.2, content=Figure("rectangle", 30.0, 30.0))]  # fmt: skip
            ticket = ticket_of(pair, [line_of("k1", distance=distance, close_gaps=0.0)])
            self.assertTrue(told(ticket, "tears when weeded"))
            self.assertEqual(told(pressed(ticket, "tears when weeded"), "tears when weeded"), [])


class AcceptTest(unittest.TestCase):
    """A note that is found to be fine counts no longer, until it says something else."""

    def accepted(self, ticket, note):
        return apply(
            ticket, [Change("accepted", {"id": note.key, "said": note.text, "by": "Ines", "on": "2026-05-02"}, "add")]
        )

    def test_a_station_is_fine_until_the_thing_changes(self):
        pair = [disc("e1", 30.0), disc("e2", 20.0, way="apart", across="right of it", down="centred", x=0.2)]
        ticket = ticket_of(pair, [line_of("k1", distance=0.0, close_gaps=0.0, name="both")])
        (note,) = told(ticket, "tears when weeded")
        lines = lambda ticket: next(s for s in stations(ticket, badge_work(ticket)) if s.key == "lines")  # noqa: E731
        self.assertEqual(lines(ticket).state, "look")
        fine = self.accepted(ticket, note)
        self.assertEqual(lines(fine).state, "fine")
        (kept,) = told(fine, "tears when weeded")
        self.assertEqual((kept.weight, kept.accepted), ("accepted", "accepted by Ines on 2026-05-02"))
        wider = apply(fine, [Change("pieces/p1/elements/e2/x", 0.3)])
        self.assertEqual(lines(wider).state, "look")
        back = apply(fine, [Change(f"accepted/{note.key}", operation="remove")])
        self.assertEqual(lines(back).state, "look")

    def test_what_blocks_stays_blocked(self):
        blocked = Note("The file is gone.", weight="blocked", where="pieces/p1")
        key = judged("lines", blocked, badge_ticket()).key
        ticket = apply(badge_ticket(), [Change("accepted", {"id": key, "said": blocked.text}, "add")])
        self.assertEqual(judged("lines", blocked, ticket).weight, "blocked")


class OpeningTest(unittest.TestCase):
    def told(self, inside):
        """A ring whose hole stays open, printed with what a client's picture shows within it."""
        page = np.full((300, 300, 4), 255, np.uint8)
        cv2.circle(page, (150, 150), 120, (20, 20, 60, 255), -1, cv2.LINE_AA)
        cv2.circle(page, (150, 150), 100, (*inside, 255), -1, cv2.LINE_AA)
        content = write_png(Raster(page))
        ticket = first_ticket(
            name="Ring", file=BADGE_SHA, file_name="ring.png", width=60.0, quantity=1, mode="two-tone"
        )
        ticket = apply(ticket, [Change("pieces/p1/layers/l1/lines/k1/offset/holes", "kept")])
        work = work_out(ticket, lambda _: content, MemoryStore())
        notes = next(one for one in stations(ticket, work) if one.key == "lines").notes
        return [note.text for note in notes if "beyond the cut" in note.text]

    def test_white_within_an_opening_is_no_print_and_a_colour_is_told_by_how_far_it_reaches(self):
        self.assertEqual(self.told((255, 255, 255)), [])
        (text,) = self.told((250, 220, 90))
        self.assertAlmostEqual(float(re.findall(r"by ([\d.]+) mm", text)[0]), 20 - 2, delta=0.5)


class DroppedTest(unittest.TestCase):
    def test_what_is_dropped_leaves_the_print_and_nothing_else_does(self):
        page = np.full((240, 240, 4), (90, 160, 80, 255), np.uint8)
        cv2.circle(page, (120, 120), 60, (20, 20, 60, 255), -1, cv2.LINE_AA)
        specks = [(x, y) for x in range(9, 60, 11) for y in range(7, 230, 13)]
        for x, y in specks:
            cv2.circle(page, (x, y), 1, (20, 20, 60, 255), -1, cv2.LINE_AA)
        ticket = first_ticket(
            name="Dots", file=BADGE_SHA, file_name="dots.png", width=60.0, quantity=1, mode="two-tone"
        )
        kept = [Change("artworks/a1/clean/background", "keep"), Change("artworks/a1/trace/smallest", 2.0)]
        work = work_out(apply(ticket, kept), lambda _: write_png(Raster(page)), MemoryStore())
        (item,) = work.layers["l1"].print_laid.value.items
        alpha = item.raster.alpha
        self.assertTrue(all(alpha[y, x] == 0 for x, y in specks))
        near = np.zeros(alpha.shape, np.uint8)
        for x, y in specks:
            cv2.circle(near, (x, y), 5, 1, -1)
        self.assertEqual(int(alpha[near == 0].min()), 255)


class GrainTest(unittest.TestCase):
    def told(self, content, *changes):
        ticket = first_ticket(name="Dog", file=BADGE_SHA, file_name="dog.png", width=60.0, quantity=1, mode="two-tone")
        plain = [Change("artworks/a1/clean/background", "keep"), Change("pieces/p1/layers/l1/lines/k1/on", False)]
        ticket = apply(ticket, [*plain, *changes])
        work = work_out(ticket, lambda _: content, MemoryStore())
        notes = next(one for one in stations(ticket, work) if one.key == "trace").notes
        return [note for note in notes if "follows grain" in note.text]

    def test_a_trace_of_grain_is_told_and_each_way_out_ends_it(self):
        grain = np.random.default_rng(5).normal(128, 45, (60, 60, 1)).clip(0, 255).astype(np.uint8)
        picture = Raster(np.dstack([np.repeat(grain, 3, 2), np.full((60, 60), 255, np.uint8)]))
        content = write_png(picture)
        with mock.patch("nibble_core.pipeline.artwork_report.MANY_NODES", 250):
            (note,) = self.told(content)
            self.assertEqual(len(note.mends), 3)
            for mend in note.mends[1:]:
                self.assertEqual(self.told(content, *mend.changes), [], mend.label)
            self.assertEqual(self.told(write_png(zoo.picture(zoo.shape("cloud"), 150))), [])


class LetteringTest(unittest.TestCase):
    def traced(self, *changes):
        area = shapely.union_all([zoo.shape("word"), translate(shapely.box(0, 0, 100, 30), 0, 50)])
        content = write_png(zoo.picture(area, 800))
        ticket = apply(first_ticket(name="Word", file="0" * 64, file_name="w.png", width=100, quantity=1), changes)
        work = work_out(ticket, lambda _: content, MemoryStore())
        notes = next(one for one in stations(ticket, work) if one.key == "trace").notes
        return [note for note in notes if "like lettering" in note.text]

    def test_a_box_is_put_away_for_good_and_letters_that_are_not_traced_count_no_longer(self):
        (note,) = self.traced()
        self.assertEqual(self.traced(*note.mends[0].changes), [])
        mirrored = Change("artworks/a1/facing", "mirrored")
        self.assertEqual(self.traced(*note.mends[0].changes, mirrored), [])
        below = Change("artworks/a1/trace/areas", [{"id": "r1", "x": 0.0, "y": 0.6, "x2": 1.0, "y2": 1.0}])
        self.assertEqual(self.traced(below), [])


class FallenLetters(unittest.TestCase):
    """Words that are cut out of a shape smaller than they are."""

    def sign(self, words: Lettering, **place) -> Ticket:
        board = Element("e1", Figure("rounded rectangle", 200.0, 60.0, radius=10.0))
        cut = Element("e2", words, way="cut out", **place)
        piece = Piece("p1", "sign", 1, (board, cut), (Layer("l1", Prints(), (line_of("k1", distance=1.0),)),))
        return Ticket(
            name="Sign",
            pieces=(piece,),
            sheets=(Sheet("s1", (Held("h1", "l1"),), BOARD, STARTING.machine("small-laser")),),
        )

    def fallen(self, ticket: Ticket) -> list:
        work = work_out(ticket, lambda _: b"", MemoryStore(), upto="lines")
        lines = next(told for told in stations(ticket, work) if told.key == "lines")
        return [note for note in lines.notes if "what lies outside is lost" in note.text]

    def test_letters_that_are_lost_are_told_and_each_mend_brings_them_all_back(self):
        middle = {"across": "centred", "down": "centred"}
        self.assertEqual(self.fallen(self.sign(Lettering("QUAY", "sans", "", 30.0), **middle)), [])
        for words, place, labels in (
            (Lettering("HARBOUR MARKET", "sans", "", 30.0), middle, ["Make it smaller"]),
            (Lettering("QUAY", "sans", "", 30.0), {**middle, "x": 90.0}, ["Move it in", "Make it smaller"]),
            (Lettering("QUAY", "sans", "", 30.0), {"x": 150.0, "y": 10.0}, ["Move it in", "Make it smaller"]),
            (Lettering("ROUND THE BAY", "serif", "", 20.0, along="over a circle", radius=60.0), middle,
             ["Make it smaller"]),
        ):  # fmt: skip
            ticket = self.sign(words, **place)
            (note,) = self.fallen(ticket)
            self.assertEqual([mend.label for mend in note.mends], labels)
            for mend in note.mends:
                self.assertEqual(self.fallen(apply(ticket, mend.changes)), [], (words.words, mend.label))


class WordsTest(unittest.TestCase):
    def test_traced_lettering_gives_way_to_words_of_its_size_at_its_place(self):
        drawn = Image.new("L", (1200, 1000), 255)
        pen, font = ImageDraw.Draw(drawn), ImageFont.truetype(str(FOLDER / "Barlow-SemiBold.ttf"), 150)
        pen.ellipse([300, 80, 900, 680], fill=0)
        pen.text((330, 760), "HONEY", font=font, fill=0)
        left, top, right, bottom = (v / 10 for v in pen.textbbox((330, 760), "HONEY", font=font))
        file = io.BytesIO()
        drawn.save(file, "PNG")
        ticket = first_ticket(name="Jar", file="0" * 64, file_name="jar.png", width=120)

        def worked(ticket):
            return work_out(ticket, lambda sha: file.getvalue(), MemoryStore())

        def notes(ticket):
            trace = next(one for one in stations(ticket, worked(ticket)) if one.key == "trace")
            return [note for note in trace.notes if "looks like lettering" in note.text]

        (note,) = notes(ticket)
        again = next(mend for mend in note.mends if mend.label == "Set it again in words")
        made = apply(ticket, [*again.changes, Change("pieces/p1/elements/w1/content/words", "HONEY")])
        self.assertEqual(notes(made), [])
        regions = worked(made).pieces["p1"].value.regions
        self.assertEqual(len(regions), 1 + 5)  # the disc, and the letters set in type alone
        words = Box.around([region.bounds() for region in regions if region.bounds().height < 20])
        for told, true in zip(words, (left, top, right, bottom), strict=True):
            self.assertAlmostEqual(told, true, delta=1.5)
