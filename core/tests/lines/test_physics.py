"""What lines do to a stock: what falls, what is weak, how it hangs, bridges, layers, and bleed."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity
from shapely.geometry import MultiPolygon

from nibble_core.checks import lines as checks
from nibble_core.errors import Cancelled, NothingToCut
from nibble_core.geometry import Box, Bundle, Path, Point
from nibble_core.geometry.regions import polygons
from nibble_core.graphics import Raster
from nibble_core.lines.bleed import bleed_pixels, worst_case
from nibble_core.lines.bridges import bridged, islands_of, proposed
from nibble_core.lines.dropout import drop_out
from nibble_core.lines.hanging import balance_point, hanging
from nibble_core.lines.necks import necks, weakest
from nibble_core.lines.stacking import alignment_marks, lower_layer, of_colours
from tests import zoo as pictures
from tests.strategies import stars


def ring_path(shape, close=True):
    return Path.polygon(np.asarray(shape.exterior.coords)[:-1], closed=close)


def square(x, y, half):
    return shapely.box(x - half, y - half, x + half, y + half)


class DropOutTest(unittest.TestCase):
    def kinds(self, cuts, work):
        return sorted((face.kind, face.island) for face in drop_out(cuts, work).faces)

    def test_a_closed_cut_frees_the_piece(self):
        piece = square(0, 0, 10)
        self.assertEqual(self.kinds([ring_path(piece)], piece), [("piece", False)])

    def test_a_hole_is_waste_and_an_island_in_it_is_lost(self):
        piece, hole, island = square(0, 0, 20), square(0, 0, 8), square(0, 0, 3)
        work = piece.difference(hole).union(island)
        told = self.kinds([ring_path(one) for one in (piece, hole, island)], work)
        self.assertEqual(told, [("part", True), ("piece", False), ("waste", True)])

    def test_a_liner_carries_parts_but_no_island(self):
        piece, hole, island, other = square(0, 0, 20), square(0, 0, 8), square(0, 0, 3), square(60, 0, 5)
        work = shapely.union_all([piece.difference(hole), island, other])
        dropped = drop_out([ring_path(one) for one in (piece, hole, island, other)], work)
        self.assertEqual((len(dropped.lost(liner=True)), len(dropped.lost(liner=False))), (1, 2))

    def test_gaps_of_a_few_micrometres_hide_nothing(self):
        for gap in (0.0, 0.001, 0.005, 0.015):
            points = np.asarray(square(0, 0, 10).exterior.coords).copy()
            points[-1] += (gap, 0)
            faces = drop_out([Path.polygon(points, closed=False)], square(0, 0, 10)).faces
            with self.subTest(gap):
                self.assertEqual(len(faces), 1)

    def test_a_tie_holds(self):
        points = np.asarray(square(0, 0, 10).exterior.coords).copy()
        points[-1] -= (0.5, 0)
        self.assertEqual(drop_out([Path.polygon(points, closed=False)], square(0, 0, 10)).faces, ())

    def test_lines_that_stop_short_of_another_by_a_hair_close_with_it(self):
        outer = ring_path(square(0, 0, 10))
        across = Path.polygon([(-9.99, 2), (9.99, 2)], closed=False)
        self.assertEqual(len(drop_out([outer, across], square(0, 0, 10)).faces), 2)

    def test_overshooting_lines_cut_a_square(self):
        lines = [Path.polygon([(s * 5, -6), (s * 5, 6)], closed=False) for s in (-1, 1)]
        lines += [Path.polygon([(-6, s * 5), (6, s * 5)], closed=False) for s in (-1, 1)]
        faces = drop_out(lines, square(0, 0, 5)).faces
        self.assertEqual(len(faces), 1)
        self.assertAlmostEqual(faces[0].area.area, 100, places=3)

    def test_nothing_cut_nothing_falls(self):
        self.assertEqual(drop_out([], square(0, 0, 5)).faces, ())


class NeckTest(unittest.TestCase):
    @given(st.floats(0.1, 2.2), st.floats(0, 180))
    @settings(max_examples=25, deadline=None)
    def test_a_neck_is_as_wide_as_it_is(self, width, turn):
        parts = [shapely.Point(0, 0).buffer(15, quad_segs=48), shapely.Point(40, 0).buffer(12, quad_segs=48)]
        dumbbell = shapely.union_all([*parts, shapely.box(0, -width / 2, 40, width / 2)])
        found = necks(affinity.rotate(dumbbell, turn), 2.4).necks
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0].width, width, delta=0.005)

    def test_a_point_is_no_neck_and_a_disc_has_none(self):
        self.assertEqual(necks(shapely.Polygon([(0, 0), (40, 3), (40, -3)]), 2).necks, ())
        self.assertEqual(necks(shapely.Point(0, 0).buffer(0.4), 2).necks, ())
        self.assertEqual(weakest(shapely.Point(0, 0).buffer(10)).necks, ())

    def test_walls_between_holes_count(self):
        plate = shapely.box(0, 0, 60, 40)
        for x in (20, 30.7):
            plate = plate.difference(shapely.Point(x, 20).buffer(5, quad_segs=64))
        found = necks(plate, 1.5).necks
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0].width, 0.7, delta=0.005)
        self.assertAlmostEqual(found[0].middle.x, 25.35, delta=0.05)

    def test_the_weakest_is_found_however_wide(self):
        for width in (0.3, 3.0, 9.0):
            bar = shapely.union_all([square(0, 0, 15), square(60, 0, 15), shapely.box(0, -width / 2, 60, width / 2)])
            with self.subTest(width):
                self.assertAlmostEqual(weakest(bar).necks[0].width, width, delta=0.005)


class HangingTest(unittest.TestCase):
    @given(stars(4, 12))
    @settings(max_examples=20, deadline=None)
    def test_a_loop_hangs_any_piece_level(self, corners):
        piece = shapely.Polygon(corners).buffer(3)
        try:
            hung = hanging(piece, "loop", 4, 2.5)
        except NothingToCut:
            return  # no material straight above the balance point
        self.assertLess(abs(hung.tilt), 1e-3)
        self.assertTrue(hung.added.intersects(piece))

    def test_the_balance_point_of_a_half_disc_is_exact(self):
        half = shapely.Point(0, 0).buffer(20, quad_segs=2000).intersection(shapely.box(-30, 0, 30, 30))
        self.assertAlmostEqual(balance_point(half).y, 4 * 20 / (3 * math.pi), delta=0.001)

    def test_a_plain_hole_keeps_its_wall(self):
        hung = hanging(shapely.Point(0, 0).buffer(25, quad_segs=90), "hole", 5, 3)
        self.assertAlmostEqual(hung.wall, 3, delta=0.02)
        self.assertAlmostEqual(hung.place.y, -25 + 5.5, delta=0.03)

    def test_a_place_by_hand_tells_the_tilt_and_the_wall(self):
        plate = shapely.box(0, 0, 40, 60)
        hung = hanging(plate, "hole", 4, 3, Point(30, 5))
        self.assertAlmostEqual(hung.wall, 3, delta=0.01)
        self.assertAlmostEqual(hung.tilt, math.degrees(math.atan2(-10, 25)), delta=0.3)

    def test_no_room_is_said(self):
        for kind, shape, place in (
            ("hole", shapely.box(0, 0, 3, 60), None), ("loop", shapely.box(0, 0, 9, 9), Point(50, 50)),
            ("hole", shapely.Polygon(), None),
        ):  # fmt: skip
            with self.subTest(kind), self.assertRaises(NothingToCut):
                hanging(shape, kind, 5, 3, place)


class BridgeTest(unittest.TestCase):
    def test_every_island_is_held_by_as_many_bridges_as_wanted(self):
        opening = shapely.Point(0, 0).buffer(20).difference(square(-6, 0, 3)).difference(square(7, 3, 4))
        for count in (1, 2, 3):
            made = proposed(opening, count)
            with self.subTest(count):
                self.assertEqual(len(made), 2 * count)
                self.assertEqual(islands_of(bridged(opening, made, 1.0)), [])

    def test_the_first_bridge_is_the_shortest(self):
        opening = shapely.Point(0, 0).buffer(20).difference(shapely.Point(8, 0).buffer(5))
        first = proposed(opening)[0]
        self.assertAlmostEqual(math.dist(first.one, first.other), 7, delta=0.1)

    def test_two_bridges_stand_on_opposite_sides(self):
        opening = shapely.Point(0, 0).buffer(20).difference(shapely.Point(0, 0).buffer(5))
        one, other = proposed(opening)
        apart = math.degrees(math.acos(np.clip(np.dot(one.one, other.one) / 25, -1, 1)))
        self.assertGreater(apart, 150)

    def test_a_bridge_is_as_wide_as_said(self):
        opening = shapely.box(-20, -20, 20, 20).difference(shapely.Point(8, 0).buffer(5, quad_segs=64))
        cut = bridged(opening, proposed(opening, 1), 2.0)
        self.assertAlmostEqual(opening.area - cut.area, 2 * 7, delta=0.3)

    def test_without_islands_nothing_changes(self):
        self.assertEqual(proposed(square(0, 0, 5)), [])


class LayerTest(unittest.TestCase):
    def test_the_lower_layer_reaches_under_the_upper_only(self):
        own, above = shapely.box(0, 0, 20, 20), shapely.box(20, 0, 40, 20)
        grown = lower_layer(own, above, 0.6)
        self.assertAlmostEqual(grown.area - own.area, 0.6 * 20, delta=0.01)
        self.assertAlmostEqual(grown.bounds[2], 20.6, places=3)
        self.assertAlmostEqual(grown.bounds[0], 0, places=3)

    def test_a_colour_shows_where_nothing_is_painted_over_it(self):
        painted = [((200, 0, 0), shapely.box(0, 0, 30, 30)), ((0, 0, 200), shapely.box(10, 10, 20, 20))]
        self.assertAlmostEqual(of_colours(painted, [(190, 10, 0)]).area, 800)
        self.assertAlmostEqual(of_colours(painted, [(0, 0, 200)]).area, 100)
        self.assertTrue(of_colours(painted, [(0, 200, 0)]).is_empty)

    def test_alignment_marks_tell_the_way_round(self):
        marks = [mark.bounds() for mark in alignment_marks(Box(0, 0, 40, 30), 5, 4)]
        self.assertEqual(len(marks), 3)
        self.assertFalse(any(box.left > 20 and box.top < 0 for box in marks))
        self.assertTrue(all(box.right < 0 or box.left > 40 or box.bottom < 0 or box.top > 30 for box in marks))


class BleedTest(unittest.TestCase):
    def disc(self, size=120, radius=40.0):
        """A disc of a slow gradient whose edge pixels are mixed with white; its true colours besides."""
        y, x = np.mgrid[0:size, 0:size] + 0.5
        true = np.dstack([60 + x, 200 - y, 100 + 0 * x])
        alpha = np.clip(0.5 + radius - np.hypot(x - size / 2, y - size / 2), 0, 1)
        mixed = true * alpha[..., None] + 255 * (1 - alpha[..., None])
        return Raster(np.dstack([mixed, 255 * alpha]).round().astype(np.uint8)), true

    def test_the_band_is_filled_as_far_as_asked_and_without_a_fringe(self):
        raster, true = self.disc()
        for bleed in (0.5, 1.0, 2.0):
            grown, pad = bleed_pixels(raster, bleed, mm_per_px=0.1)
            size = raster.width + 2 * pad
            y, x = np.mgrid[0:size, 0:size] + 0.5 - pad - 60.0
            away = np.hypot(x, y) - 40
            with self.subTest(bleed):
                self.assertTrue((grown.pixels[..., 3][away < 10 * bleed] == 255).all())
                self.assertTrue((grown.pixels[..., 3][away > 10 * bleed + 5] == 0).all())
                inner = grown.pixels[pad:-pad, pad:-pad, :3].astype(float)
                fringe = np.abs(away[pad:-pad, pad:-pad]) < 1.5
                self.assertLessEqual(np.abs(inner - true)[fringe].max(), 5)

    def test_the_artwork_itself_stays(self):
        raster, _ = self.disc()
        grown, pad = bleed_pixels(raster, 1.0, mm_per_px=0.1)
        solid = np.hypot(*(np.mgrid[0:120, 0:120] + 0.5 - 60)) < 36
        np.testing.assert_array_equal(grown.pixels[pad:-pad, pad:-pad][solid], raster.pixels[solid])

    def test_no_bleed_and_nothing_to_bleed(self):
        raster, _ = self.disc()
        self.assertIs(bleed_pixels(raster, 0, mm_per_px=0.1)[0], raster)
        empty = Raster(np.zeros((9, 9, 4), np.uint8))
        self.assertIs(bleed_pixels(empty, 1, mm_per_px=0.1)[0], empty)

    def test_thin_strokes_bleed_as_well(self):
        pixels = np.zeros((40, 40, 4), np.uint8)
        pixels[20, 5:35] = (200, 30, 30, 255)
        grown, pad = bleed_pixels(Raster(pixels), 3, mm_per_px=1)
        self.assertTrue((grown.pixels[pad + 18, pad + 8 : pad + 30] == (200, 30, 30, 255)).all())

    def test_the_worst_case_is_the_error_itself_without_bleed(self):
        art = square(0, 0, 20)
        for distance in (0.0, -0.2, 0.5):
            cut = art.buffer(distance, join_style="mitre")
            worst = worst_case(cut, art, 0, 0.3)
            with self.subTest(distance):
                corner = math.sqrt(2) * distance if distance > 0 else distance  # mitred corners lie further out
                self.assertAlmostEqual(worst.widest, 0.3 + corner, delta=0.02)
                self.assertLess(worst_case(cut, art, worst.needed + 0.01, 0.3).slivers.area, 1e-3)

    def test_a_cut_a_hair_inside_shows_no_white(self):
        art = shapely.Point(0, 0).buffer(20, quad_segs=64)
        self.assertTrue(worst_case(art.buffer(-0.4), art, 0, 0.3).slivers.is_empty)


class SmallThingsTest(unittest.TestCase):
    def test_parts_of_many_polygons_are_all_looked_at(self):
        bar = shapely.box(0, -0.2, 30, 0.2)
        ends = [square(0, 0, 6), square(30, 0, 6)]
        two = MultiPolygon(
            polygons(
                shapely.union_all(
                    [bar, *ends, affinity.translate(bar, 0, 40), *[affinity.translate(e, 0, 40) for e in ends]]
                )
            )
        )
        self.assertEqual(len(necks(two, 1).necks), 2)

    def test_a_search_among_too_many_edges_says_how_far_it_went(self):
        x = np.arange(12_000) * 0.005
        teeth = np.stack([x, 10 + 4 * (np.arange(12_000) % 2)], 1)
        saw = shapely.Polygon([(0, 0), *map(tuple, teeth.tolist()), (60, 0)])
        found = necks(saw, 8.0)
        self.assertLess(found.searched, 8.0)
        told = checks.weak_parts(saw, checks.CutLine("k", "through cut", "", (), Bundle.of(()), saw, 0.0), 8.0, "film")[
            1
        ]
        self.assertIn("Weak parts:", told[-1].text)

    def test_a_search_can_be_stopped(self):
        with self.assertRaises(Cancelled):
            necks(pictures.shape("plate of 500 holes"), 2.0, cancelled=lambda: True)
