"""Step and repeat: nothing overlaps, nothing leaves the sheet, the quantity is made."""

import itertools
import math
import unittest
from functools import partial

import numpy as np
import shapely
import shapely.affinity
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import DoesNotFit, InvalidTicket
from nibble_core.geometry import Box
from nibble_core.sheet import Part, grid, interlocked, marked, room
from nibble_core.sheet.interlocking_kernels import closest_rows
from tests.strategies import stars

sizes = st.floats(5, 120).map(lambda v: round(v, 2))


def lay(arrange, parts, *, full=False, mark_count=4, **options):
    """Arranged within marks, which are then set."""
    return marked(arrange(parts, room(mark_count=mark_count, **options), full=full), mark_count, 6.0)


class RowsTest(unittest.TestCase):
    @given(st.integers(2, 40), st.integers(0, 2**32 - 1))
    def test_rows_come_as_close_as_a_look_at_every_place_says(self, count, seed):
        rng = np.random.default_rng(seed)
        top, bottom = rng.uniform(-5, 5, count), rng.uniform(-5, 5, count)
        shifts = rng.integers(-count, count, 12)
        apart = [max(0.5, max(bottom[k] - top[(k - shift) % count] for k in range(count))) for shift in shifts]
        best, found = closest_rows(top, bottom, shifts, 0.5)
        self.assertEqual((best, found), (int(np.argmin(apart)), min(apart)))


class GridTest(unittest.TestCase):
    @given(sizes, sizes, st.integers(1, 700), st.floats(0, 12), st.sampled_from([3, 4, 5, 6]))
    def test_any_grid_holds_together(self, width, height, quantity, spacing, marks):
        piece = Box(-3.0, 2.0, width - 3.0, height + 2.0)
        options = {"spacing": spacing, "usable_width": 500, "usable_length": 900, "mark_count": marks}
        layout = lay(grid, [Part("l1", piece, quantity)], **options)
        self.assertGreaterEqual(layout.copies * layout.times, quantity)
        self.assertLess(layout.copies * layout.times - quantity, layout.copies)
        self.assertLessEqual(layout.width, 500 + 1e-6)
        self.assertLessEqual(layout.height, 900 + 1e-6)
        self.assertEqual(len(layout.marks.places), marks)
        boxes = [(p.e + piece.left, p.f + piece.top) for _, p in layout.placements]
        gap = layout.marks.diameter + 5.0
        for x, y in boxes:
            self.assertGreaterEqual(x, gap - 1e-6)
            self.assertLessEqual(x + width, layout.width - gap + 1e-6)
            self.assertLessEqual(y + height, layout.height - gap + 1e-6)
        for (x, y), (u, v) in itertools.pairwise(boxes):
            self.assertTrue(abs(x - u) >= width + spacing - 1e-6 or abs(y - v) >= height + spacing - 1e-6)

    def test_three_marks_tell_the_direction(self):
        layout = lay(
            grid, [Part("l1", Box(0, 0, 50, 50), 4)], spacing=2, usable_width=300, usable_length=300, mark_count=3
        )
        right_top = [m for m in layout.marks.places if m.x > layout.width / 2 and m.y < layout.height / 2]
        self.assertEqual(right_top, [])

    def test_what_does_not_fit_is_said(self):
        with self.assertRaises(DoesNotFit) as caught:
            lay(grid, [Part("l1", Box(0, 0, 490, 20), 1)], spacing=2, usable_width=500, usable_length=900)
        self.assertIn("512.0 mm wide", caught.exception.message)
        with self.assertRaises(InvalidTicket):
            lay(grid, [Part("l1", Box(0, 0, 9, 9), 1)], spacing=2, usable_width=500, usable_length=900, mark_count=7)


class MarksTest(unittest.TestCase):
    @given(st.sampled_from(["circles", "squares", "crosses", "corners"]), st.integers(3, 6), st.floats(0, 400))
    @settings(max_examples=30)
    def test_every_shape_stands_in_its_box_and_no_two_pairs_are_too_far_apart(self, shape, count, every):
        laid = lay(
            grid, [Part("l1", Box(0, 0, 50, 50), 40)], spacing=2, usable_width=300, usable_length=2000, mark_count=3
        )
        made = marked(laid, count, 6.0, shape=shape, every=every)
        for path, place in zip(made.marks.paths(), made.marks.places, strict=True):
            box = path.bounds()
            self.assertAlmostEqual(max(box.right - place.x, place.x - box.left), 3.0, places=6)
            self.assertAlmostEqual(max(box.bottom - place.y, place.y - box.top), 3.0, places=6)
            self.assertTrue(box.left > -1e-6 and box.right < made.width + 1e-6 and box.bottom < made.height + 1e-6)
        if every >= 20:
            side = sorted({y for x, y in made.marks.places if x < 10})
            self.assertLessEqual(max(b - a for a, b in itertools.pairwise(side)), every + 1e-6)
        self.assertEqual(len(set(made.marks.places)), len(made.marks.places))
        self.assertEqual(len(made.mirrored().marks.paths()), len(made.marks.paths()))

    def test_a_direction_mark_makes_a_turned_sheet_look_otherwise(self):
        laid = lay(grid, [Part("l1", Box(0, 0, 50, 50), 4)], spacing=2, usable_width=300, usable_length=300)
        cases = ((4, False, True), (6, False, True), (4, True, False), (6, True, False), (3, False, False))
        for count, keyed, alike in cases:
            made = marked(laid, count, 6.0, keyed=keyed)
            places = {(round(x, 6), round(y, 6)) for x, y in made.marks.places}
            turned = {(round(made.width - x, 6), round(made.height - y, 6)) for x, y in places}
            self.assertEqual(places == turned, alike, (count, keyed))
            self.assertEqual(len(places), count + keyed)

    def test_corners_open_towards_the_work(self):
        laid = lay(grid, [Part("l1", Box(0, 0, 50, 50), 4)], spacing=2, usable_width=300, usable_length=300)
        made = marked(laid, 4, 6.0, shape="corners")
        for path, (x, y) in zip(made.marks.paths(), made.marks.places, strict=True):
            heavy = shapely.Polygon(path.nodes).centroid
            self.assertEqual((heavy.x < x, heavy.y < y), (x < made.width / 2, y < made.height / 2))


class InterlockedTest(unittest.TestCase):
    @given(
        stars(), st.integers(1, 40), st.floats(0, 6), st.sampled_from([0, 4]),
        st.sampled_from([(0.0, 90.0), (0.0, 15.0, 90.0, 165.0)]),
    )  # fmt: skip
    @settings(max_examples=25, deadline=None)
    def test_copies_keep_their_distance_and_the_sheet(self, points, quantity, spacing, marks, turns):
        shape = shapely.make_valid(shapely.Polygon(points))
        part = Part("l1", Box(*shape.bounds), quantity, shape)
        options = {"spacing": spacing, "usable_width": 420.0, "usable_length": 900.0, "mark_count": marks}
        laid, plain = lay(partial(interlocked, turns=turns), [part], **options), lay(grid, [part], **options)
        edge = 11.0 if marks else spacing
        put = [mapped(shape, at) for _, at in laid.placements]
        self.assertEqual(len(put), math.ceil(quantity / laid.times))
        left, top, right, bottom = shapely.union_all(put).bounds
        self.assertGreaterEqual(min(left, top), edge - 1e-6)
        self.assertLessEqual(right, laid.width - edge + 1e-6)
        self.assertLessEqual(bottom, laid.height - edge + 1e-6)
        self.assertLessEqual(laid.width, 420 + 1e-6)
        tree = shapely.STRtree(put)
        for index, one in enumerate(put):
            for other in tree.query(one, predicate="dwithin", distance=max(spacing, 0.001)):
                if other != index:
                    self.assertGreaterEqual(one.distance(put[other]), spacing - 1e-6)
        self.assertAlmostEqual(sum(one.area for one in put), len(put) * shape.area, places=3)
        if laid.times == plain.times:
            self.assertLessEqual(laid.height, plain.height * 1.02 + 1.0)

    def test_triangles_and_discs_save_what_is_known_of_them(self):
        options = {"spacing": 0.0, "usable_width": 1000.0, "usable_length": 1e5, "mark_count": 0}
        for shape, most in (
            (shapely.Polygon([(0, 0), (40, 0), (20, 35)]), 0.56), (shapely.Point(0, 0).buffer(20, quad_segs=64), 0.93),
        ):  # fmt: skip
            part = Part("l1", Box(*shape.bounds), 600, shape)
            self.assertLess(lay(interlocked, [part], **options).height / lay(grid, [part], **options).height, most)

    def test_a_full_sheet_takes_as_many_as_fit_and_not_one_more(self):
        triangle = shapely.Polygon([(0, 0), (40, 0), (20, 35)])
        disc = shapely.Point(0, 0).buffer(10)
        parts = [Part("t", Box(*triangle.bounds), 30, triangle), Part("d", Box(*disc.bounds), 10, disc)]
        options = {"spacing": 2.0, "usable_width": 300.0, "usable_length": 400.0, "mark_count": 0}
        for arrange in (grid, interlocked):
            laid = lay(arrange, parts, full=True, **options)
            self.assertEqual(laid.times, 1)
            count = laid.copies_of("t")
            self.assertEqual(laid.copies_of("d"), math.ceil(count / 3))
            self.assertLessEqual(laid.height, 400 + 1e-6)
            more = [parts[0]._replace(quantity=count + 1), parts[1]._replace(quantity=math.ceil((count + 1) / 3))]
            self.assertGreater(lay(arrange, more, **options).times, 1)

    def test_what_is_too_wide_even_turned_is_said(self):
        shape = shapely.box(0, 0, 300, 120)
        part = Part("l1", Box(*shape.bounds), 3, shape)
        options = {"spacing": 2.0, "usable_length": 900.0, "mark_count": 0}
        self.assertEqual(
            lay(interlocked, [part], usable_width=140.0, **options).copies, 2
        )  # it fits turned, two to a run
        with self.assertRaises(DoesNotFit):
            lay(interlocked, [part], usable_width=100.0, **options)


def mapped(shape, at):
    return shapely.affinity.affine_transform(shape, [at.a, at.c, at.b, at.d, at.e, at.f])
