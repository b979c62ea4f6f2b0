"""What goes wrong again and again is logged once a minute: a full disk fills no log as well."""

import logging
import threading
import time

MINUTE = 60.0
MOST_KEPT = 1000


class Seldom(logging.Filter):
    """Lets the same words of the same place through once a minute; then with how often they were meant meanwhile."""

    def __init__(self) -> None:
        super().__init__()
        self._said: dict[tuple[str, int, str], tuple[float, int]] = {}
        self._lock = threading.Lock()

    def filter(self, record: logging.LogRecord) -> bool:
        key, now = (record.pathname, record.lineno, str(record.msg)[:200]), time.monotonic()
        with self._lock:
            when, times = self._said.get(key, (-MINUTE, 0))
            if now - when < MINUTE:
                self._said[key] = when, times + 1
                return False
            if len(self._said) >= MOST_KEPT:
                self._said.clear()
            self._said[key] = now, 0
        if times:
            record.msg = f"{record.msg} (and {times} times in the minute before)"
        return True
