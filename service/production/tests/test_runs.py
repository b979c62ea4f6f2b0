"""A machine that nobody watches any more can still be stopped, and nothing else begins on it before."""

import threading
import time

from django.test import TransactionTestCase

from jobs.models import Job
from nibble_core.errors import CannotMake
from nibble_core.machines import Lost
from nibble_core.simulators.in_time import Port
from nibble_core.simulators.laser import Body
from nibble_core.simulators.laser_port import Running
from production import runs
from production.models import MachineRun

PROGRAM = "; sheet 90 x 90 mm\nG21\nG90\nG17\nM5\n; process score\nM4 S0\nG0 X9 Y9 S0\nG1 X80 Y9 S500 F60\nM5\nM2\n"


class RunsTest(TransactionTestCase):
    def setUp(self) -> None:
        self.laser = Running(Body())
        self.port = Port(("127.0.0.1", 0), self.laser)
        threading.Thread(target=self.port.serve_forever, daemon=True).start()
        self.addCleanup(self.port.server_close)
        self.addCleanup(self.port.shutdown)
        self.job = Job.objects.create(name="Sign")

    def left(self, port: int) -> MachineRun:
        """A run whose server was killed."""
        return MachineRun.objects.create(job=self.job, sheet="s1", revision=1, port=port, program="")

    def test_a_run_that_a_killed_server_left_is_stopped_by_the_same_button(self) -> None:
        port = self.port.server_address[1]
        for line in PROGRAM.splitlines():
            self.laser.take(line)
        run = self.left(port)
        self.assertEqual([one.may_move for one in runs.moving()], [True])
        with self.assertRaisesMessage(CannotMake, "may still be moving"):
            runs.begin(self.job.pk, "s1", 1, port, PROGRAM.encode())
        runs.command(run, "stop")
        self.assertEqual(self.laser.state()["doing"], "stopped")
        self.assertEqual(runs.moving(), [])
        begun = runs.begin(self.job.pk, "s1", 1, port, PROGRAM.encode())
        self.assertEqual([one.pk for one in runs.moving()], [begun.pk])
        runs.command(begun, "stop")
        until = time.monotonic() + 10
        while runs.moving() and time.monotonic() < until:
            time.sleep(0.05)
        self.assertEqual(runs.moving(), [])

    def test_one_that_cannot_be_reached_stays_until_somebody_has_looked(self) -> None:
        run = self.left(1)
        self.assertEqual(len(runs.moving()), 1)
        with self.assertRaises(Lost):
            runs.command(run, "stop")
        self.assertEqual(len(runs.moving()), 1)
        runs.command(run, "it stands still")
        self.assertEqual(runs.moving(), [])
