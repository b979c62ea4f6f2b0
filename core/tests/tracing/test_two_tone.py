"""Tracing against outlines that are known exactly."""

import itertools
import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import Cancelled
from nibble_core.geometry import LINE, Path
from nibble_core.geometry.points import shoelace
from nibble_core.graphics.coverage import covered
from nibble_core.tracing import suggested_threshold, trace_two_tone
from nibble_core.tracing.deviation import deviation, deviation_runs, evenly
from nibble_core.tracing.iso import iso_rings
from nibble_core.tracing.kernels import WORD, entered, march
from tests.pictures import box, coverage, disc, grey_raster


def traced(ink: np.ndarray, **options):
    raster = grey_raster(np.clip(ink, 0, 1))
    return trace_two_tone(raster.grey(), raster, level=options.pop("level", 0.5), **options)


def radial_error(path, cx, cy, r) -> float:
    points = evenly(path.flattened(0.01), 0.3)
    return float(np.abs(np.hypot(points[:, 0] - cx, points[:, 1] - cy) - r).max())


class IsoLineTest(unittest.TestCase):
    @given(st.integers(0, 2**32 - 1), st.integers(3, 70), st.integers(3, 12), st.sampled_from((0.02, 0.3, 0.5, 0.98)))
    @settings(max_examples=80)
    def test_every_ring_is_found_whatever_the_width_and_wherever_the_ink(self, seed, width, height, share):
        grey = (np.random.default_rng(seed).random((height, width)) > share).astype(np.float32)
        framed = np.pad(grey, 1, constant_values=1.0)
        inside = (framed < 0.5).view(np.uint8)
        words = inside[:, : inside.shape[1] // WORD * WORD].view(np.uint64)
        points, offsets = march(framed, np.float32(0.5), entered(inside, words))
        rings = [shapely.Polygon(points[a:b] - 0.5) for a, b in itertools.pairwise(offsets)]
        y, x = np.mgrid[:height, :width] + 0.5
        within = sum((shapely.contains_xy(ring, x, y) for ring in rings), np.zeros(grey.shape, int))
        np.testing.assert_array_equal(within % 2 == 1, grey < 0.5)


class TruthTest(unittest.TestCase):
    @given(st.floats(38, 42), st.floats(38, 42), st.floats(6, 30))
    @settings(max_examples=25)
    def test_a_disc_is_four_cubics_in_its_place(self, x, y, r):
        (region,) = traced(coverage(disc(x, y, r), 80)).regions
        self.assertEqual(len(region.region.outer), 4)
        self.assertLess(radial_error(region.region.outer, x, y, r), 0.12)

    def test_a_turned_square_is_four_lines_with_true_corners(self):
        c, s = math.cos(0.2), math.sin(0.2)
        u = lambda x, y: (x - 60) * c + (y - 60) * s  # noqa: E731
        v = lambda x, y: -(x - 60) * s + (y - 60) * c  # noqa: E731
        (region,) = traced(coverage(lambda x, y: (abs(u(x, y)) < 35) & (abs(v(x, y)) < 22), 120)).regions
        self.assertEqual(region.region.outer.kinds.tolist(), [LINE] * 4)
        nodes = region.region.outer.nodes
        corners = np.array([[60 + a * c - b * s, 60 + a * s + b * c] for a in (-35, 35) for b in (-22, 22)])
        nearest = np.hypot(*(nodes[:, None] - corners[None]).transpose(2, 0, 1)).min(1)
        self.assertLess(nearest.max(), 0.05)

    @given(st.floats(0, math.pi / 2), st.floats(-0.5, 0.5), st.floats(-0.5, 0.5))
    @settings(max_examples=20, deadline=None)
    def test_corners_a_few_pixels_apart_are_each_found_whole(self, turn, x, y):
        c, s = math.cos(turn), math.sin(turn)
        ell = np.array([[-20, -20], [20, -20], [20, -12], [-12, -12], [-12, 20], [-20, 20]], float)
        corners = ell @ np.array([[c, s], [-s, c]]) + (40 + x, 40 + y)
        ink = covered([corners], 80, 80).astype(np.float32)
        (region,) = traced(ink).regions
        nodes = region.region.outer.nodes
        self.assertEqual(len(nodes), 6)
        self.assertLess(np.hypot(*(nodes[:, None] - corners[None]).transpose(2, 0, 1)).min(1).max(), 0.15)

    def test_holes_and_islands_nest(self):
        ink = coverage(disc(60, 60, 50), 120) - coverage(disc(60, 60, 35), 120) + coverage(disc(60, 60, 15), 120)
        outer, island = traced(ink).regions
        self.assertEqual((len(outer.region.holes), len(island.region.holes)), (1, 0))
        self.assertGreater(outer.region.outer.area(), 0)
        self.assertLess(outer.region.holes[0].area(), 0)
        self.assertAlmostEqual(outer.region.area(), math.pi * (50**2 - 35**2), delta=3)
        for polished in (True, False):
            (filled, _) = traced(ink, filled=True, polished=polished).regions
            self.assertEqual(len(filled.region.holes), 0)
            self.assertLess(max(filled.colour), 20, "its ink's, not that of what the ink encloses")

    def test_the_threshold_moves_the_edge(self):
        soft = coverage(disc(40, 40, 20), 80) * 0.5 + coverage(disc(40, 40, 24), 80) * 0.5
        wide, narrow = traced(soft, level=0.75), traced(soft, level=0.25)
        self.assertLess(radial_error(wide.regions[0].region.outer, 40, 40, 24), 0.3)
        self.assertLess(radial_error(narrow.regions[0].region.outer, 40, 40, 20), 0.3)

    def test_edges_of_the_picture_close_shapes(self):
        (region,) = traced(coverage(box(-5, -5, 30, 30), 60)).regions
        self.assertAlmostEqual(region.region.area(), 900, delta=35)

    def test_staircases_become_smooth(self):
        hard = (coverage(disc(150, 150, 110), 300) > 0.5).astype(np.float32)
        (region,) = traced(hard).regions
        self.assertLessEqual(len(region.region.outer), 8)
        self.assertLess(radial_error(region.region.outer, 150, 150, 110), 0.7)

    def test_a_mirrored_picture_gives_the_mirrored_outline(self):
        ink = coverage(lambda x, y: (x - 30) ** 2 / 400 + (y - 40) ** 2 / 900 < 1, 80)
        one, other = traced(ink).regions[0], traced(ink[:, ::-1]).regions[0]
        self.assertAlmostEqual(one.region.area(), other.region.area(), delta=1.0)
        self.assertAlmostEqual(one.place[0] + other.place[0], 80, delta=0.5)


class BehaviourTest(unittest.TestCase):
    def test_deviation_is_measured_from_the_iso_line(self):
        result = traced(coverage(disc(40, 40, 25), 80))
        worst, mean = result.deviation()
        self.assertLess(worst, 0.25)
        self.assertLess(mean, 0.06)

    def test_deviation_counts_sides_but_no_corners_nor_junctions(self):
        square = Path.polygon([(10, 10), (50, 10), (50, 50), (10, 50)])
        rounded = np.array([[10, 12], [12, 10], [48, 10], [50, 12], [50, 50], [10, 50], [10, 12]], float)
        self.assertLess(max(deviation([square], [rounded])), 1e-12)
        dented = np.insert(rounded, 2, [[28, 10], [29, 10.8], [31, 10.8], [32, 10]], 0)
        runs, worst = deviation_runs([square], [dented], step=1.0, classes=[0.1, 0.5])
        np.testing.assert_allclose(worst, (30, 10, 0.8), atol=1e-6)
        self.assertEqual({level for level, _ in runs}, {0, 2})
        opened = [dented[:5], dented[4:]]  # two borders that meet at the dent
        self.assertLess(max(deviation([square], opened)), 1e-12)

    def test_nothing_darker_gives_nothing(self):
        self.assertEqual(traced(np.zeros((40, 40), np.float32)).regions, ())

    def test_specks_go(self):
        ink = coverage(disc(40, 40, 25), 80) + coverage(disc(75, 5, 1.5), 80)
        self.assertEqual(len(traced(ink, smallest_area=12).regions), 1)
        self.assertEqual(len(traced(ink).regions), 2)

    def test_colours_are_those_of_the_picture(self):
        raster = grey_raster(coverage(box(10, 10, 40, 40), 60))
        pixels = raster.pixels.copy()
        pixels[15:35, 15:35, :3] = (120, 20, 30)
        from nibble_core.graphics import Raster

        (region,) = trace_two_tone(raster.grey(), Raster(pixels), level=0.5).regions
        self.assertGreater(region.colour[0], 2 * region.colour[1])

    def test_it_can_be_stopped(self):
        with self.assertRaises(Cancelled):
            traced(coverage(disc(40, 40, 25), 80), cancelled=lambda: True)

    def test_the_suggested_threshold_lies_between_ink_and_paper(self):
        ink = coverage(disc(40, 40, 25), 80)
        grey = (0.9 - 0.6 * ink).astype(np.float32)
        self.assertAlmostEqual(suggested_threshold(grey), 0.6, delta=0.02)

    @given(st.integers(0, 2**32 - 1))
    @settings(max_examples=15)
    def test_iso_rings_close_and_balance_on_any_picture(self, seed):
        grey = np.random.default_rng(seed).random((24, 24)).astype(np.float32)
        rings = iso_rings(grey, 0.5, smallest_area=0.0)
        area = sum(shoelace(ring) for ring in rings)
        self.assertGreater(area, 0)
        self.assertLess(area, 24 * 24)
        for ring in rings:
            self.assertLess(np.hypot(*(ring - np.roll(ring, -1, 0)).T).max(), 1.5)
