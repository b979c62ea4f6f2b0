"""Drawings that flat shapes cannot say: shading, patterns, soft shadows, white that is meant; each loss is named."""

import io
import json
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import numpy as np
import pikepdf
from pikepdf import Dictionary, Name
from PIL import Image, ImageDraw

from nibble_core.cli import main
from nibble_core.formats.pdf_drawing import read_pdf
from nibble_core.geometry.regions import union
from nibble_core.graphics.stroking import region_of
from nibble_core.pipeline.read import inspect

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 120 80" width="120mm" height="80mm">'


def svg(body: str) -> bytes:
    return f"{HEAD}{body}</svg>".encode()


def covered(picture) -> float:
    """mm² of everything the drawing's shapes cover."""
    return union([region for shape in picture.drawing.drawing.shapes for region in region_of(shape)]).area


def trace(name: str, content: bytes, *options: str) -> tuple[int, dict, str]:
    """Exit code, the JSON line and what was said on standard error."""
    out, err = io.StringIO(), io.StringIO()
    with tempfile.TemporaryDirectory() as folder, redirect_stdout(out), redirect_stderr(err):
        file = Path(folder) / name
        file.write_bytes(content)
        code = main(["trace", str(file), *options, "-o", str(Path(folder) / "out.json")])
    return code, json.loads(out.getvalue() or "{}"), err.getvalue()


class SvgLooks(unittest.TestCase):
    def test_a_soft_shadow_is_no_shape_and_is_named_and_printed(self):
        body = (
            '<filter id="f"><feGaussianBlur stdDeviation="4"/></filter><circle cx="62" cy="43" r="24" opacity=".4" '
            'filter="url(#f)"/><circle cx="60" cy="40" r="20" fill="#26c"/>'
        )
        picture = inspect(svg(body), "a.svg")
        self.assertAlmostEqual(covered(picture), np.pi * 400, delta=1.3)
        self.assertIn("shadow", " ".join(picture.notes))
        soft = (picture.raster.alpha > 5) & (picture.raster.alpha < 120)
        self.assertGreater(soft.sum(), 5000)

    def test_shading_that_runs_out_ends_where_half_of_it_shows(self):
        body = (
            '<linearGradient id="g"><stop offset="0" stop-color="#f00"/><stop offset="1" stop-color="#f00" '
            'stop-opacity="0"/></linearGradient><rect x="10" y="10" width="100" height="60" fill="url(#g)"/>'
        )
        picture = inspect(svg(body), "a.svg")
        self.assertAlmostEqual(covered(picture), 50 * 60, delta=25)
        self.assertEqual(picture.drawing.drawing.shapes[0].colour, (255, 0, 0))

    def test_a_pattern_comes_as_what_it_paints(self):
        body = (
            '<pattern id="p" width="20" height="20" patternUnits="userSpaceOnUse"><circle cx="10" cy="10" r="6" '
            'fill="#080"/></pattern><rect width="120" height="80" fill="url(#p)"/>'
        )
        picture = inspect(svg(body), "a.svg")
        self.assertEqual(len(picture.drawing.drawing.shapes), 24)
        self.assertAlmostEqual(covered(picture), 24 * np.pi * 36, delta=24 * 1.5)

    def test_files_beside_it_are_never_looked_at(self):
        with tempfile.TemporaryDirectory() as folder:
            secret = Path(folder) / "secret.png"
            Image.new("RGB", (40, 40), (250, 0, 0)).save(secret)
            shade = '<linearGradient id="g"><stop stop-color="#00f"/></linearGradient>'
            body = f'{shade}<image href="{secret}" width="60" height="60"/>'
            picture = inspect(svg(f'{body}<rect x="70" width="9" height="9" fill="url(#g)"/>'), "a.svg")
        self.assertEqual(int(picture.raster.alpha[:, : picture.raster.width // 2].max()), 0)


class White(unittest.TestCase):
    CROSS = '<path d="M40 0h16v80h-16z" fill="#0a3a8a"/><path d="M0 32h120v16H0z" fill="#0a3a8a"/>'

    def test_a_flags_white_field_is_a_shape_and_a_logos_white_page_is_not(self):
        page = '<rect width="120" height="80" fill="#fff"/>'
        self.assertEqual(trace("flag.svg", svg(page + self.CROSS))[1]["regions"], 3)
        disc = '<circle cx="60" cy="40" r="30" fill="#0a3a8a"/><circle cx="60" cy="40" r="12" fill="#fff"/>'
        code, told, said = trace("logo.svg", svg(page + disc))
        self.assertEqual((code, told["regions"]), (0, 2))
        self.assertIn("--keep-paper", said)
        self.assertEqual(trace("logo.svg", svg(page + disc), "--keep-paper")[1]["regions"], 3)

    def test_a_white_drawing_on_clear_ground_is_traced_by_what_is_clear(self):
        image = Image.new("RGBA", (400, 300), (0, 0, 0, 0))
        ImageDraw.Draw(image).ellipse((60, 40, 340, 260), fill=(255, 255, 255, 255))
        stream = io.BytesIO()
        image.save(stream, "PNG")
        for mode in ("two-tone", "colours", "outer"):
            with self.subTest(mode):
                code, told, _ = trace("white.png", stream.getvalue(), "--mode", mode, "--width", "100mm")
                self.assertEqual((code, told["regions"]), (0, 1))

    def test_an_empty_result_is_refused(self):
        stream = io.BytesIO()
        image = Image.new("RGB", (300, 200), (255, 255, 255))
        ImageDraw.Draw(image).rectangle((50, 50, 200, 150), fill=(160, 160, 160))
        image.save(stream, "PNG")
        code, _, said = trace("grey.png", stream.getvalue(), "--threshold", "0.05")
        self.assertEqual(code, 2)
        self.assertIn("finds nothing", said)


class PdfLooks(unittest.TestCase):
    def page(self, content: str, pattern: bool = False) -> bytes:
        pdf = pikepdf.new()
        pdf.add_blank_page(page_size=(300, 200))
        run = Dictionary(FunctionType=2, Domain=[0, 1], C0=[1, 0, 0], C1=[1, 1, 0], N=1)
        shading = Dictionary(
            ShadingType=2, ColorSpace=Name.DeviceRGB, Coords=[0, 0, 300, 0], Function=run, Extend=[True, True]
        )
        resources = Dictionary(Shading=Dictionary(S=pdf.make_indirect(shading)))
        if pattern:
            own = Dictionary(Type=Name.Pattern, PatternType=2, Shading=pdf.make_indirect(shading))
            resources.Pattern = Dictionary(P=pdf.make_indirect(own))
        pdf.pages[0].obj.Resources = resources
        pdf.pages[0].obj.Contents = pdf.make_stream(content.encode())
        out = io.BytesIO()
        pdf.save(out)
        return out.getvalue()

    def test_shading_keeps_its_clip_as_outline_and_its_mean_colour(self):
        read = read_pdf(self.page("q 20 20 m 150 180 l 280 20 l h W n /S sh Q"))
        (shape,) = read.drawing.shapes
        self.assertAlmostEqual(shape.region.area(), 260 * 160 / 2 / 72**2 * 25.4**2, delta=1)
        red, green, blue = shape.colour
        self.assertTrue(red > 250 and 110 < green < 145 and blue < 8, shape.colour)
        self.assertIn("mean colour", " ".join(read.notes))

    def test_a_page_that_is_one_shading_draws_it(self):
        self.assertEqual(len(read_pdf(self.page("/S sh")).drawing.shapes), 1)

    def test_a_path_filled_with_a_pattern_shows_its_colour(self):
        read = read_pdf(self.page("/Pattern cs /P scn 0 20 30 160 re f 0 0 1 rg 130 90 40 20 re f", pattern=True))
        shaded, plain = read.drawing.shapes
        self.assertTrue(shaded.colour[0] > 240 and shaded.colour[1] < 40, shaded.colour)
        self.assertEqual(plain.colour, (0, 0, 255))
