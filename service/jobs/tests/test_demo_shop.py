"""The demo shop's files come from our own code, the same every time, and each can be worked on."""

from datetime import date

from django.core.management import call_command
from django.test import SimpleTestCase, TransactionTestCase

from demo.jobs import demo_jobs
from demo.loose_files import LOOSE_FILES, draw_loose_file
from files.results import make_store
from jobs.models import Job
from jobs.queries import newest_revision
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.read import inspect
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.work import work_out
from nibble_core.simulators.burnt import run
from nibble_core.simulators.laser import Body
from nibble_core.ticket import ticket_from_plain
from nibble_core.ticket.heads import BeamHead, RouterHead
from production.asked import HEAD_TRIALS

CLIENTS = [
    "Harbour Hive Honey", "Little Owl Library", "North Mole Rowers", "Orrinmouth Kite Week", "Tansy Lane Bakery",
    "Orrinmouth Lighthouse Trust", "the shop’s own", "Orrinmouth Lighthouse Trust", "Little Owl Library",
    "Orrinmouth Lighthouse Trust", "Tansy Lane Bakery", "Harbour Hive Honey", "Little Owl Library",
    "North Mole Rowers", "Orrinmouth Kite Week",
]  # fmt: skip


class LooseFilesTest(SimpleTestCase):
    def test_loose_files_are_drawn_alike_each_time_and_can_be_read(self) -> None:
        for name in LOOSE_FILES:
            with self.subTest(name):
                content = draw_loose_file(name)
                self.assertEqual(content, draw_loose_file(name))
                self.assertGreaterEqual(inspect(content, name).facts.width_px, 240)


class DemoShopTest(TransactionTestCase):
    def test_it_is_loaded_once_and_every_job_ends_in_a_good_trace_and_files(self) -> None:
        for _ in range(2):
            call_command("load_demo")
        self.assertEqual(sorted(Job.objects.values_list("client", flat=True)), sorted(CLIENTS))
        for job in Job.objects.all():
            self.assertLessEqual({station["state"] for station in job.card["stations"]}, {"fine", "look"})
        offcut = ticket_from_plain(newest_revision(Job.objects.get(client="the shop’s own").pk).ticket)
        self.assertEqual((len(offcut.sheets[0].placed), len(offcut.pieces)), (18, 3))
        today = date.today()
        shapes = {"Reading room window owl": 7, "Crew shirts, crossed oars": 3, "Key fobs for the open day": 5,
                  "Open day banner, 3.6 m": 3, "Reading room sign": 7, "Island plate": 2,
                  "Carved name board": 7}  # fmt: skip
        loose = ("Reading room sign", "Island plate")  # what is cut free is what is wanted
        for demo in demo_jobs(today):
            with self.subTest(demo.ticket.name):
                work = work_out(demo.ticket, lambda _, demo=demo: demo.content, make_store())
                self.assertEqual(work.problems, [])
                trace = work.artworks["a1"].trace.value
                self.assertEqual(len(trace.kept), shapes.get(demo.ticket.name, 1))
                self.assertLess(trace.nodes, 140)
                self.assertLess(trace.mean_deviation or 1, 0.15)
                made = sum(
                    (len(sheet.machine.formats) + demo.ticket.prints_on(sheet)) * len(work.sheets[sheet.id].panels)
                    for sheet in demo.ticket.sheets
                )
                self.assertEqual(len(write_files(demo.ticket, work)), made + 1)
                for sheet in filter(lambda one: isinstance(one.machine.head, BeamHead), demo.ticket.sheets):
                    for name, trial in HEAD_TRIALS.items():
                        if name == "guides" and not demo.ticket.turns(sheet):
                            continue
                        report = run(trial(demo.ticket, sheet, work), Body(2000, 2000, -1000, -1000))[1]
                        self.assertEqual((report.complaints, report.burnt), ([], {}))
                told = next(station for station in stations(demo.ticket, work) if station.key == "lines")
                looks = [note.text for note in told.notes if note.weight == "look"]
                for sheet in filter(lambda one: isinstance(one.machine.head, RouterHead), demo.ticket.sheets):
                    self.assertGreater(work.sheets[sheet.id].router_run.value.minutes, 1)
                self.assertTrue(all("fall" in one for one in looks) if demo.ticket.name in loose else not looks, looks)
                self.assertGreater(date.fromisoformat(demo.ticket.due or ""), today)
