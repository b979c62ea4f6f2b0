"""What happens to a job while somebody looks at it: told as it happens, by server-sent events.

Of each kind only the newest counts: a revision's number, what the final work is doing, how far the files are.
"""

import json
import threading
import time
from collections.abc import Callable, Iterator
from typing import Any

from django.dispatch import receiver

from jobs.signals import revised

BEAT = 10.0  # seconds after which a stream that has nothing to say shows that it is alive
LOOKS = 0.25  # seconds between two looks at a task, which works in a process of its own
MOST_STREAMS = 120


class Exchange:
    """Passes on what is published of a job to all who listen. Safe to use from any thread."""

    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._newest: dict[int, dict[str, tuple[int, Any]]] = {}  # by job and kind
        self._serial = 0
        self._open = 0
        self._closed = False

    def publish(self, job_id: int, kind: str, value: Any) -> None:
        with self._changed:
            self._serial += 1
            self._newest.setdefault(job_id, {})[kind] = self._serial, value
            self._changed.notify_all()

    def close(self) -> None:
        """End every stream, so that the server can end."""
        with self._changed:
            self._closed = True
            self._changed.notify_all()

    def is_full(self) -> bool:
        return self._open >= MOST_STREAMS

    def now(self) -> int:
        """A moment, for ``stream``: taken before what is so first is looked up, so that nothing between is missed."""
        return self._serial

    def stream(self, job_id: int, first: dict[str, Any], since: int, *, task: Callable[[], Any]) -> Iterator[bytes]:
        """Events of a job as bytes: what is so ``first``, then all that was published after ``since``. ``task()``: the
        newest task as plain values, asked for only while one is at work."""
        seen = since
        with self._changed:
            self._open += 1
        try:
            for kind, value in first.items():
                yield _event(kind, value)
            busy, spoken = _is_busy(first.get("task")), time.monotonic()
            last_task = first.get("task")
            while not self._closed:
                with self._changed:
                    told = lambda seen=seen: self._closed or self._serial > seen  # noqa: E731 - one-line local
                    self._changed.wait_for(told, LOOKS if busy else BEAT)
                    news = [
                        (kind, value) for kind, (serial, value) in self._newest.get(job_id, {}).items() if serial > seen
                    ]
                    seen = self._serial
                for kind, value in news:
                    busy = busy or kind == "task"
                    yield _event(kind, value)
                if busy:
                    now = task()
                    busy = _is_busy(now)
                    if now != last_task:
                        last_task = now
                        news.append(("task", now))
                        yield _event("task", now)
                if news:
                    spoken = time.monotonic()
                elif time.monotonic() - spoken > BEAT:
                    spoken = time.monotonic()
                    yield b": still here\n\n"
        finally:
            with self._changed:
                self._open -= 1


def _is_busy(task: Any) -> bool:
    return bool(task) and task["state"] in ("waiting", "working")


def _event(kind: str, value: Any) -> bytes:
    return f"event: {kind}\ndata: {json.dumps(value)}\n\n".encode()


EXCHANGE = Exchange()


@receiver(revised)
def tell_revision(sender: Any, job_id: int, number: int, **rest: Any) -> None:
    EXCHANGE.publish(job_id, "revision", number)
