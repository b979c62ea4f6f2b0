"""Previews of draft tickets: one warm child process; the newest draft of a job replaces the waiting one.

The running draft is told to give up as soon as a newer one of the same job arrives; the child looks between
regions and stages.
"""

import json
import multiprocessing
import multiprocessing.connection
import threading
from collections import OrderedDict
from concurrent.futures import Future
from typing import Any

from nibble_core.errors import Cancelled, NibbleError

LONGEST_SECONDS = 120.0
_spawn = multiprocessing.get_context("spawn")
SUPERSEDED = "A newer draft took this one's place."


def _child(pipe: multiprocessing.connection.Connection, given_up: Any) -> None:
    import django

    django.setup()
    from files import blobs
    from files.results import make_store
    from nibble_core.pipeline.work import work_out
    from nibble_core.ticket import ticket_from_plain
    from production.view import work_view

    store = make_store()
    computed = 0
    while True:
        try:
            number, plain = pipe.recv()
        except EOFError:
            return
        try:
            ticket = ticket_from_plain(plain)
            work = work_out(
                ticket, blobs.fetch, store, preview=True, cancelled=lambda number=number: given_up.value >= number
            )
            computed += 1
            view = work_view(ticket, work, preview=True) | {"computed": computed}
            pipe.send((True, json.dumps(view)))
        except NibbleError as error:
            pipe.send((False, (type(error), (error.message, error.what_to_do))))
        except Exception:
            import logging

            logging.getLogger("nibble").exception("a preview failed")
            pipe.send((False, (NibbleError, ("This preview could not be drawn.", "The last good one stays."))))


class Previews:
    """Hands drafts to the child, newest first in each job. Safe to call from any thread."""

    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._waiting: OrderedDict[int, tuple[int, Any, Future[str]]] = OrderedDict()
        self._running: tuple[int, int] | None = None
        self._number = 0
        self._thread: threading.Thread | None = None
        self._given_up: Any = None

    def draw(self, job_id: int, ticket: Any) -> str:
        """The preview of a plain ticket as JSON text. Raises Cancelled when a newer draft of the job came."""
        future: Future[str] = Future()
        with self._changed:
            self._start()
            self._number += 1
            older = self._waiting.pop(job_id, None)
            if older is not None:
                older[2].set_exception(Cancelled(SUPERSEDED))
            if self._running is not None and self._running[0] == job_id:
                self._given_up.value = self._running[1]
            self._waiting[job_id] = (self._number, ticket, future)
            self._changed.notify()
        return future.result(LONGEST_SECONDS + 5)

    def warm_up(self) -> None:
        """Start the child before the first draft."""
        with self._changed:
            self._start()

    def _start(self) -> None:
        if self._thread is None:
            self._given_up = _spawn.Value("q", 0)
            self._thread = threading.Thread(target=self._serve, name="previews", daemon=True)
            self._thread.start()

    def _serve(self) -> None:
        process, pipe = self._spawn()
        while True:
            with self._changed:
                while not self._waiting:
                    self._changed.wait()
                job_id, (number, ticket, future) = self._waiting.popitem(last=False)
                self._running = (job_id, number)
            try:
                pipe.send((number, ticket))
                if not pipe.poll(LONGEST_SECONDS):
                    raise EOFError
                good, answer = pipe.recv()
            except (EOFError, OSError):
                process.kill()
                process, pipe = self._spawn()
                good, answer = False, (NibbleError, ("This preview took too long.", "The last good one stays."))
            with self._changed:
                self._running = None
            if good:
                future.set_result(answer)
            else:
                kind, words = answer
                future.set_exception(kind(*words))

    def _spawn(self) -> tuple[Any, multiprocessing.connection.Connection]:
        ours, theirs = _spawn.Pipe()
        process = _spawn.Process(target=_child, args=(theirs, self._given_up), daemon=True)
        process.start()
        theirs.close()
        return process, ours


PREVIEWS = Previews()
