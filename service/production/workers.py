"""Work in processes of its own: request threads only ask, and wait.

What is asked for once is done once, however many wait for it. In a lane, such as one job's final work, the newest
question takes the place of older ones: waiting ones are let go, the running one is told to give up and looks between
regions and stages. A worker that takes too long is ended, one that has grown large is replaced.
"""

import logging
import multiprocessing.connection
import os
import pickle
import resource
import signal
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from typing import Any

from config.turns import TURNS
from files.children import child, number
from nibble_core.errors import Cancelled, FileTooLarge, NibbleError, Superseded
from production.events import EXCHANGE

LONGEST_SECONDS = 180.0
MOST_BYTES = 6_000_000_000
LARGE_KB = 1_500_000  # resident, from which a worker is replaced when it has answered
GRACE_SECONDS = 4.0  # that work which is given up may take to notice
# what is computed waits for what is asked of the server itself (files, the board, edits); of that, drafts come first,
# then what is on the bench, and files that are made in the background last
DRAFTS_BEHIND, BENCH_BEHIND, FILES_BEHIND = 5, 10, 15
RETRY_SECONDS = 2.0
USUAL_SECONDS, AT_HAND, MOST_LANES = 0.3, 0.5, 1000  # of work not seen yet; share of it that a warm process saves
LOOKS = 0.25  # seconds between two looks at whether it was
GOOD, REFUSED, DOING = b"+", b"-", b"~"
NEWER = "A newer change took this one's place."
STOPPED, GO_ON = "The work was stopped.", "The last good result stays; go on when you like."


def _work(pipe: multiprocessing.connection.Connection, given_up: Any, behind: int) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(behind)
    from production.asked import KINDS, Asker

    resource.setrlimit(resource.RLIMIT_AS, (MOST_BYTES, MOST_BYTES))

    def tell(words: str) -> None:
        pipe.send_bytes(DOING + words.encode())

    while True:
        try:
            number, kind, arguments = pickle.loads(pipe.recv_bytes())
        except EOFError:
            return
        refused: tuple[type[NibbleError], tuple[str, str]]
        try:
            unwanted = lambda number=number: given_up.value >= number  # noqa: E731 - one-line local
            answer = KINDS[kind](*arguments, asker=Asker(unwanted, tell))
            pipe.send_bytes(GOOD + answer)
            continue
        except NibbleError as error:
            refused = type(error), (error.message, error.what_to_do)
        except MemoryError:
            refused = FileTooLarge, ("This work needs more memory than there is.", "Make the picture simpler.")
        except Exception:
            logging.getLogger("nibble").exception("work failed: %s", kind)
            refused = NibbleError, ("Something went wrong on Nibble's side.", "Nothing was lost. Take it back.")
        pipe.send_bytes(REFUSED + pickle.dumps(refused))


@dataclass
class _Task:
    number: int
    lane: str
    key: str
    kind: str
    arguments: tuple[Any, ...]
    future: Future[bytes] = field(default_factory=Future)
    asked: float = field(default_factory=time.monotonic)
    newer: bool = False  # whether another question took its place
    hurried: bool = False  # whether it is to answer with what it has as soon as it begins


class Workers:
    """Some processes that answer questions; safe to call from any thread. They start when first asked."""

    def __init__(
        self, count: int, behind: int, on_doing: Callable[[str, str], None] = lambda lane, words: None
    ) -> None:
        """behind: how far what others do has precedence on the processor, 0 to 19. ``on_doing`` is told for a lane what
        is being done in it."""
        self._count, self._behind = count, behind
        self._on_doing = on_doing
        self._changed = threading.Condition()
        self._waiting: OrderedDict[str, _Task] = OrderedDict()
        self._running: dict[int, tuple[_Task, Any]] = {}
        self._served: OrderedDict[str, tuple[float, int]] = OrderedDict()  # of a lane: seconds, and by which process
        self._number = 0
        self._threads: list[threading.Thread] = []

    def ask(self, kind: str, *arguments: Any, lane: str, key: str = "") -> bytes:
        """The answer of ``asked.KINDS[kind]``. Questions of one lane with the same key are one.

        Raises Cancelled when a newer question of the lane came, and what the answering raises.
        """
        task = self._task(kind, arguments, lane, key)
        TURNS.given_up()
        try:
            return task.future.result(LONGEST_SECONDS + 60)
        except TimeoutError as error:
            raise NibbleError("The bench is busy with other work.", "Try again in a minute.") from error

    def stop(self, lane: str) -> None:
        """Give up what a lane asks for; those who wait are told Cancelled."""
        with self._changed:
            waiting = self._waiting.pop(lane, None)
            if waiting is not None:
                waiting.future.set_exception(Cancelled(STOPPED, GO_ON))
            for running, given_up in self._running.values():
                if running.lane == lane:
                    given_up.value = running.number

    def hurry(self, lane: str) -> None:
        """Have what a lane asks for answered with what is found so far; what waits is begun, and answers at once."""
        with self._changed:
            if lane in self._waiting:
                self._waiting[lane].hurried = True
            for running, given_up in self._running.values():
                if running.lane == lane:
                    running.hurried = True
                    given_up.value = running.number

    def warm_up(self) -> None:
        """Start the processes before the first question."""
        with self._changed:
            self._start()

    def _task(self, kind: str, arguments: tuple[Any, ...], lane: str, key: str) -> _Task:
        with self._changed:
            self._start()
            for running, given_up in self._running.values():
                if running.lane == lane:
                    if key and running.key == key and given_up.value < running.number:
                        return running
                    running.newer = True
                    given_up.value = running.number
            older = self._waiting.pop(lane, None)
            if older is not None and key and older.key == key:
                self._waiting[lane] = older
                return older
            if older is not None:
                older.future.set_exception(Superseded(NEWER))
            self._number += 1
            task = _Task(self._number, lane, key, kind, arguments)
            self._waiting[lane] = task
            self._changed.notify()
            return task

    def _start(self) -> None:
        while len(self._threads) < self._count:
            thread = threading.Thread(target=self._serve, args=(len(self._threads),), name="worker", daemon=True)
            self._threads.append(thread)
            thread.start()

    def _serve(self, index: int) -> None:
        given_up = number()
        process, pipe = _worker(given_up, self._behind)
        while True:
            with self._changed:
                while not self._waiting:
                    self._changed.wait()
                task = self._waiting.pop(self._next_lane(index))
                self._running[index] = task, given_up
                if task.hurried:
                    given_up.value = task.number
            began = time.monotonic()
            good, answer = self._answered(process, pipe, task, given_up)
            with self._changed:
                del self._running[index]
                self._served[task.lane] = time.monotonic() - began, index
                self._served.move_to_end(task.lane)
                while len(self._served) > MOST_LANES:
                    self._served.popitem(last=False)
            if good:
                task.future.set_result(answer)
            else:
                if isinstance(answer, Cancelled):
                    answer = Superseded(NEWER) if task.newer else Cancelled(STOPPED, GO_ON)
                task.future.set_exception(answer)
            if not process.is_alive() or _resident_kb(process.pid) > LARGE_KB:
                process.kill()
                pipe.close()
                process, pipe = _worker(given_up, self._behind)

    def _next_lane(self, index: int) -> str:
        """The lane whose question is answered next: that of the shortest work, going by what its last took, less the
        time it has waited, so that none waits for ever. A process that served a lane has what it needs at hand."""
        now = time.monotonic()

        def price(lane: str) -> float:
            took, by = self._served.get(lane, (USUAL_SECONDS, -1))
            return took - (now - self._waiting[lane].asked) - (AT_HAND * took if by == index else 0.0)

        return min(self._waiting, key=price)

    def _next(self, pipe: multiprocessing.connection.Connection, task: _Task) -> bytes | None:
        """An answer, if one comes within the time between two looks; what is being done is passed on."""
        if not pipe.poll(LOOKS):
            return None
        told = pipe.recv_bytes()
        if told[:1] != DOING:
            return told
        self._on_doing(task.lane, told[1:].decode())
        return None

    def _answered(
        self, process: Any, pipe: multiprocessing.connection.Connection, task: _Task, given_up: Any
    ) -> tuple[bool, Any]:
        try:
            pipe.send_bytes(pickle.dumps((task.number, task.kind, task.arguments)))
            started, told_off = time.monotonic(), 0.0
            while (told := self._next(pipe, task)) is None:
                now = time.monotonic()
                if given_up.value >= task.number:
                    told_off = told_off or now
                    if now - told_off > GRACE_SECONDS and not task.hurried:
                        _end(process)
                        return False, Cancelled(STOPPED, GO_ON)
                if now - started > LONGEST_SECONDS:
                    _end(process)
                    return False, NibbleError(
                        f"This takes longer than {LONGEST_SECONDS / 60:.0f} minutes, and was stopped.",
                        "Take specks away, raise the smallest part, or make the picture simpler.",
                    )
        except (EOFError, OSError):
            _end(process)
            return False, NibbleError("The work ended by itself, perhaps for want of memory.", "Make it simpler.")
        if told[:1] == GOOD:
            return True, told[1:]
        kind, words = pickle.loads(told[1:])
        return False, kind(*words)


def _worker(given_up: Any, behind: int) -> tuple[Any, multiprocessing.connection.Connection]:
    """A process that works, tried for until there is one: a machine short of memory for a moment would have one less
    for ever."""
    while True:
        try:
            return child(_work, given_up, behind)
        except (OSError, EOFError):
            logging.getLogger("nibble").exception("no worker could be started")
            time.sleep(RETRY_SECONDS)


def _end(process: Any) -> None:
    process.kill()
    process.join()


def _resident_kb(pid: int) -> int:
    try:
        with open(f"/proc/{pid}/status") as file:
            return next(int(line.split()[1]) for line in file if line.startswith("VmRSS:"))
    except (OSError, StopIteration):
        return 0


_TOLD = {"job": "doing", "nest": "nesting", "rehearsals": "rehearsing"}
"""The event that tells what is being done in a lane."""


def _doing(lane: str, words: str) -> None:
    kind, _, number = lane.partition(" ")
    if kind in _TOLD and number.isdigit():
        EXCHANGE.publish(int(number), _TOLD[kind], words)


CORES = max(1, os.cpu_count() or 1)
PREVIEWS = Workers(min(4, CORES), DRAFTS_BEHIND)
DESK = Workers(CORES, BENCH_BEHIND, _doing)
