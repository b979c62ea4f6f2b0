"""How a picture was made is told from its pixels, and its outlines follow the drawing and not the making."""

import hashlib
import io
import math
import unittest

import cv2
import numpy as np
from PIL import Image, ImageFilter

from nibble_core.geometry import Path
from nibble_core.graphics import Raster
from nibble_core.graphics.coverage import covered
from nibble_core.graphics.light import to_level
from nibble_core.pipeline.making_words import saved_before
from nibble_core.pipeline.read import inspect
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.trace import IN_LIGHT, traced_raster
from nibble_core.pipeline.try_outs import try_outs
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import apply, first_ticket
from nibble_core.ticket.artwork import Trace
from nibble_core.tracing.deviation import distances, evenly
from nibble_core.tracing.making import level_in_light, making_of
from tests.pictures import encoded

WIDE = 240


def turned(count: int, degrees: float, middle: tuple[float, float], reach: float) -> Path:
    first = math.radians(degrees)
    corners = [first + 2 * math.pi * k / count for k in range(count)]
    ring = Path.polygon([(middle[0] + reach * math.cos(a), middle[1] + reach * math.sin(a)) for a in corners])
    return ring if ring.area() > 0 else ring.reversed()


DRAWN = (turned(4, 45.7, (66.3, 64.1), 60), turned(6, 1.3, (176.2, 70.4), 50), Path.circle(120.2, 180.3, 48))


def shares(times: float = 1.0) -> np.ndarray:
    """Ink of each pixel by exact coverage, so many times as large."""
    size = round(WIDE * times)
    rings = [np.asarray(ring.flattened(0.002)) * times for ring in DRAWN]
    return np.asarray(covered(rings, size, size), float)


def picture(levels: np.ndarray) -> Raster:
    grey = np.clip(np.rint(levels), 0, 255).astype(np.uint8)
    return Raster(np.dstack([grey, grey, grey, np.full_like(grey, 255)]))


def hard(times: int) -> np.ndarray:
    return np.where(shares(times) > 0.5, 0.0, 255.0)


def sharpened(percent: int) -> np.ndarray:
    crisp = Image.fromarray(picture(255 * (1 - shares())).pixels[..., 0])
    return np.asarray(crisp.filter(ImageFilter.UnsharpMask(1.2, percent, 0)), float)


def in_light() -> np.ndarray:
    return 255 * np.vectorize(to_level)(1 - shares())


def reduced(times: int) -> np.ndarray:
    return np.asarray(cv2.resize(hard(times), (WIDE, WIDE), interpolation=cv2.INTER_AREA))


def enlarged_smoothly() -> np.ndarray:
    return np.asarray(cv2.resize(255 * (1 - shares()), None, fx=3, fy=3, interpolation=cv2.INTER_CUBIC))


def fringed() -> Raster:
    """Each colour of a pixel from its own third, evened over five thirds."""
    size = WIDE
    wide = covered([np.asarray(r.flattened(0.002)) * [3, 1] for r in DRAWN], 3 * size, size)
    even = cv2.filter2D(255.0 * (1 - np.asarray(wide, float)), -1, np.array([[1, 2, 3, 2, 1]]) / 9)
    rgb = np.clip(np.rint(even.reshape(size, size, 3)), 0, 255).astype(np.uint8)
    return Raster(np.dstack([rgb, np.full((size, size), 255, np.uint8)]))


def jpeg(levels: np.ndarray, quality: int) -> Raster:
    """As it is read again."""
    stream = io.BytesIO()
    Image.fromarray(picture(levels).pixels).convert("RGB").save(stream, "JPEG", quality=quality)
    return Raster(np.asarray(Image.open(stream).convert("RGBA")))


def png(raster: Raster) -> bytes:
    stream = io.BytesIO()
    Image.fromarray(raster.pixels).save(stream, "PNG")
    return stream.getvalue()


def worked(content: bytes):
    ticket = first_ticket(name="m", file=hashlib.sha256(content).hexdigest(), file_name="m.png", width=80)
    return ticket, work_out(ticket, lambda _: content, MemoryStore())


WAYS = {
    "crisp": (lambda: picture(255 * (1 - shares())), 0.01),
    "without greys": (lambda: picture(hard(1)), 0.12),
    "in steps": (lambda: picture(reduced(2)), 0.04),
    "sharpened": (lambda: picture(sharpened(150)), 0.06),
    "soft": (lambda: picture(enlarged_smoothly()), 0.02),
}


class EdgesTest(unittest.TestCase):
    def rings(self, raster: Raster, mode: str = "two-tone", **options) -> list[Path]:
        drawing, _ = traced_raster(raster, Trace(mode=mode, **options), float(WIDE))
        return [
            ring.as_cubics() for shape in drawing.shapes for ring in shape.region.rings if shape.colour != (255,) * 3
        ]

    def off(self, rings: list[Path]) -> float:
        made = [evenly(ring.flattened(0.01), 0.5) for ring in rings]
        return float(distances(np.vstack(made), [ring.flattened(0.01) for ring in DRAWN]).mean())

    def test_each_way_is_told_and_takes_the_nodes_of_the_drawing(self):
        for edges, (drawn, allowed) in WAYS.items():
            with self.subTest(edges):
                raster = drawn()
                self.assertEqual(making_of(raster).edges, edges)
                rings = self.rings(raster)
                self.assertEqual(len(rings), 3)
                self.assertLessEqual(sum(map(len, rings)), 15 if edges == "without greys" else 14)
                self.assertLess(self.off(rings), allowed)

    def test_colour_areas_follow_the_drawing_too(self):
        for edges, (drawn, allowed) in WAYS.items():
            with self.subTest(edges):
                rings = self.rings(drawn(), "colours")
                self.assertLessEqual(sum(map(len, rings)), 16)
                self.assertLess(self.off(rings), allowed + 0.03)

    def test_every_step_is_traced_where_it_is_meant(self):
        steps = self.rings(picture(hard(1)), making="every step is meant")
        self.assertGreater(sum(map(len, steps)), 45)

    def test_an_edge_lies_half_way_in_light_where_greys_were_mixed_in_it(self):
        light, grey = picture(in_light()), picture(255 * (1 - shares()))
        self.assertTrue(making_of(light).in_light)
        self.assertFalse(making_of(grey).in_light)
        self.assertLess(self.off(self.rings(light)), 0.01)
        self.assertGreater(self.off(self.rings(light, making="mixed in grey")), 0.15)
        self.assertGreater(self.off(self.rings(grey, making=IN_LIGHT)), 0.15)

    def test_a_picture_of_ink_alone_has_a_level_in_light_too(self):
        black = np.zeros((60, 60), np.float32)
        self.assertTrue(0 < level_in_light(black, 0.5) < 1)

    def test_fringes_of_a_screen_are_greys(self):
        raster = fringed()
        self.assertTrue(making_of(raster).fringed)
        self.assertLess(self.off(self.rings(raster)), 0.01)
        drawing, _ = traced_raster(raster, Trace(mode="colours"), float(WIDE))
        self.assertEqual(len({shape.colour for shape in drawing.shapes}), 2)

    def test_a_pasted_piece_is_judged_alone(self):
        both = np.concatenate([hard(1), 255 * (1 - shares())], 1)
        drawing, _ = traced_raster(picture(both), Trace(), 2.0 * WIDE)
        rings = [ring.as_cubics() for shape in drawing.shapes for ring in shape.region.rings]
        right = [ring for ring in rings if ring.rows[:, 0].mean() > WIDE]
        made = [evenly(ring.flattened(0.01), 0.5) - [WIDE, 0] for ring in right]
        self.assertLess(float(distances(np.vstack(made), [ring.flattened(0.01) for ring in DRAWN]).mean()), 0.01)
        self.assertLessEqual(sum(map(len, rings)), 30)

    def test_fine_detail_of_a_crisp_picture_is_no_making(self):
        teeth = [[(x, 20.3), (x, 60.2), (x + 4, 61.7), (x + 4, 20.3)] for x in range(10, 226, 9)]
        comb = Path.polygon([*(corner for tooth in teeth for corner in tooth), (235.0, 10.0), (5.0, 10.0)])
        raster = picture(255 * (1 - np.asarray(covered([comb.flattened(0.01)], WIDE, WIDE), float)))
        (path,) = self.rings(raster)
        self.assertGreaterEqual(len(path), 96)


class JpegGridTest(unittest.TestCase):
    def test_squares_of_eight_are_seen_after_saving_as_something_else_and_after_a_crop(self):
        crisp = 255 * (1 - shares())
        wavered = np.random.default_rng(3).normal(0, 2.0, crisp.shape)
        for quality in (50, 70, 85):
            saved = jpeg(crisp, quality)
            for raster in (saved, Raster(np.ascontiguousarray(saved.pixels[5:, 3:]))):
                self.assertTrue(making_of(raster).jpeg_grid, quality)
        for other in (crisp, sharpened(150), hard(1), reduced(2), in_light(), crisp + wavered):
            self.assertFalse(making_of(picture(other)).jpeg_grid)
        bars = np.full((240, 240), 255.0)
        bars[16:224:16] = bars[:, 24:216:24] = 240.0  # a drawing along every eighth line is none either
        self.assertFalse(making_of(picture(bars)).jpeg_grid)

    def test_what_was_saved_small_and_then_enlarged_says_so_and_offers_to_calm_it(self):
        small = jpeg(255 * (1 - shares()), 70)
        large = Image.fromarray(small.pixels).resize((600, 600), Image.Resampling.BICUBIC)
        ticket, work = worked(png(Raster(np.asarray(large))))
        artwork = next(station for station in stations(ticket, work) if station.key == "artwork")
        note = next(note for note in artwork.notes if "saved as JPEG before, at 240 × 240 px" in note.text)
        calmed = apply(ticket, note.mends[0].changes)
        self.assertEqual(calmed.artworks[0].clean.calm, "light")
        content = encoded(Image.fromarray(small.pixels).convert("RGB"), "JPEG", quality=80)
        read = inspect(content, "m.jpg")  # whose grid is its own
        self.assertEqual(saved_before(read.kind, read.facts, read.making), "")


class InkTest(unittest.TestCase):
    def test_a_two_tone_trace_is_one_ink_however_it_was_saved(self):
        thin = np.full((300, 300), 255, np.uint8)
        for k in range(6):
            cv2.line(thin, (20, 20 + 30 * k), (200, 30 + 30 * k), 0, k + 1, cv2.LINE_AA)
        cv2.circle(thin, (230, 230), 40, 0, -1, cv2.LINE_AA)
        stream = io.BytesIO()
        Image.fromarray(thin).save(stream, "JPEG", quality=40)
        raster = inspect(stream.getvalue(), "thin.jpg").raster
        for mode in ("two-tone", "centre-lines"):
            drawing, _ = traced_raster(raster, Trace(mode=mode), 100.0)
            self.assertGreater(len(drawing.shapes), 5)
            self.assertEqual(len({shape.colour for shape in drawing.shapes}), 1)

    def test_two_inks_stay_two(self):
        pixels = np.full((200, 200, 3), 255, np.uint8)
        cv2.circle(pixels, (60, 100), 40, (200, 20, 30), -1, cv2.LINE_AA)
        cv2.circle(pixels, (150, 100), 30, (20, 40, 160), -1, cv2.LINE_AA)
        raster = Raster(np.dstack([pixels, np.full((200, 200), 255, np.uint8)]))
        drawing, _ = traced_raster(raster, Trace(), 100.0)
        self.assertEqual({shape.colour for shape in drawing.shapes}, {(200, 20, 30), (20, 40, 160)})


class BenchTest(unittest.TestCase):
    def test_it_is_said_at_artwork_with_another_reading_and_tried_out(self):
        ticket, work = worked(png(picture(sharpened(150))))
        artwork = next(station for station in stations(ticket, work) if station.key == "artwork")
        note = next(note for note in artwork.notes if "sharpened" in note.text)
        self.assertEqual([change.value for mend in note.mends for change in mend.changes], ["every step is meant"])
        names = [setting.name for setting in try_outs(ticket.artworks[0], work)]
        self.assertIn("edges: every step is meant", names)
        plain, crisp = worked(png(picture(255 * (1 - shares()))))
        quiet = next(station for station in stations(plain, crisp) if station.key == "artwork")
        self.assertFalse([note for note in quiet.notes if note.where.endswith("trace/making")])
