"""Panes between drawn lines against the lines as they were drawn: they meet, and run along the middle."""

import math
import unittest

import numpy as np

from nibble_core.errors import NothingToTrace
from nibble_core.graphics import Raster
from nibble_core.tracing.panes import trace_panes
from tests.pictures import coverage, disc, grey_raster


def rays(*angles):
    """Distance to lines from the origin outward."""
    return lambda x, y: np.min(
        [np.where(x * math.cos(a) + y * math.sin(a) > 0, np.abs(x * math.sin(a) - y * math.cos(a)), 1e9)
         for a in angles], axis=0,
    )  # fmt: skip


def drawn(off, size: int, width: float, fine: int = 6) -> np.ndarray:
    """Grey of lines of a width: where ``off``, the distance to their middle, is less than half of it."""
    at = (np.arange(size * fine) + 0.5) / fine - size / 2
    x, y = np.meshgrid(at, at)
    ink = (off(x, y) < width / 2).reshape(size, fine, size, fine)
    return (1 - ink.mean((1, 3))).astype(np.float32)


def panes(grey: np.ndarray):
    return trace_panes(grey, grey_raster(1 - grey), level=0.5)


class PaneTest(unittest.TestCase):
    ANGLES = (0.3, 1.5, 2.9, 4.4)

    def wheel(self, size: int, width: float):
        radius, spokes = 0.4 * size, rays(*self.ANGLES)

        def off(x, y):
            out = np.hypot(x, y)
            return np.minimum(np.abs(out - radius), np.where(out < radius, spokes(x, y), 1e9))

        return off, radius

    def test_panes_of_a_wheel_meet_in_the_middle_of_its_lines(self):
        for size, width in ((200, 3.0), (400, 6.0), (400, 12.0)):
            with self.subTest(width=width):
                off, radius = self.wheel(size, width)
                made = panes(drawn(off, size, width))
                self.assertEqual(len(made.regions), 4)
                rings = [region.region.outer for region in made.regions]
                places = np.vstack([ring.flattened(0.05) for ring in rings]) - size / 2
                away = off(*places.T)
                self.assertLess(float(away.mean()), 0.1)
                self.assertLess(float(away.max()), max(0.45, 0.05 * width))
                # nothing lies between them, and nothing twice
                self.assertAlmostEqual(sum(one.area for one in made.regions) / (math.pi * radius**2), 1.0, delta=6e-4)
                used = [tuple(np.round(node, 6)) for ring in rings for node in ring.nodes]
                middle = [node for node in set(used) if np.hypot(*(np.array(node) - size / 2)) < width]
                self.assertTrue(any(used.count(node) >= 2 for node in middle))
                self.assertLess(sum(len(ring) for ring in rings), 24)

    def test_squares_have_four_sides_and_sharp_corners(self):
        def off(x, y, turn=0.1, half=120.0):
            u, v = x * math.cos(turn) + y * math.sin(turn), y * math.cos(turn) - x * math.sin(turn)
            across = np.min([np.abs(u - at) for at in (-half, 0.0, half)], 0) + 1e9 * (np.abs(v) > half + 4)
            down = np.min([np.abs(v - at) for at in (-half, 0.0, half)], 0) + 1e9 * (np.abs(u) > half + 4)
            return np.minimum(across, down)

        made = panes(drawn(off, 400, 8.0))
        self.assertEqual(len(made.regions), 4)
        for region in made.regions:
            self.assertLessEqual(len(region.region.outer), 6)
            self.assertAlmostEqual(region.area, 120.0**2, delta=40)

    def test_what_encloses_nothing_is_told_and_colours_stay(self):
        size = 200
        with self.assertRaisesRegex(NothingToTrace, "enclose nothing"):
            panes(drawn(lambda x, y: np.abs(y) + 1e9 * (np.abs(x) > 60), size, 6.0))
        ring = coverage(disc(100, 100, 60), size) - coverage(disc(100, 100, 50), size)
        pixels = grey_raster(ring).pixels.copy()
        pixels[(coverage(disc(100, 100, 54), size) > 0.5) & (ring < 0.5)] = (220, 40, 40, 255)
        raster = Raster(pixels)
        (pane,) = trace_panes(raster.grey(), raster, level=0.2).regions
        self.assertEqual(pane.colour, (220, 40, 40))
        self.assertAlmostEqual(pane.area, math.pi * 55**2, delta=70)
