"""What a job keeps of each change: little, and enough to open it as it was at any time."""

import random
from dataclasses import replace
from pathlib import Path

from django.conf import settings
from django.test import TestCase

from jobs import actions
from jobs.keeping import WHOLE_EACH, changed, ticket_of
from jobs.models import Job, Revision
from nibble_core.ticket import Change, first_ticket, to_plain
from nibble_core.ticket.model import SCHEMA, Placed
from production.checking import checked, named_files

DISTANCE = "pieces/p1/layers/l1/lines/k1/offset/distance"
FIRST, SECOND = "1" * 64, "2" * 64


class KeepingTest(TestCase):
    def setUp(self) -> None:
        self.job = actions.keep_new_job(None, first_ticket(name="Badge", file=FIRST, file_name="badge.png"), "started")

    def newest(self) -> Revision:
        newest = self.job.revisions.last()
        assert newest is not None
        return newest

    def change(self, path: str, value: object) -> Revision:
        return actions.change_job(None, self.job.pk, self.newest().number, [Change(path, value)])

    def test_a_long_history_is_opened_as_of_any_time_and_is_whole_now_and_then(self) -> None:
        chance = random.Random(7)
        shown = {1: to_plain(ticket_of(self.newest()))}
        for step in range(2 * WHOLE_EACH + 20):
            number = self.newest().number
            if chance.random() < 0.15 and number > 2:
                made = actions.undo(None, self.job.pk, number)
            else:
                made = self.change(*chance.choice([(DISTANCE, 1.0 + step), ("client", f"Client {step}")]))
            shown[made.number] = to_plain(ticket_of(made))
        for revision in Revision.objects.filter(job=self.job):
            self.assertEqual(revision.ticket, shown[revision.number], revision.number)
        changes = Revision.objects.filter(job=self.job, kind="change")
        self.assertTrue(all(len(one.packed) < 200 for one in changes if one.base is not None))
        self.assertLess(max(one.depth for one in changes), WHOLE_EACH)
        self.assertGreaterEqual(changes.filter(base=None).count(), 2)
        self.assertFalse(Revision.objects.filter(job=self.job, kind="undo", packed__isnull=False).exists())

    def test_one_copy_moved_among_thousands_is_a_small_row(self) -> None:
        ticket = ticket_of(self.newest())
        (sheet,) = ticket.sheets
        copies = tuple(Placed(f"c{n}", "l1", n % 100 * 9.0, n // 100 * 9.0) for n in range(3000))
        job = actions.keep_new_job(None, replace(ticket, sheets=(replace(sheet, placed=copies),)), "started")
        made = actions.change_job(None, job.pk, 1, [Change("sheets/s1/placed/c2001/x", 7.25)])
        self.assertLess(len(made.packed), 200)
        self.assertEqual(Revision.objects.get(pk=made.pk).ticket["sheets"][0]["placed"][2001]["x"], 7.25)

    def test_what_was_kept_whole_before_and_in_older_schemas_is_opened_and_built_on(self) -> None:
        plain = {**self.newest().ticket, "schema": SCHEMA - 1}
        Revision.objects.filter(job=self.job).update(whole=plain, packed=None, schema=0)
        first = self.change(DISTANCE, 4.5)
        self.assertIsNone(first.base)  # no difference from a ticket that was written otherwise
        second = self.change(DISTANCE, 5.5)
        self.assertEqual(second.base, first.number)
        for revision, distance in ((first, 4.5), (second, 5.5)):
            read = Revision.objects.get(pk=revision.pk).ticket
            self.assertEqual(read["pieces"][0]["layers"][0]["lines"][0]["offset"]["distance"], distance)

    def test_a_damaged_row_is_told_and_the_job_opens_as_it_was_before(self) -> None:
        for distance in (3.0, 4.0, 5.0):
            self.change(DISTANCE, distance)
        Revision.objects.filter(job=self.job, number=3).update(packed=b"no difference")
        later = Revision.objects.create(  # whoever opens it has read nothing of it yet
            job=self.job, number=5, kind="change", words="later", base=4, packed=self.newest().packed, schema=SCHEMA,
            state=5, parent=4,
        )  # fmt: skip
        opened = actions.reopened(Revision.objects.get(pk=later.pk))
        self.assertEqual(opened.number, 6)
        faults = checked(Path(settings.BLOBS)).faults
        self.assertEqual([fault for fault in faults if "revision 2 " in fault or "revision 6 " in fault], [])
        self.assertEqual(len([fault for fault in faults if "cannot be read" in fault]), 3)

    def test_files_that_a_change_named_are_known_as_are_those_before(self) -> None:
        before = ticket_of(self.newest())
        after = replace(before, artworks=(replace(before.artworks[0], file=SECOND),))
        Revision.objects.create(
            job=self.job, number=2, kind="change", words="replaced", state=2, parent=1,
            **changed(after, before, self.newest()),
        )  # fmt: skip
        self.assertEqual(named_files().keys() & {FIRST, SECOND}, {FIRST, SECOND})
        self.assertEqual(Job.objects.get(pk=self.job.pk).revisions.get(number=2).ticket["artworks"][0]["file"], SECOND)
