"""Clients' PDF pages: what is read lies where an independent reader paints it, and everything keeps its name."""

import io
import subprocess
import tempfile
import unittest
from pathlib import Path
from typing import ClassVar

import numpy as np
import pikepdf
from pikepdf import Array, Dictionary, Name
from PIL import Image

import nibble_core.text
from nibble_core.errors import NothingToTrace
from nibble_core.formats import pdf
from nibble_core.formats.pdf_drawing import read_pdf
from nibble_core.geometry import Affine
from nibble_core.geometry import Path as Line
from nibble_core.graphics import Drawing, Shape, Stroke
from nibble_core.graphics.rendering import rendered

FONT = Path(nibble_core.text.__file__).parent / "fonts" / "Barlow-SemiBold.ttf"
DPI = 200
MM = 72 / 25.4  # points
STAR = "100 170 m 147 25 l 24 115 l 176 115 l 53 25 l h"


def page_of(content: str, *, box=(0, 0, 200, 200), crop=None, turn=0, **resources) -> bytes:
    """A PDF of one page with this content stream; sizes in points."""
    pdf = pikepdf.new()
    pdf.add_blank_page(page_size=(box[2] - box[0], box[3] - box[1]))
    page = pdf.pages[0].obj
    page.MediaBox = Array(box)
    if crop:
        page.CropBox = Array(crop)
    if turn:
        page.Rotate = turn
    page.Contents = pdf.make_stream(content.encode())
    page.Resources = Dictionary({f"/{kind}": made(pdf) if callable(made) else made for kind, made in resources.items()})
    stream = io.BytesIO()
    pdf.save(stream)
    return stream.getvalue()


def painted_by_poppler(content: bytes) -> np.ndarray:
    """Darkness of the page, 0 to 1, as another reader paints it."""
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "page.pdf"
        source.write_bytes(content)
        command = [
            "pdftocairo",
            "-png",
            "-singlefile",
            "-cropbox",
            "-r",
            str(DPI),
            str(source),
            str(Path(folder) / "out"),
        ]
        subprocess.run(command, check=True, capture_output=True)
        return 1 - np.asarray(Image.open(Path(folder) / "out.png").convert("L"), float) / 255


def painted_by_us(content: bytes) -> np.ndarray:
    drawing = read_pdf(content).drawing
    return 1 - rendered(drawing, round(drawing.width / 25.4 * DPI)).grey()


def embedded_font(pdf: pikepdf.Pdf) -> Dictionary:
    """A shipped font as a simple TrueType font, whole in the file."""
    content = FONT.read_bytes()
    program = pdf.make_stream(content)
    program.Length1 = len(content)
    descriptor = pdf.make_indirect(Dictionary(
        Type=Name.FontDescriptor, FontName=Name("/Own"), Flags=32, FontBBox=Array([-200, -300, 1200, 1000]),
        ItalicAngle=0, Ascent=900, Descent=-200, CapHeight=700, StemV=90, FontFile2=program,
    ))  # fmt: skip
    return Dictionary(F=Dictionary(
        Type=Name.Font, Subtype=Name.TrueType, BaseFont=Name("/Own"), FirstChar=32, LastChar=90,
        Widths=Array([600] * 59), Encoding=Name.WinAnsiEncoding, FontDescriptor=descriptor,
    ))  # fmt: skip


def form(pdf: pikepdf.Pdf, content: str, matrix=(1, 0, 0, 1, 0, 0), **more) -> pikepdf.Stream:
    stream = pdf.make_stream(content.encode())
    stream.Type, stream.Subtype = Name.XObject, Name.Form
    stream.BBox, stream.Matrix = Array([-500, -500, 500, 500]), Array(matrix)
    stream.Resources = Dictionary({f"/{kind}": made for kind, made in more.items()})
    return stream


class PlaceTest(unittest.TestCase):
    PAGES: ClassVar = {
        "nonzero star": page_of(f"{STAR} f"),
        "even-odd star": page_of(f"{STAR} f*"),
        "curves and a stroke": page_of("3 w 20 20 m 20 150 180 150 180 20 c S 60 60 m 100 140 140 60 v f"),
        "dashes, caps, joins": page_of("8 w 1 J 1 j [20 15] 5 d 20 20 m 100 180 l 180 20 l S"),
        "mitred corner": page_of("10 w 20 40 m 100 160 l 180 40 l S"),
        "turned in its own matrix": page_of("q 0.7 0.7 -0.7 0.7 100 0 cm 20 20 60 90 re f Q 5 5 20 10 re f"),
        "clipped by a star": page_of(f"q {STAR} W n 0 60 200 80 re f Q"),
        "clipped twice": page_of("q 30 30 100 100 re W n 80 80 100 100 re W n 0 0 200 200 re f Q"),
        "a shifted box": page_of("10 10 60 40 re f", box=(-20, -30, 180, 120)),
        "a crop": page_of(f"{STAR} f", crop=(40, 60, 160, 190)),
        "a form in a form": page_of(
            "q 1 0 0 1 30 20 cm /Outer Do Q",
            XObject=lambda pdf: Dictionary(Outer=form(
                pdf, "0.5 0 0 0.5 0 0 cm /Inner Do", (0.9, 0.2, -0.2, 0.9, 10, 0),
                XObject=Dictionary(Inner=form(pdf, "20 20 200 120 re f", (1, 0, 0.3, 1, 0, 0))),
            )),
        ),
        "letters": page_of("BT /F 48 Tf 1 0 0.2 1 20 80 Tm (RAQB) Tj ET", Font=embedded_font),
        "spread letters": page_of("BT /F 30 Tf 4 Tc 150 Tz 10 90 Td (AB) Tj 12 TL T* (O) Tj ET", Font=embedded_font),
    }  # fmt: skip

    def test_everything_lies_where_another_reader_paints_it(self):
        for name, content in self.PAGES.items():
            with self.subTest(name):
                ours, other = painted_by_us(content), painted_by_poppler(content)
                rows, columns = (min(a, b) for a, b in zip(ours.shape, other.shape, strict=True))
                apart = np.abs(ours[:rows, :columns] - other[:rows, :columns]) > 0.5
                self.assertGreater(other.mean(), 0.005)
                self.assertLess(apart.mean(), 0.0015)

    def test_a_turned_page_is_read_as_it_is_seen(self):
        for turn in (90, 180, 270):
            with self.subTest(turn):
                content = page_of(f"{STAR} f 10 150 40 20 re f", box=(0, 0, 220, 180), turn=turn)
                ours, other = painted_by_us(content), painted_by_poppler(content)
                self.assertLessEqual(np.abs(np.subtract(ours.shape, other.shape)).max(), 1)
                rows, columns = (min(a, b) for a, b in zip(ours.shape, other.shape, strict=True))
                self.assertLess((np.abs(ours[:rows, :columns] - other[:rows, :columns]) > 0.5).mean(), 0.003)


class NameTest(unittest.TestCase):
    def separation(self, name: str, *cmyk: float) -> Array:
        tint = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0, 0, 0, 0], C1=list(cmyk), N=1)
        return Array([Name.Separation, Name(f"/{name}"), Name.DeviceCMYK, tint])

    def test_inks_keep_their_names_and_their_look(self):
        spaces = Dictionary(A=self.separation("KnifeLine", 0, 1, 0, 0), B=self.separation("White#20Ink", 0, 0, 0, 0.1))
        read = read_pdf(
            page_of(
                "/A CS 1 SCN 2 w 20 20 100 100 re S /B cs 1 scn 40 40 30 30 re f 0 0 1 rg 5 5 5 5 re f",
                ColorSpace=spaces,
            )
        )
        inks = {shape.spot: shape.colour for shape in read.drawing.shapes}
        self.assertEqual(inks["KnifeLine"], (255, 0, 255))
        self.assertEqual(len(inks), 3)
        self.assertEqual(inks[""], (0, 0, 255))

    def test_layers_keep_their_names(self):
        def layers(pdf: pikepdf.Pdf) -> Dictionary:
            return Dictionary(L=pdf.make_indirect(Dictionary(Type=Name.OCG, Name="Die line")))

        read = read_pdf(page_of("/OC /L BDC 10 10 50 50 re f EMC 100 100 20 20 re f", Properties=layers))
        self.assertEqual([shape.layer for shape in read.drawing.shapes], ["Die line", ""])

    def test_a_font_that_is_missing_is_named_with_its_words(self):
        fonts = Dictionary(F=Dictionary(Type=Name.Font, Subtype=Name.Type1, BaseFont=Name.Quayside))
        read = read_pdf(page_of("BT /F 24 Tf 20 80 Td (Open late) Tj ET 10 10 5 5 re f", Font=fonts))
        (words,) = read.lettering
        self.assertEqual(words.text, "Open late")
        self.assertIn("Quayside", words.font)
        left, bottom = words.at[0] * 72 / 25.4, (read.drawing.height - words.at[1]) * 72 / 25.4
        np.testing.assert_allclose(
            (left, bottom, words.cap_height * 72 / 25.4, words.turn), (20, 80, 0.7 * 24, 0), atol=0.01
        )
        self.assertEqual(len(read.drawing.shapes), 1)


class LeftOutTest(unittest.TestCase):
    def test_what_nobody_sees_is_counted_and_kept_aside(self):
        state = Dictionary(G=Dictionary(Type=Name.ExtGState, ca=0, CA=0))
        read = read_pdf(
            page_of(
                "10 10 30 30 re f 50 50 20 20 re n "
                "q /G gs 80 80 20 20 re f Q "
                "q 0 0 20 20 re W n 120 120 30 30 re f Q "
                "BT 3 Tr /F 20 Tf 20 150 Td (AB) Tj ET",
                ExtGState=state, Font=embedded_font,
            )
        )  # fmt: skip
        self.assertEqual(len(read.drawing.shapes), 1)
        self.assertEqual(read.leftovers["clipped"], 1)
        self.assertEqual(read.leftovers["hidden"], 2)
        self.assertGreaterEqual(len(read.left_out.shapes), 2)

    def test_a_picture_inside_is_found_at_its_size(self):
        def pictures(pdf: pikepdf.Pdf) -> Dictionary:
            pixels = np.tile(np.array([[[200, 30, 60]]], np.uint8), (40, 60, 1))
            image = pdf.make_stream(pixels.tobytes())
            image.Type, image.Subtype = Name.XObject, Name.Image
            image.Width, image.Height, image.BitsPerComponent, image.ColorSpace = 60, 40, 8, Name.DeviceRGB
            return Dictionary(I=image)

        read = read_pdf(page_of(f"q {60 * MM} 0 0 {40 * MM} 10 10 cm /I Do Q", XObject=pictures))
        (picture,) = read.pictures
        self.assertAlmostEqual(picture.width, 60, places=2)
        self.assertAlmostEqual(picture.height, 40, places=2)
        pixels = np.asarray(Image.open(io.BytesIO(picture.content)).convert("RGB"))
        self.assertEqual(pixels.shape[:2], (40, 60))
        self.assertLess(np.abs(pixels.reshape(-1, 3).astype(int) - (200, 30, 60)).max(), 3)

    def test_shadings_and_endless_nesting_are_told(self):
        def shading(pdf: pikepdf.Pdf) -> Dictionary:
            tint = Dictionary(FunctionType=2, Domain=[0, 1], C0=[1, 0, 0], C1=[0, 0, 1], N=1)
            return Dictionary(
                S=Dictionary(ShadingType=2, ColorSpace=Name.DeviceRGB, Coords=[0, 0, 200, 0], Function=tint)
            )

        def nested(pdf: pikepdf.Pdf) -> Dictionary:
            inner = form(pdf, "0 0 10 10 re f")
            for _ in range(16):
                inner = form(pdf, "/X Do 20 20 5 5 re f", XObject=Dictionary(X=inner))
            return Dictionary(X=inner)

        self.assertIn("Shaded", " ".join(read_pdf(page_of("/S sh 10 10 20 20 re f", Shading=shading)).notes))
        self.assertIn("too deeply", " ".join(read_pdf(page_of("/X Do", XObject=nested)).notes))
        with self.assertRaises(NothingToTrace):
            read_pdf(page_of("10 10 20 20 re n"))

    def test_strokes_stay_strokes_with_their_dashes(self):
        read = read_pdf(page_of("q 2 0 0 2 0 0 cm 3 w 2 J [6 4] 0 d 10 10 m 80 10 l S Q 0 0 5 5 re f"))
        stroke = next(one for one in read.drawing.shapes if isinstance(one, Stroke))
        self.assertAlmostEqual(stroke.width * MM, 6, places=3)
        self.assertEqual(stroke.cap, "square")
        np.testing.assert_allclose(np.array(stroke.dashes) * MM, (12, 8), atol=1e-3)
        self.assertEqual(sum(isinstance(one, Shape) for one in read.drawing.shapes), 1)

    def test_dashes_written_read_back_with_where_they_begin(self):
        line = Line.polygon([(5, 5), (45, 25)], closed=False)
        stroke = Stroke(line, 1.5, dashes=(4.0, 2.0, 1.0, 2.0), phase=3.0)
        (back,) = read_pdf(pdf.write_drawing(Drawing(50, 30, (stroke,)))).drawing.shapes
        np.testing.assert_allclose((*back.dashes, back.phase), (*stroke.dashes, stroke.phase), atol=1e-3)


class AsItCame(unittest.TestCase):
    """Units, layers, masks and uneven lines of a page."""

    def area(self, content: bytes, **options) -> float:
        client = read_pdf(content, **options)
        return sum(shape.region.area() for shape in client.drawing.shapes if isinstance(shape, Shape))

    def test_a_user_unit_makes_a_page_so_much_larger(self):
        plain = page_of("0 0 1 rg 20 20 100 50 re f")
        with pikepdf.open(io.BytesIO(plain)) as document:
            document.pages[0].obj.UserUnit = 2.5
            out = io.BytesIO()
            document.save(out)
        large = read_pdf(out.getvalue())
        self.assertAlmostEqual(large.drawing.width, 2.5 * 200 / MM, places=3)
        self.assertAlmostEqual(self.area(out.getvalue()), 2.5**2 * 100 * 50 / MM**2, delta=0.5)
        self.assertTrue([note for note in large.notes if "2.5 times as large" in note])

    def layered(self, form_hidden: bool = False) -> bytes:
        """Three squares: shown, on a hidden layer, and on one of which another is shown; and a form on a layer."""
        made = pikepdf.new()
        made.add_blank_page(page_size=(200, 200))
        groups = [made.make_indirect(Dictionary(Type=Name.OCG, Name=pikepdf.String(name))) for name in ("cut", "notes")]
        either = made.make_indirect(Dictionary(Type=Name.OCMD, OCGs=Array(groups)))
        both = made.make_indirect(Dictionary(Type=Name.OCMD, OCGs=Array(groups), P=Name.AllOn))
        form = made.make_stream(b"/OC /B BDC 0 0 10 10 re f EMC 20 0 10 10 re f")
        form.Type, form.Subtype, form.BBox = Name.XObject, Name.Form, Array([0, 0, 100, 100])
        form.Resources = Dictionary(Properties=Dictionary(B=groups[1]))
        if form_hidden:
            form.OC = groups[1]
        page = made.pages[0].obj
        page.Resources = Dictionary(
            Properties=Dictionary(A=groups[0], B=groups[1], C=either, D=both), XObject=Dictionary(F=form)
        )
        page.Contents = made.make_stream(
            b"0 0 1 rg /OC /A BDC 10 10 20 20 re f EMC /OC /B BDC q 1 0 0 rg 50 10 20 20 re f Q EMC "
            b"/OC /C BDC 90 10 20 20 re f EMC /OC /D BDC 130 10 20 20 re f EMC q 1 0 0 1 10 100 cm /F Do Q"
        )
        made.Root.OCProperties = Dictionary(OCGs=Array(groups), D=Dictionary(BaseState=Name.ON, OFF=Array([groups[1]])))
        out = io.BytesIO()
        made.save(out)
        return out.getvalue()

    def test_what_is_on_layers_that_are_switched_off_is_no_artwork_and_that_is_said(self):
        for form_hidden, squares in ((False, 2 * 400 + 100), (True, 2 * 400)):
            content = self.layered(form_hidden)
            client = read_pdf(content)
            self.assertAlmostEqual(self.area(content), squares / MM**2, delta=0.1)
            self.assertTrue([note for note in client.notes if "switched off" in note and "notes" in note])
            dark = painted_by_poppler(content) > 0.3
            self.assertAlmostEqual(dark.mean() * (200 / MM) ** 2, squares / MM**2, delta=1.5)

    def test_what_a_soft_mask_hides_is_left_out(self):
        """A bar over the whole page whose mask shows the left fifth of it."""

        def masked(document):
            mask = document.make_stream(b"1 g 0 0 40 200 re f")
            mask.Type, mask.Subtype, mask.BBox = Name.XObject, Name.Form, Array([0, 0, 200, 200])
            mask.Group = Dictionary(S=Name.Transparency, CS=Name.DeviceGray)
            return Dictionary(G=Dictionary(Type=Name.ExtGState, SMask=Dictionary(S=Name.Luminosity, G=mask)))

        content = page_of("/G gs 0 0 1 rg 0 50 200 100 re f", ExtGState=masked)
        self.assertAlmostEqual(self.area(content), 40 * 100 / MM**2, delta=12)
        self.assertTrue([note for note in read_pdf(content).notes if "Soft masks" in note])

    def tiled(self, content: str = "1 0 0 rg 0 0 5 5 re f", step: float = 10.3, **more):
        """Resources with a pattern of squares of 5, in the lower left corners of their steps."""

        def made(document):
            tile = document.make_stream(content.encode())
            tile.Type, tile.PatternType, tile.PaintType, tile.TilingType = Name.Pattern, 1, 1, 1
            tile.BBox, tile.XStep, tile.YStep, tile.Resources = Array([0, 0, 8, 8]), step, step, Dictionary()
            for key, value in more.items():
                tile[f"/{key}"] = value
            return Dictionary(P=tile)

        return made

    def strays(self, shapes, lattice: Affine, side: float = 5) -> np.ndarray:
        """Of the whole squares among shapes, how far each middle lies off the lattice, mm; checks that there are some.
        lattice: from steps to mm on the page."""
        whole = [one.region for one in shapes if abs(one.region.area() - side**2 / MM**2) < 1e-5]
        self.assertGreater(len(whole), 50)
        middles = np.array([[b.left + b.right, b.top + b.bottom] for b in (one.bounds() for one in whole)]) / 2
        steps = lattice.inverse().map(middles)
        return np.hypot(*(lattice.map(np.round(steps)) - middles).T)

    def test_the_tiles_of_a_pattern_lie_where_they_belong(self):
        turned = Affine.rotation(10).then(Affine(e=3, f=7))
        content = page_of(
            "q 2 0 0 1 4 0 cm /Pattern cs /P scn 8 20 400 900 re B Q", box=(0, 0, 1000, 1000),
            Pattern=self.tiled(Matrix=Array([getattr(turned, key) for key in "abcdef"])),
        )  # fmt: skip
        drawn = read_pdf(content).drawing.shapes
        shapes = [one for one in drawn if isinstance(one, Shape) and one.colour[0] == 255]
        to_mm = Affine(1 / MM, 0, 0, -1 / MM, 0, 1000 / MM)
        lattice = Affine.scale(10.3).then(Affine(e=2.5, f=2.5)).then(turned).then(to_mm)
        self.assertLess(self.strays(shapes, lattice).max(), 0.001)
        self.assertAlmostEqual(sum(one.region.area() for one in shapes), 800 * 900 * (5 / 10.3) ** 2 / MM**2, delta=60)
        lines = [one for one in drawn if one.colour == (0, 0, 0)]
        self.assertTrue(lines, "the line round it is drawn as well")

    def test_a_pattern_in_a_form_takes_the_place_of_its_form(self):
        def form(document):
            made = document.make_stream(b"2 0 0 2 0 0 cm /Pattern cs /P scn 0 0 200 200 re W f 1 0 0 RG 0 0 300 9 re S")
            made.Type, made.Subtype, made.BBox = Name.XObject, Name.Form, Array([0, 0, 400, 400])
            made.Matrix = Array([1.5, 0, 0, 1.5, 11, 13])
            made.Resources = Dictionary(Pattern=self.tiled()(document))
            return Dictionary(F=made)

        shapes = read_pdf(page_of("/F Do", box=(0, 0, 700, 700), XObject=form)).drawing.shapes
        lattice = (
            Affine.scale(10.3).then(Affine(e=2.5, f=2.5)).then(Affine(1.5 / MM, 0, 0, -1.5 / MM, 11 / MM, 687 / MM))
        )
        filled = [one for one in shapes if isinstance(one, Shape)]
        self.assertLess(self.strays(filled, lattice, 7.5).max(), 0.001)
        right = max(one.bounds().right for one in shapes)
        self.assertAlmostEqual(right, (11 + 1.5 * 400) / MM, delta=0.01, msg="the clip that came with the fill is kept")

    def test_a_pattern_without_colour_takes_the_ink_it_is_painted_with(self):
        tint = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0, 0, 0, 0], C1=[0.1, 0.3, 0.9, 0], N=1)
        gold = Array([Name.Separation, Name("/Gold"), Name.DeviceCMYK, tint])
        content = page_of(
            "/S cs 1 /P scn 20 20 160 160 re f", Pattern=self.tiled("0 0 5 5 re f", PaintType=2),
            ColorSpace=Dictionary(S=Array([Name.Pattern, gold])),
        )  # fmt: skip
        self.assertEqual({one.spot for one in read_pdf(content).drawing.shapes}, {"Gold"})

    def test_a_pattern_of_more_tiles_than_can_be_drawn_is_taken_as_it_looks(self):
        content = page_of(
            "/Pattern cs /P scn 20 20 160 160 re f", Pattern=self.tiled("1 0 0 rg 0 0 1 1 re f", 0.2)
        )  # fmt: skip
        found = read_pdf(content)
        self.assertEqual(len(found.drawing.shapes), 1)
        self.assertTrue([note for note in found.notes if "patterns" in note])

    def test_a_line_that_is_stretched_is_as_wide_as_it_is_painted(self):
        content = page_of("q 3 0 0 1 0 0 cm 6 w 20 20 m 20 120 l 50 120 l S Q")
        dark = painted_by_poppler(content)
        self.assertAlmostEqual(self.area(content), float(dark.sum()) * (25.4 / DPI) ** 2, delta=2.0)
        self.assertAlmostEqual(self.area(content), (18 * 103 + 81 * 6) / MM**2, delta=2.0)
