"""Stage *write*: the job files of every sheet, each read back before it is offered."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable
from dataclasses import dataclass

from nibble_core.checks.readback import check_page, check_same_marks
from nibble_core.errors import Cancelled, CannotMake
from nibble_core.formats.registry import FORMATS, SHEET_FORMATS, Format
from nibble_core.geometry import Affine, Bundle
from nibble_core.graphics import Filled, Ink, Page, Painted, Picture, Shape, Stroked
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import caption_of, program_of
from nibble_core.ticket import fingerprint, sentences
from nibble_core.ticket.model import Machine, Sheet, Ticket
from nibble_core.ticket.sentences import sheet_name
from nibble_core.toolpaths import Definition


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
    """Of each sheet its print file, if anything is printed, its cut file in every format of its machine, and
    ``manifest.json``. Raises the first problem of the work, CannotMake for what no format or order is known of,
    FileDisagrees when a file read back is not what was meant, Cancelled."""
    work.require_whole()
    files: list[JobFile] = []
    sheets: list[dict[str, object]] = []
    steps = sum(len(_kinds(ticket, sheet)) for sheet in ticket.sheets)
    done = 0
    for sheet in ticket.sheets:
        stem = "-".join(filter(None, (slug(ticket.name), slug(sheet_name(sheet, ticket), empty=""))))
        made: list[JobFile] = []
        found: dict[str, Page] = {}
        pages = dict(zip(("print", "cut"), pages_of(ticket, sheet, work), strict=True))
        for purpose, form in _kinds(ticket, sheet):
            if cancelled():
                raise Cancelled("Making the files was stopped.", "Nothing was kept of them.")
            called = f"{purpose} file" if form.ending == "pdf" else f"{purpose} file as {form.called}"
            progress(done / steps, f"the {called}")
            assert form.sheets is not None
            content = form.sheets.write(pages[purpose])
            page = form.sheets.read(content)
            check_page(pages[purpose], page, called, tolerance=form.sheets.tolerance, layers=form.sheets.layers)
            check_same_marks(found.setdefault("first", page), page)
            made.append(JobFile(f"{stem}-{purpose}.{form.ending}", purpose, content))
            done += 1
        sheets.append(_sheet_facts(ticket, sheet, work, made))
        files += made
    manifest = {
        "job": ticket.name, "client": ticket.client, "ticket": fingerprint(ticket),
        "says": [sentence.text for sentence in sentences(ticket)], "sheets": sheets,
    }  # fmt: skip
    progress(1.0, "done")
    files.append(JobFile("manifest.json", "manifest", json.dumps(manifest, indent=1).encode()))
    return files


def _kinds(ticket: Ticket, sheet: Sheet) -> list[tuple[str, Format]]:
    """What is made of a sheet: purpose and format. Raises CannotMake for a format that nobody can write."""
    kinds = [("print", FORMATS["pdf"])] if ticket.prints_on(sheet) else []
    for ending in sheet.machine.formats:
        if ending not in SHEET_FORMATS:
            raise CannotMake(
                f"The {sheet.machine.name} wants files of the kind “{ending}”, which Nibble does not write.",
                f"Give its record one of {', '.join(SHEET_FORMATS)}.",
            )
        kinds.append(("cut", FORMATS[ending]))
    return kinds


def pages_of(ticket: Ticket, sheet: Sheet, work: Work) -> tuple[Page, Page]:
    """The print page and the cut page of a sheet: one size, one origin, the same marks."""
    laid = work.sheets[sheet.id].value
    marks = (Filled(laid.marks.paths()),) if laid.marks.places else ()
    printed: list[Picture | Painted] = []
    for layer in laid.layers:
        places = tuple(placement.at for placement in laid.placements if placement.layer == layer)
        for item in work.prints[layer].value.items:
            if isinstance(item, Shape):
                printed.append(Painted(Bundle.of(item.region.rings), item.colour, places))
            else:
                own = tuple(at.then(place) for place in places for at in item.places)
                printed.append(Picture(item.raster, item.width, item.height, own))
    beside = Bundle.of([ring for region in caption_of(sheet, ticket, work) for ring in region.rings])
    if len(beside):
        printed.append(Painted(beside, (0, 0, 0), (Affine(),)))
    strokes = tuple(
        Stroked(run.of.paths, ink_of(sheet.machine, run.of), run.of.process, run.places)
        for run in program_of(sheet, work).runs
    )
    return (
        Page(laid.width, laid.height, marks, printed=tuple(printed), title=f"{ticket.name}, print"),
        Page(laid.width, laid.height, marks, strokes, title=f"{ticket.name}, cut"),
    )


def ink_of(machine: Machine, of: Definition) -> Ink:
    """What a machine knows a line by: the spot colour of its process, numbered beyond the first."""
    spot = machine.spot(of.process)
    return Ink(spot.ink if of.rank == 1 else f"{spot.ink} {of.rank}", spot.cmyk)


def slug(name: str, *, empty: str = "job") -> str:
    """A file name of plain letters; ``empty`` where a name has none."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or empty


def _sheet_facts(ticket: Ticket, sheet: Sheet, work: Work, files: list[JobFile]) -> dict[str, object]:
    laid = work.sheets[sheet.id].value
    return {
        "sheet": sheet_name(sheet, ticket) or "sheet 1",
        "holds": [
            {"piece": ticket.piece_of_layer(held.layer).name, "layer": ticket.layer(held.layer).name,
             "copies": laid.copies_of(held.layer)}
            for held in sheet.holds
        ],
        "stock": sheet.stock.name,
        "machine": sheet.machine.name,
        "mirrored": sheet.stock.mirrored,
        "width_mm": round(laid.width, 3),
        "height_mm": round(laid.height, 3),
        "copies": laid.copies,
        "sheets_to_run": laid.times,
        "marks": [{"x_mm": round(x, 3), "y_mm": round(y, 3)} for x, y in laid.marks.places],
        "mark_diameter_mm": sheet.mark_diameter,
        "files": [{"name": f.name, "purpose": f.purpose, "bytes": len(f.content), "sha256": f.sha256} for f in files],
    }  # fmt: skip
