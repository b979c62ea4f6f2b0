"""The order of a beam and the time it takes: rules kept, travel short, physics right."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.geometry import Affine, Bundle, Path
from nibble_core.graphics.moves import BURN, GLIDE, TRAVEL
from nibble_core.sheet import LaidSheet, Marks, Placement
from nibble_core.toolpaths import Definition, by_process
from nibble_core.toolpaths.beam import Beam, moves_of
from nibble_core.toolpaths.motion import Drive, timed
from nibble_core.toolpaths.ordering import Items, shortest, travelled
from nibble_core.toolpaths.planning import planned_job

GROUPINGS = ("process by process", "copy by copy", "region by region")


def tool(of):
    return Beam(of.process, 0.5, 100.0, overscan=4.0 if of.filled else 0.0)


def job_of(definitions, places, grouping="process by process"):
    laid = LaidSheet(600, 400, tuple(Placement("l1", Affine.translation(x, y)) for x, y in places), Marks())
    return planned_job(laid, by_process(laid, {"l1": definitions}), tool, grouping=grouping)


class Orders(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.integers(1, 120), st.integers(0, 10**6))
    def test_what_must_come_first_does_and_everything_comes_once(self, n, seed):
        g = np.random.default_rng(seed)
        places = g.uniform(0, 400, (n, 2))
        before = np.where(g.random(n) < 0.4, np.minimum(np.arange(n) + 1 + g.integers(0, 5, n), n - 1), -1)
        before[before == np.arange(n)] = -1
        none = np.zeros(n + 1, np.int64)
        items = Items(places, places, np.zeros(n, bool), np.empty((0, 2)), none, before)
        found = shortest(items)
        self.assertEqual(sorted(found.order.tolist()), list(range(n)))
        at = np.argsort(found.order)
        self.assertTrue((at[before >= 0] < at[before[before >= 0]]).all())
        self.assertAlmostEqual(found.travel, travelled(found.order, places, places), delta=1e-6)

    @settings(max_examples=12, deadline=None)
    @given(
        st.lists(st.tuples(st.integers(0, 5), st.integers(0, 3)), min_size=1, max_size=8, unique=True),
        st.sampled_from(GROUPINGS),
    )
    def test_engraving_comes_before_cutting_and_inner_cuts_before_outer(self, cells, grouping):
        rings = Bundle.of([Path.circle(20, 20, r) for r in (15, 9, 4)])
        one = (
            Definition("k1", "through cut", rings),
            Definition("k2", "engrave", Bundle.of([Path.polygon([(9, 20), (31, 20)], closed=False)]), filled=True),
            Definition("k3", "score", Bundle.of([Path.circle(20, 20, 12)])),
        )
        job = job_of(one, [(90 * x, 90 * y) for x, y in cells], grouping)
        self.assertEqual(len(job.paths), 5 * len(cells))
        for copy in range(len(cells)):
            mine = np.nonzero(job.copy == copy)[0]
            names = [job.tools[job.tool[k]].process for k in mine]
            self.assertEqual(names, ["engrave", "score", *["through cut"] * 3])
            cuts = job.paths.lengths[mine[2:]]
            self.assertTrue((np.diff(cuts) > 0).all(), "inner first")
            if grouping == "copy by copy":
                self.assertEqual(mine.tolist(), list(range(mine[0], mine[0] + 5)))

    def test_open_paths_are_run_either_way_and_closed_ones_begun_near(self):
        rungs = Bundle.of([Path.polygon([(0, 10 * k), (200, 10 * k)], closed=False) for k in range(12)])
        job = job_of((Definition("k1", "score", rungs),), [(0, 0)])
        moves = moves_of(job)
        between = moves.lengths[(moves.does == TRAVEL)][1:-1]
        self.assertTrue((between < 10.001).all())
        self.assertAlmostEqual(job.paths.length, 12 * 200)


class Moves(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.integers(1, 40), st.integers(1, 3), st.floats(0, 12), st.integers(0, 10**6))
    def test_each_begins_where_the_last_ended_and_all_is_burnt(self, n, passes, overscan, seed):
        g = np.random.default_rng(seed)
        lines = Bundle.of([Path.polygon(g.uniform(0, 99, (2, 2)), closed=False) for _ in range(n)])
        laid = LaidSheet(99, 99, (Placement("l1", Affine()),), Marks())
        one = Definition("k1", "engrave", lines, filled=True)
        job = planned_job(laid, by_process(laid, {"l1": (one,)}), lambda _: Beam("engrave", 0.4, 50, passes, overscan))
        moves = moves_of(job, (5.0, 5.0))
        self.assertTrue(np.allclose(moves.rows[1:, :2], moves.rows[:-1, 6:]))
        self.assertTrue(np.allclose(moves.rows[[0, -1]][:, [0, 1, 6, 7]][[0, 1], [0, 2]], 5.0))
        self.assertAlmostEqual(moves.lengths[moves.does == BURN].sum(), passes * lines.length, places=6)
        self.assertTrue((moves.power[moves.does != BURN] == 0).all())

    def test_strokes_of_one_row_are_one_sweep(self):
        rows = [[(0, 0), (5, 0)], [(8, 0), (12, 0)], [(60, 0), (70, 0)]]
        strokes = Bundle.of([Path.polygon(row, closed=False) for row in rows])
        job = job_of((Definition("k1", "engrave", strokes, filled=True),), [(50, 50)])
        does = moves_of(job).does.tolist()
        self.assertEqual(
            does, [TRAVEL, GLIDE, BURN, GLIDE, BURN, GLIDE, TRAVEL, GLIDE, BURN, GLIDE, TRAVEL], "a gap of 3 is glided"
        )

    def test_a_straight_way_takes_what_physics_says(self):
        line = Bundle.of([Path.polygon([(0, 0), (100, 0)], closed=False)])
        job = job_of((Definition("k1", "score", line),), [(0, 0)])
        when = timed(moves_of(job), Drive(acceleration=1000, fastest=200, jump=1e-6))
        out = 100 / 100 + 100 / 1000  # at 100 mm/s, gaining and losing speed
        back = 100 / 200 + 200 / 1000
        self.assertAlmostEqual(when.seconds, out + back, places=6)

    def test_corners_are_taken_at_the_speed_that_the_jump_allows(self):
        square = Bundle.of([Path.polygon([(0, 0), (80, 0), (80, 80), (0, 80)])])
        job = job_of((Definition("k1", "score", square),), [(0, 0)])
        when = timed(moves_of(job), Drive(acceleration=2000, fastest=300, jump=10))
        self.assertTrue(np.allclose(when.enter[1:4], 10 / (2 * math.sin(math.pi / 4))))
