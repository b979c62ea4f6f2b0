"""./nibble check: whether the shop is whole, while it runs or not."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from django.db import OperationalError

from production.checking import checked


class Command(BaseCommand):
    help = "Read every revision, hash every stored file, and tell what is wrong."

    def handle(self, *args: Any, **options: Any) -> None:
        if not (Path(settings.DATA) / "nibble.sqlite3").exists():
            raise CommandError(f"There is no shop in {settings.DATA}.")
        try:
            told = checked(Path(settings.BLOBS))
        except OperationalError as error:
            raise CommandError(
                "The database cannot be read; a newer Nibble brings it up to date when it starts."
            ) from error
        for fault in told.faults:
            self.stdout.write(fault)
        self.stdout.write(f"{told.revisions} revisions read, {told.files} files hashed, {len(told.faults)} faults.")
        if told.faults:
            raise CommandError("The shop is not whole. Restore what is missing from a backup.")
