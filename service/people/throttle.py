"""Wrong passwords slow down: a few tries a minute for each name and for each address."""

import threading
import time
from collections import defaultdict, deque

MINUTE = 60.0
MOST_OF_NAME = 5
MOST_OF_ADDRESS = 20
MOST_KEPT = 10_000


class Throttle:
    """Counts failures in memory; the one server of a data folder needs no more. Safe to call from any thread."""

    def __init__(self) -> None:
        self._failures: defaultdict[str, deque[float]] = defaultdict(deque)
        self._lock = threading.Lock()

    def is_shut(self, name: str, address: str) -> bool:
        with self._lock:
            return self._count(f"n {name}") >= MOST_OF_NAME or self._count(f"a {address}") >= MOST_OF_ADDRESS

    def failed(self, name: str, address: str) -> None:
        with self._lock:
            if len(self._failures) > MOST_KEPT:
                self._failures.clear()
            for who in (f"n {name}", f"a {address}"):
                self._failures[who].append(time.monotonic())

    def forget(self) -> None:
        with self._lock:
            self._failures.clear()

    def _count(self, who: str) -> int:
        if who not in self._failures:
            return 0
        times = self._failures[who]
        while times and times[0] < time.monotonic() - MINUTE:
            times.popleft()
        return len(times)


SIGN_INS = Throttle()
