"""Regions to polygons and back."""

import unittest

import numpy as np
import shapely
from hypothesis import given, settings

from nibble_core.geometry import Affine, Path, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import distances_to_area, oriented_rings, polygons, union
from tests.strategies import polygon_region, similarities, stars, zoo


class RegionTest(unittest.TestCase):
    def test_rings_are_wound_alike_whatever_came(self):
        for turned in (False, True):
            polygon = shapely.box(0, 0, 30, 20).difference(shapely.Point(10, 10).buffer(4))
            outer, holes = oriented_rings(polygon.reverse() if turned else polygon)
            self.assertGreater(Path.polygon(outer).area(), 0)
            self.assertEqual([Path.polygon(hole).area() < 0 for hole in holes], [True])

    def test_polygons_of_anything(self):
        mixed = shapely.GeometryCollection(
            [
                shapely.Point(0, 0),
                shapely.MultiPolygon([shapely.box(0, 0, 1, 1), shapely.box(2, 0, 3, 1)]),
                shapely.Polygon(),
            ]
        )
        self.assertEqual(len(polygons(mixed)), 2)
        self.assertEqual(polygons(shapely.LineString([(0, 0), (1, 1)])), [])

    @given(stars())
    @settings(max_examples=30)
    def test_an_area_survives_the_union_and_the_refit(self, corners):
        region = Region(Path.polygon(corners))
        whole = union([region, region])
        self.assertAlmostEqual(whole.area, region.area(), delta=1e-6 * region.area() + 1e-9)
        again = sum(refit_polygon(part).area() for part in whole.geoms)
        self.assertAlmostEqual(again, whole.area, delta=0.01 * whole.length)

    @given(stars(), similarities())
    @settings(max_examples=30)
    def test_a_mapped_region_keeps_its_winding_and_scales_its_area(self, corners, affine):
        region = Region(Path.polygon(corners))
        mapped = region.mapped(affine)
        self.assertGreater(mapped.outer.area(), 0)
        self.assertAlmostEqual(mapped.area(), region.area() * abs(affine.determinant), delta=1e-4 * mapped.area())

    def test_the_zoo_is_valid_after_a_union(self):
        for name, shape in zoo().items():
            with self.subTest(name):
                joined = union([polygon_region(shape)])
                self.assertTrue(joined.is_valid)
                self.assertAlmostEqual(joined.area, shape.area, delta=1e-6 + 1e-6 * shape.area)

    def test_boxes_follow(self):
        region = Region(Path.circle(5, 6, 3)).mapped(Affine.translation(10, 0))
        np.testing.assert_allclose(region.bounds(), (12, 3, 18, 9), atol=0.01)
        self.assertAlmostEqual(region.bounds().grown(1).width, 8, delta=0.01)

    def test_distances_to_an_area_are_those_of_the_geometry_library(self):
        ring = (
            shapely.Point(0, 0).buffer(10).difference(shapely.Point(1, 0).buffer(4)).union(shapely.box(20, -3, 25, 3))
        )
        places = np.random.default_rng(4).uniform(-15, 30, (400, 2))
        np.testing.assert_allclose(
            distances_to_area(places, ring), shapely.distance(shapely.points(places), ring), atol=1e-9
        )
