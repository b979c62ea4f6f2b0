"""Values whose arrays lie beside them."""

import tracemalloc
from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from nibble_core.graphics import Raster
from nibble_core.pipeline.packing import packed, size_of, unpacked

SOME = arrays.arrays(
    st.sampled_from([np.uint8, np.float64, np.int64, np.bool_]), arrays.array_shapes(min_dims=1, max_dims=3, min_side=0)
)


class PackingTest(TestCase):
    @given(st.lists(st.one_of(SOME, SOME.map(lambda one: one[..., ::2]), st.text(), st.none()), max_size=6))
    def test_a_value_comes_back_as_it_was_ready_to_be_worked_on(self, value):
        parts = packed(value)
        found = unpacked(bytearray(b"".join(parts)))
        self.assertEqual(size_of(parts), sum(map(len, parts)))
        self.assertEqual(len(found), len(value))
        for one, other in zip(found, value, strict=True):
            if isinstance(other, np.ndarray):
                self.assertTrue(np.array_equal(one, other, equal_nan=other.dtype == np.float64))
                self.assertEqual(one.dtype, other.dtype)
                self.assertTrue(one.flags.aligned and one.flags.writeable)
            else:
                self.assertEqual(one, other)

    def test_pixels_are_copied_neither_into_the_bytes_nor_out_of_them(self):
        raster = Raster(np.full((1500, 1500, 4), 7, np.uint8))
        content = bytearray(b"".join(packed(raster)))
        tracemalloc.start()
        try:
            packed(raster)
            found = unpacked(content)
            _, most = tracemalloc.get_traced_memory()
        finally:
            tracemalloc.stop()
        self.assertLess(most, raster.pixels.nbytes / 20)
        self.assertTrue(np.array_equal(found.pixels, raster.pixels))
