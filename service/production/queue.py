"""The task queue: SQLite and a child process by default, Redis and workers elsewhere when its address is set."""

from django.conf import settings
from huey import RedisHuey, SqliteHuey

if settings.QUEUE["url"]:
    QUEUE = RedisHuey("nibble", url=settings.QUEUE["url"])
else:
    QUEUE = SqliteHuey("nibble", filename=settings.QUEUE["filename"], fsync=True)
