"""./nibble backup FILE: the whole shop as one file, while it runs or not."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from files.backup import back_up
from nibble_core.errors import NibbleError


class Command(BaseCommand):
    help = "Write the whole shop into one file."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            made = back_up(Path(settings.DATA), options["file"])
        except NibbleError as error:
            raise CommandError(f"{error.message} {error.what_to_do}") from error
        except OSError as error:
            raise CommandError(f"{error.filename or options['file']}: {error.strerror}.") from error
        self.stdout.write(f"{options['file']}: the database and {made.files} files, {made.size / 1e6:.1f} MB.")
