"""The front end's own unit tests, run from here so that one command runs everything."""

import json
import subprocess
import unittest
from itertools import product
from pathlib import Path

from nibble_core.geometry import Affine
from nibble_core.pipeline.sheets import placement
from nibble_core.ticket import to_plain
from nibble_core.ticket.model import Placed

WEB = Path(__file__).resolve().parent.parent / "web"
PLACES = WEB / "src" / "job" / "places.json"
WIDTH = 200.0


def places() -> list[dict[str, object]]:
    """Copies and where the core maps them, seen as they are and on a sheet so wide that is shown mirrored."""
    told = []
    for k, (turn, flip) in enumerate(product((0.0, 30.0, 90.0, 180.0, -135.0), ("as it is", "mirrored"))):
        put = Placed(f"n{k}", "l1", 30.5 + 7 * k, 20.25 + 3 * k, turn, flip)
        plainly = placement(put).at
        mirrored = plainly.then(Affine.mirror(WIDTH))
        maps = [[round(v, 9) + 0.0 for v in (at.a, at.b, at.c, at.d, at.e, at.f)] for at in (plainly, mirrored)]
        told.append({"placed": to_plain(put), "plainly": maps[0], "mirrored": maps[1]})
    return told


class WebUnitTest(unittest.TestCase):
    def test_the_engine(self):
        done = subprocess.run(
            ["node", "node_modules/vitest/vitest.mjs", "run"], cwd=WEB, capture_output=True, text=True
        )
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertIn("passed", done.stdout)

    def test_the_engine_is_held_to_the_places_that_the_core_maps_copies_to(self):
        self.assertEqual(
            json.loads(PLACES.read_text()), places(), f"write {PLACES.name} anew: python -m e2e.test_web_units"
        )


if __name__ == "__main__":
    PLACES.write_text(json.dumps(places(), indent=2) + "\n")
