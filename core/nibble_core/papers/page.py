"""Sheets of paper: words, rules and drawings, mm from the top left corner of each.

Letters that a font has not are taken from one of many scripts; a letter that neither has is shown as a box, and what
it was is told at the foot of the page.
"""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import cache

import numpy as np
from PIL import Image
from reportlab.graphics.barcode.qr import QrCodeWidget
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Affine
from nibble_core.geometry.regions import polygons
from nibble_core.geometry.units import POINTS_PER_MM
from nibble_core.graphics import Raster
from nibble_core.text.fonts import FOLDER

SIZES = {"a4": (210.0, 297.0), "letter": (215.9, 279.4)}
"""mm, upright."""
MARGIN = 12.0
INK, SOFT, HAIR = "#1E2A2E", "#56635E", "#B5B29F"
BODY, STRONG, HEAD = "NibbleBody", "NibbleStrong", "NibbleHead"
_FILES = {
    BODY: "Barlow-Regular", STRONG: "Barlow-SemiBold", HEAD: "BarlowCondensed-SemiBold",
    "NibbleScripts": "DejaVuSans", "NibbleScriptsStrong": "DejaVuSans-Bold",
}  # fmt: skip
SCRIPTS = {BODY: "NibbleScripts", STRONG: "NibbleScriptsStrong", HEAD: "NibbleScriptsStrong"}
"""The font of Latin, Greek, Cyrillic and signs that stands in for letters another has not."""
BOX = "□"
MOST_TOLD = 12  # letters
MOST_PIXELS = 700  # of a picture's longer side: paper shows no more at these sizes


@cache
def _register() -> None:
    for name, file in _FILES.items():
        pdfmetrics.registerFont(TTFont(name, str(FOLDER / f"{file}.ttf")))


@cache
def _has(font: str) -> frozenset[int]:
    """The letters that a font has."""
    _register()
    return frozenset(pdfmetrics.getFont(font).face.charToGlyph)


def runs_of(words: str, font: str) -> list[tuple[str, str]]:
    """Words as stretches of one font each: (font, letters); letters that none has as boxes."""
    found: list[tuple[str, str]] = []
    for letter in words:
        own = next((one for one in (font, SCRIPTS[font]) if ord(letter) in _has(one)), None)
        own, shown = (own, letter) if own else (SCRIPTS[font], BOX)
        if found and found[-1][0] == own:
            found[-1] = own, found[-1][1] + shown
        else:
            found.append((own, shown))
    return found


class Page:
    """Pages being drawn, one after the other. Sizes of type are in points, everything else in mm, y downward."""

    def __init__(self, size: str, title: str) -> None:
        _register()
        self.width, self.height = SIZES[size]
        self._out = io.BytesIO()
        self._canvas = Canvas(
            self._out, (self.width * POINTS_PER_MM, self.height * POINTS_PER_MM), invariant=1, pageCompression=1,
            initialFontName=BODY,
        )  # fmt: skip
        self._title, self.number = title, 1
        self._missing: dict[str, None] = {}
        self._canvas.setTitle(title)
        self._canvas.setProducer("Nibble")

    def finished(self) -> bytes:
        """The PDF."""
        self._tell_missing()
        self._canvas.showPage()
        self._canvas.save()
        return self._out.getvalue()

    def turn(self) -> float:
        """Begin another page, with its number; returns where it goes on."""
        self._tell_missing()
        self._canvas.showPage()
        self.number += 1
        said = next(iter(wrapped(self._title, self.width - 2 * MARGIN - 30, 10, STRONG)), "")
        self.text(MARGIN, MARGIN + 4, said, size=10, font=STRONG)
        self.text(self.width - MARGIN, MARGIN + 4, f"page {self.number}", size=10, colour=SOFT, right=True)
        self.rule(MARGIN, MARGIN + 6.5, self.width - 2 * MARGIN, weight=0.8)
        return MARGIN + 13

    def _tell_missing(self) -> None:
        """What the boxes on a page stand for."""
        if not self._missing:
            return
        told = ", ".join(f"U+{ord(letter):04X}" for letter in list(self._missing)[:MOST_TOLD])
        more = f" and {len(self._missing) - MOST_TOLD} more" if len(self._missing) > MOST_TOLD else ""
        self._missing = {}
        words = f"A box ({BOX}) stands for a letter that no font here has: {told}{more}."
        self.text(MARGIN, self.height - MARGIN / 3, words, size=7.5, colour=SOFT)

    def text(
        self, x: float, y: float, words: str, *, size: float = 9.0, font: str = BODY, colour: str = INK,
        right: bool = False,
    ) -> float:  # fmt: skip
        """One line with its foot at y; ``right`` ends it at x. Returns its width."""
        words = words.translate(_UNSEEN)
        wide = width_of(words, size, font)
        self._canvas.setFillColor(colour)
        at, down = (x - (wide if right else 0.0)) * POINTS_PER_MM, (self.height - y) * POINTS_PER_MM
        for letter in words:
            if ord(letter) not in _has(font) and ord(letter) not in _has(SCRIPTS[font]):
                self._missing[letter] = None
        for own, run in runs_of(words, font):
            self._canvas.setFont(own, size)
            self._canvas.drawString(at, down, run)
            at += float(pdfmetrics.stringWidth(run, own, size))
        return wide

    def lines(
        self, x: float, y: float, words: str, width: float, *, size: float = 9.0, font: str = BODY, colour: str = INK
    ) -> float:
        """A paragraph whose first line has its foot at y; returns the foot of the line that would follow."""
        for line in wrapped(words, width, size, font):
            self.text(x, y, line, size=size, font=font, colour=colour)
            y += leading(size)
        return y

    def rule(self, x: float, y: float, width: float, *, weight: float = 0.5, colour: str = INK) -> None:
        self._canvas.setStrokeColor(colour)
        self._canvas.setLineWidth(weight)
        down = (self.height - y) * POINTS_PER_MM
        self._canvas.line(x * POINTS_PER_MM, down, (x + width) * POINTS_PER_MM, down)

    def box(self, x: float, y: float, width: float, height: float, *, fill: str = "", edge: str = "") -> None:
        scale = POINTS_PER_MM
        if fill:
            self._canvas.setFillColor(fill)
        if edge:
            self._canvas.setStrokeColor(edge)
            self._canvas.setLineWidth(0.4)
        self._canvas.rect(
            x * scale, (self.height - y - height) * scale, width * scale, height * scale, fill=bool(fill),
            stroke=bool(edge),
        )  # fmt: skip

    def code(self, x: float, y: float, side: float, words: str) -> None:
        """A square code that a camera reads."""
        code = QrCodeWidget(words).qr  # the widget itself would name a font that is not in the file
        code.make()
        step = side / len(code.modules)
        for row, modules in enumerate(code.modules):
            for column, dark in enumerate(modules):
                if dark:
                    self.box(x + column * step, y + row * step, step, step, fill="#000000")

    def head(self, title: str, said: Sequence[str], *, room: float = 0.0) -> float:
        """The name of the job and lines beneath it, with ``room`` left at their right; returns where the page goes
        on."""
        wide = self.width - 2 * MARGIN
        size = 24 if len(wrapped(title, wide - room, 24, HEAD)) < 2 else 16
        y = MARGIN + 8
        for line in wrapped(title, wide - room, size, HEAD):
            self.text(MARGIN, y, line, size=size, font=HEAD)
            y += leading(size)
        y += 7 - leading(size)
        y = self.lines(MARGIN, y, " · ".join(filter(None, said)), wide - room, size=11, colour=SOFT) - leading(11)
        y = max(y + 4.5, MARGIN + 19.5)
        self.rule(MARGIN, y, wide, weight=1.2)
        return y

    @contextmanager
    def within(self, x: float, y: float, scale: float) -> Iterator[None]:
        """What is drawn within has its origin at x, y and is ``scale`` times as large; y stays downward."""
        self._canvas.saveState()
        k = scale * POINTS_PER_MM
        self._canvas.transform(k, 0, 0, -k, x * POINTS_PER_MM, (self.height - y) * POINTS_PER_MM)
        yield
        self._canvas.restoreState()

    @contextmanager
    def mapped(self, at: Affine) -> Iterator[None]:
        self._canvas.saveState()
        self._canvas.transform(*at)
        yield
        self._canvas.restoreState()

    @contextmanager
    def clipped(self, shape: BaseGeometry) -> Iterator[None]:
        self._canvas.saveState()
        self._canvas.clipPath(self._path(shape), stroke=0, fill=0, fillMode=0)
        yield
        self._canvas.restoreState()

    def shape(
        self, shape: BaseGeometry, *, fill: str = "", edge: str = "", weight: float = 0.2, dash: Sequence[float] = ()
    ) -> None:
        """An area, by the even-odd rule. weight and dash in the units that are drawn in."""
        if shape.is_empty:
            return
        if fill:
            self._canvas.setFillColor(fill)
        if edge:
            self._canvas.setStrokeColor(edge)
            self._canvas.setLineWidth(weight)
            self._canvas.setDash(list(dash))
        self._canvas.drawPath(self._path(shape), fill=bool(fill), stroke=bool(edge), fillMode=0)
        self._canvas.setDash([])

    def line(self, points: np.ndarray, *, edge: str = INK, weight: float = 0.2, dash: Sequence[float] = ()) -> None:
        """A polyline: points, shape (n, 2)."""
        path = self._canvas.beginPath()
        path.moveTo(*points[0].tolist())
        for point in points[1:].tolist():
            path.lineTo(*point)
        self._canvas.setStrokeColor(edge)
        self._canvas.setLineWidth(weight)
        self._canvas.setDash(list(dash))
        self._canvas.drawPath(path, fill=0, stroke=1)
        self._canvas.setDash([])

    def picture(self, raster: Raster, width: float, height: float) -> None:
        """Pixels over a box with its upper left corner at the origin."""
        image = Image.fromarray(raster.pixels, "RGBA")
        image.thumbnail((MOST_PIXELS, MOST_PIXELS))
        with self.mapped(Affine(d=-1.0, f=height)):  # the library's pictures stand on their feet
            self._canvas.drawImage(ImageReader(image), 0, 0, width, height, mask="auto")

    def _path(self, shape: BaseGeometry):  # type: ignore[no-untyped-def]
        path = self._canvas.beginPath()
        for part in polygons(shape):
            for ring in (part.exterior, *part.interiors):
                points = np.asarray(ring.coords)[:, :2].tolist()
                path.moveTo(*points[0])
                for point in points[1:-1]:
                    path.lineTo(*point)
                path.close()
        return path


def width_of(words: str, size: float, font: str = BODY) -> float:
    """mm."""
    _register()
    return sum(float(pdfmetrics.stringWidth(run, own, size)) for own, run in runs_of(words, font)) / POINTS_PER_MM


_UNSEEN = dict.fromkeys([*range(0x20), *range(0x200B, 0x2010), *range(0x202A, 0x202F), *range(0x2060, 0x206A)])
"""Letters without a look of their own, that would turn the direction of others."""


def leading(size: float) -> float:
    """mm from line to line of type of so many points."""
    return 1.28 * size / POINTS_PER_MM


def wrapped(words: str, width: float, size: float, font: str = BODY) -> list[str]:
    """Words in lines of at most ``width`` mm; a word that is longer stands alone, cut where it must be."""
    lines: list[str] = []
    line = ""
    for word in words.split():
        while width_of(word, size, font) > width and len(word) > 1:
            cut = next((k for k in range(len(word) - 1, 0, -1) if width_of(word[:k], size, font) <= width), 1)
            lines += [line, word[:cut]] if line else [word[:cut]]
            line, word = "", word[cut:]
        longer = f"{line} {word}".strip()
        if line and width_of(longer, size, font) > width:
            lines.append(line)
            line = word
        else:
            line = longer
    return [*lines, line] if line else lines
