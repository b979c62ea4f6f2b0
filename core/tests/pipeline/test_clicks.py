"""What a click on the table means: the hole, the region or the ring that lies there."""

import unittest
from dataclasses import replace

from nibble_core.errors import InvalidTicket
from nibble_core.pipeline.clicks import hole_clicked, kerf_clicked, region_clicked
from nibble_core.ticket import apply
from nibble_core.ticket.line import line_of
from nibble_core.ticket.piece import Element, Figure
from tests.pipeline.test_pieces import DISC, RING, badge_work, drawn, shapes, ticket_of

BAR = Element("e2", way="apart", content=Figure("rectangle", 10.0, 10.0), across="centred", down="centred")


def clicked(click, ticket, line, x, y):
    return apply(ticket, click(ticket, "l1", line, badge_work(ticket), x, y))


class HoleTest(unittest.TestCase):
    def test_a_hole_is_kept_or_filled_against_the_rule_and_left_to_it_again(self):
        for rule, rings in (("filled", 2), ("kept", 1)):
            ticket = ticket_of([RING], [line_of("k1", distance=0.0, holes=rule, smallest_hole=4.0)])
            once = clicked(hole_clicked, ticket, "", 0.4, 0.6)  # 14 mm beside the middle: in the hole, 40 mm wide
            mark = once.layer("l1").lines[0].offset.hole_marks[0]
            self.assertAlmostEqual(abs(mark.x - 0.5) + abs(mark.y - 0.5), 0, delta=1e-3)
            self.assertEqual(len(drawn(once).paths), rings)
            self.assertEqual(clicked(hole_clicked, once, "k1", 0.7, 0.5), ticket)

    def test_a_hole_too_small_for_the_rule_is_kept_by_the_first_click(self):
        ticket = ticket_of([RING], [line_of("k1", distance=0.0, holes="kept", smallest_hole=41.0)])
        self.assertEqual(
            clicked(hole_clicked, ticket, "", 0.5, 0.5).layer("l1").lines[0].offset.hole_marks[0].holes, "kept"
        )

    def test_where_there_is_none_it_is_said(self):
        ticket = ticket_of([RING], [line_of("k1")])
        for x, line, why in ((0.05, "", "No hole"), (0.5, "k9", "not there any more")):
            with self.assertRaisesRegex(InvalidTicket, why):
                clicked(hole_clicked, ticket, line, x, 0.5)


class RegionTest(unittest.TestCase):
    def test_of_two_that_lie_in_each_other_the_one_clicked_is_chosen_and_let_go(self):
        ticket = ticket_of([DISC, BAR], [line_of("k1", **shapes(source="chosen regions"))])
        disc = clicked(region_clicked, ticket, "k1", 0.1, 0.5)
        both = clicked(region_clicked, disc, "k1", 0.52, 0.5)
        self.assertEqual(len(both.layer("l1").lines[0].source.regions), 2)
        self.assertEqual(clicked(region_clicked, both, "k1", 0.48, 0.5), disc)

    def test_with_no_line_in_hand_it_is_the_layer_s(self):
        ticket = ticket_of([DISC], [])
        once = clicked(region_clicked, ticket, "", 0.5, 0.5)
        self.assertEqual(len(once.layer("l1").regions), 1)
        self.assertEqual(clicked(region_clicked, once, "", 0.2, 0.5), ticket)
        with self.assertRaisesRegex(InvalidTicket, "No region"):
            clicked(region_clicked, ticket, "", 0.01, 0.01)


class KerfTest(unittest.TestCase):
    def test_clicks_near_a_ring_go_through_its_sides_however_far_apart_they_are(self):
        ticket = ticket_of([RING], [line_of("k0", "kiss cut"), line_of("k1", distance=0.0, **{"holes": "kept"})])
        sides = []
        for x, y in ((0.0, 0.5), (1.0, 0.5), (0.5, 0.02), (0.5, 1.0)):  # all round the outline, 60 mm across
            ticket = clicked(kerf_clicked, ticket, "k0", x, y)
            sides.append([mark.side for mark in ticket.layer("l1").lines[1].process.kerf_marks])
        self.assertEqual(sides, [["outside"], ["inside"], ["on the line"], []])

    def test_two_rings_closer_than_a_finger_are_told_apart(self):
        thin = replace(RING, content=Figure("ring", 20.0, wall=1.0))
        ticket = ticket_of([thin], [line_of("k1", distance=0.0, holes="kept")])
        for x in (0.0, 0.055):  # 0 and 1.1 mm inside the outer edge; the hole's edge is at 1 mm
            ticket = clicked(kerf_clicked, ticket, "", x, 0.5)
        self.assertEqual(len(ticket.layer("l1").lines[0].process.kerf_marks), 2)

    def test_without_a_cut_it_is_said(self):
        with self.assertRaisesRegex(InvalidTicket, "no through cut"):
            clicked(kerf_clicked, ticket_of([RING], [line_of("k0", "kiss cut")]), "", 0.0, 0.5)
