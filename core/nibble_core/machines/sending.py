"""Sending a program, and taking it up again where it broke off."""

from __future__ import annotations

import logging
import re
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from nibble_core.errors import CannotMake
from nibble_core.machines.driver import Driver, Lost, State

_LOG = logging.getLogger(__name__)
LOOKS = 0.2  # seconds between two looks at the machine's state

Watch = Callable[[int, State], bool]
"""Told how many lines were taken and the machine's state; returns whether to go on."""


@dataclass(frozen=True)
class Sent:
    """How a sending ended. lines: that the machine took. done: of the file, whose moves were made. why: in words, empty
    where all is done. refused: what the machine did not like, with line numbers. may_move: whether nobody knows that
    the machine stands still."""

    lines: int
    done: int
    why: str = ""
    refused: tuple[tuple[int, str], ...] = ()
    may_move: bool = False


def send(program: bytes, driver: Driver, watch: Watch) -> Sent:
    """All lines of a program; then waits until the machine has done them. ``watch`` is told several times a second,
    also while the machine's buffer is full; it returns false to stop it. Whatever goes wrong, here or in ``watch``,
    hold and stop are sent first; it is reported, never raised."""
    sending = _Sending(program.decode("ascii", "replace").splitlines(), driver, watch)
    try:
        return sending.run()
    except Exception as error:  # whatever it is, the machine must not go on
        halted = driver.halt()
        if isinstance(error, Lost):
            why = error.message
        else:
            _LOG.exception("sending failed")
            why = "Nibble could not go on watching the machine."
        said = "Hold and stop were sent to it." if halted else "It could not be told to stop: use its own switch."
        may_move = not (halted and _stands_still(driver))
        return Sent(sending.taken, sending.state.line, f"{why} {said}", tuple(sending.refused), may_move)


def _stands_still(driver: Driver) -> bool:
    """Whether a machine that was told to stop says that it has."""
    try:
        return driver.state().doing == "stopped"
    except Lost:
        return False


class _Ended(Exception):
    """A look at the machine said that this run is over, and why."""


class _Sending:
    """One program on its way. taken: lines that the machine has answered; state: as it was told last."""

    def __init__(self, lines: Sequence[str], driver: Driver, watch: Watch) -> None:
        self.lines, self.driver, self.watch = lines, driver, watch
        self.taken, self.state, self.looked = 0, State("idle"), time.monotonic()
        self.refused: list[tuple[int, str]] = []

    def run(self) -> Sent:
        self.driver.begin()
        try:
            for number, line in enumerate(self.lines, 1):
                answer = self.driver.send(line, self.look)
                self.taken = number
                if answer != "ok":
                    self.refused.append((number, answer))
                    raise _Ended(f"Line {number} was refused: {answer}.")
                if time.monotonic() - self.looked >= LOOKS:
                    self.look()
            self.look()
            while self.state.doing != "idle":
                time.sleep(LOOKS)
                self.look()
        except _Ended as ended:
            self.driver.stop()
            self.state = self._state()
            return Sent(self.taken, self.state.line, str(ended), tuple(self.refused))
        return Sent(self.taken, len(self.lines))

    def look(self) -> None:
        """Ask the machine and tell whoever watches. Raises _Ended."""
        self.state, self.looked = self._state(), time.monotonic()
        if not self.watch(self.taken, self.state):
            raise _Ended("Stopped.")
        if self.state.doing == "stopped":
            raise _Ended("The machine was stopped.")

    def _state(self) -> State:
        state = self.driver.state()
        return replace(state, line=min(state.line, len(self.lines)))


def resumed(program: bytes, done: int) -> bytes:
    """A program that begins again at the path in which line ``done`` lies, counted from 1: the same head, the tool that
    was in use, then all from that path's travel on. Raises CannotMake for what has no such path."""
    lines = program.decode("ascii", "replace").splitlines()
    if lines and lines[0].startswith("IN;"):
        return _resumed_plot(lines, done)
    if any(re.fullmatch(_SPINDLE, line) for line in lines):
        return _resumed_route(lines, done)
    first = next((k for k, line in enumerate(lines) if _process(line)), len(lines))
    at = min(done, len(lines))
    start = next((k for k in range(at - 1, first - 1, -1) if lines[k].startswith("G0 ")), None)
    if start is None:
        start = next((k for k in range(first, len(lines)) if lines[k].startswith("G0 ")), None)
    if start is None:
        raise CannotMake("This program has no path to begin again at.", "Run it from the start.")
    tool = next(k for k in range(start, -1, -1) if _process(lines[k]))
    setting = [line for line in lines[tool - 1 : start] if not line.startswith(("G0", "G1", "G2", "G3", "G4"))]
    travel = re.sub(r" S[\d.]+", "", lines[start])
    feed = next((found[0] for k in range(start, tool, -1) if (found := re.search(r" F[\d.]+", lines[k]))), "")
    rest = lines[start + 1 :]
    if feed and rest and not re.search(r" F[\d.]+", rest[0]) and rest[0].startswith(("G1", "G2", "G3")):
        rest[0] += feed
    head = [*lines[:first], lines[tool].replace("process", "begun again: process", 1)]
    text = "\n".join([*head, *setting, travel, *rest]) + "\n"
    return text.encode("ascii", "replace")


_SPINDLE = r"S\d+ M3"  # what turns a cutter, on a line of its own


def _resumed_route(lines: Sequence[str], done: int) -> bytes:
    """A router's program from the last travel at its greatest height on, at which or before which line ``done`` lies:
    the head, that height first, the cutter that was in, turning, and then all from there. Raises CannotMake."""
    head = next(k for k, line in enumerate(lines) if re.fullmatch(_SPINDLE, line))
    heights = {k: float(found[1]) for k, line in enumerate(lines) if (found := re.match(r"G0 .*?Z(-?[\d.]+)$", line))}
    safe = max(heights.values(), default=0.0)
    over = [k for k, z in heights.items() if z == safe and k > head and " X" in lines[k]]
    start = next((k for k in reversed(over) if k < done), over[0] if over else None)
    if start is None:
        raise CannotMake("This program has no path to begin again at.", "Run it from the start.")
    turned = max(k for k in range(start) if re.fullmatch(_SPINDLE, lines[k]))
    changed = [k for k in range(turned) if " M6" in lines[k] or lines[k].startswith(("G0", "G1"))]
    call = lines[changed[-1] : turned] if changed and " M6" in lines[changed[-1]] else []
    feed = next((found[0] for k in range(start, turned, -1) if (found := re.search(r" F[\d.]+", lines[k]))), "")
    rest = list(lines[start:])
    first = next((k for k, line in enumerate(rest) if line.startswith(("G1 ", "G2 ", "G3 "))), None)
    if first is not None and feed and " F" not in rest[first]:
        rest[first] += feed
    setting = lines[: next(k for k, line in enumerate(lines) if line.startswith(("G0", "T", "S")))]
    spin = [*call, lines[turned], *lines[turned + 1 : turned + 2]]
    text = "\n".join([*setting, f"G0 Z{safe:.3f}", *spin, *rest]) + "\n"
    return text.encode("ascii", "replace")


def _resumed_plot(lines: Sequence[str], done: int) -> bytes:
    """A plotter file from the line on that was being cut, with its pen, speed and force. Raises CannotMake."""
    paths = [k for k, line in enumerate(lines) if line.startswith("PU") and "PD" in line]
    if not paths:
        raise CannotMake("This program has no path to begin again at.", "Run it from the start.")
    start = next((k for k in reversed(paths) if k < done), paths[0])
    first = next(k for k, line in enumerate(lines) if line.startswith("SP"))
    pen = next(k for k in range(start, -1, -1) if lines[k].startswith("SP"))
    setting = [line for line in lines[pen : pen + 2] if not line.startswith("PU")]
    return ("\n".join([*lines[:first], *setting, *lines[start:]]) + "\n").encode("ascii", "replace")


def _process(line: str) -> bool:
    return bool(re.match(r"[;(]\s*process ", line))
