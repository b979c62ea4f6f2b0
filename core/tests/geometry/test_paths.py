"""Paths: maps, measures and path data, against analytic answers and round trips."""

import math
import unittest

import numpy as np
from hypothesis import given, settings

from nibble_core.errors import UnreadableFile
from nibble_core.formats.svg_path import parse_path_data
from nibble_core.geometry import ARC, Affine, Path, Region
from nibble_core.geometry.fitting import apart
from tests.strategies import paths, similarities


class PathTest(unittest.TestCase):
    def test_a_circle_has_its_area_and_length(self):
        circle = Path.circle(3, -2, 10)
        self.assertAlmostEqual(circle.area(), math.pi * 100, delta=0.1)
        self.assertAlmostEqual(circle.length(), 20 * math.pi, delta=0.01)
        self.assertEqual([round(v, 2) for v in circle.bounds()], [-7, -12, 13, 8])

    def test_holes_take_their_area_off(self):
        ring = Region(Path.circle(0, 0, 10), (Path.circle(0, 0, 4).reversed(),))
        self.assertAlmostEqual(ring.area(), math.pi * 84, delta=0.1)
        mirrored = ring.mapped(Affine.mirror(50))
        self.assertAlmostEqual(mirrored.area(), math.pi * 84, delta=0.1)
        self.assertGreater(mirrored.outer.area(), 0)

    @given(paths())
    @settings(max_examples=60)
    def test_path_data_reads_back_as_written(self, path):
        (again,) = parse_path_data(path.svg(6))
        self.assertLess(apart(path.flattened(0.01), again.flattened(0.01)), 0.02)

    @given(paths(), similarities())
    @settings(max_examples=60)
    def test_mapping_moves_every_point_alike(self, path, affine):
        direct = affine.map(path.flattened(0.01))
        size = math.sqrt(abs(affine.determinant))
        self.assertLess(apart(direct, path.mapped(affine).flattened(0.01)), 0.02 * max(size, 1) + 1e-6)

    @given(paths())
    @settings(max_examples=40)
    def test_walking_backwards_turns_the_area_round(self, path):
        self.assertAlmostEqual(path.reversed().area(), -path.area(), delta=1e-3 * (1 + abs(path.area())))
        np.testing.assert_allclose(path.reversed().reversed().rows, path.rows)

    @given(paths())
    @settings(max_examples=40)
    def test_arcs_and_their_cubics_are_one_line(self, path):
        radii = np.hypot(*(path.rows[:, :2] - path.rows[:, 2:4]).T)[path.kinds == ARC]
        allowed = 0.02 + 0.0004 * (radii.max() if len(radii) else 0)
        self.assertLess(apart(path.flattened(0.01), path.as_cubics().flattened(0.01)), allowed)

    def test_a_stretch_turns_arcs_into_cubics(self):
        oval = Path.circle(0, 0, 10).mapped(Affine.scale(2, 1))
        self.assertFalse((oval.kinds == ARC).any())
        self.assertAlmostEqual(oval.area(), math.pi * 200, delta=0.3)

    def test_maps_compose_in_order(self):
        both = Affine.scale(2).then(Affine.translation(5, 0))
        np.testing.assert_allclose(both.map(np.array([[1.0, 1.0]])), [[7, 2]])
        np.testing.assert_allclose(Affine.mirror(10).map(np.array([[3.0, 1.0]])), [[7, 1]])

    def test_broken_path_data_is_refused_in_words(self):
        for data in ("M0 0L5", "M0 0Q1 1 2", "M0 0Lx 2"):
            with self.subTest(data), self.assertRaises(UnreadableFile):
                parse_path_data(data)
