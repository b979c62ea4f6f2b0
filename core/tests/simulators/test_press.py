"""The simulated press: what it does is known exactly, in maps and in pixels; plates are never ink."""

import io
import math
import unittest

import numpy as np
import pikepdf
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.formats import pdf
from nibble_core.geometry import Affine, Bundle, Path
from nibble_core.graphics import Ink, Page, Painted, Plate, Stroked
from nibble_core.simulators.press import Distortion, Faults, PrintedSheet, Unprintable

WIDE, HIGH = 120.0, 200.0
SQUARE = Painted(Bundle.of([Path.polygon([(20, 30), (50, 30), (50, 60), (20, 60)])]), (200, 30, 30), (Affine(),))


class DistortionTest(unittest.TestCase):
    @settings(deadline=None, max_examples=60)
    @given(st.floats(-2, 2), st.floats(-2, 2), st.floats(-0.5, 0.5), st.floats(-5, 5), st.floats(-3, 3), st.booleans())
    def test_every_place_is_found_again(self, across, along, skew, bow, turn, mirrored):
        truth = Distortion(WIDE, HIGH, Faults(across, along, skew, bow, 0.3, 90.0, turn, mirrored, (3.0, -2.0)))
        places = np.random.default_rng(1).uniform((-10, -10), (WIDE + 10, HIGH + 10), (50, 2))
        np.testing.assert_allclose(truth.back(truth.forward(places)), places, atol=1e-6)

    def test_each_fault_does_what_its_name_says(self):
        corner = np.array([[WIDE, HIGH]])
        middle = np.array([[WIDE / 2, HIGH / 2]])
        stretched = Distortion(WIDE, HIGH, Faults(across=0.5, along=-1.0)).forward(corner)
        np.testing.assert_allclose(stretched, [[WIDE * 1.005, HIGH * 0.99]])
        np.testing.assert_allclose(Distortion(WIDE, HIGH, Faults(bow=1.2)).forward(middle)[0, 0], WIDE / 2 + 1.2)
        np.testing.assert_allclose(Distortion(WIDE, HIGH, Faults(turn=180.0)).forward(corner), [[0, 0]], atol=1e-9)
        quarter = Distortion(100.0, 100.0, Faults(turn=90.0)).forward(np.array([[100.0, 50.0]]))
        np.testing.assert_allclose(quarter, [[50.0, 0.0]], atol=1e-9)  # against the clock, on a screen


class PrintTest(unittest.TestCase):
    def printed(self, faults=Faults(), **page):  # noqa: B008 - frozen
        sheet = PrintedSheet(pdf.write_page(Page(WIDE, HIGH, printed=(SQUARE,), **page)), faults)
        self.addCleanup(sheet.close)
        return sheet

    def area(self, sheet):
        """mm² of ink, and its middle."""
        left, top, right, bottom = sheet.reach
        dark = (sheet.picture((left, top, right, bottom), 200.0)[..., 1] < 140).astype(float)
        rows, columns = np.nonzero(dark)
        step = 25.4 / 200
        return dark.sum() * step**2, (left + (columns.mean() + 0.5) * step, top + (rows.mean() + 0.5) * step)

    def test_a_square_comes_out_where_and_as_large_as_the_faults_say(self):
        faults = Faults(across=1.0, along=-0.5, turn=2.0, shift=(4.0, 1.0))
        sheet = self.printed(faults)
        area, middle = self.area(sheet)
        self.assertAlmostEqual(area, 900 * 1.01 * 0.995, delta=3.0)
        np.testing.assert_allclose(middle, sheet.distortion.forward(np.array([[35.0, 45.0]]))[0], atol=0.02)
        self.assertAlmostEqual(math.sqrt(self.area(self.printed(Faults(gain=0.3)))[0]), 30.6, delta=0.1)
        scratched = self.printed(Faults(scratches=((35.0, 45.0, 5.0),)))
        self.assertAlmostEqual(self.area(scratched)[0], 900 - math.pi * 25, delta=3.0)

    def test_plates_and_cut_lines_are_no_ink(self):
        over = Plate(SQUARE.paths, Ink("Varnish", (0, 0, 0.25, 0)), (Affine(),))
        line = Stroked(Bundle.of([Path.circle(80, 120, 20)]), Ink("Kiss", (0, 1, 0, 0)), "kiss cut")
        sheet = self.printed(Faults(plates=("Varnish", "Kiss")), plates=(over,), stroked=(line,))
        self.assertAlmostEqual(self.area(sheet)[0], 900, delta=3.0)
        self.assertTrue((sheet.picture((55, 95, 105, 145), 150.0) > 250).all())
        laid = sheet.plate("Varnish", (0, 0, WIDE, HIGH), 100.0)
        self.assertAlmostEqual((laid > 127).sum() * 0.254**2, 900, delta=6.0)

    def test_what_is_no_page_is_refused_in_words(self):
        empty = io.BytesIO()
        pikepdf.new().save(empty)
        for content in (b"", b"%PDF-1.7 nothing", empty.getvalue()):
            with self.assertRaises(Unprintable):
                PrintedSheet(content)
        whole = self.printed()
        with self.assertRaisesRegex(Unprintable, "too large"):
            whole.picture((0, 0, WIDE, HIGH), 40_000.0)
        self.assertLess(whole.picture((30, 40, 32, 42), 100.0)[..., 1].max(), 140)  # it is there as before
