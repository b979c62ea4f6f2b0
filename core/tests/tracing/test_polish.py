"""The last joint improvement: nearer to the samples, true to what was straight, smooth or a corner."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.geometry import CUBIC, LINE, Path
from nibble_core.geometry.distance_kernels import beside
from nibble_core.geometry.kernels import fit_cubic
from nibble_core.geometry.ring_kernels import fit_ring
from nibble_core.tracing.deviation import corner_points, stray
from nibble_core.tracing.jitter import edge_jitter
from nibble_core.tracing.making import EdgeMaking
from nibble_core.tracing.outline import fit_outline, slight_corners
from nibble_core.tracing.polish import polish
from nibble_core.tracing.polish_kernels import OF, solved


def ring(radius_of, count: int = 2400) -> np.ndarray:
    a = np.linspace(0, 2 * math.pi, count, endpoint=False)
    r = radius_of(a)
    return np.stack([200 + r * np.cos(a), 200 + r * np.sin(a)], 1)


def capsule() -> np.ndarray:
    """Two straight sides joined by half circles, as dense points."""
    a = np.linspace(-math.pi / 2, math.pi / 2, 200)
    right = np.stack([200 + 40 * np.cos(a), 100 + 40 * np.sin(a)], 1)
    left = np.stack([60 - 40 * np.cos(a), 100 - 40 * np.sin(a)], 1)
    return np.vstack(
        [right, np.linspace(right[-1], left[0], 200)[1:-1], left, np.linspace(left[-1], right[0], 200)[1:-1]]
    )


def fit_cubic_of(samples: np.ndarray) -> np.ndarray:
    row = np.empty(8)
    fit_cubic(np.ascontiguousarray(samples), 0, len(samples) - 1, 0.0, 0.0, 0.0, 0.0, True, 12, 1e-3, row)
    return row


def residual(path: Path, samples: np.ndarray) -> float:
    from nibble_core.tracing.deviation import distances

    return float((distances(samples, [path.flattened(0.005)]) ** 2).mean())


def fitted(samples: np.ndarray, tolerance: float) -> tuple[Path, np.ndarray]:
    kinds, rows, corners = fit_ring(samples, tolerance, 0.0, 22.0, 4)
    return Path(kinds, rows), corners


class PolishTest(unittest.TestCase):
    def test_it_comes_nearer_and_adds_no_node(self):
        for lobes in (3, 5, 9):
            with self.subTest(lobes=lobes):
                samples = ring(lambda a, lobes=lobes: 120 + 15 * np.sin(lobes * a))
                rough, corners = fitted(samples, 0.25)
                better = polish(rough, corners, samples)
                self.assertEqual(len(better), len(rough))
                self.assertLess(residual(better, samples), residual(rough, samples))
                np.testing.assert_array_equal(better.rows[-1, 6:], better.rows[0, :2])

    def test_straight_stays_straight_and_joints_stay_smooth(self):
        samples = capsule()
        path = polish(*fitted(samples, 0.12), samples)
        self.assertGreaterEqual(int((path.kinds == LINE).sum()), 2)
        self.assertEqual(len(corner_points(path)), 0)
        self.assertLess(stray(path, samples), 0.3)

    def test_long_rings_are_polished_in_windows(self):
        samples = ring(lambda a: 150 + 12 * np.sin(31 * a) + 4 * np.cos(17 * a), 9000)
        rough, corners = fitted(samples, 0.1)
        self.assertGreater(len(rough), 48)
        better = polish(rough, corners, samples)
        self.assertLess(residual(better, samples), residual(rough, samples))
        self.assertLess(stray(fit_outline(samples, tolerance=0.12, noise=0.0), samples), 0.2)

    def test_circles_and_polygons_are_left_alone(self):
        square = np.array([[50.0, 50], [150, 50], [150, 150], [50, 150]])
        path = Path.polygon(square)
        self.assertIs(polish(path, np.ones(4, bool), square), path)


class OutlineTest(unittest.TestCase):
    def test_noise_is_seen_in_the_edges_themselves(self):
        rng = np.random.default_rng(2)
        clean = ring(lambda a: 120 + 15 * np.sin(3 * a))
        rough = np.round(clean * 1.0) + rng.normal(0, 0.05, clean.shape)
        crisp = EdgeMaking(blind=0.0, blunt=1.0)
        self.assertEqual(edge_jitter([clean], 0.0, crisp), 0.0)
        self.assertGreaterEqual(edge_jitter([rough], 0.0, crisp), 0.2)

    def test_wider_tolerances_take_fewer_nodes_and_keep_their_word(self):
        samples = ring(lambda a: 120 + 15 * np.sin(5 * a) + 5 * np.cos(11 * a))
        counts = []
        for tolerance in (0.1, 0.3, 1.0):
            path = fit_outline(samples, tolerance=tolerance, noise=0.0)
            self.assertLess(stray(path, samples), 2.5 * tolerance)
            counts.append(len(path))
        self.assertEqual(counts, sorted(counts, reverse=True))


class SumsTest(unittest.TestCase):
    """What is compiled by hand, against the general-purpose libraries."""

    @given(st.integers(2, 30), st.booleans(), st.randoms(use_true_random=False))
    @settings(max_examples=30, deadline=None)
    def test_the_step_is_that_of_a_dense_solver(self, segments, closed, random):
        chance = np.random.default_rng(random.randrange(2**32))
        unknowns = (segments + 1) * OF
        matrix, free = np.zeros((unknowns, unknowns)), chance.random(unknowns) < 0.8
        for k in range(segments if closed else segments - 1):  # each touches its own unknowns and the next one's
            own = np.concatenate([k * OF + np.arange(OF), (k + 1) % segments * OF + np.arange(OF)])
            rows = chance.normal(size=(40, 2 * OF))
            matrix[np.ix_(own, own)] += rows.T @ rows
        right = chance.normal(size=unknowns)
        free[segments * OF :] = False
        step, some = solved(matrix, right, free, 1e-3, closed), np.flatnonzero(free)
        part = matrix[np.ix_(some, some)]
        dense = np.linalg.solve(part + np.diag(1e-3 * np.diag(part) + 1e-6), right[some])
        np.testing.assert_allclose(step[some], dense, rtol=1e-6, atol=1e-9)
        self.assertFalse(step[~free].any())

    @given(st.floats(0.0, 0.3), st.integers(2, 7), st.floats(0.0, 5.0))
    @settings(max_examples=20, deadline=None)
    def test_lines_side_by_side_are_as_far_apart_as_shapely_says(self, depth, waves, noise):
        line = ring(lambda a: 100 * (1 + depth * np.sin(waves * a)), 700)
        samples = line[::5] + np.random.default_rng(3).normal(0, noise / 5 + 1e-3, (140, 2))
        apart = shapely.distance(shapely.points(samples), shapely.LinearRing(line))
        np.testing.assert_allclose(beside(np.ascontiguousarray(samples), line, True), apart, atol=1e-9)

    def test_a_joint_that_turns_by_two_degrees_is_told_from_one_that_does_not(self):
        for turn in (0.0, 2.0, -2.0):
            a = np.linspace(0, math.pi, 900)
            arc = np.stack([100 * np.cos(a), 100 * np.sin(a)], 1)
            other = np.stack([-5 - 95 * np.cos(a), -95 * np.sin(a)], 1)  # from where the first ends
            c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
            other = (other - arc[-1]) @ np.array([[c, s], [-s, c]]) + arc[-1]
            samples = np.vstack([arc, other[1:]]) + 600
            rows = [fit_cubic_of(samples[k : k + 450]) for k in (0, 449, 899, 1349)]
            path = Path(np.full(4, CUBIC, np.uint8), np.array(rows))
            with self.subTest(turn):
                self.assertEqual(bool(slight_corners(path, samples, 0.1)[2]), turn != 0)
