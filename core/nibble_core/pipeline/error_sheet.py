"""A test sheet that tells what a press and a cutter are off by: printed with marks, cut by them, read on verniers.

At two opposite corners lines are printed in a comb, and cut in another whose teeth stand a little nearer together.
Where a printed and a cut tooth meet, the number beside them is how far the cut lies off there, as on a vernier's scale.
Rulers that are printed tell by how much the press stretches.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from nibble_core.errors import CannotMake, InvalidTicket
from nibble_core.formats.registry import CUT, FORMATS, PRINT
from nibble_core.geometry import Affine, Box, Bundle, Path, Point
from nibble_core.graphics import Filled, Page, Painted
from nibble_core.pipeline.files import JobFile
from nibble_core.pipeline.names import slug
from nibble_core.pipeline.pages import Part, strokes
from nibble_core.pipeline.part_files import write_part
from nibble_core.processes import PROCESSES
from nibble_core.sheet import LaidSheet, Marks
from nibble_core.text import set_line, shipped_font
from nibble_core.ticket import Change
from nibble_core.ticket.heads import KnifeHead
from nibble_core.ticket.model import Machine, Sheet
from nibble_core.toolpaths import Definition, Program, Run

WIDE, HIGH = 200.0, 280.0  # mm, where there is so much room
TEETH, PITCH, STEP = 10, 2.0, 0.05  # to each side; mm from one to the next; mm more, of those that are cut
TOOTH, LINE = 5.0, 0.2  # mm: how long, and how wide those that are printed
RULER, TICK = 20.0, 6.0  # mm from the marks that the ruler begins; of its ends
EDGE = 16.0  # mm from the marks to the combs
NUMBERS = 2.2  # mm of capitals
FURTHEST = TEETH * STEP
LEAST = 0.02  # mm, less than a vernier tells
MOST_STRETCH = 5.0  # per cent


@dataclass(frozen=True)
class Learnt:
    """What a test sheet told: by how many per cent a print comes out larger across and along, None where a ruler was
    not measured, and how far a mark is found off, mm."""

    across: float | None
    along: float | None
    camera: float

    def changes(self, sheet: Sheet) -> tuple[Change, ...]:
        """That put it into the record of a sheet's machine, as the job has it."""
        at = f"sheets/{sheet.id}/machine/head"
        told = {"stretch_across": self.across, "stretch_along": self.along, "camera_error": self.camera}
        return tuple(Change(f"{at}/{name}", value) for name, value in told.items() if value is not None)


def size_of(machine: Machine) -> tuple[float, float]:
    """Of a test sheet, mm."""
    return min(WIDE, machine.usable_width), min(HIGH, machine.usable_length)


def ruler_of(machine: Machine) -> tuple[float, float]:
    """How long the printed rulers are, across and along, mm: whole centimetres."""
    width, height = size_of(machine)
    across, along = (10.0 * math.floor((side - 2 * RULER) / 10) for side in (width, height))
    return across, along


def error_sheet(sheet: Sheet) -> list[JobFile]:
    """The print file and every cut file that a sheet's machine takes. Raises CannotMake for a machine that has no
    camera to find marks with, or too little room."""
    machine = sheet.machine
    if not isinstance(machine.head, KnifeHead):
        raise CannotMake("A test sheet is for a cutter that finds marks.", "A kerf comb measures a beam.")
    if min(size_of(machine)) < 100:
        raise CannotMake("This machine is too small for a test sheet.", "It takes 100 mm each way.")
    part = _part(sheet)
    stem = f"{slug(machine.name)}-test-sheet"
    content, _ = write_part(part, PRINT, FORMATS["pdf"], sheet, "print file")
    files = [JobFile(f"{stem}-print.pdf", PRINT, content)]
    for key in machine.formats:
        form = FORMATS[key]
        if form.sheets is not None and CUT in form.purposes:
            content, _ = write_part(part, CUT, form, sheet, "cut file")
            files.append(JobFile(f"{stem}-cut{form.tail}.{form.ending}", CUT, content))
    return files


def learnt(machine: Machine, readings: Sequence[float], across: float | None, along: float | None) -> Learnt:
    """What four readings, mm across and down at the upper left and at the lower right, and the rulers as measured, mm,
    where they were, tell. Raises InvalidTicket for what no test sheet of this machine shows."""
    if len(readings) != 4 or any(not abs(one) <= FURTHEST + 1e-9 for one in readings):
        raise InvalidTicket(
            f"A vernier reads from -{FURTHEST:g} to {FURTHEST:g} mm.", "Read the number where two lines meet."
        )
    stretches = [
        None if told is None else round(100 * (told / true - 1), 2)
        for told, true in zip((across, along), ruler_of(machine), strict=True)
    ]
    if not all(one is None or abs(one) <= MOST_STRETCH for one in stretches):
        raise InvalidTicket(
            f"The rulers are {ruler_of(machine)[0]:g} and {ruler_of(machine)[1]:g} mm long; no print stretches so far.",
            "Measure them from end to end.",
        )
    camera = math.sqrt(sum(one * one for one in readings) / len(readings))
    return Learnt(stretches[0], stretches[1], round(max(camera, LEAST), 2))


def _part(sheet: Sheet) -> Part:
    width, height = size_of(sheet.machine)
    half = sheet.mark_diameter / 2
    corners = [(half, half), (half, height - half), (width - half, height - half), (width - half, half)]
    marks = Marks(tuple(Point(*one) for one in corners), sheet.mark_diameter, sheet.mark_shape, (width / 2, height / 2))
    laid = LaidSheet(width, height, (), marks)
    inner = sheet.mark_diameter + EDGE
    ink: list[Path] = []
    cuts: list[Path] = []
    for x, y in ((inner, inner), (width - inner, height - inner)):
        _comb(ink, cuts, x, y, across=True, inward=1 if x < width / 2 else -1)
        _comb(ink, cuts, x, y, across=False, inward=1 if y < height / 2 else -1)
    _rulers(ink, sheet.machine, width, height)
    printed = Painted(Bundle.of(ink), (0, 0, 0), (Affine(),))
    program = Program((Run(Definition("combs", _process(sheet.machine), Bundle.of(cuts)), (Affine(),)),))
    title = f"{sheet.machine.name}, test sheet"
    box = Box(0, 0, width, height)
    return Part(
        "", laid, Page(width, height, (Filled(marks.paths()),), (), (printed,), f"{title}, print", trim=box, bleed=box),
        Page(width, height, (Filled(marks.paths()),), strokes(program, sheet.machine), title=f"{title}, cut"), program,
    )  # fmt: skip


def _process(machine: Machine) -> str:
    """The lightest cut that a machine makes of an edge."""
    return min((name for name, one in PROCESSES.items() if one.edges and machine.makes(name)),
               key=lambda name: PROCESSES[name].order)  # fmt: skip


def _comb(ink: list[Path], cuts: list[Path], x: float, y: float, *, across: bool, inward: int) -> None:
    """A vernier whose zero lies beside x, y: it tells how far cuts lie to the right, or down. Its teeth reach away from
    the corner, printed ones first, each tenth with its number."""
    far = PITCH * TEETH + 2 * TOOTH  # clear of the other comb
    middle = (x + inward * far, y) if across else (x, y + inward * far)
    out = -1 if (y if across else x) > 100 else 1

    def at(along: float, off: float) -> tuple[float, float]:
        """A place so far along the comb, and off it towards the sheet's middle."""
        return (middle[0] + along, middle[1] + out * off) if across else (middle[0] + out * off, middle[1] + along)

    for k in range(-TEETH, TEETH + 1):
        place = k * PITCH
        longer = TOOTH * (1.4 if k % 5 == 0 else 1.0)
        ink.append(_bar(at(place, 0.0), at(place, -longer), LINE))
        cut = k * (PITCH - STEP)  # a cut that lies off by k steps meets the k-th printed tooth
        cuts.append(Path.polygon([at(cut, 0.0), at(cut, TOOTH)], closed=False))
        if k % 5 == 0:
            ink += _number(k * STEP, at(place, -1.4 * TOOTH - (2.4 if across else 4.2)))


def _bar(start: tuple[float, float], end: tuple[float, float], width: float) -> Path:
    dx, dy = end[0] - start[0], end[1] - start[1]
    long = math.hypot(dx, dy)
    nx, ny = -dy / long * width / 2, dx / long * width / 2
    return Path.polygon([
        (start[0] + nx, start[1] + ny), (end[0] + nx, end[1] + ny), (end[0] - nx, end[1] - ny),
        (start[0] - nx, start[1] - ny),
    ])  # fmt: skip


def _number(value: float, place: tuple[float, float]) -> list[Path]:
    text = f"{value:+.2f}" if value else "0"
    line = set_line(shipped_font("condensed"), text, NUMBERS)
    down = Affine.translation(place[0], place[1] + NUMBERS / 2)
    return [ring.mapped(down) for region in line.regions for ring in region.rings]


def _rulers(ink: list[Path], machine: Machine, width: float, height: float) -> None:
    across, along = ruler_of(machine)
    left, top = (width - across) / 2, (height - along) / 2
    x, y = width / 2 + 12, height / 2
    ink += [_bar((left, y), (left + across, y), LINE), _bar((x, top), (x, top + along), LINE)]
    for at in (left, left + across):
        ink.append(_bar((at, y - TICK / 2), (at, y + TICK / 2), LINE))
    for at in (top, top + along):
        ink.append(_bar((x - TICK / 2, at), (x + TICK / 2, at), LINE))
    for value, place in ((across, (width / 4, y - 4)), (along, (x + 10, height / 4))):
        line = set_line(shipped_font("condensed"), f"{value:g} mm", NUMBERS)
        shift = Affine.translation(*place)
        ink += [ring.mapped(shift) for region in line.regions for ring in region.rings]
