"""A pen plotter with a trailing knife: where the tip goes when the holder follows an HP-GL file.

The tip is drawn behind its holder at a fixed distance, as a trailer's wheel is (a tractrix): in each small step it
faces where the holder has gone. Raised, it keeps the direction it had.
"""

from __future__ import annotations

import math
import re
from typing import NamedTuple

UNIT = 0.025  # mm


class Cut(NamedTuple):
    """One stroke with the knife down: pen, and places of its tip in mm from the lower left corner, y upward."""

    pen: int
    tip: list[tuple[float, float]]


def drag_knife(program: bytes, offset: float, *, step: float = 0.02, heading: float | None = None) -> list[Cut]:
    """The cuts of a file, with a tip ``offset`` mm behind the holder, stepped every ``step`` mm. heading: degrees, of
    the knife before its first cut; None for the way it is first drawn. Raises ValueError for what is no HP-GL."""
    text = re.sub(r'CO\s*"[^"]*"', "", program.decode("ascii"))
    pen, x, y, down = 0, 0.0, 0.0, False
    facing = None if heading is None else math.radians(heading)
    cuts: list[Cut] = []
    tip: list[float] = []
    for instruction in re.split(r"[;\s]+", text):
        if not instruction:
            continue
        name, numbers = instruction[:2].upper(), [float(n) for n in instruction[2:].split(",") if n]
        if name == "SP":
            pen = int(numbers[0]) if numbers else 0
        elif name in ("PU", "PD"):
            if name == "PU":
                down = False
            elif not down:
                down = True
                tip = []
            for to_x, to_y in zip(numbers[0::2], numbers[1::2], strict=True):
                to = to_x * UNIT, to_y * UNIT
                if down:
                    way = math.atan2(to[1] - y, to[0] - x)
                    if not tip:
                        facing = way if facing is None else facing
                        tip = [x - offset * math.cos(facing), y - offset * math.sin(facing)]
                        cuts.append(Cut(pen, [(tip[0], tip[1])]))
                    facing = _drawn(cuts[-1].tip, tip, (x, y), to, offset, step, facing or 0.0)
                x, y = to
        elif name not in ("IN", "DF", "VS", "FS", "PA"):
            raise ValueError(f"unknown instruction {name}")
    return cuts


def _drawn(
    track: list[tuple[float, float]], tip: list[float], start: tuple[float, float], end: tuple[float, float],
    offset: float, step: float, facing: float,
) -> float:  # fmt: skip
    """Moves the tip while its holder goes from start to end; returns the direction it then has."""
    long = math.dist(start, end)
    steps = max(1, math.ceil(long / step))
    for k in range(1, steps + 1):
        x, y = start[0] + (end[0] - start[0]) * k / steps, start[1] + (end[1] - start[1]) * k / steps
        away = math.hypot(x - tip[0], y - tip[1])
        if offset <= 0:
            tip[0], tip[1] = x, y
        elif away > 1e-12:
            facing = math.atan2(y - tip[1], x - tip[0])
            tip[0], tip[1] = x - offset * math.cos(facing), y - offset * math.sin(facing)
        track.append((tip[0], tip[1]))
    return facing
