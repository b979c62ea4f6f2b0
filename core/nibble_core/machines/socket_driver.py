"""A machine behind a local socket: program lines are answered “ok” or “wrong: …”; lines that begin with ``>`` ask or
command it and are answered at once with one line of JSON. What it answers is bounded and checked before it is used."""

from __future__ import annotations

import contextlib
import json
import re
import socket
import threading
import time
from collections import deque
from collections.abc import Callable
from queue import Empty, Full, Queue
from typing import Any

from nibble_core.machines.driver import DOINGS, Lost, State

ANSWERS_WITHIN = 20.0  # seconds
LOOKS = 0.2  # seconds of waiting for a full buffer between two looks at what the machine does
LONGEST_LINE = 4_000_000
LONGEST_REFUSAL = 200  # letters that are passed on
MOST_WAITING = 1000  # answers that nobody has taken yet
FARTHEST = 1e6  # mm
MOST_LINES = 1_000_000_000
RESUMABLE = "The run can be resumed at the last finished path."
NONSENSE = "The machine gives an answer that makes no sense"


class SocketDriver:
    """Raises Lost where nobody listens."""

    def __init__(self, host: str, port: int, *, answers_within: float = ANSWERS_WITHIN) -> None:
        self._within = answers_within
        self._acks: Queue[str] = Queue(MOST_WAITING)
        self._expected: deque[Queue[dict[str, Any]]] = deque()
        self._writing = threading.Lock()
        self._gone = ""
        try:
            self._socket = socket.create_connection((host, port), timeout=5)
        except OSError as error:
            raise Lost(
                f"No machine answers at {host}, port {port}.", "Switch it on, or start the simulated one."
            ) from error
        self._socket.settimeout(None)
        threading.Thread(target=self._listen, daemon=True).start()

    def _listen(self) -> None:
        held = b""
        try:
            while True:
                some = self._socket.recv(65536)
                if not some:
                    break
                held += some
                *lines, held = held.split(b"\n")
                for line in lines:
                    self._heard(line.decode("utf-8", "replace").strip())
                if len(held) > LONGEST_LINE:
                    self._gone = f"{NONSENSE}: a line without end."
                    return
        except OSError:
            pass
        except (ValueError, RecursionError, Full):
            self._gone = self._gone or f"{NONSENSE}."
        self._gone = self._gone or "The connection to the machine broke."

    def _heard(self, line: str) -> None:
        """Raises ValueError, RecursionError or Full for what is no answer."""
        if line == "ok" or line.startswith("wrong: "):
            self._acks.put_nowait(_plain(line.removeprefix("wrong: ")))
        elif line.startswith("{") and self._expected:
            answer = json.loads(line)
            self._expected.popleft().put_nowait(answer)
        elif line:
            self._gone = f"{NONSENSE}: “{_plain(line)[:40]}”."
            raise ValueError(line)

    def _wait(self, queue: Queue[Any], patience: float) -> Any:
        """What comes within so many seconds. Raises Empty, or Lost once the connection is gone."""
        until = time.monotonic() + patience
        while True:
            try:
                return queue.get(timeout=min(0.1, max(until - time.monotonic(), 0.001)))
            except Empty:
                if self._gone:
                    raise Lost(self._gone, RESUMABLE) from None
                if time.monotonic() >= until:
                    raise

    def _write(self, line: str, answer: Queue[dict[str, Any]] | None = None) -> None:
        if self._gone:
            raise Lost(self._gone, RESUMABLE)
        try:
            with self._writing:
                if answer is not None:
                    self._expected.append(answer)
                self._socket.sendall(line.encode("ascii", "replace") + b"\n")
        except OSError as error:
            raise Lost("The connection to the machine broke.", RESUMABLE) from error

    def ask(self, words: str) -> dict[str, Any]:
        """A question or command, and its answer."""
        mine: Queue[dict[str, Any]] = Queue(1)
        self._write(f">{words}", mine)
        try:
            answer: dict[str, Any] = self._wait(mine, self._within)
        except Empty:
            raise Lost("The machine does not answer.", RESUMABLE) from None
        return answer

    def begin(self) -> None:
        self.ask("begin")

    def send(self, line: str, meanwhile: Callable[[], None]) -> str:
        self._write(line)
        until = time.monotonic() + self._within
        while True:
            try:
                return str(self._wait(self._acks, LOOKS))
            except Empty:  # its buffer is full and it is busy or held: it will answer
                meanwhile()
            if time.monotonic() > until and self.state().doing == "idle":
                raise Lost("The machine does not answer.", RESUMABLE)

    def state(self) -> State:
        told = self.ask("state")
        doing, line = told.get("doing"), _number(told, "line", MOST_LINES)
        if doing not in DOINGS or line < 0 or line != round(line):
            raise Lost(f"{NONSENSE}.", "Check what is connected.")
        place = _number(told, "x", FARTHEST), _number(told, "y", FARTHEST)
        return State(str(doing), *place, int(line), _number(told, "beam", 1.0))

    def seen(self, x: float, y: float) -> tuple[float, float]:
        told = self.ask(f"camera {x:.3f} {y:.3f}")
        if not {"x", "y"} <= told.keys():
            raise Lost("This machine has no camera.", "Drive to each mark, and write down its place.")
        return _number(told, "x", FARTHEST), _number(told, "y", FARTHEST)

    def pause(self) -> None:
        self.ask("pause")

    def resume(self) -> None:
        self.ask("resume")

    def back(self, length: float) -> None:
        self.ask(f"back {length:.3f}")

    def stop(self) -> None:
        self.ask("stop")

    def halt(self) -> bool:
        # whoever else is writing may be stuck: after a second the words go out all the same, on a line of their own
        mine = self._writing.acquire(timeout=1.0)
        try:
            self._expected.extend((Queue(1), Queue(1)))
            words = b"\n>pause\n>stop\n"
            return self._socket.send(words, socket.MSG_DONTWAIT) == len(words)
        except OSError:
            return False
        finally:
            if mine:
                self._writing.release()

    def close(self) -> None:
        with contextlib.suppress(OSError):  # it may have been closed at the other end
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()


def _plain(words: str) -> str:
    """What a machine says, short and without control letters or changes of direction."""
    return re.sub(r"[^\w\s.,:;!?()/+\-=°%#>\"']|[\r\n\t]", " ", words[:LONGEST_REFUSAL])


def _number(told: dict[str, Any], name: str, most: float) -> float:
    """A finite number of an answer, at most so large. Raises Lost."""
    value = told.get(name)
    if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) <= most:
        raise Lost(f"{NONSENSE}.", "Check what is connected.")
    return float(value)  # NaN is not below anything
