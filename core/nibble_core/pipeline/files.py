"""Stage *write*: the job files of every sheet, each read back before it is offered."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable
from dataclasses import dataclass

from nibble_core.checks.readback import check_page, check_same_marks
from nibble_core.errors import Cancelled
from nibble_core.formats import pdf, pdf_reader, svg
from nibble_core.geometry import Affine
from nibble_core.graphics import Filled, Ink, Page, Painted, Picture, Shape, Stroked
from nibble_core.pipeline.work import Work
from nibble_core.sheet import Layout
from nibble_core.ticket import fingerprint, sentences
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.ticket.sentences import sheet_name

CUT_ORDER = ("engrave", "score", "kiss cut", "perforate", "through cut")  # what falls out last; guides are never sent


@dataclass(frozen=True)
class JobFile:
    """A finished file: name, what it is for, its bytes."""

    name: str
    purpose: str
    content: bytes

    @property
    def sha256(self) -> str:
        return hashlib.sha256(self.content).hexdigest()


Progress = Callable[[float, str], None]
"""Called with the share done, 0 to 1, and what is being done."""


def write_files(
    ticket: Ticket,
    work: Work,
    *,
    progress: Progress = lambda share, doing: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> list[JobFile]:
    """Print PDF, cut PDF and cut SVG of each sheet, and ``manifest.json``. Raises the first problem of the work,
    FileDisagrees when a file read back is not what was meant, Cancelled."""
    work.require_whole()
    files: list[JobFile] = []
    manifest: dict[str, object] = {
        "job": ticket.name, "client": ticket.client, "ticket": fingerprint(ticket),
        "says": [sentence.text for sentence in sentences(ticket)], "sheets": [],
    }  # fmt: skip
    steps = 3 * len(ticket.sheets)
    for number, sheet in enumerate(ticket.sheets):
        stem = "-".join(filter(None, (slug(ticket.name), slug(sheet_name(sheet, ticket), empty=""))))
        print_page, cut_page = pages(ticket, sheet, work)
        made: list[JobFile] = []

        def step(index: int, doing: str, number: int = number) -> None:
            if cancelled():
                raise Cancelled("Making the files was stopped.", "Nothing was kept of them.")
            progress((3 * number + index) / steps, doing)

        step(0, "the print file")
        if print_page.printed:
            content = pdf.write_page(print_page)
            found = pdf_reader.read_page(content)
            check_page(print_page, found, "print file")
            made.append(JobFile(f"{stem}-print.pdf", "print", content))
        step(1, "the cut file")
        content = pdf.write_page(cut_page)
        check_page(cut_page, pdf_reader.read_page(content), "cut file")
        if print_page.printed:
            check_same_marks(found, pdf_reader.read_page(content))
        made.append(JobFile(f"{stem}-cut.pdf", "cut", content))
        step(2, "the cut file as SVG")
        content = svg.write_page(cut_page)
        check_page(cut_page, svg.read_page(content), "cut file as SVG")
        made.append(JobFile(f"{stem}-cut.svg", "cut", content))
        manifest["sheets"].append(_sheet_facts(ticket, sheet, work, made))  # type: ignore[attr-defined]
        files += made
    progress(1.0, "done")
    files.append(JobFile("manifest.json", "manifest", json.dumps(manifest, indent=1).encode()))
    return files


def pages(ticket: Ticket, sheet: Sheet, work: Work) -> tuple[Page, Page]:
    """The print page and the cut page of a sheet: one size, one origin, the same marks."""
    layout = work.layouts[sheet.id]
    piece = ticket.piece_of_layer(sheet.layer)
    layer = next(layer for layer in piece.layers if layer.id == sheet.layer)
    turn = Affine.mirror(layout.width) if sheet.stock.mirrored else Affine()
    placements = tuple(placement.then(turn) for placement in layout.placements)
    marks = (Filled(tuple(path.mapped(turn) for path in layout.mark_paths())),)
    printed: list[Picture | Painted] = []
    for item in work.prints[layer.id].value.items:
        if isinstance(item, Shape):
            printed.append(Painted(item.region.rings, item.colour, placements))
        else:
            own = tuple(at.then(place) for place in placements for at in item.places)
            printed.append(Picture(item.raster, item.width, item.height, own))
    drawn = work.layers[layer.id].value
    sent = [line for line in drawn.lines if line.process in CUT_ORDER]
    strokes = []
    for line in sorted(sent, key=lambda line: (CUT_ORDER.index(line.process), line.rank)):
        spot = ticket.machine.spot(line.process)
        ink = Ink(spot.ink if line.rank == 1 else f"{spot.ink} {line.rank}", spot.cmyk)
        strokes.append(Stroked(line.paths, ink, line.process, placements))
    if drawn.marks and strokes:  # alignment marks are cut as the layer is
        rings = tuple(mark.outer for mark in drawn.marks)
        strokes.append(Stroked(rings, strokes[-1].ink, strokes[-1].layer, placements))
    return (
        Page(layout.width, layout.height, marks, printed=tuple(printed), title=f"{ticket.name}, print"),
        Page(layout.width, layout.height, marks, tuple(strokes), title=f"{ticket.name}, cut"),
    )


def slug(name: str, *, empty: str = "job") -> str:
    """A file name of plain letters; ``empty`` where a name has none."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or empty


def _sheet_facts(ticket: Ticket, sheet: Sheet, work: Work, files: list[JobFile]) -> dict[str, object]:
    layout: Layout = work.layouts[sheet.id]
    return {
        "sheet": sheet_name(sheet, ticket) or "sheet 1",
        "piece": ticket.piece_of_layer(sheet.layer).name,
        "layer": ticket.layer(sheet.layer).name,
        "stock": sheet.stock.name,
        "mirrored": sheet.stock.mirrored,
        "width_mm": round(layout.width, 3),
        "height_mm": round(layout.height, 3),
        "copies": layout.copies,
        "sheets_to_run": layout.sheets,
        "marks": [{"x_mm": round(x, 3), "y_mm": round(y, 3)} for x, y in layout.marks],
        "mark_diameter_mm": sheet.mark_diameter,
        "files": [{"name": f.name, "purpose": f.purpose, "bytes": len(f.content), "sha256": f.sha256} for f in files],
    }
