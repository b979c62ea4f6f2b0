"""What the running service makes of a job is what ``produce`` makes of its ticket, byte for byte but for the number of
the revision."""

import json
import re
import tempfile
from pathlib import Path

from django.contrib.auth import get_user_model
from django.test import TransactionTestCase

from demo.loose_files import draw_loose_file
from jobs import actions
from jobs.keeping import ticket_of
from jobs.queries import newest_revision
from nibble_core.cli import main
from nibble_core.ticket import to_plain
from production.models import Task
from production.tasks import make_files

LINE, SHEET = "pieces/p1/layers/l1/lines/k1", "sheets/s1"
CHANGES = (
    [(f"{LINE}/offset/distance", 4.0), (f"{SHEET}/mark_gap", 9.0)],
    [(f"{SHEET}/stock", "birch-3mm"), ("pieces/p1/layers/l1/prints", "nothing")],
    [(f"{LINE}/offset/corners", "mitred"), (f"{LINE}/process/ties", 3)],
    [(f"{SHEET}/arrangement", "interlocked pairs"), (f"{SHEET}/spacing", 8.0)],
    [(f"{SHEET}/shared", "once where they touch"), (f"{LINE}/offset/distance", 2.5)],
)


class SameFilesTest(TransactionTestCase):
    def made_by_the_service(self, job, number: int) -> dict[str, bytes]:
        task = Task.objects.create(job=job, revision=number)
        make_files.call_local(task.id)
        told = self.client.get(f"/api/tasks/{task.id}").json()
        self.assertEqual(told["state"], "done", told)
        return {
            re.sub(r"-rev\d+", "", file["name"]): re.sub(rb", revision \d+,", b",", self.content_of(task, file["name"]))
            for file in told["files"]
        }

    def content_of(self, task, name: str) -> bytes:
        return b"".join(self.client.get(f"/api/tasks/{task.id}/files/{name}").streaming_content)

    def made_by_the_command_line(self, ticket, artwork: bytes) -> dict[str, bytes]:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "ticket.json").write_text(json.dumps(to_plain(ticket)))
            (folder / "crossed-oars.png").write_bytes(artwork)
            self.assertEqual(
                main(["produce", str(folder / "ticket.json"), "--artwork", str(folder / "crossed-oars.png"),
                      "-o", str(folder / "made")]), 0,
            )  # fmt: skip
            return {file.name: file.read_bytes() for file in (folder / "made").iterdir()}

    def test_after_every_change(self) -> None:
        user = get_user_model().objects.create_user("ada")
        self.client.force_login(user)
        artwork = draw_loose_file("crossed-oars.png")
        job = actions.start_job(user, artwork, "crossed-oars.png")
        for some in CHANGES:
            seen = newest_revision(job.id).number
            changes = [{"path": path, "value": value, "operation": "set"} for path, value in some]
            for address, body in (("preview", {"station": "machine"}), ("changes", {})):
                answer = self.client.post(
                    f"/api/jobs/{job.id}/{address}", {"seen": seen, "changes": changes, **body}, "application/json"
                )
                self.assertEqual(answer.status_code, 200, answer.content)
            revision = newest_revision(job.id)
            here = self.made_by_the_service(job, revision.number)
            there = self.made_by_the_command_line(ticket_of(revision), artwork)
            self.assertEqual(here.keys(), there.keys())
            manifests = [json.loads(made.pop("manifest.json")) for made in (here, there)]
            self.assertEqual(*({key: one[key] for key in ("job", "ticket")} for one in manifests))
            self.assertEqual([name for name in here if here[name] != there[name]], [], some)
