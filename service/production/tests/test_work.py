"""Final work, previews that are superseded, and tasks."""

import contextlib
import threading
import time

from django.contrib.auth import get_user_model
from django.test import TransactionTestCase

from demo.loose_files import draw_loose_file
from jobs import actions
from nibble_core.errors import Cancelled
from nibble_core.ticket import Change, apply, ticket_from_plain, to_plain
from production.models import Task
from production.previews import Previews
from production.tasks import make_files

DISTANCE = "pieces/p1/layers/l1/lines/k1/distance"


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
        card = self.client.get("/api/jobs").json()[0]["card"]
        self.assertEqual(card["lines"][0]["d"], work["layers"]["l1"]["lines"][0]["d"])

    def test_a_preview_writes_nothing_and_follows_the_draft(self) -> None:
        change = {"seen": 1, "changes": [{"path": DISTANCE, "value": 6.0}]}
        final = self.client.get(f"/api/jobs/{self.job.id}/work").json()
        preview = self.client.post(f"/api/jobs/{self.job.id}/preview", change, "application/json").json()
        self.assertTrue(preview["preview"])
        grown = final["layers"]["l1"]["box"][0] - preview["layers"]["l1"]["box"][0]
        self.assertAlmostEqual(grown, 4.0, delta=0.3)
        self.assertEqual(self.job.revisions.count(), 1)

    def test_fifty_drafts_in_two_seconds_compute_at_most_two_after_the_last(self) -> None:
        previews, ticket = Previews(), ticket_from_plain(self.job.revisions.get().ticket)
        self.client.get(f"/api/jobs/{self.job.id}/work")
        previews.draw(self.job.id, to_plain(ticket))
        answers: list[tuple[float, str]] = []
        last_sent = 0.0

        def ask(share: float) -> None:
            draft = to_plain(apply(ticket, [Change("artworks/a1/trace/threshold", share)]))
            with contextlib.suppress(Cancelled):
                answers.append((time.perf_counter(), previews.draw(self.job.id, draft)))

        threads = []
        for move in range(50):
            threads.append(threading.Thread(target=ask, args=(0.3 + move / 200,)))
            last_sent = time.perf_counter()
            threads[-1].start()
            time.sleep(0.04)
        for thread in threads:
            thread.join()
        self.assertLessEqual(sum(1 for at, _ in answers if at > last_sent), 2)
        self.assertIn('"artworks"', answers[-1][1])

    def test_a_task_makes_the_files_of_its_revision(self) -> None:
        task = Task.objects.create(job=self.job, revision=1)
        make_files.call_local(task.id)
        told = self.client.get(f"/api/tasks/{task.id}").json()
        self.assertEqual((told["state"], told["progress"]), ("done", 1.0))
        names = [file["name"] for file in told["files"]]
        self.assertEqual(
            names, ["crossed-oars-print.pdf", "crossed-oars-cut.pdf", "crossed-oars-cut.svg", "manifest.json"]
        )
        answer = self.client.get(f"/api/tasks/{task.id}/files/{names[1]}")
        self.assertEqual(b"".join(answer.streaming_content)[:5], b"%PDF-")
        self.assertEqual(self.client.get(f"/api/tasks/{task.id}/files/other.pdf").status_code, 404)
        make_files.call_local(task.id)  # safe to run twice
        self.assertEqual(self.client.get(f"/api/tasks/{task.id}").json(), told)

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
