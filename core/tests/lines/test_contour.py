"""Contours: true distance, containment, corners, gaps, and what leaves nothing."""

import math
import unittest
from itertools import pairwise

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Polygon

from nibble_core.errors import InvalidTicket, NothingToCut
from nibble_core.geometry.nearest import distances_to_lines
from nibble_core.lines.contour import (
    contour,
    contour_area,
    contour_preview,
    holes_kept,
    offset,
    outer_shape,
    outer_shape_of,
    without_holes,
)
from nibble_core.lines.offsetting import KINDS, offset_area
from tests import zoo as pictures
from tests.distances import from_lines
from tests.strategies import distances, polygon_region, stars, zoo


def outline(regions):
    return shapely.union_all([Polygon(region.outer.flattened(0.0005)) for region in regions])


def distance_error(shape: Polygon, regions, distance: float) -> float:
    """Largest error of the distance, both ways: from the contour to the shape, and from the ideal to the contour."""
    drawn = outline(regions).boundary
    points = np.vstack([region.outer.flattened(0.002) for region in regions])
    solid = Polygon(shape.exterior)
    shapely.prepare(solid)
    apart = np.where(shapely.contains_xy(solid, *points.T), 0.0, from_lines(points, shape.exterior))
    there = np.abs(apart - distance).max()
    ideal = solid.buffer(distance, quad_segs=400)
    rings = [Polygon(part.exterior).exterior for part in getattr(ideal, "geoms", [ideal])]
    back = np.concatenate([shapely.get_coordinates(ring) for ring in rings])
    return float(max(there, from_lines(back, drawn).max()))


class DistanceTest(unittest.TestCase):
    def test_the_zoo_is_true_within_a_hundredth(self):
        for name, shape in zoo().items():
            for distance in (0.3, 2.0, 6.0):
                with self.subTest(name, distance=distance):
                    regions = contour(outer_shape([polygon_region(shape)]), distance)
                    self.assertLessEqual(distance_error(shape, regions, distance), 0.01)

    @given(stars(), distances)
    @settings(max_examples=25)
    def test_any_polygon_is_true_within_a_hundredth(self, corners, distance):
        shape = Polygon(corners)
        regions = contour(outer_shape([polygon_region(shape)]), distance)
        self.assertLessEqual(distance_error(shape, regions, distance), 0.01)

    @given(stars(), distances)
    @settings(max_examples=20)
    def test_the_preview_is_the_same_contour(self, corners, distance):
        area = outer_shape([polygon_region(Polygon(corners))])
        difference = outline(contour(area, distance)).symmetric_difference(outline(contour_preview(area, distance)))
        self.assertLess(difference.area, 0.02 * outline(contour(area, distance)).length)


class ManyHolesTest(unittest.TestCase):
    def test_a_screen_of_holes_keeps_every_one_at_its_distance(self):
        plate = shapely.box(0, 0, 120, 120)
        holes = [shapely.Point(2 + 4 * (k % 30), 2 + 4 * (k // 30)).buffer(1.5, quad_segs=32) for k in range(900)]
        screen = plate.difference(shapely.union_all(holes))
        kept = holes_kept(without_holes(screen)[1], 2.9)
        made = contour_area(outer_shape_of(screen), 1.0, holes=[(hole, 0.5) for hole in kept]).area
        self.assertEqual(sum(len(part.interiors) for part in made.geoms), 900)
        wanted = 120**2 + 4 * 120 + math.pi - 900 * math.pi
        self.assertAlmostEqual(made.area, wanted, delta=0.003 * wanted)

    def test_holes_that_run_into_each_other_or_the_edge_are_cut_out(self):
        pair = [shapely.Point(x, 10).buffer(3, quad_segs=32) for x in (8, 13)]
        over = shapely.Point(20, 10).buffer(4, quad_segs=32)
        made = contour_area(
            outer_shape_of(shapely.box(0, 0, 20, 20)), 0.0, holes=[(hole, 0.0) for hole in [*pair, over]]
        )
        wanted = shapely.box(0, 0, 20, 20).difference(shapely.union_all([*pair, over]))
        self.assertAlmostEqual(made.area.area, wanted.area, delta=0.01)


class CornerTest(unittest.TestCase):
    square = shapely.box(0, 0, 20, 20)

    def area(self, **options) -> float:
        return outline(contour(outer_shape([polygon_region(self.square)]), 3, **options)).area

    def test_round_mitred_and_bevelled_have_their_analytic_areas(self):
        self.assertAlmostEqual(self.area(corners="round"), 400 + 4 * 60 + math.pi * 9, delta=0.2)
        self.assertAlmostEqual(self.area(corners="mitred"), 26 * 26, delta=1e-6)
        self.assertAlmostEqual(self.area(corners="bevelled"), 26 * 26 - 4 * 4.5, delta=1e-6)

    @given(
        stars(), distances, st.sampled_from((-0.2, 1.0)), st.sampled_from((("mitred", "mitre"), ("bevelled", "bevel")))
    )
    @settings(max_examples=20)
    def test_straight_sides_come_out_as_by_another_hand(self, corners, distance, way, kinds):
        area, (own, other) = Polygon(corners), kinds
        made = offset_area(area, way * distance, corners=own)
        wanted = area.buffer(way * distance, join_style=other, mitre_limit=2.0)
        self.assertLess(made.symmetric_difference(wanted).area, 0.002 * (wanted.length + 1))

    def test_tips_of_curved_sides_lie_where_their_tangents_meet(self):
        radius, apart = 30.0, 18.0
        lens = shapely.Point(-apart, 0).buffer(radius, quad_segs=300).intersection(
            shapely.Point(apart, 0).buffer(radius, quad_segs=300)
        )  # fmt: skip
        top = math.sqrt(radius**2 - apart**2)
        for distance in (0.5, 2.0, 5.0):
            made = offset(outer_shape_of(lens), distance, corners="mitred", mitre_limit=4.0)
            self.assertAlmostEqual(made.bounds[3], top + distance * radius / top, delta=0.003)
            bevelled = offset(outer_shape_of(lens), distance, corners="bevelled")
            self.assertAlmostEqual(bevelled.bounds[3], top + distance * top / radius, delta=0.01)

    def test_smooth_sides_have_as_few_nodes_as_with_round_corners(self):
        base = outer_shape_of(pictures.shape("winged badge"))
        for distance in (1.0, 4.0):
            nodes = {kind: sum(region.node_count for region in contour(base, distance, corners=kind)) for kind in KINDS}
            self.assertLess(nodes["mitred"], 1.3 * nodes["round"])
            self.assertLess(nodes["bevelled"], 1.3 * nodes["round"])

    def test_unknown_corners_are_answered_with_the_known(self):
        with self.assertRaises(InvalidTicket) as caught:
            self.area(corners="wobbly")
        self.assertIn("bevelled", caught.exception.what_to_do)

    def test_long_mitres_are_cut_off(self):
        needle = outer_shape([polygon_region(Polygon([(0, 0), (40, 1), (0, 2)]))])
        self.assertLess(outline(contour(needle, 2, corners="mitred", mitre_limit=2)).bounds[2], 45)


class OuterShapeTest(unittest.TestCase):
    def test_holes_are_filled_and_overlaps_joined(self):
        ring = shapely.Point(0, 0).buffer(10).difference(shapely.Point(0, 0).buffer(4))
        joined = outer_shape([polygon_region(ring), polygon_region(shapely.box(5, -2, 20, 2))])
        self.assertEqual(len(joined.geoms), 1)
        self.assertEqual(len(joined.geoms[0].interiors), 0)

    def test_gaps_close_at_their_width_and_the_artwork_stays_inside(self):
        comb = zoo()["comb"]
        bays_open = outer_shape([polygon_region(comb)], close_gaps=2.8)
        bays_shut = outer_shape([polygon_region(comb)], close_gaps=3.2)
        rounded = 20 * (1 - math.pi / 4) * 1.4**2  # closing rounds the twenty inner corners
        self.assertAlmostEqual(bays_open.area, comb.area + rounded, delta=0.2)
        self.assertGreater(bays_shut.area, comb.area + 300)
        self.assertLess(comb.difference(bays_shut.buffer(0.01)).area, 1e-9)

    def test_nothing_in_nothing_out(self):
        with self.assertRaises(NothingToCut):
            outer_shape([])
        with self.assertRaises(NothingToCut):
            offset(shapely.MultiPolygon([shapely.box(0, 0, 4, 4)]), -3)

    def test_an_inset_that_splits_gives_two_pieces(self):
        self.assertEqual(len(contour(outer_shape([polygon_region(zoo()["dumbbell"])]), -0.5)), 2)


class SoundContours(unittest.TestCase):
    def test_a_little_further_out_is_no_other_line(self):
        base = outer_shape_of(pictures.shape("lizard"))
        nodes = [sum(region.node_count for region in contour(base, k / 10)) for k in range(1, 7)]
        for one, other in pairwise(nodes):
            self.assertLess(max(one, other), 1.5 * min(one, other))

    def test_joints_meet_and_nothing_crosses_in_contours_that_once_fell_apart(self):
        for name, distance in (("burst", 2.0), ("burst", -1.5), ("key", -0.3), ("dots", 0.1), ("fine comb", 5.0)):
            with self.subTest(name, distance=distance):
                base = outer_shape_of(pictures.shape(name), close_gaps=1.5)
                regions = contour(base, distance)
                for region in regions:
                    self.assertTrue(region.polygon(0.0005).is_valid)
                    for ring in region.rings:
                        gaps = np.hypot(*(np.roll(ring.rows[:, :2], -1, 0) - ring.rows[:, 6:]).T)
                        self.assertLessEqual(gaps.max(), 1e-9)
                whole = shapely.MultiPolygon([region.polygon(0.0005) for region in regions])
                self.assertTrue(whole.is_valid)
                ideal = contour_area(base, distance).area
                drawn, ideal = (
                    [np.asarray(ring.coords) for part in area.geoms for ring in (part.exterior, *part.interiors)]
                    for area in (whole, ideal)
                )
                for one, other in ((drawn, ideal), (ideal, drawn)):
                    self.assertLess(distances_to_lines(np.vstack(one), other).max(), 0.02)
