"""Step and repeat: nothing overlaps, nothing leaves the sheet, the quantity is made."""

import itertools
import unittest

from hypothesis import given
from hypothesis import strategies as st

from nibble_core.errors import DoesNotFit, InvalidTicket
from nibble_core.geometry import Box
from nibble_core.sheet import Part, grid

sizes = st.floats(5, 120).map(lambda v: round(v, 2))


class GridTest(unittest.TestCase):
    @given(sizes, sizes, st.integers(1, 700), st.floats(0, 12), st.sampled_from([3, 4, 5, 6]))
    def test_any_grid_holds_together(self, width, height, quantity, spacing, marks):
        piece = Box(-3.0, 2.0, width - 3.0, height + 2.0)
        layout = grid(
            [Part("l1", piece, quantity)], spacing=spacing, usable_width=500, usable_length=900, mark_count=marks
        )
        self.assertGreaterEqual(layout.copies * layout.times, quantity)
        self.assertLess(layout.copies * layout.times - quantity, layout.copies)
        self.assertLessEqual(layout.width, 500 + 1e-6)
        self.assertLessEqual(layout.height, 900 + 1e-6)
        self.assertEqual(len(layout.marks.places), marks)
        boxes = [(p.e + piece.left, p.f + piece.top) for _, p in layout.placements]
        gap = layout.marks.diameter + 5.0
        for x, y in boxes:
            self.assertGreaterEqual(x, gap - 1e-6)
            self.assertLessEqual(x + width, layout.width - gap + 1e-6)
            self.assertLessEqual(y + height, layout.height - gap + 1e-6)
        for (x, y), (u, v) in itertools.pairwise(boxes):
            self.assertTrue(abs(x - u) >= width + spacing - 1e-6 or abs(y - v) >= height + spacing - 1e-6)

    def test_three_marks_tell_the_direction(self):
        layout = grid([Part("l1", Box(0, 0, 50, 50), 4)], spacing=2, usable_width=300, usable_length=300, mark_count=3)
        right_top = [m for m in layout.marks.places if m.x > layout.width / 2 and m.y < layout.height / 2]
        self.assertEqual(right_top, [])

    def test_what_does_not_fit_is_said(self):
        with self.assertRaises(DoesNotFit) as caught:
            grid([Part("l1", Box(0, 0, 490, 20), 1)], spacing=2, usable_width=500, usable_length=900)
        self.assertIn("512.0 mm wide", caught.exception.message)
        with self.assertRaises(InvalidTicket):
            grid([Part("l1", Box(0, 0, 9, 9), 1)], spacing=2, usable_width=500, usable_length=900, mark_count=7)
