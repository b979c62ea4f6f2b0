"""Results of the pipeline: in memory first, then on disk, the least recently used let go beyond 2 GB."""

import pickle
import time
from pathlib import Path
from typing import Any

from django.conf import settings

from files.folders import BoundedFolder
from nibble_core.pipeline.packing import packed, size_of, unpacked
from nibble_core.pipeline.store import MemoryStore

QUICK = 0.2  # seconds
MOST_MISSED = 1000


class DiskStore:
    """A ResultStore over MemoryStore and a folder. Only this service's own pickles are ever read."""

    def __init__(self, folder: Path, most_bytes: int, in_memory: int) -> None:
        self._memory = MemoryStore(200, most_bytes=in_memory)
        self._folder = BoundedFolder(folder, most_bytes)

    def get(self, key: str) -> Any | None:
        found = self._memory.get(key)
        if found is not None:
            return found
        content = self._folder.read(key)
        if content is None:
            return None
        try:
            found = unpacked(content)
        except (pickle.UnpicklingError, EOFError, AttributeError, ImportError):
            return None
        self._memory.put(key, found, size=len(content))
        return found

    def put(self, key: str, value: Any) -> None:
        self._folder.write(key, *self.put_in_memory(key, value))

    def put_in_memory(self, key: str, value: Any) -> list[memoryview]:
        """For this process alone; returns the bytes it takes."""
        parts = packed(value)
        self._memory.put(key, value, size=size_of(parts))
        return parts

    def give_up(self) -> None:
        """What lies on disk, for a disk that is full."""
        self._folder.give_up()


class DraftStore:
    """The same results for drafts, which come by the dozen while a value is dragged: only what took longer to work out
    than ``QUICK`` is written to disk, for other processes."""

    def __init__(self, store: DiskStore) -> None:
        self._store = store
        self._missed: dict[str, float] = {}

    def get(self, key: str) -> Any | None:
        found = self._store.get(key)
        if found is None:
            self._missed[key] = time.monotonic()
        return found

    def put(self, key: str, value: Any) -> None:
        now = time.monotonic()
        if now - self._missed.pop(key, now) < QUICK:
            self._store.put_in_memory(key, value)
        else:
            self._store.put(key, value)
        if len(self._missed) > MOST_MISSED:  # of work that failed or was given up
            self._missed.clear()


def make_store() -> DiskStore:
    return DiskStore(Path(settings.RESULTS), settings.MOST_RESULT_BYTES, settings.MOST_MEMORY_BYTES)


STORE = make_store()
DRAFTS = DraftStore(STORE)


def give_up() -> None:
    STORE.give_up()
