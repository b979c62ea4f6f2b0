"""The demo shop's files come from our own code, the same every time, and each can be worked on."""

from datetime import date

from django.test import SimpleTestCase

from demo.jobs import demo_jobs
from demo.loose_files import LOOSE_FILES, draw_loose_file
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.read import inspect
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out


class DemoShopTest(SimpleTestCase):
    def test_loose_files_are_drawn_alike_each_time_and_can_be_read(self) -> None:
        for name in LOOSE_FILES:
            with self.subTest(name):
                content = draw_loose_file(name)
                self.assertEqual(content, draw_loose_file(name))
                self.assertGreaterEqual(inspect(content, name).facts.width_px, 240)

    def test_every_job_ends_in_a_good_trace_and_files(self) -> None:
        today = date(2026, 11, 25)
        shapes = {"Reading room window owl": 7, "Crew shirts, crossed oars": 3, "Key fobs for the open day": 5,
                  "Open day banner, 3.6 m": 3, "Reading room sign": 7, "Island plate": 2}  # fmt: skip
        loose = ("Reading room sign", "Island plate")  # what is cut free is what is wanted
        for demo in demo_jobs(today):
            with self.subTest(demo.ticket.name):
                work = work_out(demo.ticket, lambda _, demo=demo: demo.content, MemoryStore())
                self.assertEqual(work.problems, [])
                trace = work.traces["a1"].value
                self.assertEqual(len(trace.kept), shapes.get(demo.ticket.name, 1))
                self.assertLess(trace.nodes, 140)
                self.assertLess(trace.mean_deviation or 1, 0.15)
                made = sum(
                    (len(sheet.machine.formats) + demo.ticket.prints_on(sheet)) * len(work.panels[sheet.id])
                    for sheet in demo.ticket.sheets
                )
                self.assertEqual(len(write_files(demo.ticket, work)), made + 1)
                told = next(station for station in stations(demo.ticket, work) if station.key == "lines")
                looks = [note.text for note in told.notes if note.weight == "look"]
                self.assertTrue(all("fall" in one for one in looks) if demo.ticket.name in loose else not looks, looks)
                self.assertGreater(date.fromisoformat(demo.ticket.due or ""), today)
