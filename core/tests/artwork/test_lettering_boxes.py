"""What is boxed as lettering: words in any hand, and nothing in drawings without one."""

import unittest

import numpy as np

from nibble_core.artwork.lettering import probable_lettering
from tests import wordless, zoo


def boxes(area, width, **options):
    return probable_lettering(np.asarray(zoo.picture(area, width, **options).over_white()[..., 0] < 128))


class BoxesTest(unittest.TestCase):
    def test_drawings_without_a_word_have_next_to_no_box(self):
        found = {
            (name, width): boxes(wordless.drawing(name), width, soft=soft)
            for name in wordless.NAMES
            for width, soft in ((420, 0.0), (560, 1.0))
        }
        self.assertLessEqual(sum(map(len, found.values())), 0.2 * len(found), {k: v for k, v in found.items() if v})

    def test_words_are_boxed_wherever_the_drawing_is(self):
        for name in ("word", "script"):
            for width in (500, 900):
                with self.subTest(name, width=width):
                    self.assertTrue(boxes(zoo.shape(name), width))
