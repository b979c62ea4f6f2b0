"""Results of the pipeline: in memory first, then on disk, the least recently used let go beyond 2 GB."""

import pickle
import threading
from pathlib import Path
from typing import Any

from django.conf import settings

from nibble_core.pipeline.store import MemoryStore

EVERY = 50  # writes between two looks at how much lies on disk


class DiskStore:
    """A ResultStore over MemoryStore and a folder. Only this service's own pickles are ever read."""

    def __init__(self, folder: Path, most_bytes: int, in_memory: int) -> None:
        self._memory = MemoryStore(200, most_bytes=in_memory)
        self._folder = folder
        self._most_bytes = most_bytes
        self._writes = 0
        self._lock = threading.Lock()

    def get(self, key: str) -> Any | None:
        found = self._memory.get(key)
        if found is not None:
            return found
        file = self._file(key)
        try:
            content = file.read_bytes()
            found = pickle.loads(content)
            file.touch()
        except (OSError, pickle.UnpicklingError, EOFError, AttributeError, ImportError):
            return None
        self._memory.put(key, found, size=len(content))
        return found

    def put(self, key: str, value: Any) -> None:
        content = pickle.dumps(value, protocol=5)
        self._memory.put(key, value, size=len(content))
        file = self._file(key)
        file.parent.mkdir(parents=True, exist_ok=True)
        draft = file.with_suffix(f".{threading.get_ident()}")
        try:
            draft.write_bytes(content)
            draft.replace(file)
        except OSError:  # a full disk costs speed, not work
            draft.unlink(missing_ok=True)
        with self._lock:
            self._writes += 1
            due = self._writes % EVERY == 0
        if due:
            self._let_go()

    def _file(self, key: str) -> Path:
        return self._folder / key[:2] / key

    def _let_go(self) -> None:
        files = []
        for file in self._folder.glob("*/*"):
            try:
                state = file.stat()
            except OSError:
                continue
            files.append((state.st_mtime, state.st_size, file))
        total = sum(size for _, size, _ in files)
        for _, size, file in sorted(files):
            if total <= self._most_bytes:
                break
            file.unlink(missing_ok=True)
            total -= size


def make_store() -> DiskStore:
    return DiskStore(Path(settings.RESULTS), settings.MOST_RESULT_BYTES, settings.MOST_MEMORY_BYTES)


STORE = make_store()
