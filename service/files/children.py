"""Child processes, forked from one that has everything imported: a new one is there at once, and they share its memory.

That one is started when first needed, by a thread that never ends: the kernel ends it with its parent, and counts the
thread that started it as that.
"""

import contextlib
import ctypes
import multiprocessing
import multiprocessing.connection
import os
import signal
import threading
from collections.abc import Callable
from multiprocessing import forkserver
from pathlib import Path
from typing import Any

PR_SET_PDEATHSIG = 1
# the process that children are forked from finds modules by this, not by where the command lies
os.environ["PYTHONPATH"] = os.pathsep.join(
    dict.fromkeys([str(Path(__file__).resolve().parent.parent), *os.environ.get("PYTHONPATH", "").split(os.pathsep)])
)
_context = multiprocessing.get_context("forkserver")
_context.set_forkserver_preload(["config.nursery"])
_holds = threading.Lock()
_running = threading.Event()


def die_with_parent() -> None:
    """Have the kernel end this process when its parent is gone, however that came about."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGTERM)


def prepare() -> None:
    """Start the process that children are forked from; it is not waited for."""
    with _holds:
        if not _running.is_set():
            threading.Thread(target=_keep, name="children", daemon=True).start()
            _running.wait()


def _keep() -> None:
    try:
        forkserver.ensure_running()
    finally:
        _running.set()  # where it failed, the first child says why
    threading.Event().wait()


def number() -> Any:
    """A whole number that parent and children see."""
    return _context.Value("q", 0)


def child(target: Callable[..., None], *arguments: Any) -> tuple[Any, multiprocessing.connection.Connection]:
    """A child that runs ``target`` with its end of a pipe and the arguments, and our end of the pipe."""
    prepare()
    ours, theirs = _context.Pipe()
    process = _context.Process(target=_born, args=(target, theirs, *arguments), daemon=True)
    process.start()
    theirs.close()
    return process, ours


def _born(target: Callable[..., None], *arguments: Any) -> None:
    die_with_parent()
    target(*arguments)
