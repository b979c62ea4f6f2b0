"""The launcher's own words."""

import os
import socket
import subprocess
import sys
import tempfile
import unittest

from e2e.server import ROOT


class LauncherTest(unittest.TestCase):
    def run_it(self, *words: str, **environment: str) -> subprocess.CompletedProcess[str]:
        clean = {
            name: value
            for name, value in os.environ.items()
            if name not in ("NIBBLE_DATA", "NIBBLE_DEMO", "PYTHONPATH")
        }
        return subprocess.run(
            [sys.executable, str(ROOT / "nibble"), *words], capture_output=True, text=True, env={**clean, **environment}
        )

    def test_it_says_what_it_can_do(self):
        told = self.run_it()
        self.assertEqual(told.returncode, 0)
        for command in ("demo", "serve", "test", "inspect", "trace", "produce"):
            self.assertIn(command, told.stdout)
        self.assertEqual(self.run_it("fly").returncode, 2)
        self.assertEqual(self.run_it("demo", "--port", "soon").returncode, 2)

    def test_a_taken_port_is_said_before_anything_is_set_up(self):
        with socket.socket() as taken, tempfile.TemporaryDirectory() as home:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            told = self.run_it("demo", "--port", str(port), NIBBLE_HOME=home)
            self.assertEqual(told.returncode, 1)
            self.assertIn(f"Port {port} is taken", told.stderr)
            self.assertIn(f"--port {port + 1}", told.stderr)
            self.assertEqual(os.listdir(home), [])

    def test_bad_input_reaches_the_shell_as_one_sentence(self):
        with tempfile.TemporaryDirectory() as folder:
            told = self.run_it("inspect", f"{folder}/nowhere.png")
        self.assertEqual((told.returncode, told.stdout), (2, ""))
        self.assertEqual(told.stderr.strip().splitlines()[-1], "There is no file “nowhere.png”. Check the name.")
