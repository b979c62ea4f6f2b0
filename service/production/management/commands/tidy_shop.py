"""./nibble tidy: let go of job files that nobody asks for any more, while the service runs or not."""

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from production.tidying import DAYS, LEAST_DAYS, tidied


class Command(BaseCommand):
    help = "Let go of job files that newer ones have taken the place of, and of stored files that nothing names."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--days", type=int, default=DAYS, help=f"younger ones stay (default: {DAYS})")
        parser.add_argument("--trial", action="store_true", help="tell what would go, and alter nothing")

    def handle(self, *args: Any, **options: Any) -> None:
        if not (Path(settings.DATA) / "nibble.sqlite3").exists():
            raise CommandError(f"There is no shop in {settings.DATA}.")
        if options["days"] < LEAST_DAYS:
            raise CommandError(f"Files stay for {LEAST_DAYS} days at least: one may just be on its way into a job.")
        told = tidied(Path(settings.BLOBS), options["days"], trial=options["trial"])
        would = "would be" if options["trial"] else "were"
        self.stdout.write(
            f"The files of {told.tasks} older makings {would} let go; {told.files} stored files, "
            f"{told.size / 1e6:.1f} MB, {would} deleted."
        )
