"""Pen-plotter files, release 12 DXF and prints of pixels through readers that are not ours, and a trailing knife that
follows what was written."""

import contextlib
import io
import json
import math
import unittest
from dataclasses import replace
from itertools import pairwise

import ezdxf
import ezdxf.path
import numpy as np
import pypdfium2 as pdfium
import shapely
from PIL import Image

from benchmarks.made_up import SHAPES as MADE_UP
from benchmarks.made_up import ticket_of
from nibble_core.errors import CannotMake, UnreadableFile
from nibble_core.formats import dxf_r12, hpgl, pdf_reader
from nibble_core.geometry import Affine, Bundle, Path
from nibble_core.geometry.regions import courses
from nibble_core.graphics import Ink, Page, Stroked
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.trial import test_cut as try_cut
from nibble_core.pipeline.trial import trial_copy, trial_ticket
from nibble_core.pipeline.work import work_out
from nibble_core.simulators import drag_knife
from nibble_core.ticket import Change, apply, ticket_from_plain, to_plain
from nibble_core.ticket.heads import ByKnife
from nibble_core.ticket.line import line_of
from nibble_core.ticket.model import Setting
from nibble_core.toolpaths import Definition, Knife, Program, Run, plotted
from tests.distances import from_lines
from tests.sample import badge_ticket, badge_work

FORMATS = ("pdf", "svg", "dxf", "dxf-polylines", "dxf-r12", "hpgl", "png", "combined")
HEIGHT = 120.0
SHAPES = {
    "circle": Path.circle(40, 40, 25), "small circle": Path.circle(40, 40, 1.5),
    "square": Path.polygon([(10, 10), (60, 10), (60, 60), (10, 60)]),
    "spike": Path.polygon([(10, 10), (70, 14), (10, 18)]),
    "star": Path.polygon([(40 + (30 if k % 2 else 12) * math.cos(k * math.pi / 5),
                           40 + (30 if k % 2 else 12) * math.sin(k * math.pi / 5)) for k in range(10)]),
    "open": Path.polygon([(10, 10), (60, 12), (60, 70), (20, 30)], closed=False),
    "bends of 17 degrees": Path.polygon([(k * 6.0, 20 + 0.9 * (k % 2)) for k in range(12)], closed=False),
    "corners rounded by 0.13": Path.polygon(shapely.get_coordinates(
        shapely.box(10.13, 10.13, 50, 40).buffer(0.13, quad_segs=5).exterior)[:-1]),
}  # fmt: skip


def lines_by_ezdxf(content: bytes) -> list[tuple[int, np.ndarray]]:
    """Colour index and places in mm, y upward, of every polyline that a general plotter emulation draws."""
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        from ezdxf.addons.hpgl2 import api

    player = api.record_plotter_output(content, api.MergeControl.NONE)
    found = []
    for _, properties, points in player.recordings():
        found.append((properties.pen_index, np.array([(p.x, p.y) for p in points.vertices()]) / 40))
    return found


class PlotterTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.ticket = badge_ticket(quantity=6)
        cls.work = badge_work(cls.ticket)
        cls.files = {f.name: f.content for f in write_files(cls.ticket, cls.work, formats=FORMATS)}
        cls.laid = cls.work.sheets["s1"].laid.value

    def test_every_format_that_is_asked_for_is_there(self):
        self.assertEqual(
            sorted(self.files),
            ["badge-cut-polylines.dxf", "badge-cut-r12.dxf", "badge-cut.dxf", "badge-cut.hpgl", "badge-cut.pdf",
             "badge-cut.svg", "badge-print-and-cut.pdf", "badge-print.pdf", "badge-print.png", "manifest.json"],
        )  # fmt: skip
        with self.assertRaises(CannotMake):
            write_files(self.ticket, self.work, formats=["xyz"])

    def test_the_manifest_tells_places_processes_and_files(self):
        sheet = json.loads(self.files["manifest.json"])["sheets"][0]
        self.assertEqual(len(sheet["placements"]), 6)
        self.assertEqual(sheet["placements"][0]["turn_deg"], 0.0)
        whole = self.work.layers["l1"].laid.value.lines[0].length * 6
        self.assertEqual([one["process"] for one in sheet["processes"]], ["through cut"])
        self.assertAlmostEqual(sheet["processes"][0]["length_mm"], whole, places=2)
        self.assertEqual(sheet["processes"][0]["lines"], 12)

    def test_a_knife_that_trails_cuts_each_copy_where_the_sheet_has_it(self):
        wanted = shapely.union_all([
            shapely.union_all(courses(line.paths.mapped(at), 0.001))
            for _, at in self.laid.placements for line in self.work.layers["l1"].laid.value.lines
        ])  # fmt: skip
        offset = self.ticket.sheets[0].setting("through cut").how.blade_offset
        self.assertGreater(offset, 0)
        cuts = drag_knife(self.files["badge-cut.hpgl"], offset)
        self.assertEqual(len(cuts), 12)
        tips = [np.array(cut.tip) * [1, -1] + [0, self.laid.height] for cut in cuts]
        made = shapely.union_all([shapely.LineString(tip) for tip in tips])
        self.assertLess(shapely.hausdorff_distance(wanted, made), 0.05)
        apart = from_lines(np.vstack(tips), wanted)
        self.assertLess(float(apart.max()), 0.032)

    def test_no_step_of_a_smooth_outline_turns_back(self):
        for name in ("ellipse", "S", "pill", "crescent"):
            ticket = ticket_of(MADE_UP[name], [line_of("k1", "kiss cut", 1.0)], quantity=2, marks=False,
                               stock="matt-white-vinyl-1370")  # fmt: skip
            work = work_out(ticket, lambda _: b"", MemoryStore())
            (content,) = [f.content for f in write_files(ticket, work, formats=["hpgl"]) if f.purpose == "cut"]
            for path in hpgl.read_page(content).stroked[0].paths:
                steps = np.diff(np.vstack([path.nodes]), axis=0)
                long = np.hypot(*steps.T)
                self.assertGreater(long[:-1].min(), 0.0251)
                back = (steps[1:] * steps[:-1]).sum(1) < -1e-9
                self.assertEqual(int(back.sum()), 0, name)

    def test_release_12_is_read_by_a_general_library(self):
        document = ezdxf.read(io.StringIO(self.files["badge-cut-r12.dxf"].decode("cp1252")))
        self.assertEqual((document.dxfversion, document.audit().errors), ("AC1009", []))
        cuts = [one for one in document.modelspace() if one.dxf.layer != "Marks"]
        self.assertEqual((len(cuts), {one.dxftype() for one in document.modelspace()}), (12, {"POLYLINE"}))
        ring = np.array([(p.x, self.laid.height - p.y) for p in ezdxf.path.make_path(cuts[0]).flattening(0.01)])
        line = self.work.layers["l1"].laid.value.lines[0].paths.mapped(self.laid.placements[0].at)
        wanted = courses(line, 0.001)[0]
        self.assertLess(shapely.hausdorff_distance(shapely.LineString(ring), wanted), 0.012)

    def test_the_print_of_pixels_is_the_print_at_its_stated_resolution(self):
        image = Image.open(io.BytesIO(self.files["badge-print.png"]))
        across = image.info["dpi"][0]
        self.assertAlmostEqual(image.width / across * 25.4, self.laid.width, delta=25.4 / across)
        self.assertEqual((image.mode, image.getpixel((image.width // 2, 2))[3]), ("RGBA", 0))
        x, y = self.laid.marks.places[0]
        self.assertLess(max(image.getpixel((round(x / 25.4 * across), round(y / 25.4 * across)))[:3]), 40)

    def test_print_and_cut_lie_together_in_one_file(self):
        page = pdfium.PdfDocument(self.files["badge-print-and-cut.pdf"])[0]
        self.assertAlmostEqual(page.get_width() / 72 * 25.4, self.laid.width, delta=0.01)
        kinds = {thing.type for thing in page.get_objects(max_depth=4)}
        self.assertTrue({2, 3} <= kinds)  # paths and pictures

    def test_damaged_files_are_told(self):
        for module, name in ((hpgl, "badge-cut.hpgl"), (dxf_r12, "badge-cut-r12.dxf")):
            for content in (b"", b"IN;", self.files[name][:-40], b"\x00" * 50):
                with self.assertRaises(UnreadableFile):
                    module.read_page(content)


def placed(turn: float) -> Affine:
    return Affine.rotation(turn).then(Affine.translation(80, 9))


class TrialTest(unittest.TestCase):
    def test_a_square_and_a_circle_of_true_size_leave_in_every_cut_format_with_the_sheets_settings(self):
        ticket = badge_ticket(Change("pieces/p1/layers/l1/lines/k1/process", "kiss cut"),
                              Change("sheets/s1/weed_lines", "weed lines"), quantity=6)  # fmt: skip
        files = {one.name: one.content for one in try_cut(ticket, ticket.sheets[0], badge_work(ticket))}
        self.assertEqual(sorted(files), ["badge-test-cut.hpgl", "badge-test-cut.pdf", "badge-test-cut.svg"])
        page = pdf_reader.read_page(files["badge-test-cut.pdf"])
        self.assertEqual([one.layer for one in page.stroked], ["kiss cut", "weed cut"])
        for one in page.stroked:
            circle, square = one.paths
            self.assertAlmostEqual(circle.length(), 12 * math.pi, places=2)
            self.assertAlmostEqual(square.length(), 80.0, places=3)
        self.assertIn("FS90;", files["badge-test-cut.hpgl"].decode())

    def test_one_copy_is_the_sheet_with_a_single_copy(self):
        ticket = badge_ticket(quantity=40)
        single = trial_ticket(ticket, ticket.sheets[0])
        files = {one.name: one.content for one in trial_copy(single, badge_work(single))}
        self.assertIn("badge-trial-print.pdf", files)
        page = pdf_reader.read_page(files["badge-trial-cut.pdf"])
        self.assertEqual([len(one.placements) for one in page.stroked], [1])


class KnifeTest(unittest.TestCase):
    def cuts(self, names, knife, turn=0.0):
        runs = [
            Run(Definition(name, "kiss cut", Bundle.of([SHAPES[name]])), (placed(turn),))
            for name in names
        ]  # fmt: skip
        made = plotted(Program(tuple(runs)), lambda of: knife, height=HEIGHT, unit=0.025)
        wanted = [shapely.union_all(courses(run.of.paths.mapped(run.places[0]), 0.001)) for run in runs]
        return made, wanted

    def test_every_place_of_a_shape_is_cut_within_two_hundredths_and_nothing_beyond_three(self):
        for turn in (0.0, 31.0):
            for name in SHAPES:
                with self.subTest(name, turn=turn):
                    made, (wanted,) = self.cuts([name], Knife(0.25, 0.5, 20.0), turn)
                    page = Page(400, HEIGHT, stroked=tuple(
                        Stroked(paths, Ink("Kiss", (0, 1, 0, 0)), of.process) for of, paths in made
                    ))  # fmt: skip
                    cuts = drag_knife(hpgl.write_page(page), 0.25, step=0.005)
                    tips = np.vstack([np.array(cut.tip) for cut in cuts]) * [1, -1] + [0, HEIGHT]
                    apart = from_lines(tips, wanted)
                    self.assertLess(float(apart.max()), 0.03)
                    track = shapely.LineString(tips)
                    places = shapely.get_coordinates(shapely.segmentize(wanted, 0.05))
                    self.assertLess(float(from_lines(places, track).max()), 0.02)
                    if SHAPES[name].closed:  # the ring closes, and a little more
                        self.assertGreaterEqual(track.length, wanted.length - 0.05)

    def test_each_run_and_each_pass_is_entered_along_its_direction(self):
        made, wanted = self.cuts(["spike", "square", "circle"], Knife(0.25, 0.5, 20.0, passes=2), 31.0)
        page = Page(400, HEIGHT, stroked=tuple(Stroked(p, Ink("K", (0, 1, 0, 0)), of.process) for of, p in made))
        cuts = drag_knife(hpgl.write_page(page), 0.25, step=0.005)
        self.assertEqual(len(cuts), 6)
        for cut, line in zip(cuts, np.repeat(wanted, 2), strict=True):
            tips = np.array(cut.tip) * [1, -1] + [0, HEIGHT]
            self.assertLess(float(from_lines(tips, line).max()), 0.03)

    def test_each_dash_of_a_curve_begins_on_it(self):
        """The curve turns between two dashes by less than a corner does."""
        angles = np.arange(0, 2 * math.pi, 4.0 / 15)
        dashes = [
            np.array([(40 + 15 * math.cos(a + t), 40 + 15 * math.sin(a + t)) for t in (0, 0.1, 0.2)]) for a in angles
        ]
        paths = Bundle.polylines(np.vstack(dashes), np.arange(0, 3 * len(dashes) + 1, 3))
        run = Run(Definition("dashes", "perforate", paths), (Affine(),))
        made = plotted(Program((run,)), lambda of: Knife(0.25, 0.5, 20.0), height=HEIGHT, unit=0.025)
        page = Page(400, HEIGHT, stroked=tuple(Stroked(p, Ink("K", (0, 1, 0, 0)), of.process) for of, p in made))
        cuts = drag_knife(hpgl.write_page(page), 0.25, step=0.005)
        self.assertEqual(len(cuts), len(dashes))
        starts = [np.array(cut.tip[0]) * [1, -1] + [0, HEIGHT] for cut in cuts]
        off = [float(np.hypot(*(start - dash[0]))) for start, dash in zip(starts, dashes, strict=True)]
        self.assertLess(max(off), 0.019)  # half a diagonal of the grid

    def test_an_uncompensated_knife_would_round_the_corners_off(self):
        made, (wanted,) = self.cuts(["square"], Knife(0.0, 0.5, 20.0))
        page = Page(400, HEIGHT, stroked=tuple(Stroked(p, Ink("K", (0, 1, 0, 0)), of.process) for of, p in made))
        tips = np.vstack([np.array(cut.tip) for cut in drag_knife(hpgl.write_page(page), 0.25)]) * [1, -1] + [0, HEIGHT]
        self.assertGreater(float(from_lines(tips, wanted).max()), 0.1)

    def test_lines_begin_away_from_corners_and_the_next_is_entered_along_its_direction(self):
        made, _ = self.cuts(["square", "spike", "circle"], Knife(0.25, 0.5, 20.0))
        for (_, before), (_, after) in pairwise(made):
            self.assertTrue(len(before) == len(after) == 1)
        square = made[0][1][0].rows
        start = shapely.Point(square[0, :2] - [0.25 * np.sign(square[0, 6] - square[0, 0]), 0])
        corners = shapely.MultiPoint(SHAPES["square"].mapped(Affine.translation(80, 9)).rows[:, :2])
        self.assertGreater(start.distance(corners), 20)

    def test_pens_speed_force_and_passes_come_from_the_sheets_settings(self):
        ticket = badge_ticket(quantity=2)
        own = Setting("x", "through cut", ByKnife(force=180, speed=250, passes=2, blade_offset=0.0))
        ticket = ticket_from_plain(to_plain(apply(ticket, [Change("sheets/s1/settings", [to_plain(own)])])))
        files = {f.name: f.content for f in write_files(ticket, badge_work(ticket), formats=["hpgl"])}
        text = files["badge-cut.hpgl"].decode()
        self.assertEqual((text.count("VS25;FS180;"), text.count("PD")), (2, 8))
        found = lines_by_ezdxf(files["badge-cut.hpgl"])
        self.assertEqual(len(found), 8)
        page = hpgl.read_page(files["badge-cut.hpgl"])
        upward = page.stroked[0].paths.mapped(Affine(d=-1.0, f=page.height)).flattened()[0]
        ours = upward[: len(found[0][1])]
        self.assertLess(float(np.abs(found[0][1] - found[0][1].min(0) - (ours - ours.min(0))).max()), 0.0251)
        self.assertEqual(replace(page.stroked[0].tool, pen=1).force, 180)
