"""From a ticket to a laser's G-code and through the simulated laser: true size, upright, in the right order."""

import hashlib
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.checks.beams import beyond_bed
from nibble_core.errors import DoesNotFit, NibbleError
from nibble_core.formats.registry import FORMATS
from nibble_core.geometry import Box
from nibble_core.graphics.moves import BURN
from nibble_core.pipeline import trial
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.head_files import marks_on_machine, write_frame, write_head, write_pen_run
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.swatch import Grid, kerf_comb, swatch
from nibble_core.pipeline.work import work_out
from nibble_core.simulators.burnt import course, picture, run
from nibble_core.simulators.laser import Body
from nibble_core.simulators.laser_port import Lies
from nibble_core.ticket import apply, sentences, ticket_from_plain, to_plain
from nibble_core.ticket.heads import HEADS, HEIGHTS, ORIGINS, BeamHead, ByBeam
from nibble_core.ticket.library import MACHINES, STARTING, STOCKS
from nibble_core.ticket.line import AS_THEY_ARE, Engraving, Fill, Hatching, Line, Rings, Source, line_of
from nibble_core.ticket.model import GROUPINGS, MICRO_TIES, Held, Placed, Setting, Sheet, Ticket, Zone
from nibble_core.ticket.piece import Element, Figure, Layer, Lettering, Piece, Prints, prints_of
from nibble_core.ticket.places import KerfMark
from tests.machines import with_head, with_how
from tests.pictures import badge_png

LASER, BIRCH, STEEL = MACHINES["small-laser"], STOCKS["birch-3mm"], STOCKS["mild-steel-2mm"]
SETTINGS = STARTING.settings_of("small-laser", "birch-3mm")
ITSELF = {"close_gaps": 0.0, "holes": "kept", "smallest_hole": 0.0, "source": "the shapes"}


def cut(**values):
    return line_of("k1", "through cut", 0.0, **(ITSELF | values))


def job(elements, lines, machine=LASER, *, quantity=1, settings=SETTINGS, stock=BIRCH, **values):
    piece = Piece("p1", "part", quantity, tuple(elements), (Layer("l1", Prints(), tuple(lines)),))
    sheet = Sheet("s1", (Held("h1", "l1"),), stock, machine, settings=settings, **({"spacing": 4.0} | values))
    return ticket_from_plain(to_plain(Ticket(name="Laser job", pieces=(piece,), sheets=(sheet,))))


def engraving(fill):
    return Line("k2", Source(kind="the shapes"), AS_THEY_ARE, Engraving(fill=fill))


def plate(hole=20.0, side=50.0):
    """A square with a round hole."""
    return (
        Element("e1", content=Figure("rectangle", side, side)),
        Element("e2", content=Figure("circle", hole), way="cut out", across="centred", down="centred"),
    )


def worked(ticket, sources=None):
    return work_out(ticket, lambda sha: sources[sha], MemoryStore())


def gcode(ticket, work=None, **options):
    files = write_files(ticket, work or worked(ticket), **options)
    return next(file.content for file in files if file.name.endswith(".gcode"))


def body_for(machine):
    w, h, head = float(machine.usable_width), float(machine.usable_length), machine.head
    left = {"left": 0.0, "right": -w, "centre": -w / 2}[head.origin.split()[-1]]
    bottom = {"lower": 0.0, "upper": -h, "the": -h / 2}[head.origin.split()[0]]
    return Body(w, h, left, bottom, head.acceleration, head.fastest, head.jump, head.power_scale, head.moves_height)


def widths(dropped):
    return [(round(b - a, 3), round(d - c, 3)) for a, c, b, d in (one.box for one in dropped)]


class TrueSize(unittest.TestCase):
    @settings(max_examples=8, deadline=None)
    @given(st.floats(0.05, 1.2).map(lambda v: round(v, 2)), st.sampled_from(["no lead-in", "a line", "an arc"]))
    def test_a_square_of_50_with_a_hole_of_20_comes_out_so(self, kerf, lead):
        own = tuple(with_how(one, kerf=kerf, lead=lead) if one.process == "through cut" else one for one in SETTINGS)
        ticket = job(plate(), [cut()], settings=own)
        content = gcode(ticket)
        told = run(content, body_for(LASER))[1]
        self.assertEqual(told.complaints, [])
        self.assertEqual(len(told.dropped), 2)
        (hole, hole_high), (wide, high) = widths(told.dropped)
        # what the beam's edges leave: half a kerf on either side of its middle
        self.assertAlmostEqual(wide - kerf, 50, delta=0.02)
        self.assertAlmostEqual(high - kerf, 50, delta=0.02)
        self.assertAlmostEqual(hole + kerf, 20, delta=0.02)
        self.assertAlmostEqual(hole_high + kerf, 20, delta=0.02)

    def test_islands_in_holes_and_a_click_say_the_side(self):
        island = Element("e3", content=Figure("circle", 8.0), way="apart", across="centred", down="centred")
        own = tuple(
            with_how(one, kerf=1.0, lead="no lead-in") if one.process == "through cut" else one for one in SETTINGS
        )
        for marks, wanted in (((), [9, 19, 51]), ((KerfMark("m1", 0.5 + 4 / 50, 0.5, "inside"),), [7, 19, 51])):
            ticket = job((*plate(), island), [cut(kerf_marks=marks)], settings=own)
            dropped = run(gcode(ticket), body_for(LASER))[1].dropped
            self.assertTrue(np.allclose([wide for wide, _ in widths(dropped)], wanted, atol=0.02), widths(dropped))

    def test_an_f_is_upright_for_every_origin(self):
        letter = Element("e1", content=Lettering("F", "sans", "", 40.0))
        images = []
        for origin in ORIGINS:
            for of in ("the bed", "the job"):
                machine = with_head(LASER, origin=origin, origin_of=of)
                ticket = job(
                    [letter], [line_of("k1", "engrave", 0.0, fill="by hatching", interval=0.5, **ITSELF)], machine
                )
                body = body_for(machine)
                if of == "the job":  # the head was driven to the middle of the bed
                    body = replace(body, left=-body.width / 2, bottom=-body.height / 2)
                laser, told = run(gcode(ticket), body)
                self.assertEqual(told.complaints, [], (origin, of))
                image = picture(laser.steps, body, px_per_mm=2, spot=0.5) < 200
                ys, xs = image.nonzero()
                images.append(image[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1])
        first = images[0]
        self.assertGreater(first[: len(first) // 2].sum(), 1.3 * first[len(first) // 2 :].sum(), "heavier above")
        self.assertGreater(
            first[:, : first.shape[1] // 2].sum(), first[:, first.shape[1] // 2 :].sum(), "stem at the left"
        )
        for image in images[1:]:
            self.assertLessEqual(abs(image.shape[0] - first.shape[0]) + abs(image.shape[1] - first.shape[1]), 2)
            h, w = min(image.shape[0], first.shape[0]), min(image.shape[1], first.shape[1])
            self.assertLess((image[:h, :w] != first[:h, :w]).mean(), 0.12)


class WholeJobs(unittest.TestCase):
    LINES = (
        cut(),
        line_of(
            "k2",
            "engrave",
            -4.0,
            source="the outer shape",
            close_gaps=0.0,
            fill="by hatching",
            interval=0.4,
            hatch_angle=30.0,
        ),
        line_of("k3", "score", -2.0, source="the outer shape", close_gaps=0.0),
    )

    def test_minutes_are_the_machines_and_files_hold_what_was_planned(self):
        for grouping in ("process by process", "copy by copy", "region by region"):
            ticket = job(plate(12, 30), self.LINES, quantity=7, grouping=grouping)
            work = worked(ticket)
            told = run(gcode(ticket, work), body_for(LASER))[1]
            self.assertEqual(told.complaints, [])
            self.assertEqual(len(told.dropped), 14)
            plan = work.sheets["s1"].beam_run.value
            self.assertAlmostEqual(told.seconds / 60, plan.minutes, delta=0.001 * plan.minutes)
            for process, length in plan.burnt().items():
                self.assertAlmostEqual(told.burnt[process], length, delta=0.5)

    def test_strokes_run_one_way_however_copies_are_turned(self):
        placed = tuple(
            Placed(f"n{k}", "l1", 60.0 + 90 * k, 60.0, turn) for k, turn in enumerate((0.0, 30.0, 90.0, 180.0))
        )
        for grain, wanted in (("alike on every copy", {20}), ("turned with each copy", {20, 50, 110})):
            fill = Hatching(interval=0.5, hatch_angle=20.0, grain=grain)
            ticket = job(plate(10.0, 30.0), [engraving(fill)], arrangement="as placed", placed=placed, quantity=4)
            moves = worked(ticket).sheets["s1"].beam_run.value.moves
            burnt = (moves.rows[:, 6:] - moves.rows[:, :2])[moves.does == BURN]
            self.assertEqual({round(v) for v in np.degrees(np.arctan2(burnt[:, 1], burnt[:, 0])) % 180}, wanted)
            area = 4 * (30**2 - np.pi * 5**2)
            self.assertAlmostEqual(np.hypot(*burnt.T).sum() * 0.5, area, delta=0.01 * area)

    def test_rows_run_on_over_copies_where_that_is_quicker(self):
        ticket = job(plate(6.0, 25.0), [engraving(Hatching(interval=0.25))], quantity=10)
        work = worked(ticket)
        made = work.sheets["s1"].beam_run.value
        self.assertGreater(made.saved, 0.3)
        content = gcode(ticket, work)
        told = run(content, body_for(LASER))[1]
        self.assertEqual(told.complaints, [])
        self.assertAlmostEqual(told.seconds / 60 / made.minutes, 1.0, delta=0.03)
        lone = worked(job(plate(6.0, 25.0), [engraving(Hatching(interval=0.25))])).sheets["s1"].beam_run.value
        burnt = [value.burnt()["engrave"] for value in (made, lone)]
        self.assertAlmostEqual(burnt[0], 10 * burnt[1], places=3)
        said = [note.text for station in stations(ticket, work) for note in station.notes]
        self.assertTrue([text for text in said if "Rows of hatching run on over copies" in text])

    def test_fills_are_in_the_other_files_as_well(self):
        ticket = job(plate(12, 30), self.LINES)
        work = worked(ticket)
        files = write_files(ticket, work, formats=["pdf", "svg", "dxf", "hpgl", "engraving"])
        self.assertEqual(len(files), 6)
        strokes = next(line for line in work.layers["l1"].laid.value.lines if line.id == "k2")
        self.assertGreater(len(strokes.paths), 40)

    def test_a_picture_is_engraved_dark_and_its_paper_not(self):
        content = badge_png()
        from nibble_core.ticket import first_ticket

        made = first_ticket(name="Badge", file=hashlib.sha256(content).hexdigest(), file_name="badge.png", width=40,
                            stock=BIRCH, machine=LASER)  # fmt: skip
        for tones in ("error diffusion", "grey by power", "halftone dots", "an ordered pattern"):
            line = line_of("k1", "engrave", 0.0, fill="as a picture", interval=0.2, tones=tones, **ITSELF)
            piece = replace(made.pieces[0], layers=(Layer("l1", Prints(), (line,)),))
            ticket = replace(made, pieces=(piece,))
            work = worked(ticket, {made.artworks[0].file: content})
            self.assertEqual([p.error.message for p in work.problems], [])
            drawn = work.layers["l1"].laid.value.lines[0]
            self.assertGreater(len(drawn.paths), 100)
            if tones == "grey by power":
                self.assertLess(drawn.shares.min(), drawn.shares.max())
            self.assertEqual(run(gcode(ticket, work), body_for(LASER))[1].complaints, [])

    def test_frame_and_pen_run_stay_within_and_burn_nothing_else(self):
        ticket = job(plate(12, 30), self.LINES, quantity=3)
        work = worked(ticket)
        burnt = run(gcode(ticket, work), body_for(LASER))[0]
        for shape in ("a box", "the hull"):
            laser, told = run(write_frame(ticket, ticket.sheets[0], work, FORMATS["gcode"], shape), body_for(LASER))
            self.assertEqual((told.burnt, told.complaints), ({}, []))
            ends = [
                np.vstack([course(step) for step in one.steps if of(step)])
                for one, of in ((burnt, lambda s: s.beam > 0), (laser, lambda s: not s.rapid))
            ]
            for side in (lambda p: p.max(0), lambda p: p.min(0)):
                self.assertTrue(np.allclose(side(ends[0]), side(ends[1]), atol=0.3))
        pen = run(write_pen_run(ticket, ticket.sheets[0], work, FORMATS["gcode"]), body_for(LASER))[1]
        self.assertEqual((pen.complaints, pen.burnt), ([], {}))
        self.assertAlmostEqual(sum(pen.drawn.values()), sum(work.sheets["s1"].beam_run.value.burnt().values()), delta=1)

    def test_a_trial_starts_no_tool_and_travels_above_the_work_whatever_the_machine(self):
        power = (Setting("k", "through cut", ByBeam(
                     power=1.0, speed=50, pierce=0.4, pierce_height=4.0, focus=1.5, passes=2, kerf=1.2, lead="an arc",
                     air="with air")),
                 Setting("e", "engrave", ByBeam(power=0.4, speed=90, overscan=3.0, warm_up=2.0, pierce=0.2)),
                 Setting("s", "score", ByBeam(power=0.2, speed=90)))  # fmt: skip
        for head in (one for one in HEADS.values() if issubclass(one, BeamHead)):
            for height in HEIGHTS:
                machine = replace(MACHINES["torch-table"], head=head(height=height, safe_height=12.0), spots=())
                ticket = job(plate(12, 30), self.LINES, machine, quantity=2, settings=power, stock=STEEL)
                work, sheet = worked(ticket), ticket.sheets[0]
                for write, words in ((write_frame, ("a box",)), (write_frame, ("the hull",)), (write_pen_run, ())):
                    content = write(ticket, sheet, work, FORMATS["gcode"], *words)
                    self.assertNotRegex(content.decode(), r"(?m)^[^(;]*(M3|M4|M8|S[0-9.]*[1-9])")
                    told = run(content, body_for(machine))[1]
                    self.assertEqual((told.complaints, told.burnt), ([], {}), (head, height))
                    self.assertGreater(sum((told.drawn or told.travelled).values()), 100)
                    self.assertEqual(bool(told.drawn), write is write_pen_run)
                    raised = b"Z12" in content
                    self.assertEqual(raised, machine.head.moves_height or write is write_pen_run)

    def test_the_stand_in_complains_of_a_trial_that_starts_a_tool_or_drags_it(self):
        head = "; trial: no tool is started\nG21\nG90\nG17\nM5\n"
        for lines, words in (
            ("M3 S0\n", "starts a tool"), ("S5\n", "starts a tool"), ("M4\nG0 X5 Y5\n", "starts a tool"),
            ("G0 X5 Y5\n", "before its head is raised"), ("G1 Z0 F600\nG0 X5 Y5\n", "with its head down"),
        ):  # fmt: skip
            told = run((head + lines + "M2\n").encode(), Body(raises=True))[1].complaints
            self.assertTrue(any(words in one.words for one in told), (lines, told))

    def test_a_printed_sheet_is_cut_where_it_lies(self):
        ticket = job(plate(12, 30), [cut()], quantity=6, marks=4, stock=replace(BIRCH, printable=True))
        layer = replace(ticket.pieces[0].layers[0], prints=prints_of("the shapes"))
        ticket = replace(ticket, pieces=(replace(ticket.pieces[0], layers=(layer,)),))
        work = worked(ticket)
        lies = Lies((2.0, -1.0 + 8.0), 0.5, 1.003, 0.998)
        sheet = ticket.sheets[0]
        meant = marks_on_machine(sheet, work)
        found = [lies.seen(x, y) for x, y in meant]
        content = write_head(ticket, sheet, work, FORMATS["gcode"], "file", found=found)
        straight = run(gcode(ticket, work), body_for(LASER))[1]
        led = run(content, body_for(LASER))[1]
        self.assertEqual((led.complaints, len(led.dropped)), ([], 12))
        middles = [
            np.array(sorted(((b[0] + b[2]) / 2, (b[1] + b[3]) / 2) for b in (one.box for one in told.dropped)))
            for told in (straight, led)
        ]
        wanted = np.array(sorted(lies.seen(x, y) for x, y in middles[0]))
        self.assertLess(np.abs(np.sort(middles[1], 0) - np.sort(wanted, 0)).max(), 0.02)
        with self.assertRaises(NibbleError):
            write_head(ticket, sheet, work, FORMATS["gcode"], "file", found=[(x - 40, y) for x, y in found])

    def test_ties_and_micro_ties_hold_parts(self):
        small = with_head(LASER, openings=40.0)
        for lines, values in (((cut(ties=3),), {}), ((cut(),), {"micro_ties": "micro-ties"})):
            ticket = job(plate(12, 30), lines, small, **values)
            told = run(gcode(ticket), body_for(LASER))[1]
            self.assertEqual([round(one.box[2] - one.box[0]) for one in told.dropped], [12], "the slug alone")

    def test_a_torch_pierces_off_the_line_and_switches_off_for_travels(self):
        torch = MACHINES["torch-table"]
        ticket = job(plate(60, 200), [cut()], torch, stock=STOCKS["mild-steel-2mm"],
                     settings=STARTING.settings_of("torch-table", "mild-steel-2mm"), spacing=15.0)  # fmt: skip
        content = gcode(ticket)
        told = run(content, body_for(torch))[1]
        self.assertEqual((told.complaints, len(told.dropped)), ([], 2))
        self.assertEqual(content.count(b"G0 Z3.8\n"), 3)  # to each pierce, and at the end
        self.assertEqual(content.count(b"G4 P0.3\nG1 Z1.5"), 2)
        self.assertIn(b"(process through cut)", content)


outlines, intervals = st.sampled_from(["no outline pass", "an outline pass"]), st.sampled_from([0.4, 1.0])
ways = st.sampled_from(["both ways", "one way", "crosswise"])
fills = (
    st.just(Fill()) | st.builds(Rings, intervals, outline=outlines)
    | st.builds(Hatching, intervals, st.sampled_from([0.0, 33.0]), ways, outlines)
)  # fmt: skip


@st.composite
def any_jobs(draw):
    """Tickets of two shapes and two to four lines, with all that a beam's settings can be."""
    one_of = lambda *values: draw(st.sampled_from(values))  # noqa: E731
    machine = with_head(LASER, origin=one_of(*ORIGINS), openings=one_of(0.0, 40.0), height=one_of(*HEIGHTS))
    lines = [
        cut(ties=one_of(0, 2), kerf_side=one_of("by its depth", "inside", "on the line")),
        Line("k2", Source(kind="the shapes"), AS_THEY_ARE, Engraving(draw(fills))),
    ]  # fmt: skip
    lines += [line_of("k3", "score", -1.0, source="the outer shape", close_gaps=0.0)] if draw(st.booleans()) else []
    own = tuple(
        with_how(each, kerf=one_of(0.0, 0.3), lead=one_of("no lead-in", "a line", "an arc"), passes=one_of(1, 2),
                overscan=one_of(0.0, 4.0), pierce=one_of(0.0, 0.2), warm_up=one_of(0.0, 1.0),
                pierce_height=one_of(0.0, 3.8), focus=one_of(0.0, 1.5))
        for each in SETTINGS
    )  # fmt: skip
    return job(
        plate(one_of(3.0, 14.0), 30), lines, machine, quantity=one_of(1, 5), settings=own, grouping=one_of(*GROUPINGS),
        micro_ties=one_of(*MICRO_TIES), spacing=one_of(1.0, 8.0),
    )  # fmt: skip


class AnyJob(unittest.TestCase):
    @settings(max_examples=10, deadline=None)
    @given(any_jobs())
    def test_whatever_is_asked_the_machine_has_nothing_to_say_against_it(self, ticket):
        work = worked(ticket)
        self.assertEqual([problem.error.message for problem in work.problems], [])
        told = run(gcode(ticket, work), body_for(ticket.sheets[0].machine))[1]
        self.assertEqual(told.complaints, [])
        plan = work.sheets["s1"].beam_run.value
        self.assertAlmostEqual(told.seconds / 60, plan.minutes, delta=0.03 * plan.minutes)
        for process, length in plan.burnt().items():
            self.assertAlmostEqual(told.burnt[process], length, delta=0.005 * length + 0.5)


class Tests(unittest.TestCase):
    def test_a_test_cut_comes_out_at_its_true_size(self):
        ticket = job(plate(), [cut()])
        files = trial.test_cut(ticket, ticket.sheets[0], worked(ticket))
        content = next(file.content for file in files if file.name.endswith(".gcode"))
        told = run(content, body_for(LASER))[1]
        self.assertEqual(told.complaints, [])
        (hole, _), (side, _) = widths(told.dropped)
        self.assertAlmostEqual(side - 0.16, 20, delta=0.01)
        self.assertAlmostEqual(hole + 0.16, 12, delta=0.01)

    def test_a_swatch_burns_each_cell_as_it_says(self):
        ticket = job(plate(), [cut()], with_head(LASER, origin="upper right"))
        content = swatch(ticket, ticket.sheets[0], Grid("engrave", (0.2, 0.6), "speed", (100.0, 300.0)))
        laser, told = run(content, body_for(ticket.sheets[0].machine))
        self.assertEqual(told.complaints, [])
        burnt = {(round(step.beam, 2), round(step.feed)) for step in laser.steps if step.beam > 0}
        self.assertLessEqual({(0.2, 100), (0.2, 300), (0.6, 100), (0.6, 300)}, burnt)
        for wrong in (Grid("engrave", (), "speed", (1.0,)), Grid("engrave", (0.2,), "mood", (1.0,)),
                      Grid("weed cut", (0.2,), "speed", (1.0,)), Grid("engrave", (1.2,), "speed", (1.0,))):  # fmt: skip
            with self.assertRaises(NibbleError):
                swatch(ticket, ticket.sheets[0], wrong)

    def test_the_slots_of_a_comb_are_narrower_by_their_kerf(self):
        ticket = job(plate(), [cut()])
        laser, told = run(kerf_comb(ticket, ticket.sheets[0], 3.0, [0.0, 0.2, 0.4]), body_for(LASER))
        self.assertEqual((told.complaints, len(told.dropped)), ([], 1))
        xs = sorted({round(step.start[0], 3) for step in laser.steps if step.process == "through cut" and not step.rapid
                     and abs(step.end[0] - step.start[0]) < 1e-6 and 15 < step.length < 17})  # fmt: skip
        self.assertEqual([round(b - a, 3) for a, b in zip(xs[::2], xs[1::2], strict=True)], [3.0, 2.8, 2.6])
        with self.assertRaises(NibbleError):
            kerf_comb(ticket, ticket.sheets[0], 0.2, [0.0, 0.3])


class Refusals(unittest.TestCase):
    def test_what_would_spoil_the_work_blocks_in_words(self):
        hatch = line_of("k1", "engrave", 0.0, fill="by hatching", interval=0.5, **ITSELF)
        bar = Element("e1", content=Figure("rectangle", 50.0, 3.0))
        for ticket, words in (
            (job(plate(), [hatch], settings=()), "no settings to engrave"),
            (job(plate(), [cut()], replace(LASER, clamps=(Zone("z1", 0, 340, 40, 40),))), "over 1 clamp"),
            (
                job([bar], [replace(hatch, process=Engraving(Hatching(20.0)))]),
                "nothing in this area",
            ),
        ):
            work = worked(ticket)
            self.assertIn(words, " ".join(p.error.message for p in work.problems))
            with self.assertRaises(NibbleError):
                write_files(ticket, work)

        far = tuple(with_how(one, overscan=30.0) if one.process == "engrave" else one for one in SETTINGS)
        run_up = worked(job(plate(), [hatch], settings=far)).sheets["s1"].beam_run.value
        beyond_bed(run_up.moves, Box(0, 0, 580, 380))
        for box, words in (
            (Box(1, 0, 580, 380), "The head would run 1.0 mm"),
            (Box(40, 0, 580, 380), "It would cut or burn"),
        ):
            with self.assertRaisesRegex(DoesNotFit, words):
                beyond_bed(run_up.moves, box)

    def test_settings_that_several_sheets_lack_are_said_once_and_given_to_all(self):
        ticket = job(plate(), [cut(), engraving(Hatching(0.2))], settings=())
        ticket = replace(ticket, sheets=(*ticket.sheets, replace(ticket.sheets[0], id="s2")))
        told = [note for one in stations(ticket, worked(ticket)) for note in one.notes if "no settings" in note.text]
        self.assertEqual(len(told), 1)
        mended = apply(ticket, told[0].mends[0].changes)
        for sheet in mended.sheets:
            self.assertEqual({one.process for one in sheet.settings}, {"through cut", "engrave"})
        notes = [note.text for one in stations(mended, worked(mended)) for note in one.notes]
        self.assertEqual(sum("power or speed is not known" in text for text in notes), 2)

    def test_what_is_doubtful_is_told(self):
        slow = with_head(LASER, longest_run=1, openings=70.0)
        fine = line_of(
            "k2", "engrave", -3.0, source="the outer shape", close_gaps=0.0, fill="by hatching", interval=0.02
        )
        wide = line_of("k3", "engrave", 6.0, source="the outer shape", close_gaps=0.0, fill="by hatching", interval=0.2)
        odd = (Setting("engrave", "engrave", ByBeam(speed=5000, power=0.0)), *SETTINGS[1:])
        ticket = job(plate(), [cut(), fine, wide], slow, settings=odd)
        said = " ".join(note.text for one in stations(ticket, worked(ticket)) for note in one.notes)
        for words in (
            "smaller than the bed's openings",
            "burn each place 7.5 times",
            "has no power",
            "goes 600 mm/s at most",
            "beyond the edge of the piece",
            "burnt twice",
            "runs 1 at most",
        ):
            self.assertIn(words, said)

    def test_the_ticket_says_what_the_beam_does(self):
        ticket = job(plate(), [cut(), line_of("k2", "engrave", 0.0, fill="by rings", interval=0.1, **ITSELF)])
        said = " ".join(one.text for one in sentences(ticket))
        self.assertIn("Engrave the shapes by rings, 0.1 mm apart.", said)
        self.assertIn("85 %, 12 mm/s, passes 1, kerf 0.16 mm, a line 1.5 mm long.", said)
        self.assertIn("Run it process by process", said)
