"""A shop as one file and back, while it is written to; and whether it is whole."""

import contextlib
import io
import os
import sqlite3
import tarfile
import tempfile
import threading
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.contrib.auth import get_user_model
from django.db import connection
from django.test import TransactionTestCase
from django.utils import timezone

from demo.loose_files import draw_loose_file
from files import blobs
from files.backup import DATABASE, FILES, NoBackup, back_up, restore
from jobs import actions
from jobs.models import Job, Revision
from nibble_core.errors import UnreadableFile
from nibble_core.ticket import Change
from production.checking import checked
from production.models import Task
from production.tasks import make_files
from production.tidying import tidied


class BackupTest(TransactionTestCase):
    def setUp(self) -> None:
        self.user = user = get_user_model().objects.create_user("ada")
        self.job = actions.start_job(user, draw_loose_file("boat-sign.svg"), "boat-sign.svg")
        actions.change_job(user, self.job.pk, 1, [Change("client", "North Mole Rowers")], said="client set")
        make_files.call_local(Task.objects.create(job=self.job, revision=2).pk)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.shop = self.folder / "shop"
        self.shop.mkdir()
        (self.shop / FILES).symlink_to(settings.BLOBS)
        with contextlib.closing(sqlite3.connect(self.shop / DATABASE)) as there:
            there.execute("PRAGMA journal_mode=WAL")
            connection.ensure_connection()
            connection.connection.backup(there)

    def test_what_comes_back_is_what_was_there(self) -> None:
        made = back_up(self.shop, self.folder / "monday.tar")
        there = self.folder / "other"
        self.assertEqual(restore(self.folder / "monday.tar", there), made)
        stored = {one.name: one.read_bytes() for one in (self.shop / FILES).glob("??/*")}
        self.assertEqual({one.name: one.read_bytes() for one in (there / FILES).glob("??/*")}, stored)
        with contextlib.closing(sqlite3.connect(there / DATABASE)) as database:
            tickets = database.execute("SELECT packed FROM jobs_revision ORDER BY id").fetchall()
        self.assertEqual(
            [bytes(one) for (one,) in tickets], [bytes(one.packed) for one in Revision.objects.order_by("id")]
        )
        with self.assertRaisesMessage(NoBackup, "There is a shop in"):
            restore(self.folder / "monday.tar", there)
        with self.assertRaisesMessage(NoBackup, "is there already"):
            back_up(self.shop, self.folder / "monday.tar")

    def test_it_is_consistent_while_the_shop_is_written_to(self) -> None:
        done = threading.Event()

        def keep_writing() -> None:
            with contextlib.closing(sqlite3.connect(self.shop / DATABASE, timeout=20)) as database:
                while not done.is_set():
                    with database:  # both or neither
                        database.execute("UPDATE jobs_job SET name = name || 'x'")
                        database.execute("UPDATE jobs_job SET client = client || 'x'")

        writer = threading.Thread(target=keep_writing)
        writer.start()
        try:
            for number in range(5):
                back_up(self.shop, self.folder / f"{number}.tar")
        finally:
            done.set()
            writer.join()
        for number in range(5):
            restore(self.folder / f"{number}.tar", self.folder / str(number))
            with contextlib.closing(sqlite3.connect(self.folder / str(number) / DATABASE)) as database:
                (name, client) = database.execute("SELECT name, client FROM jobs_job").fetchone()
            self.assertEqual(name.count("x"), client.count("x"))

    def test_a_damaged_or_foreign_file_is_refused_and_nothing_is_put_back(self) -> None:
        back_up(self.shop, self.folder / "whole.tar")
        content = (self.folder / "whole.tar").read_bytes()
        middle = content.index(b"SQLite format 3") + 5000
        for wrong, said in (
            (content[:middle] + bytes([content[middle] ^ 1]) + content[middle + 1 :], "is damaged"),
            (content[: len(content) // 2], "cut short|damaged"),
            (b"", "no backup"),
            (draw_loose_file("crossed-oars.png"), "no backup"),
            (with_member(content, "../../evil"), "no backup holds"),
            (with_member(content, f"{FILES}/aa/{'a' * 64}", link="/etc/passwd"), "no backup holds"),
        ):
            source, there = self.folder / "wrong.tar", self.folder / "there"
            source.write_bytes(wrong)
            with self.assertRaisesRegex(UnreadableFile, said):
                restore(source, there)
            self.assertEqual(list(there.iterdir()), [])
            self.assertFalse((self.folder.parent / "evil").exists())

    def test_a_whole_shop_has_no_fault_and_others_are_told(self) -> None:
        whole = checked(Path(settings.BLOBS))
        self.assertEqual((whole.faults, whole.revisions), ([], 2))
        self.assertGreater(whole.files, 3)
        there = self.folder / "copy"
        back_up(self.shop, self.folder / "whole.tar")
        restore(self.folder / "whole.tar", there)
        artwork = Revision.objects.first().ticket["artworks"][0]["file"]
        made = Task.objects.first().files[0]["sha256"]
        (there / FILES / artwork[:2] / artwork).unlink()
        (there / FILES / made[:2] / made).write_bytes(b"other")
        Revision.objects.filter(number=2).update(whole={"schema": 99}, packed=None, base=None)
        told = " ".join(checked(there / FILES).faults)
        self.assertIn(f"A stored file of revision 1 of job {self.job.pk} is missing", told)
        self.assertIn(f"is damaged; the files made of job {self.job.pk} uses it", told)
        self.assertIn(f"The ticket of revision 2 of job {self.job.pk} cannot be read", told)
        self.assertEqual(Job.objects.count(), 1)


def with_member(content: bytes, name: str, *, link: str = "") -> bytes:
    """A backup with one more member."""
    out = io.BytesIO(content)
    with tarfile.open(fileobj=out, mode="a") as archive:
        member = tarfile.TarInfo(name)
        if link:
            member.type, member.linkname = tarfile.SYMTYPE, link
        archive.addfile(member, io.BytesIO(b""))
    return out.getvalue()

    def test_older_job_files_are_let_go_and_can_be_made_again(self) -> None:
        first = Task.objects.get()
        for number, client in ((2, "Kite Week"), (3, "Harbour Hive")):
            actions.change_job(
                self.user, self.job.pk, number, [Change("artworks/a1/width", 70.0 + number)], said=client
            )
            make_files.call_local(Task.objects.create(job=self.job, revision=number + 1).pk)
        ago = timezone.now() - timedelta(days=200)
        Task.objects.update(created=ago)
        for file in Path(settings.BLOBS).glob("??/*"):
            os.utime(file, (ago.timestamp(), ago.timestamp()))
        unnamed = blobs.keep(b"just brought in")
        made = {file["sha256"] for file in first.files}
        newest = {file["sha256"] for file in Task.objects.order_by("pk").last().files}
        told = tidied(Path(settings.BLOBS), 90, trial=True)
        self.assertEqual(len(checked(Path(settings.BLOBS)).faults), 0)
        self.assertTrue(all(blobs.is_kept(sha256) for sha256 in made))
        self.assertEqual(tidied(Path(settings.BLOBS), 90), told)
        self.assertEqual(told.tasks, 2)
        self.assertGreaterEqual(told.files, len(made - newest))
        self.assertFalse(any(blobs.is_kept(sha256) for sha256 in made - newest))
        self.assertTrue(all(blobs.is_kept(sha256) for sha256 in [*newest, unnamed]))
        self.assertEqual(checked(Path(settings.BLOBS)).faults, [])
        again = Task.objects.create(job=self.job, revision=2)
        make_files.call_local(again.pk)
        again.refresh_from_db()
        self.assertEqual({file["sha256"] for file in again.files}, made)
