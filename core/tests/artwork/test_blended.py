"""Pictures that were enlarged smoothly are known, and traced as what they were made of."""

import hashlib
import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from nibble_core.artwork.blended import blend_of, unblended
from nibble_core.graphics import Raster
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply, first_ticket
from tests.pictures import coverage, disc, encoded, grey_raster

SIDE = 120
TWO_RINGS = coverage(disc(52, 47, 38), SIDE) - coverage(disc(49, 50, 17), SIDE) + coverage(disc(98, 96, 14), SIDE)
BY_PILLOW = {
    "linear": Image.Resampling.BILINEAR, "cubic": Image.Resampling.BICUBIC, "Lanczos": Image.Resampling.LANCZOS,
}  # fmt: skip


def enlarged(raster: Raster, width: int, height: int, kernel: str) -> Raster:
    if kernel == "sharp cubic":
        large = cv2.resize(raster.pixels, (width, height), interpolation=cv2.INTER_CUBIC)
        return Raster(np.asarray(large, np.uint8))
    return Raster(np.asarray(Image.fromarray(raster.pixels).resize((width, height), BY_PILLOW[kernel])))


def saved(raster: Raster, form: str = "PNG", **how: int) -> bytes:
    return encoded(Image.fromarray(raster.pixels).convert("RGB"), form, **how)


def worked(content: bytes, *changes: Change):
    name = "rings.jpg" if content[:2] == b"\xff\xd8" else "rings.png"
    ticket = first_ticket(name="s", file=hashlib.sha256(content).hexdigest(), file_name=name, width=60)
    ticket = apply(ticket, changes)
    return ticket, work_out(ticket, lambda _: content, MemoryStore())


class BlendTest(unittest.TestCase):
    @settings(max_examples=12, deadline=None)
    @given(
        times=st.floats(1.8, 6), kernel=st.sampled_from([*BY_PILLOW, "sharp cubic"]), down=st.integers(100, SIDE),
        ink=st.integers(0, 120),
    )  # fmt: skip
    def test_the_picture_that_was_enlarged_comes_back(self, times, kernel, down, ink):
        grey = 255 - (255 - ink) * TWO_RINGS[:down]
        small = Raster(np.dstack([np.rint(grey)] * 3 + [np.full(grey.shape, 255)]).astype(np.uint8))
        large = enlarged(small, round(times * SIDE), round(times * down), kernel)
        blend = blend_of(large)
        self.assertEqual((blend.across, blend.down), (SIDE, down))
        off = np.abs(unblended(large, blend).pixels.astype(int) - small.pixels)[3:-3, 3:-3]
        self.assertLess(off.mean(), 0.5)
        self.assertLess(float(np.quantile(off, 0.99)), 8)

    def test_other_pictures_are_taken_as_they_are(self):
        crisp = coverage(disc(260, 235, 190), 600) - coverage(disc(245, 250, 85), 600)
        on_a_grid = np.zeros((600, 600), np.float32)
        on_a_grid[60:300, 90:480] = on_a_grid[240:540, 180:360] = 1  # all edges at multiples of thirty
        cv2.circle(on_a_grid, (420, 420), 60, 1, -1)
        noise = np.random.default_rng(5).normal(0, 4 / 255, (600, 600))
        for blur in (0.9, 2.0):
            for name, drawn in (("crisp", crisp), ("on a grid", on_a_grid)):
                soft = cv2.GaussianBlur(drawn.astype(np.float32), (0, 0), blur)
                with self.subTest(name, blur=blur):
                    self.assertIsNone(blend_of(grey_raster(soft)))
                    self.assertIsNone(blend_of(grey_raster(np.clip(soft + noise, 0, 1))))
        self.assertIsNone(blend_of(grey_raster(crisp)))

    def test_straight_sides_that_go_with_several_numbers_are_not_guessed_at(self):
        plain = np.full((128, 128, 4), 255, np.uint8)
        plain[21:97, 33:101, :3] = 0
        for times in (2.0, 2.6, 3.0):
            side = round(times * 128)
            self.assertIsNone(blend_of(enlarged(Raster(plain), side, side, "cubic")))


class StationsTest(unittest.TestCase):
    def test_its_true_pixels_are_traced_until_all_are_asked_for(self):
        _, small = worked(saved(grey_raster(TWO_RINGS)))
        large = saved(enlarged(grey_raster(TWO_RINGS), 312, 312, "cubic"), "JPEG", quality=85)
        ticket, work = worked(large)
        regions = lambda work: [s.shape.region for s in work.artworks["a1"].trace.value.shapes]  # noqa: E731
        for made, true in zip(regions(work), regions(small), strict=True):
            self.assertAlmostEqual(made.area(), true.area(), delta=0.002 * true.area())
            self.assertEqual(sum(map(len, made.rings)), sum(map(len, true.rings)))
        artwork = next(s for s in stations(ticket, work) if s.key == "artwork")
        note = next(n for n in artwork.notes if "enlarged 2.6 times" in n.text)
        _, all_of_it = worked(large, *note.mends[0].changes)
        self.assertEqual(all_of_it.artworks["a1"].cleaned.value.raster.width, 312)
        self.assertEqual(work.artworks["a1"].cleaned.value.raster.width, SIDE)

    def test_all_its_pixels_are_printed_where_the_lines_lie(self):
        large = saved(enlarged(grey_raster(TWO_RINGS), 333, 333, "linear"))
        cropped = (Change("artworks/a1/crop/left", 0.0708), Change("artworks/a1/crop/top", 0.0295))
        other_ground = Change("artworks/a1/clean/background", "one colour")
        for prints, changes in (
            ("the artwork", ()),
            ("the artwork", cropped),
            ("the artwork", (*cropped, other_ground)),
            ("the client’s pixels", cropped),
        ):
            with self.subTest(prints, changes=len(changes)):
                _, work = worked(large, Change("pieces/p1/layers/l1/prints", prints), *changes)
                (item,) = work.layers["l1"].print_laid.value.items
                trace = work.artworks["a1"].trace.value
                self.assertGreater(item.raster.width, 300)
                self.assertAlmostEqual(item.height, trace.height, delta=1e-6)
                ink = (255 - item.raster.over_white()[..., 0].astype(float)) / 255
                px = item.width / item.raster.width
                self.assertAlmostEqual(ink.sum() * px * px, sum(r.area() for r in trace.kept_regions), delta=4)
                rows, columns = np.nonzero(ink > 0.5)
                box = [one.bounds() for one in trace.kept_regions]
                high = item.height / item.raster.height
                self.assertAlmostEqual(columns.min() * px, min(one.left for one in box), delta=0.7 * px)
                self.assertAlmostEqual(rows.min() * high, min(one.top for one in box), delta=0.7 * px)
                self.assertAlmostEqual((columns.max() + 1) * px, max(one.right for one in box), delta=0.7 * px)
                self.assertAlmostEqual((rows.max() + 1) * high, max(one.bottom for one in box), delta=0.7 * px)


if __name__ == "__main__":
    unittest.main()
