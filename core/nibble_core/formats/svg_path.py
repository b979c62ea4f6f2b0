"""SVG path data (M L H V C A Z, absolute and relative) to paths."""

from __future__ import annotations

import math
import re

import numpy as np

from nibble_core.errors import UnreadableFile
from nibble_core.geometry import ARC, CUBIC, LINE, Path

_TOKEN = re.compile(r"[A-Za-z]|[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
_COUNTS = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "A": 7, "Z": 0}


def parse_path_data(text: str) -> list[Path]:
    """One path per M. Raises UnreadableFile at a command or number that does not belong."""
    tokens = _TOKEN.findall(text)
    paths: list[Path] = []
    kinds: list[int] = []
    rows: list[list[float]] = []
    x = y = start_x = start_y = 0.0
    command, i = "", 0

    def finish(closed: bool) -> None:
        if closed and rows and math.hypot(x - start_x, y - start_y) > 1e-9:
            kinds.append(LINE)
            rows.append([x, y, 0, 0, 0, 0, start_x, start_y])
        if rows:
            paths.append(Path(np.array(kinds, np.uint8), np.array(rows), closed))
        kinds.clear()
        rows.clear()

    while i < len(tokens):
        if tokens[i].isalpha():
            command, i = tokens[i], i + 1
        upper = command.upper()
        if upper not in _COUNTS:
            raise UnreadableFile(f"The path command “{command or tokens[i]}” is not known.", "Use M L H V C A Z.")
        if upper == "Z":
            finish(True)
            x, y = start_x, start_y
            continue
        count = _COUNTS[upper]
        try:
            numbers = [float(token) for token in tokens[i : i + count]]
        except ValueError:
            numbers = []
        if len(numbers) < count:
            raise UnreadableFile("The path data stops in the middle.", "Save the file again.")
        i += count
        dx, dy = (x, y) if command.islower() else (0.0, 0.0)
        if upper == "M":
            finish(False)
            x, y = numbers[0] + dx, numbers[1] + dy
            start_x, start_y = x, y
            command = "l" if command.islower() else "L"
            continue
        end_x = numbers[-2] + dx if upper not in "HV" else (numbers[0] + dx if upper == "H" else x)
        end_y = numbers[-1] + dy if upper not in "HV" else (numbers[0] + dy if upper == "V" else y)
        if upper == "C":
            kinds.append(CUBIC)
            rows.append([x, y, numbers[0] + dx, numbers[1] + dy, numbers[2] + dx, numbers[3] + dy, end_x, end_y])
        elif upper == "A":
            kinds.append(ARC)
            rows.append([x, y, *_arc_centre(x, y, end_x, end_y, numbers), 0, end_x, end_y])
        else:
            kinds.append(LINE)
            rows.append([x, y, 0, 0, 0, 0, end_x, end_y])
        x, y = end_x, end_y
    finish(False)
    return paths


def _arc_centre(x0: float, y0: float, x1: float, y1: float, numbers: list[float]) -> tuple[float, float, float]:
    """Centre and sweep of a circular arc from its end points (SVG 1.1, appendix F.6.5)."""
    radius, large, positive = numbers[0], numbers[3] != 0, numbers[4] != 0
    chord = math.hypot(x1 - x0, y1 - y0)
    if chord == 0:
        return x0, y0, 0.0
    radius = max(radius, chord / 2)
    rise = math.sqrt(max(radius * radius - chord * chord / 4, 0.0))
    side = 1.0 if large != positive else -1.0
    cx = (x0 + x1) / 2 - side * rise * (y1 - y0) / chord
    cy = (y0 + y1) / 2 + side * rise * (x1 - x0) / chord
    sweep = math.atan2(y1 - cy, x1 - cx) - math.atan2(y0 - cy, x0 - cx)
    if positive and sweep < 0:
        sweep += 2 * math.pi
    elif not positive and sweep > 0:
        sweep -= 2 * math.pi
    return cx, cy, sweep
