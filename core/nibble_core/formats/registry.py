"""The formats that Nibble writes, one entry each: for outlines, for sheets, or for both.

The stations' downloads, the job files, the command line and the table in the documentation all read this.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from nibble_core.formats import dxf, dxf_page, pdf, pdf_reader, shapes_json, svg
from nibble_core.geometry.tolerances import POSITION
from nibble_core.graphics import Drawing, Page


@dataclass(frozen=True)
class Sheets:
    """How a format holds the page of a sheet. tolerance: mm, what a curve may lie off when read back. prints: whether
    it can hold what is printed. layers: whether it names processes beside inks."""

    write: Callable[[Page], bytes]
    read: Callable[[bytes], Page]
    tolerance: float = POSITION
    prints: bool = False
    layers: bool = True


@dataclass(frozen=True)
class Format:
    """An open format. ending: of its files. called: in words. serves: what it is good for."""

    ending: str
    called: str
    serves: str
    content_type: str
    write_drawing: Callable[[Drawing], bytes]
    sheets: Sheets | None = None


_ALL = (
    Format(
        "pdf", "PDF", "Lines in named spot colours, on layers with processing steps; print as well.", "application/pdf",
        pdf.write_drawing, Sheets(pdf.write_page, pdf_reader.read_page, prints=True),
    ),
    Format(
        "svg", "SVG", "Lines grouped by process, in millimetres.", "image/svg+xml",
        svg.write_drawing, Sheets(svg.write_page, svg.read_page),
    ),
    Format(
        "dxf", "DXF", "Polylines of lines and arcs, a layer for each spot colour.", "image/vnd.dxf",
        dxf.write_drawing, Sheets(dxf_page.write_page, dxf_page.read_page, dxf_page.TOLERANCE, layers=False),
    ),
    Format("json", "JSON", "Path data and nodes, for programs of one's own.", "application/json",
           shapes_json.write_drawing),
)  # fmt: skip

FORMATS = {one.ending: one for one in _ALL}
SHEET_FORMATS = tuple(one.ending for one in _ALL if one.sheets)
"""Formats that a cutter can be sent."""
