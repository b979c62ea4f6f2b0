"""A printed sheet found by its marks: shift, turn and stretch undone, a bad mark outvoted."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import CannotMake
from nibble_core.geometry import Affine
from nibble_core.toolpaths.registration import located

MARKS = np.array([(8, 8), (560, 8), (8, 360), (560, 360), (284, 8), (284, 360)], float)


def lain(turn, across, down, x, y):
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    return Affine.scale(across, down).then(Affine(c, s, -s, c, x, y))


class Registration(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.floats(-5, 5), st.floats(0.99, 1.01), st.floats(0.99, 1.01), st.floats(-9, 9), st.floats(-9, 9),
           st.integers(3, 6))  # fmt: skip
    def test_shift_turn_and_stretch_are_told_from_three_marks_on(self, turn, across, down, x, y, count):
        at = lain(turn, across, down, x, y)
        found = located(MARKS[:count], at.map(MARKS[:count]))
        places = np.random.default_rng(0).uniform(0, 500, (50, 2))
        self.assertLess(np.abs(found.at.map(places) - at.map(places)).max(), 1e-6)
        self.assertAlmostEqual(found.turn, turn, places=6)
        self.assertAlmostEqual(found.across, across, places=6)

    def test_two_marks_or_marks_in_a_row_tell_no_stretch(self):
        at = lain(2.0, 1.004, 1.004, 3, -1)
        for some in (MARKS[:2], MARKS[[0, 4, 1]]):
            found = located(some, at.map(some))
            self.assertAlmostEqual(found.across, found.down, places=9)
            self.assertLess(np.abs(found.at.map(MARKS) - at.map(MARKS)).max(), 1e-6)

    def test_one_bad_mark_of_five_or_more_is_outvoted(self):
        at = lain(0.4, 1.001, 0.999, 1.2, -0.7)
        seen = at.map(MARKS) + np.random.default_rng(3).normal(0, 0.02, MARKS.shape)
        seen[2] += (2.0, -1.0)
        found = located(MARKS, seen)
        self.assertEqual(found.left_out, (2,))
        self.assertLess(np.abs(found.at.map(MARKS) - at.map(MARKS)).max(), 0.2)

    def test_another_sheet_and_too_few_marks_are_refused(self):
        for meant, seen in ((MARKS[:1], MARKS[:1]), (MARKS, MARKS[::-1] * 0.5), (MARKS[[0, 0]], MARKS[[0, 0]]),
                            (MARKS, MARKS * [-1, 1])):  # fmt: skip
            with self.assertRaises(CannotMake):
                located(meant, seen)
