"""Job files through readers that are not ours: qpdf, pypdfium2, resvg, and our own."""

import io
import re
import shutil
import subprocess
import tempfile
import unittest
from dataclasses import replace
from functools import reduce
from pathlib import Path as File
from unittest import mock

import ezdxf
import numpy as np
import pikepdf
import pypdfium2 as pdfium
import resvg_py
import shapely
from ezdxf.colors import aci2rgb
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from benchmarks.made_up import SHAPES, sheet_on, ticket_of
from nibble_core.checks.readback import check_page, check_same_marks
from nibble_core.errors import FileDisagrees, UnreadableFile
from nibble_core.formats import pdf, pdf_reader, svg
from nibble_core.formats.registry import FORMATS
from nibble_core.geometry import Affine, Bundle, Path
from nibble_core.graphics import Filled, Ink, Page, Picture, Raster, Stroked
from nibble_core.pipeline.files import make_files, write_files
from nibble_core.pipeline.pages import parts_of
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply
from nibble_core.ticket.line import line_of
from nibble_core.ticket.model import Placed
from tests.sample import badge_ticket, badge_work

MM = 72 / 25.4
CUT = Ink("Test Cut", (0.0, 1.0, 0.0, 0.0))


def centres_by_pdfium(content: bytes) -> np.ndarray:
    """Centres in mm, y down, of the filled path objects of a page."""
    page = pdfium.PdfDocument(content)[0]
    height = page.get_height()
    boxes = []
    for thing in page.get_objects(max_depth=4):
        if thing.type == 2:  # a path
            left, bottom, right, top = thing.get_bounds()
            if abs((right - left) - 6 * MM) < 0.05:
                boxes.append(((left + right) / 2 / MM, (height - (bottom + top) / 2) / MM))
    return np.array(boxes)


class WholeJobTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        ticket = badge_ticket(quantity=9)
        cls.work = badge_work(ticket)
        cls.files = {file.name: file.content for file in write_files(ticket, cls.work)}
        cls.layout = cls.work.sheets["s1"].laid.value

    def test_both_pdfs_are_sound_and_of_true_size(self):
        for name in ("badge-print.pdf", "badge-cut.pdf"):
            with self.subTest(name):
                page = pdfium.PdfDocument(self.files[name])[0]
                self.assertAlmostEqual(page.get_width() / MM, self.layout.width, delta=0.001)
                self.assertAlmostEqual(page.get_height() / MM, self.layout.height, delta=0.001)
                if shutil.which("qpdf"):
                    with tempfile.TemporaryDirectory() as folder:
                        file = File(folder) / name
                        file.write_bytes(self.files[name])
                        done = subprocess.run(["qpdf", "--check", file], capture_output=True)
                        self.assertEqual(done.returncode, 0, done.stderr)

    def test_marks_coincide_in_both_by_an_independent_reader(self):
        printed, cut = (centres_by_pdfium(self.files[name]) for name in ("badge-print.pdf", "badge-cut.pdf"))
        self.assertEqual(len(printed), 4)
        self.assertLessEqual(np.abs(printed - cut).max(), 0.001)
        meant = np.array([tuple(mark) for mark in self.layout.marks.places])
        self.assertLessEqual(np.abs(printed - meant).max(), 0.01)

    def test_the_print_file_has_no_cut_line_and_the_cut_file_no_picture(self):
        printed, cut = (pdf_reader.read_page(self.files[name]) for name in ("badge-print.pdf", "badge-cut.pdf"))
        self.assertEqual((len(printed.stroked), len(cut.pictures)), (0, 0))
        self.assertEqual({line.ink.name for line in cut.stroked}, {"Nibble Through"})
        self.assertEqual([len(one.placements) for one in cut.stroked], [9])  # one definition, brought to nine places

    def test_white_and_varnish_leave_as_plates_of_their_own_that_overprint(self):
        for plate, ink in (("white under the print", "White"), ("varnish over the print", "Varnish")):
            for spread in (-0.5, 0.0, 0.4):
                ticket = badge_ticket(
                    Change("pieces/p1/layers/l1/prints/plate", {"kind": plate, "plate_spread": spread}),
                    quantity=4,
                )  # fmt: skip
                work = badge_work(ticket)
                files = {one.name: one.content for one in write_files(ticket, work, formats=["pdf", "combined"])}
                for name in ("badge-print.pdf", "badge-print-and-cut.pdf"):
                    with self.subTest(name, ink=ink, spread=spread):
                        (found,) = pdf_reader.read_page(files[name]).plates
                        self.assertEqual((found.ink.name, len(found.placements)), (ink, 4))
                        wanted = work.layers["l1"].print_laid.value.area.buffer(spread).area
                        rings = [shapely.Polygon(path.flattened(0.005)) for path in found.paths]
                        area = reduce(shapely.symmetric_difference, rings).area  # the even-odd rule
                        self.assertAlmostEqual(area / wanted, 1.0, delta=0.002)
                        with pikepdf.open(io.BytesIO(files[name])) as document:
                            self.assertIn(f"/{ink}".encode(), b"".join(
                                str(o[1]).encode() for o in document.objects
                                if isinstance(o, pikepdf.Array) and len(o) == 4 and str(o[0]) == "/Separation"
                            ))  # fmt: skip
                self.assertEqual(pdf_reader.read_page(files["badge-cut.pdf"]).plates, ())

    def test_white_lies_under_what_it_carries_and_both_plates_say_what_they_are(self):
        """A general reader that knows no overprint shows the same print with and without a plate."""
        bare = badge_ticket(quantity=1)
        looks, boxes = {}, {}
        for plate in ("no plate", "white under the print", "varnish over the print"):
            ticket = apply(bare, [Change("pieces/p1/layers/l1/prints/plate", {"kind": plate})])
            work = badge_work(ticket)
            (content,) = [f.content for f in write_files(ticket, work, formats=["pdf"]) if f.purpose == "print"]
            document = pdfium.PdfDocument(content)
            looks[plate] = document[0].render(scale=2).to_numpy()[..., :3].astype(int)
            with pikepdf.open(io.BytesIO(content)) as pdf:
                groups = {str(one.Name): one.get("/GTS_Metadata") for one in pdf.Root.OCProperties.OCGs}
                kinds = {name: str(about.GTS_ProcStepsGroup) for name, about in groups.items() if about is not None}
                name = plate.split()[0]
                self.assertEqual(kinds, {} if name == "no" else {name: f"/{name.capitalize()}"})
                boxes[plate] = [
                    [float(v) for v in pdf.pages[0].obj[key]] for key in ("/TrimBox", "/BleedBox", "/MediaBox")
                ]
            cut, laid = work.layers["l1"].laid.value.lines[0].area, work.sheets["s1"].laid.value
        dark = looks["no plate"].sum(2) < 450
        self.assertGreater(dark.mean(), 0.05)
        self.assertLess(np.abs(looks["white under the print"] - looks["no plate"])[dark].max(), 40)
        (trim, bleed, media) = boxes["no plate"]
        wide = (cut.bounds[2] - cut.bounds[0]) * MM
        self.assertAlmostEqual(trim[2] - trim[0], wide, delta=0.1)
        self.assertTrue(media[0] < bleed[0] <= trim[0] and trim[2] <= bleed[2] < media[2])
        self.assertAlmostEqual(media[2], laid.width * MM, delta=0.01)

    def test_pixels_hold_the_print_as_it_is_seen_and_a_tiff_its_plates_beside(self):
        plain = badge_ticket(quantity=2)
        white = badge_ticket(Change("pieces/p1/layers/l1/prints/plate", "white under the print"), quantity=2)
        before, work = badge_work(plain), badge_work(white)
        bare = {one.name: one.content for one in write_files(plain, before, formats=["png"])}
        files = {one.name: one.content for one in write_files(white, work, formats=["png", "tiff"])}
        seen = np.asarray(Image.open(io.BytesIO(files["badge-print.png"])))
        self.assertTrue((seen == np.asarray(Image.open(io.BytesIO(bare["badge-print.png"])))).all())
        with Image.open(io.BytesIO(files["badge-print.tif"])) as image:
            self.assertEqual((image.n_frames, image.tag_v2[285], image.info["dpi"]), (2, "Print", (300, 300)))
            self.assertTrue((np.asarray(image) == seen).all())
            image.seek(1)
            self.assertEqual((image.tag_v2[285], image.mode), ("White", "L"))
            inked = np.asarray(image).sum() / 255 * (25.4 / 300) ** 2
        self.assertAlmostEqual(
            inked / (2 * work.layers["l1"].print_laid.value.area.buffer(-0.2).area), 1.0, delta=0.005
        )

    def test_one_copy_and_a_mirrored_one_are_read_back_as_well(self):
        for stock in ("matt-white-vinyl-1370", "shirt-film-navy-500"):
            ticket = badge_ticket(Change("sheets/s1/stock", stock), quantity=1)
            self.assertEqual(len(write_files(ticket, badge_work(ticket))), 5)

    def test_a_file_that_differs_is_refused(self):
        line = Path.polygon([(0, 0), (10, 0), (10, 8)])
        there = (Affine.translation(5, 5), Affine.translation(25, 5))
        page = Page(60, 40, stroked=(Stroked(Bundle.of([line]), CUT, "kiss cut", there),))
        for other in (
            replace(page, stroked=(replace(page.stroked[0], placements=(there[0], Affine.translation(25, 5.01))),)),
            replace(page, stroked=(replace(page.stroked[0], paths=Bundle.of([line.mapped(Affine.scale(1.001))])),)),
            replace(page, stroked=(replace(page.stroked[0], placements=there[:1]),)),
        ):
            with self.assertRaises(FileDisagrees):
                check_page(page, pdf_reader.read_page(pdf.write_page(other)), "cut file")
            with self.assertRaises(FileDisagrees):
                check_page(page, svg.read_page(svg.write_page(other)), "cut file")

    def test_the_spot_colour_is_a_separation_by_name(self):
        with pikepdf.open(io.BytesIO(self.files["badge-cut.pdf"])) as document:
            spaces = document.pages[0].Resources.ColorSpace
            self.assertEqual([str(space[1]) for space in spaces.values()], ["/Nibble Through"])

    def test_the_cut_svg_is_drawn_where_the_cut_pdf_is(self):
        text = self.files["badge-cut.svg"].decode()
        self.assertRegex(text, r'width="[\d.]+mm" height="[\d.]+mm" viewBox="0 0 ')
        thick = re.sub(r'stroke-width="[\d.]+"', 'stroke-width="0.8"', text)
        drawn = Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=thick, dpi=96)))).convert("RGBA")
        ink_svg = np.asarray(drawn)[..., 3] > 100
        page = pdfium.PdfDocument(self.files["badge-cut.pdf"])[0]
        shown = (
            np.asarray(page.render(scale=drawn.width / page.get_width()).to_pil().convert("L").resize(drawn.size)) < 200
        )
        ours = np.argwhere(shown)
        self.assertGreater(len(ours), 1000)
        grown = np.zeros_like(ink_svg)
        for dy in (-2, -1, 0, 1, 2):
            for dx in (-2, -1, 0, 1, 2):
                grown |= np.roll(ink_svg, (dy, dx), (0, 1))
        self.assertGreater(grown[shown].mean(), 0.99)

    def test_a_colour_for_a_process_is_that_of_its_lines_where_files_know_no_inks(self):
        ticket = badge_ticket(quantity=9)
        (sheet,) = ticket.sheets
        for chosen, stroke in (("", "#b200b2"), ("#00ff00", "#00ff00")):
            spots = tuple(replace(one, colour=chosen) for one in sheet.machine.spots)
            machine = replace(sheet.machine, spots=spots, formats=("svg", "dxf", "dxf-r12", "pdf"))
            other = replace(ticket, sheets=(replace(sheet, machine=machine),))
            files = {file.name: file.content for file in write_files(other, badge_work(other))}
            self.assertIn(f'stroke="{stroke}', files["badge-cut.svg"].decode())
            for name in ("badge-cut.dxf", "badge-cut-r12.dxf"):
                layers = ezdxf.read(io.StringIO(files[name].decode("cp1252"))).layers
                self.assertEqual(aci2rgb(layers.get("Nibble Through").color) == (0, 255, 0), bool(chosen), name)
            self.assertEqual(files["badge-cut.pdf"], self.files["badge-cut.pdf"])

    def test_what_was_written_reads_back_in_every_format(self):
        (made,) = parts_of(badge_ticket(quantity=9), badge_ticket().sheets[0], self.work)
        check_page(made.printed, pdf_reader.read_page(self.files["badge-print.pdf"]), "print file")
        check_page(made.cut, svg.read_page(self.files["badge-cut.svg"]), "cut file")


class ManyCopiesTest(unittest.TestCase):
    def test_five_hundred_copies_hold_the_picture_once(self):
        ticket = badge_ticket(Change("artworks/a1/width", 30.0), quantity=500)
        files = {file.name: file.content for file in write_files(ticket, badge_work(ticket))}
        with pikepdf.open(io.BytesIO(files["badge-print.pdf"])) as document:
            pictures = [o for o in document.objects if isinstance(o, pikepdf.Stream) and o.get("/Subtype") == "/Image"]
            self.assertEqual(len([p for p in pictures if "/SMask" in p]), 1)
        self.assertEqual(len(pdf_reader.read_page(files["badge-print.pdf"]).pictures[0].placements), 500)
        self.assertLess(len(files["badge-print.pdf"]), 300_000)

    def test_film_is_mirrored_in_both_files_and_vinyl_in_neither(self):
        film = badge_ticket(Change("sheets/s1/stock", "shirt-film-navy-500"), Change("sheets/s1/marks", 3))
        vinyl = badge_ticket(Change("sheets/s1/marks", 3))
        for ticket, side in ((film, "left"), (vinyl, "right")):
            files = {file.name: file.content for file in write_files(ticket, badge_work(ticket))}
            called = "badge-mirrored" if side == "left" else "badge"
            for name in (f"{called}-print.pdf", f"{called}-cut.pdf"):
                with self.subTest(ticket.sheets[0].stock.name, file=name):
                    page = pdf_reader.read_page(files[name])
                    centres = [((b := path.bounds()).left + b.right) / 2 for f in page.filled for path in f.paths]
                    tops = [(path.bounds().top + path.bounds().bottom) / 2 for f in page.filled for path in f.paths]
                    top = [x for x, y in zip(centres, tops, strict=True) if y < page.height / 2]
                    self.assertEqual(len(top), 1)
                    self.assertEqual("left" if top[0] > page.width / 2 else "right", side)


class ReadBackTest(unittest.TestCase):
    def page(self, x: float = 20.0, ink: Ink = CUT) -> Page:
        raster = Raster(np.full((4, 6, 4), 255, np.uint8))
        paths = Bundle.of([Path.circle(x, 30, 8), Path.polygon([(0, 0), (9, 0), (9, 9)])])
        return Page(
            100, 80, (Filled(Bundle.of([Path.circle(5, 5, 3)])),),
            (Stroked(paths, ink, "kiss cut", (Affine(), Affine.translation(40, 0))),),
            (Picture(raster, 30, 20, (Affine.translation(10, 10),)),),
        )  # fmt: skip

    def test_a_shift_of_two_thousandths_is_noticed(self):
        for write, read in ((pdf.write_page, pdf_reader.read_page), (svg.write_page, svg.read_page)):
            meant = self.page() if write is pdf.write_page else Page(100, 80, self.page().filled, self.page().stroked)
            found = read(write(meant))
            check_page(meant, found, "file")
            other = Page(100, 80, meant.filled, self.page(20.002).stroked, meant.pictures)
            with self.assertRaises(FileDisagrees):
                check_page(other, found, "file")

    def test_a_wrong_ink_a_lost_line_and_moved_marks_are_noticed(self):
        found = pdf_reader.read_page(pdf.write_page(self.page()))
        with self.assertRaises(FileDisagrees):
            check_page(self.page(ink=Ink("Other", (0, 0, 0, 1))), found, "file")
        with self.assertRaises(FileDisagrees):
            check_page(Page(100, 80, self.page().filled, (), self.page().pictures), found, "file")
        moved = Page(100, 80, (Filled(Bundle.of([Path.circle(5.01, 5, 3)])),))
        with self.assertRaises(FileDisagrees):
            check_same_marks(found, moved)

    @given(st.integers(0, 23), st.integers(0, 3))
    @settings(max_examples=12, deadline=None)
    def test_a_picture_that_differs_in_one_sample_is_noticed(self, pixel, channel):
        pixels = np.random.default_rng(7).integers(0, 256, (4, 6, 4)).astype(np.uint8)
        wrong = pixels.copy()
        wrong.reshape(-1, 4)[pixel, channel] ^= 1
        pages = [
            replace(self.page(), printed=(Picture(Raster(one), 30, 20, (Affine.translation(10, 10),)),))
            for one in (pixels, wrong)
        ]
        found = pdf_reader.read_page(pdf.write_page(pages[0]))
        check_page(pages[0], found, "file")
        with self.assertRaises(FileDisagrees):
            check_page(pages[1], found, "file")

    def test_a_large_picture_passes_through_a_file_to_the_same_bytes_and_is_read_where_it_lies(self):
        pixels = np.random.default_rng(4).integers(0, 255, (90, 120, 4), np.uint8)
        page = Page(60.0, 45.0, printed=(Picture(Raster(pixels), 60.0, 45.0, (Affine(),)),))
        usual = pdf.write_page(page)
        with mock.patch.object(pdf, "MOST_IN_MEMORY", 500), mock.patch.object(pdf_reader, "LARGE", 500):
            content = pdf.write_page(page)
            self.assertEqual(content, usual)
            check_page(page, pdf_reader.read_page(content), "file")
            place = content.find(b"stream\n", content.find(b"/Width 120")) + 2000
            hurt = content[:place] + bytes([content[place] ^ 1]) + content[place + 1 :]
            with self.assertRaises((FileDisagrees, UnreadableFile)):
                check_page(page, pdf_reader.read_page(hurt), "file")

    def test_other_files_are_refused_in_words(self):
        for read in (pdf_reader.read_page, svg.read_page):
            for content in (b"", b"%PDF-1.4 nothing", b"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 9 9'/>"):
                with self.subTest(read.__module__, content=content), self.assertRaises(UnreadableFile):
                    read(content)


class EveryCornerTest(unittest.TestCase):
    """Contours that were refused on their way into a file."""

    def test_no_contour_of_simple_shapes_is_refused_by_any_format(self):
        for name, corners, distance in (
            ("rounded 64 x 48", "round", 3.0), ("rectangle", "bevelled", 2.0), ("rectangle", "bevelled", 5.0),
            ("pill", "round", 3.0), ("flat ellipse", "bevelled", 1.0), ("Kg", "mitred", 8.0),
        ):  # fmt: skip
            line = line_of("k1", "kiss cut", distance, corners=corners)
            ticket = ticket_of(SHAPES[name], [line], quantity=1, marks=True, stock="matt-white-vinyl-1370")
            placed = [Placed("n1", "l1", 160.0, 160.0, 37.0, "mirrored"), Placed("n2", "l1", 300.0, 160.0)]
            ticket = replace(ticket, sheets=(sheet_on(ticket.sheets[0], placed),))
            work = work_out(ticket, lambda _: b"", MemoryStore())
            made = write_files(ticket, work, formats=["pdf", "svg", "dxf", "dxf-polylines", "dxf-r12", "hpgl"])
            self.assertEqual(len(made), 8, name)
            (rings,) = [line.regions for line in work.layers["l1"].laid.value.lines]
            nodes = [ring.nodes for region in rings for ring in region.rings]
            nearest = min(np.hypot(*(n - np.roll(n, 1, 0)).T).min() for n in nodes)
            self.assertGreater(nearest, 0.0019, f"stacked nodes in {name}")

    def test_a_format_that_is_refused_takes_no_other_with_it_and_says_where(self):
        ticket = ticket_of(SHAPES["star"], [line_of("k1", "kiss cut", 2.0)], quantity=2, marks=True,
                           stock="matt-white-vinyl-1370")  # fmt: skip
        work = work_out(ticket, lambda _: b"", MemoryStore())
        good = FORMATS["svg"]

        def nudged(content):
            page = good.sheets.read(content)
            rows = page.stroked[0].paths.rows.copy()
            rows[3, 6] += 0.03
            moved = replace(page.stroked[0], paths=replace(page.stroked[0].paths, rows=rows))
            return replace(page, stroked=(moved, *page.stroked[1:]))

        self.addCleanup(FORMATS.__setitem__, "svg", good)
        FORMATS["svg"] = replace(good, sheets=replace(good.sheets, read=nudged))
        made = make_files(ticket, work, formats=["pdf", "svg", "dxf"])
        self.assertEqual(
            [file.name for file in made.files], ["sweep-print.pdf", "sweep-cut.pdf", "sweep-cut.dxf", "manifest.json"]
        )
        (refused,) = made.refused
        self.assertEqual(refused.name, "sweep-cut.svg")
        self.assertRegex(refused.error.message, r"line 1 is off by 0\.03\d* mm, near \d+\.\d+, \d+\.\d+ mm")
        self.assertIn(b"sweep-cut.svg", made.files[-1].content)
        with self.assertRaises(FileDisagrees):
            make_files(ticket, work, formats=["svg"])
