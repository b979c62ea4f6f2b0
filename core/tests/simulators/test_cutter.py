"""The simulated cutter: marks found in pixels, how a sheet lies, where a blade goes, cut files read by other means."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.formats import pdf
from nibble_core.formats.registry import FORMATS
from nibble_core.geometry import Affine, Bundle, Path, Point
from nibble_core.graphics import Filled, Ink, Page, Painted, Stroked
from nibble_core.sheet.laid import Marks as LaidMarks
from nibble_core.simulators.camera import MarkLook
from nibble_core.simulators.cut_files import Unreadable, read_cut
from nibble_core.simulators.cutter import Blade, Marks, cut, lies_by, look_for, tip_track, under_clamps
from nibble_core.simulators.drag_knife import drag_knife
from nibble_core.simulators.press import Faults, PrintedSheet

WIDE, HIGH = 200.0, 280.0
CORNERS = [(3.0, 3.0), (3.0, HIGH - 3), (WIDE - 3, HIGH - 3), (WIDE - 3, 3.0)]


def printed_marks(shape, places=CORNERS):
    """A page with marks and artwork that has discs as large as they are, and what a cutter is told of it."""
    own = LaidMarks(tuple(Point(*place) for place in places), 6.0, shape, (WIDE / 2, HIGH / 2))
    clutter = Painted(
        Bundle.of([Path.circle(40, 40, 14), Path.circle(60, 24, 3)]), (190, 40, 30),
        tuple(Affine.translation(x, y) for x in (0, 60, 120) for y in (0, 70, 140)),
    )  # fmt: skip
    looks = tuple(MarkLook(shape, 6.0, 1 if x < WIDE / 2 else -1, 1 if y < HIGH / 2 else -1) for x, y in places)
    key = 4 if len(places) == 5 else None
    page = Page(WIDE, HIGH, (Filled(own.paths()),), (), (clutter,))
    return pdf.write_page(page), Marks(np.array(places), looks, key)


def seen_on(content, marks, faults, off=(1.5, -1.0)):
    sheet = PrintedSheet(content, faults)
    try:
        truth = sheet.distortion.forward(marks.places)
        return look_for(sheet.picture, marks, tuple(truth[0] + off)), truth
    finally:
        sheet.close()


class CameraTest(unittest.TestCase):
    def test_marks_of_every_shape_are_found_within_a_fiftieth_of_a_millimetre(self):
        chance = np.random.default_rng(3)
        for shape in ("circles", "squares", "crosses", "corners"):
            content, marks = printed_marks(shape)
            for seed in range(3):
                faults = Faults(
                    *chance.uniform(-1, 1, 2), turn=chance.uniform(-3, 3), shift=tuple(chance.uniform(-3, 3, 2)),
                    gain=chance.uniform(0, 0.08), blur=chance.uniform(0, 0.1), noise=chance.uniform(0, 8),
                    cast=tuple(chance.uniform(0.85, 1, 3)), seed=seed,
                )  # fmt: skip
                seen, truth = seen_on(content, marks, faults)
                with self.subTest(shape, seed=seed):
                    found = np.array([(one.x, one.y) for one in seen.marks])
                    self.assertLess(np.hypot(*(found - truth).T).max(), 0.02)
                    self.assertEqual(seen.complaints, [])

    def test_a_scratched_mark_is_said_and_does_not_count(self):
        content, marks = printed_marks("circles")
        for radius in (0.6, 1.5, 4.0):
            x, y = CORNERS[2]
            seen, _ = seen_on(content, marks, Faults(across=0.3, scratches=((x + 1.8, y, radius),)))
            self.assertIn("ark 3", seen.complaints[0].words)
            self.assertLess(abs(seen.lies.across - 1.003), 2e-4)

    def test_an_arm_of_a_corner_that_was_cut_short_is_said(self):
        content, marks = printed_marks("corners")
        x, y = CORNERS[0]
        for turn, short in ((0.0, 0.08), (1.7, 0.1), (-2.5, 0.15)):
            scratched = Faults(0.4, -0.6, turn=turn, gain=0.03, scratches=((x + 3 + 4 - short, y - 2.25, 4.0),))
            seen, truth = seen_on(content, marks, scratched)
            self.assertFalse(seen.marks[0].whole)
            self.assertIn("ark 1 is not whole", seen.complaints[0].words)
            places = truth[1:]
            self.assertLess(np.hypot(*(seen.lies.forward(marks.places[1:]) - places).T).max(), 0.01)

    def test_too_few_marks_or_others_stop_it(self):
        content, marks = printed_marks("circles")
        hidden = Faults(scratches=tuple((x, y, 5.0) for x, y in CORNERS[1:3]))
        self.assertRegex(seen_on(content, marks, hidden)[0].complaints[-1].words, "Only 2 of 4")
        self.assertIsNone(seen_on(content, marks, hidden)[0].lies)
        far = seen_on(content, marks, Faults(), off=(40.0, 0.0))[0]
        self.assertRegex(far.complaints[0].words, "first mark was not found")
        keyed, told = printed_marks("circles", [*CORNERS, (18.0, 3.0)])
        self.assertIsNotNone(seen_on(keyed, told, Faults(turn=1.0))[0].lies)
        turned = seen_on(keyed, told, Faults(turn=180.0), off=(3.0 - 197.0 + 1, 3.0 - 277.0))[0]
        self.assertRegex(turned.complaints[-1].words, "turned round")


class LiesTest(unittest.TestCase):
    @settings(deadline=None, max_examples=50)
    @given(st.lists(st.floats(-0.02, 0.02), min_size=4, max_size=4), st.lists(st.floats(-9e-5, 9e-5), min_size=2))
    def test_four_marks_tell_any_projective_map(self, linear, tilt):
        matrix = np.array([[1 + linear[0], linear[1], tilt[0]], [linear[2], 1 + linear[3], tilt[1]], [5, -3, 1]])

        def mapped(places):
            there = np.column_stack([places, np.ones(len(places))]) @ matrix
            return there[:, :2] / there[:, 2:]

        meant = np.array(CORNERS)
        lies = lies_by(meant, mapped(meant))
        places = np.random.default_rng(0).uniform((0, 0), (WIDE, HIGH), (30, 2))
        self.assertEqual(lies.model, "projective")
        np.testing.assert_allclose(lies.forward(places), mapped(places), atol=1e-6)

    def test_pairs_follow_a_bowed_roll_that_four_marks_do_not(self):
        long = 3000.0
        along = np.linspace(3, long - 3, 9)
        pairs = np.array([(x, y) for y in along for x in (3.0, 597.0)])
        ends = np.array([(3, 3), (3, long - 3), (597, long - 3), (597, 3)], float)

        def bowed(places):
            share = places[:, 1] / long
            return places + np.column_stack([1.2 * 4 * share * (1 - share), np.zeros(len(places))])

        places = np.array([(x, y) for x in (50.0, 300.0, 550.0) for y in np.linspace(20, long - 20, 60)])
        off = {}
        for name, meant in (("ends", ends), ("pairs", pairs)):
            lies = lies_by(meant, bowed(meant))
            off[name] = np.hypot(*(lies.forward(places) - bowed(places)).T).max()
        self.assertAlmostEqual(off["ends"], 1.2, delta=0.01)
        self.assertAlmostEqual(off["pairs"], 1.2 / 8**2, delta=0.002)  # the sagitta of one of eight sections

    @given(st.lists(st.tuples(*[st.integers(-6, 6)] * 2), min_size=2, max_size=6, unique=True))
    def test_a_track_is_under_a_clamp_where_an_independent_library_says_so(self, places):
        track = np.array(places, float)
        touches = shapely.LineString(track).intersects(shapely.box(-2, -1, 3, 2))
        self.assertEqual(under_clamps([track], [(-2.0, -1.0, 3.0, 2.0)]), int(touches))

    def test_two_marks_tell_no_stretch(self):
        meant = np.array([(0.0, 0.0), (0.0, 100.0)])
        lies = lies_by(meant, meant * 1.01 + (2, 3))
        self.assertEqual(lies.model, "similar")
        np.testing.assert_allclose(lies.forward(np.array([[50.0, 50.0]])), [[52.5, 53.5]])


class BladeTest(unittest.TestCase):
    def test_a_tip_trails_as_one_that_is_stepped_does(self):
        places = [(10, 10), (40, 10), (40, 40), (12, 22), (30, 60), (31, 60)]
        words = ";".join(f"P{'U' if k == 0 else 'D'}{x * 40},{y * 40}" for k, (x, y) in enumerate(places))
        stepped = np.array(drag_knife(f"IN;SP1;{words};PU0,0;".encode(), 0.5, step=0.002)[0].tip)
        track, facing = tip_track(np.array(places, float), 0.5)
        for place in track:
            self.assertLess(np.hypot(*(stepped - place).T).min(), 0.01)
        np.testing.assert_allclose(track[-1], stepped[-1], atol=0.005)
        back, _ = tip_track(np.array([(50.0, 50.0), (50.0, 40.0)]), 0.5, facing)  # raised, it keeps its way
        np.testing.assert_allclose(back[0], (50 - 0.5 * math.cos(facing), 50 - 0.5 * math.sin(facing)))


class CutFileTest(unittest.TestCase):
    page = Page(
        WIDE, HIGH,
        stroked=(
            Stroked(Bundle.of([Path.circle(0, 0, 20)]), Ink("Kiss", (0.3, 0.9, 0, 0)), "kiss cut",
                    (Affine.translation(50, 60), Affine(0.0, 1.0, -1.0, 0.0, 140, 200))),
            Stroked(Bundle.of([Path.polygon([(10, 150), (40, 150), (40, 190)])]), Ink("Through", (0, 1, 0, 0.3)),
                    "through cut"),
        ),
    )  # fmt: skip

    def test_lines_are_read_at_their_true_size_and_place_from_every_format(self):
        for key in ("pdf", "svg", "dxf", "dxf-polylines", "dxf-r12"):
            form = FORMATS[key]
            read = read_cut(form.sheets.write(self.page), form.ending, height=HIGH)
            circles = [line for line in read.lines if line.length > 122]
            with self.subTest(key):
                self.assertEqual(len(read.lines), 3)
                self.assertEqual(len({line.called for line in read.lines}), 2)
                self.assertTrue(all(line.closed for line in read.lines))
                for line, middle in zip(circles, ((50, 60), (140, 200)), strict=True):
                    off = np.hypot(*(line.places - middle).T) - 20
                    self.assertLess(np.abs(off).max(), 0.006)
                    self.assertAlmostEqual(line.length, 40 * math.pi, delta=0.05)

    def test_what_is_cut_off_or_unknown_is_told(self):
        whole = b"IN;DF;SP1;PU0,0;PD400,0,400,400;PU0,0;SP0;"
        self.assertEqual(len(read_cut(whole, "hpgl", height=100).lines), 1)
        for content, ending, words in (
            (whole[:24], "hpgl", "cut off"), (whole[:28], "hpgl", "cut off|second number"),
            (b"hello", "hpgl", "no plotter"),
            (whole.replace(b"PD", b"XX"), "hpgl", "XX"), (b"IN;SP0;", "hpgl", "nothing to cut"),
            (b"%PDF-1.4", "pdf", "not a PDF"), (b"<svg", "svg", "not an SVG"),
            (b"0\nSECTION", "dxf", "nothing|not a DXF"),
            (whole, "doc", "takes no files"),
            (b"IN;SP1;PU0,0;PD1e9,0;PU0,0;SP0;", "hpgl", "no machine can go"),
        ):  # fmt: skip
            with self.subTest(content=content[:30], ending=ending), self.assertRaisesRegex(Unreadable, words):
                read_cut(content, ending, height=100.0)

    def test_lines_land_elsewhere_by_as_much_as_is_said(self):
        file = read_cut(FORMATS["pdf"].sheets.write(self.page), "pdf")
        meant = np.array(CORNERS)
        lies = lies_by(meant, meant)
        exact = cut(file, lies)
        for was, made in zip(file.lines, exact, strict=True):
            np.testing.assert_allclose(made.places, was.places, atol=1e-6)
        off = [
            np.hypot(*(made.places - was.places)[0])
            for seed in range(60)
            for was, made in zip(file.lines, cut(file, lies, Blade(repeats=0.2, seed=seed)), strict=True)
        ]
        self.assertAlmostEqual(float(np.mean(off)), 0.2 * math.sqrt(math.pi / 2), delta=0.03)
        slack = cut(file, lies, Blade(backlash=0.2))[0].places - exact[0].places
        self.assertAlmostEqual(float(np.abs(slack).max()), 0.1, delta=0.005)
