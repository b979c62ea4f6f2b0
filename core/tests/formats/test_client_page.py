"""A client's PDF page goes into the print as it came: the same to the eye, its inks, fonts and layers kept."""

import hashlib
import io
import subprocess
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path as FilePath

import numpy as np
import pikepdf
from PIL import Image
from reportlab.lib.colors import CMYKColorSep
from reportlab.pdfgen.canvas import Canvas

from nibble_core.checks.readback import check_page
from nibble_core.errors import FileDisagrees, UnreadableFile
from nibble_core.formats import pdf, pdf_reader
from nibble_core.formats.client_page import page_alone
from nibble_core.formats.pdf_drawing import read_pdf
from nibble_core.geometry import Affine, Box, Bundle, Path
from nibble_core.graphics import ClientPage, Page
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply, first_ticket

MM = 72 / 25.4
WIDE, HIGH = 90.0, 50.0


def label(rotate: int = 0, crop: tuple[float, float, float, float] | None = None, hidden: bool = False) -> bytes:
    """A label of 90 by 50 mm on its second page: a spot colour, process black, a font, something see-through."""
    out = io.BytesIO()
    canvas = Canvas(out, (WIDE * MM, HIGH * MM))
    canvas.rect(0, 0, 10, 10, fill=1)
    canvas.showPage()
    canvas.setFillColor(CMYKColorSep(0.9, 0.2, 0.1, 0.0, spotName="Harbour Blue"))
    canvas.roundRect(5 * MM, 5 * MM, 80 * MM, 40 * MM, 6 * MM, stroke=0, fill=1)
    canvas.setFillColorCMYK(0, 0.1, 0.9, 0)
    canvas.circle(20 * MM, 25 * MM, 11 * MM, stroke=0, fill=1)
    canvas.setFillAlpha(0.5)
    canvas.setFillColorCMYK(0, 0.9, 0.8, 0)
    canvas.circle(30 * MM, 25 * MM, 11 * MM, stroke=0, fill=1)
    canvas.setFillAlpha(1)
    canvas.setFillColorCMYK(0, 0, 0, 1)
    canvas.setFont("Times-Italic", 22)
    canvas.drawString(43 * MM, 22 * MM, "Sea honey")
    canvas.showPage()
    canvas.save()
    with pikepdf.open(out) as made:
        page = made.pages[1]
        page.obj.Rotate = rotate
        if crop:
            page.obj.CropBox = pikepdf.Array([side * MM for side in crop])
        if hidden:
            group = made.make_indirect(pikepdf.Dictionary(Type=pikepdf.Name.OCG, Name="notes"))
            made.Root.OCProperties = pikepdf.Dictionary(
                OCGs=[group], D=pikepdf.Dictionary(OFF=[group], BaseState=pikepdf.Name.ON)
            )
            page.obj.Resources.Properties = pikepdf.Dictionary(Notes=group)
            notes = f"/OC /Notes BDC 0 g 0 0 {WIDE * MM} {20 * MM} re f EMC"
            page.contents_add(notes.encode())
        out = io.BytesIO()
        made.save(out)
    return out.getvalue()


def painted(content: bytes, page: int, crop: Box | None = None, ppi: float = 150) -> np.ndarray:
    """A page as poppler paints it, grey, of ``crop`` in mm."""
    with tempfile.TemporaryDirectory() as folder:
        (FilePath(folder) / "in.pdf").write_bytes(content)
        subprocess.run(
            ["pdftocairo", "-png", "-singlefile", "-cropbox", "-f", str(page), "-l", str(page), "-r", str(ppi),
             "in.pdf", "out"], cwd=folder, check=True,
        )  # fmt: skip
        found = np.asarray(Image.open(FilePath(folder) / "out.png").convert("L"), float)
    return found if crop is None else cropped(found, crop, ppi)


def cropped(found: np.ndarray, crop: Box, ppi: float = 150) -> np.ndarray:
    left, top, right, bottom = (round(side / 25.4 * ppi) for side in crop)
    return found[top:bottom, left:right]


class ClientPageTest(unittest.TestCase):
    def placed(self, content: bytes, width: float, height: float) -> bytes:
        alone = page_alone(content, 2)
        clip = Bundle.of([Path.polygon([(0, 0), (width, 0), (width, height), (0, height)])])
        one = ClientPage(hashlib.sha256(alone).hexdigest(), width, height, Affine(), clip, (Affine(),), alone)
        return pdf.write_page(Page(width, height, printed=(one,)))

    def test_it_looks_as_the_page_itself_turned_cropped_or_with_hidden_layers(self):
        for name, options, size in (
            ("plain", {}, (WIDE, HIGH)),
            ("turned", {"rotate": 90}, (HIGH, WIDE)),
            ("upside down", {"rotate": 180}, (WIDE, HIGH)),
            ("turned back", {"rotate": 270}, (HIGH, WIDE)),
            ("cropped", {"crop": (10, 5, 80, 45)}, (70, 40)),
            ("cropped and turned", {"crop": (10, 5, 80, 45), "rotate": 90}, (40, 70)),
            ("hidden layer", {"hidden": True}, (WIDE, HIGH)),
        ):
            with self.subTest(name):
                content = label(**options)
                apart = np.abs(painted(self.placed(content, *size), 1) - painted(content, 2))
                self.assertLess((apart > 40).mean(), 0.002)  # a hair of an edge at most

    def test_its_inks_fonts_and_transparency_are_still_there_and_its_links_are_not(self):
        with pikepdf.open(io.BytesIO(self.placed(label(), WIDE, HIGH))) as made:
            everything = [thing for thing in made.objects if isinstance(thing, pikepdf.Dictionary | pikepdf.Stream)]
            inks = [str(thing[1]) for thing in made.objects if isinstance(thing, pikepdf.Array) and len(thing) == 4]
            self.assertEqual(inks, ["/Harbour Blue"])
            self.assertIn("/Times-Italic", [str(thing.get("/BaseFont")) for thing in everything])
            states = [state for thing in everything for state in thing.get("/ExtGState", {}).values()]
            self.assertIn(0.5, [float(state.get("/ca", 1)) for state in states])
            self.assertNotIn("/Annots", made.pages[0].obj)

    def test_a_ticket_prints_it_within_its_cut_and_bleed_once_for_all_copies(self):
        content = label()
        sha = hashlib.sha256(content).hexdigest()
        ticket = first_ticket(name="Label", file=sha, file_name="label.pdf", width=WIDE, quantity=6)
        here = "pieces/p1/layers/l1"
        changes = [
            Change("artworks/a1/part", "page 2"), Change(f"{here}/prints", "the client’s page"),
            Change(f"{here}/prints/bleed", 1.0), Change(f"{here}/lines/k1/offset/distance", -3.0),
        ]  # fmt: skip
        ticket = apply(ticket, changes)
        work = work_out(ticket, lambda _: content, MemoryStore())
        self.assertEqual([problem.error.message for problem in work.problems], [])
        files = {file.name: file.content for file in write_files(ticket, work)}
        printed = next(content for name, content in files.items() if "print" in name)
        found = pdf_reader.read_page(printed)
        self.assertEqual([len(one.placements) for one in found.client_pages], [6])
        with pikepdf.open(io.BytesIO(printed)) as made:
            fonts = [str(thing.get("/BaseFont", "")) for thing in made.objects if isinstance(thing, pikepdf.Dictionary)]
            self.assertEqual(fonts.count("/Times-Italic"), 1)
        # at each copy the middle is the client's; beyond cut and bleed there is nothing
        laid = work.sheets["s1"].laid.value
        own, sheet = painted(content, 2, Box(10, 10, 80, 40)), painted(printed, 1)
        for _, at in laid.placements:
            (x, y), turned = at.map(np.array([[0.0, 0.0]]))[0], at.b
            self.assertEqual(turned, 0.0)
            seen = cropped(sheet, Box(x + 10, y + 10, x + 80, y + 40))
            high, wide = min(own.shape[0], seen.shape[0]), min(own.shape[1], seen.shape[1])
            self.assertLess((np.abs(own[:high, :wide] - seen[:high, :wide]) > 60).mean(), 0.03)
            beyond = cropped(sheet, Box(x + 5.2, y + 20, x + 6.6, y + 30))
            self.assertGreater(beyond.min(), 250)
            bleeds = cropped(sheet, Box(x + 7.3, y + 20, x + 7.9, y + 30))
            self.assertLess(bleeds.max(), 200)

    def test_an_ink_whose_tint_is_a_program_is_seen_in_its_colour(self):
        shapes = {shape.spot: shape.colour for shape in read_pdf(label(), page=2).drawing.shapes}
        painted_by_others = painted(label(), 2, Box(60, 8, 62, 10))  # grey
        red, green, blue = shapes["Harbour Blue"]
        self.assertGreater(blue, red + 100)
        self.assertAlmostEqual(0.299 * red + 0.587 * green + 0.114 * blue, painted_by_others.mean(), delta=30)

    def test_a_page_that_lies_elsewhere_is_noticed(self):
        meant = pdf_reader.read_page(self.placed(label(), WIDE, HIGH))
        one = meant.client_pages[0]
        self.assertEqual(one.digest, hashlib.sha256(page_alone(label(), 2)).hexdigest())
        moved = replace(meant, printed=(replace(one, placements=(Affine.translation(0.01, 0),)),))
        for other in (moved, replace(meant, printed=()), replace(meant, printed=(replace(one, digest="0"),))):
            with self.assertRaises(FileDisagrees):
                check_page(replace(meant, printed=(replace(one, width=1.0, height=1.0),)), other, "print file")

    def test_what_is_no_page_is_refused_in_words(self):
        for content, number in ((b"%PDF-1.7 nothing", 1), (label(), 3), (label()[:900], 2)):
            with self.assertRaises(UnreadableFile):
                page_alone(content, number)
