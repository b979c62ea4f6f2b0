"""The size of an artwork that makes its subject, or the finished piece, as large as is wanted."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Literal

from nibble_core.errors import InvalidTicket, NothingToTrace
from nibble_core.geometry import Box
from nibble_core.pipeline.results import Work
from nibble_core.ticket import Change
from nibble_core.ticket.model import Ticket

What = Literal["subject", "piece"]
Side = Literal["wide", "high"]
NEAR = 0.005  # mm
MOST_ROUNDS = 8


def sized_to(
    ticket: Ticket, artwork: str, what: What, side: Side, wanted: float, work_of: Callable[[Ticket], Work]
) -> tuple[Change, ...]:
    """Changes of the width, after which the subject (the shapes that are kept of the artwork) or the first piece that
    holds it measures ``wanted`` mm on a side.

    Distances of lines stay as they are, so that a piece does not grow in step with its artwork: the width is found by
    the secant rule. Raises InvalidTicket where no width does, and NothingToTrace where there is nothing to measure.
    """
    if not (math.isfinite(wanted) and 1 <= wanted <= 20_000):
        raise InvalidTicket(f"A size of {wanted:g} mm cannot be made.", "Choose 1 to 20 000 mm.")

    def off(width: float) -> float:
        if not 1 <= width <= 20_000:
            raise InvalidTicket(_cannot(what, side, wanted), "Give its artwork a size, or move what lies beside it.")
        own = replace(ticket.artwork(artwork), sized_by="wide", width=width)
        artworks = tuple(own if one.id == artwork else one for one in ticket.artworks)
        return _measured(work_of(replace(ticket, artworks=artworks)), ticket, artwork, what, side) - wanted

    now = work_of(ticket)
    if artwork not in now.sizes:
        raise NothingToTrace("The artwork cannot be measured yet.", "See what its first stations say.")
    first = now.sizes[artwork][0]
    before = _measured(now, ticket, artwork, what, side) - wanted
    width = first * wanted / (before + wanted)
    for _ in range(MOST_ROUNDS):
        here = off(width)
        if abs(here) <= NEAR:
            changes = (
                Change(f"artworks/{artwork}/sized_by", "wide"),
                Change(f"artworks/{artwork}/width", round(width, 4)),
            )
            return changes if ticket.artwork(artwork).sized_by != "wide" else changes[1:]
        if abs(here - before) < 1e-9:
            break
        first, before, width = width, here, width - here * (width - first) / (here - before)
    raise InvalidTicket(_cannot(what, side, wanted), "Give its artwork a size, or move what lies beside it.")


def _cannot(what: What, side: Side, wanted: float) -> str:
    return f"No size of this artwork makes the {what} {wanted:g} mm {side}."


def _measured(work: Work, ticket: Ticket, artwork: str, what: What, side: Side) -> float:
    if what == "subject":
        kept = work.traces[artwork].value.kept if artwork in work.traces else []
        boxes = [shape.bounds() for shape in kept]
    else:
        piece = next(
            (one for one in ticket.pieces if any(element.artwork == artwork for element in one.elements)), None
        )
        boxes = [work.layers[own.id].value.box for own in piece.layers if own.id in work.layers] if piece else []
    if not boxes:
        raise NothingToTrace("There is nothing to measure.", "See what Trace and Lines say.")
    box = Box.around(boxes)
    return box.width if side == "wide" else box.height
