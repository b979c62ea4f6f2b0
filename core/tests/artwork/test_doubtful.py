"""Cleaning that may be wrong says so; and what a subject keeps and loses."""

import unittest

import cv2
import numpy as np

from nibble_core.artwork.background import take_background_away
from nibble_core.artwork.brush import Stroke
from nibble_core.artwork.subject import doubtful, subject_mask
from nibble_core.graphics import Raster
from tests import flat_pictures, zoo

GREEN, BROWN = (70, 130, 60), (150, 80, 40)
SIZE = 420


def scene(draw, *, noise=7.0, ground=GREEN):
    """A drawing over a ground with grain, softly."""
    page = np.full((SIZE, SIZE, 3), ground, np.uint8)
    draw(page)
    grain = cv2.GaussianBlur(page, (0, 0), 1.2) + np.random.default_rng(3).normal(0, noise, page.shape)
    pixels = np.clip(grain, 0, 255).astype(np.uint8)
    return Raster(np.dstack([pixels, np.full((SIZE, SIZE), 255, np.uint8)]))


def animal(page, reach=0):
    cv2.ellipse(page, (210, 230), (90, 110 + reach), 0, 0, 360, BROWN, -1)
    cv2.circle(page, (210, 110), 55, BROWN, -1)


class SubjectTest(unittest.TestCase):
    def test_a_subject_that_the_picture_cuts_off_reaches_its_edge(self):
        def cut_off(page):
            cv2.ellipse(page, (210, 400), (90, 200), 0, 0, 360, BROWN, -1)
            cv2.circle(page, (210, 170), 55, BROWN, -1)

        mask = subject_mask(scene(cut_off), (), ())
        self.assertGreater((mask[-1] > 127).sum(), 100)
        self.assertEqual((mask[0] > 127).sum(), 0)
        self.assertEqual((mask[:, 0] > 127).sum() + (mask[:, -1] > 127).sum(), 0)

    def test_what_does_not_belong_adds_nothing(self):
        raster = scene(animal)
        before = subject_mask(raster, (), ())
        for points in ([(0.05, 0.05), (0.4, 0.08)], [(0.5, 0.5), (0.55, 0.6)]):
            after = subject_mask(raster, (), (Stroke(np.array(points), 0.05),))
            self.assertEqual(int(((after > 127) & (before <= 127)).sum()), 0)

    def test_an_edge_that_is_a_guess_is_told_with_its_place(self):
        def by_a_wall(page):
            animal(page)
            page[:150, :] = BROWN  # the wall behind its head has its colour

        kind, _, down = take_background_away(scene(by_a_wall), way="subject").doubt
        self.assertEqual(kind, "edge")
        self.assertLess(down, 0.5)
        self.assertIsNone(take_background_away(scene(animal), way="subject").doubt)

    def test_a_lost_head_is_told(self):
        def with_light_head(page):
            animal(page)
            cv2.circle(page, (210, 105), 55, (235, 215, 190), -1)

        body = np.zeros((SIZE, SIZE), np.uint8)
        cv2.ellipse(body, (210, 240), (90, 100), 0, 0, 360, 255, -1)
        for draw in (animal, with_light_head):
            with self.subTest(draw.__name__):
                kind, across, down = doubtful(scene(draw), body)
                self.assertIn(kind, ("edge", "went"))
                self.assertAlmostEqual(across, 0.5, delta=0.15)
                self.assertLess(down, 0.45)


class PaleTest(unittest.TestCase):
    def page(self, draw=lambda page: None):
        def both(page):
            cv2.ellipse(page, (210, 260), (70, 90), 0, 0, 360, (40, 60, 90), -1)
            draw(page)

        return scene(both, noise=1.0, ground=(255, 255, 255))

    def test_pale_parts_that_went_along_are_told(self):
        raster = self.page(lambda page: cv2.ellipse(page, (210, 150), (60, 40), 0, 180, 360, (238, 240, 242), -1))
        found = take_background_away(raster, way="flood", tolerance=0.1)
        self.assertEqual(found.doubt[0], "pale")
        self.assertAlmostEqual(found.doubt[1], 0.5, delta=0.15)
        self.assertAlmostEqual(found.doubt[2], 0.33, delta=0.08)
        kept = take_background_away(raster, way="flood", tolerance=0.025)
        self.assertIsNone(kept.doubt)
        self.assertGreater(kept.raster.alpha[135, 210], 200)

    def test_uneven_light_noise_and_plain_drawings_are_not(self):
        def shade(page):
            ramp = np.linspace(0, 18, SIZE)[None, :, None]
            light = page.max(2, keepdims=True) > 200
            page[:] = np.where(light, np.clip(page - ramp, 0, 255), page).astype(np.uint8)

        self.assertIsNone(take_background_away(self.page(shade), way="flood", tolerance=0.1).doubt)
        self.assertIsNone(take_background_away(self.page(), way="flood", tolerance=0.1).doubt)
        for name in ("whale", "lolly"):
            for options in ({"jpeg": 60}, {"soft": 1.5}):
                drawn = flat_pictures.drawn(name, 400, **options)
                self.assertIsNone(take_background_away(drawn, way="flood", tolerance=0.1).doubt, name)
        for name in ("lizard", "feather"):
            drawn = zoo.picture(zoo.shape(name), 600, soft=1.0, noise=4)
            self.assertIsNone(take_background_away(drawn, way="flood", tolerance=0.1).doubt, name)
