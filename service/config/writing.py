"""Transactions that write: one at a time in this process.

SQLite lets one writer in and has others look again after a sleep that grows; threads that wait for each other here are
let in at once when it is their turn.
"""

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from django.db import transaction

_TURN = threading.RLock()


@contextmanager
def writing() -> Iterator[None]:
    """A transaction; also usable as a decorator. One within another is part of it."""
    with _TURN, transaction.atomic():
        yield
