"""What an artwork is said to be, and what cleaning by hand and flat tones do to it."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageDraw, ImageFont

from nibble_core.artwork.background import take_background_away
from nibble_core.artwork.brush import Stroke, brought_back, brushed, lassoed, rubbed_out, without_specks
from nibble_core.artwork.calming import calmed
from nibble_core.artwork.facts import picture_facts
from nibble_core.artwork.framing import Framing
from nibble_core.artwork.lettering import probable_lettering
from nibble_core.artwork.palette import find_palette
from nibble_core.artwork.tones import STYLES, ToneSettings, flat_tones
from nibble_core.artwork.verdict import judged
from nibble_core.graphics import Raster
from nibble_core.text.fonts import FOLDER, SHIPPED
from tests import zoo
from tests.pictures import box, coverage, disc, grey_raster


def verdict(raster: Raster):
    return judged(raster, picture_facts(raster))


def flat(*parts) -> Raster:
    """Areas of colour over white: (coverage, colour) one over the other."""
    shown = np.full((*parts[0][0].shape, 3), 255.0)
    for cover, colour in parts:
        shown = shown * (1 - cover[..., None]) + np.array(colour, float) * cover[..., None]
    return Raster(np.dstack([np.rint(shown).astype(np.uint8), np.full(shown.shape[:2], 255, np.uint8)]))


def photo(size: int = 400) -> Raster:
    y, x = np.mgrid[0:size, 0:size] / size
    waves = [128 + 90 * np.sin(5 * x + k) * np.cos(4 * y - k) + 30 * np.sin(23 * x * y + k) for k in range(3)]
    noise = np.random.default_rng(2).normal(0, 6, (size, size))
    rgb = np.clip(np.stack(waves, 2) + noise[..., None], 0, 255).astype(np.uint8)
    return Raster(np.dstack([rgb, np.full((size, size), 255, np.uint8)]))


class VerdictTest(unittest.TestCase):
    def test_solid_shapes_of_even_parts_are_no_drawn_lines_and_lines_of_several_pens_are(self):
        size = 800

        def drawn(*parts) -> Raster:
            image = Image.new("L", (size, size), 255)
            pen = ImageDraw.Draw(image)
            for kind, places, *more in parts:
                at = [size * v for v in places]
                getattr(pen, kind)(at, **dict(more))
            return grey_raster(1 - np.asarray(image, np.float32) / 255)

        black, white = ("fill", 0), ("fill", 255)
        ink = ("outline", 0)
        shaft, bit = (0.38, 0.47, 0.9, 0.53), (0.8, 0.5, 0.86, 0.64)
        key = drawn(("ellipse", (0.1, 0.35, 0.4, 0.65), black), ("ellipse", (0.18, 0.43, 0.32, 0.57), white),
                    ("rectangle", shaft, black), ("rectangle", bit, black))  # fmt: skip
        anchor = drawn(("line", (0.5, 0.2, 0.5, 0.9), black, ("width", 56)),
                       ("line", (0.35, 0.32, 0.65, 0.32), black, ("width", 56)),
                       ("arc", (0.15, 0.3, 0.85, 0.95), ("start", 10), ("end", 170), black, ("width", 64)))  # fmt: skip
        pens = drawn(("ellipse", (0.1, 0.1, 0.9, 0.9), ink, ("width", 44)),
                     ("ellipse", (0.3, 0.3, 0.45, 0.45), ink, ("width", 12)),
                     ("arc", (0.3, 0.4, 0.7, 0.75), ("start", 20), ("end", 160), black, ("width", 24)))  # fmt: skip
        for made, kind in ((key, "filled shapes"), (anchor, "filled shapes"), (pens, "line drawing")):
            self.assertEqual(verdict(made).kind, kind)

    def test_each_kind_is_known_and_gets_a_sentence(self):
        colours = flat((coverage(disc(150, 150, 110), 300), (200, 40, 40)),
                       (coverage(box(100, 100, 200, 200), 300), (30, 80, 160)),
                       (coverage(disc(150, 150, 25), 300), (240, 200, 60)))  # fmt: skip
        rings = sum(coverage(disc(200, 200, r + 3), 400) - coverage(disc(200, 200, r - 3), 400) for r in (60, 110, 160))
        cases = (
            (colours, "flat colours", "colours"), 
            (grey_raster(coverage(disc(150, 150, 100), 300)), "filled shapes", "two-tone"),
            (grey_raster(rings), "line drawing", "two-tone"), (photo(), "photo", "print"),
        )  # fmt: skip
        for raster, kind, advice in cases:
            with self.subTest(kind):
                said = verdict(raster)
                self.assertEqual((said.kind, said.advice), (kind, advice))
                self.assertRegex(said.sentence, r"^[A-Z0-9].*\.$")

    def test_the_paper_is_no_colour_of_its_own(self):
        inks = flat((coverage(disc(60, 60, 50), 120), (200, 40, 40)), (coverage(disc(60, 60, 20), 120), (30, 80, 160)))
        self.assertEqual(verdict(inks).flat_colours, 2)

    def test_a_thumbnail_comes_with_a_sentence_to_send(self):
        said = verdict(grey_raster(coverage(disc(40, 40, 28), 80)))
        self.assertEqual(said.advice, "ask")
        self.assertIn("send us the original", said.request)

    def test_the_palette_is_the_colours_drawn(self):
        for count in (1, 3, 6):
            colours = [(20 + 35 * k, 200 - 30 * k, (90 * k) % 256) for k in range(count)]
            bars = [coverage(box(20 + 40 * k, 20, 52 + 40 * k, 260), 280) for k in range(count)]
            found = find_palette(flat(*zip(bars, colours, strict=True)).over_white())
            self.assertEqual(len(found), count + 1)
            for colour in [*colours, (255, 255, 255)]:
                self.assertLess(np.abs(found - colour).max(1).min(), 3)

    def test_words_are_boxed(self):
        picture = Image.new("L", (500, 200), 255)
        ImageDraw.Draw(picture).text((60, 60), "Harbour", fill=0, font=ImageFont.load_default(70))
        (found,) = probable_lettering(np.asarray(picture) < 128)
        self.assertLess(found.left, 0.16)
        self.assertGreater(found.right, 0.5)

    def test_joined_and_stencilled_words_are_boxed_whole(self):
        for kind, text in (("script", "Boatyard"), ("script", "sale"), ("stencil", "Est. 1987"), ("serif", "Open Day")):
            for white_on_dark in (False, True):
                with self.subTest(kind=kind, text=text, white_on_dark=white_on_dark):
                    picture = Image.new("L", (900, 400), 255)
                    pen = ImageDraw.Draw(picture)
                    font = ImageFont.truetype(str(FOLDER / f"{SHIPPED[kind]}.ttf"), 90)
                    pen.text((150, 120), text, fill=0, font=font)
                    left, _, right, _ = pen.textbbox((150, 120), text, font=font)
                    ink = np.asarray(picture) < 128
                    boxes = probable_lettering(~ink if white_on_dark else ink)
                    (found,) = [b for b in boxes if b.right - b.left > 0.7 * (right - left) / 900]
                    self.assertLess(found.left, (left + 20) / 900)
                    self.assertGreater(found.right, (right - 20) / 900)

    def test_patterns_are_no_words(self):
        dots = sum(coverage(disc(30 + 40 * k, 60, 12), 320, 120) for k in range(7))
        self.assertEqual(probable_lettering(dots > 0.5), ())
        teeth = coverage(box(40, 40, 360, 60), 400, 120) + sum(
            coverage(box(50 + 30 * k, 60, 62 + 30 * k, 90), 400, 120) for k in range(10)
        )
        self.assertEqual(probable_lettering(teeth > 0.5), ())


class FramingTest(unittest.TestCase):
    @given(
        st.floats(0, 0.4), st.floats(0, 0.4), st.floats(0, 0.4), st.floats(0, 0.4), st.integers(0, 3), st.booleans(),
        st.floats(0, 1), st.floats(0, 1),
    )  # fmt: skip
    @settings(max_examples=60)
    def test_places_go_there_and_back(self, left, top, right, bottom, quarters, mirrored, x, y):
        framing = Framing(left, top, right, bottom, quarters, mirrored)
        place = np.array([[x, y]])
        np.testing.assert_allclose(framing.back(framing.forward(place)), place, atol=1e-9)

    def test_pixels_follow_the_same_map(self):
        pixels = np.full((40, 60, 4), 255, np.uint8)
        pixels[10, 45, :3] = 0
        for quarters in range(4):
            for mirrored in (False, True):
                framing = Framing(0.1, 0.0, 0.0, 0.2, quarters, mirrored)
                shown = framing.raster(Raster(pixels.copy()))
                ((row, column),) = np.argwhere(shown.pixels[..., 0] == 0)
                x, y = framing.forward(np.array([[45.5 / 60, 10.5 / 40]]))[0]
                self.assertAlmostEqual(x * shown.width, column + 0.5, delta=0.01)
                self.assertAlmostEqual(y * shown.height, row + 0.5, delta=0.01)


class HandTest(unittest.TestCase):
    raster = grey_raster(coverage(disc(60, 60, 40), 120))

    def test_a_brush_takes_away_and_brings_back_what_was_there(self):
        stroke = Stroke(np.array([[0.2, 0.5], [0.8, 0.5]]), 0.1)
        mask = brushed((120, 120), stroke)
        self.assertAlmostEqual(mask.sum() / 255, 72 * 12 + math.pi * 36, delta=40)
        out = rubbed_out(self.raster, mask)
        self.assertEqual((int(out.alpha[60, 60]), int(out.alpha[40, 60])), (0, 255))
        back = brought_back(out, self.raster, mask)
        whole = mask == 255
        np.testing.assert_array_equal(back.pixels[whole], self.raster.pixels[whole])
        self.assertGreater(int(back.alpha.min()), 180)

    def test_a_lasso_takes_its_inside(self):
        loop = Stroke(np.array([[0.25, 0.25], [0.75, 0.25], [0.75, 0.75], [0.25, 0.75]]), 0.0)
        self.assertAlmostEqual((lassoed((120, 120), loop) / 255).sum(), 60 * 60, delta=200)

    def test_specks_under_a_size_go(self):
        ink = np.clip(coverage(disc(60, 60, 30), 120) + coverage(disc(12, 12, 3), 120), 0, 1)
        cut = take_background_away(grey_raster(ink), way="flood").raster
        self.assertGreater(int(cut.alpha[12, 12]), 200)
        cleaned = without_specks(cut, 10)
        self.assertEqual((int(cleaned.alpha[12, 12]), int(cleaned.alpha[60, 60])), (0, 255))

    def test_places_and_one_colour_take_what_is_meant(self):
        ring = coverage(disc(60, 60, 40), 120) - coverage(disc(60, 60, 20), 120)
        raster = grey_raster(ring)
        inside = take_background_away(raster, way="places", places=[(0.5, 0.5)]).raster
        self.assertEqual((int(inside.alpha[60, 60]), int(inside.alpha[2, 2])), (0, 255))
        both = take_background_away(raster, way="one colour").raster
        self.assertEqual((int(both.alpha[60, 60]), int(both.alpha[2, 2]), int(both.alpha[60, 90])), (0, 0, 255))

    def test_the_subject_is_found_without_drawing_and_corrected_by_strokes(self):
        y, x = np.mgrid[0:160, 0:160]
        ground = np.stack([150 + 0.3 * x, 170 - 0.2 * y, 140 + 0 * x], 2)
        cover = coverage(disc(80, 84, 46), 160)[..., None]
        shown = ground * (1 - cover) + np.array([90, 50, 40]) * cover
        rng = np.random.default_rng(4).normal(0, 3, (160, 160, 1))
        raster = Raster(np.dstack([np.clip(shown + rng, 0, 255).astype(np.uint8), np.full((160, 160), 255, np.uint8)]))
        kept = take_background_away(raster, way="subject").raster.alpha > 127
        true = cover[..., 0] > 0.5
        self.assertGreater((kept & true).sum() / (kept | true).sum(), 0.95)
        without = take_background_away(
            raster, way="subject", not_subject=[Stroke(np.array([[0.25, 0.5], [0.45, 0.5]]), 0.12)]
        ).raster.alpha
        self.assertLess(int(without[80, 55]), 60)

    def test_calming_takes_noise_and_keeps_edges(self):
        noisy = self.raster.pixels.astype(float)
        noisy[..., :3] += np.random.default_rng(1).normal(0, 8, (120, 120, 1))
        raster = Raster(np.clip(noisy, 0, 255).astype(np.uint8))
        calm = calmed(raster, "strong").pixels[..., 0].astype(int)
        self.assertLess(calm[55:65, 55:65].std(), 0.6 * raster.pixels[55:65, 55:65, 0].astype(int).std())
        self.assertGreater(calm[60, 105] - calm[60, 95], 180)
        self.assertIs(calmed(raster, "off"), raster)


class ToneTest(unittest.TestCase):
    def test_each_style_gives_its_tones_with_edges_a_pixel_soft(self):
        for style in STYLES:
            with self.subTest(style):
                tones = flat_tones(photo(), style, count=4).pixels[..., 0]
                wanted = 4 if style == "bands" else 2
                near = np.abs(tones[..., None].astype(int) - np.rint(np.linspace(0, 255, wanted))).min(2) < 12
                self.assertGreater(near.mean(), 0.9)

    def test_shadows_and_lines_are_set(self):
        level = zoo.picture(zoo.shape("flower"), 360, soft=1.2).over_white()[..., 0] / 255
        ramp = np.linspace(0, 70, level.shape[1])
        scene = zoo.grey_picture(70 + 80 * level + ramp)

        def dark(style, **settings):
            return float((flat_tones(scene, style, settings=ToneSettings(**settings)).pixels[..., 0] < 128).mean())

        for style in STYLES:
            with self.subTest(style):
                lighter, usual, darker = (dark(style, darkness=value) for value in (-0.4, 0.0, 0.4))
                self.assertLess(lighter, usual)
                self.assertLess(usual, darker)
        self.assertLess(dark("solid shadows", threshold=0.2), dark("solid shadows", threshold=0.7))
        for setting in ("strength", "detail"):
            low, high = (dark("line-like edges", threshold=0.02, **{setting: value}) for value in (0.1, 1.0))
            self.assertGreater(abs(high - low), 0.003)

    def test_one_piece_hangs_together(self):
        import cv2

        tones = flat_tones(photo(), "solid shadows", one_piece=True).pixels[..., 0]
        count, _, stats, _ = cv2.connectedComponentsWithStats((tones < 128).astype(np.uint8))
        self.assertLessEqual((stats[1:count, cv2.CC_STAT_AREA] > 20).sum(), 1)
