"""Text set in real fonts: true sizes, kerning, arcs, missing letters, and files that are no fonts."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import InvalidTicket, UnreadableFile
from nibble_core.text import SHIPPED, open_font, set_line, shipped_font
from nibble_core.text.fonts import FOLDER
from nibble_core.text.lettering import OVER, UNDER, tried_font

FLAT = "HEITL"  # capitals whose top and foot are straight


def box(regions):
    boxes = np.array([region.bounds() for region in regions])
    return [*boxes[:, :2].min(0), *boxes[:, 2:].max(0)]


class ShippedFontTest(unittest.TestCase):
    def test_each_kind_ships_whole_with_its_licence(self):
        for kind, file in SHIPPED.items():
            with self.subTest(kind):
                free = FOLDER / f"{file}-OFL.txt"
                if free.exists():
                    self.assertIn("Open Font License", free.read_text())
                else:
                    self.assertIn("Permission is hereby granted", (FOLDER / "DejaVuSans-LICENSE.txt").read_text())
                for letters in ("ABCXYZabcxyz", "0123456789", "ÄÖÜßéñ", "&@?!.,-€"):
                    self.assertEqual(set_line(shipped_font(kind), letters, 10).missing, ())

    def test_capitals_are_as_high_as_said(self):
        for kind in SHIPPED:
            with self.subTest(kind):
                _, top, _, bottom = box(set_line(shipped_font(kind), "H", 12.5).regions)
                self.assertAlmostEqual(bottom - top, 12.5, delta=0.35 if kind == "script" else 0.02)

    def test_outlines_are_clean_regions(self):
        for kind in SHIPPED:
            for region in set_line(shipped_font(kind), "Harbour & Beacon 88", 10).regions:
                with self.subTest(kind):
                    self.assertTrue(region.polygon().is_valid)
                    self.assertGreater(region.outer.area(), 0)
                    self.assertTrue(all(hole.area() < 0 for hole in region.holes))

    def test_letters_that_touch_are_one_outline(self):
        joined = set_line(shipped_font("script"), "llllll", 10)
        self.assertLess(len(joined.regions), 6)
        self.assertEqual(len(set_line(shipped_font("sans"), "OOO", 10).regions), 3)
        self.assertTrue(all(len(region.holes) == 1 for region in set_line(shipped_font("sans"), "OOO", 10).regions))


class SettingTest(unittest.TestCase):
    def setUp(self):
        self.font = shipped_font("sans")

    def test_pairs_are_kerned(self):
        width = lambda words: set_line(self.font, words, 10).box.width  # noqa: E731
        self.assertLess(width("AVAVAV"), 3 * width("A") + 3 * width("V") - 1)

    @given(st.floats(-0.5, 8).map(lambda v: round(v, 2)), st.integers(2, 9))
    @settings(max_examples=15)
    def test_spacing_is_added_between_letters_only(self, spacing, count):
        plain, spaced = set_line(self.font, "I" * count, 10), set_line(self.font, "I" * count, 10, spacing=spacing)
        self.assertAlmostEqual(spaced.box.width - plain.box.width, spacing * (count - 1), places=6)

    def test_missing_letters_are_named_and_the_rest_is_set(self):
        made = set_line(self.font, "Bee 蜂 Bee 巣", 10)
        self.assertEqual(made.missing, ("蜂", "巣"))
        self.assertGreaterEqual(len(made.regions), 6)

    def test_letters_stand_on_the_circle(self):
        radius, cap = 40.0, 8.0
        for along, near, far in ((OVER, radius, radius + cap), (UNDER, radius - cap, radius)):
            points = np.vstack(
                [r.outer.flattened() for r in set_line(self.font, FLAT, cap, along=along, radius=radius).regions]
            )
            away = np.hypot(*points.T)
            with self.subTest(along):  # a straight foot of a letter dips under its circle by its sagitta
                self.assertGreater(away.min(), near - 0.3)
                self.assertLess(away.max(), far + 0.6)
        top = box(set_line(self.font, "H", cap, along=OVER, radius=radius).regions)
        foot = box(set_line(self.font, "H", cap, along=UNDER, radius=radius).regions)
        self.assertLess(top[3], 0)
        self.assertGreater(foot[1], 0)

    def test_words_read_from_left_to_right_on_either_arc(self):
        for along in (OVER, UNDER):
            middles = [
                (r.bounds().left + r.bounds().right) / 2 for r in set_line(self.font, "HHHH", 5, along=along).regions
            ]
            with self.subTest(along):
                self.assertEqual(middles, sorted(middles))

    def test_what_cannot_be_set_is_said(self):
        for words, options in (("  ", {}), ("x" * 300, {}), ("far too long a line", {"along": OVER, "radius": 5.0})):
            with self.subTest(words[:10]), self.assertRaises(InvalidTicket) as caught:
                set_line(self.font, words, 10, **options)
            self.assertTrue(caught.exception.what_to_do)

    def test_area_grows_with_the_square_of_the_height(self):
        area = lambda cap: shapely.union_all([r.polygon() for r in set_line(self.font, "Kite", cap).regions]).area  # noqa: E731
        self.assertAlmostEqual(area(30) / area(10), 9, delta=0.02)


class FontFileTest(unittest.TestCase):
    def test_a_font_of_the_shops_own_is_opened(self):
        content = (FOLDER / "Oswald-SemiBold.ttf").read_bytes()
        self.assertIn("Oswald", open_font(content).name)
        self.assertIn("Oswald", tried_font(content))

    def test_what_is_no_font_is_refused_in_words(self):
        good = (FOLDER / "Barlow-SemiBold.ttf").read_bytes()
        for content in (b"", b"\x89PNG\r\n", b"OTTO" + bytes(200), good[:400], b"\0\1\0\0" + b"\xff" * 5000):
            with self.subTest(content[:8]), self.assertRaises(UnreadableFile):
                tried_font(content)

    def test_truncated_fonts_do_no_harm(self):
        good = (FOLDER / "Barlow-SemiBold.ttf").read_bytes()
        for share in (0.2, 0.5, 0.8):
            try:
                self.assertTrue(tried_font(good[: int(share * len(good))]))
            except UnreadableFile as error:
                self.assertTrue(error.what_to_do)


class CircleTest(unittest.TestCase):
    def test_the_box_of_words_on_a_circle_is_the_circles(self):
        made = set_line(shipped_font("sans"), "ROUND", 6, along=OVER, radius=20)
        self.assertEqual(tuple(made.box), (-26, -26, 26, 26))
        self.assertTrue(math.isclose(sum(made.box), 0))
