"""Results by key: each stage's outcome is kept under a fingerprint of everything it depends on."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from threading import Lock
from typing import Any, Generic, Protocol, TypeVar, cast

import nibble_core
from nibble_core.ticket import fingerprint

T = TypeVar("T")


class ResultStore(Protocol):
    """Where results are kept. ``get`` answers None for what was never put or has been let go."""

    def get(self, key: str) -> Any | None: ...

    def put(self, key: str, value: Any) -> None: ...


class MemoryStore:
    """The most recently used results, up to a count and, where their sizes are told, up to so many bytes; safe to
    share between threads."""

    def __init__(self, most: int = 64, *, most_bytes: int = 1 << 62) -> None:
        self._most, self._most_bytes = most, most_bytes
        self._results: OrderedDict[str, tuple[Any, int]] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def get(self, key: str) -> Any | None:
        with self._lock:
            if key not in self._results:
                return None
            self._results.move_to_end(key)
            return self._results[key][0]

    def put(self, key: str, value: Any, *, size: int = 0) -> None:
        """``size``: bytes it takes, if that is known. What is larger than all there is room for is not kept."""
        with self._lock:
            if key in self._results:
                self._bytes -= self._results.pop(key)[1]
            self._results[key] = value, size
            self._bytes += size
            while self._results and (len(self._results) > self._most or self._bytes > self._most_bytes):
                self._bytes -= self._results.popitem(last=False)[1][1]


@dataclass(frozen=True, eq=False)
class Keyed(Generic[T]):
    """A result and the key it is kept under."""

    key: str
    value: T


@cache
def _code() -> str:
    """A fingerprint of the core's own code: what another version of it made is never taken for this one's."""
    digest = hashlib.sha256()
    for file in sorted(Path(nibble_core.__file__).parent.rglob("*.py")):
        digest.update(file.read_bytes())
    return digest.hexdigest()


def stage_key(stage: str, specification: Any, inputs: Sequence[str]) -> str:
    """The fingerprint of everything a stage's result depends on."""
    return fingerprint(stage, _code(), specification, list(inputs))


def run_stage(
    store: ResultStore,
    stage: str,
    specification: Any,
    inputs: Sequence[str],
    compute: Callable[[], T],
) -> Keyed[T]:
    """The stored result of a stage, or a fresh one. ``inputs``: keys of what it is computed from."""
    key = stage_key(stage, specification, inputs)
    found = store.get(key)
    if found is None:
        found = compute()
        store.put(key, found)
    return Keyed(key, cast(T, found))
