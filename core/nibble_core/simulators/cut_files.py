"""Cut files as a cutter reads them: HP-GL, PDF, SVG and DXF to lines in mm, each with what it is called there.

An independent judge: it shares no code with the writers. PDF and DXF are parsed by general libraries; what is read is
what a machine's own software would take, colours of lines, names of inks and layers, pens.
"""

from __future__ import annotations

import io
import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pikepdf
from lxml import etree
from numpy.typing import NDArray

Places = NDArray[np.float64]
UNIT = 0.025  # mm of HP-GL
POINT = 25.4 / 72
CHORD = 0.004  # mm that a chord may lie off its curve
MOST_POINTS = 8_000_000
DEEPEST = 12
LONGEST_SIDE = 100_000.0  # mm
NOWHERE = "This file has places that no machine can go to."


class Unreadable(ValueError):
    """What is wrong with a file, in a sentence."""


@dataclass(frozen=True)
class CutLine:
    """One line with the tool down. called: its pen, ink or layer. places: (n, 2) mm from the sheet's upper left corner,
    y down. closed: whether its ends are one place."""

    called: str
    places: Places

    @property
    def closed(self) -> bool:
        return len(self.places) > 2 and math.dist(self.places[0], self.places[-1]) < 2 * UNIT

    @property
    def length(self) -> float:
        return float(np.hypot(*np.diff(self.places, axis=0).T).sum())


@dataclass(frozen=True)
class CutFile:
    """What a cut file holds, in the order in which it is run. height: mm of its page; None where it tells none.
    led: whether lines were led for a knife that trails."""

    lines: tuple[CutLine, ...]
    width: float | None
    height: float | None
    led: bool = False


def read_cut(content: bytes, ending: str, *, height: float | None = None) -> CutFile:
    """A cut file by its ending. height: mm of the sheet, for files that count y upward from its foot and do not tell.
    Raises Unreadable."""
    readers = {"hpgl": _hpgl, "plt": _hpgl, "pdf": _pdf, "svg": _svg, "dxf": _dxf}
    if ending not in readers:
        raise Unreadable(f"A cutter takes no files that end in “{ending}”.")
    try:
        made = readers[ending](content, height)
    except (AttributeError, IndexError, KeyError, OverflowError, RecursionError, TypeError, ZeroDivisionError) as error:
        raise Unreadable("This file is damaged: nobody can say what it cuts.") from error
    if not made.lines:
        raise Unreadable("There is nothing to cut in this file.")
    if sum(len(one.places) for one in made.lines) > MOST_POINTS:
        raise Unreadable("This file has more places than a cutter can hold.")
    if any(not np.isfinite(one.places).all() or np.abs(one.places).max() > LONGEST_SIDE for one in made.lines):
        raise Unreadable(NOWHERE)
    return made


def _hpgl(content: bytes, height: float | None) -> CutFile:
    text = content.decode("latin-1")
    if "IN" not in text[:200] and "PU" not in text and "PD" not in text:
        raise Unreadable("This is no plotter file.")
    if not text.rstrip().endswith(";"):
        raise Unreadable("This plotter file is cut off in the middle: its last instruction has no end.")
    plotter = Plotter()
    lines: list[CutLine] = []
    for instruction in instructions(text):
        lines += _lines_of(plotter.take(instruction), height or 0.0)
    if plotter.down and plotter.places:
        raise Unreadable("This plotter file is cut off in the middle: the tool is still down at its end.")
    return CutFile(tuple(lines), None, height, led=True)


def instructions(text: str) -> list[str]:
    """Those of HP-GL, without its comments."""
    return [one for one in re.split(r"[;\s]+", re.sub(r'CO\s*"[^"]*"', "", text)) if one]


@dataclass
class Plotter:
    """What HP-GL is told to, instruction by instruction. pen: the one in hand; places: where it has gone since it was
    put down, in plotter units, y upward; speed: cm a second."""

    pen: str = "0"
    at: tuple[float, float] = (0.0, 0.0)
    down: bool = False
    speed: float | None = None
    places: list[tuple[float, float]] = field(default_factory=list)

    def take(self, instruction: str) -> tuple[str, Places] | None:
        """The pen, and the line that ends with this instruction, (n, 2), if one does. Raises Unreadable."""
        name = instruction[:2].upper()
        try:
            numbers = [float(one) for one in instruction[2:].split(",") if one]
        except ValueError as error:
            raise Unreadable(f"This plotter file says “{instruction[:20]}”, which is no number.") from error
        if not all(abs(one) * UNIT <= LONGEST_SIDE for one in numbers):  # NaN is not below anything
            raise Unreadable(NOWHERE)
        if name == "SP":
            ended = self._lifted()
            self.pen, self.down = f"{int(numbers[0]) if numbers else 0}", False
            return ended
        if name == "VS":
            self.speed = numbers[0] if numbers else None
            return None
        if name not in ("PU", "PD", "PA"):
            if name not in ("IN", "DF", "FS"):
                raise Unreadable(f"This cutter does not know “{name}”.")
            return None
        ended = self._lifted() if name == "PU" else None
        self.down = name == "PD" or (name == "PA" and self.down)
        if len(numbers) % 2:
            raise Unreadable("This plotter file has a place without its second number.")
        if self.down and not self.places:
            self.places.append(self.at)
        for x, y in zip(numbers[0::2], numbers[1::2], strict=True):
            self.at = (x, y)
            if self.down:
                self.places.append(self.at)
        return ended

    def _lifted(self) -> tuple[str, Places] | None:
        ended = (self.pen, np.array(self.places)) if len(self.places) > 1 else None
        self.places = []
        return ended


def _lines_of(ended: tuple[str, Places] | None, height: float) -> list[CutLine]:
    if ended is None:
        return []
    own = ended[1] * UNIT
    own[:, 1] = height - own[:, 1]
    return [CutLine(ended[0], own)]


def _pdf(content: bytes, _: float | None) -> CutFile:
    try:
        with pikepdf.open(io.BytesIO(content)) as document:
            page = document.pages[0]
            left, low, right, high = (float(one) for one in page.mediabox)
            start = np.array([[POINT, 0, 0], [0, -POINT, 0], [-left * POINT, high * POINT, 1.0]])
            lines = tuple(_stroked(page, start, ""))
    except (pikepdf.PdfError, IndexError, ValueError) as error:
        if isinstance(error, Unreadable):
            raise
        raise Unreadable("This is not a PDF that can be read.") from error
    return CutFile(lines, (right - left) * POINT, (high - low) * POINT)


def _stroked(content: Any, matrix: Places, ink: str, depth: int = 0) -> Iterator[CutLine]:
    """Paths of a page or form that are stroked in a spot ink, in their order. matrix: to mm of the sheet."""
    if depth > DEEPEST:
        raise Unreadable("This PDF draws itself within itself.")
    resources = content.get("/Resources", {})
    spots = {
        str(key): str(space[1])[1:] for key, space in resources.get("/ColorSpace", {}).items()
        if isinstance(space, pikepdf.Array) and str(space[0]) == "/Separation"
    }  # fmt: skip
    saved: list[tuple[Places, str]] = []
    paths: list[list[tuple[float, float]]] = []

    def to(x: float, y: float) -> tuple[float, float]:
        across, down, _ = np.array([x, y, 1.0]) @ matrix
        return float(across), float(down)

    for said in pikepdf.parse_content_stream(content):
        operands, word = list(said.operands), str(said.operator)
        if word in ("m", "l", "c", "v", "y", "re"):
            values = [float(one) for one in operands]
        if word == "q":
            saved.append((matrix, ink))
        elif word == "Q" and saved:
            matrix, ink = saved.pop()
        elif word == "cm":
            matrix = _six(operands) @ matrix
        elif word == "CS":
            ink = spots.get(str(operands[0]), "")
        elif word in ("G", "RG", "K"):
            ink = ""
        elif word == "Do":
            form = resources.get("/XObject", {}).get(str(operands[0]))
            if form is not None and form.get("/Subtype") == "/Form":
                yield from _stroked(form, _six(form.get("/Matrix", [1, 0, 0, 1, 0, 0])) @ matrix, ink, depth + 1)
        elif word == "m":
            paths.append([to(*values)])
        elif word == "l":
            paths[-1].append(to(*values))
        elif word in ("c", "v", "y"):
            inner = [to(values[k], values[k + 1]) for k in range(0, len(values), 2)]
            inner = {"c": inner, "v": [paths[-1][-1], *inner], "y": [*inner, inner[-1]]}[word]
            paths[-1] += _cubic(paths[-1][-1], *inner)
        elif word == "re":
            x, y, w, h = values
            paths.append([to(x, y), to(x + w, y), to(x + w, y + h), to(x, y + h), to(x, y)])
        elif word in ("h", "s", "b", "b*") and paths:
            paths[-1].append(paths[-1][0])
        if word in ("S", "s", "B", "B*", "b", "b*", "f", "F", "f*", "n"):
            if word in ("S", "s", "B", "B*", "b", "b*") and ink:
                yield from (CutLine(ink, np.array(one)) for one in paths if len(one) > 1)
            paths = []


def _six(values: Any) -> Places:
    a, b, c, d, e, f = (float(one) for one in values)
    return np.array([[a, b, 0], [c, d, 0], [e, f, 1.0]])


def _cubic(start: tuple[float, float], *handles: tuple[float, float]) -> list[tuple[float, float]]:
    """Places along a cubic behind its start, so dense that no chord lies further off than CHORD."""
    p = np.array([start, *handles])
    bend = max(float(np.abs(np.diff(p, 2, axis=0)).max()), 1e-12)
    count = max(1, math.ceil(math.sqrt(0.75 * math.sqrt(2) * bend / CHORD)))
    t = np.arange(1, count + 1)[:, None] / count
    along = (1 - t) ** 3 * p[0] + 3 * (1 - t) ** 2 * t * p[1] + 3 * (1 - t) * t**2 * p[2] + t**3 * p[3]
    return [(float(x), float(y)) for x, y in along]


def _svg(content: bytes, _: float | None) -> CutFile:
    try:
        parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=True)
        root = etree.fromstring(content, parser)
        box = [float(one) for one in root.get("viewBox", "").replace(",", " ").split()]
        width = float(re.sub(r"mm$", "", root.get("width", "")))
        height = float(re.sub(r"mm$", "", root.get("height", "")))
    except (etree.XMLSyntaxError, ValueError) as error:
        raise Unreadable("This is not an SVG with a size in millimetres.") from error
    if len(box) != 4 or box[2] <= 0 or width <= 0:
        raise Unreadable("This is not an SVG with a size in millimetres.")
    scale = width / box[2]
    start = np.array([[scale, 0, 0], [0, height / box[3], 0], [-box[0] * scale, -box[1] * height / box[3], 1.0]])
    by_id = {one.get("id"): one for one in root.iter() if one.get("id")}
    lines: list[CutLine] = []

    def walk(node: Any, matrix: Places, called: str, stroke: str) -> None:
        tag = etree.QName(node).localname if isinstance(node.tag, str) else ""
        matrix = _transform(node.get("transform", "")) @ matrix
        stroke = node.get("stroke", stroke)
        if tag == "g":
            called = called or node.get("id", "")
        if tag in ("defs", "symbol", "clipPath") or node.get("display") == "none":
            return
        if tag == "use":
            target = by_id.get((node.get("href") or node.get("{http://www.w3.org/1999/xlink}href") or "")[1:])
            if target is not None:
                shift = np.eye(3)
                shift[2, :2] = float(node.get("x", 0)), float(node.get("y", 0))
                walk(target, shift @ matrix, called, stroke)
            return
        if tag == "path" and stroke not in ("", "none"):
            for path in _path_data(node.get("d", "")):
                own = np.column_stack([np.array(path), np.ones(len(path))]) @ matrix
                if len(own) > 1:
                    lines.append(CutLine(called, own[:, :2]))
        for child in node:
            walk(child, matrix, called, stroke)

    walk(root, start, "", "")
    return CutFile(tuple(lines), width, height)


def _transform(text: str) -> Places:
    matrix = np.eye(3)
    for name, values in re.findall(r"(matrix|translate|scale|rotate)\s*\(([^)]*)\)", text):
        v = [float(one) for one in re.split(r"[\s,]+", values.strip())]
        if name == "matrix":
            own = np.array([[v[0], v[1], 0], [v[2], v[3], 0], [v[4], v[5], 1.0]])
        elif name == "translate":
            own = np.array([[1, 0, 0], [0, 1, 0], [v[0], v[1] if len(v) > 1 else 0.0, 1.0]])
        elif name == "scale":
            own = np.diag([v[0], v[-1], 1.0])
        else:
            c, s = math.cos(math.radians(v[0])), math.sin(math.radians(v[0]))
            own = np.array([[c, s, 0], [-s, c, 0], [0, 0, 1.0]])
        matrix = own @ matrix
    return matrix


_TOKEN = re.compile(r"([MmLlHhVvCcSsQqTtAaZz])|([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)")
_TAKES = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "A": 7, "Z": 0}


def _path_data(text: str) -> Iterator[list[tuple[float, float]]]:
    tokens = _TOKEN.findall(text)
    k, word = 0, ""
    path: list[tuple[float, float]] = []
    at = first = handle = (0.0, 0.0)
    while k < len(tokens):
        if tokens[k][0]:
            word, k = tokens[k][0], k + 1
        kind = word.upper()
        if kind not in _TAKES:
            raise Unreadable(f"This cutter does not know “{word}” in a path.")
        v = [float(one) for _, one in tokens[k : k + _TAKES[kind]] if one]
        k += _TAKES[kind]
        if len(v) < _TAKES[kind]:
            raise Unreadable("A path of this SVG is cut off in the middle.")
        here = at if word.islower() else (0.0, 0.0)
        if kind == "M":
            if len(path) > 1:
                yield path
            at = first = here[0] + v[0], here[1] + v[1]
            path, word = [at], "l" if word == "m" else "L"
        elif kind == "Z":
            path.append(first)
            at = first
            yield path
            path = [first]
        elif kind in "LHV":
            at = (here[0] + v[0] if kind != "V" else at[0], here[1] + v[-1] if kind != "H" else at[1])
            path.append(at)
        elif kind == "A":
            end = here[0] + v[5], here[1] + v[6]
            path += _arc(at, end, *v[:5])
            at = end
        else:
            p = [(here[0] + v[n], here[1] + v[n + 1]) for n in range(0, len(v), 2)]
            if kind == "S":
                p = [(2 * at[0] - handle[0], 2 * at[1] - handle[1]), *p]
            if kind == "Q":
                q, end = p
                thirds = [(one[0] + 2 / 3 * (q[0] - one[0]), one[1] + 2 / 3 * (q[1] - one[1])) for one in (at, end)]
                p = [*thirds, end]
            path += _cubic(at, *p)
            handle, at = p[1], p[2]
        if kind not in "CS":
            handle = at
    if len(path) > 1:
        yield path


def _arc(
    start: tuple[float, float], end: tuple[float, float], rx: float, ry: float, tilt: float, large: float, sweep: float
) -> list[tuple[float, float]]:
    """An arc of SVG 1.1, by its appendix F.6.5."""
    if rx == 0 or ry == 0 or start == end:
        return [end]
    c, s = math.cos(math.radians(tilt)), math.sin(math.radians(tilt))
    dx, dy = (start[0] - end[0]) / 2, (start[1] - end[1]) / 2
    x, y = c * dx + s * dy, -s * dx + c * dy
    rx, ry = abs(rx), abs(ry)
    grow = math.sqrt(max(1.0, (x / rx) ** 2 + (y / ry) ** 2))
    rx, ry = rx * grow, ry * grow
    under = rx**2 * y**2 + ry**2 * x**2
    root = math.sqrt(max(0.0, (rx**2 * ry**2 - under) / under)) * (-1 if bool(large) == bool(sweep) else 1)
    cx, cy = root * rx * y / ry, -root * ry * x / rx
    a0 = math.atan2((y - cy) / ry, (x - cx) / rx)
    turn = math.atan2((-y - cy) / ry, (-x - cx) / rx) - a0
    turn += 2 * math.pi if sweep and turn < 0 else -2 * math.pi if not sweep and turn > 0 else 0.0
    count = max(2, math.ceil(abs(turn) / (2 * math.acos(max(-1.0, 1 - CHORD / max(rx, ry, CHORD))))))
    a = a0 + turn * np.arange(1, count + 1) / count
    u, v = rx * np.cos(a) + cx, ry * np.sin(a) + cy
    mx, my = (start[0] + end[0]) / 2, (start[1] + end[1]) / 2
    return [(float(c * p - s * q + mx), float(s * p + c * q + my)) for p, q in zip(u, v, strict=True)]


def _dxf(content: bytes, height: float | None) -> CutFile:
    from ezdxf import path as dxf_path
    from ezdxf import recover
    from ezdxf.lldxf.const import DXFError

    try:
        document, _ = recover.read(io.BytesIO(content))
    except (DXFError, OSError, ValueError) as error:
        raise Unreadable("This is not a DXF that can be read.") from error
    lines: list[CutLine] = []
    queue = list(document.modelspace())
    for entity in queue:
        if entity.dxftype() == "INSERT":
            insert: Any = entity
            queue += list(insert.virtual_entities())
            continue
        try:
            made = dxf_path.make_path(entity)
        except TypeError:
            continue  # words, points: nothing that is cut
        own = np.array([(v.x, v.y) for v in made.flattening(CHORD)])
        if len(own) > 1:
            own[:, 1] = (height or 0.0) - own[:, 1]
            lines.append(CutLine(entity.dxf.layer, own))
    return CutFile(tuple(lines), None, height)
