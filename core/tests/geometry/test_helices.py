"""Arcs and helices in place of straight moves: each passes all the places that it stands for, and no way is lost."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.geometry.helices import helices

OFF, SAGITTA = 0.001, 0.003


def spiral(radius: float, sweep: float, drop: float, count: int) -> np.ndarray:
    angle = np.linspace(0, sweep, count + 1)
    return np.column_stack([radius * np.cos(angle), radius * np.sin(angle), -drop * angle / sweep])


def off_lines(points: np.ndarray, ends: np.ndarray, arcs: np.ndarray) -> float:
    """How far the joined moves pass from the places that they stand for, or from the straight ways between, mm."""
    worst, first = 0.0, 0
    for last, (x, y, sweep) in zip(ends.tolist(), arcs.tolist(), strict=True):
        if sweep:
            begin, radius = points[first], np.hypot(points[first, 0] - x, points[first, 1] - y)
            start = np.arctan2(begin[1] - y, begin[0] - x)
            t = np.linspace(0, 1, 2000)
            angle = start + sweep * t
            way = np.column_stack([x + radius * np.cos(angle), y + radius * np.sin(angle),
                                   begin[2] + (points[last, 2] - begin[2]) * t])  # fmt: skip
            for place in points[first : last + 1]:
                worst = max(worst, float(np.linalg.norm(way - place, axis=1).min()) - abs(sweep) * radius / 4000)
        first = last
    return worst


class HelixTest(unittest.TestCase):
    @given(st.floats(1, 80), st.floats(0.5, 5.0), st.floats(0, 9), st.booleans())
    @settings(max_examples=40, deadline=None)
    def test_a_helix_in_fine_steps_is_one_move(self, radius, sweep, drop, turned):
        step = 2 * np.arccos(1 - 0.9 * SAGITTA / radius)
        points = spiral(radius, -sweep if turned else sweep, drop, max(3, int(np.ceil(sweep / step))))
        ends, arcs = helices(points, np.ones(len(points) - 1, bool))
        self.assertEqual(ends.tolist(), [len(points) - 1])
        self.assertAlmostEqual(arcs[0, 2], -sweep if turned else sweep, delta=1e-6)
        np.testing.assert_allclose(arcs[0, :2], 0, atol=1e-5 * radius)

    @given(st.lists(st.tuples(*[st.floats(-0.3, 0.3)] * 2, st.floats(-0.02, 0.02)), min_size=2, max_size=60))
    @settings(max_examples=40, deadline=None)
    def test_any_way_keeps_its_places(self, steps):
        points = np.cumsum(np.array([(0.0, 0.0, -1.0), *((0.5 + x, y, z) for x, y, z in steps)]), axis=0)
        ends, arcs = helices(points, np.ones(len(points) - 1, bool))
        self.assertEqual(int(ends[-1]), len(points) - 1)
        self.assertTrue((np.diff(ends, prepend=0) > 0).all())
        self.assertLess(off_lines(points, ends, arcs), OFF + 1e-6)

    def test_moves_that_may_not_be_joined_stay_apart(self):
        points = spiral(20.0, 3.0, 2.0, 90)
        joins = np.ones(90, bool)
        joins[40] = False
        ends, arcs = helices(points, joins)
        self.assertEqual(ends.tolist(), [40, 90])
        self.assertTrue((arcs[:, 2] > 0).all())
