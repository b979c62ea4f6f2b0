"""The formats that Nibble writes, one entry each: for outlines, for sheets, or for both.

The stations' downloads, the job files, the command line and the table in the documentation all read this.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from nibble_core.formats import (
    dxf_page,
    dxf_r12,
    engraving_pixels,
    gcode,
    hpgl,
    pdf,
    pdf_reader,
    print_pixels,
    shapes_json,
    svg,
)
from nibble_core.geometry.tolerances import POSITION
from nibble_core.graphics import Drawing, Page
from nibble_core.graphics.moves import Moves

PRINT, CUT, BOTH = "print", "cut", "print and cut"


@dataclass(frozen=True)
class Sheets:
    """How a format holds the page of a sheet. tolerance: mm, what a curve may lie off when read back. purposes: which
    pages it can hold. layers: whether it names processes beside inks. unit: mm of the grid that all places lie on, for
    lines that must be plotted first; 0 for none. pixels: whether nothing but its size can be read back. areas: whether
    it fills engraved areas, and holds engraved pixels, instead of their strokes."""

    write: Callable[[Page], bytes]
    read: Callable[[bytes], Page]
    tolerance: float = POSITION
    purposes: tuple[str, ...] = (CUT,)
    layers: bool = True
    unit: float = 0.0
    pixels: bool = False
    areas: bool = False


@dataclass(frozen=True)
class Heads:
    """How a format holds every move of a machine's head, in the machine's axes. tolerance: mm, what an arc may lie off
    when read back."""

    write: Callable[[Moves, gcode.Dialect, Sequence[str]], bytes]
    read: Callable[[bytes, gcode.Dialect], Moves]
    tolerance: float = POSITION


@dataclass(frozen=True)
class Format:
    """An open format. key: what records and options call it. ending: of its files. called: in words. serves: what it is
    good for. write_drawing: of outlines, where it holds such. tail: of its files' names, where others end so too."""

    key: str
    ending: str
    called: str
    serves: str
    content_type: str
    write_drawing: Callable[[Drawing], bytes] | None = None
    sheets: Sheets | None = None
    tail: str = ""
    heads: Heads | None = None

    @property
    def purposes(self) -> tuple[str, ...]:
        """Which files of a sheet it can be."""
        return self.sheets.purposes if self.sheets else (CUT,) if self.heads else ()

    def outlines(self, drawing: Drawing) -> bytes:
        """A drawing as a file of this format, which must be one of OUTLINE_FORMATS."""
        assert self.write_drawing is not None
        return self.write_drawing(drawing)


_ALL = (
    Format(
        "pdf", "pdf", "PDF", "Lines in named spot colours, on layers with processing steps; print as well.",
        "application/pdf", pdf.write_drawing,
        Sheets(pdf.write_page, pdf_reader.read_page, purposes=(PRINT, CUT)),
    ),
    Format(
        "combined", "pdf", "print and cut in one PDF", "Print, marks and lines on layers of one page.",
        "application/pdf", None, Sheets(pdf.write_page, pdf_reader.read_page, purposes=(BOTH,)),
    ),
    Format(
        "svg", "svg", "SVG",
        "Lines grouped by process, in millimetres; engraved areas filled, engraved pictures as pixels.",
        "image/svg+xml", svg.write_drawing, Sheets(svg.write_page, svg.read_page, areas=True),
    ),
    Format(
        "dxf", "dxf", "DXF", "Lines, arcs and splines as they are, a layer for each spot colour.", "image/vnd.dxf",
        dxf_page.write_drawing, Sheets(dxf_page.write_page, dxf_page.read_page, dxf_page.TOLERANCE, layers=False),
    ),
    Format(
        "dxf-polylines", "dxf", "DXF of polylines", "Polylines of lines and arcs, for software without splines.",
        "image/vnd.dxf", dxf_page.write_drawing_polylines,
        Sheets(dxf_page.write_polylines, dxf_page.read_page, dxf_page.POLYLINES, layers=False),
        "-polylines",
    ),
    Format(
        "dxf-r12", "dxf", "DXF release 12", "Plain polylines, for software that reads nothing newer.", "image/vnd.dxf",
        dxf_r12.write_drawing, Sheets(dxf_r12.write_page, dxf_r12.read_page, dxf_r12.TOLERANCE, layers=False), "-r12",
    ),
    Format(
        "hpgl", "hpgl", "HP-GL", "A pen for each process; led for a trailing knife, overcut, begun away from corners.",
        "application/vnd.hp-hpgl", None, Sheets(hpgl.write_page, hpgl.read_page, hpgl.TOLERANCE, unit=1 / hpgl.UNITS),
    ),
    Format(
        "gcode", "gcode", "G-code", "Every move of a beam, its power and speed; arcs as arcs.", "text/x-gcode",
        heads=Heads(gcode.write_moves, gcode.read_moves, gcode.TOLERANCE),
    ),
    Format(
        "png", "png", "PNG", "The print as pixels on clear ground, its resolution stated.", "image/png", None,
        Sheets(print_pixels.write_png, print_pixels.read_page, purposes=(PRINT,), pixels=True),
    ),
    Format(
        "engraving", "png", "PNG of engravings",
        "What is engraved, black where it is burnt fully, at its own resolution.",
        "image/png", None,
        Sheets(engraving_pixels.write_page, print_pixels.read_page, pixels=True, areas=True), "-engraving",
    ),
    Format(
        "tiff", "tif", "TIFF", "The print as pixels, with a page for each plate of white or varnish.", "image/tiff",
        None, Sheets(print_pixels.write_tiff, print_pixels.read_page, purposes=(PRINT,), pixels=True),
    ),
    Format("json", "json", "JSON", "Path data and nodes, for programs of one's own.", "application/json",
           shapes_json.write_drawing),
)  # fmt: skip

FORMATS = {one.key: one for one in _ALL}
OUTLINE_FORMATS = {one.key: one for one in _ALL if one.write_drawing}
"""What outlines can be taken away as, by key."""
SHEET_FORMATS = tuple(one.key for one in _ALL if one.purposes)
"""What a machine can be sent, and the command line asked for."""
