"""DXF of release 12, polylines only: for machines whose software reads nothing newer. Curves are chords within 0.01 mm.

Release 12 has no units of its own; ``$LIMMAX`` tells the sheet's size, in mm, and ``$EXTMIN`` and ``$EXTMAX`` how far
its lines reach.
"""

from __future__ import annotations

import re

import numpy as np

from nibble_core.errors import UnreadableFile
from nibble_core.formats.dxf import index_of
from nibble_core.formats.dxf_page import MARKS, layer_name, outline_page
from nibble_core.geometry import LINE, Affine, Bundle
from nibble_core.geometry.units import format_number
from nibble_core.graphics import Drawing, Filled, Ink, Page, Stroked

TOLERANCE = 0.01
"""mm: chords lie this near their curve."""

_ENTITY = re.compile(rb"0\nPOLYLINE\n8\n([^\n]*)\n66\n1\n70\n(\d)\n(.*?)0\nSEQEND\n", re.S)


def write_page(page: Page) -> bytes:
    """Marks and lines of a page, a POLYLINE each; y upward from the sheet's lower edge. Pictures are left out."""
    upward = Affine(d=-1.0, f=page.height)
    runs: list[tuple[str, Bundle, tuple[Affine, ...]]] = [(MARKS, filled.paths, (Affine(),)) for filled in page.filled]
    runs += [(layer_name(one.ink), one.paths, one.placements) for one in page.stroked]
    flat = [(name, *paths.flattened(TOLERANCE / 2), paths.closed, places) for name, paths, places in runs]
    put = [place.then(upward).map(points) for _, points, _, _, places in flat for place in places if len(points)]
    low = np.min([points.min(axis=0) for points in put], axis=0) if put else np.zeros(2)
    high = np.max([points.max(axis=0) for points in put], axis=0) if put else np.array([page.width, page.height])
    parts = [
        "0\nSECTION\n2\nHEADER\n9\n$ACADVER\n1\nAC1009\n"
        f"{_place('$LIMMIN', 0, 0)}{_place('$LIMMAX', page.width, page.height)}"
        f"{_place('$EXTMIN', *low)}{_place('$EXTMAX', *high)}"
        "0\nENDSEC\n0\nSECTION\n2\nTABLES\n0\nTABLE\n2\nLAYER\n70\n",
        f"{len({name for name, _, _ in runs})}\n",
    ]
    colours = {layer_name(one.ink): one.ink.screen for one in page.stroked} | {MARKS: (0, 0, 0)}
    for name in dict.fromkeys(name for name, _, _ in runs):
        parts.append(f"0\nLAYER\n2\n{name}\n70\n0\n62\n{index_of(colours[name])}\n6\nCONTINUOUS\n")
    parts.append("0\nENDTAB\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n")
    for name, points, begins, closed, places in flat:
        for place in places:
            parts.append(_entities(place.then(upward).map(points), begins, closed, name))
    parts.append("0\nENDSEC\n0\nEOF\n")
    return "".join(parts).encode("cp1252", "replace")


def write_drawing(drawing: Drawing) -> bytes:
    """Outlines on a layer a colour; they begin at 0, 0."""
    return write_page(outline_page(drawing))


def _place(name: str, x: float, y: float) -> str:
    """A place of the header."""
    return f"9\n{name}\n10\n{format_number(x, 4)}\n20\n{format_number(y, 4)}\n"


def read_page(content: bytes) -> Page:
    """What ``write_page`` wrote; consecutive lines of a layer are one bundle. Raises UnreadableFile."""
    size = re.search(rb"\$LIMMAX\n10\n(\S+)\n20\n(\S+)", content)
    if b"AC1009" not in content or not size or not content.endswith(b"0\nEOF\n"):
        raise UnreadableFile("This is not a whole DXF of release 12.", "Make the files again.")
    width, height = float(size[1]), float(size[2])
    downward = Affine(d=-1.0, f=height)
    found: list[tuple[str, list[bytes], list[int]]] = []
    for layer, closed, body in _ENTITY.findall(content):
        name = layer.decode("cp1252")
        if not found or found[-1][0] != name:
            found.append((name, [], []))
        found[-1][1].append(body)
        found[-1][2].append(int(closed))
    if sum(len(bodies) for _, bodies, _ in found) != content.count(b"0\nPOLYLINE\n"):
        raise UnreadableFile("Some lines of this DXF cannot be read.", "Make the files again.")
    read = [(name, _bundle(bodies, np.array(closed, bool)).mapped(downward)) for name, bodies, closed in found]
    filled = tuple(Filled(paths) for name, paths in read if name == MARKS)
    black = (0.0, 0.0, 0.0, 1.0)
    return Page(width, height, filled, tuple(Stroked(p, Ink(name, black), "") for name, p in read if name != MARKS))


def _entities(points: np.ndarray, begins: np.ndarray, closed: np.ndarray, layer: str) -> str:
    if not len(points):
        return ""
    said = np.full(len(points), f"0\nVERTEX\n8\n{layer}\n10\n%.5f\n20\n%.5f\n", object)
    heads = np.where(closed, 1, 0)
    said[begins[:-1]] = (
        np.array([f"0\nPOLYLINE\n8\n{layer}\n66\n1\n70\n{flag}\n" for flag in heads], object) + said[begins[:-1]]
    )
    last = begins[1:] - 1
    said[last] += f"0\nSEQEND\n8\n{layer}\n"
    kept = np.ones(len(points), bool)
    ends = last[closed]  # where it began, once more
    said[ends - 1] += f"0\nSEQEND\n8\n{layer}\n"
    kept[ends] = False
    return "".join(said[kept].tolist()) % tuple((np.round(points[kept], 5) + 0.0).ravel().tolist())


def _bundle(bodies: list[bytes], closed: np.ndarray) -> Bundle:
    values = re.sub(rb"0\nVERTEX\n8\n[^\n]*\n10\n(\S+)\n20\n(\S+)\n", rb"\1 \2 ", b"".join(bodies))
    points = np.fromstring(values.decode(), sep=" ").reshape(-1, 2)
    counts = np.array([body.count(b"0\nVERTEX\n") for body in bodies])
    begins = np.concatenate([[0], np.cumsum(counts)])
    following = np.roll(points, -1, 0)
    following[begins[1:] - 1] = points[begins[:-1]]
    kept = np.ones(len(points), bool)
    kept[begins[1:][~closed] - 1] = False
    rows = np.zeros((len(points), 8))
    rows[:, :2], rows[:, 6:] = points, following
    offsets = np.concatenate([[0], np.cumsum(counts - ~closed)])
    return Bundle(np.full(int(kept.sum()), LINE, np.uint8), rows[kept], offsets, closed)
