"""The second side of a sheet: its copies and marks lie behind those of the first, whichever way it is turned over."""

import io
import unittest
from dataclasses import replace

import numpy as np
import pypdfium2 as pdfium

from nibble_core.errors import CannotMake, InvalidTicket
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.sheets import nest_sheet
from nibble_core.pipeline.stocktaking import stock_area
from nibble_core.pipeline.trial import trial_copy, trial_ticket
from nibble_core.sheet import Limits
from nibble_core.ticket import Change, apply, sentences, ticket_from_plain, to_plain
from nibble_core.ticket.line import line_of
from nibble_core.ticket.model import Held
from nibble_core.ticket.piece import Layer, Prints
from tests.sample import badge_ticket, badge_work

DPI = 100


def two_sided(turned="left to right", lines=(), **changes):
    """Badges that are scored from behind; marks of three corners, so that no turn maps them onto themselves."""
    plain = badge_ticket(quantity=5)
    first = replace(plain.sheets[0], marks=3, **changes)
    second = replace(first, id="s2", holds=(Held("h1", "back"),), behind="s1", turned=turned)
    back = Layer("back", Prints(), lines, "second side")
    piece = replace(plain.pieces[0], layers=(*plain.pieces[0].layers, back))
    return ticket_from_plain(to_plain(replace(plain, pieces=(piece,), sheets=(second, first))))


def look(content: bytes) -> np.ndarray:
    """What of a page is dark."""
    page = pdfium.PdfDocument(io.BytesIO(content))[0]
    return np.asarray(page.render(scale=DPI / 72).to_numpy())[..., :3].min(-1) < 128


class SecondSideTest(unittest.TestCase):
    def test_held_against_the_light_both_sides_are_one(self):
        scored = line_of("k9", "score", 0.0)
        for turned, way in (("left to right", 1), ("head to foot", 0)):
            ticket = two_sided(turned, (scored,))
            work = badge_work(ticket)
            self.assertEqual(work.problems, [])
            files = {one.name: one.content for one in write_files(ticket, work, formats=["pdf"])}
            fronts, backs = ({n: c for n, c in files.items() if ("behind" in n) == s} for s in (False, True))
            front = look(next(c for n, c in fronts.items() if n.endswith("print.pdf")))
            back = np.flip(look(next(c for n, c in backs.items() if n.endswith("print.pdf"))), way)
            with self.subTest(turned):
                self.assertEqual(front.shape, back.shape)
                marks = back.sum() * (25.4 / DPI) ** 2
                self.assertAlmostEqual(marks, 3 * np.pi * 9, delta=4.0)  # nothing else is printed on it
                self.assertLess((back & ~front).sum(), 0.03 * back.sum())
                # what is scored lies on the outlines of the first side's print
                scores = np.flip(look(next(c for n, c in backs.items() if n.endswith("cut.pdf"))), way) & ~back
                self.assertGreater(scores.sum(), 1000)
                near = np.zeros_like(front)
                for dy in (-2, 0, 2):
                    for dx in (-2, 0, 2):
                        near |= np.roll(front, (dy, dx), (0, 1))
                self.assertLess((scores & ~near).sum(), 0.05 * scores.sum())

    def test_it_takes_no_stock_follows_the_first_and_says_so(self):
        ticket = two_sided()
        work = badge_work(ticket)
        second = ticket.sheets[0]
        self.assertEqual(stock_area(second, work), 0.0)
        self.assertEqual(work.sheets["s2"].laid.value.copies, work.sheets["s1"].laid.value.copies)
        said = [one.text for one in sentences(ticket)]
        self.assertIn("Sheet 1 is the second side of sheet 2, turned over left to right", " ".join(said))
        with self.assertRaises(CannotMake):
            nest_sheet(ticket, second, work, Limits(0.1))
        other = apply(ticket, [Change("sheets/s1/stock/name", "clear film")])
        notes = [note for one in stations(other, badge_work(other)) for note in one.notes]
        mend = next(note.mends[0] for note in notes if "second side is of the stock" in note.text)
        self.assertEqual(apply(other, mend.changes).sheets[0].stock, other.sheets[1].stock)
        wide = apply(ticket, [Change("sheets/s1/panels", "panels")])
        self.assertIn("no second side", str(badge_work(wide).problems[0].error))

    def test_a_trial_of_it_has_its_first_side_too(self):
        single = trial_ticket(ticket := two_sided(lines=(line_of("k9", "score", 0.0),)), ticket.sheets[0])
        work = badge_work(single)
        self.assertEqual([one.laid.value.copies for one in work.sheets.values()], [1, 1])
        names = [one.name for one in trial_copy(single, work)]
        self.assertEqual(sum("behind" in name for name in names) * 2, len(names))

    def test_a_second_side_without_a_first_is_refused(self):
        plain = to_plain(two_sided())
        for behind in ("s2", "s9"):
            with self.assertRaises(InvalidTicket):
                ticket_from_plain(plain | {"sheets": [plain["sheets"][0] | {"behind": behind}, plain["sheets"][1]]})
        with self.assertRaisesRegex(InvalidTicket, "first"):
            apply(two_sided(), [Change("sheets/s1", None, "remove")])


if __name__ == "__main__":
    unittest.main()
