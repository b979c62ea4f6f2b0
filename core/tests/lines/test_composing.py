"""Composing: joined, cut out, common parts; what touches, what falls short; simple shapes, also round a piece."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import InvalidTicket, NothingToCut
from nibble_core.geometry import ARC, Affine, Path, Region
from nibble_core.geometry.regions import union
from nibble_core.graphics import Shape
from nibble_core.lines.composing import Member, compose
from nibble_core.lines.figures import figure, surrounding
from nibble_core.text import set_line, shipped_font
from tests.strategies import polygon_region, stars, zoo

RED, BLUE = (220, 40, 40), (30, 40, 160)


def disc(x, y, radius, colour=RED, id="a", way="joined", **more):
    region = figure("circle", 2 * radius, 0)[0].mapped(Affine.translation(x, y))
    return Member(id, (Shape(region, colour),), way, **more)


def area(composed) -> float:
    return float(union(composed.regions).area)


class JoiningTest(unittest.TestCase):
    def test_what_overlaps_becomes_one_and_keeps_its_colours(self):
        made = compose([disc(0, 0, 10), disc(12, 0, 10, BLUE, "b")])
        self.assertEqual(len(made.regions), 1)
        self.assertEqual([shape.colour for _, shape in made.painted], [RED, BLUE])
        half = math.acos(6 / 10)
        lens = 2 * (100 * half - 6 * 8)
        self.assertAlmostEqual(area(made), 2 * math.pi * 100 - lens, delta=0.003 * 100)
        self.assertEqual(made.joins[0].touches, 1)

    def test_a_cut_takes_its_exact_area(self):
        made = compose([disc(0, 0, 20), disc(0, 0, 8, id="b", way="cut out")])
        self.assertAlmostEqual(area(made), math.pi * (400 - 64), delta=0.003 * 176)
        self.assertEqual(len(made.regions[0].holes), 1)

    def test_the_common_part_is_the_lens(self):
        made = compose([disc(0, 0, 10), disc(12, 0, 10, id="b", way="common part")])
        self.assertAlmostEqual(area(made), 2 * (100 * math.acos(0.6) - 48), delta=0.003 * 37)

    def test_curves_that_nothing_meets_stay_exact(self):
        made = compose([disc(0, 0, 10), disc(50, 0, 5, id="b"), disc(51, 0, 2, id="c", way="cut out")])
        self.assertTrue((made.regions[0].outer.kinds == ARC).all())

    def test_apart_stays_a_shape_of_its_own(self):
        self.assertEqual(len(compose([disc(0, 0, 10), disc(5, 0, 4, id="b", way="apart")]).regions), 2)

    def test_ends_that_fall_short_are_measured(self):
        letters = Member("b", (*disc(30, 0, 5).shapes, *disc(0, 12, 4).shapes))
        join = compose([disc(0, 0, 10), letters]).joins[0]
        self.assertEqual((join.touches, len(join.short)), (1, 1))
        self.assertAlmostEqual(join.short[0][0], 15, delta=0.01)
        self.assertAlmostEqual(join.short[0][1].x, 25, delta=0.05)

    def test_widening_closes_what_fell_short(self):
        made = compose([disc(0, 0, 10), disc(15.5, 0, 5, id="b", widen=0.6)])
        self.assertEqual((len(made.regions), made.joins[0].short), (1, ()))

    def test_a_bar_across_a_ring_touches_twice(self):
        ring = Member("a", tuple(Shape(region, RED) for region in figure("ring", 40, 0, wall=3)))
        bar = Member("b", tuple(Shape(region, BLUE) for region in figure("line", 36, 2)))
        self.assertEqual(compose([ring, bar]).joins[0].touches, 2)

    def test_what_is_joined_has_few_nodes(self):
        words = set_line(shipped_font("script"), "Harbour", 20).regions
        bar = figure("rounded rectangle", 90, 6, radius=3)
        made = compose(
            [Member("a", tuple(Shape(r, RED) for r in words)), Member("b", tuple(Shape(r, BLUE) for r in bar))]
        )
        flat = sum(len(ring.flattened()) for region in made.regions for ring in region.rings)
        self.assertLess(sum(region.node_count for region in made.regions), flat / 3)

    def test_cutting_everything_away_is_said(self):
        with self.assertRaises(NothingToCut):
            compose([disc(0, 0, 5), disc(0, 0, 9, id="b", way="cut out")])

    @given(stars(), stars(), st.sampled_from(["joined", "cut out", "common part"]))
    @settings(max_examples=30, deadline=None)
    def test_areas_add_up_for_any_two_shapes(self, one, other, way):
        a, b = shapely.Polygon(one), shapely.Polygon(np.add(other, (10, 4)))
        members = [
            Member("a", (Shape(polygon_region(a), RED),)),
            Member("b", (Shape(polygon_region(b), BLUE),), way),
        ]
        wanted = {"joined": a.union(b), "cut out": a.difference(b), "common part": a.intersection(b)}[way]
        try:
            made = compose(members)
        except NothingToCut:
            self.assertLess(wanted.area, 0.01)
            return
        self.assertAlmostEqual(area(made), wanted.area, delta=0.01 * wanted.length + 0.01)


class FigureTest(unittest.TestCase):
    def test_areas_are_the_analytic_ones(self):
        wanted = {
            "circle": math.pi * 900, "ellipse": math.pi * 30 * 10, "ring": math.pi * (900 - 625),
            "rectangle": 1200, "rounded rectangle": 1200 - (4 - math.pi) * 16, "line": 1200,
            "regular polygon": 2.5 * 900 * math.sin(2 * math.pi / 5),
            "star": 5 * 900 * 0.5 * math.sin(math.pi / 5),
        }  # fmt: skip
        for kind, area in wanted.items():
            with self.subTest(kind):
                made = figure(kind, 60, 20, radius=4, count=5, wall=5, depth=0.5)
                self.assertAlmostEqual(sum(region.area() for region in made), area, delta=area * 2e-4)
                self.assertTrue(all(region.polygon().is_valid for region in made))

    def test_an_ellipse_is_true(self):
        points = figure("ellipse", 200, 90)[0].outer.flattened(0.0005)
        self.assertLess(np.abs(np.hypot(points[:, 0] / 100, points[:, 1] / 45) - 1).max() * 45, 0.001)

    def test_shapes_without_size_are_refused(self):
        for kind, width, height, options in (
            ("circle", 0, 0, {}), ("rectangle", 10, 0, {}), ("ring", 10, 0, {"wall": 5}), ("cloud", 9, 9, {}),
        ):  # fmt: skip
            with self.subTest(kind), self.assertRaises(InvalidTicket):
                figure(kind, width, height, **options)

    def test_what_goes_round_a_piece_holds_it_closely(self):
        for name, shape in zoo().items():
            for kind in ("rectangle", "rounded rectangle", "circle", "ellipse", "hexagon", "smooth hull"):
                with self.subTest(name, kind=kind):
                    around = surrounding(kind, shape, radius=2).polygon()
                    self.assertTrue(around.buffer(0.01).contains(shape))
                    box = shape.bounds
                    self.assertLess(around.area, 3.5 * (max(box[2] - box[0], box[3] - box[1]) + 4) ** 2)

    def test_the_smallest_circle_is_the_smallest(self):
        square = shapely.box(3, 4, 23, 24)
        self.assertAlmostEqual(surrounding("circle", square).area(), math.pi * 200, delta=0.2)


class RegionsTest(unittest.TestCase):
    def test_a_crumb_between_what_is_joined_is_no_hole(self):
        for wide, holes in ((0.005, 0), (0.05, 1)):
            a, b = 5 - wide / 2, 5 + wide / 2
            boxes = [(0, 0, a, 10), (b, 0, 10, 10), (0, 0, 10, a), (0, b, 10, 10)]
            made = compose([
                Member(f"e{k}", (Shape(Region(Path.polygon([(x, y), (u, y), (u, v), (x, v)])), BLUE),), "joined")
                for k, (x, y, u, v) in enumerate(boxes)
            ])  # fmt: skip
            self.assertEqual([len(region.holes) for region in made.regions], [holes])

    def test_cutting_a_letter_out_leaves_its_inside(self):
        o = Region(figure("circle", 12, 0)[0].outer, figure("ring", 10, 0, wall=3)[0].holes)
        made = compose([disc(0, 0, 20), Member("b", (Shape(o, BLUE),), "cut out")])
        self.assertEqual(len(made.regions), 2)  # the plate, and the island inside the letter
