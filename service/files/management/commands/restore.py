"""./nibble restore FILE: a backup as the shop of an empty data folder."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from files.backup import restore
from nibble_core.errors import NibbleError


class Command(BaseCommand):
    help = "Put a backup back where no shop is."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            made = restore(options["file"], Path(settings.DATA))
        except NibbleError as error:
            raise CommandError(f"{error.message} {error.what_to_do}") from error
        except OSError as error:
            raise CommandError(f"{error.filename or options['file']}: {error.strerror}.") from error
        self.stdout.write(
            f"The shop is back: its database and {made.files} files, each as it was. Start it with ./nibble serve."
        )
