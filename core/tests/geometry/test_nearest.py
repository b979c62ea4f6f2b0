"""Distances to the nearest of many segments, against an index of another library."""

import unittest

import numpy as np
import shapely
from hypothesis import given
from hypothesis import strategies as st

from nibble_core.geometry.nearest import distances_to_lines, distances_to_segments


class Nearest(unittest.TestCase):
    @given(st.integers(0, 10_000), st.integers(2, 400), st.sampled_from([0.01, 1.0, 300.0]))
    def test_places_and_segments_of_any_spread(self, seed, count, long):
        rng = np.random.default_rng(seed)
        starts = rng.uniform(-100, 100, (count, 2)) ** 3 / 1e4  # dense amid, sparse at the rim
        ends = starts + rng.normal(0, long, (count, 2)) * (rng.random((count, 1)) > 0.1)  # points among them
        places = rng.uniform(-150, 150, (60, 2))
        true = shapely.distance(
            shapely.points(places)[:, None], shapely.linestrings(np.stack([starts, ends], 1))[None]
        ).min(1)
        np.testing.assert_allclose(distances_to_segments(places, starts, ends), true, atol=1e-9)

    def test_lines_of_any_number(self):
        line = np.array([[0.0, 0], [10, 0], [10, 10]])
        np.testing.assert_allclose(distances_to_lines(np.array([[5.0, 3], [13, 14]]), [line]), [3, 5])
        self.assertTrue(np.isinf(distances_to_lines(np.zeros((2, 2)), [])).all())


if __name__ == "__main__":
    unittest.main()
