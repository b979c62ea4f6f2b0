"""Clients' drawings: read as an independent renderer paints them, and hostile ones answered in words."""

import gzip
import io
import math
import unittest
import zipfile

import ezdxf
import ezdxf.bbox
import numpy as np
import pikepdf
import resvg_py
from ezdxf.colors import aci2rgb
from PIL import Image

from nibble_core.errors import FileTooLarge, NibbleError, NothingToTrace, UnreadableFile
from nibble_core.formats import package, pdf, svg
from nibble_core.formats.dxf_reader import read_dxf
from nibble_core.formats.pdf_drawing import read_pdf
from nibble_core.formats.registry import OUTLINE_FORMATS
from nibble_core.formats.svg_reader import read_svg
from nibble_core.geometry import ARC, Path, Region
from nibble_core.graphics import Drawing, Shape, Stroke
from nibble_core.graphics.rendering import rendered
from nibble_core.pipeline.read import inspect

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '


def svg_file(body: str, frame: str = 'width="40mm" height="30mm" viewBox="0 0 40 30"') -> bytes:
    return f"{HEAD}{frame}>{body}</svg>".encode()


def areas(drawing: Drawing) -> list[float]:
    return [round(shape.region.area(), 2) for shape in drawing.shapes if isinstance(shape, Shape)]


class SvgTest(unittest.TestCase):
    BODIES = (
        '<path d="M5 10a5 5 0 1120 0 5,5 0 01-20 0zM10 22h20v4H10Z"/>',
        '<g transform="translate(20 15) rotate(25) skewX(12)"><rect x="-9" y="-7" width="18" height="14" rx="3"/></g>',
        '<defs><symbol id="s" viewBox="0 0 10 10"><circle cx="5" cy="5" r="4"/></symbol></defs>'
        '<use xlink:href="#s" x="4" y="3" width="20" height="22"/>',
        "<style>.a{fill:none;stroke:#000;stroke-width:2;stroke-dasharray:5 2 1;stroke-dashoffset:3}</style>"
        '<path class="a" d="M4 24C14 0 26 30 36 6"/>',
        '<clipPath id="c"><circle cx="20" cy="15" r="10"/></clipPath><rect x="4" y="4" width="30" height="14"'
        ' clip-path="url(#c)"/>',
        '<path fill-rule="evenodd" d="M20 2L30 27L4 11H36L10 27Z"/>',
        '<path fill="none" stroke="#000" stroke-width="3" stroke-linejoin="round" stroke-linecap="square"'
        ' d="M6 24L20 6L33 22"/>',
    )

    def test_everything_lies_where_resvg_paints_it(self):
        for body in self.BODIES:
            with self.subTest(body[:40]):
                content = svg_file(body)
                png = bytes(resvg_py.svg_to_bytes(svg_string=content.decode(), dpi=20 * 25.4))
                theirs = np.asarray(Image.open(io.BytesIO(png)).convert("RGBA"))[..., 3].astype(int)
                ours = rendered(read_svg(content).drawing, 800).alpha.astype(int)
                self.assertEqual(ours.shape, theirs.shape)
                self.assertLess((np.abs(ours - theirs) > 60).mean(), 0.0004)

    def test_colours_layers_units_and_missing_fonts_are_told(self):
        read = read_svg(
            svg_file(
                '<g id="Cut lines"><rect x="1" y="1" width="10" height="5" style="fill:rgb(200,30,40)"/></g>'
                '<text x="3" y="20" font-family="Pierhead Sans, sans-serif">Boats <tspan>for hire</tspan></text>',
            )
        )
        self.assertEqual((round(read.drawing.width, 6), round(read.drawing.height, 6), read.has_unit), (40, 30, True))
        (shape,) = read.drawing.shapes
        self.assertEqual((shape.colour, shape.layer, areas(read.drawing)), ((200, 30, 40), "Cut lines", [50.0]))
        self.assertEqual(read.lettering[0].font, "Pierhead Sans")
        self.assertIn("for hire", read.lettering[0].text)

    def test_a_packed_svg_is_unpacked_within_limits(self):
        self.assertEqual(areas(read_svg(gzip.compress(svg_file(self.BODIES[0]))).drawing), [314.08, 80.0])
        with self.assertRaises(NibbleError):
            read_svg(gzip.compress(b"<svg>" + b" " * 300_000_000))

    def test_hostile_files_are_answered_in_words_and_fetch_nothing(self):
        bomb = "".join(
            f'<g id="a{k}">{f"<use xlink:href={chr(34)}#a{k - 1}{chr(34)}/>" * 10}</g>' for k in range(1, 12)
        )
        hostile = {
            "entities": b'<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]>'
            + svg_file("&b;"),
            "file": b'<!DOCTYPE svg [<!ENTITY a SYSTEM "file:///etc/passwd">]>' + svg_file("<text>&a;</text>"),
            "use bomb": svg_file(
                f'<defs><g id="a0"><rect width="1" height="1"/></g>{bomb}</defs><use xlink:href="#a11"/>'
            ),
            "nothing": svg_file("<g/>"),
            "no svg": b"<html><body/></html>",
            "broken": b"<svg><rect",
            "binary": bytes(range(256)) * 20,
        }
        for name, content in hostile.items():
            with self.subTest(name), self.assertRaises(NibbleError) as caught:
                inspect(content, "artwork.svg")
            self.assertTrue(str(caught.exception).endswith("."))
            self.assertNotIn("root:", str(caught.exception))
        itself = read_svg(svg_file('<g id="x"><rect width="3" height="3"/><use xlink:href="#x"/></g>'))
        self.assertLessEqual(len(itself.drawing.shapes), 2)
        outside = read_svg(
            svg_file(
                '<image xlink:href="http://127.0.0.1:9/a.png" width="5" height="5"/><script>alert(1)</script>'
                '<use xlink:href="other.svg#a"/><rect width="4" height="4"/>'
            )
        )
        self.assertEqual(len(outside.drawing.shapes), 1)

    def test_numbers_beyond_reason_cost_nothing(self):
        for data in ("M0 0LNaN 5L5 5Z", "M0 0L1e999 5L5 5Z", "M0 0L1e12 5L5 1e12Z", "M0 0", "M1 1L1 1Z"):
            with self.subTest(data):
                read = read_svg(svg_file(f'<rect width="9" height="9"/><path d="{data}"/>'))
                self.assertIn(81.0, areas(read.drawing))

    def test_what_nobody_sees_is_counted_and_left_out(self):
        picture = inspect(
            svg_file(
                '<rect width="40" height="30" fill="#fff"/><path d="M1 1h3v3z" fill="none"/>'
                '<rect x="90" width="5" height="5"/><rect x="8" y="8" width="3" height="3"/>'
                '<rect x="5" y="5" width="20" height="15" fill="#237"/>'
                '<circle cx="15" cy="12" r="4" fill="#c30"/><circle cx="15" cy="12" r="4" fill="#c30"/>'
            ),
            "a.svg",
        )
        told = dict(picture.leftovers)
        self.assertEqual(len(picture.drawing.drawing.shapes), 3)  # with the white page, which Trace leaves out
        self.assertEqual(sum(told.values()), 4)
        self.assertGreaterEqual(len(told), 4)


class DxfTest(unittest.TestCase):
    def document(self, unit: int = 4):
        document = ezdxf.new("R2010")
        document.header["$INSUNITS"] = unit
        return document, document.modelspace()

    def read(self, document, **options):
        stream = io.StringIO()
        document.write(stream)
        return read_dxf(stream.getvalue().encode(), "plan.dxf", **options)

    def test_loose_segments_become_closed_loops_and_bulges_arcs(self):
        document, space = self.document()
        for start, end in (((0, 0), (40, 0)), ((40, 20), (40.01, 0.005)), ((0, 20), (40, 20)), ((0, 20), (0, 0))):
            space.add_line(start, end)
        space.add_lwpolyline([(10, 8, 1), (20, 8, 1)], format="xyb", close=True)
        read = self.read(document)
        self.assertEqual([one.path.closed for one in read.drawing.shapes], [True, True])
        self.assertTrue(any((one.path.kinds == ARC).any() for one in read.drawing.shapes))
        box = max((one.bounds() for one in read.drawing.shapes), key=lambda b: b.right - b.left)
        self.assertAlmostEqual(box.right - box.left, 40.0, delta=0.05)

    def test_blocks_units_and_every_curve(self):
        document, space = self.document(unit=1)
        block = document.blocks.new("HOLE")
        block.add_circle((0, 0), 0.25)
        for x in (1, 2):
            space.add_blockref("HOLE", (x, 1), dxfattribs={"xscale": 2, "yscale": 2})
        space.add_ellipse((3, 3), (1, 0, 0), 0.5)
        space.add_spline([(0, 0, 0), (1, 2, 0), (3, 2, 0), (4, 0, 0)])
        read = self.read(document)
        self.assertEqual(len(read.drawing.shapes), 4)
        circles = sorted(one.bounds().right - one.bounds().left for one in read.drawing.shapes)[:2]
        np.testing.assert_allclose(circles, [25.4, 25.4], atol=0.05)

    def test_a_file_without_a_unit_is_as_large_as_it_is_said_to_be(self):
        document, space = self.document(unit=0)
        space.add_circle((0, 0), 10)
        self.assertFalse(self.read(document).has_unit)
        widths = [self.read(document, unit=unit).drawing.width for unit in ("mm", "cm", "in")]
        np.testing.assert_allclose(widths, [20, 200, 508], rtol=1e-3)

    def test_solids_and_nothing_are_said(self):
        document, space = self.document()
        space.add_3dsolid()
        with self.assertRaises(NothingToTrace) as caught:
            self.read(document)
        self.assertTrue(caught.exception.what_to_do)
        for content in (b"", b"0\nSECTION\n2\nENTITIES\n", b"AC1032" + bytes(300)):
            with self.assertRaises(NibbleError):
                read_dxf(content, "plan.dxf")

    def test_what_is_written_reads_back(self):
        ring = Shape(Region(Path.circle(20, 15, 10), (Path.circle(20, 15, 4).reversed(),)), (200, 30, 40))
        for key in ("dxf", "dxf-polylines", "dxf-r12"):
            content = OUTLINE_FORMATS[key].outlines(Drawing(40, 30, (ring,)))
            document = ezdxf.read(io.StringIO(content.decode()))
            space = document.modelspace()
            self.assertTrue(all(entity.is_closed for entity in space.query("LWPOLYLINE POLYLINE")))
            reached = ezdxf.bbox.extents(space)
            for told, found, true in (("$EXTMIN", reached.extmin, 0.0), ("$EXTMAX", reached.extmax, 20.0)):
                for k in (0, 1):
                    self.assertAlmostEqual(document.header[told][k], true, delta=0.011)
                    self.assertAlmostEqual(found[k], true, delta=0.011)
            (layer,) = {entity.dxf.layer for entity in space}
            self.assertEqual(layer, "#c81e28")
            self.assertLess(np.abs(np.subtract(aci2rgb(document.layers.get(layer).color), (200, 30, 40))).max(), 40)
            again = read_dxf(content, "again.dxf", unit="mm").drawing
            self.assertAlmostEqual(max(abs(one.path.area()) for one in again.shapes), math.pi * 100, delta=0.3)


class PdfTest(unittest.TestCase):
    DRAWING = Drawing(
        40, 30,
        (Shape(Region(Path.circle(20, 15, 10)), (200, 30, 40)),
         Stroke(Path.polygon([(5, 5), (35, 25)], closed=False), 2.0)),
    )  # fmt: skip

    def test_what_is_written_reads_back_at_true_size(self):
        read = read_pdf(pdf.write_drawing(self.DRAWING), "a.pdf")
        np.testing.assert_allclose([read.drawing.width, read.drawing.height], [40, 30], atol=0.01)
        disc = next(one for one in read.drawing.shapes if isinstance(one, Shape))
        self.assertAlmostEqual(disc.region.area(), math.pi * 100, delta=0.3)
        line = next(one for one in read.drawing.shapes if isinstance(one, Stroke))
        self.assertAlmostEqual(line.width, 2.0, delta=0.01)

    def test_pages_are_offered_one_by_one(self):
        with pikepdf.open(io.BytesIO(pdf.write_drawing(self.DRAWING))) as document:
            document.pages.append(document.pages[0])
            stream = io.BytesIO()
            document.save(stream)
        picture = inspect(stream.getvalue(), "two.pdf", part="page 2")
        self.assertEqual(picture.drawing.page, 2)
        self.assertEqual(picture.parts[:2], ("page 1", "page 2"))
        with self.assertRaises(NibbleError):
            read_pdf(stream.getvalue(), "two.pdf", page=9)

    def test_locked_and_empty_files_are_said(self):
        with pikepdf.open(io.BytesIO(pdf.write_drawing(self.DRAWING))) as document:
            locked = io.BytesIO()
            document.save(locked, encryption=pikepdf.Encryption(owner="o", user="u"))
        blank = pikepdf.new()
        blank.add_blank_page()
        empty = io.BytesIO()
        blank.save(empty)
        for content in (locked.getvalue(), empty.getvalue(), pdf.write_drawing(self.DRAWING)[:200], b"%PDF-1.7"):
            with self.assertRaises(NibbleError) as caught:
                inspect(content, "a.pdf")
            self.assertTrue(caught.exception.what_to_do)


class PackageTest(unittest.TestCase):
    def packed(self, **files: bytes) -> bytes:
        stream = io.BytesIO()
        with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, content in files.items():
                archive.writestr(name.replace("__", "."), content)
        return stream.getvalue()

    def test_its_artwork_is_offered_and_read(self):
        content = self.packed(
            sign__svg=svg_file(SvgTest.BODIES[0]), notes__txt=b"hello", b__svg=svg_file(SvgTest.BODIES[5])
        )
        self.assertEqual(package.members(content), ["b.svg", "sign.svg"])
        picture = inspect(content, "all.zip", part="sign.svg")
        self.assertEqual((picture.part, picture.parts), ("sign.svg", ("b.svg", "sign.svg")))

    def test_bombs_and_strange_ones_are_refused(self):
        with self.assertRaises(FileTooLarge):
            package.member(self.packed(big__svg=bytes(300_000_000)), "big.svg")
        for content in (self.packed(a__txt=b"x"), self.packed(mimetype=b"x"), b"PK\x03\x04" + bytes(60)):
            with self.assertRaises(UnreadableFile):
                inspect(content, "all.zip")
        with self.assertRaises(UnreadableFile):
            package.member(self.packed(a__svg=b"x"), "../../etc/passwd")


class WriterTest(unittest.TestCase):
    def test_svg_outlines_read_back_with_dashes(self):
        stroke = Stroke(Path.polygon([(5, 5), (35, 5)], closed=False), 2.0, dashes=(4.0, 2.0), phase=1.0)
        (again,) = read_svg(svg.write_drawing(Drawing(40, 30, (stroke,)))).drawing.shapes
        np.testing.assert_allclose([*again.dashes, again.phase, again.width], [4, 2, 1, 2])


class LargeRoundTest(unittest.TestCase):
    """Circles and ellipses of any size, in and out, within 0.002 mm."""

    def off(self, path, a: float, b: float) -> float:
        x, y = (path.flattened(1e-4) - (a, b)).T
        turn = np.arctan2(y / b, x / a)
        return float(np.hypot(x - a * np.cos(turn), y - b * np.sin(turn)).max())

    def ring(self, drawing):
        (shape,) = drawing.shapes
        return shape.path if isinstance(shape, Stroke) else shape.region.outer

    def test_ellipses_are_read_as_finely_as_their_size_asks(self):
        for width, units in ((12, 12), (600, 600), (600, 2), (3000, 30)):
            box = f'viewBox="0 0 {units} {units / 2}" width="{width}mm" height="{width / 2}mm"'
            arc = f"a{units / 2} {units / 4} 0 0 1"
            for body in (
                f'<ellipse cx="{units / 2}" cy="{units / 4}" rx="{units / 2}" ry="{units / 4}"/>',
                f'<path d="M0 {units / 4}{arc} {units} 0{arc} -{units} 0z"/>',
            ):
                with self.subTest(width=width, units=units, body=body[:5]):
                    read = read_svg(f'<svg xmlns="http://www.w3.org/2000/svg" {box}>{body}</svg>'.encode())
                    self.assertLess(self.off(self.ring(read.drawing), width / 2, width / 4), 0.0025)

    def test_a_dxf_ellipse_and_a_circle_written_as_pdf(self):
        document = ezdxf.new("R2010")
        document.header["$INSUNITS"] = 4
        document.modelspace().add_ellipse((0, 0), (300, 0), 0.5)
        stream = io.StringIO()
        document.write(stream)
        self.assertLess(self.off(self.ring(read_dxf(stream.getvalue().encode(), "a.dxf").drawing), 300, 150), 0.0025)
        for radius in (5, 60, 450):
            whole = Drawing(2 * radius, 2 * radius, (Shape(Region(Path.circle(radius, radius, radius))),))
            self.assertLess(self.off(self.ring(read_pdf(pdf.write_drawing(whole)).drawing), radius, radius), 0.0035)
