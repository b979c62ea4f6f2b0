"""Papers read by a general PDF library: one page of the right size, words that can be found, nothing for strangers."""

import io
import unittest
from dataclasses import replace

import numpy as np
import pikepdf
import pypdfium2 as pdfium

from nibble_core.errors import NibbleError
from nibble_core.papers import SIZES, priced, printed_ticket, proof, quote
from nibble_core.papers.page import width_of, wrapped
from nibble_core.pipeline.afterwards import steps_of
from nibble_core.ticket import STARTING, Change, apply, sentences
from nibble_core.ticket.library import Rates
from nibble_core.ticket.line import line_of
from nibble_core.ticket.model import Held, Layer, Piece, Sheet, Ticket
from nibble_core.ticket.piece import Element, Figure, Prints
from nibble_core.ticket.steps import GiveSecondSide
from tests.sample import LINE, badge_ticket, badge_work

MM = 72 / 25.4
STAR = Figure("star", 30, 20)


def words_of(content: bytes) -> str:
    document = pdfium.PdfDocument(content)
    return " ".join(" ".join(page.get_textpage().get_text_bounded() for page in document).split())


def ink_in(content: bytes, left: float, top: float, right: float, bottom: float) -> float:
    """The share of a box in mm that is not white."""
    image = np.asarray(pdfium.PdfDocument(content)[0].render(scale=2, grayscale=True).to_numpy()).squeeze()
    k = 2 * MM
    part = image[int(top * k) : int(bottom * k), int(left * k) : int(right * k)]
    return float((part < 250).mean())


class PaperTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.ticket = badge_ticket(
            Change("client", "Harbour Hive"), Change("sheets/s1/stock", "shirt-film-navy-500"),
            Change("sheets/s1/weed_lines", "weed lines"), quantity=12,
        )  # fmt: skip
        cls.work = badge_work(cls.ticket)

    def test_the_ticket_says_every_sentence_the_press_the_settings_and_its_code(self):
        for size, (width, height) in SIZES.items():
            content = printed_ticket(self.ticket, self.work, code="12.7", size=size)
            page = pdfium.PdfDocument(content)[0]
            self.assertAlmostEqual(page.get_width() / MM, width, places=2)
            self.assertAlmostEqual(page.get_height() / MM, height, places=2)
            said = words_of(content)
            told = {sentence.id: sentence.text for sentence in sentences(self.ticket)}
            for id in ("a1-size", "a1-trace", LINE, "s1-lay", "s1-border", "s1-machine"):
                self.assertIn(" ".join(told[id].split())[:40], said)
            for words in ("ticket 12.7", "Harbour Hive", "150 °C, 12 s, medium pressure, peel warm", "12 wanted",
                          "12 copies", "260 g", "through cut", "hatched goes", "due ____",
                          "Who allowed its use: ____"):  # fmt: skip
                self.assertIn(words, said)
            for words in ("Flat tones", "no hanger", "not said yet"):  # as usual, or nothing
                self.assertNotIn(words, said)
            self.assertEqual(said.count("260 g"), 1)
            self.assertGreater(ink_in(content, width - 30, 12, width - 12, 29), 0.2)  # the code

    def many(self, count: int):
        def one(n: int) -> Piece:
            lines = tuple(line_of(f"k{n}{i}", distance=i) for i in range(1, 5))
            star = Element(f"e{n}", STAR)
            return Piece(f"q{n}", f"piece number {n}", 3, (star,), (Layer(f"m{n}", Prints(), lines),))

        return replace(self.ticket, pieces=(*self.ticket.pieces, *(one(n) for n in range(count))))

    def test_a_job_of_many_pieces_takes_as_many_pages_and_leaves_nothing_out(self):
        many = self.many(9)
        work = badge_work(many)
        for content in (
            printed_ticket(many, work, code="1.1"), proof(many, work, code="1.1"),
            quote(many, work, Rates(), code="1.1"),
        ):  # fmt: skip
            said = words_of(content)
            for n in range(9):
                self.assertIn(f"piece number {n}", said)
            self.assertGreater(len(pdfium.PdfDocument(content)), 1)
            self.assertIn("page 2", said)
        said = words_of(printed_ticket(many, work, code="1.1"))
        self.assertIn("All: Through cut 2.0 mm outside", said)
        for distance in range(1, 5):
            self.assertEqual(said.count(f"Through cut {distance}.0 mm outside"), 1)
        named = " ".join(f"piece number {n}," for n in range(8))
        self.assertIn(f"{named[:1].upper()}{named[1:]} piece number 8: Through cut 1.0 mm outside", said)

    def test_the_proof_shows_the_piece_at_its_size_and_no_production_line(self):
        content = proof(self.ticket, self.work, code="12.7", shop="Quay Signs")
        said = words_of(content)
        for words in ("Proof for Harbour Hive", "Quay Signs", "shown at its true size", "12 pieces", "Approved by"):
            self.assertIn(words, said)
        self.assertFalse(any(word in said for word in ("through cut", "Nibble Through", "mark", "spacing")))
        self.assertGreater(ink_in(content, 14, 40, 70, 100), 0.3)

    def test_the_proof_shows_the_piece_on_what_it_goes_on(self):
        for thing, rule in (("a shirt", "75 mm below the collar"), ("a window", "0 mm below eye height")):
            on = apply(self.ticket, [Change("pieces/p1/goods", thing), Change("pieces/p1/goods/colour", "#ff0000")])
            content = proof(on, badge_work(on), code="1.1")
            self.assertIn(f"On {thing}, {rule}", words_of(content))
            image = pdfium.PdfDocument(content)[0].render(scale=1).to_numpy()[..., :3]
            self.assertGreater(int((np.abs(image.astype(int) - [0, 0, 255]).max(-1) < 8).sum()), 2000)

    def test_a_quote_adds_up_and_tells_the_client_nothing_of_how(self):
        rates = Rates(hour=60.0, set_up=10.0, weeding=30.0, mark_up=0.5, tax=0.25, money="kr")
        rows = priced(self.ticket, self.work, rates)
        laid, line = self.work.sheets["s1"].laid.value, self.work.layers["l1"].laid.value.lines[0]
        amounts = {row.what: row.amount for row in rows}
        self.assertAlmostEqual(amounts["Set-up"], 10.0)
        self.assertAlmostEqual(amounts["navy shirt film, 500 mm roll"], 0.5 * laid.height / 1000 * 14.0)
        self.assertAlmostEqual(amounts["Weeding"], 12 * line.length / 1000 * 30 / 60)
        total = sum(row.amount for row in rows)
        self.assertAlmostEqual(amounts["Mark-up"], total / 3)
        said = words_of(quote(self.ticket, self.work, rates, code="12.7"))
        self.assertIn(f"{total:.2f} kr", said)
        self.assertIn(f"{total * 1.25:.2f} kr", said)
        self.assertNotIn("Mark-up", said)
        broken = apply(self.ticket, [Change("sheets/s1/spacing", 190.0), Change("artworks/a1/width", 4000.0)])
        with self.assertRaises(NibbleError):
            priced(broken, badge_work(broken), STARTING.rates)

    def test_no_line_is_wider_than_its_column(self):
        words = "a very " + "long" * 60 + " word among short ones"
        for line in wrapped(words, 40, 9):
            self.assertLessEqual(width_of(line, 9), 40)
        self.assertEqual("".join(wrapped(words, 40, 9)).replace(" ", ""), words.replace(" ", ""))


class AfterwardsTest(unittest.TestCase):
    def test_only_what_happens_to_a_job_is_there_to_be_ticked(self):
        film = badge_ticket(Change("sheets/s1/stock", "shirt-film-navy-500"), Change(f"{LINE}/process", "kiss cut"))
        self.assertEqual(steps_of(film), ["printed", "cut", "weeded", "pressed", "delivered"])
        board = badge_ticket(Change("sheets/s1/stock", "birch-3mm"), Change("pieces/p1/layers/l1/prints", "nothing"))
        self.assertEqual(steps_of(board), ["cut", "delivered"])
        off = badge_ticket(Change(f"{LINE}/on", False))
        self.assertEqual(steps_of(off), ["printed", "delivered"])
        said = words_of(printed_ticket(board, badge_work(board), code="1.1"))
        self.assertIn("delivered", said)
        self.assertNotIn("weeded", said)


class WhatIsMade(unittest.TestCase):
    """Engraving, scores and second sides are seen by the client; nothing is named that is not there."""

    def fob(self, *lines):
        plate = Element("e1", Figure("rectangle", 60.0, 40.0, colour="#c02020"))
        disc = Element("e2", Figure("circle", 16.0, colour="#2040c0"), way="apart", across="centred", down="centred")
        cut = line_of("k1", "through cut", 0.0, source="the outer shape")
        piece = Piece("p1", "fob", 5, (plate, disc), (Layer("l1", Prints(), (cut, *lines)),))
        stock, machine = STARTING.stock("birch-3mm"), STARTING.machine("small-laser")
        settings = STARTING.settings_of(machine.key, stock.key)
        sheet = Sheet("s1", (Held("h1", "l1"),), stock, machine, settings=settings)
        ticket = Ticket(name="Fobs", pieces=(piece,), sheets=(sheet,))
        return ticket, badge_work(ticket)

    def brown(self, content):
        image = pdfium.PdfDocument(content)[0].render(scale=2).to_numpy()[..., :3].astype(int)
        return int((np.abs(image - [0x2A, 0x4B, 0x7B]).max(-1) < 30).sum())

    def test_engraving_and_scores_are_on_proof_and_quote_and_no_ink_is_named(self):
        of = {"source": "one element", "of": "e2", "close_gaps": 0.0}
        engraved = line_of("k2", "engrave", 0.0, fill="by hatching", interval=0.3, **of)
        scored = line_of("k2", "score", 3.0, **of)
        bare, with_engraving, with_score = self.fob(), self.fob(engraved), self.fob(scored)
        self.assertNotIn("#c02020", words_of(proof(*bare, code="1.1")))
        for ticket, work in (with_engraving, with_score):
            for write in (lambda t, w: proof(t, w, code="1.1"), lambda t, w: quote(t, w, Rates(), code="1.1")):
                page = pdfium.PdfDocument(write(ticket, work))[0].render(scale=2).to_numpy()
                plain = pdfium.PdfDocument(write(*bare))[0].render(scale=2).to_numpy()
                left = slice(0, 400), slice(0, 400)
                self.assertGreater(int((np.abs(page[left].astype(int) - plain[left]).max(-1) > 40).sum()), 60)
        self.assertGreater(self.brown(proof(*with_engraving, code="1.1")), self.brown(proof(*bare, code="1.1")) + 2000)

    def test_a_second_side_is_shown_beside_the_first_and_hides_nothing(self):
        ticket = badge_ticket(quantity=2)
        two = apply(ticket, GiveSecondSide("s1").changes(ticket))
        plain, both = (proof(one, badge_work(one), code="1.1") for one in (ticket, two))
        looks = [pdfium.PdfDocument(one)[0].render(scale=1).to_numpy().astype(int) for one in (plain, both)]
        dark = [(one[:420].sum(-1) < 500).sum() for one in looks]
        self.assertGreater(dark[1], 0.6 * dark[0])


class EveryLetter(unittest.TestCase):
    NAMES = (
        "Ørsted & Łukasz Çelik", "Żółć Ångström", "Ναυτικός Όμιλος Ορρινμάουθ", "Ελληνικά γράμματα",
        "Общество маяка № 5", "Київська пекарня", "Трба ⌀ 12 мм", "灯台の友の会", "海の家 2号", "Kite Week 🪁",
        "\u202eevil\u202c name", "a" * 100,
    )  # fmt: skip

    def test_every_letter_is_there_or_told_on_every_paper_and_all_fonts_are_embedded(self):
        base = badge_ticket(quantity=2)
        work = badge_work(base)
        for name in self.NAMES:
            ticket = replace(base, client=name, name=f"Job for {name}"[:110])
            papers = (
                printed_ticket(ticket, work, code="1.1"), proof(ticket, work, code="1.1", shop=name),
                quote(ticket, work, Rates(), code="1.1", shop=name),
            )  # fmt: skip
            for content in papers:
                said = words_of(content).replace(" ", "")
                for letter in name:
                    shown = letter in said or f"U+{ord(letter):04X}" in said
                    self.assertTrue(shown or letter.isspace() or not letter.isprintable(), (name, letter))
                with pikepdf.open(io.BytesIO(content)) as pdf:
                    fonts = [
                        one
                        for one in pdf.objects
                        if isinstance(one, pikepdf.Dictionary) and one.get("/Type") == "/Font"
                    ]
                    self.assertTrue(fonts)
                    for font in fonts:
                        self.assertIn("/FontFile2", font.FontDescriptor, str(font.get("/BaseFont")))

    def test_a_long_name_keeps_off_the_code_and_on_the_page(self):
        base = badge_ticket(quantity=2)
        work = badge_work(base)
        code = printed_ticket(base, work, code="1.1")
        for name in ("Company of Master Sign Writers of Orrinmouth and the Outer Islands, Limited, 1896", "W" * 100):
            content = printed_ticket(replace(base, client=name, name=name), work, code="1.1")
            one, other = (
                pdfium.PdfDocument(paper)[0].render(scale=2, grayscale=True).to_numpy().squeeze()
                for paper in (code, content)
            )
            k = 2 * MM
            box = slice(int(11 * k), int(30 * k)), slice(int((210 - 31) * k), int((210 - 11) * k))
            self.assertTrue((one[box] == other[box]).all(), "nothing runs over the code")
            self.assertEqual(ink_in(content, 200, 0, 209, 297), 0.0)
