"""Tiling patterns of a client's PDF as what they repeat, tile by tile (ISO 32000-1, 8.7.3): the renderer draws a tile
once as a picture and sets it to whole pixels, so that tiles lie millimetres off on a large page."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any

import numpy as np
import pikepdf
from numpy.typing import NDArray
from pikepdf import Array, ContentStreamInstruction, Dictionary, Name, Operator, Stream

from nibble_core.geometry import Affine

MOST_TILES = 20_000  # of a page
MOST_DRAWN = 100_000  # things that all tiles draw together
MOST_BYTES = 40_000_000  # of content that is looked through
DEEPEST = 12
_PATH = {"m", "l", "c", "v", "y", "re", "h"}
_CLIP = {"W", "W*"}
_FILL_RULE = {"f": "W", "F": "W", "f*": "W*", "B": "W", "B*": "W*", "b": "W", "b*": "W*"}
_STROKED = {"B": "S", "B*": "S", "b": "s", "b*": "s"}
_SHOWN = {"Tj", "TJ", "'", '"', "Do"}
_SETS_COLOUR = {"g", "rg", "k", "sc", "cs"}
_AS_AT_FIRST = b"0 g 0 G 1 w 0 J 0 j 10 M [] 0 d"
"""What a tile starts with: not the state in which it is filled, but that of the page's beginning."""


@dataclass(frozen=True)
class _State:
    """to_base: from where is drawn now to where the stream began. pattern: that areas are filled with, None for a plain
    colour; space: the resource of its colour space, tint: the parts of its colour, for a pattern without its own."""

    to_base: Affine = field(default_factory=Affine)
    pattern: Any = None
    space: Any = None
    tint: tuple[Any, ...] = ()


class Tiles:
    """Rewrites what a page draws in place. left: whether any pattern could not be unfolded."""

    def __init__(self, pdf: pikepdf.Pdf) -> None:
        self._pdf = pdf
        self._seen: set[tuple[int, int]] = set()
        self._forms: dict[tuple[int, int], Any] = {}
        self._tiles, self._drawn, self._bytes = MOST_TILES, MOST_DRAWN, MOST_BYTES
        self.left = False
        self.unfolded = 0

    def page(self, page: Any) -> None:
        """Unfold the patterns of a page and of the forms that it draws."""
        if page.get("/Contents") is None:
            return
        resources = pikepdf.Page(page).resources
        page.Contents = self._pdf.make_stream(self._rewritten(page, resources, _box(page.get("/MediaBox")), DEEPEST))

    def _rewritten(self, stream: Any, resources: Any, room: NDArray[np.float64], depth: int) -> bytes:
        """A content stream with its patterns unfolded within ``room``, four numbers."""
        out: list[Any] = []
        waiting: list[Any] = []  # a path that is not painted yet
        state, kept = _State(), []
        for instruction in pikepdf.parse_content_stream(stream):
            name, operands = str(instruction.operator), instruction.operands
            if name in _PATH | _CLIP:
                waiting.append(instruction)
                continue
            if name in _FILL_RULE and state.pattern is not None:
                out += self._painted(waiting, instruction, state, resources, room)
                waiting = []
                continue
            out += waiting
            waiting = []
            out.append(instruction)
            if name == "q":
                kept.append(state)
            elif name == "Q" and kept:
                state = kept.pop()
            elif name == "cm":
                state = replace(state, to_base=Affine(*map(float, operands)).then(state.to_base))
            elif name in _SETS_COLOUR or name == "scn":
                state = _coloured(state, name, operands, resources)
            if name in _SHOWN:
                self.left |= state.pattern is not None  # letters, or what a form may fill with it
            if name == "Do":
                self._form(resources.get("/XObject", Dictionary()).get(str(operands[0])), resources, depth)
        return pikepdf.unparse_content_stream(out + waiting)

    def _form(self, form: Any, resources: Any, depth: int) -> None:
        """Rewrite a form once, wherever it is drawn."""
        if not isinstance(form, Stream) or form.get("/Subtype") != Name.Form or form.objgen in self._seen:
            return
        self._seen.add(form.objgen)
        content = form.read_bytes()
        self._bytes -= len(content)
        if depth <= 0 or self._bytes <= 0:
            self.left = True
            return
        form.write(self._rewritten(form, form.get("/Resources", resources), _box(form.get("/BBox")), depth - 1))

    def _painted(
        self, path: list[Any], paint: Any, state: _State, resources: Any, room: NDArray[np.float64]
    ) -> list[Any]:
        """What paints a path with a pattern: its tiles, clipped to it, and then its line."""
        pattern, name = state.pattern, str(paint.operator)
        outline = [one for one in path if str(one.operator) in _PATH]
        offsets = self._offsets(pattern, outline, state.to_base, room)
        if offsets is None:
            self.left = True
            return [*path, paint]
        to_here = _matrix(pattern).then(state.to_base.inverse())
        tile = self._tile(pattern, resources)
        self.unfolded += 1
        out = [_op("q"), *outline, _op(_FILL_RULE[name]), _op("n"), _cm(to_here)]
        out += pikepdf.parse_content_stream(self._pdf.make_stream(_AS_AT_FIRST))
        out += self._tint(state, resources)
        for x, y in offsets.tolist():
            out += [_op("q"), _cm(Affine(e=x, f=y)), _op("Do", tile), _op("Q")]
        out.append(_op("Q"))
        clip = [one for one in path if str(one.operator) in _CLIP]
        if name in _STROKED or clip:
            out += [*path, _op(_STROKED.get(name, "n"))]
        return out

    def _offsets(
        self, pattern: Any, outline: list[Any], to_base: Affine, room: NDArray[np.float64]
    ) -> NDArray[np.float64] | None:
        """Where the tiles lie that meet a path, in the pattern's own space: n x 2. None for a pattern that cannot be
        unfolded, or too many tiles."""
        points = _points(outline)
        steps = abs(float(pattern.get("/XStep", 0))), abs(float(pattern.get("/YStep", 0)))
        matrix = _matrix(pattern)
        singular = min(abs(matrix.determinant), abs(to_base.determinant)) < 1e-9
        if not isinstance(pattern, Stream) or pattern.get("/PatternType") != 1 or min(steps) < 1e-6 or singular:
            return None
        if not len(points):
            return np.zeros((0, 2))
        met = to_base.map(points)
        low, high = np.maximum(met.min(0), room[:2]), np.minimum(met.max(0), room[2:])
        if (low > high).any():
            return np.zeros((0, 2))
        box = _box(pattern.get("/BBox"))
        corners = matrix.inverse().map(np.array([[low[0], low[1]], [high[0], low[1]], high, [low[0], high[1]]]))
        first = [math.floor((corners[:, k].min() - box[2 + k]) / steps[k]) for k in (0, 1)]
        last = [math.ceil((corners[:, k].max() - box[k]) / steps[k]) for k in (0, 1)]
        if (last[0] - first[0] + 1) * (last[1] - first[1] + 1) > 4 * MOST_TILES:
            return None
        across = np.arange(first[0], last[0] + 1) * steps[0]
        along = np.arange(first[1], last[1] + 1) * steps[1]
        offsets = np.stack(np.meshgrid(across, along), -1).reshape(-1, 2)
        tile = np.array([[box[0], box[1]], [box[2], box[1]], [box[2], box[3]], [box[0], box[3]]])
        placed = matrix.map((offsets[:, None] + tile).reshape(-1, 2)).reshape(-1, 4, 2)
        offsets = offsets[((placed.max(1) > low) & (placed.min(1) < high)).all(1)]
        drawn = sum(str(one.operator) in _FILL_RULE or str(one.operator) in {"S", "s", "Do", "Tj", "TJ"}
                    for one in pikepdf.parse_content_stream(self._pdf.make_stream(pattern.read_bytes())))  # fmt: skip
        self._tiles -= len(offsets)
        self._drawn -= drawn * len(offsets)
        return offsets if min(self._tiles, self._drawn) >= 0 else None

    def _tile(self, pattern: Any, resources: Any) -> Name:
        """The name under which a tile can be drawn as a form."""
        if pattern.objgen not in self._forms:
            form = self._pdf.make_stream(pattern.read_bytes())
            form.Type, form.Subtype, form.BBox = Name.XObject, Name.Form, pattern.BBox
            form.Resources = pattern.get("/Resources", Dictionary())
            self._forms[pattern.objgen] = self._pdf.make_indirect(form)
            self._form(form, resources, DEEPEST // 2)  # it may be filled with patterns itself
        name = Name(f"/NibbleTile{pattern.objgen[0]}")
        if "/XObject" not in resources:
            resources.XObject = Dictionary()
        resources.XObject[name] = self._forms[pattern.objgen]
        return name

    def _tint(self, state: _State, resources: Any) -> list[Any]:
        """Sets the colour of a pattern that has none of its own, for areas and lines."""
        if state.pattern.get("/PaintType") != 2 or not isinstance(state.space, Array) or len(state.space) < 2:
            return []
        if "/ColorSpace" not in resources:
            resources.ColorSpace = Dictionary()
        name = Name(f"/NibbleInk{len(resources.ColorSpace)}")
        resources.ColorSpace[name] = state.space[1]
        return [_op("cs", name), _op("CS", name), _op("scn", *state.tint), _op("SCN", *state.tint)]


def _coloured(state: _State, name: str, operands: Any, resources: Any) -> _State:
    """The state after areas get another colour."""
    if name == "cs":
        spaces = resources.get("/ColorSpace", Dictionary())
        space = spaces.get(str(operands[0])) if str(operands[0]) in spaces else None
        return replace(state, pattern=None, space=space)
    if name == "scn" and len(operands) and isinstance(operands[-1], Name):
        pattern = resources.get("/Pattern", Dictionary()).get(str(operands[-1]))
        return replace(state, pattern=pattern, tint=tuple(operands)[:-1])
    return replace(state, pattern=None)


def _points(outline: list[Any]) -> NDArray[np.float64]:
    """Points that hold a path within their box: n x 2."""
    rows: list[list[float]] = []
    for instruction in outline:
        values = [float(value) for value in instruction.operands]
        if str(instruction.operator) == "re":
            x, y, width, height = values
            rows += [[x, y], [x + width, y + height]]
        else:
            rows += [values[k : k + 2] for k in range(0, len(values), 2)]
    return np.array(rows, float).reshape(-1, 2)


def _box(values: Any) -> NDArray[np.float64]:
    """A rectangle as left, bottom, right, top."""
    if values is None:
        return np.array([-1e6, -1e6, 1e6, 1e6])
    x0, y0, x1, y1 = (float(value) for value in values)
    return np.array([min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)])


def _matrix(pattern: Any) -> Affine:
    values = pattern.get("/Matrix")
    return Affine() if values is None else Affine(*(float(value) for value in values))


def _op(name: str, *operands: Any) -> ContentStreamInstruction:
    return ContentStreamInstruction(list(operands), Operator(name))


def _cm(matrix: Affine) -> ContentStreamInstruction:
    values = (matrix.a, matrix.b, matrix.c, matrix.d, matrix.e, matrix.f)
    return _op("cm", *(Decimal(f"{value:.9f}") for value in values))
