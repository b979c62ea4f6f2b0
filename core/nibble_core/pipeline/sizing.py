"""The size of an artwork that makes its subject, or the finished piece, as large as is wanted."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Literal

from nibble_core.errors import InvalidTicket, NothingToTrace
from nibble_core.geometry import Affine, Box
from nibble_core.pipeline.client_files import Sources
from nibble_core.pipeline.compose import compose_piece
from nibble_core.pipeline.lines import LayerResult, draw_lines
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.store import MemoryStore, derived
from nibble_core.pipeline.trace import TraceResult
from nibble_core.ticket import Change
from nibble_core.ticket.model import Piece, Ticket

What = Literal["subject", "piece"]
Side = Literal["wide", "high"]
NEAR = 0.01  # mm
MOST_ROUNDS = 12
MOST_TRIED = 3  # widths that are traced anew


def sized_to(
    ticket: Ticket,
    artwork: str,
    what: What,
    side: Side,
    wanted: float,
    work_of: Callable[[Ticket], Work],
    sources: Sources,
) -> tuple[Change, ...]:
    """Changes of the width, after which the subject (the shapes that are kept of the artwork) or the first piece that
    holds it measures ``wanted`` mm on a side.

    Distances of lines stay as they are, so that a piece does not grow in step with its artwork: the width is found by
    the secant rule, on the trace that is there, scaled; then it is traced at that width, and corrected by what little
    it is off. Raises InvalidTicket where no width does, and NothingToTrace where there is
    nothing to measure.
    """
    if not (math.isfinite(wanted) and 1 <= wanted <= 20_000):
        raise InvalidTicket(f"A size of {wanted:g} mm cannot be made.", "Choose 1 to 20 000 mm.")
    cannot = InvalidTicket(
        f"No size of this artwork makes the {what} {wanted:g} mm {side}.",
        "Give its artwork a size, or move what lies beside it.",
    )
    now = work_of(ticket)
    if artwork not in now.artworks:
        raise NothingToTrace("The artwork cannot be measured yet.", "See what its first stations say.")
    first = now.artworks[artwork].size[0]

    def estimated(width: float) -> float:
        if not 1 <= width <= 20_000:
            raise cannot
        return _scaled(now, ticket, artwork, what, side, width / first, sources)

    aim, width = wanted, first
    for _ in range(MOST_TRIED):
        width, slope = _solved(estimated, aim, width, cannot)
        own = replace(ticket.artwork(artwork), sized_by="wide", width=round(width, 4))
        artworks = tuple(own if one.id == artwork else one for one in ticket.artworks)
        off = _measured(work_of(replace(ticket, artworks=artworks)), ticket, artwork, what, side) - wanted
        if abs(off) <= NEAR:
            changes = (Change(f"artworks/{artwork}/sized_by", "wide"), Change(f"artworks/{artwork}/width", own.width))
            return changes if ticket.artwork(artwork).sized_by != "wide" else changes[1:]
        aim -= off
        width -= off / slope
    raise cannot


def _solved(
    size_at: Callable[[float], float], wanted: float, start: float, cannot: InvalidTicket
) -> tuple[float, float]:  # fmt: skip
    """A width at which something is as large as is wanted, by the secant rule, and by how much it grows with it. Raises
    ``cannot`` where it does not grow."""
    before, width = size_at(start), start
    last, width = start, start * wanted / before
    slope = 1.0
    for _ in range(MOST_ROUNDS):
        here = size_at(width)
        if abs(width - last) > 1e-9:
            slope = (here - before) / (width - last)
        if abs(here - wanted) <= NEAR / 4:
            return width, slope
        if abs(slope) < 1e-9:
            break
        last, before, width = width, here, width + (wanted - here) / slope
    raise cannot


def _scaled(
    work: Work, ticket: Ticket, artwork: str, what: What, side: Side, factor: float, sources: Sources
) -> float:  # fmt: skip
    """What is measured where the trace that is there is scaled: without tracing anew, printing or checking."""
    traced = work.trace_of(artwork)
    if what == "subject" or traced is None:
        return factor * _measured(work, ticket, artwork, what, side)
    store = MemoryStore()
    scaled = derived(_scaled_trace, factor, traced)
    piece = _piece_of(ticket, artwork)
    if piece is None:
        return 0.0
    composed = compose_piece(store, piece, {**work.traces, artwork: scaled}, sources)
    return _extent([draw_lines(store, piece, own, composed, preview=True).value for own in piece.layers], side)


def _scaled_trace(factor: float, traced: TraceResult) -> TraceResult:
    grown = tuple(replace(one, shape=one.shape.mapped(Affine.scale(factor))) for one in traced.shapes)
    return replace(traced, shapes=grown)


def _piece_of(ticket: Ticket, artwork: str) -> Piece | None:
    holds = (one for one in ticket.pieces if any(element.artwork == artwork for element in one.elements))
    return next(holds, None)


def _measured(work: Work, ticket: Ticket, artwork: str, what: What, side: Side) -> float:
    if what == "piece":
        piece = _piece_of(ticket, artwork)
        return _extent(
            [work.layers[own.id].drawn.value for own in piece.layers if own.id in work.layers] if piece else [], side
        )
    traced = work.trace_of(artwork)
    kept = traced.value.kept if traced else []
    if not kept:
        raise NothingToTrace("There is nothing to measure.", "See what Trace and Lines say.")
    box = Box.around([shape.bounds() for shape in kept])
    return box.width if side == "wide" else box.height


def _extent(layers: Sequence[LayerResult], side: Side) -> float:
    """Of all lines of some layers, mm; of what they show where there are none."""
    boxes = [line.paths.bounds() for drawn in layers for line in drawn.lines if len(line.paths)]
    boxes = boxes or [drawn.box for drawn in layers]
    if not boxes:
        raise NothingToTrace("There is nothing to measure.", "See what Trace and Lines say.")
    box = Box.around(boxes)
    return box.width if side == "wide" else box.height
