"""Sending a program, and taking it up again where it broke off."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from nibble_core.errors import CannotMake
from nibble_core.machines.driver import Driver, Lost, State

EVERY = 20  # lines between two looks at the machine's state

Watch = Callable[[int, State], bool]
"""Told how many lines were taken and the machine's state; returns whether to go on."""


@dataclass(frozen=True)
class Sent:
    """How a sending ended. lines: that the machine took. done: of the file, whose moves were made. why: in words, empty
    where all is done. refused: what the machine did not like, with line numbers."""

    lines: int
    done: int
    why: str = ""
    refused: tuple[tuple[int, str], ...] = ()


def send(program: bytes, driver: Driver, watch: Watch, *, pause: Callable[[], None] = lambda: None) -> Sent:
    """All lines of a program; then waits until the machine has done them. ``watch`` returns false to stop it. A broken
    connection is told, never raised: what was done is known."""
    lines = program.decode("ascii", "replace").splitlines()
    refused: list[tuple[int, str]] = []
    state = State("idle")
    taken = 0
    try:
        driver.begin()
        for number, line in enumerate(lines, 1):
            answer = driver.send(line)
            taken = number
            if answer != "ok":
                refused.append((number, answer))
                driver.stop()
                return Sent(taken, driver.state().line, f"Line {number} was refused: {answer}.", tuple(refused))
            if number % EVERY == 0:
                state = driver.state()
                if not watch(taken, state):
                    driver.stop()
                    return Sent(taken, driver.state().line, "Stopped.", tuple(refused))
        while True:
            state = driver.state()
            if not watch(taken, state):
                driver.stop()
                return Sent(taken, driver.state().line, "Stopped.", tuple(refused))
            if state.doing == "idle":
                return Sent(taken, len(lines), "", tuple(refused))
            if state.doing == "stopped":
                return Sent(taken, state.line, "The machine was stopped.", tuple(refused))
            pause()
    except Lost as lost:
        return Sent(taken, state.line, lost.message, tuple(refused))


def resumed(program: bytes, done: int) -> bytes:
    """A program that begins again at the path in which line ``done`` lies, counted from 1: the same head, the tool that
    was in use, then all from that path's travel on. Raises CannotMake for what has no such path."""
    lines = program.decode("ascii", "replace").splitlines()
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


def _process(line: str) -> bool:
    return bool(re.match(r"[;(]\s*process ", line))
