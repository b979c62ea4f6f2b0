"""Traced outlines against the shapes that were drawn, in every way of tracing."""

import math
import unittest

import cv2
import numpy as np

from nibble_core.errors import Cancelled, NothingToTrace
from nibble_core.geometry import CUBIC, Path, Region
from nibble_core.geometry.nearest import distances_to_lines
from nibble_core.geometry.regions import union
from nibble_core.graphics import Drawing, Raster, Shape
from nibble_core.graphics.coverage import covered
from nibble_core.graphics.rendering import rendered
from nibble_core.tracing import trace_two_tone
from nibble_core.tracing.centre_lines import trace_centre_lines
from nibble_core.tracing.colours import trace_colours
from nibble_core.tracing.deviation import closed_line, corner_points, distances, evenly
from nibble_core.tracing.iso import iso_rings
from nibble_core.tracing.making import edge_bluntness
from nibble_core.tracing.two_tone import outline_paths
from tests.pictures import box, coverage, disc, grey_raster

LEAF = np.array([[20, 90, 60, 10, 140, 30, 180, 110], [180, 110, 120, 190, 60, 150, 20, 90]], float)


def leaf() -> Path:
    """Two cubics that meet in two corners, in a picture of 200 px."""
    return Path(np.full(2, CUBIC, np.uint8), LEAF.copy())


def drawn(*shapes: Shape, size: int = 200, scale: float = 1.0) -> Raster:
    return Raster(rendered(Drawing(size, size, shapes), round(size * scale)).pixels.copy())


def on_white(raster: Raster) -> Raster:
    pixels = np.dstack([raster.over_white(), np.full(raster.pixels.shape[:2], 255, np.uint8)])
    return Raster(np.ascontiguousarray(pixels))


class OutlineTest(unittest.TestCase):
    def test_a_shape_of_two_cubics_comes_back_as_two_cubics(self):
        raster = grey_raster(coverage(lambda x, y: inside(leaf(), x, y), 200))
        (path,) = outline_paths(trace_two_tone(raster.grey(), raster, level=0.5))
        self.assertEqual(len(path), 2)
        apart = distances(evenly(path.flattened(0.01), 0.5), [leaf().flattened(0.01)])
        self.assertLess(apart.mean(), 0.025)
        self.assertLess(apart.max(), 0.15)

    def test_edges_in_steps_come_back_smooth(self):
        ink = coverage(lambda x, y: inside(leaf(), x, y), 200) > 0.5
        raster = grey_raster(ink.astype(np.float32))
        (path,) = outline_paths(trace_two_tone(raster.grey(), raster, level=0.5))
        self.assertLessEqual(len(path), 3)
        self.assertEqual(len(corner_points(path)), 2)
        apart = distances(evenly(path.flattened(0.01), 0.5), [leaf().flattened(0.01)])
        self.assertLess(apart.mean(), 0.15)

    def test_a_slight_corner_of_a_clean_picture_is_kept(self):
        bent = [(20, 40), (100, 20), (180, 40), (180, 150), (20, 150)]  # turns by 28 degrees at the top
        flat = [(20, 40), (100, 31), (180, 40), (180, 150), (20, 150)]  # by 13
        for corners, turn in ((bent, 28), (flat, 13)):
            with self.subTest(turn=turn):
                raster = grey_raster(covered([np.array(corners, float)], 200, 200).astype(np.float32))
                (path,) = outline_paths(trace_two_tone(raster.grey(), raster, level=0.5))
                self.assertEqual(len(path), 5)
                for corner in corners:
                    self.assertLess(np.hypot(*(path.rows[:, :2] - corner).T).min(), 0.1)

    def test_a_needle_is_as_long_as_it_was_drawn(self):
        for long, wide in ((150, 14), (150, 22), (90, 12)):
            with self.subTest(long=long, wide=wide):
                rows = [
                    [20.3, 99.6, 20.3 + long / 3, 99.6 - wide, 20.3 + 2 * long / 3, 99.6 - wide, 20.3 + long, 102.1],
                    [20.3 + long, 102.1, 20.3 + 2 * long / 3, 99.6, 20.3 + long / 3, 99.6 + wide, 20.3, 99.6],
                ]
                needle = Path(np.full(2, CUBIC, np.uint8), np.array(rows))
                raster = grey_raster(covered([needle.flattened(0.005)], 200, 200).astype(np.float32))
                made = np.vstack(
                    [corner_points(path) for path in outline_paths(trace_two_tone(raster.grey(), raster, level=0.5))]
                )
                blunt, sharp = needle.rows[:, :2]  # of about 30 and 15 degrees
                self.assertLess(np.hypot(*(made - blunt).T).min(), 0.2)
                self.assertLess(np.hypot(*(made - sharp).T).min(), 0.6)

    def test_small_ovals_of_a_spoilt_picture_stay_round(self):
        drawn = np.full((120, 160), 255, np.uint8)
        for i, (long, wide) in enumerate(((8, 6), (9, 6), (7, 7), (11, 7), (9, 7), (12, 9))):
            at = (16 * (25 + 50 * (i % 3)), 16 * (30 + 55 * (i // 3)))
            cv2.ellipse(drawn, at, (16 * long, 16 * wide), 20 * i, 0, 360, 0, -1, cv2.LINE_AA, shift=4)
        for quality in (30, 40, 60, 75):
            with self.subTest(quality=quality):
                packed = cv2.imencode(".jpg", drawn, [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
                raster = grey_raster(1 - cv2.imdecode(packed, cv2.IMREAD_GRAYSCALE).astype(np.float32) / 255)
                paths = outline_paths(trace_two_tone(raster.grey(), raster, level=0.5))
                self.assertEqual([len(corner_points(path)) for path in paths], [0] * 6)

    def test_crisp_edges_are_found_far_finer_than_a_pixel_at_any_angle(self):
        for degrees in (0, 3, 17, 44, 45, 61, 88):
            with self.subTest(degrees=degrees):
                a = math.radians(degrees)
                nx, ny = math.cos(a), math.sin(a)
                along, out = np.array([-ny, nx]), np.array([nx, ny])
                corners = [300 * along, -300 * along, -300 * along - 300 * out, 300 * along - 300 * out]
                far = np.add(corners, (40.25, 39.75))
                ink = covered([far], 80, 80).astype(np.float32)
                (ring,) = iso_rings(1 - ink, 0.5)
                own = ring[(np.abs(ring - 40) < 20).all(1)]
                off = (own - [40.25, 39.75]) @ [nx, ny]
                self.assertLess(np.abs(off).max(), 0.02)

    def test_soft_pictures_keep_their_corners(self):
        import cv2

        square = coverage(box(40.3, 40.6, 160.2, 160.4), 200)
        soft = cv2.GaussianBlur(square, (0, 0), 1.6)
        raster = grey_raster(soft)
        rings = iso_rings(raster.grey(), 0.5)
        self.assertGreater(edge_bluntness(raster.grey(), rings), 1.8)
        self.assertLess(edge_bluntness(grey_raster(square).grey(), iso_rings(1 - square, 0.5)), 1.2)
        (path,) = outline_paths(trace_two_tone(raster.grey(), raster, level=0.5))
        self.assertEqual(len(path), 4)
        true = np.array([[40.3, 40.6], [160.2, 40.6], [160.2, 160.4], [40.3, 160.4]])
        nearest = np.hypot(*(path.nodes[:, None] - true[None]).transpose(2, 0, 1)).min(1)
        self.assertLess(nearest.max(), 0.2)

    def test_a_stated_deviation_is_kept_to(self):
        a = np.linspace(0, 2 * math.pi, 900, endpoint=False)
        r = 70 + 6 * np.sin(11 * a)
        blob = Path.polygon(np.stack([100 + r * np.cos(a), 100 + r * np.sin(a)], 1))
        raster = grey_raster(coverage(lambda x, y: inside(blob, x, y), 200))
        counts = []
        for tolerance in (0.1, 0.4, 1.5):
            traced = trace_two_tone(raster.grey(), raster, level=0.5, tolerance=tolerance)
            self.assertLess(traced.deviation()[0], 1.6 * tolerance + 0.05)
            counts.append(traced.regions[0].region.node_count)
        self.assertEqual(counts, sorted(counts, reverse=True))
        self.assertGreater(counts[0], counts[-1])


class ColourTest(unittest.TestCase):
    def setUp(self):
        left = Shape(Region(Path.polygon([(20, 20), (100, 30), (100, 170), (20, 180)])), (200, 40, 40))
        right = Shape(Region(Path.polygon([(100, 30), (180, 20), (180, 180), (100, 170)])), (30, 60, 160))
        dot = Shape(Region(Path.circle(100, 100, 30)), (240, 200, 40))
        self.raster = on_white(drawn(left, right, dot))

    def test_areas_tile_the_picture_and_share_their_edges(self):
        traced = trace_colours(self.raster)
        self.assertEqual(len(traced.palette), 4)
        self.assertEqual(len(traced.regions), 4)
        self.assertAlmostEqual(sum(r.region.area() for r in traced.regions), 200 * 200, delta=1e-2)
        self.assertAlmostEqual(union([r.region for r in traced.regions]).area, 200 * 200, delta=1e-2)
        colours = {r.colour: r for r in traced.regions}
        dot = min(traced.regions, key=lambda r: np.hypot(r.place[0] - 100, r.place[1] - 100))
        self.assertAlmostEqual(dot.region.area(), math.pi * 900, delta=8)
        self.assertEqual(set(colours), set(traced.palette))
        self.assertLess(traced.deviation()[1], 0.05)

    def test_two_colours_made_the_same_become_one_area(self):
        found = trace_colours(self.raster)
        red, blue = (min(found.palette, key=lambda c, t=t: sum(abs(a - b) for a, b in zip(c, t, strict=True)))
                     for t in ((200, 40, 40), (30, 60, 160)))  # fmt: skip
        merged = trace_colours(self.raster, renamed={red: (10, 10, 10), blue: (10, 10, 10)})
        self.assertEqual(len(merged.regions), 3)
        self.assertIn((10, 10, 10), {r.colour for r in merged.regions})

    def test_a_chosen_number_is_kept_to_and_noise_is_refused(self):
        self.assertLessEqual(len(trace_colours(self.raster, count=2).palette), 2)
        noise = np.random.default_rng(1).integers(0, 256, (500, 500, 4)).astype(np.uint8)
        noise[..., 3] = 255
        with self.assertRaises(NothingToTrace) as caught:
            trace_colours(Raster(noise), count=24, smallest_area=0.0)
        self.assertIn("areas of flat colour", str(caught.exception))
        with self.assertRaises(Cancelled):
            trace_colours(self.raster, cancelled=lambda: True)

    def test_the_edges_of_a_pale_colour_in_a_jpeg_stay_straight(self):
        pale, dark = (250, 231, 205), (30, 50, 60)
        bars = ([(84, 60), (316, 60), (330, 180), (70, 180)], [(70, 180), (330, 180), (344, 300), (56, 300)])
        shapes = [
            Shape(Region(Path.polygon(np.array(bar, float))), colour)
            for bar, colour in zip(bars, (pale, dark), strict=True)
        ]
        shown = cv2.cvtColor(drawn(*shapes, size=400).over_white(), cv2.COLOR_RGB2BGR)
        packed = cv2.imencode(".jpg", shown, [cv2.IMWRITE_JPEG_QUALITY, 78])[1]
        saved = cv2.cvtColor(cv2.imdecode(packed, cv2.IMREAD_COLOR), cv2.COLOR_BGR2RGB)
        areas = trace_colours(Raster(np.dstack([saved, np.full(saved.shape[:2], 255, np.uint8)])))
        self.assertEqual(len(areas.regions), 3)
        self.assertLessEqual(sum(len(one.region.outer) for one in areas.regions if one.colour != (255, 255, 255)), 12)


class CentreLineTest(unittest.TestCase):
    def middle(self, ink, level=0.5):
        raster = grey_raster(ink)
        return trace_centre_lines(raster.grey(), raster, level=level)

    def test_a_bar_is_one_straight_stroke_of_its_width(self):
        traced = self.middle(coverage(box(30, 60.2, 170, 68.6), 200))
        (stroke,) = traced.strokes
        self.assertAlmostEqual(stroke.width, 8.4, delta=0.1)
        self.assertEqual(len(stroke.path), 1)
        np.testing.assert_allclose(stroke.path.nodes[:, 1], 64.4, atol=0.05)

    def test_the_stem_of_a_t_meets_the_middle_of_its_bar(self):
        for wide in (6.0, 30.0):
            bar, stem = box(20, 60, 220, 60 + wide), box(120, 60, 120 + wide, 230)
            ink = coverage(lambda x, y, bar=bar, stem=stem: bar(x, y) | stem(x, y), 240)
            strokes = self.middle(ink).strokes
            self.assertEqual(len(strokes), 2)
            (down,) = (one.path for one in strokes if np.ptp(one.path.nodes[:, 1]) > 50)
            top = down.nodes[np.argmin(down.nodes[:, 1])]
            with self.subTest(wide):
                np.testing.assert_allclose(top, (120 + wide / 2, 60 + wide / 2), atol=0.03 * wide)

    def test_a_ring_is_one_closed_stroke(self):
        ink = coverage(disc(100, 100, 64), 200) - coverage(disc(100, 100, 56), 200)
        (stroke,) = self.middle(ink).strokes
        self.assertTrue(stroke.path.closed)
        radii = np.hypot(*(stroke.path.flattened(0.01) - 100).T)
        self.assertLess(np.abs(radii - 60).max(), 0.15)

    def test_a_line_that_winds_past_its_own_end_stays_whole(self):
        t = np.linspace(0, 1, 400)
        line = np.stack([30 + 140 * t, 100 + 40 * np.sin(3 * math.pi * t)], 1)
        traced = self.middle(coverage(lambda x, y: near_line(x, y, line, 3.5), 200))
        (stroke,) = traced.strokes
        apart = distances_to_lines(line[20:-20], [closed_line(stroke.path)])
        self.assertLess(apart.max(), 0.6)

    def test_a_crossing_makes_two_strokes_not_four(self):
        ink = np.maximum(coverage(box(20, 96, 180, 104), 200), coverage(box(96, 20, 104, 180), 200))
        self.assertEqual(len(self.middle(ink).strokes), 2)

    def test_dots_stay_as_wide_as_they_are(self):
        ink = np.maximum(coverage(disc(60, 60, 11), 200), coverage(box(30, 120, 170, 128), 200))
        line, dot = self.middle(ink).strokes
        self.assertAlmostEqual(line.width, 8, delta=0.2)
        self.assertAlmostEqual(dot.width, 22, delta=0.5)
        np.testing.assert_allclose(dot.place, (60, 60), atol=0.1)
        self.assertLess(dot.path.length(), 1)

    def test_a_ring_stays_round_where_another_line_runs_beside_it(self):
        ring = coverage(disc(100, 100, 66), 240) - coverage(disc(100, 100, 54), 240)
        ink = np.maximum(ring, coverage(box(163, 10, 175, 230), 240))
        strokes = self.middle(ink).strokes
        round_one = next(stroke for stroke in strokes if stroke.path.closed)
        radii = np.hypot(*(round_one.path.flattened(0.01) - 100).T)
        self.assertLess(np.abs(radii - 60).max(), 0.8)

    def test_the_texture_of_a_thick_pencil_line_takes_no_nodes(self):
        ring = coverage(disc(100, 100, 74), 200) - coverage(disc(100, 100, 50), 200)
        rough = np.random.default_rng(3).normal(0, 0.25, ring.shape)
        rough = cv2.GaussianBlur(rough, None, 1.5) * 3
        (stroke,) = self.middle(np.clip(ring + rough * ((ring > 0.02) & (ring < 0.98)), 0, 1)).strokes
        self.assertLessEqual(len(stroke.path), 6)
        radii = np.hypot(*(stroke.path.flattened(0.01) - 100).T)
        self.assertLess(np.abs(radii - 62).max(), 0.8)

    def test_a_short_stroke_stays_and_the_corners_of_a_thick_one_are_none(self):
        bar = coverage(box(30, 100, 170, 124), 200)
        shaft = coverage(lambda x, y: (abs(x - 100) < 12) & (y > 84) & (y < 110), 200)
        self.assertEqual(len(self.middle(bar).strokes), 1)
        round_top = coverage(disc(100, 84, 12), 200)
        self.assertEqual(len(self.middle(np.maximum.reduce([bar, shaft, round_top])).strokes), 2)


def inside(path: Path, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    import shapely

    area = shapely.Polygon(path.flattened(0.005))
    shapely.prepare(area)
    return shapely.contains_xy(area, x, y)


def near_line(x: np.ndarray, y: np.ndarray, line: np.ndarray, reach: float) -> np.ndarray:
    import shapely

    area = shapely.LineString(line).buffer(reach)
    shapely.prepare(area)
    return shapely.contains_xy(area, x, y)
