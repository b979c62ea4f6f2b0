"""Load the demo shop: its operator and its jobs, once."""

import json
import os
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandParser
from django.db import connection

from demo.jobs import LASER, ROUTER, demo_jobs, offcut_ticket
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
LEFT = settings.DATA / "demo-unfinished"
"""There while the server has jobs of the demo to work out."""


class Command(BaseCommand):
    help = "Load the demo shop, unless it is there."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--without-jobs", action="store_true", help="the operator only")
        parser.add_argument("--work-later", action="store_true", help="the server works the jobs out once it runs")

    def handle(self, *args: Any, **options: Any) -> None:
        user, _ = get_user_model().objects.get_or_create(username=DEMO_USER)
        if options["without_jobs"] or Job.objects.exists():
            return
        keep_record("machine", LASER.key, to_plain(LASER))
        keep_record("machine", ROUTER.key, to_plain(ROUTER))
        for demo in demo_jobs(date.today()):
            blobs.keep(demo.content)
            keep_new_job(user, demo.ticket, "loaded with the demo shop")
        if options["work_later"]:
            LEFT.touch()
        else:
            work_out_demo()


def work_out_demo() -> None:
    """Draw the cards of the demo's jobs, and add the one that is nested of the others' pieces."""
    with ThreadPoolExecutor(os.cpu_count()) as each:
        list(each.map(worked_out, Job.objects.filter(card__isnull=True).values_list("pk", flat=True)))
    add_offcut()


def add_offcut() -> None:
    """The job that is nested of the others' pieces."""
    user = get_user_model().objects.get(username=DEMO_USER)
    kite, hive, owl = Job.objects.order_by("pk")[:3]
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
