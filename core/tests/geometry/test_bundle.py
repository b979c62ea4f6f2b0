"""Bundles: many paths as one, against the same paths one by one, and through text and back."""

import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import UnreadableFile
from nibble_core.formats.svg_path import parse_path_data
from nibble_core.geometry import Bundle, Path
from nibble_core.geometry.path_text import PDF, SVG
from nibble_core.geometry.tolerances import FLATTEN
from tests.strategies import paths, similarities

many = st.lists(paths(), min_size=1, max_size=4)


class BundleTest(unittest.TestCase):
    @given(many, similarities())
    @settings(max_examples=40)
    def test_a_whole_is_its_parts(self, some, affine):
        bundle = Bundle.of(some)
        self.assertEqual([len(path) for path in bundle], [len(path) for path in some])
        np.testing.assert_allclose(bundle.lengths, [path.length() for path in some], rtol=1e-9)
        for one, path in zip(bundle.mapped(affine), some, strict=True):
            np.testing.assert_array_equal(one.rows, path.mapped(affine).rows)
        joined = Bundle.joined([bundle.part(0, 1), bundle.part(1, len(bundle))])
        np.testing.assert_array_equal(joined.rows, bundle.rows)
        np.testing.assert_array_equal(joined.offsets, bundle.offsets)

    @given(many)
    @settings(max_examples=40)
    def test_text_is_read_back_as_written(self, some):
        bundle = Bundle.of(some)
        for grammar in (SVG, PDF):
            text = bundle.text(grammar, 5).encode()
            again = Bundle.read(text, grammar)
            self.assertEqual(again.closed.tolist(), bundle.closed.tolist())
            told = bundle.as_cubics() if grammar is PDF else bundle.with_short_arcs()
            np.testing.assert_array_equal(again.offsets, told.offsets)
            np.testing.assert_allclose(again.rows[:, [0, 1, 6, 7]], told.rows[:, [0, 1, 6, 7]], atol=6e-6)

    @given(many)
    @settings(max_examples=30)
    def test_svg_text_is_what_the_general_reader_understands(self, some):
        for one, path in zip(parse_path_data(Bundle.of(some).svg(6)), some, strict=True):
            off = shapely.hausdorff_distance(
                shapely.LinearRing(one.flattened(0.005)), shapely.LinearRing(path.flattened(0.005))
            )
            self.assertLess(off, 0.02)

    @given(paths())
    @settings(max_examples=24)
    def test_no_chord_strays_further_than_the_tolerance(self, path):
        fine = path.flattened(FLATTEN / 40)
        chords = shapely.LinearRing(path.flattened(0.05))
        self.assertLess(float(shapely.distance(shapely.points(fine), chords).max()), 0.05 + 1e-6)

    def test_polylines_keep_their_points(self):
        points = np.arange(20.0).reshape(10, 2)
        lines = Bundle.polylines(points, np.array([0, 2, 7, 10]))
        self.assertEqual([len(line.nodes) for line in lines], [2, 5, 3])
        np.testing.assert_array_equal(np.vstack([line.nodes for line in lines]), points)

    def test_none_and_what_is_no_path(self):
        none = Bundle.of(())
        self.assertEqual((len(none), none.length, none.svg(), len(Bundle.read(b"", SVG))), (0, 0.0, "", 0))
        for text in (b"M1 2L3", b"L1 2", b"M1 2 3 4L", b"M1 2Q3 4 5 6", b"m1 2l3 4", b"M1 2L3 4e5", b"M1 2L3 4 5L6"):
            with self.subTest(text), self.assertRaises(UnreadableFile):
                Bundle.read(text, SVG)
        self.assertEqual(len(Bundle.read(Bundle.of([Path.circle(0, 0, 4)]).text(PDF, 4).encode(), PDF)), 1)


if __name__ == "__main__":
    unittest.main()
