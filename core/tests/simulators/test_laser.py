"""The simulated laser judges: bad lines are told, moves have limits, parts drop in their order."""

import base64
import contextlib
import json
import math
import socket
import threading
import time
import unittest
from queue import Queue

import cv2
import numpy as np

from nibble_core.errors import CannotMake
from nibble_core.machines import Lost, SocketDriver, resumed, send
from nibble_core.simulators import turned
from nibble_core.simulators.burnt import picture, run
from nibble_core.simulators.in_time import Port
from nibble_core.simulators.laser import Body
from nibble_core.simulators.laser_port import Running

HEAD = "; sheet 100 x 100 mm\nG21\nG90\nG17\nM5\n"
CUT = HEAD + "; process through cut\nM4 S0\n"
SMALL = Body(100, 100, fastest=300)


def square(x, y, side):
    a, b = x + side, y + side
    return f"G0 X{x} Y{y} S0\nG1 X{a} Y{y} S800 F1200\nG1 X{a} Y{b}\nG1 X{x} Y{b}\nG1 X{x} Y{y}\n"


def complaints(text):
    return [(one.line, one.words) for one in run(text.encode(), SMALL)[1].complaints]


class Judging(unittest.TestCase):
    def test_bad_lines_are_told_with_their_numbers(self):
        end = "M5\nM2\n"
        for line, words in (
            ("G1 X5 Y5 F", "not understood: G1 X5 Y5 F"), ("G7 X1", "unknown word G7"), ("Q3", "unknown word Q3"),
            ("G1 X500 Y5 F600", "a move beyond the bed, to 500, 5"), ("G1 X5 Y5", "a move at no speed (F)"),
            ("G2 X9 Y0 I2 J0 F600", "an arc whose ends lie 5.000 mm off its circle"),
            ("G1 X5 Y5 F0", "a speed of nothing"), ("S2000", "power S2000 is not within 0 to 1000"),
        ):  # fmt: skip
            found = complaints(CUT + line + "\n" + end)
            self.assertEqual(found[0][0], 8, line)
            self.assertIn(words, found[0][1])
        self.assertIn("before its units", complaints("G1 X5 Y5 F600\nM2\n")[0][1])
        self.assertIn("ends before", complaints(CUT)[0][1])
        self.assertEqual(
            complaints(CUT + "G1 X5 Y5 S500 F600\nG0 X9 Y9\n" + end), [(9, "the beam is on while travelling")]
        )

    def test_parts_drop_when_their_last_side_is_cut_and_later_burns_on_them_are_told(self):
        inner_first = CUT + square(20, 20, 10) + square(10, 10, 40) + "M5\nM2\n"
        told = run(inner_first.encode(), SMALL)[1]
        self.assertEqual([round(one.area) for one in told.dropped], [100, 1600])
        self.assertLess(told.dropped[0].second, told.dropped[1].second)
        self.assertEqual(told.complaints, [])
        outer_first = CUT + square(10, 10, 40) + square(20, 20, 10) + "M5\nM2\n"
        self.assertEqual(
            [one.words for one in run(outer_first.encode(), SMALL)[1].complaints], ["burns on a part that has dropped"]
        )

    def test_a_part_held_by_a_tie_does_not_drop(self):
        tied = CUT + "G0 X10 Y10 S0\nG1 X40 Y10 S800 F1200\nG1 X40 Y40\nG1 X10 Y40\nG1 X10 Y11\nM5\nM2\n"
        self.assertEqual(run(tied.encode(), SMALL)[1].dropped, [])

    def test_the_picture_shows_what_was_burnt_the_right_way_up(self):
        laser, _ = run((CUT + square(10, 70, 20) + "M5\nM2\n").encode(), SMALL)
        image = picture(laser.steps, SMALL, px_per_mm=2)
        self.assertEqual(image.shape, (200, 200))
        rows = (image < 128).any(1).nonzero()[0]
        self.assertTrue(18 <= rows.min() <= 22 and 58 <= rows.max() <= 62, "y = 90 is 10 mm below the upper edge")


class Sending(unittest.TestCase):
    def setUp(self):
        self.machine = Running(SMALL, quick=400.0)
        self.port = Port(("127.0.0.1", 0), self.machine)
        threading.Thread(target=self.port.serve_forever, daemon=True).start()
        self.driver = SocketDriver("127.0.0.1", self.port.server_address[1], answers_within=5)

    def tearDown(self):
        self.driver.close()
        self.port.shutdown()
        self.port.server_close()

    def program(self, count=40):
        return (CUT + "".join(square(2 + k, 5 + k % 7, 60) for k in range(count // 4)) + "M5\nM2\n").encode()

    def test_a_program_longer_than_the_buffer_is_taken_whole_and_burnt(self):
        program = self.program(120)
        sent = send(program, self.driver, lambda taken, state: True)
        self.assertEqual((sent.why, sent.done), ("", len(program.splitlines())))
        told = self.driver.ask("report")
        self.assertAlmostEqual(told["burnt_mm"]["through cut"], 30 * 240, delta=0.1)

    def test_with_a_thing_it_shows_what_was_burnt_on_that_from_any_side(self):
        """A square of 10 mm, a quarter of a turn round a straight glass of 60 mm."""
        glass = turned.Thing(np.array([0.0, 80.0]), np.array([30.0, 30.0]), 60 * math.pi, 30.0)
        machine = Running(SMALL, quick=1e6, thing=glass)
        filled = "".join(f"G0 X{30 + k / 5:.1f} Y42.12 S0\nG1 Y52.12 S800 F9000\n" for k in range(51))
        for line in (CUT + filled + "M5\nM2\n").splitlines():
            self.assertEqual(machine.take(line), "ok")
        while machine.state()["doing"] != "idle":
            time.sleep(0.01)
        told = machine.command("report")
        np.testing.assert_allclose(told["turned_deg"], np.degrees([42.12 / 30, 52.12 / 30]), atol=0.01)
        front, behind = (
            cv2.imdecode(np.frombuffer(base64.b64decode(machine.command(f"front {angle}")["png"]), np.uint8), 0)
            for angle in (90, 270)
        )
        fine = front.shape[1] / 60
        dark = np.argwhere(front < 110) / fine
        np.testing.assert_allclose((dark.min(0), dark.max(0)), ((30, 25), (40, 35)), atol=0.4)
        self.assertFalse((behind < 110).any())
        self.assertIn("wrong", self.machine.command("front 90"))
        self.assertIn("wrong", machine.command("front of it"))

    def test_paused_it_stands_and_goes_back_along_what_it_did(self):
        self.machine.quick = 20.0
        threading.Thread(
            target=send, args=(self.program(), self.driver, lambda taken, state: True), daemon=True
        ).start()
        while self.driver.state().line < 12:
            time.sleep(0.01)
        self.driver.pause()
        here = self.driver.state()
        time.sleep(0.1)
        self.assertEqual((self.driver.state().x, self.driver.state().y), (here.x, here.y))
        self.driver.back(30)
        back = self.driver.state()
        self.assertGreater(abs(back.x - here.x) + abs(back.y - here.y), 1)
        self.machine.quick = 400.0
        self.driver.resume()
        while self.driver.state().doing != "idle":
            time.sleep(0.01)
        self.assertEqual(self.driver.ask("report")["complaints"], [])

    def test_it_is_watched_and_can_be_stopped_while_its_buffer_is_full(self):
        self.machine.quick = 20.0
        looks = []

        def watch(taken, state):
            looks.append(state.line)
            if state.line >= 12:
                self.machine.quick = 0.0  # time stands, and so no line is taken any more
            return looks[-3:].count(looks[-1]) < 3

        program = self.program(120)
        sent = send(program, self.driver, watch)
        self.assertEqual((sent.why, sent.done), ("Stopped.", looks[-1]))
        self.assertLess(sent.lines, len(program.splitlines()))

    def test_a_wrong_line_stops_the_run_in_words(self):
        sent = send((CUT + "G1 X5 Y900 F600\nM2\n").encode(), self.driver, lambda taken, state: True)
        self.assertIn("Line 8 was refused: a move beyond the bed", sent.why)

    def test_stopped_or_broken_off_it_is_taken_up_at_the_last_finished_path(self):
        program = self.program()
        self.machine.quick = 20.0
        sent = send(program, self.driver, lambda taken, state: state.line < 20)
        self.assertEqual(sent.why, "Stopped.")
        rest = resumed(program, sent.done)
        self.assertIn(b"begun again", rest)
        again = [line for line in rest.decode().splitlines() if line.startswith("G0 X")]
        path = [
            line.removesuffix(" S0") for line in program.decode().splitlines()[: sent.done] if line.startswith("G0 X")
        ][-1]
        self.assertEqual(again[0], path)
        self.machine.quick = 2000.0
        self.assertEqual(send(rest, self.driver, lambda taken, state: True).why, "")
        told = self.driver.ask("report")
        self.assertGreaterEqual(told["burnt_mm"]["through cut"], 10 * 240 - 0.1)
        self.assertEqual([one for one in told["complaints"] if "dropped" not in one["says"]], [])
        with self.assertRaises(CannotMake):
            resumed(b"; nothing\nM2\n", 1)

    def test_nonsense_that_is_sent_is_told_and_ends_nothing(self):
        for line, said in (
            ("G4 P-5", "a wait of -5 seconds"),
            ("G4 P1e9", "unknown word"),
            ("G1 X" + "1" * 9000, "end"),
        ):
            self.assertIn(said, self.driver.send(line, lambda: None))
        self.driver.ask("pause")
        for words in ("back abc", "back nan", "back -3", "back 1e9", "camera x y", "dance"):
            self.assertIn("wrong", self.driver.ask(words), words)
        self.assertEqual(self.driver.state().doing, "paused")
        with socket.create_connection(("127.0.0.1", self.port.server_address[1])) as other:
            other.sendall(b"G1 " + b"X" * 100_000)
            other.settimeout(5)
            self.assertEqual(other.recv(10), b"", "a line without end closes its connection")
        self.assertEqual(self.driver.state().doing, "paused", "and no other one")

    def test_nobody_there_nonsense_and_a_broken_line_are_told(self):
        with self.assertRaises(Lost):
            SocketDriver("127.0.0.1", 1)
        with socket.create_server(("127.0.0.1", 0)) as other:

            def babble():
                for answer in (b"moo\n", b""):
                    connection, _ = other.accept()
                    connection.recv(100)
                    connection.sendall(answer)
                    connection.close()

            threading.Thread(target=babble, daemon=True).start()
            for words in ("makes no sense", "broke"):
                driver = SocketDriver("127.0.0.1", other.getsockname()[1], answers_within=2)
                sent = send(self.program(), driver, lambda taken, state: True)
                driver.close()
                self.assertIn(words, sent.why)

    def test_whatever_a_machine_answers_it_is_told_to_hold_and_to_stop(self):
        fine = {"doing": "running", "x": 0, "y": 0, "line": 1, "beam": 0}
        deep = '{"a":' + "[" * 200_000
        for answer in (
            *({**fine, **wrong} for wrong in (
                {"x": math.nan}, {"y": math.inf}, {"line": 10**33}, {"line": -1}, {"line": 0.5}, {"doing": "dancing"},
                {"beam": True}, {"x": "here"},
            )),
            [], deep, "{" + "9" * 5000 + "}", "moo \u202e", "ok\nok\n" * 2000,
        ):  # fmt: skip
            said = answer if isinstance(answer, str) else json.dumps(answer).replace("Infinity", "1e999")
            heard, port = machine_that_answers(said)
            driver = SocketDriver("127.0.0.1", port, answers_within=2)
            sent = send(self.program(), driver, lambda taken, state: True)
            self.assertIn("Hold and stop were sent", sent.why, said[:60])
            self.assertTrue(sent.may_move)
            self.assertLess(len(sent.why), 300)
            driver.close()
            self.assertIn(">pause >stop", " ".join(heard.get(timeout=5)[-3:]), said[:60])

    def test_a_fault_of_our_own_while_watching_stops_the_machine_too(self):
        def watch(taken, state):
            raise OverflowError("no such number")

        with self.assertLogs("nibble_core.machines.sending", "ERROR"):
            sent = send(self.program(), self.driver, watch)
        self.assertIn("could not go on watching", sent.why)
        self.assertFalse(sent.may_move)
        self.assertEqual(self.machine.state()["doing"], "stopped")

    def test_halt_goes_before_a_question_that_is_not_answered(self):
        heard, port = machine_that_answers("")
        driver = SocketDriver("127.0.0.1", port, answers_within=30)
        threading.Thread(target=lambda: send(self.program(), driver, lambda *_: True), daemon=True).start()
        time.sleep(0.2)
        self.assertTrue(driver.halt())
        driver.close()
        self.assertIn(">pause >stop", " ".join(heard.get(timeout=5)))


def machine_that_answers(said):
    """Answers a beginning as it should, program lines with ok, and the state with what is given. Also a queue that gets
    all the lines it heard, once it is left."""
    heard, server = Queue(), socket.create_server(("127.0.0.1", 0))

    def serve():
        connection, _ = server.accept()
        lines = []
        with server, connection, contextlib.suppress(OSError):
            for line in connection.makefile("r"):
                lines.append(line.strip())
                answer = said if line.startswith(">state") else "{}" if line.startswith(">") else "ok"
                with contextlib.suppress(OSError):
                    connection.sendall(answer.encode() + b"\n")
        heard.put([line for line in lines if line])

    threading.Thread(target=serve, daemon=True).start()
    return heard, server.getsockname()[1]
