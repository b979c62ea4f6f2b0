"""The last joint improvement: nearer to the samples, true to what was straight, smooth or a corner."""

import math
import unittest

import numpy as np

from nibble_core.geometry import LINE, Path
from nibble_core.geometry.ring_kernels import fit_ring
from nibble_core.tracing.deviation import corner_points, stray
from nibble_core.tracing.outline import edge_jitter, fit_outline
from nibble_core.tracing.polish import polish


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
        self.assertEqual(edge_jitter([clean], 0.0, 1.0), 0.0)
        self.assertGreaterEqual(edge_jitter([rough], 0.0, 1.0), 0.2)

    def test_wider_tolerances_take_fewer_nodes_and_keep_their_word(self):
        samples = ring(lambda a: 120 + 15 * np.sin(5 * a) + 5 * np.cos(11 * a))
        counts = []
        for tolerance in (0.1, 0.3, 1.0):
            path = fit_outline(samples, tolerance=tolerance, noise=0.0)
            self.assertLess(stray(path, samples), 2.5 * tolerance)
            counts.append(len(path))
        self.assertEqual(counts, sorted(counts, reverse=True))
