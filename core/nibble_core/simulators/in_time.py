"""A simulated machine behind a local socket: takes lines with acknowledgements, moves in time, can be held.

One line of a program is answered ``ok`` or ``wrong: …``, later when its buffer is full. Lines that begin with ``>`` are
answered at once with a line of JSON: ``>state``, ``>pause``, ``>resume``, ``>back 20`` (mm, while paused), ``>stop``,
``>begin`` (another program), ``>new`` (fresh material), and what else a machine can be asked.
"""

from __future__ import annotations

import base64
import json
import re
import socketserver
import threading
import time
from abc import ABC, abstractmethod
from queue import Queue
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from nibble_core.errors import InvalidTicket

BUFFER = 64  # moves that it holds
LONGEST_LINE = 65_536  # bytes
MOST_WAITING = 10_000  # lines of a program that were sent and not taken
TICK = 0.01  # seconds
MOST_QUICK = 1e7  # times as fast as a real one
PAUSED, RUNNING, IDLE, STOPPED = "paused", "running", "idle", "stopped"


class Step(Protocol):
    """One move. length: mm; feed: mm/s; wait: seconds at its end; power: of the tool, a share."""

    @property
    def line(self) -> int: ...

    @property
    def length(self) -> float: ...

    @property
    def feed(self) -> float: ...

    @property
    def wait(self) -> float: ...

    @property
    def power(self) -> float: ...

    def place(self, share: float) -> tuple[float, float]: ...


class Taker(Protocol):
    """Takes lines of a program; steps: moves that it took so far."""

    ended: bool

    @property
    def steps(self) -> Any: ...

    def take(self, line: str) -> str: ...


class InTime(ABC):
    """A machine whose head moves in time, ``quick`` times as fast as a real one. taker: what its program is fed to."""

    taker: Any

    def __init__(self, quick: float = 1.0) -> None:
        self.quick = quick
        self._lock = threading.RLock()
        self.fresh()
        threading.Thread(target=self._run, daemon=True).start()

    @abstractmethod
    def on_new_material(self) -> Taker:
        """Ready for a program, the head at its origin."""

    @abstractmethod
    def on_the_same(self, done: int) -> Taker:
        """Ready for another program on what the first ``done`` steps of the last one left."""

    @abstractmethod
    def told(self, name: str, rest: str) -> dict[str, Any] | None:
        """What else it can be asked; None for what it does not know."""

    def fresh(self) -> None:
        """New material, the head at its origin."""
        with self._lock:
            self.taker = self.on_new_material()
            self.done, self._share = 0, 0.0  # whole moves, and how much of the one in hand
            self._doing = IDLE

    def _begin(self) -> None:
        """Another program: on new material where the last one ended, on what lies there where it broke off."""
        if self.taker.ended:
            self.fresh()
        self.taker = self.on_the_same(self.done)
        self.done = len(self.taker.steps)
        self._share, self._doing = 0.0, IDLE

    def take(self, line: str) -> str:
        """One line of a program; waits while the buffer is full."""
        while True:
            with self._lock:
                if self._doing == STOPPED:
                    return "the machine was stopped"
                if len(self.taker.steps) - self.done < BUFFER:
                    answer: str = self.taker.take(line)
                    if self._doing == IDLE and self.done < len(self.taker.steps):
                        self._doing = RUNNING
                    return answer
            time.sleep(TICK)

    def command(self, words: str) -> dict[str, Any]:
        """What a line that begins with ``>`` asks for."""
        name, _, rest = words.partition(" ")
        with self._lock:
            if name == "pause" and self._doing in (RUNNING, IDLE):
                self._doing = PAUSED
            elif name == "resume" and self._doing == PAUSED:
                self._doing = RUNNING
            elif name == "back" and self._doing == PAUSED:
                if not re.fullmatch(r"\d{0,6}(\.\d*)?", rest):
                    return {"wrong": "back goes by mm: back 20"} | self.state()
                self._back(float(rest or 0))
            elif name == "stop":
                self._doing = STOPPED
                del self.taker.steps[self.done :]
                self.taker.ended = False  # what was told to it and not done does not count
            elif name == "new":
                self.fresh()
            elif name == "begin":
                self._begin()
            elif name not in ("state", "pause", "resume", "back"):
                told = self.told(name, rest)
                return {"wrong": f"unknown command {name[:20]}"} | self.state() if told is None else told
            return self.state()

    def state(self) -> dict[str, Any]:
        """Where it is and what it does."""
        steps, k = self.taker.steps, self.done
        now = steps[k] if k < len(steps) else None
        x, y = now.place(self._share) if now else (steps[k - 1].place(1.0) if k else (0.0, 0.0))
        line = steps[k - 1].line if k else 0
        return {"doing": self._doing, "x": round(x, 3), "y": round(y, 3), "line": line,
                "beam": now.power if now and self._doing == RUNNING else 0.0}  # fmt: skip

    def _back(self, length: float) -> None:
        while length > 0 and (self.done or self._share):
            if self._share <= 0:
                self.done -= 1
                self._share = 1.0
            step = self.taker.steps[self.done]
            part = min(self._share * step.length, length)
            length -= part
            self._share = self._share - part / step.length if step.length > 0 else 0.0

    def _run(self) -> None:
        last = time.monotonic()
        while True:
            time.sleep(TICK)
            now = time.monotonic()
            left, last = (now - last) * self.quick, now
            with self._lock:
                while left > 0 and self._doing == RUNNING:
                    if self.done >= len(self.taker.steps):
                        self._doing = IDLE
                        break
                    left = self._advance(self.taker.steps[self.done], left)

    def _advance(self, step: Step, seconds: float) -> float:
        """Moves along one step; returns the time that is left."""
        whole = step.length / max(step.feed, 1e-6) + step.wait
        rest = (1 - self._share) * whole
        if rest > seconds:
            self._share += seconds / whole
            return 0.0
        self.done, self._share = self.done + 1, 0.0
        return seconds - rest


def png(image: NDArray[np.uint8] | NDArray[np.uint16]) -> str:
    """A picture in base64."""
    import cv2

    return base64.b64encode(bytes(cv2.imencode(".png", image)[1])).decode()


class _Handler(socketserver.StreamRequestHandler):
    def handle(self) -> None:
        """Reads lines; commands are answered at once, lines of a program in turn."""
        lines: Queue[str | None] = Queue(MOST_WAITING)  # whoever sends faster waits
        writing = threading.Lock()
        machine: InTime = self.server.machine  # type: ignore[attr-defined]

        def answer(words: str) -> None:
            with writing:
                self.wfile.write(words.encode() + b"\n")
                self.wfile.flush()

        def feed() -> None:
            while (line := lines.get()) is not None:
                found = machine.take(line)
                try:
                    answer("ok" if found == "ok" else f"wrong: {found}")
                except (OSError, ValueError):  # gone, or closed behind it
                    return

        worker = threading.Thread(target=feed, daemon=True)
        worker.start()
        try:
            while raw := self.rfile.readline(LONGEST_LINE):
                if not raw.endswith(b"\n"):
                    break  # cut off, or without end
                line = raw.decode("ascii", "replace").rstrip("\r\n")
                if line.startswith(">"):
                    answer(json.dumps(machine.command(line[1:])))
                else:
                    lines.put(line)
        except OSError:
            pass
        lines.put(None)


def listen(machine: InTime, port: int | None, called: str, files: str) -> None:
    """Let a machine listen at a port of this computer until the process ends. called: the machine; files: what it would
    run instead. Raises InvalidTicket without a port, and for a machine that is not so quick."""
    if port is None:
        raise InvalidTicket("There is nothing to run.", f"Name {files}, or a port with --port.")
    if not 0 < machine.quick < MOST_QUICK:
        raise InvalidTicket("A machine is not that quick.", "Give a number above 0.")
    with Port(("127.0.0.1", port), machine) as listening:
        print(f"{called} listens at port {listening.server_address[1]}.", flush=True)
        listening.serve_forever()


class Port(socketserver.ThreadingTCPServer):
    """A simulated machine that listens; ``machine`` is what it moves."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, address: tuple[str, int], machine: InTime) -> None:
        super().__init__(address, _Handler)
        self.machine = machine
