"""What Machine says of a board that a router makes."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from nibble_core.geometry.units import format_number
from nibble_core.pipeline.both_sides import LEAST_AREA
from nibble_core.pipeline.carve_results import CarveNote
from nibble_core.pipeline.carving import FREES
from nibble_core.pipeline.notes import LOOK, Draft, Note, minutes, setting
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.routing import cutters_in
from nibble_core.ticket.cutters import Cutter
from nibble_core.ticket.heads import RouterHead
from nibble_core.ticket.line import ALONG_GRAIN, ThroughCut
from nibble_core.ticket.model import Sheet, Ticket
from nibble_core.ticket.piece import Layer
from nibble_core.ticket.stock import GRAINS

LEAST_CHIP, MOST_CHIP = 0.01, 0.3  # mm a cutting edge takes at a turn: less rubs, more breaks


def report_route(draft: Draft, sheet: Sheet, ticket: Ticket, work: Work) -> None:
    """Minutes, depths and what no cutter reaches."""
    here, own = f"sheets/{sheet.id}", work.sheets.get(sheet.id)
    for held in sheet.holds:
        layer = ticket.layer(held.layer)
        at = f"pieces/{ticket.piece_of_layer(layer.id).id}/layers/{layer.id}/lines"
        carved = own.carved.get(layer.id) if own else None
        if carved is not None:
            draft.notes += [_said(note, f"{at}/{note.line}") for note in carved.value.notes]
        draft.notes += [*_untied(layer, at), *_grainless(layer, at, sheet)]
    draft.notes += _two_sided(sheet, ticket, work)
    if own is None or own.router_run is None:
        return
    run = own.router_run.value
    used = np.unique(run.moves.tool).tolist() if len(run.moves) else []
    cutters = cutters_in(sheet.stock, sheet.machine)
    draft.notes += [note for k in used for note in _chips(cutters[k], f"{here}/machine")]
    longest = sheet.machine.head_as(RouterHead).longest_run
    if longest is not None and run.minutes > longest:
        said = f"One run takes {run.minutes:.0f} minutes; the {sheet.machine.name} runs {longest} at most."
        draft.notes.append(Note(said, "Lay fewer copies on a board, or carve less deep.", here, LOOK))
    deepest = max(0.0, -float(run.moves.xyz[:, 2].min(initial=0.0)))
    draft.figures += [
        (minutes(run.minutes), "minutes in all"), (str(len(used)), "cutter" if len(used) == 1 else "cutters"),
        (f"{deepest:.1f}", "mm deep at most"), (f"{len(run.moves):,}".replace(",", " "), "moves"),
    ]  # fmt: skip


def _said(note: CarveNote, where: str) -> Note:
    amount = format_number(note.amount, 0 if note.amount >= 10 else 1)
    if note.kind == "flat bottom":
        return Note(f"{amount} mm² are wider than the deepest groove: their bottom is flat.", "", where,
                    place=note.place)  # fmt: skip
    if note.kind == "thin wall":
        places = "one place" if note.amount == 1 else f"{amount} places"
        return Note(f"In {places} the wall between two grooves is thinner than the board holds: it may break off.",
                    "Set letters wider apart, or carve less deep.", where, LOOK, place=note.place)  # fmt: skip
    if note.kind == "finer than the tip":
        return Note(f"{amount} mm² are finer than the tip of the cutter: they are not carved.",
                    "Choose a finer cutter, or make the artwork larger.", where, LOOK, place=note.place)  # fmt: skip
    if note.kind == "no tab":
        return Note("A part has no tab of its own: it comes loose under the cutter.", "Set a tie on it by hand.", where,
                    LOOK, place=note.place)  # fmt: skip
    return Note(f"{amount} mm² are left standing: no flat cutter in the rack goes into these corners.",
                "Add a narrower one, or round the corners.", where, LOOK, place=note.place)  # fmt: skip


def _untied(layer: Layer, at: str) -> Iterator[Note]:
    """Parts that nothing holds once they are cut out."""
    for line in layer.lines:
        made = line.process
        if line.on and isinstance(made, ThroughCut) and not (made.ties or made.tie_spacing or made.tie_marks):
            here = f"{at}/{line.id}"
            said = "No tab holds what is cut out: it comes loose under the cutter."
            yield Note(said, "", here, LOOK, (setting("Leave four tabs", f"{here}/process/ties", 4),))


def _two_sided(sheet: Sheet, ticket: Ticket, work: Work) -> Iterator[Note]:
    """What goes wrong when a board is turned over."""
    second = ticket.second_side(sheet)
    if second is None:
        return
    here = f"sheets/{second.id}"
    if second.pins == "no pins":
        yield Note("Nothing holds the board where it was when it is turned over.", "", here, LOOK,
                   (setting("Turn it over on two pins", f"{here}/pins", "two pins"),))  # fmt: skip
    one, other = work.sheets.get(sheet.id), work.sheets.get(second.id)
    between = other.between.value if other and other.between else None
    if between is not None and between.area > LEAST_AREA and between.least < second.stock.thinnest:
        meet = (
            "Both sides meet: the board is cut through between them"
            if between.least <= 0
            else (f"Between both sides {format_number(between.least, 1)} mm of wood are left at the least")
        )
        yield Note(f"{meet}, on {format_number(between.area, 0 if between.area >= 10 else 1)} mm².",
                   "Carve less deep, or set what lies behind each other apart.", here, LOOK)  # fmt: skip
    freed = [cutting.line for layer in (one.carved if one else {}).values() for cutting in layer.value.cuttings
             if cutting.when == FREES]  # fmt: skip
    if freed:
        yield Note("What the first side cuts out is not in the board any more when it is turned over.",
                   "Cut it out from the second side.", f"sheets/{sheet.id}", LOOK)  # fmt: skip


def _grainless(layer: Layer, at: str, sheet: Sheet) -> Iterator[Note]:
    """Last passes that are to follow a grain which nobody has told."""
    for line in layer.lines:
        made = line.process
        follows = isinstance(made, ThroughCut) and made.last_pass > 0 and made.last_way == ALONG_GRAIN
        if line.on and follows and sheet.stock.grain_angle is None:
            mends = tuple(
                setting(f"It runs {way}", f"sheets/{sheet.id}/stock/grain", way)
                for way in GRAINS if way != sheet.stock.grain
            )  # fmt: skip
            said = f"The {sheet.stock.name} has no grain that a last pass could follow: it goes all round."
            yield Note(said, "", f"{at}/{line.id}", LOOK, mends)


def _chips(cutter: Cutter, where: str) -> Iterator[Note]:
    feed = cutter.plunge if cutter.kind == "a drill" else cutter.feed
    chip = feed * 60 / (cutter.spindle * cutter.flutes)
    if not LEAST_CHIP <= chip <= MOST_CHIP:
        what = "rubs and burns" if chip < LEAST_CHIP else "breaks"
        yield Note(
            f"At {feed} mm/s and {cutter.spindle} turns a minute each edge of the {cutter.name} takes "
            f"{format_number(chip, 3)} mm: it {what}.",
            "Change its feed or its turns, or the feeds that this stock takes, in the library.", where, LOOK,
        )  # fmt: skip
