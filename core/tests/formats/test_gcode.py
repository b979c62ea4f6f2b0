"""G-code: what is written is read back, and moved by a machine that shares nothing with the writer."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.checks.readback import check_moves
from nibble_core.errors import FileDisagrees, UnreadableFile
from nibble_core.formats.gcode import Dialect, read_moves, write_moves
from nibble_core.geometry import Affine, Bundle, Path
from nibble_core.geometry.arcing import arced
from nibble_core.graphics.moves import Moves, Named
from nibble_core.simulators.burnt import run
from nibble_core.simulators.laser import Body, clocked
from nibble_core.toolpaths.beam import Beam, BeamJob, moves_of, with_real_arcs
from nibble_core.toolpaths.motion import Drive, timed
from tests.strategies import stars

DIALECTS = (Dialect(), Dialect(255.0, "in brackets"))
HEADS = [
    {"heights": None}, {"heights": (2.0, 2.0)}, {"pierce": 0.3}, {"pierce": 0.3, "heights": (3.8, 1.5)},
]  # fmt: skip


@st.composite
def jobs(draw):
    """Circles, polygons and strokes, of tools that pierce, overscan and blow."""
    tools = tuple(
        Beam(name, draw(st.floats(0.05, 1)), float(draw(st.integers(2, 300))), overscan=scan, air=air, warm_up=0.2,
             **draw(st.sampled_from(HEADS if not scan else HEADS[:2])))
        for name, scan, air in (("engrave", 5.0, False), ("score", 0.0, True), ("through cut", 0.0, True))
    )  # fmt: skip
    paths, tool = [], []
    for k in range(3):
        for _ in range(draw(st.integers(0, 4))):
            x, y = draw(st.floats(40, 200)), draw(st.floats(40, 200))
            shape = draw(st.sampled_from(["circle", "star", "stroke"]))
            if shape == "circle":
                paths.append(Path.circle(x, y, draw(st.sampled_from([0.0008, 0.004, 0.5, 3.0, 30.0]))))
            elif shape == "star":
                paths.append(Path.polygon(draw(stars()) * 0.8 + [x, y]))
            else:
                paths.append(Path.polygon([(x, y), (x + draw(st.floats(1, 20)), y)], closed=False))
            tool.append(k)
    bundle = with_real_arcs(arced(Bundle.of(paths)))
    n = len(paths)
    return BeamJob(300, 300, bundle, np.array(tool, np.int64), np.zeros(n, np.int64), np.ones(n), tools)


def burnt(job, process):
    """mm burnt in a process, all passes, without a look at the moves."""
    mine = np.array([job.tools[t].process == process for t in job.tool], bool)
    passes = np.array([job.tools[t].passes for t in job.tool[mine]])
    return float((job.paths.lengths[mine] * passes).sum())


class GCode(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(jobs(), st.sampled_from(DIALECTS))
    def test_read_back_it_is_what_was_meant_and_a_machine_burns_it(self, job, dialect):
        upward = Affine(d=-1.0, f=300.0)
        moves = moves_of(job, (0.0, 300.0)).mapped(upward)
        content = write_moves(moves, dialect, ["a job"])
        check_moves(moves, read_moves(content, dialect), "file", scale=dialect.scale, tolerance=0.01)
        laser, told = run(content, Body(300, 300, fastest=400, power=dialect.scale))
        self.assertEqual([one for one in told.complaints if "dropped" not in one.words], [])
        for name in {job.tools[k].process for k in job.tool.tolist()}:
            self.assertAlmostEqual(told.burnt[name], burnt(job, name), delta=0.02 + 0.002 * len(laser.steps))

    def test_another_place_power_or_process_is_noticed(self):
        job = BeamJob(50, 50, Bundle.of([Path.polygon([(5, 5), (9, 5)], closed=False)]), np.zeros(1, np.int64),
                      np.zeros(1, np.int64), np.ones(1), (Beam("score", 0.5, 60.0),))  # fmt: skip
        moves = moves_of(job).mapped(Affine(d=-1.0))
        content = write_moves(moves, Dialect())
        for old, new in (
            (b"X9.000", b"X9.002"),
            (b"S500", b"S501"),
            (b"F3600", b"F3601"),
            (b"process score", b"process engrave"),
        ):
            self.assertIn(old, content)
            with self.assertRaises(FileDisagrees):
                check_moves(moves, read_moves(content.replace(old, new), Dialect()), "file", scale=1000, tolerance=0.01)

    def test_a_torch_goes_up_to_pierce_and_to_travel_and_down_to_run(self):
        rings = Bundle.of([Path.circle(20, 20, 9), Path.circle(60, 20, 9)])
        torch = Beam("through cut", 1.0, 50.0, pierce=0.3, heights=(3.8, 1.5))
        job = BeamJob(99, 50, arced(rings), np.zeros(2, np.int64), np.zeros(2, np.int64), np.ones(2), (torch,))
        moves = moves_of(job, (0.0, 50.0)).mapped(Affine(d=-1.0, f=50.0))
        content = write_moves(moves, Dialect())
        said = [line for line in content.decode().splitlines() if line[:2] in ("M3", "M5", "G4") or "Z" in line]
        down = ["M3 S1000", "G4 P0.3", "G1 Z1.5 F3000"]
        self.assertEqual(said, ["M5", "M5", "G0 Z3.8", *down, "M5", "G0 Z3.8", *down, "M5", "G0 Z3.8", "M5"])
        laser, told = run(content, Body(100, 50))
        self.assertEqual([one for one in told.complaints if "dropped" not in one.words], [])
        drive = Drive()
        self.assertAlmostEqual(timed(moves, drive).seconds, clocked(laser.steps, laser.body)[-1], delta=0.05)
        for old, new in ((b"Z1.5", b"Z1.6"), (b"Z3.8", b"Z3.7")):
            with self.assertRaises(FileDisagrees):
                read = read_moves(content.replace(old, new), Dialect())
                check_moves(moves, read, "file", scale=1000, tolerance=0.01)

    def test_what_is_no_such_file_is_refused_in_words(self):
        none = np.empty(0)
        empty = Moves(9, 9, none.astype(np.uint8), none.astype(np.uint8), np.empty((0, 8)), none, none, none,
                      none.astype(np.int64), (Named("score"),))  # fmt: skip
        whole = write_moves(empty, Dialect())
        self.assertEqual(len(read_moves(whole, Dialect())), 0)
        for bad in (
            b"",
            b"M2\n",
            whole.replace(b"M2\n", b""),
            whole.replace(b"G21", b"G20"),
            whole.replace(b"M2", b"X1 Y\nM2"),
        ):
            with self.assertRaises(UnreadableFile):
                read_moves(bad, Dialect())
