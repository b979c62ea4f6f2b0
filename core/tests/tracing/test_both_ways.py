"""Traces held against their pixels both ways: none of the ink is left out, nothing is added."""

import unittest
from unittest import mock

import numpy as np
import shapely

from nibble_core.artwork.background import take_background_away
from nibble_core.geometry import Path, Region
from nibble_core.pipeline.trace import traced_raster
from nibble_core.ticket.artwork import Trace
from nibble_core.tracing.faithful import faithful
from nibble_core.tracing.iso import iso_rings
from nibble_core.tracing.two_way import thickness, two_way
from tests import zoo
from tests.pictures import box, coverage, disc


class TracesAgainstTheirPixels(unittest.TestCase):
    def test_flat_ovals_fine_toes_and_lace_lose_and_gain_nothing(self):
        pictures = [
            ("lamp", 1500),
            ("lizard", 700),
            ("lizard", 400),
            ("snowflake", 150),
            ("knot", 150),
            ("fine comb", 400),
        ]
        for name, width in pictures:
            with self.subTest(name):
                drawing, found = traced_raster(zoo.picture(zoo.shape(name), width), Trace(), 100.0)
                assert found.two_way is not None
                self.assertLess(found.two_way.left_out, 2.5)
                self.assertFalse(found.two_way.adds)
                for shape in drawing.shapes:
                    self.assertTrue(shape.region.polygon().is_valid)

    def test_a_hairline_is_no_speck_however_thin(self):
        grey = np.ones((30, 30), np.float32)
        grey[8:20, 15] = 0.45  # hardly darker than the level: its ring encloses a pixel or two
        (ring,) = iso_rings(grey, 0.5)
        self.assertAlmostEqual(float(np.ptp(ring[:, 1])), 11.2, delta=0.2)
        self.assertEqual(iso_rings(np.where(np.arange(30)[:, None] < 11, grey, 1), 0.5), [])

    def test_a_thin_frame_round_paper_is_no_background(self):
        raster = zoo.picture(zoo.shape("lattice"), 150)
        cleaned = take_background_away(raster, way="flood").raster
        drawn = raster.pixels[..., 0] < 60
        self.assertGreater(cleaned.alpha[drawn].min(), 128)

    def test_a_busy_scan_is_traced_in_fewer_pixels_and_says_so(self):
        busy = mock.patch("nibble_core.tracing.two_tone.BUSY", 15_000)
        most = mock.patch("nibble_core.tracing.two_tone.MOST_POLISHED", 200)  # the true limits take seconds to reach
        with busy:
            drawing, found = traced_raster(zoo.brushed_picture(400), Trace(), 100.0)
        self.assertGreaterEqual(found.busy.reduced, 2)
        with most:
            _, specks = traced_raster(zoo.specks_picture(600, 120), Trace(), 100.0)
        self.assertEqual((specks.busy.reduced, specks.busy.hurried > 0), (1, True))
        right = max(shape.region.bounds().right for shape in drawing.shapes)
        self.assertTrue(90 < right < 101.5, right)


class Faithful(unittest.TestCase):
    def setUp(self):
        grey = 1 - coverage(lambda x, y: disc(60, 60, 40)(x, y) | box(90, 56, 150, 64)(x, y), 160, 120)
        (self.ring,) = iso_rings(grey, 0.5, smallest_area=2)

    def outline(self, *gone: int) -> Path:
        points = self.ring[::3]
        return Path.polygon(np.delete(points, gone, 0))

    def test_an_arm_cut_short_is_fitted_again_and_the_rest_is_left_alone(self):
        whole = self.outline()
        tip = np.nonzero(whole.rows[:, 0] > 115)[0]
        made = faithful(self.outline(*tip.tolist()), self.ring, tolerance=0.3)
        area = shapely.Polygon(made.flattened(0.02))
        self.assertLess(
            area.symmetric_difference(shapely.Polygon(self.ring)).area, 0.1 * shapely.Polygon(self.ring).length
        )
        kept = {tuple(row) for row in made.rows[:, :2].round(6).tolist()}
        far = [tuple(row) for row in whole.rows[whole.rows[:, 0] < 80, :2].round(6).tolist()]
        self.assertTrue(set(far) <= kept)
        np.testing.assert_array_equal(np.roll(made.rows[:, :2], -1, 0), made.rows[:, 6:])

    def test_a_true_outline_is_the_one_given(self):
        whole = self.outline()
        self.assertIs(faithful(whole, self.ring, tolerance=0.3), whole)


class BothWays(unittest.TestCase):
    def test_missing_and_added_places_are_found_where_they_are(self):
        ink = coverage(lambda x, y: box(10, 10, 50, 50)(x, y) | box(50, 28, 90, 32)(x, y), 100) > 0.5
        square = Region(Path.polygon([(10, 10), (50, 10), (50, 50), (10, 50)]))
        far = Region(Path.polygon([(10, 70), (14, 70), (14, 90), (10, 90)]))
        told = two_way(ink, [square, far])
        self.assertAlmostEqual(told.left_out, 40, delta=1.5)
        self.assertGreater(told.left_out_at[0], 85)
        self.assertAlmostEqual(told.added, 40, delta=1.5)
        self.assertGreater(told.added_at[1], 85)
        self.assertTrue(told.leaves_out and told.adds)
        self.assertEqual(two_way(ink, [Region(Path.polygon([(10, 10), (50, 10), (50, 28), (90, 28), (90, 32), (50, 32),
                                                            (50, 50), (10, 50)]))]).left_out, 0)  # fmt: skip

    def test_specks_of_a_few_pixels_are_nobodys_ink(self):
        ink = np.zeros((60, 60), bool)
        ink[5:35, 5:35], ink[50:52, 50:52] = True, True
        square = Region(Path.polygon([(5, 5), (35, 5), (35, 35), (5, 35)]))
        self.assertFalse(two_way(ink, [square]).leaves_out)
        ink[50:54, 50:54] = True  # one pixel, where it was traced at a quarter of them each way
        self.assertTrue(two_way(ink, [square]).leaves_out)
        self.assertFalse(two_way(ink, [square], reduced=4).leaves_out)

    def test_a_branch_that_the_middles_leave_out_is_told_and_a_line_of_changing_width_is_not(self):
        y, x = np.mgrid[0:100, 0:200] + 0.5
        ink = np.abs(y - 40) < 4 + x / 40
        stroke = Region(Path.polygon([(0, 34), (200, 34), (200, 46), (0, 46)]))
        self.assertFalse(two_way(ink, [stroke], slack=thickness(ink)).leaves_out)
        branch = ink | ((np.abs(x - 100) < 3) & (y > 40) & (y < 90))
        told = two_way(branch, [stroke], slack=thickness(branch))
        self.assertTrue(told.leaves_out)
        self.assertGreater(told.left_out_at[1], 80)
