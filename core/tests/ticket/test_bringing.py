"""A piece of another job, brought onto a sheet with its artworks, is drawn as it was there; a later change is taken."""

import unittest

from nibble_core.errors import InvalidTicket
from nibble_core.ticket import Change, apply, brought, brought_again
from tests.sample import badge_ticket, badge_work


class BringingTest(unittest.TestCase):
    here = badge_ticket(Change("pieces/p1/name", "own"), quantity=4)
    there = badge_ticket(Change("artworks/a1/width", 31.0), Change("pieces/p1/layers/l1/lines/k1/offset/distance", 4.5),
                         Change("name", "Other"), quantity=9)  # fmt: skip

    def test_it_lies_beside_what_was_there_and_is_drawn_the_same(self):
        both = apply(self.here, brought(self.here, "s1", self.there, "p1", job=7, revision=3))
        self.assertEqual([len(both.artworks), len(both.pieces), len(both.sheets[0].holds)], [2, 2, 2])
        piece = both.pieces[1]
        self.assertEqual((piece.quantity, piece.origin[0].job, piece.origin[0].called), (9, 7, "Other"))
        work, alone = badge_work(both), badge_work(self.there)
        self.assertEqual(work.problems, [])
        mine, theirs = (w.layers[id].laid.value.lines[0] for w, id in ((work, piece.layers[0].id), (alone, "l1")))
        self.assertAlmostEqual(mine.length, theirs.length, places=6)
        self.assertEqual(work.sheets["s1"].laid.value.copies, 13)
        twice = apply(both, brought(both, "s1", self.there, "p1", job=7, revision=3))
        self.assertEqual(len({layer.id for one in twice.pieces for layer in one.layers}), 3)

    def test_a_later_change_over_there_is_taken_and_its_quantity_here_stays(self):
        both = apply(self.here, brought(self.here, "s1", self.there, "p1", job=7, revision=3))
        id = both.pieces[1].id
        both = apply(both, [Change(f"pieces/{id}/quantity", 2)])
        later = apply(self.there, [Change("artworks/a1/width", 44.0), Change("pieces/p1/layers/l1/prints/bleed", 1.5)])
        again = apply(both, brought_again(both, id, later, revision=8))
        piece = again.pieces[1]
        self.assertEqual((piece.quantity, piece.origin[0].revision, piece.layers[0].bleed), (2, 8, 1.5))
        self.assertEqual([round(one.width) for one in again.artworks], [60, 44])
        self.assertEqual(badge_work(again).problems, [])

    def test_what_is_not_there_is_said(self):
        for sheet, piece in (("s9", "p1"), ("s1", "p9")):
            with self.assertRaises(InvalidTicket):
                brought(self.here, sheet, self.there, piece, job=7, revision=3)
        with self.assertRaises(InvalidTicket):
            brought_again(self.here, "p1", self.there, revision=3)
