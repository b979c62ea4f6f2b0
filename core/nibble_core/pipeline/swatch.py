"""Finding settings: a test swatch, a labelled grid whose best cell is taken over, and a comb that measures the kerf."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import shapely

from nibble_core.errors import CannotMake, InvalidTicket
from nibble_core.formats.registry import FORMATS
from nibble_core.geometry import Affine, Box, Bundle, Path, Region
from nibble_core.geometry.regions import union
from nibble_core.geometry.units import format_number
from nibble_core.pipeline.beams import beam_of, corner_of, run_of
from nibble_core.pipeline.head_files import write_run
from nibble_core.processes import ENGRAVE, PROCESSES, SHAPE, THROUGH_CUT, takes
from nibble_core.sheet import LaidSheet, Marks
from nibble_core.text import set_line, shipped_font
from nibble_core.ticket.line import AreaFill
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.toolpaths import Definition, Program, Run
from nibble_core.toolpaths.beam import Beam
from nibble_core.toolpaths.hatching import hatched
from nibble_core.toolpaths.planning import planned_job

CELL, APART = 9.0, 3.0  # mm: a square of the grid, and the space between
EDGE = 8.0  # mm round all
CAPITALS = 2.4  # mm
ROOM = 12.0  # mm for the captions at the left and above
MOST_CELLS = 12  # across or down
ACROSS = {"speed": "mm/s", "interval": "mm apart", "passes": "passes"}
TOOTH, SLOT = 14.0, 16.0  # mm: from slot to slot, and how deep they are
CAPTION_SPEED, CAPTION_POWER = 100.0, 0.25


@dataclass(frozen=True)
class Grid:
    """What a swatch tries: powers (shares) down, and speeds, intervals or passes across. Checked by ``checked``."""

    process: str
    powers: tuple[float, ...]
    across: str
    values: tuple[float, ...]

    def checked(self) -> Grid:
        """Itself. Raises InvalidTicket for what no swatch can be made of."""
        if self.across not in ACROSS:
            raise InvalidTicket(f"A swatch cannot go across by “{self.across}”.", f"Choose {', '.join(ACROSS)}.")
        tried = [key for key, one in PROCESSES.items() if one.swatch]
        if self.process not in tried:
            raise InvalidTicket(f"A swatch cannot try “{self.process}”.", f"Choose {', '.join(tried)}.")
        if not 1 <= len(self.powers) <= MOST_CELLS or not 1 <= len(self.values) <= MOST_CELLS:
            raise InvalidTicket("A swatch has 1 to 12 cells across and down.", "Try fewer.")
        low, high = {"speed": (1, 5000), "interval": (0.02, 5), "passes": (1, 20)}[self.across]
        if not all(0 < power <= 1 for power in self.powers) or not all(low <= value <= high for value in self.values):
            raise InvalidTicket(
                f"Powers go from above 0 to 100 %, {ACROSS[self.across]} from {low} to {high}.", "Correct them."
            )
        return self


def swatch(ticket: Ticket, sheet: Sheet, grid: Grid) -> bytes:
    """The G-code of a swatch with the sheet's other settings. Raises InvalidTicket, CannotMake, FileDisagrees."""
    grid.checked()
    if not sheet.machine.makes(grid.process):
        raise CannotMake(f"The {sheet.machine.name} has no entry for {grid.process}.", "Choose what it can do.")
    own = sheet.setting(grid.process)
    how = own.by_beam
    interval = _interval(ticket, sheet)
    tools: dict[str, Beam] = {}
    made: list[Definition] = []
    for row, power in enumerate(grid.powers):
        for column, value in enumerate(grid.values):
            left, top = EDGE + ROOM + column * (CELL + APART), EDGE + ROOM + row * (CELL + APART)
            square = shapely.box(left, top, left + CELL, top + CELL)
            speed = value if grid.across == "speed" else float(how.speed or CAPTION_SPEED)
            passes = int(value) if grid.across == "passes" else how.passes
            gap = value if grid.across == "interval" else interval
            setting = replace(own, how=replace(how, power=power, speed=max(1, round(speed)), passes=passes))
            if takes(grid.process) == SHAPE:
                cell = Definition(f"{row},{column}", grid.process, hatched(square, gap), rank=1, filled=True)
            else:
                ring = Path.polygon(shapely.get_coordinates(square.exterior)[:-1])
                cell = Definition(f"{row},{column}", grid.process, Bundle.of([ring]))
            made.append(cell)
            tools[cell.id] = beam_of(setting, cell, sheet.machine)
    made += _captions(grid, tools, sheet, made)
    wide = 2 * EDGE + ROOM + len(grid.values) * (CELL + APART)
    high = 2 * EDGE + ROOM + len(grid.powers) * (CELL + APART)
    says = [f"{ticket.name}, test swatch of {grid.process}: power down, {ACROSS[grid.across]} across"]
    return written_test(sheet, made, lambda one: tools[one.id], wide, high, says)


def kerf_comb(ticket: Ticket, sheet: Sheet, thickness: float, kerfs: Sequence[float]) -> bytes:
    """The G-code of a comb, cut on its lines: the slot named after a kerf is as wide as the material is thick, less
    that kerf, so that the one the material just goes into tells the kerf. Raises InvalidTicket, CannotMake,
    FileDisagrees."""
    if not 1 <= len(kerfs) <= 20 or not all(0 <= kerf < thickness for kerf in kerfs):
        raise InvalidTicket("Kerfs go from 0 to less than the thickness, 1 to 20 of them.", "Correct them.")
    if not 0 < thickness <= 50:
        raise InvalidTicket("The thickness goes from above 0 to 50 mm.", "Measure the material.")
    own = sheet.setting(THROUGH_CUT)
    cut = replace(own, how=replace(own.by_beam, kerf=0.0))
    wide, high = TOOTH * len(kerfs) + TOOTH, SLOT + 18.0
    points = [(EDGE, EDGE)]
    for number, kerf in enumerate(kerfs):
        middle, half = EDGE + TOOTH * (number + 1), (thickness - kerf) / 2
        points += [
            (middle - half, EDGE),
            (middle - half, EDGE + SLOT),
            (middle + half, EDGE + SLOT),
            (middle + half, EDGE),
        ]
    points += [(EDGE + wide, EDGE), (EDGE + wide, EDGE + high), (EDGE, EDGE + high)]
    comb = Definition("comb", THROUGH_CUT, Bundle.of([Path.polygon(points)]))
    tools = {comb.id: beam_of(cut, comb, sheet.machine)}
    made = [comb]
    caption = _caption_beam(sheet)
    for number, kerf in enumerate(kerfs):
        words = _words(format_number(kerf, 2), EDGE + TOOTH * (number + 1), EDGE + SLOT + 6.0, middle=True)
        one = Definition(f"kerf {number}", ENGRAVE, hatched(union(words), 0.2), filled=True)
        made.append(one)
        tools[one.id] = caption
    says = [f"{ticket.name}, kerf comb for {format_number(thickness, 2)} mm"]
    return written_test(sheet, made, lambda one: tools[one.id], wide + 2 * EDGE, high + 2 * EDGE, says)


def _captions(grid: Grid, tools: dict[str, Beam], sheet: Sheet, made: Sequence[Definition]) -> list[Definition]:
    """Powers at the left and values above, engraved."""
    said = [
        _words(
            f"{format_number(100 * power, 0)} %", EDGE + ROOM - 2.0, EDGE + ROOM + row * (CELL + APART) + CELL / 2 + 1.2
        )
        for row, power in enumerate(grid.powers)
    ]
    said += [
        _words(
            format_number(value, 2), EDGE + ROOM + column * (CELL + APART) + CELL / 2, EDGE + ROOM - 2.5, middle=True
        )
        for column, value in enumerate(grid.values)
    ]
    found = []
    for number, words in enumerate(said):
        one = Definition(f"caption {number}", ENGRAVE, hatched(union(words), 0.2), filled=True)
        tools[one.id] = _caption_beam(sheet)
        found.append(one)
    return found


def _caption_beam(sheet: Sheet) -> Beam:
    own = sheet.setting(ENGRAVE).by_beam
    power, speed = own.power or CAPTION_POWER, float(own.speed or CAPTION_SPEED)
    return Beam(ENGRAVE, power, speed, 1, min(own.overscan, EDGE / 2))


def _words(text: str, x: float, baseline: float, *, middle: bool = False) -> list[Region]:
    """Outlines of a caption that ends, or has its middle, at x."""
    line = set_line(shipped_font("condensed"), text, CAPITALS)
    shift = x - (line.box.left + line.box.right) / 2 if middle else x - line.box.right
    place = Affine.translation(shift, baseline - line.box.bottom)
    return [region.mapped(place) for region in line.regions]


def _interval(ticket: Ticket, sheet: Sheet) -> float:
    """Of the first engraved area on the sheet."""
    lines = [line for held in sheet.holds for line in ticket.layer(held.layer).lines]
    return next((line.fill.interval for line in lines if isinstance(line.fill, AreaFill)), 0.1)


def written_test(
    sheet: Sheet, made: Sequence[Definition], tool_of: Callable[[Definition], Beam], wide: float, high: float,
    says: list[str],
) -> bytes:  # fmt: skip
    """G-code of something small at the machine's origin. Raises CannotMake for what is larger than the bed."""
    if wide > sheet.machine.usable_width or high > sheet.machine.usable_length:
        raise CannotMake(f"This test is {wide:.0f} × {high:.0f} mm: the bed is smaller.", "Try fewer cells.")
    laid = LaidSheet(wide, high, (), Marks())
    start = corner_of(sheet.machine, Box(0.0, 0.0, wide, high))
    program = Program(tuple(Run(one, (Affine(),)) for one in made))
    job = planned_job(laid, program, tool_of, start=start)
    return write_run(run_of(job, start, sheet.machine), sheet, FORMATS["gcode"], says, "test")
