"""A router at a port: sent to, held, broken off and taken up again, the board comes out as from one run."""

import base64
import threading
import time
import unittest

import cv2
import numpy as np

from nibble_core.errors import CannotMake
from nibble_core.machines import SocketDriver, resumed, send
from nibble_core.simulators import router
from nibble_core.simulators.in_time import Port
from nibble_core.simulators.router_port import Running

STAGE = router.Stage(60.0, 40.0, 10.0)
RACK = {
    1: router.Cutter("flat", 6.0, feed=40, plunge=10),
    2: router.Cutter("pointed", 12.0, 60.0, feed=35, plunge=10),
}
PITCH = 0.25


def program(lanes: int = 6) -> bytes:
    """Lanes of a flat cutter, each a course with its own lift, then one groove of a pointed one."""
    lines = [
        "(board 60 x 40 mm)",
        "G21",
        "G90",
        "G17",
        "M5",
        "G0 Z12",
        "(cutter 1: flat)",
        "T1 M6",
        "S18000 M3",
        "G4 P0.1",
    ]
    for k in range(lanes):
        y = 6 + 5 * k
        lines += [f"G0 X6.000 Y{y:.3f} Z12.000", f"G0 X6.000 Y{y:.3f} Z1.000", f"G1 X6.000 Y{y:.3f} Z-2.000 F600"]
        lines += [f"G1 X40.000 Y{y:.3f} Z-2.000 F2400" if k % 2 else f"G1 X40.000 Y{y:.3f} Z-2.000 F1800",
                  f"G0 X40.000 Y{y:.3f} Z12.000"]  # fmt: skip
    lines += ["G0 Z12", "M5", "(cutter 2: point)", "T2 M6", "S20000 M3", "G4 P0.1"]
    lines += ["G0 X48.000 Y6.000 Z12.000", "G0 X48.000 Y6.000 Z1.000", "G1 X48.000 Y6.000 Z-3.000 F600",
              "G1 X48.000 Y30.000 Z-3.000 F2100", "G0 X48.000 Y30.000 Z12.000", "G0 Z12", "M5", "M2"]  # fmt: skip
    return ("\n".join(lines) + "\n").encode()


class Halting(Running):
    """Stands in the middle of the move that follows ``line``, however late anybody looks."""

    line = 10_000

    def _advance(self, step, seconds):
        if self.done and self.taker.steps[self.done - 1].line >= self.line:
            self._share = 0.5
            return 0.0
        return super()._advance(step, seconds)


class RouterPortTest(unittest.TestCase):
    def setUp(self):
        self.machine = Halting(STAGE, RACK, quick=300.0, pitch=PITCH)
        self.port = Port(("127.0.0.1", 0), self.machine)
        threading.Thread(target=self.port.serve_forever, daemon=True).start()
        self.driver = SocketDriver("127.0.0.1", self.port.server_address[1], answers_within=5)
        self.whole = router.cut(router.fed(program(), STAGE, RACK), PITCH)

    def tearDown(self):
        self.driver.close()
        self.port.shutdown()
        self.port.server_close()

    def board(self) -> np.ndarray:
        """Heights as its picture tells them, mm."""
        told = base64.b64decode(self.machine.command("picture")["png"])
        heights = cv2.imdecode(np.frombuffer(told, np.uint8), cv2.IMREAD_UNCHANGED)
        return (heights / 65_535 - 1) * (STAGE.thick + STAGE.spoil)

    def test_a_program_is_taken_whole_and_leaves_the_board_of_its_file(self):
        sent = send(program(), self.driver, lambda taken, state: True)
        self.assertEqual((sent.why, sent.done), ("", len(program().splitlines())))
        told = self.driver.ask("report")
        self.assertEqual((told["complaints"], told["changes"]), ([], 2))
        self.assertAlmostEqual(told["deepest_mm"], -self.whole.min(), places=3)
        np.testing.assert_allclose(self.board(), self.whole, atol=0.001)

    def test_what_broke_off_goes_on_where_it_was_with_the_cutter_that_was_in(self):
        """Stopped at any course, of either cutter: the head, its height, its cutter and its turns come first."""
        for at in (14, 24, 33, 47):
            with self.subTest(line=at):
                self.machine.command("new")
                self.machine.line = at
                sent = send(program(), self.driver, lambda taken, state, at=at: state.line < at)
                self.assertEqual(sent.why, "Stopped.")
                rest = resumed(program(), sent.done)
                lines = rest.decode().splitlines()
                up, turns = lines.index("G0 Z12.000"), next(k for k, line in enumerate(lines) if line.endswith(" M3"))
                self.assertLess(up, turns)
                self.assertLess(turns, next(k for k, line in enumerate(lines) if line.startswith("G1 ")))
                self.assertEqual(lines[turns - 1], "T2 M6" if sent.done >= 42 else "T1 M6")
                self.machine.line = Halting.line
                again = send(rest, self.driver, lambda taken, state: True)
                self.assertEqual(again.why, "")
                self.assertEqual(self.driver.ask("report")["complaints"], [])
                np.testing.assert_allclose(self.board(), self.whole, atol=0.001)

    def test_what_has_no_path_cannot_be_taken_up(self):
        with self.assertRaises(CannotMake):
            resumed(b"G21\nG90\nM5\nS18000 M3\nM5\nM2\n", 3)

    def test_a_word_that_it_does_not_know_stops_the_run(self):
        wrong = program().replace(b"G1 X40.000 Y6.000 Z-2.000 F1800", b"G1 X40.000 A6.000 F1800")
        sent = send(wrong, self.driver, lambda taken, state: True)
        self.assertIn("unknown word A6.000", sent.why)
        until = time.monotonic() + 5
        while self.driver.state().doing != "stopped" and time.monotonic() < until:
            time.sleep(0.05)
        self.assertEqual(self.driver.state().doing, "stopped")
