"""The compiled loops against what they must recover exactly."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.geometry import Path
from nibble_core.geometry.corner_kernels import find_corners
from nibble_core.geometry.kernels import fit_arc, fit_circle, fit_cubic, fit_line, furthest, line_error, longest_span
from nibble_core.geometry.ring_kernels import fit_ring, resample
from nibble_core.geometry.segments import evaluate

steps = st.integers(20, 90)
angles = st.floats(0, 2 * math.pi)


def cubic_points(row: np.ndarray, count: int) -> np.ndarray:
    return evaluate(np.full(count, 2, np.uint8), np.tile(row, (count, 1)), np.linspace(0, 1, count))


def circle_points(radius: float, start: float, sweep: float, count: int) -> np.ndarray:
    a = start + np.linspace(0, sweep, count)
    return np.stack([7 + radius * np.cos(a), -3 + radius * np.sin(a)], 1)


class LeastSquaresTest(unittest.TestCase):
    @given(angles, steps)
    def test_a_line_is_found_in_any_direction(self, angle, count):
        way = np.array([math.cos(angle), math.sin(angle)])
        points = np.array([3.0, -2.0]) + np.linspace(0, 40, count)[:, None] * way
        cx, cy, dx, dy, worst = fit_line(points, 0, count, 1)
        self.assertLess(worst, 1e-9)
        self.assertGreater(dx * way[0] + dy * way[1], 1 - 1e-9)
        self.assertLess(abs((cx - 3) * dy - (cy + 2) * dx), 1e-9)

    @given(st.floats(2, 80), angles, st.floats(0.5, 5), steps)
    def test_an_arc_is_recovered_with_its_sweep(self, radius, start, sweep, count):
        for way in (1, -1):
            row = np.empty(8)
            points = circle_points(radius, start, way * sweep, count)
            self.assertLess(fit_arc(points, 0, count - 1, row), 1e-6)
            np.testing.assert_allclose(row[2:4], [7, -3], atol=1e-4)
            self.assertAlmostEqual(row[4], way * sweep, places=5)

    @given(st.floats(2, 80), steps)
    def test_a_circle_is_recovered(self, radius, count):
        cx, cy, found, worst = fit_circle(circle_points(radius, 0, 2 * math.pi * (1 - 1 / count), count))
        self.assertLess(worst, 1e-6)
        np.testing.assert_allclose([cx, cy, found], [7, -3, radius], atol=1e-6)

    @given(st.floats(-20, 20), st.floats(-20, 20), steps)
    @settings(max_examples=40)
    def test_a_cubic_is_recovered_from_its_samples(self, lift, lean, count):
        true = np.array([0, 0, 15 + lean / 4, lift, 45 + lean / 4, lift / 2, 60, 0.0])
        row = np.empty(8)
        error = fit_cubic(cubic_points(true, count), 0, count - 1, 0.0, 0.0, 0.0, 0.0, True, 30, 0.01, row)
        self.assertLess(error, 0.02)
        np.testing.assert_array_equal(row[:2], true[:2])
        np.testing.assert_array_equal(row[6:], true[6:])

    def test_imposed_tangents_are_kept(self):
        true = np.array([0, 0, 20, 20, 40, 20, 60, 0.0])
        row, way = np.empty(8), math.sqrt(0.5)
        fit_cubic(cubic_points(true, 60), 0, 59, way, way, -way, way, False, 30, 0.01, row)
        np.testing.assert_allclose(row[2:6], true[2:6], atol=0.05)

    def test_reach_ends_where_the_shape_changes(self):
        straight = np.stack([np.linspace(0, 30, 61), np.zeros(61)], 1)
        bend = circle_points(10, -math.pi / 2, math.pi / 2, 40) - circle_points(10, -math.pi / 2, 1, 2)[0] + [30, 0]
        points, row = np.vstack([straight, bend[1:]]), np.empty(8)
        self.assertAlmostEqual(furthest(points, 0, 0.01, False, row), 60, delta=3)
        self.assertEqual(furthest(points, 60, 0.01, True, row), len(points) - 1)
        self.assertLess(line_error(points, 0, 60), 1e-12)
        self.assertEqual(longest_span(bend, 0, 0.05, row), len(bend) - 1)


class RingTest(unittest.TestCase):
    @given(st.integers(3, 7), angles)
    @settings(max_examples=30)
    def test_the_corners_of_a_polygon_are_found(self, count, start):
        a = start + np.arange(count) * 2 * math.pi / count
        corners = np.stack([60 * np.cos(a), 60 * np.sin(a)], 1)
        points, step = resample(corners, 0.7)
        found, _, _ = find_corners(points, step, 0.0, 22.0)
        self.assertEqual(len(found), count)
        kinds, rows, _ = fit_ring(points, 0.12, 0.0, 22.0, 4)
        self.assertEqual(kinds.tolist(), [0] * count)
        nearest = np.hypot(*(rows[:, None, :2] - corners[None]).transpose(2, 0, 1)).min(1)
        self.assertLess(nearest.max(), 0.01)

    def test_a_smooth_ring_has_no_corner_and_closes(self):
        a = np.linspace(0, 2 * math.pi, 900, endpoint=False)
        ring = np.stack([80 * np.cos(a), 45 * np.sin(a)], 1)
        points, step = resample(ring, 0.7)
        self.assertEqual(len(find_corners(points, step, 0.0, 22.0)[0]), 0)
        kinds, rows, _ = fit_ring(ring, 0.12, 0.0, 22.0, 4)
        self.assertLessEqual(len(kinds), 12)
        np.testing.assert_array_equal(rows[-1, 6:], rows[0, :2])
        self.assertAlmostEqual(Path(kinds, rows).area(), math.pi * 80 * 45, delta=12)

    def test_equal_steps_keep_the_length(self):
        square = np.array([[0.0, 0], [10, 0], [10, 10], [0, 10]])
        points, step = resample(square, 0.7)
        self.assertAlmostEqual(step * len(points), 40)
        gaps = np.hypot(*(np.roll(points, -1, 0) - points).T)
        self.assertLessEqual(gaps.max(), step + 1e-9)
