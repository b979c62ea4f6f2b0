"""What each kind of head needs on a sheet: how far copies lie apart, and what is left free at the edge."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from nibble_core.processes import ENGRAVE, PIECE, freeing
from nibble_core.ticket.heads import BeamHead, DrivenHead, Head, KnifeHead, RouterHead, of_nearest
from nibble_core.ticket.line import AreaFill, ThroughCut
from nibble_core.ticket.model import Machine, Sheet, Ticket
from nibble_core.toolpaths.leads import lead_room

EACH_ITS_OWN = "each on its own"


class Needs(NamedTuple):
    """apart: mm between copies; why: that they lie further apart than was asked, in words; edge: mm that the head needs
    beyond the work."""

    apart: Callable[[Ticket, Sheet], float]
    why: str
    edge: Callable[[Ticket, Sheet], float]


def needs_of(machine: Machine) -> Needs:
    """Of a machine's kind of head."""
    return of_nearest(NEEDS, machine.head)


def usable_width(sheet: Sheet) -> float:
    """mm, of the stock on its machine."""
    return min(sheet.stock.usable_width, sheet.machine.usable_width)


def spacing_of(ticket: Ticket, sheet: Sheet) -> float:
    """mm between copies: what is asked for, and no less than the head needs."""
    return needs_of(sheet.machine).apart(ticket, sheet)


def edge_of(ticket: Ticket, sheet: Sheet) -> float:
    """mm that the head needs beyond the work."""
    return needs_of(sheet.machine).edge(ticket, sheet)


def plate_of(ticket: Ticket, sheet: Sheet) -> tuple[float, float, str] | None:
    """Width and length of a board or plate that a driven head works on, and the corner it is used from; None of what is
    cut to length, or laid by marks."""
    head = sheet.machine.head
    if sheet.stock.kind != "a sheet" or not isinstance(head, DrivenHead) or ticket.prints_on(sheet):
        return None
    return usable_width(sheet), min(sheet.stock.usable_length, sheet.machine.usable_length), head.origin


def widest_kerf(sheet: Sheet) -> float:
    """mm, of the cuts that free pieces."""
    return max(sheet.setting(process).kerf for process in freeing(PIECE))


def cutter_room(ticket: Ticket, sheet: Sheet) -> float:
    """mm that the cutter which cuts parts out needs round them, with what is left for a last pass."""
    head = sheet.machine.head
    made = [line.process for held in sheet.holds for line in ticket.layer(held.layer).lines if line.on]
    left = max((one.last_pass for one in made if isinstance(one, ThroughCut)), default=0.0)
    return head.freeing + left if isinstance(head, RouterHead) and head.freeing else 0.0


def _as_asked(ticket: Ticket, sheet: Sheet) -> float:
    return sheet.spacing


def _nothing(ticket: Ticket, sheet: Sheet) -> float:
    return 0.0


def _apart_for_leads(ticket: Ticket, sheet: Sheet) -> float:
    """No less than lead-ins on their outlines need. Copies that touch, to cut what they have in common once, lie a kerf
    apart: there the beam runs on one line for both."""
    kerf = widest_kerf(sheet)
    if sheet.shared != EACH_ITS_OWN and sheet.spacing <= kerf:
        return kerf
    cuts = [sheet.setting(process).by_beam for process in freeing(PIECE)]
    return max(sheet.spacing, *(lead_room(one.lead, one.lead_length, one.kerf) for one in cuts))


def _run_up(ticket: Ticket, sheet: Sheet) -> float:
    """To gain and lose speed beyond what is engraved, on the bed."""
    lines = [line for held in sheet.holds for line in ticket.layer(held.layer).lines]
    filled = any(line.on and isinstance(line.fill, AreaFill) for line in lines)
    return sheet.setting(ENGRAVE).by_beam.overscan if filled else 0.0


def _apart_for_cutter(ticket: Ticket, sheet: Sheet) -> float:
    return max(sheet.spacing, cutter_room(ticket, sheet))


NEEDS: dict[type[Head], Needs] = {
    KnifeHead: Needs(_as_asked, "", _nothing),
    BeamHead: Needs(_apart_for_leads, "lead-ins need", _run_up),
    RouterHead: Needs(_apart_for_cutter, "the cutter needs", cutter_room),
}
