"""Flat colour areas of made-up pictures: as many as there are, on soft edges and through compression too."""

import unittest

import numpy as np

from nibble_core.graphics import Raster
from nibble_core.tracing.colours import trace_colours
from tests import flat_pictures

# an edge softer than a gap is wide may close it, and enlarged JPEG has ringing of its own: left out
PICTURES = ("whale", "parasol", "fish", "toadstool", "boat", "lolly")
KINDS = {"soft": {"soft": 1.0}, "JPEG": {"jpeg": 75}, "enlarged": {"enlarged": 2.0}}


class AreasTest(unittest.TestCase):
    def test_no_slivers_lie_between_areas(self):
        for name in PICTURES:
            for kind, options in KINDS.items():
                with self.subTest(name, kind=kind):
                    traced = trace_colours(flat_pictures.drawn(name, 400, **options), polished=False)
                    self.assertEqual(len(traced.regions), flat_pictures.true_areas(name))

    def test_a_thin_line_of_its_own_colour_stays(self):

        pixels = np.full((120, 120, 4), 255, np.uint8)
        pixels[:, :60, :3] = (20, 20, 20)
        pixels[:, 60:64, :3] = (138, 138, 138)  # a mix of both, but as wide as a drawn line
        traced = trace_colours(Raster(pixels))
        self.assertEqual(sorted(region.colour[0] for region in traced.regions), [20, 138, 255])
