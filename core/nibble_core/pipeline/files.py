"""Stage *write*: the job files of every sheet, each read back before it is offered."""

from __future__ import annotations

import hashlib
import json
import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from nibble_core.checks.readback import check_page, check_same_marks, check_size
from nibble_core.errors import Cancelled, CannotMake
from nibble_core.formats.registry import BOTH, CUT, FORMATS, PRINT, SHEET_FORMATS, Format
from nibble_core.geometry import Affine, Bundle
from nibble_core.graphics import Filled, Ink, Page, Painted, Picture, Plate, Shape, Stroked, Tool
from nibble_core.pipeline.panels import Part, parts_of, seams
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import caption_of, program_of
from nibble_core.processes import PROCESSES, parts
from nibble_core.sheet import LaidSheet
from nibble_core.ticket import fingerprint, sentences
from nibble_core.ticket.model import Machine, Sheet, Ticket
from nibble_core.ticket.sentences import sheet_name
from nibble_core.toolpaths import Definition, Knife, Program, plotted

PLATE_INKS = {
    "white under the print": Ink("White", (0.12, 0.04, 0.0, 0.0)),
    "varnish over the print": Ink("Varnish", (0.0, 0.0, 0.25, 0.0)),
}
"""What presses know plates by, and how a screen shows them."""


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
    formats: Sequence[str] | None = None,
    revision: int | None = None,
    progress: Progress = lambda share, doing: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> list[JobFile]:
    """Of each sheet its print file, if anything is printed, its cut files, and ``manifest.json``.

    formats: keys of the registry; without them what each sheet's machine takes, and a print PDF. revision: of the job,
    told in names and manifest. Raises the first problem of the work, CannotMake for what no format or order is known
    of, FileDisagrees when a file read back is not what was meant, Cancelled."""
    work.require_whole()
    files: list[JobFile] = []
    sheets: list[dict[str, object]] = []
    steps = sum(len(_kinds(ticket, sheet, formats)) for sheet in ticket.sheets) or 1
    done = 0
    for sheet in ticket.sheets:
        last = f"-rev{revision}" if revision is not None else ""
        made: list[JobFile] = []
        for part in sheet_parts(ticket, sheet, work):
            stem = "-".join(filter(None, (_stem(ticket, sheet), slug(part.name, empty=""))))
            found: dict[str, Page] = {}
            pages = purposes(part)
            for purpose, form in _kinds(ticket, sheet, formats):
                if cancelled():
                    raise Cancelled("Making the files was stopped.", "Nothing was kept of them.")
                called = f"{purpose} file" if form.ending == "pdf" else f"{purpose} file as {form.called}"
                progress(min(done / steps, 1.0), f"the {called}")
                assert form.sheets is not None
                meant = pages[purpose]
                if form.sheets.unit:
                    strokes = plotter_strokes(part.program, sheet, meant.height, form.sheets.unit)
                    meant = replace(meant, stroked=strokes)
                content = form.sheets.write(meant)
                page = form.sheets.read(content)
                if form.sheets.pixels:
                    check_size(meant, page, called)
                else:
                    check_page(meant, page, called, tolerance=form.sheets.tolerance, layers=form.sheets.layers)
                    check_same_marks(found.setdefault("first", page), page)
                tail = "-r12" if form.key == "dxf-r12" else ""
                made.append(JobFile(f"{stem}-{slug(purpose)}{tail}{last}.{form.ending}", purpose, content))
                done += 1
        sheets.append(_sheet_facts(ticket, sheet, work, made))
        files += made
    manifest = {
        "job": ticket.name, "client": ticket.client, "ticket": fingerprint(ticket), "revision": revision,
        "says": [sentence.text for sentence in sentences(ticket)], "sheets": sheets,
    }  # fmt: skip
    progress(1.0, "done")
    files.append(JobFile("manifest.json", "manifest", json.dumps(manifest, indent=1).encode()))
    return files


def _stem(ticket: Ticket, sheet: Sheet) -> str:
    """Client, job, the sheet where there are several, and whether it is mirrored."""
    parts = [slug(ticket.client, empty=""), slug(ticket.name), slug(sheet_name(sheet, ticket), empty="")]
    return "-".join(filter(None, [*parts, "mirrored" if sheet.stock.mirrored else ""]))


def _kinds(ticket: Ticket, sheet: Sheet, formats: Sequence[str] | None = None) -> list[tuple[str, Format]]:
    """What is made of a sheet: purpose and format. Raises CannotMake for a format that nobody can write."""
    wanted = ["pdf", *sheet.machine.formats] if formats is None else list(formats)
    kinds: list[tuple[str, Format]] = []
    for key in dict.fromkeys(wanted):
        if key not in SHEET_FORMATS:
            raise CannotMake(
                f"The {sheet.machine.name} wants files of the kind “{key}”, which Nibble does not write."
                if formats is None
                else f"Nibble writes no files of the kind “{key}”.",
                f"{'Give its record' if formats is None else 'Ask for'} one of {', '.join(SHEET_FORMATS)}.",
            )
        form = FORMATS[key]
        assert form.sheets is not None
        for purpose in form.sheets.purposes:
            cuts = formats is not None or key in sheet.machine.formats
            if ticket.prints_on(sheet) if purpose == PRINT else cuts:
                kinds.append((purpose, form))
    return kinds


def sheet_parts(ticket: Ticket, sheet: Sheet, work: Work) -> list[Part]:
    """A sheet's pages and program: one of each, or one for each of its panels."""
    return parts_of(ticket, sheet, work, *pages_of(ticket, sheet, work), program_of(sheet, work))


def purposes(part: Part) -> dict[str, Page]:
    """Pages by what they are for: one size, one origin, the same marks."""
    title = part.printed.title.replace(", print", ", print and cut")
    return {PRINT: part.printed, CUT: part.cut, BOTH: replace(part.printed, stroked=part.cut.stroked, title=title)}


def plotter_page(page: Page, sheet: Sheet, work: Work, unit: float) -> Page:
    """A cut page as a pen plotter is led along it; see ``toolpaths.plotting``."""
    return replace(page, stroked=plotter_strokes(program_of(sheet, work), sheet, page.height, unit))


def plotter_strokes(program: Program, sheet: Sheet, height: float, unit: float) -> tuple[Stroked, ...]:
    """A program as a pen plotter runs it on a page so high, with the sheet's settings."""
    settings = {process: sheet.setting(process) for process in PROCESSES}

    def knife_of(of: Definition) -> Knife:
        own = settings[of.process]
        return Knife(own.blade_offset if parts(of.process) else 0.0, own.overcut, own.corner, own.passes)

    def tool_of(process: str) -> Tool:
        return Tool(sheet.machine.pen(process), settings[process].force, settings[process].speed)

    return tuple(
        Stroked(paths, ink_of(sheet.machine, of), of.process, tool=tool_of(of.process))
        for of, paths in plotted(program, knife_of, height=height, unit=unit)
    )


def pages_of(ticket: Ticket, sheet: Sheet, work: Work) -> tuple[Page, Page]:
    """The print page and the cut page of a sheet: one size, one origin, the same marks."""
    laid = work.sheets[sheet.id].value
    marks = (Filled(laid.marks.paths()),) if laid.marks.places else ()
    printed: list[Picture | Painted] = []
    plates: list[Plate] = []
    for layer in laid.layers:
        places = tuple(placement.at for placement in laid.placements if placement.layer == layer)
        for item in work.prints[layer].value.items:
            if isinstance(item, Shape):
                printed.append(Painted(Bundle.of(item.region.rings), item.colour, places))
            else:
                own = tuple(at.then(place) for place in places for at in item.places)
                printed.append(Picture(item.raster, item.width, item.height, own))
        if work.plates.get(layer):
            rings = Bundle.of([ring for region in work.plates[layer] for ring in region.rings])
            plates.append(Plate(rings, PLATE_INKS[ticket.layer(layer).plate], places))
    beside = Bundle.of([ring for region in caption_of(sheet, ticket, work) for ring in region.rings])
    if len(beside):
        printed.append(Painted(beside, (0, 0, 0), (Affine(),)))
    strokes = tuple(
        Stroked(run.of.paths, ink_of(sheet.machine, run.of), run.of.process, run.places)
        for run in program_of(sheet, work).runs
    )
    return (
        Page(
            laid.width, laid.height, marks, printed=tuple(printed), title=f"{ticket.name}, print", plates=tuple(plates)
        ),
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
        "panels": [
            {"left_mm": round(one.left, 3), "right_mm": round(one.right, 3)} for one in seams(ticket, sheet, work)
        ],
        "placements": _placements(laid, ticket),
        "processes": _processes(sheet, work),
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


def _placements(laid: LaidSheet, ticket: Ticket) -> list[dict[str, object]]:
    """Each copy: its piece and layer, where its origin lies, its turn, and whether it is seen from behind."""
    return [
        {"piece": ticket.piece_of_layer(layer).name, "layer": ticket.layer(layer).name or layer,
         "x_mm": round(at.e, 4), "y_mm": round(at.f, 4), "turn_deg": round(math.degrees(math.atan2(at.b, at.a)), 4),
         "mirrored": at.determinant < 0}
        for layer, at in laid.placements
    ]  # fmt: skip


def _processes(sheet: Sheet, work: Work) -> list[dict[str, object]]:
    """Each process: how many lines its files hold, of what length together, and how they are made."""
    found: dict[str, list[float]] = {}
    for run in program_of(sheet, work).runs:
        count, length = found.setdefault(run.of.process, [0, 0.0])
        found[run.of.process] = [count + len(run.of.paths) * len(run.places), length + run.length]
    told: list[dict[str, object]] = []
    for process, (lines, length) in found.items():
        own = sheet.setting(process)
        told.append({
            "process": process, "lines": int(lines), "length_mm": round(length, 3),
            "spot": sheet.machine.spot(process).ink,
            "pen": sheet.machine.pen(process), "force_g": own.force, "speed_mm_s": own.speed, "passes": own.passes,
            "blade_offset_mm": own.blade_offset, "overcut_mm": own.overcut,
        })  # fmt: skip
    return told
