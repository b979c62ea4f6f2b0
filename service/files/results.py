"""Results of the pipeline: in memory first, then on disk, the least recently used let go beyond 2 GB."""

import pickle
from pathlib import Path
from typing import Any

from django.conf import settings

from files.folders import BoundedFolder
from nibble_core.pipeline.store import MemoryStore


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
            found = pickle.loads(content)
        except (pickle.UnpicklingError, EOFError, AttributeError, ImportError):
            return None
        self._memory.put(key, found, size=len(content))
        return found

    def put(self, key: str, value: Any) -> None:
        content = pickle.dumps(value, protocol=5)
        self._memory.put(key, value, size=len(content))
        self._folder.write(key, content)

    def give_up(self) -> None:
        """What lies on disk, for a disk that is full."""
        self._folder.give_up()


def make_store() -> DiskStore:
    return DiskStore(Path(settings.RESULTS), settings.MOST_RESULT_BYTES, settings.MOST_MEMORY_BYTES)


STORE = make_store()


def give_up() -> None:
    STORE.give_up()
