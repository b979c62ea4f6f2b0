"""Mends offered with a press: what was told is gone once they are made."""

import unittest
from dataclasses import replace

from nibble_core.pipeline.report import stations
from nibble_core.ticket import apply
from nibble_core.ticket.library import STARTING
from nibble_core.ticket.piece import Element, Figure, Lettering, Line, Stencil
from tests.pipeline.test_pieces import shapes, ticket_of
from tests.sample import badge_work

BOARD = STARTING.stock("birch-3mm")


def told(ticket, word):
    notes = next(one for one in stations(ticket, badge_work(ticket)) if one.key == "lines").notes
    return [note for note in notes if word in note.text]


def pressed(ticket, word, mend=0):
    (note,) = told(ticket, word)
    return apply(ticket, note.mends[mend].changes)


def disc(id, width, **more):
    return Element(id, kind="simple shape", figure=Figure("circle", width), **more)


class JoinTest(unittest.TestCase):
    def sign(self, *elements, distance=0.0):
        ticket = ticket_of(elements, [Line("k1", **shapes(distance=distance))], machine="small-laser")
        return replace(ticket, sheets=(replace(ticket.sheets[0], stock=BOARD),))

    def test_what_falls_is_joined_by_bars(self):
        apart = {"way": "apart", "across": "right of it", "down": "centred"}
        for distance in (0.0, 1.0):
            for elements in (
                [disc("e1", 40.0), disc("e2", 15.0, x=6.0, **apart), disc("e3", 9.0, x=30.0, y=14.0, **apart)],
                [Element("e1", kind="text", lettering=Lettering("Hi it", "sans", cap_height=30.0))],
            ):
                with self.subTest(distance=distance, elements=len(elements)):
                    ticket = self.sign(*elements, distance=distance)
                    self.assertEqual(told(pressed(ticket, "nothing holds"), "nothing holds"), [])

    def test_a_stencil_without_an_edge_of_its_own_drops_waste_only(self):
        words = Element("e1", kind="text", lettering=Lettering("HI", "sans", cap_height=30.0))
        ticket = self.sign(words)
        ticket = replace(ticket, pieces=(replace(ticket.pieces[0], stencil=Stencil("a stencil")),))
        (examined,) = badge_work(ticket).examined["l1"]
        self.assertEqual([face.kind for face in examined.value.dropped.faces], ["waste", "waste"])
        self.assertEqual(told(ticket, "nothing holds"), [])


class TakingTest(unittest.TestCase):
    def test_words_cut_out_of_nothing_are_told_and_set_in_the_middle(self):
        words = Element("e2", kind="text", way="cut out", x=300.0, lettering=Lettering("Kite", "sans", cap_height=9.0))
        ticket = ticket_of([disc("e1", 60.0), words], [Line("k1")])
        mended = pressed(ticket, "takes nothing away")
        self.assertEqual(told(mended, "takes nothing away"), [])
        self.assertEqual(len(badge_work(mended).pieces["p1"].value.regions[0].holes), 5)  # i and its dot, and the rest


class GapTest(unittest.TestCase):
    def test_closing_a_narrow_gap_closes_it_at_any_distance(self):
        for distance in (0.0, 2.0):
            pair = [disc("e1", 30.0), Element("e2", kind="simple shape", way="apart", across="right of it",
                    down="centred", x=2 * distance + 0.2, figure=Figure("rectangle", 30.0, 30.0))]  # fmt: skip
            ticket = ticket_of(pair, [Line("k1", distance=distance, close_gaps=0.0)])
            self.assertTrue(told(ticket, "tears when weeded"))
            self.assertEqual(told(pressed(ticket, "tears when weeded"), "tears when weeded"), [])
