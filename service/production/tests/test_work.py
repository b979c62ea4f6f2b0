"""Final work, previews that are superseded, and tasks."""

import contextlib
import io
import json
import threading
import time
import zipfile
from unittest.mock import patch

import cv2
import numpy as np
from django.contrib.auth import get_user_model
from django.test import TransactionTestCase
from PIL import Image

from demo.loose_files import draw_loose_file
from jobs import actions
from nibble_core.errors import Cancelled, CannotMake, NibbleError
from nibble_core.ticket import Change, apply, ticket_from_plain, to_plain
from production.asked import Asker, program
from production.events import Exchange
from production.models import Task
from production.tasks import make_files
from production.workers import Workers

DISTANCE = "pieces/p1/layers/l1/lines/k1/offset/distance"


class WorkTest(TransactionTestCase):
    def setUp(self) -> None:
        self.user = get_user_model().objects.create_user("ada")
        self.client.force_login(self.user)
        self.job = actions.start_job(self.user, draw_loose_file("crossed-oars.png"), "crossed-oars.png")

    def test_the_final_work_is_drawn_and_put_on_the_card(self) -> None:
        work = self.client.get(f"/api/jobs/{self.job.id}/work").json()
        self.assertFalse(work["preview"])
        self.assertEqual(len(work["stations"]), 6)
        self.assertTrue(work["layers"]["l1"]["lines"][0]["d"].startswith("M"))
        picture = self.client.get(work["artworks"]["a1"]["cleaned"])
        self.assertEqual((picture["Content-Type"], picture.content[:4]), ("image/png", b"\x89PNG"))
        card = self.client.get("/api/jobs").json()["cards"][0]["card"]
        drawing = self.client.get(f"/api/drawings/{card['drawing']}")
        self.assertIn("immutable", drawing["Cache-Control"])
        self.assertEqual(drawing.json()["lines"][0]["d"], work["layers"]["l1"]["lines"][0]["d"])
        self.assertEqual(self.client.get("/api/drawings/" + "0" * 64).status_code, 404)

    def test_a_preview_writes_nothing_and_follows_the_draft(self) -> None:
        change = {"seen": 1, "changes": [{"path": DISTANCE, "value": 6.0}]}
        final = self.client.get(f"/api/jobs/{self.job.id}/work").json()
        preview = self.client.post(f"/api/jobs/{self.job.id}/preview", change, "application/json").json()
        self.assertTrue(preview["preview"])
        grown = final["layers"]["l1"]["box"][0] - preview["layers"]["l1"]["box"][0]
        self.assertAlmostEqual(grown, 4.0, delta=0.3)
        self.assertEqual(self.job.revisions.count(), 1)

    def test_a_preview_tells_the_station_that_is_looked_at_and_what_lies_before_it(self) -> None:
        address = f"/api/jobs/{self.job.id}/preview"
        for station, count in (("clean", 2), ("lines", 4), ("sheet", 5), ("machine", 6)):
            told = self.client.post(address, {"seen": 1, "changes": [], "station": station}, "application/json").json()
            self.assertEqual([one["key"] for one in told["stations"]][-1:], [station])
            self.assertEqual(len(told["stations"]), count)
            self.assertEqual((bool(told["layers"]), bool(told["sheets"])), (count > 3, count > 4))
        answer = self.client.post(address, {"seen": 1, "changes": [], "station": "bus"}, "application/json")
        self.assertEqual(answer.status_code, 422)

    def test_a_nest_is_taken_by_its_name_in_its_job_and_refused_in_words_elsewhere(self) -> None:
        actions.change_job(self.user, self.job.id, 1, [Change("pieces/p1/quantity", 6)])
        here = f"/api/jobs/{self.job.id}"
        found = self.client.post(f"{here}/sheets/s1/nest", {"seconds": 1}, "application/json").json()
        self.assertEqual((found["copies"], "changes" in found), (6, False))
        other = actions.duplicate_job(self.user, self.job.id)
        for wrong in (f"/api/jobs/{other.pk}/nests/{found['name']}/take", f"{here}/nests/{'0' * 16}/take"):
            refused = self.client.post(wrong, {"seen": 2}, "application/json")
            self.assertEqual(refused.status_code, 422)
            self.assertIn("Nest the sheet again", refused.json()["what_to_do"])
        since = self.client.get(here).json()["answer"]
        path = f"{here}/nests/{found['name']}/take?since={since}"
        self.assertIn("difference", self.client.post(path, {"seen": 2}, "application/json").json())
        (sheet,) = self.client.get(here).json()["ticket"]["sheets"]
        self.assertEqual((sheet["arrangement"], len(sheet["placed"])), ("as placed", 6))

    def test_fifty_drafts_in_two_seconds_compute_at_most_two_after_the_last(self) -> None:
        previews, ticket = Workers(1, 0), ticket_from_plain(self.job.revisions.get().ticket)
        self.client.get(f"/api/jobs/{self.job.id}/work")
        previews.ask("preview", to_plain(ticket), 1, "machine", lane="job")
        answers: list[tuple[float, bytes]] = []
        last_sent = 0.0

        def ask(share: float) -> None:
            draft = to_plain(apply(ticket, [Change("artworks/a1/trace/threshold", share)]))
            with contextlib.suppress(Cancelled):
                answers.append((time.perf_counter(), previews.ask("preview", draft, 1, "machine", lane="job")))

        threads = []
        for move in range(50):
            threads.append(threading.Thread(target=ask, args=(0.3 + move / 200,)))
            last_sent = time.perf_counter()
            threads[-1].start()
            time.sleep(0.04)
        for thread in threads:
            thread.join()
        self.assertLessEqual(sum(1 for at, _ in answers if at > last_sent), 2)
        self.assertIn(b'"artworks"', answers[-1][1])

    def test_events_tell_what_others_did_what_is_at_work_and_how_far_the_files_are(self) -> None:
        exchange = Exchange()
        task = {"state": "working", "progress": 0.1}
        states = iter([{"state": "working", "progress": 0.5}, {"state": "done", "progress": 1.0}])
        heard: list[bytes] = []

        def listen() -> None:
            heard.extend(exchange.stream(7, {"revision": 3, "task": task}, since, task=lambda: next(states)))

        since = exchange.now()
        exchange.publish(7, "revision", 4)  # while what is so first is still looked up
        thread = threading.Thread(target=listen)
        thread.start()
        time.sleep(0.1)
        exchange.publish(8, "revision", 9)
        exchange.publish(7, "doing", "tracing")
        time.sleep(1.2)
        exchange.close()
        thread.join(5)
        told = b"".join(heard).decode()
        self.assertIn("event: revision\ndata: 3\n\n", told)
        self.assertIn("event: revision\ndata: 4\n\n", told)
        self.assertNotIn("data: 9", told)
        self.assertIn('event: doing\ndata: "tracing"', told)
        self.assertEqual([json.loads(line[6:])["progress"] for line in told.split("\n") if '"progress"' in line],
                         [0.1, 0.5, 1.0])  # fmt: skip
        self.assertFalse(thread.is_alive() or exchange.is_full())

    def test_a_worker_tells_what_it_is_at(self) -> None:
        told: list[tuple[str, str]] = []
        workers = Workers(1, 0, lambda lane, words: told.append((lane, words)))
        workers.ask("final", to_plain(ticket_from_plain(self.job.revisions.get().ticket)), 1, lane="job 1", key="1")
        self.assertEqual(list(dict.fromkeys(told)), [
            ("job 1", "reading the artwork"), ("job 1", "cleaning"), ("job 1", "tracing"),
            ("job 1", "drawing the lines"), ("job 1", "laying out the sheet"),
        ])  # fmt: skip

    def test_short_work_goes_first_and_long_work_is_not_starved(self) -> None:
        workers = Workers(0, 0)  # nobody serves, so that what waits can be looked at
        for lane, seconds in (("heavy", 20.0), ("light", 0.1)):
            workers._served[lane] = seconds, -1
            workers._task("preview", (), lane, "")
        workers._task("preview", (), "new", "")
        self.assertEqual(workers._next_lane(0), "light")
        workers._waiting["heavy"].asked -= 30
        self.assertEqual(workers._next_lane(0), "heavy")

    def test_the_same_question_is_answered_once_and_stopped_work_ends_in_seconds(self) -> None:
        workers, plain = Workers(1, 0), to_plain(ticket_from_plain(self.job.revisions.get().ticket))
        answers: list[bytes] = []
        threads = [
            threading.Thread(target=lambda: answers.append(workers.ask("final", plain, 1, lane="a", key="1")))
            for _ in range(6)
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(answers), 6)
        self.assertEqual(len({id(answer) for answer in answers}), 1)

        noise = np.random.default_rng(1).integers(0, 255, (2000, 2000), np.uint8)
        stream = io.BytesIO()
        Image.fromarray(cv2.GaussianBlur(noise, (0, 0), 2.2)).point(lambda v: 255 * (v > 127)).save(stream, "PNG")
        busy = actions.start_job(self.user, stream.getvalue(), "noise.png")
        asked = to_plain(ticket_from_plain(busy.revisions.get().ticket))
        told: list[Exception] = []

        def wait() -> None:
            try:
                workers.ask("final", asked, 1, lane="b", key="1")
            except NibbleError as error:
                told.append(error)

        thread = threading.Thread(target=wait)
        thread.start()
        time.sleep(1.0)
        workers.stop("b")
        thread.join(12)
        self.assertFalse(thread.is_alive())
        self.assertEqual([type(error) for error in told], [Cancelled])
        self.assertTrue(workers.ask("final", plain, 1, lane="a", key="2"))  # and the next one is answered as before

    def test_papers_are_made_of_the_newest_revision_and_their_code_finds_the_job(self) -> None:
        for kind, words in (("ticket", b"ticket"), ("proof", b"proof"), ("quote", b"quote")):
            answer = self.client.get(f"/api/jobs/{self.job.id}/papers/{kind}?size=letter")
            self.assertEqual((answer.status_code, answer["Content-Type"]), (200, "application/pdf"))
            self.assertEqual(answer.content[:5], b"%PDF-")
            self.assertIn(words, answer["Content-Disposition"].encode())
        self.assertEqual(self.client.get(f"/api/jobs/{self.job.id}/papers/poem").status_code, 422)
        self.assertEqual(self.client.get(f"/api/jobs/{self.job.id}/papers/quote?size=a9").status_code, 422)
        found = self.client.get(f"/api/jobs?search={self.job.id}.1").json()["cards"]
        self.assertEqual([card["id"] for card in found], [self.job.id])

    def test_a_task_makes_the_files_of_its_revision(self) -> None:
        task = Task.objects.create(job=self.job, revision=1)
        make_files.call_local(task.id)
        told = self.client.get(f"/api/tasks/{task.id}").json()
        self.assertEqual((told["state"], told["progress"]), ("done", 1.0))
        names = [file["name"] for file in told["files"]]
        self.assertEqual(
            names,
            [
                "crossed-oars-print-rev1.pdf",
                "crossed-oars-cut-rev1.pdf",
                "crossed-oars-cut-rev1.svg",
                "crossed-oars-cut-rev1.hpgl",
                "manifest.json",
            ],
        )
        answer = self.client.get(f"/api/tasks/{task.id}/files/{names[1]}")
        self.assertEqual(b"".join(answer.streaming_content)[:5], b"%PDF-")
        self.assertEqual(self.client.get(f"/api/tasks/{task.id}/files/other.pdf").status_code, 404)
        with patch("time.localtime", return_value=time.gmtime(0)):  # a clock without a battery
            packed = self.client.get(f"/api/tasks/{task.id}/all.zip")
        with zipfile.ZipFile(io.BytesIO(b"".join(packed.streaming_content))) as whole:
            self.assertEqual((whole.namelist(), whole.testzip()), (names, None))
        make_files.call_local(task.id)  # safe to run twice
        self.assertEqual(self.client.get(f"/api/tasks/{task.id}").json(), told)

    def test_a_knife_is_sent_its_cut_file_as_hpgl(self) -> None:
        plain, asker = self.job.revisions.get().ticket, Asker(lambda: False, lambda words: None)
        sent = program(plain, "s1", 1, [], asker=asker)
        self.assertTrue(sent.startswith(b"IN;DF;"))
        self.assertIn(b";PD", sent)
        with self.assertRaisesMessage(CannotMake, "does not take HP-GL"):
            program(to_plain(apply(ticket_from_plain(plain), [Change("sheets/s1/machine/formats", ["svg"])])), "s1", 1,
                    [], asker=asker)  # fmt: skip

    def test_a_stopped_task_makes_nothing_and_a_blocked_job_says_why(self) -> None:
        task = Task.objects.create(job=self.job, revision=1, stop_wanted=True)
        make_files.call_local(task.id)
        told = self.client.get(f"/api/tasks/{task.id}").json()
        self.assertEqual((told["state"], told["files"]), ("stopped", []))
        actions.change_job(self.user, self.job.id, 1, [Change(DISTANCE, -20.0)])
        task = Task.objects.create(job=self.job, revision=2)
        make_files.call_local(task.id)
        told = self.client.get(f"/api/tasks/{task.id}").json()
        self.assertEqual(told["state"], "failed")
        self.assertIn("leaves nothing", told["message"])
        waiting = Task.objects.create(job=self.job, revision=1)
        stopped = self.client.post(f"/api/tasks/{waiting.id}/stop", {}, "application/json").json()
        self.assertEqual(stopped["state"], "stopped")
