"""Nesting, groups and weed lines, judged by true distances between the shapes."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import DoesNotFit, InvalidTicket
from nibble_core.geometry import Affine, Box
from nibble_core.sheet import (
    Limits,
    Part,
    Placement,
    at_place,
    grid,
    grouped,
    nest,
    pieces_of_waste,
    room,
    too_near,
    ungrouped,
    weed_lines,
)
from tests.strategies import stars

GAP = 2.0
QUICK = Limits(seconds=0.2)


def part(layer: str, shape: shapely.Geometry, quantity: int) -> Part:
    return Part(layer, Box(*shape.bounds), quantity, shape)


def put(parts, placements):
    shapes = {one.layer: one.shape for one in parts}
    return [at_place(shapes[layer], at) for layer, at in placements]


def nearest(copies) -> float:
    tree = shapely.STRtree(copies)
    pairs = zip(*tree.query(copies, predicate="dwithin", distance=4 * GAP), strict=True)
    return min((copies[a].distance(copies[b]) for a, b in pairs if a < b), default=math.inf)


RING = shapely.Point(0, 0).buffer(60).difference(shapely.Point(0, 0).buffer(48))
L = shapely.union_all([shapely.box(0, 0, 15, 60), shapely.box(0, 45, 45, 60)])


class NestTest(unittest.TestCase):
    @given(
        st.lists(st.tuples(stars(), st.integers(1, 6), st.floats(0.4, 2.0)), min_size=1, max_size=4),
        st.sampled_from(["as it stands", "by half turns", "by quarter turns", "by any turn"]),
    )
    @settings(max_examples=15, deadline=None)
    def test_any_shapes_keep_their_distance_and_never_take_more_than_the_grid(self, drawn, turns):
        parts = [
            part(f"l{i}", shapely.affinity.scale(shapely.Polygon(star), size, size, origin=(0, 0)), count)
            for i, (star, count, size) in enumerate(drawn)
        ]
        within = room(usable_width=500.0, usable_length=9000.0, spacing=GAP)
        told = []
        found, runs = nest(parts, within, turns=turns, limits=Limits(0.3, told.append))
        copies = put(parts, found.placements)
        self.assertEqual((runs, found.left, len(copies)), (1, 0, sum(one.quantity for one in parts)))
        self.assertGreaterEqual(nearest(copies), GAP - 1e-6)
        left, top, right, bottom = shapely.union_all(copies).bounds
        self.assertGreaterEqual(min(left, top), within.edge - 1e-6)
        self.assertLessEqual(right, found.width - within.edge + 1e-6)
        self.assertLessEqual(bottom, found.length - within.edge + 1e-6)
        self.assertLessEqual(found.width, 500.0 + 1e-6)
        self.assertLessEqual(found.length, grid(parts, within).height + 1e-6)
        self.assertEqual([one.rank for one in told], sorted((one.rank for one in told), reverse=True))

    def test_small_copies_lie_within_large_ones(self):
        parts = [part("ring", RING, 1), part("dot", shapely.Point(0, 0).buffer(15), 4)]
        found, _ = nest(parts, room(usable_width=130.0, usable_length=2000.0, spacing=GAP, mark_count=0), limits=QUICK)
        self.assertLess(found.length, 126.0)
        self.assertGreaterEqual(nearest(put(parts, found.placements)), GAP - 1e-6)

    def test_locked_copies_stay_and_the_others_keep_clear_of_them(self):
        parts = [part("l", L, 12)]
        within = room(usable_width=300.0, usable_length=2000.0, spacing=GAP, mark_count=0)
        stay = Placement("l", Affine.rotation(33.0).then(Affine.translation(150.0, 60.0)))
        found, _ = nest(parts, within, locked=[stay], limits=QUICK)
        self.assertEqual((found.placements[0], len(found.placements)), (stay, 12))
        self.assertGreaterEqual(nearest(put(parts, found.placements)), GAP - 1e-6)

    def test_more_than_a_sheet_holds_goes_on_even_runs_and_a_full_one_takes_no_more_than_fits(self):
        parts = [part("l", L, 40)]
        within = room(usable_width=200.0, usable_length=200.0, spacing=GAP, mark_count=0)
        found, runs = nest(parts, within, limits=QUICK)
        self.assertTrue(40 <= len(found.placements) * runs < 40 + runs)
        full, once = nest(parts, within, full=True, limits=QUICK)
        self.assertEqual(once, 1)
        self.assertGreaterEqual(len(full.placements), len(found.placements))
        self.assertLessEqual(max(full.length, full.width), 200.0 + 1e-6)

    def test_what_cannot_be_nested_is_said(self):
        within = room(usable_width=200.0, usable_length=200.0, spacing=GAP, mark_count=0)
        with self.assertRaises(DoesNotFit):
            nest([part("l", shapely.box(0, 0, 300, 210), 1)], within)
        for parts, turns in (([part("l", L, 0)], "by half turns"), ([part("l", L, 1)], "upside down"), ([], "")):
            with self.assertRaises(InvalidTicket):
                nest(parts, within, turns=turns)

    def test_groups_hold_one_of_each_and_nothing_lies_between_their_members(self):
        parts = [part("sticker", L, 12), part("label", shapely.box(0, 0, 30, 10), 24)]
        within = room(usable_width=400.0, usable_length=2000.0, spacing=GAP, mark_count=0)
        group, members = grouped(parts, within, "by quarter turns")
        self.assertEqual((group.quantity, sorted(one.layer for one in members)), (12, ["label", "label", "sticker"]))
        found, _ = nest([group], within, limits=QUICK)
        copies = put(parts, ungrouped(found.placements, members))
        self.assertEqual(len(copies), 36)
        self.assertGreaterEqual(nearest(copies), GAP - 1e-6)
        for start in range(0, 36, 3):
            hull = shapely.union_all(copies[start : start + 3]).convex_hull
            reach = hull.bounds[2] - hull.bounds[0] + hull.bounds[3] - hull.bounds[1]
            self.assertLess(reach, 150.0)


class DistancesTest(unittest.TestCase):
    def test_copies_that_lie_too_near_or_on_each_other_are_told_with_their_place(self):
        copies = [shapely.box(0, 0, 10, 10), shapely.box(11.5, 0, 20, 10), shapely.box(19, 2, 30, 5),
                  shapely.box(40, 0, 50, 10)]  # fmt: skip
        found = too_near(copies, 2.0)
        self.assertEqual([(one.one, one.other, round(one.apart, 6)) for one in found], [(1, 2, 0.0), (0, 1, 1.5)])
        self.assertAlmostEqual(found[1].x, 10.75)
        self.assertEqual(too_near([copies[0], shapely.box(10, 0, 20, 10)], 0.0), [])  # they share a line


class WeedLinesTest(unittest.TestCase):
    @given(st.integers(0, 10_000), st.sampled_from([30.0, 80.0, 150.0]), st.sampled_from([0.0, 0.5, 2.0]))
    @settings(max_examples=20, deadline=None)
    def test_no_copy_is_crossed_and_no_piece_of_waste_is_larger_than_asked(self, seed, largest, clear):
        rng = np.random.default_rng(seed)
        spots = rng.uniform(20, 380, (12, 2))
        kinds = [L, shapely.Point(0, 0).buffer(15), RING.buffer(0)]
        copies = []
        for n, (x, y) in enumerate(spots):
            one = shapely.Polygon(kinds[n % 3].exterior)
            one = shapely.affinity.translate(shapely.affinity.rotate(one, float(rng.uniform(0, 360))), x, y)
            if all(one.distance(other) > 1.0 for other in copies):
                copies.append(one)
        waste = shapely.box(*shapely.union_all(copies).buffer(10).bounds)
        cuts = weed_lines(waste, copies, largest, clear)
        lines = [shapely.LineString(path.flattened(0.01)) for path in cuts]
        for line in lines:
            self.assertGreaterEqual(min(line.distance(copy) for copy in copies), clear)
            self.assertTrue(waste.buffer(1e-6).covers(line))
        for piece in pieces_of_waste(waste, copies, cuts, clear):
            left, top, right, bottom = piece.bounds
            self.assertLessEqual(max(right - left, bottom - top), largest + 1e-6)

    def test_waste_that_is_small_enough_is_left_alone(self):
        self.assertEqual(len(weed_lines(shapely.box(0, 0, 90, 90), [shapely.box(20, 20, 40, 40)], 100.0, 1.0)), 0)
        self.assertEqual(len(weed_lines(shapely.Polygon(), [], 100.0, 1.0)), 0)
