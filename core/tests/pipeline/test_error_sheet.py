"""The test sheet: printed and cut by the stand-ins, read as an eye reads a vernier, it tells the error that was set."""

import unittest
from dataclasses import replace

import numpy as np
import shapely

from nibble_core.errors import CannotMake, InvalidTicket
from nibble_core.pipeline.error_sheet import PITCH, STEP, TEETH, error_sheet, learnt, ruler_of, size_of
from nibble_core.simulators.camera import MarkLook
from nibble_core.simulators.cut_files import read_cut
from nibble_core.simulators.cutter import Marks, cut, lies_by, look_for
from nibble_core.simulators.press import Faults, PrintedSheet
from nibble_core.ticket.library import MACHINES, STOCKS
from nibble_core.ticket.model import Sheet

CUTTER = MACHINES["wide-camera-cutter"]
SHEET = Sheet("s1", machine=CUTTER, stock=STOCKS["matt-white-vinyl-1370"])


class ErrorSheetTest(unittest.TestCase):
    def files(self, sheet=SHEET):
        return {file.name.rpartition("-")[2]: file.content for file in error_sheet(sheet)}

    def test_what_is_read_is_what_was_off(self):
        files = self.files()
        width, height = size_of(CUTTER)
        corners = np.array([(3, 3), (3, height - 3), (width - 3, height - 3), (width - 3, 3)], float)
        marks = Marks(corners, tuple(MarkLook("circles", 6.0) for _ in corners))
        printed = PrintedSheet(files["print.pdf"], Faults(across=0.3, along=-0.2, turn=0.6, shift=(2.0, 1.0)))
        self.addCleanup(printed.close)
        truth = printed.distortion
        seen = look_for(printed.picture, marks, tuple(truth.forward(corners)[0]))
        file = read_cut(files["cut.pdf"], "pdf")
        off = np.array([0.22, -0.13])  # mm that the camera sees everything aside
        moved = lies_by(seen.lies.meant, seen.lies.found + off)
        readings = []
        for comb in range(4):
            teeth = range(comb * (2 * TEETH + 1), (comb + 1) * (2 * TEETH + 1))
            axis = comb % 2
            cuts = np.array([truth.back(line.places)[0, axis] for line in cut(file, moved)])[teeth]
            middle = file.lines[teeth[TEETH]].places[0, axis]
            printed_teeth = middle + PITCH * np.arange(-TEETH, TEETH + 1)
            meeting = int(np.argmin(np.abs(cuts - printed_teeth))) - TEETH
            readings.append(meeting * STEP)
        np.testing.assert_allclose(readings, np.tile(off, 2), atol=STEP / 2 + 0.01)
        across, along = ruler_of(CUTTER)
        told = learnt(CUTTER, readings, across * 1.003, along * 0.998)
        self.assertAlmostEqual(told.camera, float(np.sqrt((off**2).mean())), delta=STEP / 2)
        self.assertEqual((told.across, told.along), (0.3, -0.2))

    def test_printed_teeth_stand_where_cut_ones_begin(self):
        files = self.files()
        printed = PrintedSheet(files["print.pdf"])
        self.addCleanup(printed.close)
        cuts = read_cut(files["cut.svg"], "svg").lines
        self.assertEqual(len(cuts), 4 * (2 * TEETH + 1))
        zeros = [cuts[comb * (2 * TEETH + 1) + TEETH] for comb in range(4)]
        for line in zeros:  # on the other side of where it begins, a printed line goes on in the same direction
            start, end = line.places[0], line.places[-1]
            before = start - (end - start) * 0.5
            box = (*(before - 0.3), *(before + 0.3))
            self.assertLess(printed.picture(box, 600.0).min(), 90)
        self.assertFalse(shapely.LineString(zeros[0].places).intersects(shapely.LineString(zeros[1].places)))

    def test_what_no_sheet_tells_is_refused(self):
        for readings, across, along in (
            ([0.1] * 3, None, None), ([0.1, 0.1, 0.1, 0.9], None, None), ([float("nan")] * 4, None, None),
            ([0.0] * 4, 100.0, 240.0), ([0.0] * 4, None, 0.0),
        ):  # fmt: skip
            with self.assertRaises(InvalidTicket):
                learnt(CUTTER, readings, across, along)
        self.assertIsNone(learnt(CUTTER, [0.0] * 4, None, None).along)
        for machine in (MACHINES["small-laser"], replace(CUTTER, usable_width=80.0)):
            with self.assertRaises(CannotMake):
                error_sheet(replace(SHEET, machine=machine))
