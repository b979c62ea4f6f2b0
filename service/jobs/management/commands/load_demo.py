"""Load the demo shop: its operator and its two finished jobs, once."""

from datetime import date
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandParser

from demo.jobs import demo_jobs
from files import blobs
from jobs.actions import keep_new_job
from jobs.models import Job
from people.middleware import DEMO_USER
from production.api import refresh_card


class Command(BaseCommand):
    help = "Load the demo shop, unless it is there."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--without-jobs", action="store_true", help="the operator only")

    def handle(self, *args: Any, **options: Any) -> None:
        user, _ = get_user_model().objects.get_or_create(username=DEMO_USER)
        if options["without_jobs"] or Job.objects.exists():
            return
        for demo in demo_jobs(date.today()):
            blobs.keep(demo.content)
            job = keep_new_job(user, demo.ticket, "loaded with the demo shop")
            refresh_card(job.revisions.get())
