"""Inks: near-equal colours are one, never by way of a third."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from nibble_core.artwork.inks import with_joined_inks
from nibble_core.geometry import Path, Region
from nibble_core.graphics import Shape

SQUARE = Region(Path.polygon([(0, 0), (10, 0), (10, 10), (0, 10)]))
channels = st.integers(0, 255)


def shown(colours, nearer):
    return [shape.colour for shape in with_joined_inks([Shape(SQUARE, colour) for colour in colours], nearer)]


class InksTest(unittest.TestCase):
    def test_several_blacks_are_the_one_most_used(self):
        blacks = [(0, 0, 0), (6, 6, 6), (3, 3, 3), (3, 3, 3), (9, 8, 9)]
        self.assertEqual(set(shown(blacks, 0.04)), {(3, 3, 3)})
        self.assertEqual(shown(blacks, 0.0), blacks)

    @given(st.lists(st.tuples(channels, channels, channels), min_size=1, max_size=30), st.floats(0, 0.3))
    def test_nothing_moves_further_than_said_and_what_is_left_lies_further_apart(self, colours, nearer):
        after = shown(colours, nearer)
        apart = lambda a, b: max(abs(x - y) for x, y in zip(a, b, strict=True))  # noqa: E731
        for one, other in zip(colours, after, strict=True):
            self.assertLessEqual(apart(one, other), nearer * 255)
        for one in set(after):
            for other in set(after) - {one}:
                self.assertGreater(apart(one, other), nearer * 255)

    def test_a_named_ink_keeps_its_colour(self):
        named = Shape(SQUARE, (250, 0, 0), spot="Signal")
        plain = [Shape(SQUARE, (252, 2, 0))] * 3
        made = with_joined_inks([named, *plain], 0.04)
        self.assertEqual(made[0], named)
