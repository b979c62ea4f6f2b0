"""Refitting polygons: the promise kept, few segments, true shapes recognised."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.geometry import ARC, LINE
from nibble_core.geometry.fitting import apart, end_directions, refit_ring
from nibble_core.geometry.tolerances import REFIT
from tests.strategies import distances, stars, zoo


def ring_of(polygon):
    return np.asarray(shapely.geometry.polygon.orient(polygon).exterior.coords)[:-1]


class RefitTest(unittest.TestCase):
    def test_the_zoo_keeps_within_the_tolerance(self):
        for name, shape in zoo().items():
            with self.subTest(name):
                ring = ring_of(shape)
                path = refit_ring(ring)
                self.assertLessEqual(apart(path.flattened(0.0004), ring), REFIT * 1.05)
                np.testing.assert_array_equal(path.rows[-1, 6:], path.rows[0, :2])
                np.testing.assert_array_equal(path.rows[:-1, 6:], path.rows[1:, :2])

    @given(st.floats(0.2, 1.2), st.floats(1, 20), st.integers(3, 12))
    @settings(max_examples=40)
    def test_a_sliver_along_an_arc_is_no_circle(self, long, radius, points):
        angles = np.linspace(0, long / radius, points)
        ring = radius * np.stack([np.cos(angles), np.sin(angles)], 1)
        self.assertLessEqual(apart(refit_ring(ring, 0.02).flattened(0.0004), ring), 0.02 * 1.05)

    @given(stars(), distances)
    @settings(max_examples=40)
    def test_rounded_polygons_come_back_as_lines_and_arcs(self, corners, radius):
        rounded = shapely.Polygon(corners).buffer(radius, quad_segs=48)
        ring = ring_of(rounded)
        path = refit_ring(ring)
        self.assertLessEqual(apart(path.flattened(0.0004), ring), REFIT * 1.05)
        self.assertLessEqual(len(path), 4 * len(corners) + 4)

    def test_true_shapes_are_recognised(self):
        circle = refit_ring(ring_of(shapely.Point(3, 4).buffer(12, quad_segs=200)))
        self.assertEqual(circle.kinds.tolist(), [ARC, ARC])
        rounded = refit_ring(ring_of(shapely.box(0, 0, 40, 20).buffer(3, quad_segs=60)))
        self.assertEqual(sorted(rounded.kinds.tolist()), [LINE] * 4 + [ARC] * 4)
        square = refit_ring(ring_of(shapely.box(0, 0, 40, 20)))
        self.assertEqual(square.kinds.tolist(), [LINE] * 4)

    def test_segments_of_smooth_shapes_meet_in_one_direction(self):
        angles = np.linspace(0, 2 * math.pi, 2000, endpoint=False)
        for waves, depth in ((2, 0.25), (3, 0.12), (5, 0.05)):
            r = 30 * (1 + depth * np.sin(waves * angles) + 0.02 * np.cos(7 * angles))
            blob = shapely.Polygon(np.stack([r * np.cos(angles), r * np.sin(angles)], 1))
            path = refit_ring(ring_of(blob.simplify(0.001).buffer(2, quad_segs=60)))
            ends = [end_directions(int(kind), row) for kind, row in zip(path.kinds, path.rows, strict=True)]
            for (_, out), (into, _) in zip(ends, [*ends[1:], ends[0]], strict=True):
                turn = math.degrees(math.atan2(out[0] * into[1] - out[1] * into[0], out @ into))
                with self.subTest(waves):
                    self.assertLess(abs(turn), 0.5)

    def test_smooth_shapes_need_a_tenth_of_the_segments(self):
        for name in ("ripple", "dense", "circle"):
            with self.subTest(name):
                grown = ring_of(zoo()[name].simplify(0.001).buffer(2, quad_segs=60))
                self.assertLessEqual(len(refit_ring(grown)), len(grown) / 10)
