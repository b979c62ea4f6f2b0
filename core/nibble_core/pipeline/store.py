"""Results by key: each stage's outcome is kept under a fingerprint of everything it depends on."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from threading import Lock
from typing import Any, Generic, Protocol, TypeVar, cast

from nibble_core.ticket import fingerprint

T = TypeVar("T")


class ResultStore(Protocol):
    """Where results are kept. ``get`` answers None for what was never put or has been let go."""

    def get(self, key: str) -> Any | None: ...

    def put(self, key: str, value: Any) -> None: ...


class MemoryStore:
    """The most recently used results, up to a count; safe to share between threads."""

    def __init__(self, most: int = 64) -> None:
        self._most = most
        self._results: OrderedDict[str, Any] = OrderedDict()
        self._lock = Lock()

    def get(self, key: str) -> Any | None:
        with self._lock:
            if key in self._results:
                self._results.move_to_end(key)
            return self._results.get(key)

    def put(self, key: str, value: Any) -> None:
        with self._lock:
            self._results[key] = value
            self._results.move_to_end(key)
            while len(self._results) > self._most:
                self._results.popitem(last=False)


@dataclass(frozen=True, eq=False)
class Keyed(Generic[T]):
    """A result and the key it is kept under."""

    key: str
    value: T


def stage_key(stage: str, version: int, specification: Any, inputs: Sequence[str]) -> str:
    """The fingerprint of everything a stage's result depends on."""
    return fingerprint(stage, version, specification, list(inputs))


def run_stage(
    store: ResultStore,
    stage: str,
    version: int,
    specification: Any,
    inputs: Sequence[str],
    compute: Callable[[], T],
) -> Keyed[T]:
    """The stored result of a stage, or a fresh one. ``inputs``: keys of what it is computed from."""
    key = stage_key(stage, version, specification, inputs)
    found = store.get(key)
    if found is None:
        found = compute()
        store.put(key, found)
    return Keyed(key, cast(T, found))
