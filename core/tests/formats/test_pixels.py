"""Client pictures of every kind, and every way a file can be wrong."""

import io
import struct
import unittest
import zlib

import numpy as np
from PIL import Image, ImageDraw

from nibble_core.errors import FileTooLarge, MislabelledFile, UnreadableFile
from nibble_core.formats.pixels import read_picture, write_png
from nibble_core.pipeline.read import inspect
from tests.pictures import badge_png, encoded

PICTURE = Image.new("RGB", (40, 30), (200, 40, 30))
PICTURE.putpixel((0, 0), (255, 255, 255))


def png_header(width: int, height: int) -> bytes:
    """A PNG that promises a size it does not hold."""
    chunk = lambda kind, data: struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))  # noqa: E731
    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(b"\0" * 64)) + chunk(b"IEND", b"")
    )


class ReadTest(unittest.TestCase):
    def test_every_kind_comes_in_with_its_size_and_colours(self):
        for kind, name in (
            ("PNG", "a.png"),
            ("JPEG", "a.jpg"),
            ("WEBP", "a.webp"),
            ("BMP", "a.bmp"),
            ("GIF", "a.gif"),
            ("TIFF", "a.tif"),
        ):
            with self.subTest(kind):
                options = {"lossless": True} if kind == "WEBP" else {}
                read = read_picture(encoded(PICTURE, kind, **options), name)
                self.assertEqual((read.raster.width, read.raster.height), (40, 30))
                self.assertLess(np.abs(read.raster.pixels[20, 20].astype(int) - [200, 40, 30, 255]).max(), 6)

    def test_alpha_is_kept_and_written_again(self):
        picture = Image.new("RGBA", (20, 20), (10, 200, 30, 128))
        raster = read_picture(encoded(picture, "PNG")).raster
        self.assertTrue(raster.is_see_through)
        np.testing.assert_array_equal(read_picture(write_png(raster)).raster.pixels, raster.pixels)

    def test_a_turned_photo_is_set_upright(self):
        exif = Image.Exif()
        exif[0x0112] = 6
        read = read_picture(encoded(PICTURE, "JPEG", exif=exif), "photo.jpg")
        self.assertEqual((read.raster.width, read.raster.height), (30, 40))
        self.assertTrue(any("upright" in note for note in read.notes))

    def test_conversions_are_noted(self):
        deep = Image.fromarray(np.linspace(0, 65535, 400).reshape(20, 20).astype(np.uint16))
        read = read_picture(encoded(deep, "PNG"), "deep.png")
        self.assertTrue(any("16 bit" in note for note in read.notes))
        self.assertEqual(int(read.raster.pixels[-1, -1, 0]), 255)
        self.assertTrue(any("CMYK" in note for note in read_picture(encoded(PICTURE.convert("CMYK"), "JPEG")).notes))
        frames = encoded(PICTURE, "GIF", save_all=True, append_images=[PICTURE.rotate(90), PICTURE.rotate(180)])
        self.assertTrue(any("frames" in note for note in read_picture(frames, "moving.gif").notes))
        pages = encoded(PICTURE, "TIFF", save_all=True, append_images=[PICTURE.rotate(90)])
        self.assertTrue(any("2 pages" in note for note in read_picture(pages).notes))

    def test_stated_resolution_is_read(self):
        self.assertAlmostEqual(read_picture(encoded(PICTURE, "PNG", dpi=(300, 300))).stated_ppi, 300, delta=0.5)
        self.assertIsNone(read_picture(encoded(PICTURE, "PNG")).stated_ppi)


class RefusalTest(unittest.TestCase):
    """Each with a sentence and a way out; how fast is a matter of the benchmarks."""

    def refused(self, content: bytes, name: str, kind: type = UnreadableFile) -> UnreadableFile:
        with self.assertRaises(kind) as caught:
            read_picture(content, name)
        self.assertTrue(caught.exception.message and caught.exception.what_to_do)
        return caught.exception

    def test_empty(self):
        self.assertIn("empty", self.refused(b"", "logo.png").message)

    def test_cut_short_anywhere(self):
        for kind, name in (
            ("PNG", "a.png"),
            ("JPEG", "a.jpg"),
            ("WEBP", "a.webp"),
            ("TIFF", "a.tif"),
            ("BMP", "a.bmp"),
        ):
            whole = encoded(Image.effect_noise((200, 200), 80).convert("RGB"), kind)
            for share in (0.02, 0.3, 0.7):
                with self.subTest(kind, share=share):
                    self.refused(whole[: int(len(whole) * share)], name)

    def test_other_things_in_a_picture_s_clothes(self):
        for content in (b"<html><script>alert(1)</script></html>", b"%PDF-1.7\n", b"PK\x03\x04rest", b"just words"):
            with self.subTest(content):
                self.refused(content, "logo.png", MislabelledFile)
        self.assertIn("JPEG", self.refused(encoded(PICTURE, "JPEG"), "logo.png", MislabelledFile).message)
        self.refused(b"<svg xmlns='http://www.w3.org/2000/svg'/>", "logo.svg")

    def test_a_bomb_is_refused_before_it_is_decoded(self):
        self.assertIn("60,000 × 60,000", self.refused(png_header(60_000, 60_000), "huge.png", FileTooLarge).message)
        self.refused(png_header(3000, 3000), "lying.png")

    def test_garbage_after_a_true_beginning(self):
        whole = badge_png()
        rng = np.random.default_rng(5)
        for _ in range(40):
            spoilt = bytearray(whole)
            for at in rng.integers(8, len(whole), 12):
                spoilt[at] = rng.integers(256)
            try:
                read_picture(bytes(spoilt), "a.png")
            except UnreadableFile as error:
                self.assertTrue(error.what_to_do)


class LargeTest(unittest.TestCase):
    def test_forty_megabytes_under_a_hundred_megapixels_are_taken_with_a_note(self):
        noise = np.random.default_rng(1).integers(0, 256, (3900, 3600, 3), np.uint8)
        content = io.BytesIO()
        Image.fromarray(noise).save(content, "BMP")
        self.assertGreater(len(content.getvalue()), 40_000_000)
        read = read_picture(content.getvalue(), "poster.bmp")
        self.assertTrue(any("MB" in note for note in read.notes))


class TrueProportions(unittest.TestCase):
    def test_a_fax_with_oblong_pixels_is_drawn_out(self):
        image = Image.new("1", (408, 196), 1)
        ImageDraw.Draw(image).rectangle((102, 49, 305, 146), fill=0)
        stream = io.BytesIO()
        image.save(stream, "TIFF", compression="group4", dpi=(204, 98))
        picture = inspect(stream.getvalue(), "fax.tif")
        self.assertEqual((picture.raster.width, picture.raster.height), (408, 408))
        self.assertAlmostEqual(picture.own_width, 50.8, delta=0.01)
        self.assertIn("oblong", " ".join(picture.notes))
        ink = picture.raster.grey() < 0.5
        self.assertAlmostEqual(ink.any(1).sum(), ink.any(0).sum(), delta=3)

    def test_a_page_that_holds_one_scan_keeps_its_size(self):
        image = Image.new("RGB", (600, 400), "white")
        ImageDraw.Draw(image).ellipse((100, 50, 500, 350), fill="navy")
        stream = io.BytesIO()
        image.save(stream, "PDF", resolution=300)
        picture = inspect(stream.getvalue(), "scan.pdf")
        self.assertTrue(picture.placed)
        self.assertAlmostEqual(picture.own_width, 50.8, delta=0.05)
