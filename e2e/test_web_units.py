"""The front end's own unit tests, run from here so that one command runs everything."""

import json
import math
import subprocess
import unittest
from itertools import product
from pathlib import Path

import numpy as np
import shapely

from nibble_core.geometry import Affine
from nibble_core.pipeline.laying import placement
from nibble_core.sheet import at_place, too_near
from nibble_core.ticket import to_plain
from nibble_core.ticket.model import Placed

WEB = Path(__file__).resolve().parent.parent / "web"
PLACES = WEB / "src" / "job" / "places.json"
PAIRS = WEB / "src" / "engine" / "pairs.json"
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


def pairs() -> list[dict[str, object]]:
    """Two outlines as the table gets them, nearer and nearer, and how far apart the core finds them: 0 where they
    overlap."""
    star = shapely.Polygon([
        ((20 if k % 2 else 9) * math.cos(k * math.pi / 7), (20 if k % 2 else 9) * math.sin(k * math.pi / 7))
        for k in range(14)
    ])  # fmt: skip
    blot = shapely.union_all([shapely.Point(0, 0).buffer(14, 12), shapely.box(0, -4, 30, 4)])
    told = []
    for k, (turn, away) in enumerate(product((0.0, 35.0, 200.0), (70.0, 48.0, 40.2, 33.0, 3.0))):
        put = Placed(f"n{k}", "l1", away, 4.0 - k, turn, "mirrored" if k % 2 else "as it is")
        one, other = _rounded(star), _rounded(at_place(blot, placement(put).at))
        near = too_near([one, other], 1000.0)
        told.append({
            "one": _flat(one), "other": _flat(other), "apart": round(near[0].apart, 9) + 0.0,
        })  # fmt: skip
    return told


def _rounded(shape: shapely.Geometry) -> shapely.Polygon:
    return shapely.Polygon(np.round(shapely.get_coordinates(shape.exterior)[:-1], 3))


def _flat(shape: shapely.Polygon) -> list[list[float]]:
    return [shapely.get_coordinates(shape.exterior)[:-1].ravel().tolist()]


class WebUnitTest(unittest.TestCase):
    def test_the_engine(self):
        done = subprocess.run(
            ["node", "node_modules/vitest/vitest.mjs", "run"], cwd=WEB, capture_output=True, text=True
        )
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertIn("passed", done.stdout)

    def test_the_engine_is_held_to_what_the_core_makes_of_copies(self):
        for file, made in ((PLACES, places()), (PAIRS, pairs())):
            self.assertEqual(
                json.loads(file.read_text()), made, f"write {file.name} anew: python -m e2e.test_web_units"
            )


if __name__ == "__main__":
    PLACES.write_text(json.dumps(places(), indent=2) + "\n")
    PAIRS.write_text("[\n" + ",\n".join(json.dumps(one) for one in pairs()) + "\n]\n")
