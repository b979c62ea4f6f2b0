"""Load the demo shop: its operator and its jobs, once."""

import json
import os
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandParser
from django.db import connection

from demo.jobs import LASER, demo_jobs, offcut_ticket
from files import blobs
from jobs.actions import bring_piece, change_job, keep_new_job
from jobs.models import Job
from jobs.queries import newest_revision
from library.actions import keep_record
from nibble_core.ticket import Change, ticket_from_plain, to_plain
from people.middleware import DEMO_USER
from production.api import refresh_card
from production.workers import DESK

SECONDS = 0.5  # of looking for a nest


class Command(BaseCommand):
    help = "Load the demo shop, unless it is there."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--without-jobs", action="store_true", help="the operator only")

    def handle(self, *args: Any, **options: Any) -> None:
        user, _ = get_user_model().objects.get_or_create(username=DEMO_USER)
        if options["without_jobs"] or Job.objects.exists():
            return
        keep_record("machine", LASER.key, to_plain(LASER))
        made = []
        for demo in demo_jobs(date.today()):
            blobs.keep(demo.content)
            made.append(keep_new_job(user, demo.ticket, "loaded with the demo shop"))
        with ThreadPoolExecutor(os.cpu_count()) as each:
            list(each.map(worked_out, [job.pk for job in made]))
        kite, hive, owl = made[:3]
        offcut = offcut_ticket(ticket_from_plain(newest_revision(owl.pk).ticket))
        last = keep_new_job(user, offcut, "loaded with the demo shop")
        for other in (kite, hive):
            bring_piece(user, last.pk, newest_revision(last.pk).number, "s1", other.pk, "p1")
        nested(user, last.pk)
        worked_out(last.pk)


def worked_out(job_id: int) -> None:
    refresh_card(newest_revision(job_id))
    connection.close()  # of this thread


def nested(user: Any, job_id: int) -> None:
    """Lay a job's first sheet as tight as is found in a moment."""
    newest = newest_revision(job_id)
    told = json.loads(DESK.ask("nest", newest.ticket, "s1", SECONDS, lane=f"demo {job_id}"))
    change_job(user, job_id, newest.number, [Change(**one) for one in told["changes"]], said="nested")
