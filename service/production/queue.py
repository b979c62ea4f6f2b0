"""The task queue: SQLite, worked off by a child process of the server."""

from django.conf import settings
from huey import SqliteHuey

QUEUE = SqliteHuey("nibble", filename=str(settings.QUEUE), fsync=True)
