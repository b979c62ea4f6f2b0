"""Copies that a nest or a hand put lie where they are meant at any turn; beyond the edge they stay and are reported."""

import unittest
from dataclasses import replace

import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks.made_up import SHAPES, ticket_of
from nibble_core.errors import CannotMake, DoesNotFit
from nibble_core.pipeline import nested as nesting
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.nested import nested
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.sheets import copies_of, one_more
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.sheet import Limits
from nibble_core.ticket import apply
from nibble_core.ticket.line import line_of
from nibble_core.ticket.model import NEST_TURNS, Placed

CUT = [line_of("k1", "through cut", 1.0)]
STORE = MemoryStore(200)


def worked(ticket):
    return work_out(ticket, lambda _: b"", STORE)


def laid(ticket, *placed, **values):
    return replace(
        ticket, sheets=(replace(ticket.sheets[0], arrangement="as placed", placed=placed, **values),)
    )  # fmt: skip


def gaps(ticket, work):
    copies = copies_of(work.sheets["s1"].laid.value, work)
    return [a.distance(b) for k, a in enumerate(copies) for b in copies[k + 1 :]]


class NestedJobs(unittest.TestCase):
    @given(st.sampled_from(sorted(SHAPES)), st.sampled_from(sorted(NEST_TURNS)), st.booleans(), st.integers(2, 7))
    @settings(max_examples=20, deadline=None)
    def test_no_nest_is_refused_by_the_checks_that_follow_and_every_gap_is_kept(self, name, turns, marks, count):
        ticket = ticket_of(SHAPES[name], CUT, quantity=count, marks=marks, stock="label-paper-a3")
        ticket = replace(ticket, sheets=(replace(ticket.sheets[0], turns=turns, spacing=2.5),))
        made = nested(ticket, ticket.sheets[0], worked(ticket), Limits(0.0), worked)
        work = worked(made.ticket)
        self.assertEqual([problem.error.message for problem in work.problems], [])
        self.assertGreaterEqual(min(gaps(made.ticket, work), default=9), 2.5 - 0.05)
        self.assertEqual(apply(ticket, made.changes), made.ticket)

    def test_a_nest_that_fails_a_check_is_never_put_in_place(self):
        ticket = ticket_of(SHAPES["star"], CUT, quantity=2, marks=False, stock="label-paper-a3")
        real = nesting.nest_sheet

        def on_each_other(*args):
            placed, runs, length = real(*args)
            return [placed[0], replace(placed[1], x=placed[0].x, y=placed[0].y)], runs, length

        self.addCleanup(setattr, nesting, "nest_sheet", real)
        nesting.nest_sheet = on_each_other
        with self.assertRaisesRegex(CannotMake, "nest that was found is not good"):
            nested(ticket, ticket.sheets[0], worked(ticket), Limits(0.0), worked)


class ByHand(unittest.TestCase):
    def setUp(self):
        self.ticket = ticket_of(SHAPES["rectangle"], CUT, quantity=2, marks=True, stock="label-paper-a3")

    def test_a_copy_beyond_the_edge_stays_drawn_blocks_and_is_moved_in_by_its_mend(self):
        inner, outer = Placed("n1", "l1", 100, 100), Placed("n2", "l1", 11.5, 30, 45.0)
        ticket = laid(self.ticket, inner, outer)
        work = worked(ticket)
        self.assertEqual(work.sheets["s1"].laid.value.copies, 2)
        self.assertEqual(work.sheets["s1"].beyond, ["n2"])
        with self.assertRaises(DoesNotFit):
            write_files(ticket, work)
        note = next(one for told in stations(ticket, work) for one in told.notes if one.weight == "blocked")
        self.assertEqual(note.mends[0].label, "Move it in")
        moved = apply(ticket, note.mends[0].changes)
        self.assertEqual(moved.sheets[0].placed[0], inner)
        self.assertEqual(worked(moved).problems, [])
        left = shapely.bounds(copies_of(worked(moved).sheets["s1"].laid.value, worked(moved))[1])[0]
        self.assertAlmostEqual(left, 11.0, delta=0.03)

    def test_a_turned_copy_is_judged_by_its_shape_and_not_by_its_turned_box(self):
        disc = ticket_of(SHAPES["circle 40"], CUT, quantity=1, marks=True, stock="label-paper-a3")
        for turn in (0.0, 15.0, 45.0, 200.0):  # the box of a disc that is turned is larger than the disc
            found = worked(laid(disc, Placed("n1", "l1", 40, 40, turn)))
            (shape,) = copies_of(found.sheets["s1"].laid.value, found)
            x, y = 40 + 11.0 - shape.bounds[0], 40 + 11.0 - shape.bounds[1]
            self.assertEqual(worked(laid(disc, Placed("n1", "l1", x, y, turn))).problems, [])
            self.assertEqual(worked(laid(disc, Placed("n1", "l1", x - 0.1, y, turn))).sheets["s1"].beyond, ["n1"])

    def test_one_more_takes_a_hole_that_fits_exactly(self):
        for name in ("rectangle", "pill", "star", "R"):
            ticket = ticket_of(SHAPES[name], CUT, quantity=12, marks=True, stock="label-paper-a3")
            box = worked(ticket).layers["l1"].laid.value.box
            wide, tall = box.width + ticket.sheets[0].spacing, box.height + ticket.sheets[0].spacing
            full = [
                Placed(f"n{i}{j}", "l1", 11 - box.left + i * wide, 11 - box.top + j * tall)
                for i in range(int((265 + ticket.sheets[0].spacing) // wide)) for j in range(3)
            ]  # fmt: skip
            gone = full.pop(4)
            ticket = laid(ticket, *full, turns="as it stands")
            made = one_more(ticket, ticket.sheets[0], worked(ticket), "l1")
            self.assertAlmostEqual(made.x, gone.x, delta=0.02)
            self.assertAlmostEqual(made.y, gone.y, delta=0.02)
