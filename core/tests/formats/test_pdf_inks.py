"""What a press makes of a client's page: pages by another library, told in words and on the ticket."""

import hashlib
import io
import unittest

import pikepdf
from reportlab.lib.colors import CMYKColor, CMYKColorSep
from reportlab.pdfgen.canvas import Canvas

from nibble_core.formats.pdf_drawing import read_pdf
from nibble_core.formats.pdf_inks import PressInks, press_inks
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply, first_ticket

PLAIN = CMYKColor(0, 0, 0, 1)
RICH = CMYKColor(0.6, 0.4, 0.4, 1)
WHITE = CMYKColor(0, 0, 0, 0)
BLUE = CMYKColor(0.9, 0.2, 0.1, 0)
SPOT = CMYKColorSep(0, 0.8, 0.9, 0, spotName="Beacon")
NO_SPOT = CMYKColorSep(0, 0.8, 0.9, 0, spotName="Beacon", density=0)


def page(*steps) -> bytes:
    """Squares of some colours, each with overprint on or off and its mode, on a blue ground; on the second page."""
    out = io.BytesIO()
    canvas = Canvas(out, (200, 200))
    canvas.showPage()
    canvas.setFillColor(BLUE)
    canvas.rect(0, 0, 200, 200, stroke=0, fill=1)
    for number, (colour, over, mode) in enumerate(steps):
        canvas.saveState()
        canvas.setFillOverprint(over)
        canvas.setOverprintMask(mode)
        canvas.setFillColor(colour)
        canvas.rect(10 + 20 * number, 50, 15, 60, stroke=0, fill=1)
        canvas.restoreState()
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def within(content: bytes) -> bytes:
    """The same with the second page as a form on itself."""
    out = io.BytesIO()
    with pikepdf.open(io.BytesIO(content)) as pdf:
        second = pdf.pages[1].obj
        form = pdf.make_stream(
            second.Contents.read_bytes(), Subtype=pikepdf.Name.Form, BBox=second.MediaBox, Resources=second.Resources
        )
        second.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(Inner=form))
        second.Contents = pdf.make_stream(b"q /Inner Do Q")
        pdf.save(out)
    return out.getvalue()


class PressInksTest(unittest.TestCase):
    def test_each_kind_is_told_from_the_others(self):
        for steps, expected in (
            ([(PLAIN, False, False), (BLUE, False, False)], PressInks()),
            ([(RICH, False, False), (PLAIN, False, False)], PressInks(rich=(0.6, 0.4, 0.4, 1))),
            ([(PLAIN, True, True), (PLAIN, True, False)], PressInks(overprints=1)),  # mode 0 sets all four
            ([(WHITE, True, True), (WHITE, False, True), (WHITE, True, False)], PressInks(vanishing=1)),
            ([(SPOT, True, False), (NO_SPOT, True, False), (SPOT, False, True)], PressInks(overprints=1, vanishing=1)),
        ):
            for content in (page(*steps), within(page(*steps))):
                with self.subTest(expected=expected):
                    self.assertEqual(press_inks(content, 2), expected)
        self.assertEqual(press_inks(page((RICH, True, True)), 1), PressInks())
        self.assertEqual(press_inks(b"%PDF-1.4 nothing", 1), PressInks())

    def test_pages_that_repeat_or_unfold_without_end_are_not_walked_through(self):
        content = within(page((RICH, False, False), (PLAIN, True, True)))
        with pikepdf.open(io.BytesIO(content)) as pdf:
            pdf.pages[1].obj.Contents = pdf.make_stream(b"/Inner Do\n" * 50_000)
            out = io.BytesIO()
            pdf.save(out)
            self.assertEqual(press_inks(out.getvalue(), 2), PressInks((0.6, 0.4, 0.4, 1), 1))
            pdf.pages[1].obj.Contents = pdf.make_stream(b"0 0 0 1 k\n" * 3_000_000)
            pdf.save(out := io.BytesIO(), compress_streams=True)
        self.assertLess(len(out.getvalue()), 100_000)
        self.assertEqual(press_inks(out.getvalue(), 2), PressInks())

    def test_it_is_said_and_white_that_vanishes_needs_a_look_where_the_page_is_printed(self):
        content = page((RICH, False, False), (WHITE, True, True), (PLAIN, True, True))
        notes = " ".join(read_pdf(content, page=2).notes)
        for words in ("C 60 M 40 Y 40 K 100: 240 %", "overprints once", "White is set to overprint once"):
            self.assertIn(words, notes)
        sha = hashlib.sha256(content).hexdigest()
        plain = first_ticket(name="Page", file=sha, file_name="page.pdf", width=60)
        plain = apply(plain, [Change("artworks/a1/part", "page 2"), Change("artworks/a1/trace/mode", "paths")])
        for prints, weight in (("the client’s page", "look"), ("the shapes", "told")):
            ticket = apply(plain, [Change("pieces/p1/layers/l1/prints", prints)])
            work = work_out(ticket, lambda _: content, MemoryStore())
            found = [note for note in stations(ticket, work)[0].notes if "White" in note.text]
            self.assertEqual([note.weight for note in found], [weight])


if __name__ == "__main__":
    unittest.main()
