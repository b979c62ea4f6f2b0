"""Facts of pictures and backgrounds taken away, against composites whose parts are known."""

import unittest

import cv2
import numpy as np

from nibble_core.artwork.background import take_background_away
from nibble_core.artwork.facts import picture_facts, refuse_blank
from nibble_core.errors import InvalidTicket, NothingToTrace
from nibble_core.graphics import Raster
from tests.pictures import box, coverage, disc


def composite(ink: np.ndarray, fore, back) -> Raster:
    """A drawing of one colour with soft edges over a plain background."""
    mixed = ink[..., None] * np.array(fore, float) + (1 - ink[..., None]) * np.array(back, float)
    rgb = np.rint(mixed).astype(np.uint8)
    return Raster(np.dstack([rgb, np.full(ink.shape, 255, np.uint8)]))


def over(raster: Raster, paper) -> np.ndarray:
    alpha = raster.alpha[..., None] / 255
    return raster.pixels[..., :3] * alpha + np.array(paper, float) * (1 - alpha)


class BackgroundTest(unittest.TestCase):
    def test_no_fringe_is_left_on_any_paper(self):
        ink = coverage(disc(60, 60, 40), 120)
        for fore, back in (
            ((200, 40, 30), (255, 255, 255)),
            ((240, 230, 40), (20, 40, 90)),
            ((30, 30, 30), (255, 255, 255)),
        ):
            cleaned = take_background_away(composite(ink, fore, back), way="flood").raster
            for paper in ((0, 0, 0), (255, 255, 255), (0, 160, 90)):
                with self.subTest(fore=fore, back=back, paper=paper):
                    truth = ink[..., None] * np.array(fore, float) + (1 - ink[..., None]) * np.array(paper, float)
                    self.assertLessEqual(np.abs(over(cleaned, paper) - truth).max(), 2.0)

    def test_wide_soft_edges_of_an_enlarged_picture_leave_no_fringe(self):
        for softness in (1.0, 2.0, 3.0):
            ink = cv2.GaussianBlur(coverage(disc(80, 80, 50), 160), None, softness)
            cleaned = take_background_away(composite(ink, (200, 40, 30), (255, 255, 255)), way="flood").raster
            truth = ink[..., None] * np.array((200, 40, 30), float)
            with self.subTest(softness):
                self.assertLessEqual(np.abs(over(cleaned, (0, 0, 0)) - truth).mean(), 0.35)
                off = np.abs(cleaned.alpha / 255.0 - ink)
                self.assertLess(float(np.percentile(off[ink > 0], 99)), 0.12)

    def test_thin_lines_keep_their_colour(self):
        ink = coverage(box(20, 58.4, 100, 61.1), 120)
        cleaned = take_background_away(composite(ink, (180, 30, 30), (255, 255, 255)), way="flood").raster
        truth = ink[..., None] * np.array((180, 30, 30), float)
        self.assertLessEqual(np.abs(over(cleaned, (0, 0, 0)) - truth).max(), 2.0)

    def test_insides_that_do_not_touch_the_border_stay(self):
        ink = coverage(disc(60, 60, 40), 120) - coverage(disc(60, 60, 20), 120)
        cleaned = take_background_away(composite(ink, (0, 0, 0), (255, 255, 255)))
        self.assertEqual(cleaned.way, "flood")
        self.assertEqual(int(cleaned.raster.alpha[60, 60]), 255)
        self.assertEqual(int(cleaned.raster.alpha[2, 2]), 0)

    def test_see_through_pictures_are_left_alone(self):
        ink = coverage(disc(60, 60, 40), 120)
        own = np.dstack([np.full((120, 120, 3), 90, np.uint8), np.rint(255 * ink).astype(np.uint8)])
        cleaned = take_background_away(Raster(own))
        self.assertEqual(cleaned.way, "see-through")
        np.testing.assert_array_equal(cleaned.raster.alpha, own[..., 3])

    def test_a_plate_that_fills_its_page_is_no_background(self):
        for hole in (0, 20):
            plate = np.full((60, 90, 4), (30, 40, 60, 255), np.uint8)
            plate[30 - hole : 30 + hole, 20 : 20 + hole] = 0
            cleaned = take_background_away(Raster(plate)).raster
            np.testing.assert_array_equal(cleaned.alpha, plate[..., 3])

    def test_a_busy_border_is_kept(self):
        noise = np.random.default_rng(3).integers(0, 256, (60, 60, 4)).astype(np.uint8)
        noise[..., 3] = 255
        self.assertEqual(take_background_away(Raster(noise)).way, "keep")

    def test_faint_specks_of_a_photo_go_and_small_dark_marks_stay(self):
        ink = coverage(disc(60, 60, 30), 120) + coverage(disc(15, 15, 1.5), 120)
        pixels = composite(np.clip(ink, 0, 1), (20, 20, 20), (235, 235, 235)).pixels.copy()
        pixels[100:102, 100:103, :3] = 200
        alpha = take_background_away(Raster(pixels), way="flood", tolerance=0.1).raster.alpha
        self.assertEqual(int(alpha[98:104, 98:106].max()), 0)
        self.assertGreater(int(alpha[15, 15]), 200)

    def test_taking_everything_is_refused(self):
        pale = composite(coverage(disc(30, 30, 20), 60), (250, 250, 250), (255, 255, 255))
        with self.assertRaises(NothingToTrace):
            take_background_away(pale, way="flood", tolerance=0.3)
        with self.assertRaises(InvalidTicket):
            take_background_away(pale, way="magic")


class FactsTest(unittest.TestCase):
    def test_size_colours_and_box(self):
        facts = picture_facts(composite(coverage(disc(60, 60, 40), 120), (200, 40, 30), (255, 255, 255)))
        self.assertEqual((facts.width_px, facts.height_px), (120, 120))
        self.assertTrue(facts.boxed)
        self.assertEqual(set(facts.main_colours), {(255, 255, 255), (200, 40, 30)})
        self.assertAlmostEqual(facts.ppi(25.4), 120)
        self.assertFalse(facts.is_grey)
        self.assertTrue(
            picture_facts(composite(coverage(disc(60, 60, 40), 120), (30, 28, 26), (240, 236, 228))).is_grey
        )

    def test_pictures_of_nothing_are_refused(self):
        white = np.full((50, 50, 4), 255, np.uint8)
        clear = white.copy()
        clear[..., 3] = 0
        dot = white[:1, :1].copy()
        for name, pixels in (("white", white), ("clear", clear), ("dot", dot)):
            with self.subTest(name), self.assertRaises(NothingToTrace) as caught:
                refuse_blank(Raster(pixels))
            self.assertTrue(caught.exception.what_to_do)
