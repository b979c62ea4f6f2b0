"""Stage *write*: the job files of every sheet, each read back before it is offered."""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import chain, count
from typing import Any

from nibble_core.checks.readback import check_same_marks
from nibble_core.errors import Cancelled, CannotMake, DoesNotFit, FileDisagrees, NibbleError
from nibble_core.formats.registry import FORMATS, PRINT, SHEET_FORMATS, Format
from nibble_core.graphics import Page
from nibble_core.pipeline.heads import work_of
from nibble_core.pipeline.names import file_name, slug
from nibble_core.pipeline.pages import Part, parts_of
from nibble_core.pipeline.part_files import write_part
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sheets import program_of
from nibble_core.sheet import LaidSheet
from nibble_core.ticket import fingerprint, sentences
from nibble_core.ticket.heads import DrivenHead
from nibble_core.ticket.library import USUAL_NAMES
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.ticket.sentences import sheet_name


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


@dataclass(frozen=True)
class Refused:
    """A file that was not made: its name, and why."""

    name: str
    error: NibbleError


@dataclass(frozen=True)
class MadeFiles:
    """Finished files, and those that were refused."""

    files: tuple[JobFile, ...]
    refused: tuple[Refused, ...] = ()


def write_files(ticket: Ticket, work: Work, **options: Any) -> list[JobFile]:
    """The files of ``make_files``, or its first refusal."""
    made = make_files(ticket, work, **options)
    if made.refused:
        raise made.refused[0].error
    return list(made.files)


def make_files(
    ticket: Ticket,
    work: Work,
    *,
    formats: Sequence[str] | None = None,
    revision: int | None = None,
    names: str = USUAL_NAMES,
    progress: Progress = lambda share, doing: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> MadeFiles:
    """Of each sheet its print file, if anything is printed, its cut files, and ``manifest.json``.

    formats: keys of the registry; without them what each sheet's machine takes, and a print PDF. revision: of the job,
    stated in names and manifest. names: pattern of the files' names; see ``names.file_name``. A file that cannot be
    made, or is not what was meant when read back, is refused by itself. Raises the first problem of the work, the first
    refusal where no file is left, CannotMake for a format that nobody writes, Cancelled."""
    work.require_whole()
    every = [(sheet, parts_of(ticket, sheet, work), _kinds(ticket, sheet, formats)) for sheet in ticket.sheets]
    steps = sum(len(parts) * len(kinds) for _, parts, kinds in every) or 1
    last = f"rev{revision}" if revision is not None else ""
    files: list[JobFile] = []
    refused: list[Refused] = []
    sheets: list[dict[str, object]] = []
    for sheet, parts, kinds in every:
        before = len(files)
        for part in parts:
            words = _words(ticket, sheet) | {"panel": slug(part.name, empty=""), "rev": last}
            first: Page | None = None
            for purpose, form in kinds:
                if cancelled():
                    raise Cancelled("Making the files was stopped.", "Nothing was kept of them.")
                called = f"{purpose} file" if form.ending == "pdf" else f"{purpose} file as {form.called}"
                progress(len(files) / steps, f"the {called}")
                try:
                    if form.heads is not None:
                        made, page = _written_moves(ticket, sheet, work, parts, form, called, revision), None
                    else:
                        content, page = write_part(part, purpose, form, sheet, called)
                        made = [("", content)]
                    if page is not None:
                        page = part.at_true_size(purpose, page)
                        check_same_marks(first or page, page)
                except (FileDisagrees, CannotMake, DoesNotFit) as error:
                    name = file_name(names, words | {"purpose": f"{slug(purpose)}{form.tail}"}, form.ending)
                    refused.append(Refused(_unlike(name, [*files, *refused]), error))
                    continue
                first = first or page
                for more, content in made:
                    name = file_name(names, words | {"purpose": f"{slug(purpose)}{form.tail}{more}"}, form.ending)
                    files.append(JobFile(_unlike(name, [*files, *refused]), purpose, content))
        sheets.append(_sheet_facts(ticket, sheet, work, parts, files[before:]))
    if refused and not files:
        raise refused[0].error
    progress(1.0, "done")
    files.append(_manifest(ticket, revision, sheets, refused))
    return MadeFiles(tuple(files), tuple(refused))


def _manifest(
    ticket: Ticket, revision: int | None, sheets: Sequence[Mapping[str, object]], refused: Sequence[Refused]
) -> JobFile:
    """What was made of which ticket, and what was not."""
    says = {
        "job": ticket.name, "client": ticket.client, "ticket": fingerprint(ticket), "revision": revision,
        "says": [sentence.text for sentence in sentences(ticket)], "sheets": sheets,
        "refused": [{"name": one.name, "why": one.error.message} for one in refused],
    }  # fmt: skip
    return JobFile("manifest.json", "manifest", json.dumps(says, indent=1).encode())


def _written_moves(
    ticket: Ticket, sheet: Sheet, work: Work, parts: Sequence[Part], form: Format, called: str, revision: int | None
) -> list[tuple[str, bytes]]:  # fmt: skip
    """Files of moves: what each is called beside the job, and its content."""
    if len(parts) > 1:
        raise CannotMake(
            f"Panels cannot be sent as {form.called}.", "Make the sheet in one, or choose another machine."
        )
    return work_of(sheet.machine).write_moves(ticket, sheet, work, form, called, revision)


def _words(ticket: Ticket, sheet: Sheet) -> dict[str, str]:
    """Client, job, the sheet where there are several, and whether it is mirrored."""
    return {
        "client": slug(ticket.client, empty=""), "job": slug(ticket.name),
        "sheet": slug(sheet_name(sheet, ticket), empty=""),
        "mirrored": "mirrored" if sheet.is_mirrored and not sheet.behind else "",
    }  # fmt: skip


def _unlike(name: str, others: Sequence[JobFile | Refused]) -> str:
    """A name that no other file has: numbered where a pattern does not tell them apart."""
    taken = {one.name for one in others}
    stem, _, ending = name.rpartition(".")
    numbered = (f"{stem}-{n}.{ending}" for n in count(2))
    return next(one for one in chain([name], numbered) if one not in taken)


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
        for purpose in form.purposes:
            cuts = formats is not None or key in sheet.machine.formats
            if ticket.prints_on(sheet) if purpose == PRINT else cuts:
                kinds.append((purpose, form))
    return kinds


def _sheet_facts(
    ticket: Ticket, sheet: Sheet, work: Work, parts: list[Part], files: list[JobFile]
) -> dict[str, object]:
    laid = work.sheets[sheet.id].laid.value
    return {
        "sheet": sheet_name(sheet, ticket) or "sheet 1",
        "holds": [
            {"piece": ticket.piece_of_layer(held.layer).name, "layer": ticket.layer(held.layer).name,
             "copies": laid.copies_of(held.layer)}
            for held in sheet.holds
        ],
        "panels": [
            {"left_mm": round(strip.left, 3), "right_mm": round(strip.right, 3), "marks": _marks(part.laid)}
            for strip, part in zip(work.sheets[sheet.id].panels, parts, strict=True)
        ],
        "placements": _placements(laid, ticket),
        "processes": _processes(sheet, work),
        "stock": sheet.stock.name,
        "machine": sheet.machine.name,
        "mirrored": sheet.is_mirrored,
        "print_scale": [round(share, 6) for share in sheet.print_scale],
        "width_mm": round(laid.width, 3),
        "height_mm": round(laid.height, 3),
        "used": None if laid.used is None else {
            "corner": _corner(sheet), "width_mm": round(laid.used[0], 3), "height_mm": round(laid.used[1], 3),
        },
        "copies": laid.copies,
        "sheets_to_run": laid.times,
        "behind": sheet_name(ticket.first_side(sheet), ticket) if sheet.behind else None,
        "marks": _marks(laid),
        "mark_diameter_mm": sheet.mark_diameter,
        "mark_shape": laid.marks.shape,
        "files": [{"name": f.name, "purpose": f.purpose, "bytes": len(f.content), "sha256": f.sha256} for f in files],
    }  # fmt: skip


def _corner(sheet: Sheet) -> str | None:
    head = sheet.machine.head
    return head.origin if isinstance(head, DrivenHead) else None


def _marks(laid: LaidSheet) -> list[dict[str, float]]:
    return [{"x_mm": round(x, 3), "y_mm": round(y, 3)} for x, y in laid.marks.places]


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
            "pen": sheet.machine.pen(process), "force_g": own.by_knife.force, "speed_mm_s": own.speed,
            "passes": own.passes, "blade_offset_mm": own.by_knife.blade_offset, "overcut_mm": own.by_knife.overcut,
            "power": own.by_beam.power, "kerf_mm": own.kerf,
        })  # fmt: skip
    return told
