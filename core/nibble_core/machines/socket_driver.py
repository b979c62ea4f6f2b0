"""A machine behind a local socket: program lines are answered “ok” or “wrong: …”; lines that begin with ``>`` ask or
command it and are answered at once with one line of JSON."""

from __future__ import annotations

import json
import socket
import threading
from queue import Empty, Queue
from typing import Any

from nibble_core.machines.driver import Lost, State

ANSWERS_WITHIN = 20.0  # seconds
LONGEST_LINE = 4_000_000


class SocketDriver:
    """Raises Lost where nobody listens."""

    def __init__(self, host: str, port: int, *, answers_within: float = ANSWERS_WITHIN) -> None:
        self._within = answers_within
        self._acks: Queue[str] = Queue()
        self._told: Queue[dict[str, Any]] = Queue()
        self._asking = threading.Lock()
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
                    raise ValueError("a line without end")
        except (OSError, ValueError):
            pass
        self._gone = self._gone or "The connection to the machine broke."

    def _heard(self, line: str) -> None:
        if line == "ok" or line.startswith("wrong: "):
            self._acks.put(line.removeprefix("wrong: "))
        elif line.startswith("{"):
            self._told.put(json.loads(line))
        elif line:
            self._gone = f"The machine answers what nobody understands: “{line[:40]}”."
            raise ValueError(line)

    def _wait(self, queue: Queue[Any], patience: float) -> Any:
        waited = 0.0
        while True:
            try:
                return queue.get(timeout=0.1)
            except Empty:
                waited += 0.1
                if self._gone:
                    raise Lost(self._gone, "The run can be resumed at the last finished path.") from None
                if waited >= patience:
                    raise Lost(
                        "The machine does not answer.", "The run can be resumed at the last finished path."
                    ) from None

    def _write(self, line: str) -> None:
        if self._gone:
            raise Lost(self._gone, "The run can be resumed at the last finished path.")
        try:
            self._socket.sendall(line.encode("ascii", "replace") + b"\n")
        except OSError as error:
            raise Lost(
                "The connection to the machine broke.", "The run can be resumed at the last finished path."
            ) from error

    def ask(self, words: str) -> dict[str, Any]:
        """A question or command, and its answer."""
        with self._asking:
            self._write(f">{words}")
            answer: dict[str, Any] = self._wait(self._told, self._within)
            return answer

    def begin(self) -> None:
        self.ask("begin")

    def send(self, line: str) -> str:
        self._write(line)
        while True:
            try:
                return str(self._wait(self._acks, self._within))
            except Lost:
                if self._gone or self.state().doing == "stopped":
                    raise
                # its buffer is full and it is busy or paused: it will answer

    def state(self) -> State:
        told = self.ask("state")
        try:
            return State(told["doing"], float(told["x"]), float(told["y"]), int(told["line"]), float(told["beam"]))
        except (KeyError, TypeError, ValueError) as error:
            raise Lost("The machine answers what nobody understands.", "Check what is connected.") from error

    def seen(self, x: float, y: float) -> tuple[float, float]:
        told = self.ask(f"camera {x:.3f} {y:.3f}")
        if not {"x", "y"} <= told.keys():
            raise Lost("This machine has no camera.", "Drive to each mark, and write down its place.")
        return float(told["x"]), float(told["y"])

    def pause(self) -> None:
        self.ask("pause")

    def resume(self) -> None:
        self.ask("resume")

    def back(self, length: float) -> None:
        self.ask(f"back {length:.3f}")

    def stop(self) -> None:
        self.ask("stop")

    def close(self) -> None:
        self._socket.close()
