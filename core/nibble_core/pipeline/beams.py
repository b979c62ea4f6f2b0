"""Stages *beam lines* and *beam job*: what a machine with a beam follows, and every move it makes.

Lines that part material are moved by half the kerf to their waste side, small parts are held by micro-ties, and closed
cuts get lead-ins; then the order is found, the moves are spelt out and timed.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.checks.beams import beyond_bed, out_of_order, over_clamps
from nibble_core.errors import CannotMake
from nibble_core.geometry import Affine, Box, Bundle, Path, Point
from nibble_core.lines.contour import in_chords
from nibble_core.lines.ties import tied
from nibble_core.pipeline.beam_results import BeamLines, BeamNote, BeamRun
from nibble_core.pipeline.clicks import nearest_rings
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.lines import DrawnLine, LayerResult, rings_of
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.room import spacing_of
from nibble_core.pipeline.sheets import keyed_program, own_lines
from nibble_core.pipeline.store import Keyed, ResultStore, derived, stage
from nibble_core.pipeline.turning import axes_of
from nibble_core.processes import PIECE, freeing, frees, is_sent
from nibble_core.sheet import LaidSheet
from nibble_core.ticket.heads import BeamHead, DrivenHead
from nibble_core.ticket.line import ThroughCut
from nibble_core.ticket.model import Machine, Setting, Sheet, Ticket, setting_of
from nibble_core.toolpaths import Definition, Program
from nibble_core.toolpaths.beam import Beam, BeamJob, moves_of
from nibble_core.toolpaths.kerf import Compensated, compensated
from nibble_core.toolpaths.leads import Courses, led, led_stretch
from nibble_core.toolpaths.motion import Drive, seconds_by_tool, timed, travelled
from nibble_core.toolpaths.planning import planned_job, sweepable

CHORD = 0.004  # mm
LEAST_SAVED = 1 / 120  # minutes
NO_LEAD, NO_MICRO_TIES = "no lead-in", "no micro-ties"


@dataclass(frozen=True)
class Burning:
    """What a beam's following of lines depends on. cuts: how each process that frees a piece is made. rules: of each
    layer its through cuts, by line. gap: mm between copies. preview: in chords, as its lines are."""

    cuts: tuple[Setting, ...]
    head: BeamHead
    micro_ties: str
    micro_tie: float
    rules: tuple[tuple[str, tuple[tuple[str, ThroughCut], ...]], ...]
    gap: float
    preview: bool

    def of(self, line: DrawnLine) -> Setting:
        """How a line that frees a piece is cut."""
        return next(one for one in self.cuts if one.process == line.process)


@dataclass(frozen=True)
class Planning:
    """What a beam's moves depend on, beside what it follows."""

    grouping: str
    settings: tuple[Setting, ...]
    machine: Machine
    turned: bool = False


@dataclass(frozen=True, eq=False)
class BurntLayer:
    """A layer as a beam finds it: its lines, all that a copy of it fills, and its piece."""

    drawn: LayerResult
    footprint: BaseGeometry
    piece: PieceResult


def beam_lines(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work, *, preview: bool) -> Keyed[BeamLines]:
    """What a beam follows on each layer of a laid sheet."""
    layers = [ticket.layer(one.layer) for one in sheet.holds]
    rules = tuple(
        (own.id, tuple((line.id, line.process) for line in own.lines if isinstance(line.process, ThroughCut)))
        for own in layers
    )
    gap = min([spacing_of(ticket, sheet), *(near.apart for near in work.sheets[sheet.id].crowded)])
    cuts = tuple(sheet.setting(one) for one in freeing(PIECE))
    by = Burning(cuts, sheet.machine.head_as(BeamHead), sheet.micro_ties, sheet.micro_tie, rules, gap, preview)
    found = [
        derived(_burnt_layer, None, work.layers[one.id].laid, work.layers[one.id].footprint,
                work.pieces[ticket.piece_of_layer(one.id).id])
        for one in layers
    ]  # fmt: skip
    return stage(store, _burnt, by, *found)


def _burnt_layer(_: None, drawn: LayerResult, shape: BaseGeometry, piece: PieceResult) -> BurntLayer:
    return BurntLayer(drawn, shape, piece)


def _burnt(by: Burning, *layers: BurntLayer) -> BeamLines:
    notes: dict[str, list[BeamNote]] = {id: [] for id, _ in by.rules}
    made = {
        id: tuple(_followed(by, dict(rules), layer, notes[id]))
        for (id, rules), layer in zip(by.rules, layers, strict=True)
    }
    return BeamLines(made, tuple(replace(one, layer=id) for id, own in notes.items() for one in own))


def plan_beam(ticket: Ticket, sheet: Sheet, store: ResultStore, work: Work) -> Keyed[BeamRun] | None:
    """Every move of a sheet's beam, where its settings tell power and speed of all it does, and it does all."""
    if missing_settings(sheet, work) or not all(sheet.machine.makes(one) for one in _followed_processes(sheet, work)):
        return None
    if ticket.turns(sheet) and not sheet.machine.turns:  # told at Sheet
        return None
    by = Planning(sheet.grouping, sheet.settings, sheet.machine, ticket.turns(sheet))
    program = keyed_program(sheet, work, sheet.shared)
    return stage(store, _planned, by, work.sheets[sheet.id].laid, program)


def _planned(by: Planning, laid: LaidSheet, program: Program) -> BeamRun:
    start = (0.0, 0.0) if by.turned else _start(by.machine, laid, program)

    def planned(sweeping: bool) -> BeamRun:
        job = planned_job(
            laid, program, lambda one: beam_of(setting_of(one.process, by.settings, by.machine), one, by.machine),
            grouping=by.grouping, start=start, sweeping=sweeping,
        )  # fmt: skip
        return turned_run(job, laid, by.machine) if by.turned else run_of(job, start, by.machine)

    each = planned(False)
    if by.grouping != "process by process" or not sweepable(program):
        return each
    swept = planned(True)
    saved = each.minutes - swept.minutes
    return replace(swept, saved=saved) if saved > LEAST_SAVED else each


def run_of(job: BeamJob, start: tuple[float, float], machine: Machine) -> BeamRun:
    """What a machine makes of a job, with its origin at a place on the sheet."""
    moves = moves_of(job, start)
    when = timed(moves, drive_of(machine))
    return BeamRun(job, start, moves, when, tuple(seconds_by_tool(moves, when).tolist()), travelled(moves))


def turned_run(job: BeamJob, laid: LaidSheet, machine: Machine) -> BeamRun:
    """The same of a machine that turns what it makes, from the rim at the middle of the handle or seam. Where a turn is
    counted otherwise than mm, no arc would stay one: they are run as chords."""
    axes = axes_of(machine, laid)
    if not axes.is_similarity:
        job = replace(job, paths=Bundle.polylines(*job.paths.flattened(CHORD)))
    return replace(run_of(job, (0.0, 0.0), machine), axes=axes)


def check_beam(sheet: Sheet, work: Work) -> None:
    """Raises DoesNotFit or CannotMake for moves that would spoil the work or the machine."""
    made = work.beam_run_of(sheet.id)
    if made is None:
        return
    run, machine = made.value, sheet.machine
    out_of_order(run.job)
    if run.axes is not None:
        _check_along(run, machine)
        return
    if machine.head_as(DrivenHead).origin_of == "the job":  # where it will lie on the bed is not known
        return
    bed = bed_of(machine, run.start)
    beyond_bed(run.moves, bed)
    over_clamps(run.moves, clamps_on(sheet, bed))


def _check_along(run: BeamRun, machine: Machine) -> None:
    """Raises DoesNotFit for a head that would run further along the thing than its bed is wide. Round it there is no
    end."""
    reach = Box(-math.inf, -machine.usable_width, math.inf, machine.usable_width)
    beyond_bed(run.moves, reach)


def bed_of(machine: Machine, start: tuple[float, float]) -> Box:
    """The bed on the sheet, which lies with the machine's origin at ``start``."""
    wide, high, origin = machine.usable_width, machine.usable_length, machine.head_as(DrivenHead).origin
    x, y = start
    if origin == "the centre":
        return Box(x - wide / 2, y - high / 2, x + wide / 2, y + high / 2)
    left = x if "left" in origin else x - wide
    top = y if "upper" in origin else y - high
    return Box(left, top, left + wide, top + high)


def clamps_on(sheet: Sheet, bed: Box) -> list[Box]:
    """Every clamp where it lies on a sheet under which a bed lies so."""
    return [
        Box(bed.left + one.x, bed.top + one.y, bed.left + one.x + one.width, bed.top + one.y + one.height)
        for one in sheet.every_clamp
    ]


def missing_settings(sheet: Sheet, work: Work) -> list[str]:
    """Processes on a sheet whose power or speed nobody has set."""
    return [
        process for process in _followed_processes(sheet, work)
        if is_sent(process) and sheet.machine.makes(process)
        and (sheet.setting(process).by_beam.power is None or sheet.setting(process).speed is None)
    ]  # fmt: skip


def _followed_processes(sheet: Sheet, work: Work) -> list[str]:
    """Of all lines of a sheet that a beam follows."""
    own = work.sheets.get(sheet.id)
    if own is None or own.beam_lines is None:
        return []
    some = [one for followed in own.beam_lines.value.definitions.values() for one in followed]
    return list(dict.fromkeys(one.process for one in (*some, *own_lines(sheet, work)) if len(one.paths)))


def beam_of(own: Setting, of: Definition, machine: Machine) -> Beam:
    """How a definition is burnt on a machine. Raises CannotMake without power and speed."""
    how = own.by_beam
    if how.power is None or how.speed is None:
        raise CannotMake(f"Nobody has set power and speed for {own.process}.", "Set them at Machine.")
    pierces, moved = how.pierce > 0 and not of.filled, machine.head_as(BeamHead).moves_height
    heights = (max(how.pierce_height, how.focus) if pierces else how.focus, how.focus) if moved else None
    return Beam(
        own.process, how.power, float(how.speed), how.passes, how.overscan if of.filled else 0.0, how.pierce,
        how.air == "with air", how.focus, of.rank, how.warm_up, heights,
    )  # fmt: skip


def drive_of(machine: Machine) -> Drive:
    """What moves a machine's head."""
    head = machine.head_as(DrivenHead)
    return Drive(float(head.acceleration), float(head.fastest), float(head.jump))


def _start(machine: Machine, laid: LaidSheet, program: Program) -> tuple[float, float]:
    """The machine's origin as a place on the sheet: a corner or the middle of it, or of what is burnt on it."""
    box = Box(0.0, 0.0, laid.width, laid.height)
    if machine.head_as(DrivenHead).origin_of == "the job":
        boxes = [_mapped(run.of.paths.bounds(), at) for run in program.runs if len(run.of.paths) for at in run.places]
        box = Box.around(boxes) if boxes else box
    return corner_of(machine, box)


def corner_of(machine: Machine, box: Box) -> tuple[float, float]:
    """A machine's origin on a box that lies with it: a corner, or the middle."""
    origin = machine.head_as(DrivenHead).origin
    if origin == "the centre":
        return (box.left + box.right) / 2, (box.top + box.bottom) / 2
    return box.left if "left" in origin else box.right, box.top if "upper" in origin else box.bottom


def _mapped(box: Box, at: Affine) -> Box:
    corners = at.map(np.array([(x, y) for x in (box.left, box.right) for y in (box.top, box.bottom)]))
    (left, top), (right, bottom) = corners.min(0).tolist(), corners.max(0).tolist()
    return Box(left, top, right, bottom)


def _followed(by: Burning, rules: dict[str, ThroughCut], layer: BurntLayer, notes: list[BeamNote]) -> list[Definition]:
    """A layer's definitions with kerf, ties and leads."""
    drawn = layer.drawn
    cuts = [line for line in drawn.lines if frees(line.process) == PIECE and line.regions]
    moved = _on_its_side(by, rules, cuts, layer.piece)
    reach = shapely.Polygon()
    if cuts:
        reach = layer.footprint.buffer(max(by.gap - max(by.of(line).kerf for line in cuts), 0.0))
    shapely.prepare(reach)
    followed: list[Path] = []
    first: dict[str, int] = {}  # number of each line's first ring among them
    for id, some in moved.items():
        first[id] = len(followed)
        followed += [ring.path for ring in some]
    courses = Courses(followed if any(by.of(line).by_beam.lead != NO_LEAD for line in cuts) else [])
    made = []
    for one in drawn.definitions:
        line = next((own for own in cuts if own.id == one.id), None)
        if line is None:
            made.append(one)
            continue
        own = moved[line.id]
        made.append(_cut(one, line, rules.get(line.id), own, courses, first[line.id], by, reach, notes))
    return made


def _on_its_side(
    by: Burning, rules: dict[str, ThroughCut], cuts: Sequence[DrawnLine], piece: PieceResult
) -> dict[str, list[Compensated]]:
    """Every ring of every cut line on its waste side, the depth told among all of them; by hand where a click said."""
    compensate = partial(compensated, as_regions=in_chords) if by.preview else compensated
    rings = {line.id: list(rings_of(line.regions)) for line in cuts}
    flat = [ring for own in rings.values() for ring in own]
    by_depth = {kerf: compensate(flat, kerf) for kerf in {by.of(line).kerf for line in cuts}}
    found: dict[str, list[Compensated]] = {}
    at = 0
    for line in cuts:
        own, kerf = rings[line.id], by.of(line).kerf
        rule = rules.get(line.id)
        sides = [rule.kerf_side if rule else "by its depth"] * len(own)
        if rule is not None and rule.kerf_marks and own:
            places = [piece.at(mark.x, mark.y) for mark in rule.kerf_marks]
            for mark, ring in zip(rule.kerf_marks, nearest_rings(own, places), strict=True):
                sides[ring] = mark.side
        found[line.id] = [
            known if side == "by its depth" else replace(compensate([ring], kerf, side)[0], depth=known.depth)
            for known, ring, side in zip(by_depth[kerf][at : at + len(own)], own, sides, strict=True)
        ]
        at += len(own)
    return found


def _cut(
    one: Definition, line: DrawnLine, rule: ThroughCut | None, rings: list[Compensated], courses: Courses, first: int,
    by: Burning, reach: BaseGeometry, notes: list[BeamNote],
) -> Definition:  # fmt: skip
    """A through cut as it is followed: inner rings first, tied, led. first: number of its first ring among the
    courses."""
    how = by.of(line).by_beam
    told: dict[str, list[tuple[float, float]]] = {"lost": [], "unled": [], "tied": [], "tilts": [], "untied": []}
    paths: list[Path] = []
    stretches: list[int] = []  # the ring that each path is part of
    places = [Point(*place) for place in line.places]
    homes = nearest_rings([ring.path for ring in rings], places) if places else []
    for k in sorted(range(len(rings)), key=lambda k: -rings[k].depth):
        ring = rings[k]
        begin = float(ring.path.rows[0, 0]), float(ring.path.rows[0, 1])
        if ring.lost:
            told["lost"].append(begin)
        within = reach if ring.outward > 0 else None
        at = [place for place, home in zip(places, homes, strict=True) if home == k]
        box = ring.path.bounds()
        small = by.head.openings > 0 and ring.outward > 0 and min(box.width, box.height) < by.head.openings
        held = small and not at and by.micro_ties != NO_MICRO_TIES
        if at or held:
            # a tie is what is left in the material: the beam goes half a kerf into it from either side
            width = (by.micro_tie if held else rule.tie_width if rule else 0.5) + how.kerf
            parted = tied(ring.path, width, at=at, count=int(held))
            if held and parted.places:
                told["tied"].append(begin)
            if not parted.places or not parted.paths:
                told["untied"].append(begin)
            for stretch in parted.paths if parted.places else ():
                if how.lead != NO_LEAD:
                    made = led_stretch(stretch, ring.path, how.lead_length, outward=ring.outward, courses=courses,
                                       number=first + k, within=within)  # fmt: skip
                    stretch = made.path
                    if not made.led:
                        told["unled"].append(begin)
                paths.append(stretch)
                stretches.append(k)
            if parted.places:
                continue
        if small and not held:
            told["tilts"].append(begin)
        made = led(
            ring.path, how.lead, how.lead_length, outward=ring.outward, courses=courses, number=first + k,
            within=within,
        )  # fmt: skip
        if not made.led:
            told["unled"].append(begin)
        paths.append(made.path)
        stretches.append(k)
    notes += [BeamNote(line.id, kind, len(some), some[0]) for kind, some in told.items() if some]
    whole = len(set(stretches)) == len(stretches)
    return replace(one, paths=Bundle.of(paths), one_way=True, rings=None if whole else np.array(stretches, np.int64))
