"""Pictures that were enlarged without smoothing are known, and come back at the size they were made."""

import hashlib
import io
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from nibble_core.artwork.enlarged import single_pixels, squares_of
from nibble_core.graphics import Raster
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply, first_ticket
from tests.pictures import coverage, disc, encoded, grey_raster

RING = coverage(disc(50, 46, 34), 100) - coverage(disc(50, 46, 15), 100)


def enlarged(raster: Raster, times: int) -> Raster:
    return Raster(np.repeat(np.repeat(raster.pixels, times, 0), times, 1))


def png(raster: Raster) -> bytes:
    return encoded(Image.fromarray(raster.pixels), "PNG")


def worked(content: bytes, *changes: Change):
    ticket = first_ticket(name="s", file=hashlib.sha256(content).hexdigest(), file_name="ring.png", width=80)
    ticket = apply(ticket, changes)
    return ticket, work_out(ticket, lambda _: content, MemoryStore())


class SquaresTest(unittest.TestCase):
    @settings(max_examples=12, deadline=None)
    @given(times=st.integers(2, 9), x=st.integers(38, 62), r=st.integers(18, 30))
    def test_the_picture_that_was_enlarged_comes_back_pixel_by_pixel(self, times, x, r):
        ink = coverage(disc(x, 50, r), 100)
        alpha = np.rint(255 * np.clip(ink + 0.25, 0, 1)).astype(np.uint8)
        raster = Raster(np.dstack([grey_raster(ink).pixels[..., :3], alpha]))
        large = enlarged(raster, times)
        squares = squares_of(large)
        self.assertEqual(squares.size, times)
        back = single_pixels(large, squares).pixels
        np.testing.assert_array_equal(back[..., 3], raster.pixels[..., 3])
        seen = raster.pixels[..., 3] > 0
        self.assertLessEqual(int(np.abs(back[seen].astype(int) - raster.pixels[seen]).max()), 1)

    def test_it_is_seen_through_losses_in_saving(self):
        for times in (3, 4):
            large = Image.fromarray(enlarged(grey_raster(RING), times).pixels).convert("RGB")
            saved = Image.open(io.BytesIO(encoded(large, "JPEG", quality=75))).convert("RGBA")
            self.assertEqual(squares_of(Raster(np.asarray(saved))).size, times)

    def test_other_pictures_have_no_squares(self):
        smooth = Image.fromarray(grey_raster(RING).pixels).resize((400, 400), Image.Resampling.BICUBIC)
        self.assertEqual(squares_of(Raster(np.asarray(smooth))).size, 1)
        self.assertEqual(squares_of(grey_raster(RING)).size, 1)
        plain = np.full((400, 400, 4), 255, np.uint8)
        plain[80:240, 160:320, :3] = 0  # all its edges lie on multiples of eighty
        self.assertEqual(squares_of(Raster(plain)).size, 1)

    @settings(max_examples=12, deadline=None)
    @given(width=st.integers(130, 900), how=st.sampled_from(("middle", "corner")))
    def test_squares_of_any_size_are_told(self, width, how):
        small = grey_raster(RING).pixels
        at = np.arange(width)
        shown = (2 * at + 1) * 100 // (2 * width) if how == "middle" else at * 100 // width
        large = Raster(np.ascontiguousarray(small[shown][:, shown]))
        if width % 50 == 0:  # whole and half sizes look alike by either rule
            return
        squares = squares_of(large)
        self.assertEqual((squares.across, squares.down), (100, 100))
        np.testing.assert_array_equal(single_pixels(large, squares).pixels, small)

    def test_a_lattice_of_fine_lines_is_not_made_of_squares(self):
        lattice = np.full((900, 900), 255, np.uint8)
        lattice[::30], lattice[:, ::30] = 0, 0
        raster = Raster(np.dstack([lattice, lattice, lattice, np.full_like(lattice, 255)]))
        self.assertFalse(squares_of(raster).is_enlarged)

    def test_a_code_keeps_its_squares_and_its_corners(self):
        code = np.pad(np.random.default_rng(4).integers(0, 2, (29, 29)).astype(np.float32), 4)
        large = enlarged(grey_raster(code), 8)
        squares = squares_of(large)
        self.assertTrue(squares.meant and not squares.is_enlarged)
        _, work = worked(png(large))
        traced = work.artworks["a1"].trace.value.kept_regions
        self.assertAlmostEqual(sum(one.area() for one in traced), code.sum() * (80 / 37) ** 2, delta=0.001 * 80**2)


class StationsTest(unittest.TestCase):
    def test_its_outlines_are_those_of_the_small_picture_until_the_squares_are_meant(self):
        _, small = worked(png(grey_raster(RING)))
        large = png(enlarged(grey_raster(RING), 4))
        ticket, work = worked(large)
        shapes = lambda work: [s.shape.region for s in work.artworks["a1"].trace.value.shapes]  # noqa: E731
        (own,), (expected,) = shapes(work), shapes(small)
        self.assertAlmostEqual(own.area(), expected.area(), delta=0.01 * expected.area())
        self.assertEqual(sum(map(len, own.rings)), 8)
        artwork = next(s for s in stations(ticket, work) if s.key == "artwork")
        note = next(n for n in artwork.notes if "enlarged 4 times" in n.text)
        _, blocky = worked(large, *note.mends[0].changes)
        self.assertGreater(sum(len(ring) for region in shapes(blocky) for ring in region.rings), 60)
