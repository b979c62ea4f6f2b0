"""Calls that compute take turns at this process's interpreter, edits before drafts.

Threads share one interpreter in slices: an answer of a few milliseconds takes as many times that as others are worked
on beside it. Drafts are most of what a busy shop asks for, come again and again while a value is dragged, and wait for
other processes most of the time; an edit waits for the one that has its turn, and not for twenty.
"""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable, Iterable, Iterator
from typing import Any

Application = Callable[[dict[str, Any], Any], Iterable[bytes]]
EDITS = ("/changes", "/undo", "/redo")
DRAFTS = ("/preview",)


class Turns:
    """One thread at a time, among those that ask for a turn: those in a hurry first, then in the order they came."""

    def __init__(self) -> None:
        lock = threading.Lock()
        self._hurried, self._others = threading.Condition(lock), threading.Condition(lock)
        self._waiting = 0  # of those in a hurry
        self._busy = False
        self._own = threading.local()

    @contextlib.contextmanager
    def taken(self, *, hurried: bool) -> Iterator[None]:
        """A turn, from when no other thread has one."""
        if hurried:
            with self._hurried:
                self._waiting += 1
                self._hurried.wait_for(lambda: not self._busy)
                self._waiting -= 1
                self._busy = True
        else:
            with self._others:
                self._others.wait_for(lambda: not self._busy and not self._waiting)
                self._busy = True
        self._own.has = True
        try:
            yield
        finally:
            self.given_up()

    def given_up(self) -> None:
        """Let the next begin, if this thread has a turn: what it does from here on is to wait."""
        if getattr(self._own, "has", False):
            self._own.has = False
            with self._hurried:
                self._busy = False
                (self._hurried if self._waiting else self._others).notify()


TURNS = Turns()


def in_turn(application: Application) -> Application:
    """A WSGI application whose edits and drafts are worked on one after the other."""

    def answer(environ: dict[str, Any], start_response: Any) -> Iterable[bytes]:
        path = str(environ.get("PATH_INFO", ""))
        if not path.endswith(EDITS + DRAFTS):
            return application(environ, start_response)
        with TURNS.taken(hurried=path.endswith(EDITS)):
            return application(environ, start_response)

    return answer
