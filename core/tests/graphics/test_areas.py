"""What shapes and strokes cover: exact pixels, fill rules, caps, joins and dashes against the analytic areas."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.geometry import Affine, Path
from nibble_core.graphics import Drawing, Shape, Stroke
from nibble_core.graphics.coverage import covered
from nibble_core.graphics.filling import filled_regions
from nibble_core.graphics.rendering import rendered
from nibble_core.graphics.stroking import covered_by, outlined
from tests.strategies import stars


def area_of(stroke: Stroke) -> float:
    return sum(area.area for area in covered_by(stroke))


def line(width: float, **looks) -> Stroke:
    return Stroke(Path.polygon([(10, 10), (50, 10)], closed=False), width, **looks)


class CoverageTest(unittest.TestCase):
    @given(stars(), st.floats(0, 1), st.floats(0, 1))
    @settings(max_examples=40)
    def test_the_sum_over_all_pixels_is_the_area(self, star, dx, dy):
        ring = np.add(star, (50 + dx, 50 + dy))
        cover = covered([ring], 100, 100)
        self.assertAlmostEqual(cover.sum(), shapely.Polygon(ring).area, delta=1e-6 * 1e4)
        self.assertTrue(((cover >= 0) & (cover <= 1)).all())

    def test_what_lies_outside_the_picture_adds_nothing(self):
        box = np.array([[-40.0, -40], [160, -40], [160, 20.25], [-40, 20.25]])
        cover = covered([box], 60, 60)
        np.testing.assert_allclose(cover[:20], 1)
        np.testing.assert_allclose(cover[20], 0.25)
        np.testing.assert_allclose(cover[21:], 0)

    def test_holes_are_clear_and_later_shapes_lie_over_earlier_ones(self):
        ring = filled_regions([Path.circle(50, 50, 30), Path.circle(50, 50, 12)], even_odd=True)
        bar = filled_regions([Path.polygon([(0, 45), (100, 45), (100, 55), (0, 55)])], even_odd=True)
        shown = rendered(Drawing(100, 100, (Shape(ring[0], (200, 0, 0)), Shape(bar[0], (0, 0, 200)))), 200)
        self.assertEqual(shown.pixels[100, 130].tolist(), [0, 0, 200, 255])
        self.assertEqual(shown.pixels[80, 100].tolist()[3], 0)
        self.assertEqual(shown.pixels[60, 100].tolist(), [200, 0, 0, 255])


class CapTest(unittest.TestCase):
    @given(st.floats(4, 40), st.floats(0.5, 3), st.floats(1, 9), st.floats(0.5, 4), st.floats(0, 12))
    @settings(max_examples=40, deadline=None)
    def test_dashes_of_a_round_line_end_where_and_across_where_they_should(self, radius, width, dash, gap, phase):
        half_turn = Path(np.array([1], np.uint8), Path.circle(0, 0, radius).rows[:1], closed=False)
        stroke = Stroke(half_turn, width, dashes=(dash, gap), phase=phase)
        edge = shapely.union_all(covered_by(stroke)).boundary
        sides = np.array([radius - width / 2, radius + width / 2])
        for k in range(int(math.pi * radius / (dash + gap)) + 2):
            for s in (k * (dash + gap) - phase % (dash + gap), k * (dash + gap) + dash - phase % (dash + gap)):
                if 0 < s < math.pi * radius:
                    a = s / radius
                    for corner in shapely.points(sides * math.cos(a), sides * math.sin(a)):
                        self.assertLess(edge.distance(corner), 0.006)


class FillingTest(unittest.TestCase):
    def test_the_rules_differ_where_windings_add_up(self):
        outer, inner = Path.circle(0, 0, 20), Path.circle(0, 0, 8)
        whole, ring = math.pi * 400, math.pi * (400 - 64)
        for contours, even_odd, area in (
            ([outer, inner], True, ring), ([outer, inner], False, whole), ([outer, inner.reversed()], False, ring),
        ):  # fmt: skip
            with self.subTest(even_odd=even_odd, area=area):
                found = filled_regions(contours, even_odd=even_odd)
                self.assertAlmostEqual(sum(region.area() for region in found), area, delta=0.3)

    def test_a_star_drawn_in_one_stroke(self):
        points = [(50 * math.sin(2.4 * math.pi * k / 3), -50 * math.cos(2.4 * math.pi * k / 3)) for k in range(5)]
        filled = sum(region.area() for region in filled_regions([Path.polygon(points)], even_odd=False))
        hollow = sum(region.area() for region in filled_regions([Path.polygon(points)], even_odd=True))
        self.assertGreater(filled, hollow + 100)
        self.assertAlmostEqual(filled, shapely.union_all(shapely.make_valid(shapely.Polygon(points))).area
                               + (filled - hollow), delta=1)  # fmt: skip

    def test_islands_in_holes_are_regions_of_their_own(self):
        found = filled_regions([Path.circle(0, 0, r) for r in (30, 20, 10)], even_odd=True)
        self.assertEqual(sorted(len(region.holes) for region in found), [0, 1])


class StrokeTest(unittest.TestCase):
    def test_caps_reach_as_far_as_they_should(self):
        self.assertAlmostEqual(area_of(line(4)), 160, delta=0.01)
        self.assertAlmostEqual(area_of(line(4, cap="square")), 176, delta=0.01)
        self.assertAlmostEqual(area_of(line(4, cap="round")), 160 + math.pi * 4, delta=0.05)

    def test_joins_at_a_right_angle(self):
        bend = Path.polygon([(0, 0), (20, 0), (20, 20)], closed=False)
        areas = [area_of(Stroke(bend, 4, join=join)) for join in ("miter", "round", "bevel")]
        np.testing.assert_allclose(areas, [160, 156 + math.pi, 158], atol=0.05)

    @given(st.floats(0.5, 8), st.floats(0.5, 8), st.floats(0, 20))
    @settings(max_examples=30)
    def test_dashes_cover_their_share(self, dash, gap, phase):
        drawn = area_of(line(2, dashes=(dash, gap), phase=phase)) / 80
        self.assertAlmostEqual(drawn, dash / (dash + gap), delta=(dash + gap) / 40)
        whole = area_of(line(2, dashes=(dash, gap), phase=phase + dash + gap))
        self.assertAlmostEqual(whole, 80 * drawn, delta=1e-6)

    def test_outlines_of_a_closed_stroke_are_a_ring(self):
        (ring,) = outlined(Stroke(Path.circle(0, 0, 10), 2))
        self.assertEqual(len(ring.region.holes), 1)
        self.assertAlmostEqual(ring.region.area(), math.pi * (121 - 81), delta=0.1)
        self.assertEqual(outlined(Stroke(Path.circle(0, 0, 10), 0)), [])

    def test_a_map_takes_width_and_dashes_along(self):
        grown = line(2, dashes=(3.0, 1.0), phase=0.5).mapped(Affine.scale(3))
        self.assertEqual((grown.width, grown.dashes, grown.phase), (6, (9, 3), 1.5))
