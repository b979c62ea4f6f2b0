"""What Machine says of a sheet that a beam makes: minutes by process, what is wrong, and the ways to mend it."""

from __future__ import annotations

from collections.abc import Iterator

from nibble_core.checks import beams as checks
from nibble_core.geometry.units import format_number
from nibble_core.pipeline.beam_results import BeamRun
from nibble_core.pipeline.lines import edge_line
from nibble_core.pipeline.notes import LOOK, Draft, Note, minutes, setting
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.unset_settings import unset
from nibble_core.processes import PROCESSES
from nibble_core.ticket.heads import BeamHead
from nibble_core.ticket.line import AreaFill
from nibble_core.ticket.model import Sheet, Ticket

FINE_SHARE = 0.05  # of an engraved area that may be finer than the beam


def report_beam(draft: Draft, sheet: Sheet, ticket: Ticket, work: Work) -> None:
    """Adds notes and figures of a sheet whose machine has a beam."""
    here = f"sheets/{sheet.id}"
    if "gcode" not in sheet.machine.formats:  # a file of moves that lacks them is refused, in the same words
        draft.notes += [
            Note(one.said, one.what_to_do, one.where, LOOK, one.mends) for one in unset(ticket, work, sheet)
        ]
    draft.notes += _settings(sheet, here)
    draft.notes += _lines(sheet, ticket, work)
    draft.notes += _areas(sheet, ticket, work)
    planned = work.beam_run_of(sheet.id)
    if planned is None:
        return
    run = planned.value
    times = work.sheets[sheet.id].laid.value.times
    draft.fact = f"{minutes(run.minutes * times)} min"
    draft.figures.append((minutes(run.minutes * times), "minutes in all"))
    draft.figures += [
        (minutes(own * times), f"minutes to {PROCESSES[name].doing}") for name, own in run.by_process().items()
    ]
    draft.figures.append((f"{run.travelled / 1000:.1f}", f"m with the {sheet.machine.head.runs} off"))
    draft.notes += _moves(sheet, run, here)


def _settings(sheet: Sheet, here: str) -> Iterator[Note]:
    fastest = sheet.machine.head_as(BeamHead).fastest
    for own in sheet.settings:
        if own.by_beam.power == 0.0:
            yield Note(f"{own.process.capitalize()} has no power: nothing is made.", "Set it.", here, LOOK)
        if own.speed is not None and own.speed > fastest:
            yield Note(
                f"{own.process.capitalize()} is asked for at {own.speed} mm/s; this machine goes "
                f"{fastest} mm/s at most.",
                "", f"{here}/settings/{own.id}", LOOK,
                (setting(f"Set {fastest} mm/s",
                         f"{here}/settings/{own.id}/how/speed", fastest),),
            )  # fmt: skip


_SAID = {
    "lost": ("{n} narrower than the kerf: the {head} follows {it} as {they}, and what falls is smaller.", "", LOOK),
    "unled": (
        "{n} had no room for a lead-in: the {head} pierces on the line.",
        "Shorten the lead-in, or lay wider.",
        LOOK,
    ),
    "untied": (
        "{n} too short for a tie of that width beside what the kerf takes: nothing holds what it frees.",
        "Make ties narrower, or the part larger.",
        LOOK,
    ),
    "tied": ("{n} smaller than the bed's openings, held by a micro-tie.", "", "told"),
    "tilts": (
        "{n} smaller than the bed's openings: it drops, tilts, and may stand in the way of the {head}.",
        "",
        LOOK,
    ),
}


def _lines(sheet: Sheet, ticket: Ticket, work: Work) -> Iterator[Note]:
    own = work.sheets.get(sheet.id)
    for note in own.beam_lines.value.notes if own and own.beam_lines else ():
        said, mend, weight = _SAID[note.kind]
        one = note.count == 1
        n = "A cut is" if one else f"{note.count} cuts are"
        if note.kind in ("tied", "tilts"):
            n = "A part is" if one else f"{note.count} parts are"
        if note.kind == "unled":
            n = "A cut" if one else f"{note.count} cuts"
        line = next(one for one in ticket.layer(note.layer).lines if one.id == note.line)
        n = f"{n} of “{line.name}”" if line.name and note.kind == "unled" else n
        it, they = ("it", "it is") if one else ("them", "they are")
        text = said.format(n=n, it=it, they=they, head=sheet.machine.head.runs)
        text = text if one else text.replace(": it drops, tilts, and", ": they drop, tilt, and")
        where = f"pieces/{ticket.piece_of_layer(note.layer).id}/layers/{note.layer}/lines/{note.line}"
        ways = (setting("Hold them by micro-ties", f"sheets/{sheet.id}/micro_ties", "micro-ties"),)
        yield Note(text, mend, where, weight, ways if note.kind == "tilts" else (), note.place)


def _areas(sheet: Sheet, ticket: Ticket, work: Work) -> Iterator[Note]:
    """Engraved areas finer than the beam, strokes nearer than it is wide, areas that are burnt twice."""
    beam = sheet.machine.head_as(BeamHead).beam
    for held in sheet.holds:
        if held.layer not in work.layers:  # told at Lines
            continue
        layer, piece = ticket.layer(held.layer), ticket.piece_of_layer(held.layer)
        drawn = work.layers[layer.id].laid.value
        intervals = {line.id: line.fill.interval for line in layer.lines if isinstance(line.fill, AreaFill)}
        engraved = [line for line in drawn.lines if line.filled]
        edge = edge_line(drawn.lines)
        for line in engraved:
            where = f"pieces/{piece.id}/layers/{layer.id}/lines/{line.id}"
            interval = intervals[line.id]
            if interval < beam * 0.5:
                wider = round(beam * 0.8, 2)
                times = format_number(beam / interval, 1)
                yield Note(
                    f"Strokes {format_number(interval, 2)} mm apart with a beam {format_number(beam, 2)} mm wide burn "
                    f"each place {times} times.",
                    "Widen the interval.", where, LOOK,
                    (setting(f"Set {format_number(wider, 2)} mm", f"{where}/process/fill/interval", wider),),
                )  # fmt: skip
            area = line.area
            fine = checks.finer_than(area, beam)
            if area.area and fine / area.area > FINE_SHARE:
                yield Note(
                    f"{100 * fine / area.area:.0f} % of this engraving is finer than the beam is wide "
                    f"({format_number(beam, 2)} mm): it comes out fatter.",
                    "Make the artwork larger, or engrave along the lines.", where, LOOK,
                )  # fmt: skip
            beyond = float(area.difference(edge.area).area) if edge is not None else 0.0
            if beyond > checks.TWICE:
                yield Note(
                    f"{beyond:.0f} mm² of this engraving lie beyond the edge of the piece: waste is burnt, or a "
                    "neighbour.",
                    "Move or shrink it, or cut further out.", where, LOOK,
                )  # fmt: skip
        shared = checks.burnt_twice([line.area for line in engraved])
        if shared:
            yield Note(
                f"{shared:.0f} mm² of two engravings lie on each other: they are burnt twice.",
                "Cut one out of the other, or leave it.", f"pieces/{piece.id}/layers/{layer.id}", LOOK,
            )  # fmt: skip


def _moves(sheet: Sheet, run: BeamRun, here: str) -> Iterator[Note]:
    if run.saved:
        yield Note(f"Rows of hatching run on over copies that lie beside each other: {_short(run.saved)} saved.",
                   where=here)  # fmt: skip
    longest = sheet.machine.head_as(BeamHead).longest_run
    if longest is not None and run.minutes > longest:
        yield Note(
            f"One run takes {run.minutes:.0f} minutes; the {sheet.machine.name} runs {longest} at most.",
            "Lay fewer copies on a sheet, run copy by copy and stop after one, or widen the interval.", here, LOOK,
            (setting("Run copy by copy", f"{here}/grouping", "copy by copy"),)
            if sheet.grouping != "copy by copy" else (),
        )  # fmt: skip


def _short(minutes: float) -> str:
    """A stretch of time in the unit that suits it."""
    return f"{minutes:.1f} minutes are" if minutes >= 1 else f"{minutes * 60:.0f} seconds are"
