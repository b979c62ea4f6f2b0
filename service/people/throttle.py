"""Wrong passwords slow down: a few tries a minute for each name and for each address, counted before a password is
looked at, so that tries made at once count as well."""

import threading
import time
from collections import defaultdict, deque

MINUTE = 60.0
MOST_OF_NAME = 5
MOST_OF_ADDRESS = 20
MOST_KEPT = 10_000
MOST_LETTERS = 150  # of a name


class Throttle:
    """Counts tries in memory; the one server of a data folder needs no more. Safe to call from any thread."""

    def __init__(self) -> None:
        self._tries: defaultdict[str, deque[float]] = defaultdict(deque)
        self._lock = threading.Lock()

    def lets_in(self, name: str, address: str) -> bool:
        """Whether one more try is allowed; then it counts."""
        with self._lock:
            who = _who(name, address)
            if any(self._count(one) >= most for one, most in zip(who, (MOST_OF_NAME, MOST_OF_ADDRESS), strict=True)):
                return False
            if len(self._tries) > MOST_KEPT:
                for one in list(self._tries):
                    if not self._count(one):
                        del self._tries[one]
            if len(self._tries) > MOST_KEPT:
                return False
            for one in who:
                self._tries[one].append(time.monotonic())
            return True

    def worked(self, name: str, address: str) -> None:
        """The last try was right, and counts no more."""
        with self._lock:
            for one in _who(name, address):
                if self._tries[one]:
                    self._tries[one].pop()

    def forget(self) -> None:
        with self._lock:
            self._tries.clear()

    def _count(self, who: str) -> int:
        if who not in self._tries:
            return 0
        times = self._tries[who]
        while times and times[0] < time.monotonic() - MINUTE:
            times.popleft()
        return len(times)


def _who(name: str, address: str) -> tuple[str, str]:
    return f"n {name[:MOST_LETTERS]}", f"a {address}"


SIGN_INS = Throttle()
AT_ONCE = threading.BoundedSemaphore(2)
"""Passwords looked at together: each takes a second of processor."""
