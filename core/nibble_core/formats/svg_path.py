"""SVG path data, all commands of SVG 1.1, to paths. A million nodes are read in one pass over the text."""

from __future__ import annotations

import math
import re
from array import array

import numpy as np

from nibble_core.errors import UnreadableFile
from nibble_core.geometry import ARC, CUBIC, LINE, Affine, Path
from nibble_core.geometry.segments import arcs_as_cubics

_COMMAND = re.compile(r"([MmLlHhVvCcSsQqTtAaZz])([^MmLlHhVvCcSsQqTtAaZz]*)")
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
_ARC = re.compile(
    r"\s*,?\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*,?\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)"
    r"\s*,?\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*,?\s*([01])\s*,?\s*([01])"
    r"\s*,?\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*,?\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)"
)
_COUNTS = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "T": 2, "A": 7, "Z": 0}
FARTHEST = 1e7  # beyond this a coordinate is nonsense, not a drawing


def parse_path_data(text: str) -> list[Path]:
    """One path per M.

    Raises UnreadableFile at a command or number that does not belong; ``drawn_until_error`` takes what comes before.
    """
    paths, error = drawn_until_error(text)
    if error:
        raise UnreadableFile(error, "Save the file again.")
    return paths


def drawn_until_error(text: str, *, scale: float = 1.0) -> tuple[list[Path], str]:
    """The paths up to the first thing that does not belong, as SVG asks of readers, and what that was, or "".

    scale: mm to one of its units, which says how finely elliptical arcs are told.
    """
    pen = _Pen(scale)
    at = 0
    for match in _COMMAND.finditer(text):
        between = text[at : match.start()].strip(" \t\r\n\f,")
        if between:
            pen.finish(False)
            return pen.paths, f"The path command “{between[:12]}” is not known."
        at = match.end()
        problem = pen.run(match.group(1), match.group(2))
        if problem:
            pen.finish(False)
            return pen.paths, problem
    pen.finish(False)
    rest = text[at:].strip(" \t\r\n\f,")
    return pen.paths, f"The path command “{rest[:12]}” is not known." if rest else ""


class _Pen:
    """The path under construction."""

    def __init__(self, scale: float) -> None:
        self.paths: list[Path] = []
        self._scale = scale
        self._kinds = bytearray()
        self._rows = array("d")
        self._x = self._y = self._start_x = self._start_y = 0.0
        self._handle: tuple[float, float] | None = None  # the last handle, for S and T
        self._last = ""
        self._begun = False

    def run(self, command: str, text: str) -> str:
        """Draw all repetitions of one command; what is wrong, or ""."""
        upper, relative = command.upper(), command.islower()
        if upper == "Z":
            self.finish(True)
            self._x, self._y = self._start_x, self._start_y
            self._last = "Z"
            return "" if not text.strip(" \t\r\n\f,") else "The path data has numbers after a Z."
        if not self._begun and upper != "M":
            return "The path data does not begin with M."
        numbers = self._arc_numbers(text) if upper == "A" else [float(n) for n in _NUMBER.findall(text)]
        count = _COUNTS[upper]
        whole = len(numbers) // count * count
        for i in range(0, whole, count):
            group = numbers[i : i + count]
            if not all(abs(n) <= FARTHEST for n in group):
                return "A coordinate lies beyond any drawing."
            self._one("L" if upper == "M" and i else upper, group, relative)
        if whole != len(numbers) or not numbers:
            return "The path data stops in the middle."
        return ""

    @staticmethod
    def _arc_numbers(text: str) -> list[float]:
        numbers, at = [], 0
        while match := _ARC.match(text, at):
            numbers += [float(n) for n in match.groups()]
            at = match.end()
        return numbers if not text[at:].strip(" \t\r\n\f,") else [*numbers, 0.0]

    def _one(self, upper: str, n: list[float], relative: bool) -> None:
        x, y = self._x, self._y
        dx, dy = (x, y) if relative else (0.0, 0.0)
        if upper == "M":
            self.finish(False)
            self._x, self._y = self._start_x, self._start_y = n[0] + dx, n[1] + dy
            self._begun, self._handle, self._last = True, None, "M"
            return
        if self._last == "Z" and not self._kinds:
            self._start_x, self._start_y = x, y
        handle = None
        if upper in "LHV":
            ex = n[0] + dx if upper in "LH" else x
            ey = (n[1] if upper == "L" else n[0]) + dy if upper in "LV" else y
            self._add(LINE, x, y, 0, 0, 0, 0, ex, ey)
        elif upper in "CS":
            if upper == "C":
                ax, ay, bx, by, ex, ey = n[0] + dx, n[1] + dy, n[2] + dx, n[3] + dy, n[4] + dx, n[5] + dy
            else:
                ax, ay = self._mirrored("CS")
                bx, by, ex, ey = n[0] + dx, n[1] + dy, n[2] + dx, n[3] + dy
            self._add(CUBIC, x, y, ax, ay, bx, by, ex, ey)
            handle = bx, by
        elif upper in "QT":
            qx, qy = (n[0] + dx, n[1] + dy) if upper == "Q" else self._mirrored("QT")
            ex, ey = n[-2] + dx, n[-1] + dy
            third = 2 / 3
            self._add(
                CUBIC, x, y, x + third * (qx - x), y + third * (qy - y), ex + third * (qx - ex), ey + third * (qy - ey),
                ex, ey,
            )  # fmt: skip
            handle = qx, qy
        else:
            ex, ey = n[5] + dx, n[6] + dy
            self._arc(n, ex, ey)
        self._x, self._y, self._handle, self._last = ex, ey, handle, upper

    def _mirrored(self, family: str) -> tuple[float, float]:
        if self._handle is None or self._last not in family:
            return self._x, self._y
        return 2 * self._x - self._handle[0], 2 * self._y - self._handle[1]

    def _arc(self, n: list[float], ex: float, ey: float) -> None:
        """End points to centre (SVG 1.1, appendix F.6.5): round arcs stay arcs, elliptic ones become cubics."""
        x, y = self._x, self._y
        rx, ry, turn = abs(n[0]), abs(n[1]), math.radians(n[2])
        if math.hypot(ex - x, ey - y) < 1e-12:
            return
        if rx < 1e-12 or ry < 1e-12:
            self._add(LINE, x, y, 0, 0, 0, 0, ex, ey)
            return
        if abs(rx - ry) <= 1e-9 * rx:
            turn = 0.0
        c, s = math.cos(turn), math.sin(turn)
        ux, uy = ((x * c + y * s) / rx, (-x * s + y * c) / ry)
        vx, vy = ((ex * c + ey * s) / rx, (-ex * s + ey * c) / ry)
        chord = math.hypot(vx - ux, vy - uy)
        grow = max(1.0, chord / 2)
        rise = math.sqrt(max(grow * grow - chord * chord / 4, 0.0))
        large, positive = n[3] != 0, n[4] != 0
        side = 1.0 if large != positive else -1.0
        cx = (ux + vx) / 2 - side * rise * (vy - uy) / chord
        cy = (uy + vy) / 2 + side * rise * (vx - ux) / chord
        sweep = math.atan2(vy - cy, vx - cx) - math.atan2(uy - cy, ux - cx)
        if positive and sweep <= 0:
            sweep += 2 * math.pi
        elif not positive and sweep >= 0:
            sweep -= 2 * math.pi
        if turn == 0.0 and abs(rx - ry) <= 1e-9 * rx:
            self._add(ARC, x, y, cx * rx, cy * rx, sweep, 0, ex, ey)
            return
        back = Affine(rx * c, rx * s, -ry * s, ry * c, 0, 0)
        arc = np.array([[ux, uy, cx, cy, sweep, 0, vx, vy]])
        for row in arcs_as_cubics(np.array([ARC], np.uint8), arc, self._scale * max(rx, ry) * grow)[1]:
            self._add(CUBIC, *back.map(row.reshape(4, 2)).ravel().tolist())
        self._rows[-2:] = array("d", [ex, ey])

    def _add(self, kind: int, *row: float) -> None:
        self._kinds.append(kind)
        self._rows.extend(row)

    def finish(self, closed: bool) -> None:
        if closed and self._kinds and math.hypot(self._x - self._start_x, self._y - self._start_y) > 1e-9:
            self._add(LINE, self._x, self._y, 0, 0, 0, 0, self._start_x, self._start_y)
        if self._kinds:
            rows = np.frombuffer(self._rows, np.float64).reshape(-1, 8).copy()
            self.paths.append(Path(np.frombuffer(bytes(self._kinds), np.uint8), rows, closed))
        self._kinds, self._rows = bytearray(), array("d")
