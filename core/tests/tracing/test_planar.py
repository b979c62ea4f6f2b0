"""Colour maps to borders: what is drawn comes back whole, whatever touches what."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.geometry.regions import union
from nibble_core.graphics import Raster
from nibble_core.tracing.colours import trace_colours
from nibble_core.tracing.labels import connected_patches
from nibble_core.tracing.skeleton import skeleton_courses

INKS = np.array([[255, 255, 255], [200, 30, 40], [20, 60, 150], [240, 200, 40]], np.uint8)


@st.composite
def patchworks(draw):
    """A grid of coloured squares of 12 px, some of one colour beside each other, some touching at corners only."""
    size = draw(st.integers(2, 5))
    cells = draw(st.lists(st.integers(0, 3), min_size=size * size, max_size=size * size))
    return np.kron(np.array(cells, np.uint8).reshape(size, size), np.ones((12, 12), np.uint8))


def raster_of(index: np.ndarray) -> Raster:
    return Raster(np.dstack([INKS[index], np.full(index.shape, 255, np.uint8)]))


class PatchworkTest(unittest.TestCase):
    @given(patchworks())
    @settings(max_examples=25, deadline=None)
    def test_areas_tile_the_picture_with_as_many_regions_as_patches(self, index):
        if len(np.unique(index)) < 2:
            return
        traced = trace_colours(raster_of(index), palette=[tuple(int(v) for v in ink) for ink in INKS])
        whole = float(index.size)
        self.assertAlmostEqual(sum(one.region.area() for one in traced.regions), whole, delta=1e-6 * whole)
        self.assertAlmostEqual(union([one.region for one in traced.regions]).area, whole, delta=0.02 * whole**0.5)
        patches, owners = connected_patches(index)
        self.assertEqual(len(traced.regions), len(owners))
        self.assertEqual(patches.max() + 1, len(owners))

    def test_each_region_has_the_colour_and_place_of_its_patch(self):
        index = np.kron(np.array([[0, 1], [2, 3]], np.uint8), np.ones((20, 20), np.uint8))
        traced = trace_colours(raster_of(index), palette=[tuple(int(v) for v in ink) for ink in INKS])
        for one in traced.regions:
            x, y = one.place
            self.assertEqual(one.colour, tuple(INKS[index[int(y), int(x)]].tolist()))
            self.assertAlmostEqual(one.region.area(), 400, delta=1)

    def test_seams_name_both_their_regions(self):
        index = np.kron(np.array([[1, 2]], np.uint8), np.ones((20, 20), np.uint8))
        traced = trace_colours(raster_of(index), palette=[tuple(int(v) for v in ink) for ink in INKS])
        ((path, one, other),) = traced.seams
        self.assertEqual({one, other}, {0, 1})
        self.assertAlmostEqual(path.length(), 20, delta=0.1)


class SkeletonTest(unittest.TestCase):
    def test_bars_rings_and_branches(self):
        mask = np.zeros((80, 120), bool)
        mask[36:44, 10:110] = True
        (bar,) = skeleton_courses(mask)
        self.assertFalse(bar.closed)
        self.assertAlmostEqual(float(np.median(bar.half)), 4, delta=0.6)
        mask[10:36, 56:64] = True
        self.assertEqual(len(skeleton_courses(mask)), 2)
        y, x = np.mgrid[0:80, 0:80]
        off = np.hypot(x - 40, y - 40)
        (ring,) = skeleton_courses((off < 30) & (off > 22))
        self.assertTrue(ring.closed)
