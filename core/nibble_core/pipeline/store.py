"""Results by key: each stage's outcome is kept under a fingerprint of everything it depends on."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable
from functools import cache
from pathlib import Path
from threading import Lock
from types import FunctionType
from typing import Any, Concatenate, Generic, Protocol, TypeVar, cast

import nibble_core
from nibble_core.ticket import fingerprint

S = TypeVar("S")
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


class Keyed(Generic[T]):
    """A result and the key it is kept under. ``value`` is worked out when it is first asked for, and may raise then."""

    __slots__ = ("_made", "_make", "key")

    def __init__(self, key: str, make: Callable[[], T]) -> None:
        self.key, self._make = key, make
        self._made: list[T] = []

    @property
    def value(self) -> T:
        if not self._made:
            self._made.append(self._make())
        return self._made[0]


@cache
def _code() -> str:
    """A fingerprint of the core's own code: what another version of it made is never taken for this one's."""
    digest = hashlib.sha256()
    for file in sorted(Path(nibble_core.__file__).parent.rglob("*.py")):
        digest.update(file.read_bytes())
    return digest.hexdigest()


def stage(
    store: ResultStore, function: Callable[Concatenate[S, ...], T], specification: S, *inputs: Keyed[Any],
    cancelled: Callable[[], bool] | None = None,
) -> Keyed[T]:  # fmt: skip
    """``function(specification, *values of the inputs)``, kept in the store, or what is kept there. The function sees
    nothing else, so that the key, which is made of all it is given, cannot miss anything: it stands in a module and
    closes over nothing. cancelled: given on to it where it can be cut short; whether it is makes no other result."""
    made = later(store, function, specification, *inputs, cancelled=cancelled)
    _ = made.value
    return made


def later(
    store: ResultStore, function: Callable[Concatenate[S, ...], T], specification: S, *inputs: Keyed[Any],
    cancelled: Callable[[], bool] | None = None,
) -> Keyed[T]:  # fmt: skip
    """The same, worked out or looked for when its value is first asked for."""
    fresh = derived(function, specification, *inputs, cancelled=cancelled)

    def kept() -> T:
        found = store.get(fresh.key)
        if found is None:
            found = fresh.value
            store.put(fresh.key, found)
        return cast(T, found)

    return Keyed(fresh.key, kept)


def derived(
    function: Callable[Concatenate[S, ...], T], specification: S, *inputs: Keyed[Any],
    cancelled: Callable[[], bool] | None = None,
) -> Keyed[T]:  # fmt: skip
    """The same, kept nowhere: for what is had quickly, or is large."""
    _require_plain(function)
    key = fingerprint(function.__module__, function.__qualname__, _code(), specification, [one.key for one in inputs])
    more = {} if cancelled is None else {"cancelled": cancelled}
    return Keyed(key, lambda: function(specification, *(one.value for one in inputs), **more))


@cache
def _require_plain(function: Callable[..., Any]) -> None:
    """Raises TypeError for a function that could see more than its arguments."""
    if not isinstance(function, FunctionType) or function.__closure__ or "<" in function.__qualname__:
        raise TypeError(f"{function!r} is no plain function of a module: a key could miss what it closes over")
