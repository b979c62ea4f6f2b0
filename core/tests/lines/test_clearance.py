"""Lines led round each other: none crosses, and what need not move does not."""

import math
import unittest

import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import MultiPolygon, Point, box

from nibble_core.lines.clearance import cross, kept_clear

GAP = 0.5


def edges_apart(area, other) -> bool:
    return not shapely.boundary(area).crosses(shapely.boundary(other))


discs = st.tuples(st.floats(-30, 30), st.floats(-30, 30), st.floats(2, 25)).map(lambda d: Point(d[:2]).buffer(d[2]))


class ClearanceTest(unittest.TestCase):
    def test_each_way_of_meeting(self):
        disc = Point(0, 0).buffer(10, quad_segs=64)
        for name, other, wanted in (
            ("mostly inside, larger: grown to hold it", Point(11, 0).buffer(4, quad_segs=64), None),
            ("mostly inside, smaller: cut back", Point(3, 0).buffer(11, quad_segs=64), None),
            ("side by side: gives way", Point(15, 0).buffer(8, quad_segs=64), None),
            ("far away: stays", Point(40, 0).buffer(8), disc.area),
            ("wholly inside: stays", Point(0, 0).buffer(8), disc.area),
        ):
            with self.subTest(name):
                made, led = kept_clear(MultiPolygon([disc]), [other], GAP)
                self.assertTrue(edges_apart(made, other))
                if wanted is None:
                    self.assertEqual(led, 1)
                    self.assertAlmostEqual(made.boundary.distance(other.boundary), GAP, delta=0.005)
                else:
                    self.assertEqual((led, made.area), (0, wanted))

    def test_a_hole_is_led_round_as_well(self):
        ring = box(-20, -20, 20, 20).difference(Point(0, 0).buffer(6, quad_segs=64))
        cut = Point(5, 0).buffer(3, quad_segs=64)
        made, led = kept_clear(MultiPolygon([ring]), [cut], GAP)
        self.assertEqual(led, 1)
        self.assertTrue(edges_apart(made, cut))
        self.assertLess(made.area, ring.area)  # the hole was grown to hold the cut
        self.assertAlmostEqual(made.envelope.area, 1600)

    @settings(max_examples=60, deadline=None)
    @given(discs, st.lists(discs, min_size=1, max_size=3))
    def test_whatever_is_left_crosses_nothing(self, own, others):
        fixed: list = []
        for other in others:  # cuts that do not cross each other, as a layer has them
            if not any(cross(other, one) for one in fixed):
                fixed.append(other)
        made, led = kept_clear(MultiPolygon([own]), fixed, GAP)
        for part in made.geoms:
            for other in fixed:
                self.assertFalse(cross(part, other))
        if not any(cross(own, other) for other in fixed):
            self.assertEqual(led, 0)
        self.assertTrue(math.isfinite(made.area))
