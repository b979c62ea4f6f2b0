"""Pixels over white paper."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from nibble_core.graphics import Raster, hex_colour

levels = st.integers(0, 255)


def one_pixel(red: int, green: int, blue: int, alpha: int) -> Raster:
    return Raster(np.array([[[red, green, blue, alpha]]], np.uint8))


class RasterTest(unittest.TestCase):
    @given(levels, levels, levels, levels)
    def test_see_through_lies_on_white(self, red, green, blue, alpha):
        raster = one_pixel(red, green, blue, alpha)
        share = alpha / 255
        for shown, own in zip(raster.over_white()[0, 0], (red, green, blue), strict=True):
            self.assertAlmostEqual(float(shown), own * share + 255 * (1 - share), delta=0.51)
        self.assertEqual(raster.is_see_through, alpha < 255)

    @given(levels, levels, levels)
    def test_grey_runs_from_black_to_white_and_never_leaves(self, red, green, blue):
        grey = float(one_pixel(red, green, blue, 255).grey()[0, 0])
        self.assertAlmostEqual(grey, (0.299 * red + 0.587 * green + 0.114 * blue) / 255, places=5)
        self.assertTrue(0 <= grey <= 1.000001)

    def test_fewer_pixels_hold_the_mean_of_what_they_cover_clear_ones_for_nothing(self):
        rng = np.random.default_rng(3)
        pixels = rng.integers(0, 256, (60, 90, 4)).astype(np.uint8)
        pixels[::7, :, 3] = 0
        small = Raster(pixels).reduced(30, 20).pixels.astype(float)
        blocks = pixels.astype(float).reshape(20, 3, 30, 3, 4).transpose(0, 2, 1, 3, 4).reshape(20, 30, 9, 4)
        alpha = blocks[..., 3:]
        self.assertLessEqual(np.abs(small[..., 3] - alpha.mean(2)[..., 0]).max(), 0.51)
        mean = (blocks[..., :3] * alpha).sum(2) / np.maximum(alpha.sum(2), 1)
        self.assertLessEqual(np.abs(small[..., :3] - mean).max(), 0.51)

    def test_pixels_cannot_be_changed(self):
        with self.assertRaises(ValueError):
            one_pixel(1, 2, 3, 4).pixels[0, 0, 0] = 9

    def test_colours_as_hex(self):
        self.assertEqual(hex_colour((200, 30, 4)), "#c81e04")
