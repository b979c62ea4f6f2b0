"""What a machine must be able to be asked, whatever it is connected by."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from nibble_core.errors import NibbleError


class Lost(NibbleError):
    """The machine does not answer, or answers what nobody understands."""

    code = "machine-lost"


DOINGS = ("idle", "running", "paused", "stopped")


@dataclass(frozen=True)
class State:
    """doing: one of DOINGS. x, y: of the head in the machine's axes, mm. line: the last line whose
    move is done. beam: share of its power."""

    doing: str
    x: float = 0.0
    y: float = 0.0
    line: int = 0
    beam: float = 0.0


class Driver(Protocol):
    """A connection to a machine. Every method raises Lost when it is gone."""

    def begin(self) -> None:
        """A program follows."""
        ...

    def send(self, line: str, meanwhile: Callable[[], None]) -> str:
        """One line; returns “ok” or what the machine says is wrong. Waits while its buffer is full, and calls
        ``meanwhile`` again and again as it waits; what that raises ends the wait."""
        ...

    def state(self) -> State:
        """What it is doing."""
        ...

    def seen(self, x: float, y: float) -> tuple[float, float]:
        """Where its camera sees the mark that is meant at a place, mm in its axes. Raises Lost without a camera."""
        ...

    def pause(self) -> None:
        """Hold the head, beam off."""
        ...

    def resume(self) -> None:
        """Go on."""
        ...

    def back(self, length: float) -> None:
        """While paused: run back so many mm along what was done; from there it goes on."""
        ...

    def stop(self) -> None:
        """Beam off, forget what is waiting."""
        ...

    def halt(self) -> bool:
        """Hold and stop, sent without waiting for an answer and whatever was answered before; never raises. Returns
        whether the words went out."""
        ...

    def close(self) -> None:
        """Let go of the connection."""
        ...
