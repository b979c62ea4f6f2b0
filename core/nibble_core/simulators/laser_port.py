"""The simulated laser behind a local socket: takes lines with acknowledgements, moves in time, can be held.

One line of a program is answered ``ok`` or ``wrong: …``, later when its buffer is full. Lines that begin with ``>`` are
answered at once with a line of JSON: ``>state``, ``>camera x y`` (where the mark that is meant there is seen),
``>pause``, ``>resume``, ``>back 20`` (mm, while paused), ``>stop``, ``>begin`` (another program), ``>report``,
``>picture`` (a PNG of what was burnt, in base64) and ``>new`` (fresh material).
"""

from __future__ import annotations

import base64
import json
import math
import re
import socketserver
import threading
import time
from dataclasses import dataclass
from queue import Queue
from typing import Any

from nibble_core.simulators.burnt import picture, report
from nibble_core.simulators.laser import Body, Laser, Step


@dataclass(frozen=True)
class Lies:
    """How the printed sheet lies on the bed, other than it was meant: shift in mm, turn in degrees about the origin,
    and how much its print has grown across and along."""

    shift: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0
    across: float = 1.0
    along: float = 1.0

    def seen(self, x: float, y: float) -> tuple[float, float]:
        """Where a place of the sheet lies."""
        c, s = math.cos(math.radians(self.turn)), math.sin(math.radians(self.turn))
        x, y = x * self.across, y * self.along
        return x * c - y * s + self.shift[0], x * s + y * c + self.shift[1]


BUFFER = 64  # moves that it holds
LONGEST_LINE = 65_536  # bytes
MOST_WAITING = 10_000  # lines of a program that were sent and not taken
TICK = 0.01  # seconds
PAUSED, RUNNING, IDLE, STOPPED = "paused", "running", "idle", "stopped"


class Running:
    """A laser whose head moves in time, ``quick`` times as fast as a real one."""

    def __init__(self, body: Body, quick: float = 1.0, lies: Lies | None = None) -> None:
        self.body, self.quick, self.lies = body, quick, lies or Lies()
        self._lock = threading.RLock()
        self.fresh()
        threading.Thread(target=self._run, daemon=True).start()

    def fresh(self) -> None:
        """New material, the head at its origin."""
        with self._lock:
            self.laser = Laser(self.body)
            self._done, self._share = 0, 0.0  # whole moves, and how much of the one in hand
            self._doing = IDLE

    def _begin(self) -> None:
        """Another program: on new material where the last one ended, on what lies there where it broke off."""
        if self.laser.ended:
            self.fresh()
        self.laser = Laser(self.body, self.laser.steps[: self._done], self.laser.complaints)
        self._share, self._doing = 0.0, IDLE

    def take(self, line: str) -> str:
        """One line of a program; waits while the buffer is full."""
        while True:
            with self._lock:
                if self._doing == STOPPED:
                    return "the machine was stopped"
                if len(self.laser.steps) - self._done < BUFFER:
                    answer = self.laser.take(line)
                    if self._doing == IDLE and self._done < len(self.laser.steps):
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
                del self.laser.steps[self._done :]
                self.laser.ended = False  # what was told to it and not done does not count
            elif name == "new":
                self.fresh()
            elif name == "begin":
                self._begin()
            elif name == "camera":
                return self._seen(rest)
            elif name == "report":
                told: dict[str, Any] = self._halfway(report).plain()
                return told
            elif name == "picture":
                return {"png": base64.b64encode(self._picture()).decode()}
            elif name not in ("state", "pause", "resume", "back"):
                return {"wrong": f"unknown command {name[:20]}"} | self.state()
            return self.state()

    def state(self) -> dict[str, Any]:
        """Where it is and what it does."""
        steps, k = self.laser.steps, self._done
        now = steps[k] if k < len(steps) else None
        x, y = now.place(self._share) if now else (steps[k - 1].end if k else (0.0, 0.0))
        line = steps[k - 1].line if k else 0
        return {"doing": self._doing, "x": round(x, 3), "y": round(y, 3), "line": line,
                "beam": now.beam if now and self._doing == RUNNING else 0.0}  # fmt: skip

    def _seen(self, place: str) -> dict[str, Any]:
        """Where the mark is that was printed at a place of the machine's axes."""
        try:
            x, y = (float(part) for part in place.split())
        except ValueError:
            return {"wrong": "a camera looks at a place: x y"}
        x, y = self.lies.seen(x, y)
        return {"x": round(x, 3), "y": round(y, 3)}

    def _halfway(self, judge: Any) -> Any:
        part = Laser(self.body, self.laser.steps[: self._done], list(self.laser.complaints), ended=self.laser.ended)
        return judge(part)

    def _picture(self) -> bytes:
        import cv2

        return bytes(cv2.imencode(".png", picture(self.laser.steps[: self._done], self.body))[1])

    def _back(self, length: float) -> None:
        while length > 0 and (self._done or self._share):
            if self._share <= 0:
                self._done -= 1
                self._share = 1.0
            step = self.laser.steps[self._done]
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
                    if self._done >= len(self.laser.steps):
                        self._doing = IDLE
                        break
                    left = self._advance(self.laser.steps[self._done], left)

    def _advance(self, step: Step, seconds: float) -> float:
        """Moves along one step; returns the time that is left."""
        whole = step.length / max(step.feed, 1e-6) + step.wait
        rest = (1 - self._share) * whole
        if rest > seconds:
            self._share += seconds / whole
            return 0.0
        self._done, self._share = self._done + 1, 0.0
        return seconds - rest


class _Handler(socketserver.StreamRequestHandler):
    def handle(self) -> None:
        """Reads lines; commands are answered at once, lines of a program in turn."""
        lines: Queue[str | None] = Queue(MOST_WAITING)  # whoever sends faster waits
        writing = threading.Lock()
        machine: Running = self.server.machine  # type: ignore[attr-defined]

        def answer(words: str) -> None:
            with writing:
                self.wfile.write(words.encode() + b"\n")
                self.wfile.flush()

        def feed() -> None:
            while (line := lines.get()) is not None:
                found = machine.take(line)
                try:
                    answer("ok" if found == "ok" else f"wrong: {found}")
                except OSError:
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


class Port(socketserver.ThreadingTCPServer):
    """A simulated laser that listens; ``machine`` is what it moves."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, address: tuple[str, int], machine: Running) -> None:
        super().__init__(address, _Handler)
        self.machine = machine
