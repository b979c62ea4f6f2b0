"""Parts of paths, and the division of dense lines into few pieces."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.geometry import CUBIC, LINE, Path
from nibble_core.geometry.nearest import distances_to_lines
from nibble_core.geometry.ring_kernels import fit_ring
from nibble_core.geometry.segments import evaluate
from nibble_core.geometry.span_kernels import free_cubic, lay_open, smoothed, thinned
from nibble_core.geometry.stretches import OnPath, ellipse, moments, nearest_on, replaced, split_row, stretch
from tests.strategies import paths


class StretchTest(unittest.TestCase):
    @given(paths(), st.floats(0.05, 0.95))
    @settings(max_examples=40)
    def test_a_cut_segment_runs_where_it_ran(self, path, t):
        kind, row = int(path.kinds[0]), path.rows[0]
        first, second = split_row(kind, row, t)
        kinds = np.array([kind], np.uint8)
        for part, at in ((first, 0.4 * t), (second, t + 0.4 * (1 - t))):
            inner = 0.4
            there = evaluate(kinds, part[None], np.array([inner]))
            np.testing.assert_allclose(there, evaluate(kinds, row[None], np.array([at])), atol=1e-6)

    @given(paths(), st.integers(0, 6), st.floats(0.1, 0.9))
    @settings(max_examples=12)
    def test_the_nearest_place_of_a_place_on_a_path_is_itself(self, path, segment, t):
        segment %= len(path)
        place = evaluate(path.kinds[segment : segment + 1], path.rows[segment : segment + 1], np.array([t]))[0]
        self.assertLess(nearest_on(path, (float(place[0]), float(place[1]))).off, 0.05)

    def test_two_stretches_make_the_whole_and_a_replacement_closes(self):
        path = Path.circle(0, 0, 10)
        one, other = OnPath(0, 0.3, 0.0), OnPath(1, 0.6, 0.0)
        there, back = stretch(path, one, other), stretch(path, other, one)
        self.assertAlmostEqual(there.length() + back.length(), path.length(), delta=0.02)
        line = Path.polygon(np.vstack([there.rows[0, :2], there.rows[-1, 6:]]), closed=False)
        cut = replaced(path, one, other, line)
        np.testing.assert_allclose(cut.rows[-1, 6:], cut.rows[0, :2])
        self.assertLess(cut.area(), path.area())

    @given(st.floats(3, 60), st.floats(3, 60), st.floats(-1.5, 1.5))
    @settings(max_examples=30)
    def test_the_moments_of_an_ellipse_give_it_back(self, a, b, turn):
        points = ellipse((4, -7), (a, b), turn).flattened(0.001)
        centre, axes, _ = moments(points)
        np.testing.assert_allclose(centre, (4, -7), atol=0.02)
        np.testing.assert_allclose(sorted(axes), sorted((a, b)), rtol=0.01)


class DivisionTest(unittest.TestCase):
    """A dense line made of few pieces is divided into those."""

    def divided(self, points: np.ndarray) -> Path:
        step = float(np.hypot(*np.diff(points, axis=0).T).mean())
        rows, kinds = np.empty((len(points) + 16, 8)), np.full(len(points) + 16, CUBIC, np.uint8)
        count = lay_open(points, step, 0.04, 0.12, rows, kinds, 0, 4)
        return Path(kinds[:count].copy(), rows[:count].copy(), closed=False)

    def dense(self, path: Path) -> np.ndarray:
        points = path.flattened(0.0005)
        along = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
        at = np.linspace(0, along[-1], round(along[-1] / 0.7))
        return np.stack([np.interp(at, along, points[:, k]) for k in (0, 1)], 1)

    def test_line_curve_line(self):
        rows = np.array(
            [[0, 0, 0, 0, 0, 0, 80, 0], [80, 0, 102, 0, 120, 18, 120, 40], [120, 40, 0, 0, 0, 0, 120, 120]], float
        )
        true = Path(np.array([LINE, CUBIC, LINE], np.uint8), rows, closed=False)
        found = self.divided(self.dense(true))
        self.assertEqual(found.kinds.tolist(), [LINE, CUBIC, LINE])
        self.assertLess(np.abs(found.nodes - true.nodes).max(), 4)
        self.assertLess(distances_to_lines(self.dense(true), [found.flattened(0.01)]).max(), 0.12)

    @given(st.floats(-0.4, 0.4), st.floats(-0.4, 0.4), st.floats(60, 240))
    @settings(max_examples=25)
    def test_one_cubic_stays_one(self, up, down, width):
        row = np.array([[0, 0, width / 3, up * width, 2 * width / 3, down * width, width, 0]], float)
        found = self.divided(self.dense(Path(np.array([CUBIC], np.uint8), row, closed=False)))
        self.assertEqual(len(found), 1)

    def test_the_free_cubic_finds_its_own_samples(self):
        row = np.array([0, 0, 40, 60, 90, -50, 120, 10.0])
        points = evaluate(np.full(200, 2, np.uint8), np.tile(row, (200, 1)), np.linspace(0, 1, 200))
        sub, made = np.empty((48, 2)), np.empty(8)
        total, worst = free_cubic(sub, thinned(points, 0, 199, sub), made)
        self.assertLess(worst, 0.05)
        self.assertLess(total, 0.05)
        np.testing.assert_allclose(made, row, atol=1.5)

    def test_smoothing_keeps_parabolas_and_ends(self):
        x = np.linspace(0, 60, 120)
        points = np.stack([x, 0.02 * (x - 30) ** 2], 1)
        np.testing.assert_allclose(smoothed(points, 6, False), points, atol=1e-9)
        noisy = points + np.random.default_rng(1).normal(0, 0.1, points.shape)
        self.assertLess(
            np.abs(smoothed(noisy, 6, False) - points)[10:-10].std(), 0.7 * np.abs(noisy - points)[10:-10].std()
        )
        np.testing.assert_array_equal(smoothed(noisy, 6, False)[[0, -1]], noisy[[0, -1]])

    def test_a_sharp_tip_that_pixels_cut_off_is_one_corner(self):
        a = math.radians(18)
        left, right = np.array([-math.sin(a), math.cos(a)]), np.array([math.sin(a), math.cos(a)])
        # the outline of a tip, cut straight across just below its apex, as pixels do
        ring = np.vstack([0.85 * left, 90 * left, 90 * right, 0.85 * right]) + 100
        dense = np.vstack([np.linspace(p, q, 140)[:-1] for p, q in zip(ring, np.roll(ring, -1, 0), strict=True)])
        kinds, rows, corners = fit_ring(dense, 0.12, 0.0, 22.0, 4)
        self.assertEqual((len(kinds), int(corners.sum())), (3, 3))
        self.assertLess(np.hypot(*(rows[:, :2] - 100).T).min(), 0.1)
