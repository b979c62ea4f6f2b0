"""Areas filled with strokes, rings and dots: nothing missed, nothing beyond the edge, tones kept."""

import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.toolpaths import dithering as dither
from nibble_core.toolpaths.hatching import hatched
from nibble_core.toolpaths.ring_filling import ringed
from tests.strategies import stars


def strokes(bundle):
    return shapely.linestrings(bundle.rows[:, [0, 1, 6, 7]].reshape(-1, 2, 2))


class Hatching(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(stars(), stars(), st.floats(0.07, 3.0), st.sampled_from([0.0, 30.0, 90.0, -47.0]))
    def test_strokes_are_the_rows_that_a_geometry_library_finds(self, outer, inner, interval, angle):
        area = shapely.Polygon(outer).difference(shapely.Polygon(inner * 0.3))
        found = hatched(area, interval, angle=angle)
        turned = shapely.affinity.rotate(area, -angle, origin=(0, 0))
        left, top, right, bottom = turned.bounds
        k = np.arange(np.floor(top / interval) - 1, np.ceil(bottom / interval) + 1)
        y = (k + 0.5) * interval
        rows = shapely.linestrings(
            np.stack([np.stack([y * 0 + left - 1, y], 1), np.stack([y * 0 + right + 1, y], 1)], 1)
        )
        wanted = shapely.length(shapely.intersection(rows, turned)).sum()
        self.assertAlmostEqual(found.length, wanted, delta=1e-7 + 1e-9 * wanted)
        if len(found):
            outside = shapely.length(shapely.difference(strokes(found), area.buffer(1e-6))).sum()
            self.assertLess(outside, 1e-6)

    def test_every_other_row_runs_back_unless_one_way(self):
        square = shapely.box(0, 0, 10, 1)
        there = hatched(square, 0.25).rows
        self.assertEqual([row[0] < row[6] for row in there], [True, False, True, False])
        self.assertTrue((hatched(square, 0.25, one_way=True).rows[:, 6] == 10).all())

    def test_nothing_to_fill_is_no_stroke(self):
        self.assertEqual(len(hatched(shapely.Polygon(), 0.1)), 0)


class Rings(unittest.TestCase):
    @settings(max_examples=30, deadline=None)
    @given(stars(), st.floats(0.3, 3.0))
    def test_every_place_lies_within_the_interval_of_a_ring(self, outline, interval):
        area = shapely.Polygon(outline)
        rings = ringed(area, interval)
        lines = np.array([shapely.LinearRing(path.nodes) for path in rings])
        missed = area.difference(shapely.union_all(shapely.buffer(lines, interval)))
        self.assertLess(max([part.area for part in shapely.get_parts(missed)], default=0), 0.003 * interval**2)
        self.assertLess(shapely.length(shapely.difference(lines, area.buffer(1e-6))).sum(), 1e-3)

    def test_a_band_thinner_than_the_interval_is_burnt_as_well(self):
        self.assertGreater(ringed(shapely.box(0, 0, 50, 0.3), 1.0).length, 50)


class Dots(unittest.TestCase):
    def test_flat_tones_keep_their_mean(self):
        ways = {
            "error diffusion": dither.diffused, "ordered": dither.ordered,
            "halftone": lambda tones: dither.halftone(tones, screen=8, angle=30),
        }  # fmt: skip
        for name, way in ways.items():
            for tone in (20, 90, 128, 200, 240):
                burnt = way(np.full((400, 400), tone, np.uint8)).mean()
                self.assertAlmostEqual(burnt, tone / 255, delta=0.01, msg=f"{name} at {tone}")

    def test_halftone_dots_keep_the_tone_of_every_block(self):
        y, x = np.mgrid[:320, :480]
        tones = np.clip(110 + 90 * np.sin(x / 37) * np.cos(y / 23) + x / 12, 1, 254).astype(np.uint8)
        wanted = tones.reshape(40, 8, 60, 8).mean((1, 3)) / 255
        for screen, angle in ((8, 0), (8, 45), (5, 15)):
            burnt = dither.halftone(tones, screen=screen, angle=angle).reshape(40, 8, 60, 8).mean((1, 3))
            self.assertLess(np.abs(burnt - wanted).max(), 0.025, (screen, angle))
        # wider dots stay dots: the tone is kept over two of them
        burnt = dither.halftone(tones, screen=16, angle=45).reshape(20, 16, 30, 16).mean((1, 3))
        self.assertLess(np.abs(burnt - tones.reshape(20, 16, 30, 16).mean((1, 3)) / 255).max(), 0.01)

    def test_paper_burns_nothing_and_black_everything(self):
        for way in (dither.diffused, dither.ordered, lambda t: dither.halftone(t, screen=6, angle=45)):
            self.assertFalse(way(np.zeros((64, 64), np.uint8)).any())
            self.assertTrue(way(np.full((64, 64), 255, np.uint8)).all())

    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 2**32 - 1), st.booleans())
    def test_strokes_cover_exactly_the_dots(self, seed, one_way):
        levels = np.random.default_rng(seed).integers(0, 4, (9, 23)).astype(np.uint8)
        bundle, shares = dither.strokes_of(levels, 0.5, 3.0, 7.0, one_way=one_way)
        painted = np.zeros_like(levels, float)
        for (x0, y, x1, _), share in zip(bundle.rows[:, [0, 1, 6, 7]], shares, strict=True):
            low, high = sorted((round((x0 - 3) / 0.5), round((x1 - 3) / 0.5)))
            painted[round((y - 7.25) / 0.5), low:high] += share
        self.assertTrue(np.allclose(painted, levels / levels.max()))
        if one_way:
            self.assertTrue((bundle.rows[:, 6] > bundle.rows[:, 0]).all())
