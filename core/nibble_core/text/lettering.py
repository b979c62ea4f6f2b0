"""A line of text as outlines: shaped, kerned, at a cap height in mm, straight or round an arc."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import shapely
import uharfbuzz as hb

from nibble_core.errors import InvalidTicket
from nibble_core.geometry import CUBIC, LINE, Affine, Box, Path, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons
from nibble_core.graphics.filling import filled_regions
from nibble_core.text.fonts import Font, open_font

STRAIGHT, OVER, UNDER = "a straight line", "over a circle", "under a circle"
LONGEST = 200


@dataclass(frozen=True, eq=False)
class Lettering:
    """Outlines in mm about their own origin, the middle of the line or of the circle.

    regions: letters, joined where they touch. box: what they are aligned by: from baseline to cap height, or the
    circle of the baseline and its letters. missing: characters the font has no letter for.
    """

    regions: tuple[Region, ...]
    box: Box
    missing: tuple[str, ...]


@dataclass
class _Outline:
    """Collects one glyph's contours in font units, y up."""

    contours: list[Path] = field(default_factory=list)
    kinds: list[int] = field(default_factory=list)
    rows: list[list[float]] = field(default_factory=list)
    at: tuple[float, float] = (0.0, 0.0)
    start: tuple[float, float] = (0.0, 0.0)

    def move(self, x: float, y: float, _: Any) -> None:
        self.at = self.start = (x, y)

    def line(self, x: float, y: float, _: Any) -> None:
        if (x, y) != self.at:
            self.kinds.append(LINE)
            self.rows.append([*self.at, 0, 0, 0, 0, x, y])
            self.at = (x, y)

    def quadratic(self, cx: float, cy: float, x: float, y: float, data: Any) -> None:
        ax, ay = self.at  # the same curve as a cubic: handles at two thirds of the way to the control point
        self.cubic(
            ax + (cx - ax) * 2 / 3, ay + (cy - ay) * 2 / 3, x + (cx - x) * 2 / 3, y + (cy - y) * 2 / 3, x, y, data
        )

    def cubic(self, bx: float, by: float, cx: float, cy: float, x: float, y: float, _: Any) -> None:
        self.kinds.append(CUBIC)
        self.rows.append([*self.at, bx, by, cx, cy, x, y])
        self.at = (x, y)

    def close(self, data: Any) -> None:
        self.line(*self.start, data)
        if self.rows:
            self.contours.append(Path(np.array(self.kinds, np.uint8), np.array(self.rows)))
        self.kinds, self.rows = [], []


def _pen() -> hb.DrawFuncs:
    pen = hb.DrawFuncs()
    pen.set_move_to_func(lambda x, y, outline: outline.move(x, y, None))
    pen.set_line_to_func(lambda x, y, outline: outline.line(x, y, None))
    pen.set_quadratic_to_func(lambda a, b, x, y, outline: outline.quadratic(a, b, x, y, None))
    pen.set_cubic_to_func(lambda a, b, c, d, x, y, outline: outline.cubic(a, b, c, d, x, y, None))
    pen.set_close_path_func(lambda outline: outline.close(None))
    return pen


_PEN = _pen()


def set_line(
    font: Font, text: str, cap_height: float, *, spacing: float = 0.0, along: str = STRAIGHT, radius: float = 50.0
) -> Lettering:
    """One line of ``text`` with capitals ``cap_height`` mm high.

    spacing: mm added between letters. along: STRAIGHT, OVER a circle of ``radius`` mm (the baseline, read clockwise
    from outside) or UNDER one (the letters stand inside the circle's foot, read from left to right). Raises
    InvalidTicket for no text, one longer than 200 letters, or an arc too short for it.
    """
    if not text.strip():
        raise InvalidTicket("This text element has no words.", "Write what it should say.")
    if len(text) > LONGEST:
        raise InvalidTicket(f"This text has {len(text)} letters.", f"Set at most {LONGEST} in one line.")
    buffer = hb.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    hb.shape(font.face, buffer)
    missing = tuple(dict.fromkeys(text[info.cluster] for info in buffer.glyph_infos if info.codepoint == 0))
    scale = cap_height / font.cap_height
    pen_x, placed = 0.0, []
    for info, position in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        advance = position.x_advance * scale + spacing
        placed.append((info.codepoint, pen_x + position.x_offset * scale, position.y_offset * scale, advance))
        pen_x += advance
    length = pen_x - spacing
    if along != STRAIGHT and length > 2 * math.pi * (radius if along == OVER else max(radius - cap_height, 0.1)):
        raise InvalidTicket(
            f"The words are {length:.0f} mm long; the circle has {2 * math.pi * radius:.0f} mm.",
            "Make the circle larger or the letters smaller.",
        )
    letters = []
    for glyph, x, y, advance in placed:
        outline = _Outline()
        font.face.draw_glyph(glyph, _PEN, outline)
        if glyph == 0 or not outline.contours:
            continue
        upright = Affine(scale, 0, 0, -scale, x - length / 2, -y)
        place = upright.then(_round(x + (advance - spacing) / 2 - length / 2, along, radius))
        letters.append(filled_regions([path.mapped(place) for path in outline.contours], even_odd=False))
    return Lettering(_joined(letters), _box(length, cap_height, along, radius), missing)


def _round(middle: float, along: str, radius: float) -> Affine:
    """Where a letter whose middle is at ``middle`` on the straight baseline goes, turned about that middle."""
    if along == STRAIGHT:
        return Affine()
    angle = middle / radius if along == OVER else -middle / radius
    c, s = math.cos(angle), math.sin(angle)
    up = -radius if along == OVER else radius
    # the letter's middle to the origin, turned, then out to the circle
    return Affine(1, 0, 0, 1, -middle, 0).then(Affine(c, s, -s, c, 0, 0)).then(Affine(e=-up * s, f=up * c))


def _box(length: float, cap_height: float, along: str, radius: float) -> Box:
    if along == STRAIGHT:
        return Box(-length / 2, -cap_height, length / 2, 0)
    reach = radius + (cap_height if along == OVER else 0)
    return Box(-reach, -reach, reach, reach)


def _joined(letters: list[list[Region]]) -> tuple[Region, ...]:
    """Letters as they are, those that touch as one outline."""
    owned = [region for regions in letters for region in regions]
    if len(owned) < 2:
        return tuple(owned)
    areas = np.array([shapely.make_valid(region.polygon()) for region in owned])
    one, other = shapely.STRtree(areas).query(areas, predicate="intersects")
    touching = {int(k) for k in one[one != other]}
    kept = [region for k, region in enumerate(owned) if k not in touching]
    if touching:
        kept += [refit_polygon(part) for part in polygons(shapely.union_all(areas[sorted(touching)]))]
    return tuple(kept)


def tried_font(content: bytes) -> str:
    """The name of a font that can set a line. Raises UnreadableFile."""
    font = open_font(content)
    set_line(font, "Hamburgefonstiv 0123456789", 10.0)
    return font.name
