"""The front end's own unit tests, run from here so that one command runs everything."""

import subprocess
import unittest
from pathlib import Path

WEB = Path(__file__).resolve().parent.parent / "web"


class WebUnitTest(unittest.TestCase):
    def test_the_engine(self):
        done = subprocess.run(
            ["node", "node_modules/vitest/vitest.mjs", "run"], cwd=WEB, capture_output=True, text=True
        )
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertIn("passed", done.stdout)
