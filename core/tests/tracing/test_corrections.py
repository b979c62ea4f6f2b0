"""Corrections of regions, and what makes them fit to be cut."""

import math
import unittest

import numpy as np
import shapely

from nibble_core.geometry import ARC, CUBIC, LINE, Path, Region
from nibble_core.tracing import editing
from nibble_core.tracing.mending import mended

RING = Region(Path.circle(50, 50, 30), (Path.circle(50, 50, 10).reversed(),))


def area(*regions: Region) -> float:
    return sum(region.area() for region in regions)


class BrushTest(unittest.TestCase):
    def test_an_eraser_takes_away_what_it_covers_and_may_part_a_region(self):
        way = editing.way_of(np.array([[50.0, 5], [50, 95]]), 4)
        parts = editing.rubbed(RING, way)
        self.assertEqual(len(parts), 2)
        lost = RING.polygon(0.001).intersection(way).area
        self.assertAlmostEqual(area(*parts), area(RING) - lost, delta=0.3)
        self.assertEqual(editing.rubbed(RING, editing.way_of(np.array([[200.0, 200]]), 4)), [RING])

    def test_a_filler_joins_what_it_touches(self):
        one, other = Region(Path.circle(0, 0, 10)), Region(Path.circle(30, 0, 10))
        joined = editing.filled_in([one, other], editing.bridge((0, 0), (30, 0), 5))
        self.assertIsNotNone(joined)
        self.assertGreater(area(joined), area(one, other))
        self.assertIsNone(editing.filled_in([one, other], editing.bridge((0, 0), (5, 0), 2)))

    def test_holes_are_found_and_filled(self):
        self.assertEqual(editing.hole_at(RING, (52, 50)), 0)
        self.assertIsNone(editing.hole_at(RING, (75, 50)))
        self.assertAlmostEqual(area(editing.without_hole(RING, 0)), math.pi * 900, delta=0.3)


class EdgeTest(unittest.TestCase):
    def test_an_edge_between_two_places_becomes_straight(self):
        region = editing.with_edge(RING, 0, (80, 50), (50, 80), "straighten")
        self.assertEqual(int((region.outer.kinds == LINE).sum()), 1)
        segment = math.pi * 900 / 4 - 450
        self.assertAlmostEqual(area(RING) - area(region), segment, delta=0.2)

    def test_an_arc_replaces_a_corner_and_a_smooth_curve_a_bumpy_edge(self):
        square = Region(Path.polygon([(0, 0), (40, 0), (40, 40), (0, 40)]))
        rounded = editing.with_edge(square, 0, (30, 0), (40, 10), "arc")
        self.assertIn(ARC, rounded.outer.kinds)
        self.assertTrue(rounded.polygon().is_valid)
        bumps = [(float(x), 0.6 if k % 2 else 0.0) for k, x in enumerate(range(0, 41, 2))]
        bumpy = Region(Path.polygon([*bumps, (40, 40), (0, 40)]))
        smooth = editing.with_edge(bumpy, 0, (2, 0.6), (38, 0.6), "smooth")
        self.assertLess(smooth.node_count, 8)
        self.assertIn(CUBIC, smooth.outer.kinds)

    def test_the_ring_both_places_lie_on_is_found(self):
        self.assertEqual(editing.edges_between([RING], (60, 50), (50, 60), 0.5), [(0, 1)])
        self.assertEqual(editing.edges_between([RING], (80, 50), (50, 80), 0.5), [(0, 0)])
        self.assertEqual(editing.edges_between([RING], (150, 50), (50, 80), 0.5), [])

    def test_an_edge_that_two_areas_share_is_found_in_both(self):
        wave = [(20 + 1.5 * math.sin(y), float(y)) for y in range(41)]
        left = Region(Path.polygon([(0, 0), *wave, (0, 40)]))
        right = Region(Path.polygon([(40, 40), *wave[::-1], (40, 0)]))
        apart = Region(Path.polygon([(0, 50), (40, 50), (40, 60), (0, 60)]))
        found = editing.edges_between([apart, left, right], wave[0], wave[-1], 0.5)
        self.assertEqual(sorted(found), [(1, 0), (2, 0)])
        made = [editing.with_edge(one, 0, wave[0], wave[-1], "straighten") for one in (left, right)]
        self.assertEqual([one.node_count for one in made], [4, 4])
        self.assertAlmostEqual(area(made[0]) + area(made[1]), 1600, delta=1e-6)

    def test_lumpy_circles_and_ellipses_become_true(self):
        a = np.linspace(0, 2 * math.pi, 90, endpoint=False)
        wobble = 1 + 0.01 * np.sin(13 * a)
        lumpy = Region(Path.polygon(np.stack([20 * wobble * np.cos(a), 20 * wobble * np.sin(a)], 1)))
        self.assertAlmostEqual(area(editing.as_circle(lumpy)), math.pi * 400, delta=6)
        self.assertEqual(editing.as_circle(lumpy).outer.kinds.tolist(), [ARC, ARC])
        turned = np.stack([30 * wobble * np.cos(a), 12 * wobble * np.sin(a)], 1) @ np.array([[0.8, 0.6], [-0.6, 0.8]])
        made = editing.as_ellipse(Region(Path.polygon(turned)))
        self.assertLessEqual(made.node_count, 6)  # as many as keep within 0.002 mm
        self.assertAlmostEqual(area(made), area(Region(Path.polygon(turned))), delta=0.5)
        self.assertLess(shapely.hausdorff_distance(made.polygon(0.01).exterior, shapely.LinearRing(turned)), 0.6)


class MendingTest(unittest.TestCase):
    def test_sound_regions_pass_untouched(self):
        result = mended(RING)
        self.assertIs(result.regions[0].outer, RING.outer)
        self.assertEqual(dict(result.counts), {})

    def test_a_bow_tie_falls_into_two_and_stacked_nodes_go(self):
        bow = Region(Path.polygon([(0, 0), (20, 20), (20, 0), (0, 21)]))
        result = mended(bow)
        self.assertEqual(len(result.regions), 2)
        self.assertEqual(result.counts["self-crossings"], 1)
        for region in result.regions:
            self.assertTrue(region.polygon().is_valid)
        curled = Region(Path.polygon([(0, 0), (10, 0), (10, 10), (0.01, 10), (0.01, -0.03), (-0.02, 0)]))
        (whole,) = mended(curled).regions  # the curl at the corner is too small to be a part or a hole of its own
        self.assertEqual(whole.holes, ())
        self.assertTrue(whole.polygon(0.001).is_valid)
        self.assertAlmostEqual(whole.area(), 99.9, delta=0.1)
        split = [(0, 0), (10, 0), (10, 10), (0, 10), (0, 5.02), (-2, 4.98), (-2, 5.02), (0, 4.98)]
        (body,) = mended(Region(Path.polygon(split))).regions  # the end of the hair is 0.04 mm wide at its widest
        self.assertAlmostEqual(body.area(), 100.02, delta=0.02)
        stacked = mended(Region(Path.polygon([(0, 0), (10, 0), (10, 0.0002), (10, 10), (0, 10)])))
        self.assertEqual((stacked.counts["stacked nodes"], stacked.regions[0].node_count), (1, 4))

    def test_rings_that_only_touch_are_left_as_they_are(self):
        touching = Region(Path.polygon([(0, 0), (20, 0), (10, 10), (20, 20), (0, 20), (10, 10)]))
        self.assertEqual(dict(mended(touching).counts), {})

    def test_nothing_is_left_of_a_region_without_area(self):
        flat = Region(Path.polygon([(0, 0), (20, 0), (10, 0)]))
        self.assertEqual((mended(flat).regions, mended(flat).counts["empty rings"]), ((), 1))
