"""Plates under a torch, and parts that ties hold: the order of cuts, room for lead-ins, ties as wide as asked."""

import unittest
from dataclasses import replace
from itertools import product

import numpy as np
import shapely

from nibble_core.pipeline.report import stations
from nibble_core.simulators.burnt import course, run
from nibble_core.ticket.library import MACHINES, STARTING
from nibble_core.ticket.line import line_of
from nibble_core.ticket.model import GROUPINGS
from nibble_core.ticket.piece import Element, Figure
from tests.pipeline.test_beam_jobs import ITSELF, LASER, STEEL, body_for, gcode, job, plate, worked

TORCH = MACHINES["torch-table"]
FLAME = STARTING.settings_of("torch-table", "mild-steel-2mm")
TIES = {"tie_spacing": 60.0}


def burnt_of(content, machine):
    laser, told = run(content, body_for(machine))
    return [step for step in laser.steps if step.beam > 0], told


def torch_job(elements, lines, **values):
    return job(elements, lines, TORCH, settings=FLAME, stock=STEEL, **values)


class OrderOfCuts(unittest.TestCase):
    def first_and_last(self, steps, centre, radius):
        """Numbers of the first burn beyond a circle, and of the last within it."""
        middles = np.array([step.place(0.5) for step in steps])
        within = np.hypot(*(middles - centre).T) < radius
        return np.nonzero(~within)[0].min(), np.nonzero(within)[0].max()

    def test_no_order_cuts_an_outline_in_parts_or_whole_before_the_hole_in_it(self):
        outer = line_of("k1", "through cut", 3.0, source="the outer shape", **TIES)
        inner = line_of("k2", "through cut", 0.0, **ITSELF)
        both = line_of("k1", "through cut", 0.0, **(ITSELF | TIES))
        for lines, grouping in product(([outer, inner], [inner, outer], [both]), GROUPINGS):
            ticket = job(plate(20, 60), lines, quantity=1, grouping=grouping)
            ticket = replace(ticket, sheets=(replace(ticket.sheets[0], shared="each on its own"),))
            work = worked(ticket)
            steps, told = burnt_of(gcode(ticket, work), LASER)
            self.assertEqual(told.complaints, [])
            box = np.array([step.place(0.5) for step in steps])
            centre = (box.min(0) + box.max(0)) / 2
            outline, hole = self.first_and_last(steps, centre, 15)
            self.assertLess(hole, outline, (grouping, [line.id for line in lines]))


class Plates(unittest.TestCase):
    def test_a_part_gets_its_lead_ins_and_the_plate_is_used_from_the_corner_of_its_origin(self):
        ticket = torch_job(plate(30, 60), [line_of("k1", "through cut", 0.0, **ITSELF)], quantity=1)
        work = worked(ticket)
        laid = work.sheets["s1"].laid.value
        self.assertEqual((laid.width, laid.height), (1230, 1230))
        notes = [note.text for told in stations(ticket, work) for note in told.notes]
        self.assertFalse([words for words in notes if "no room for a lead-in" in words])
        content = gcode(ticket, work)
        steps, told = burnt_of(content, TORCH)
        self.assertEqual([one for one in told.complaints if "dropped" not in one.words], [])
        lies = np.vstack([course(step) for step in steps])
        self.assertTrue((lies.min(0) >= 0).all() and (lies.max(0) < 80).all(), "at the lower left corner")
        self.assertRegex(content.decode(), r"the work lies from \d.*mm on a sheet of 1230 x 1230 mm")
        wide = [round(b - a, 1) for a, _, b, _ in (one.box for one in told.dropped)]
        self.assertIn(61.3, wide)

    def test_room_follows_the_lead_ins_and_it_is_said(self):
        ticket = torch_job(plate(30, 60), [line_of("k1", "through cut", 0.0, **ITSELF)], quantity=4, spacing=3.0)
        work = worked(ticket)
        notes = [note.text for told in stations(ticket, work) for note in told.notes]
        self.assertTrue([words for words in notes if "since lead-ins need so much" in words])
        self.assertFalse([words for words in notes if "no room for a lead-in" in words])
        xs = sorted({round(at.e, 2) for _, at in work.sheets["s1"].laid.value.placements})
        self.assertGreater(xs[1] - xs[0] - 60, 4.0)

    def test_where_there_is_no_room_lead_ins_are_shorter(self):
        ticket = torch_job(plate(5, 60), [line_of("k1", "through cut", 0.0, **ITSELF)], quantity=1)
        work = worked(ticket)
        self.assertEqual([note.kind for note in work.sheets["s1"].beam_lines.value.notes if note.kind == "unled"], [])
        (line,) = work.sheets["s1"].beam_lines.value.definitions["l1"]
        self.assertFalse(line.paths.closed.any())


class Ties(unittest.TestCase):
    def gaps(self, ticket, machine, kerf):
        """Widths of what is left between the cuts of a ring, mm, by what a beam as wide as the kerf burns."""
        steps, told = burnt_of(gcode(ticket, worked(ticket)), machine)
        self.assertEqual([one for one in told.complaints if "dropped" not in one.words], [])
        burnt = shapely.union_all([shapely.LineString(course(step)).buffer(kerf / 2) for step in steps])
        parts = list(shapely.get_parts(burnt))
        return [min(a.distance(b) for b in parts if b is not a) for a in parts] if len(parts) > 1 else []

    def test_a_tie_is_what_is_left_in_the_material(self):
        for make, machine, kerf, width in (
            (job, LASER, 0.16, 0.8), (job, LASER, 0.16, 0.3),
            (torch_job, TORCH, 1.3, 0.8), (torch_job, TORCH, 1.3, 3.0),
        ):  # fmt: skip
            cut = line_of("k1", "through cut", 0.0, tie_width=width, **(ITSELF | TIES))
            square = (Element("e1", Figure("rectangle", 90.0, 70.0)),)
            found = self.gaps(make(square, [cut], quantity=1), machine, kerf)
            self.assertGreater(len(found), 2)
            self.assertTrue(all(width - 0.05 <= gap <= width + 0.05 for gap in found), (kerf, width, found))

    def test_stretches_between_ties_are_begun_in_the_waste(self):
        cut = line_of("k1", "through cut", 0.0, tie_width=1.0, **(ITSELF | TIES))
        ticket = torch_job((Element("e1", Figure("rectangle", 90.0, 70.0)),), [cut], quantity=1)
        work = worked(ticket)
        (line,) = work.sheets["s1"].beam_lines.value.definitions["l1"]
        self.assertGreater(len(line.paths), 2)
        part = shapely.box(0, 0, 90, 70).buffer(0.65)
        for path in line.paths:
            self.assertGreater(part.distance(shapely.Point(*path.nodes[0])), 0.5)

    def test_a_micro_tie_holds_and_one_that_has_no_room_is_said(self):
        small = (Element("e1", Figure("rectangle", 9.0, 9.0)),)
        cut = [line_of("k1", "through cut", 0.0, **ITSELF)]
        held = job(small, cut, quantity=1, micro_ties="micro-ties", micro_tie=0.3)
        _, told = burnt_of(gcode(held, worked(held)), LASER)
        self.assertEqual(told.dropped, [])
        tied = line_of("k1", "through cut", 0.0, tie_width=4.2, kerf_side="inside", **(ITSELF | {"tie_spacing": 8.0}))
        tiny = torch_job((Element("e1", Figure("circle", 3.0)),), [tied])
        kinds = [note.kind for note in worked(tiny).sheets["s1"].beam_lines.value.notes]
        self.assertIn("untied", kinds)
