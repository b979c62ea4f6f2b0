"""Rings that cross are cut where they cross: what they cover, with their own segments, whatever these are."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.geometry import Path, Region
from nibble_core.geometry.regions import polygons
from nibble_core.geometry.segments import ARC, CUBIC
from nibble_core.tracing.crossings import cut_at_crossings
from nibble_core.tracing.mending import mended


def smooth(points: list[tuple[float, float]]) -> Path:
    """A closed curve through some points, a cubic between each two (Catmull and Rom)."""
    p = np.array(points)
    ahead, way = np.roll(p, -1, 0), (np.roll(p, -1, 0) - np.roll(p, 1, 0)) / 6
    rows = np.concatenate([p, p + way, ahead - np.roll(way, -1, 0), ahead], 1)
    return Path(np.full(len(p), CUBIC, np.uint8), rows)


def covered(region: Region) -> shapely.Geometry:
    return shapely.make_valid(region.polygon(1e-4))


places = st.lists(
    st.tuples(st.integers(0, 100).map(float), st.integers(0, 100).map(float)), min_size=4, max_size=9, unique=True
)


class CrossingsTest(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(places)
    def test_a_curve_that_crosses_itself_keeps_what_it_covers_and_its_curves(self, points):
        ring = smooth(points)
        ring = ring if ring.area() > 0 else ring.reversed()
        wanted = covered(Region(ring))
        made = mended(Region(ring)).regions
        whole = shapely.union_all([covered(region) for region in made])
        # what is too small to be told, and what chords lie off their curves
        self.assertLess(shapely.symmetric_difference(wanted, whole).area, 0.01 * (1 + ring.length()))
        for region in made:
            self.assertGreater(region.outer.area(), 0)
            self.assertTrue(all(hole.area() < 0 for hole in region.holes))
            course = shapely.LinearRing(ring.flattened(1e-4)).buffer(0.005)
            for own in region.rings:
                self.assertTrue(course.covers(shapely.LinearRing(own.flattened(1e-3))))
        crossings = len(shapely.node(shapely.LinearRing(ring.flattened())).geoms) / 2
        self.assertLessEqual(sum(region.node_count for region in made), len(ring) + 4 * crossings)

    def test_two_circles_that_cross_become_their_own_arcs(self):
        one, hole = Path.circle(0, 0, 30), Path.circle(35, 0, 15).reversed()
        region = Region(one, (hole,))
        parts = polygons(shapely.make_valid(region.polygon()))
        made = cut_at_crossings(region, parts)
        self.assertEqual(len(made), len(parts))
        for own in made:
            self.assertEqual(own.holes, ())
            middle = own.outer.rows[own.outer.kinds == ARC][:, 2:4]
            self.assertTrue({tuple(place) for place in middle.round(6).tolist()} <= {(0.0, 0.0), (35.0, 0.0)})
        lens = shapely.Point(0, 0).buffer(30, 2000).intersection(shapely.Point(35, 0).buffer(15, 2000)).area
        both = math.pi * (30**2 + 15**2) - 2 * lens
        self.assertAlmostEqual(sum(own.polygon(1e-6).area for own in made), both, delta=0.002)

    def test_a_long_outline_with_one_crossing_keeps_its_nodes(self):
        turns = np.linspace(0, 2 * math.pi, 400, endpoint=False)
        radius = 50 + 3 * np.sin(23 * turns) + np.sin(57 * turns)
        points = np.stack([radius * np.cos(turns), radius * np.sin(turns)], 1)
        points[[100, 101]] = points[[101, 100]]  # a knot
        ring = smooth([(float(x), float(y)) for x, y in points])
        made = mended(Region(ring))
        self.assertEqual(made.counts["self-crossings"], 1)
        self.assertLess(abs(sum(region.node_count for region in made.regions) - len(ring)), 10)
