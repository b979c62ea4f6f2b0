"""A cutter at a port: it finds the marks of the sheet that lies in it, and cuts what it is sent where it belongs."""

import base64
import threading
import unittest

import cv2
import numpy as np
import shapely

from nibble_core.machines import SocketDriver, resumed, send
from nibble_core.pipeline.part_files import write_plot
from nibble_core.pipeline.rehearsal_bench import prepared
from nibble_core.simulators.camera import INCH
from nibble_core.simulators.cutter import Blade
from nibble_core.simulators.cutter_port import Loaded, Running
from nibble_core.simulators.in_time import Port
from nibble_core.simulators.press import Faults, PrintedSheet
from nibble_core.ticket import Change
from tests.sample import badge_ticket, badge_work

SWUNG = 2.0  # mm in which a knife has swung round
FED = Faults(across=0.3, along=0.1, turn=0.6, shift=(2.0, -1.0))


def job(quantity=2):
    ticket = badge_ticket(Change("sheets/s1/machine/formats", ["hpgl"]), quantity=quantity)
    work = badge_work(ticket)
    return prepared(ticket, ticket.sheets[0], work), write_plot(ticket, ticket.sheets[0], work)


def shown(driver):
    return cv2.imdecode(np.frombuffer(base64.b64decode(driver.ask("picture")["png"]), np.uint8), cv2.IMREAD_COLOR)


class CutterPortTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.bench, cls.program = job()

    def cutter(self, faults=FED, quick=400.0, clamps=()):
        """A cutter with the print of the job in it, at a port; and what the press did to that."""
        sheet = PrintedSheet(self.bench.printed, faults)
        self.addCleanup(sheet.close)
        left, top, *_ = sheet.reach
        truth = sheet.distortion

        def look(box, ppi):
            return sheet.picture((box[0] + left, box[1] + top, box[2] + left, box[3] + top), ppi)

        first = truth.forward(self.bench.marks.places[:1])[0] - [left, top] + [1.0, 0.5]
        loaded = Loaded(
            sheet.picture(sheet.reach, 100.0), 100.0, look, self.bench.marks,
            (self.bench.laid.width, self.bench.laid.height), (float(first[0]), float(first[1])), clamps,
        )  # fmt: skip
        running = Running(loaded, quick, Blade(trails=0.25))
        port = Port(("127.0.0.1", 0), running)
        threading.Thread(target=port.serve_forever, daemon=True).start()
        self.port = port.server_address[1]
        self.addCleanup(port.server_close)
        self.addCleanup(port.shutdown)
        return running, self.connected(), lambda places: truth.back(places + np.array([left, top]))

    def connected(self):
        driver = SocketDriver("127.0.0.1", self.port)
        self.addCleanup(driver.close)
        return driver

    def off(self, running, back):
        """How far from the cuts that are meant the print was cut, and the other way round, mm, 99 of 100 places: a
        knife that trails swings round where it is put down."""
        cuts = [back(track) for _, track in running.cuts()]
        meant = shapely.union_all([shapely.LineString(line.places) for line in self.bench.meant.lines])
        made = shapely.union_all([shapely.LineString(track) for track in cuts])
        tracks = [shapely.LineString(track) for track in cuts]
        along = [shapely.line_interpolate_point(track, np.arange(SWUNG, track.length, 0.5)) for track in tracks]
        there = shapely.distance(meant, np.concatenate(along))
        here = shapely.distance(made, shapely.points(self.bench.places))
        return max(float(np.quantile(one, 0.99)) for one in (there, here))

    def test_what_it_is_sent_is_cut_where_it_belongs_on_a_print_that_lies_askew(self):
        running, driver, back = self.cutter()
        sent = send(self.program, driver, lambda taken, state: True)
        self.assertEqual((sent.why, sent.refused), ("", ()))
        self.assertLess(self.off(running, back), 0.06)
        found = driver.ask("found")
        self.assertEqual(sum(mark is not None and mark["whole"] for mark in found["marks"]), 4)
        self.assertAlmostEqual(found["lies"]["turn_deg"], 0.6, delta=0.02)
        pens = driver.ask("report")["pens"].values()
        self.assertEqual(sum(pen["lines"] for pen in pens), len(self.bench.meant.lines))

    def test_a_sheet_without_its_marks_and_another_jobs_file_are_refused_before_the_knife_goes_down(self):
        marks = self.bench.marks.places
        hidden = Faults(scratches=tuple((float(x), float(y), 9.0) for x, y in marks))
        running, driver, _ = self.cutter(hidden)
        sent = send(self.program, driver, lambda taken, state: True)
        self.assertIn("mark was not found", sent.why)
        self.assertEqual(running.cuts(), [])
        running, driver, _ = self.cutter()
        other = b"IN;DF;\nSP1;\nPU40000,40000;PD40000,44000;\nPU0,0;SP0;\n"
        sent = send(other, driver, lambda taken, state: True)
        self.assertIn("belongs to another sheet", sent.why)
        self.assertEqual(running.cuts(), [])
        running, driver, _ = self.cutter(clamps=((0.0, 0.0, 400.0, 400.0),))
        self.assertIn("over a clamp", send(self.program, driver, lambda taken, state: True).why)
        self.assertEqual(running.cuts(), [])

    def test_whatever_it_is_sent_is_answered(self):
        running, driver, _ = self.cutter()
        driver.begin()
        for line in (
            "PUnan,5;",
            "PU1e308,0;PD1e308,9;",
            "SP1e400;",
            "PU5;",
            "ZZ1,2;",
            "VS-3;PU400,400;PD800,nan;",
            "\x00;",
        ):
            with self.subTest(line):
                self.assertNotEqual(driver.send(line, lambda: None), "ok")
        self.assertEqual(running.cuts(), [])

    def test_what_broke_off_goes_on_at_its_line_with_the_pen_that_was_in(self):
        running, driver, back = self.cutter(quick=3.0)
        first = next(k for k, line in enumerate(self.program.splitlines(), 1) if b"PD" in line)
        sent = send(self.program, driver, lambda taken, state: state.line <= first)
        self.assertIn("Stopped", sent.why)
        self.assertLess(len(running.cuts()), len(self.bench.meant.lines))
        rest = resumed(self.program, sent.done)
        self.assertLess(len(rest), len(self.program))
        running.quick = 400.0
        again = send(rest, self.connected(), lambda taken, state: True)
        self.assertEqual(again.why, "")
        self.assertLess(self.off(running, back), 0.06)

    def test_its_picture_shows_the_sheet_and_its_cuts(self):
        running, driver, _ = self.cutter()
        before = shown(driver)
        self.assertEqual(before.shape[:2], running.loaded.picture.shape[:2])
        send(self.program, driver, lambda taken, state: True)
        changed = np.abs(shown(driver).astype(int) - before).max(2) > 40
        length = sum(line.length for line in self.bench.meant.lines) * 100.0 / INCH
        self.assertGreater(changed.sum(), 0.6 * length)  # in pixels, one wide
        self.assertLess(changed.sum(), 3.0 * length)
