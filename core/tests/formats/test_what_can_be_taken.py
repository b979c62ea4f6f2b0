"""Files that were refused, or taken wrongly, though libraries at hand read them."""

import gzip
import io
import logging
import tempfile
import unittest
from decimal import Decimal
from pathlib import Path

import cv2
import ezdxf
import numpy as np
import pikepdf
import pypdfium2
from PIL import Image, ImageDraw

from nibble_core.errors import NibbleError
from nibble_core.formats.dxf_reader import read_dxf
from nibble_core.formats.pdf_drawing import read_pdf
from nibble_core.formats.pixels import read_picture
from nibble_core.graphics import Shape
from nibble_core.graphics.rendering import rendered
from nibble_core.pipeline.read import inspect

FLOAT_CODES = {*range(10, 60), *range(110, 150), *range(210, 240)}


def picture() -> Image.Image:
    made = Image.new("RGB", (160, 90), (240, 235, 220))
    ImageDraw.Draw(made).ellipse((30, 20, 130, 70), fill=(20, 60, 120))
    return made


def dxf(draw, **options) -> bytes:
    document = ezdxf.new("R2000")
    document.units = 4
    draw(document.modelspace())
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.dxf"
        document.saveas(path, **options)
        return path.read_bytes()


class DamagedTest(unittest.TestCase):
    def test_what_is_damaged_in_its_head_is_refused_in_words(self):
        packed = gzip.compress(b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0h9v9z"/></svg>' * 20)
        stream = io.BytesIO()
        picture().save(stream, "AVIF")
        avif = bytearray(stream.getvalue())
        at = avif.index(b"av1C") + 4
        avif[at : at + 4] = b"\xff\xff\xff\xff"
        broken = bytes(packed[:14]) + bytes(255 - one for one in packed[14:30]) + packed[30:]
        files = [("a.svgz", broken), ("b.svgz", packed[:20]), ("c.avif", bytes(avif))]
        for box in ([0, 0, 0, 0], [5, 5, 5, 90], [0, 0, 1e30, 1e30], [3, 3, 3, 3]):
            document = pikepdf.new()
            document.add_blank_page(page_size=(100, 100))
            page = document.pages[0].obj
            page.Contents = document.make_stream(b"0 0 50 50 re f")
            page.MediaBox = pikepdf.Array([Decimal(str(value)) for value in box])
            out = io.BytesIO()
            document.save(out)
            files.append((f"{box}.pdf", out.getvalue()))
        for name, content in files:
            with self.subTest(name), self.assertRaises(NibbleError):
                inspect(content, name)


class PixelsTest(unittest.TestCase):
    def test_newer_picture_files_open(self):
        for name, kind in (("AVIF", "AVIF"), ("JPEG2000", "JPEG 2000")):
            stream = io.BytesIO()
            picture().save(stream, name)
            with self.subTest(name):
                found = read_picture(stream.getvalue())
                self.assertEqual(found.kind, kind)
                off = np.abs(found.raster.over_white().astype(int) - np.asarray(picture()))
                self.assertLess(off.mean(), 6)

    def test_a_torn_one_is_refused_in_words(self):
        for name in ("AVIF", "JPEG2000"):
            stream = io.BytesIO()
            picture().save(stream, name)
            with self.subTest(name), self.assertRaises(NibbleError):
                read_picture(stream.getvalue()[: len(stream.getvalue()) // 3])

    def test_levels_with_a_fraction_are_no_flat_colour(self):
        grey = np.asarray(picture().convert("L")).astype(np.float32)
        for scale in (1 / 255, 1.0, 40.0):
            stream = io.BytesIO()
            Image.fromarray(grey * scale).save(stream, "TIFF")
            done, content = cv2.imencode(".tif", np.asarray(picture())[..., ::-1].astype(np.float32) * scale)
            self.assertTrue(done)
            for name, tiff in (("grey", stream.getvalue()), ("colour", content.tobytes())):
                with self.subTest(name, scale=scale):
                    found = read_picture(tiff).raster.over_white()
                    wanted = np.asarray(picture().convert("L") if name == "grey" else picture())
                    shown = found[..., 0] if name == "grey" else found
                    top = 1 if scale * 240 <= 255 else 255 / wanted.max()
                    self.assertLess(np.abs(shown - wanted * top).max(), 2)


class DxfTest(unittest.TestCase):
    def test_a_binary_file_is_read_like_a_plain_one(self):
        draw = lambda space: (space.add_circle((20, 20), 7.5), space.add_line((0, 0), (41.25, 3)))  # noqa: E731
        plain, binary = read_dxf(dxf(draw)), read_dxf(dxf(draw, fmt="bin"))
        self.assertEqual((binary.drawing.width, binary.drawing.height), (plain.drawing.width, plain.drawing.height))
        self.assertEqual(len(binary.drawing.shapes), 2)
        with self.assertRaises(NibbleError):
            read_dxf(dxf(draw, fmt="bin")[:900])

    def test_decimal_commas_keep_their_fractions_and_words_their_commas(self):
        content = dxf(lambda space: (space.add_circle((20.5, 20), 2.5), space.add_lwpolyline([(0, 0), (40.5, 0.25)]),
                                     space.add_text("1,5 mm")))  # fmt: skip
        lines = content.decode().split("\n")
        for k in range(0, len(lines) - 1, 2):
            if lines[k].strip().isdigit() and int(lines[k]) in FLOAT_CODES:
                lines[k + 1] = lines[k + 1].replace(".", ",")
        logged = []
        handler = logging.Handler()
        handler.emit = logged.append
        logging.getLogger("ezdxf").addHandler(handler)
        self.addCleanup(logging.getLogger("ezdxf").removeHandler, handler)
        found = read_dxf("\n".join(lines).encode())
        self.assertAlmostEqual(found.drawing.width, 40.5, delta=1e-6)
        circle = next(shape for shape in found.drawing.shapes if shape.path.closed)
        self.assertAlmostEqual(circle.bounds().width, 5.0, delta=1e-6)
        self.assertEqual([one.text for one in found.lettering], ["1,5 mm"])
        self.assertIn("decimal commas", " ".join(found.notes))
        self.assertEqual(logged, [])

    def test_polylines_with_a_width_cover_it(self):
        found = read_dxf(dxf(lambda space: space.add_lwpolyline([(0, 0), (40, 0)], dxfattribs={"const_width": 3})))
        (stroke,) = found.drawing.shapes
        self.assertAlmostEqual(stroke.width, 3.0)
        taper = read_dxf(dxf(lambda space: space.add_lwpolyline([(0, 0, 2, 6), (40, 0, 6, 6)], format="xyse")))
        (shape,) = taper.drawing.shapes
        self.assertAlmostEqual(shape.region.area(), 160.0, delta=0.1)

    def test_a_hatch_pattern_is_its_lines(self):
        def draw(space):
            hatch = space.add_hatch()
            hatch.set_pattern_fill("ANSI31", scale=1.0)
            hatch.paths.add_polyline_path([(0, 0), (40, 0), (40, 30), (0, 30)], is_closed=True)

        found = read_dxf(dxf(draw)).drawing.shapes
        self.assertGreater(len(found), 8)
        self.assertFalse(any(isinstance(one, Shape) for one in found))

    def test_a_circle_without_radius_widens_nothing(self):
        def draw(space):
            space.add_lwpolyline([(0, 0), (40, 0), (40, 40)], close=True)
            space.add_circle((500, 20), 0)
            space.add_line((900, 9), (900, 9))

        found = read_dxf(dxf(draw))
        self.assertAlmostEqual(found.drawing.width, 40.0)


GLYPHS = {
    97: b"1000 0 0 0 750 750 d1 0 0 750 750 re f",
    98: b"900 0 d0 0 0 m 375 750 l 750 0 l f q 1 0 0 rg 250 80 250 200 re f Q",
}


def type3(shown: bytes) -> bytes:
    with pikepdf.new() as pdf:
        page = pdf.add_blank_page(page_size=(300, 160))
        font = pikepdf.Dictionary(
            Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type3, FontBBox=[0, 0, 750, 750],
            FontMatrix=[0.001, 0, 0, 0.001, 0, 0], FirstChar=97, LastChar=98, Widths=[1000, 900],
            Encoding=pikepdf.Dictionary(Differences=[97, pikepdf.Name.sq, pikepdf.Name.tr]),
            CharProcs=pikepdf.Dictionary(sq=pdf.make_stream(GLYPHS[97]), tr=pdf.make_stream(GLYPHS[98])),
        )  # fmt: skip
        page.obj.Resources = pikepdf.Dictionary(Font=pikepdf.Dictionary(T3=pdf.make_indirect(font)))
        page.obj.Contents = pdf.make_stream(shown)
        out = io.BytesIO()
        pdf.save(out)
        return out.getvalue()


class PdfTest(unittest.TestCase):
    def test_standard_fonts_need_not_be_in_the_file(self):
        with pikepdf.new() as pdf:
            page = pdf.add_blank_page(page_size=(260, 140))
            font = pikepdf.Dictionary(
                Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name.Helvetica
            )
            page.obj.Resources = pikepdf.Dictionary(Font=pikepdf.Dictionary(F1=font))
            page.obj.Contents = pdf.make_stream(b"BT /F1 40 Tf 20 60 Td (HI) Tj ET")
            out = io.BytesIO()
            pdf.save(out)
        found = read_pdf(out.getvalue())
        self.assertEqual((len(found.drawing.shapes), found.lettering), (2, ()))
        self.assertIn("not in the file", " ".join(found.notes))

    def test_letters_that_are_drawings_are_drawn_where_another_reader_paints_them(self):
        for shown in (
            b"BT /T3 40 Tf 20 90 Td (ab) Tj 1 0 0 1 20 30 Tm 2 Tc 120 Tz [(a) -300 (b)] TJ ET 200 10 30 9 re f",
            b"0.5 0 0 0.5 30 20 cm 0 0.5 0 rg BT /T3 60 Tf 70 TL 0.9 0.3 -0.3 0.9 60 120 Tm (ba) Tj (ab) ' 5 Ts (a) "
            b"Tj ET",
        ):
            with self.subTest(shown):
                content = type3(shown)
                wanted = np.asarray(pypdfium2.PdfDocument(content)[0].render(scale=2).to_pil().convert("RGB")).astype(
                    int
                )
                ours = rendered(read_pdf(content).drawing, wanted.shape[1]).over_white().astype(int)
                off = np.abs(ours[: wanted.shape[0]] - wanted).max(2) > 100
                self.assertLess(off.mean(), 0.003)
