"""Pen-plotter files (HP-GL): polylines in plotter units, a pen for each ink.

1,016 units an inch, 40 a mm; the origin is the sheet's lower left corner, y upward. What the file is of, its size, its
marks and the name of each pen are told in comments (``CO``), which machines pass over: marks are printed, never cut.
Speed (``VS``, cm a second) and force (``FS``, grams) are set where they are known.
"""

from __future__ import annotations

import re

import numpy as np

from nibble_core.errors import UnreadableFile
from nibble_core.geometry import Affine, Bundle
from nibble_core.geometry.path_text import SVG
from nibble_core.geometry.units import format_number
from nibble_core.graphics import Filled, Ink, Page, Stroked, Tool

UNITS = 40  # a mm
TOLERANCE = 0.5 / UNITS + 1e-6
"""mm: a place lies no further off than half a unit."""

_RUN = re.compile(rb'SP(\d+);CO "ink (.*?), layer (.*?)";\n(?:VS([\d.]+);)?(?:FS(\d+);)?\n?((?:PU[^;]*;PD[^;]*;\n)*)')
_PATH = re.compile(rb"PU([^;]*);PD([^;]*);")


def write_page(page: Page) -> bytes:
    """The lines of a page; all are straight (``toolpaths.plotted`` makes them so). Pictures are never part of it."""
    size = f"{format_number(page.width)} x {format_number(page.height)} mm"
    parts = [
        "IN;DF;\n",
        f'CO "{_plain(page.title)}";\n',
        f'CO "sheet {size}, {UNITS} units a mm, origin lower left";\n',
    ]
    parts += [f'CO "mark {path.svg(3)}";\n' for filled in page.filled for path in filled.paths]
    upward = Affine(d=-1.0, f=page.height)
    for run in page.stroked:
        parts.append(f'SP{run.tool.pen};CO "ink {_plain(run.ink.name)}, layer {_plain(run.layer)}";\n')
        if run.tool.speed is not None:
            parts.append(f"VS{format_number(run.tool.speed / 10, 1)};")
        if run.tool.force is not None:
            parts.append(f"FS{run.tool.force};")
        parts.append("\n")
        parts += [_lines(run.paths.mapped(place).mapped(upward)) for place in run.placements]
    parts.append("PU0,0;SP0;\n")
    return "".join(parts).encode("ascii", "replace")


def read_page(content: bytes) -> Page:
    """What ``write_page`` wrote. Raises UnreadableFile when the bytes are not such a file."""
    size = re.search(rb'CO "sheet ([\d.]+) x ([\d.]+) mm, 40 units a mm, origin lower left";', content)
    if not content.startswith(b"IN;DF;") or not size or not content.endswith(b"SP0;\n"):
        raise UnreadableFile("This is not a whole plotter file of known size.", "Make the files again.")
    width, height = float(size[1]), float(size[2])
    marks = [Bundle.read(found, SVG) for found in re.findall(rb'CO "mark (.*?)";', content)]
    downward = Affine(d=-1.0, f=height)
    stroked = []
    for pen, ink, layer, speed, force, paths in _RUN.findall(content):
        tool = Tool(int(pen), int(force) if force else None, round(float(speed) * 10) if speed else None)
        named = Ink(ink.decode(), (0.0, 0.0, 0.0, 1.0))
        stroked.append(Stroked(_polylines(paths).mapped(downward), named, layer.decode(), tool=tool))
    if sum(len(run.paths) for run in stroked) != content.count(b";PD"):
        raise UnreadableFile("Some lines of this plotter file belong to no pen.", "Make the files again.")
    filled = (Filled(Bundle.joined(marks)),) if marks else ()
    return Page(width, height, filled, tuple(stroked))


def _lines(paths: Bundle) -> str:
    """A move with the pen up, then all corners with it down."""
    if not len(paths):
        return ""
    points, begins = paths.flattened()
    sizes = np.diff(begins)
    said = np.full(len(points), ",%d,%d", object)
    said[begins[:-1]] = "PU%d,%d;"
    said[begins[:-1] + 1] = "PD%d,%d"
    said[begins[1:] - 1] += ";\n"
    if (sizes < 2).any():
        raise ValueError("a path needs two corners")
    return "".join(said.tolist()) % tuple(np.rint(points * UNITS).astype(np.int64).ravel().tolist())


def _polylines(text: bytes) -> Bundle:
    found = _PATH.findall(text)
    if not found:
        return Bundle.of(())
    numbers = np.fromstring(b",".join(up + b"," + down for up, down in found).decode(), sep=",")
    counts = np.array([1 + (down.count(b",") + 1) // 2 for _, down in found])
    points = numbers.reshape(-1, 2) / UNITS
    return Bundle.polylines(points, np.concatenate([[0], np.cumsum(counts)]))


def _plain(words: str) -> str:
    """Words that neither end a comment nor an instruction."""
    return re.sub(r'[";\n]', " ", words)
