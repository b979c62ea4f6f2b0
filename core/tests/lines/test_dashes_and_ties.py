"""Perforations and ties: whole dashes, exact ties, none at a corner; and places along a path by arc length."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import InvalidTicket
from nibble_core.geometry import Path, Point
from nibble_core.geometry.along import Along, corner_nodes, corner_places
from nibble_core.lines.figures import ellipse, figure
from nibble_core.lines.perforation import perforated
from nibble_core.lines.ties import tied
from tests.strategies import paths, stars

lengths = st.floats(0.3, 6).map(lambda v: round(v, 2))
tie_lengths = st.floats(0.1, 1.5).map(lambda v: round(v, 2))


def ties_of(dashes, closed=True) -> np.ndarray:
    following = np.append(dashes.starts[1:], dashes.starts[0] + dashes.length) if closed else dashes.starts[1:]
    return following - dashes.ends[: len(following)]


class PerforationTest(unittest.TestCase):
    def test_a_circle_has_equal_dashes(self):
        dashes = perforated(Path.circle(0, 0, 30), 3, 0.8)
        self.assertEqual(len(dashes), round(2 * math.pi * 30 / 3.8))
        self.assertLess(np.ptp(dashes.ends - dashes.starts), 1e-9)
        np.testing.assert_allclose(ties_of(dashes), 0.8, atol=1e-9)

    @given(stars(3, 9), lengths, tie_lengths)
    @settings(max_examples=60, deadline=None)
    def test_any_outline_gets_exact_ties_and_no_short_dash(self, corners, cut, tie):
        ring = Path.polygon(corners)
        dashes = perforated(ring, cut, tie)
        if len(dashes) > 1:
            np.testing.assert_allclose(ties_of(dashes), tie, atol=1e-9)
        self.assertGreaterEqual((dashes.ends - dashes.starts).min(), min(cut / 2, dashes.length) - 1e-9)

    @given(stars(3, 9), st.floats(2, 6), tie_lengths)
    @settings(max_examples=60, deadline=None)
    def test_no_tie_is_at_a_corner(self, corners, cut, tie):
        ring = Path.polygon(corners)
        guard = 0.2
        dashes = perforated(ring, cut, tie, guard=guard)
        sharp = corner_places(ring, math.radians(25))
        if len(dashes) < 2 or not len(sharp):
            return
        middles = (dashes.ends + np.append(dashes.starts[1:], dashes.starts[0] + dashes.length)) / 2
        off = np.abs((middles[:, None] - sharp[None] + dashes.length / 2) % dashes.length - dashes.length / 2)
        self.assertGreaterEqual(off.min(), tie / 2 + guard - 1e-6)

    def test_dashes_lie_on_the_line_and_add_up(self):
        ring = figure("star", 60, 0)[0].outer
        dashes = perforated(ring, 3, 0.8)
        outline = shapely.LinearRing(ring.flattened())
        for path in dashes.bundle:
            self.assertLess(outline.hausdorff_distance(outline.union(shapely.LineString(path.flattened()))), 1e-6)
        total = dashes.bundle.length
        self.assertAlmostEqual(total, float((dashes.ends - dashes.starts).sum()), places=6)
        self.assertAlmostEqual(total + 0.8 * len(dashes), dashes.length, places=6)

    def test_an_open_line_begins_and_ends_with_a_dash(self):
        dashes = perforated(Path.polygon([(0, 0), (100, 0)], closed=False), 3, 1)
        self.assertEqual((dashes.starts[0], dashes.ends[-1]), (0.0, 100.0))
        np.testing.assert_allclose(ties_of(dashes, closed=False), 1, atol=1e-9)

    def test_a_line_too_short_for_a_tie_stays_whole(self):
        self.assertEqual(len(perforated(Path.polygon([(0, 0), (1, 0)], closed=False), 3, 1)), 1)

    def test_lengths_must_be_given(self):
        for cut, tie in ((0, 1), (1, 0), (-1, 1)):
            with self.assertRaises(InvalidTicket):
                perforated(Path.circle(0, 0, 5), cut, tie)


class AlongTest(unittest.TestCase):
    @given(paths(), st.floats(0, 1))
    @settings(max_examples=40, deadline=None)
    def test_a_place_is_found_by_its_length_and_back(self, path, share):
        along = Along(path)
        s = share * along.length * 0.999
        self.assertAlmostEqual(along.of(along.at(s)), s, delta=1e-6 * along.length)

    def test_lengths_are_analytic(self):
        self.assertAlmostEqual(Along(Path.circle(3, 4, 10)).length, 20 * math.pi, places=9)
        a, b = 30.0, 12.0
        t = np.linspace(0, 2 * math.pi, 200_001)
        exact = np.hypot(*np.diff(np.stack([a * np.cos(t), b * np.sin(t)]), axis=1)).sum()
        self.assertAlmostEqual(Along(ellipse(a, b)).length, exact, delta=2e-3)

    def test_a_stretch_keeps_its_arcs(self):
        part = Along(Path.circle(0, 0, 10)).between(5, 20)
        self.assertTrue((part.kinds == 1).all())
        self.assertAlmostEqual(Along(part).length, 15, places=9)

    def test_inside_and_outside_corners_are_told_apart(self):
        star = figure("star", 60, 0, count=7)[0].outer
        self.assertEqual(len(corner_nodes(star, math.radians(25))), 7)
        self.assertEqual(len(corner_nodes(star, math.radians(-25))), 7)


class TieTest(unittest.TestCase):
    def test_ties_leave_exactly_their_width(self):
        for count in (1, 2, 5):
            made = tied(Path.circle(0, 0, 20), 0.7, count=count)
            with self.subTest(count):
                self.assertEqual((len(made.paths), len(made.places)), (count, count))
                cut = sum(Along(path).length for path in made.paths)
                self.assertAlmostEqual(cut, 40 * math.pi - 0.7 * count, places=6)

    def test_spacing_gives_the_count(self):
        self.assertEqual(len(tied(Path.circle(0, 0, 20), 0.5, spacing=25).places), 5)

    def test_ties_keep_off_corners_and_stand_on_straight_stretches(self):
        rounded = figure("rounded rectangle", 80, 50, radius=12)[0].outer
        for x, y in tied(rounded, 1.0, count=4).places:
            self.assertTrue(abs(abs(x) - 40) < 1e-6 or abs(abs(y) - 25) < 1e-6)
        square = figure("rectangle", 40, 40)[0].outer
        for x, y in tied(square, 1.0, count=8).places:
            self.assertGreater(math.hypot(abs(x) - 20, abs(y) - 20), 1)

    def test_hidden_ties_lie_in_recesses(self):
        notched = shapely.box(0, 0, 60, 40).difference(shapely.box(20, 20, 40, 41))
        ring = Path.polygon(np.asarray(notched.exterior.coords)[:-1])
        depth = lambda made: [40 - y for x, y in made.places if 20 < x < 40 and y > 19]  # noqa: E731
        self.assertGreaterEqual(len(depth(tied(ring, 1, count=6, prefer="hidden"))), 1)

    def test_ties_by_hand_go_where_they_are_put(self):
        made = tied(Path.circle(0, 0, 20), 1, count=9, at=[Point(21, 0), Point(0, -30)])
        self.assertEqual(len(made.places), 2)
        self.assertTrue(any(math.hypot(x - 20, y) < 1e-4 for x, y in made.places))

    def test_a_ring_too_small_stays_whole(self):
        self.assertEqual(len(tied(Path.circle(0, 0, 0.2), 1, count=4).paths), 1)
