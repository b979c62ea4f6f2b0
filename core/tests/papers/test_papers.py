"""Papers read by a general PDF library: one page of the right size, words that can be found, nothing for strangers."""

import unittest
from dataclasses import replace

import numpy as np
import pypdfium2 as pdfium

from nibble_core.errors import NibbleError
from nibble_core.papers import SIZES, priced, printed_ticket, proof, quote
from nibble_core.papers.page import width_of, wrapped
from nibble_core.ticket import STARTING, Change, apply, sentences
from nibble_core.ticket.library import Rates
from nibble_core.ticket.line import line_of
from nibble_core.ticket.model import Layer, Piece
from nibble_core.ticket.piece import Element, Figure, Prints
from tests.sample import badge_ticket, badge_work

MM = 72 / 25.4
STAR = Figure("star", 30, 20)


def words_of(content: bytes) -> str:
    document = pdfium.PdfDocument(content)
    assert len(document) == 1
    return " ".join(document[0].get_textpage().get_text_bounded().split())


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
            for sentence in sentences(self.ticket):
                self.assertIn(" ".join(sentence.text.split())[:40], said)
            for words in ("ticket 12.7", "Harbour Hive", "150 °C, 12 s, medium pressure, peel warm", "12 wanted",
                          "12 up", "260 g", "through cut", "hatched goes"):  # fmt: skip
                self.assertIn(words, said)
            self.assertGreater(ink_in(content, width - 30, 12, width - 12, 29), 0.2)  # the code

    def test_a_job_of_many_pieces_still_fits_one_page_and_counts_what_it_leaves_out(self):
        def one(n: int) -> Piece:
            lines = tuple(line_of(f"k{n}{i}", distance=i) for i in range(1, 5))
            star = Element(f"e{n}", STAR)
            return Piece(f"q{n}", f"piece number {n}", 3, (star,), (Layer(f"m{n}", Prints(), lines),))

        pieces = tuple(one(n) for n in range(20))
        many = replace(self.ticket, pieces=(*self.ticket.pieces, *pieces))
        said = words_of(printed_ticket(many, badge_work(many), code="1.1"))
        self.assertIn("more on screen", said)

    def test_the_proof_shows_the_piece_at_its_size_and_no_production_line(self):
        content = proof(self.ticket, self.work, code="12.7", shop="Quay Signs")
        said = words_of(content)
        for words in ("Proof for Harbour Hive", "Quay Signs", "shown at its true size", "12 pieces", "Approved by"):
            self.assertIn(words, said)
        self.assertFalse(any(word in said for word in ("through cut", "Nibble Through", "mark", "spacing")))
        self.assertGreater(ink_in(content, 14, 40, 70, 100), 0.3)

    def test_the_proof_shows_the_piece_on_what_it_goes_on(self):
        for thing, rule in (("a shirt", "75 mm below the collar"), ("a jar", "0 mm below the middle of its belly")):
            on = apply(self.ticket, [Change("pieces/p1/thing", thing), Change("pieces/p1/thing_colour", "#ff0000")])
            content = proof(on, badge_work(on), code="1.1")
            self.assertIn(f"On {thing}, {rule}", words_of(content))
            image = pdfium.PdfDocument(content)[0].render(scale=1).to_numpy()[..., :3]
            self.assertGreater(int((np.abs(image.astype(int) - [0, 0, 255]).max(-1) < 8).sum()), 2000)

    def test_a_quote_adds_up_and_tells_the_client_nothing_of_how(self):
        rates = Rates(hour=60.0, set_up=10.0, weeding=30.0, mark_up=0.5, tax=0.25, money="kr")
        rows = priced(self.ticket, self.work, rates)
        laid, line = self.work.sheets["s1"].value, self.work.layers["l1"].value.lines[0]
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
