"""What a worker is asked for: pure functions of a plain ticket, answered as bytes. They read and keep results, and
write nothing else."""

import json
from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any

from files import blobs
from files.results import STORE
from nibble_core.errors import FileTooLarge, NibbleError
from nibble_core.formats.registry import FORMATS
from nibble_core.pipeline.files import slug
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.trace import require_shapes
from nibble_core.pipeline.traced_drawing import traced_drawing
from nibble_core.pipeline.try_outs import try_out, try_outs
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, Ticket, apply, ticket_from_plain
from production.view import card_view, deviation_view, shape_view, work_view

MOST_ANSWER_BYTES = 60_000_000


@dataclass(frozen=True)
class Asker:
    """Who asked. cancelled: whether the answer is still wanted; tell: passes on what is being done."""

    cancelled: Callable[[], bool] = lambda: False
    tell: Callable[[str], None] = lambda words: None


def preview(plain: Any, revision: int, *, asker: Asker) -> bytes:
    """The view of a draft."""
    ticket, work = _worked_out(plain, asker, preview=True)
    return _told(work_view(ticket, work, preview=True) | {"revision": revision})


def final(plain: Any, revision: int, *, asker: Asker) -> bytes:
    """The job's card on one line, then the final view."""
    ticket, work = _worked_out(plain, asker)
    view = work_view(ticket, work, preview=False) | {"revision": revision}
    return json.dumps(card_view(ticket, view)).encode() + b"\n" + _told(view)


def list_try_outs(plain: Any, artwork: str, *, asker: Asker) -> bytes:
    ticket, work = _worked_out(plain, asker)
    if artwork not in work.sizes:
        raise NibbleError("This artwork cannot be tried out yet.", "See what its first stations say.")
    return _told([asdict(one) for one in try_outs(ticket.artwork(artwork), work)])


def one_try_out(plain: Any, artwork: str, changes: list[dict[str, Any]], *, asker: Asker) -> bytes:
    made = tuple(Change(**one) for one in changes)
    ticket = ticket_from_plain(plain)
    apply(ticket, made)
    tried = try_out(STORE, blobs.fetch, ticket, artwork, made)
    trace = tried.trace
    return _told({
        "width": trace.width, "height": trace.height, "nodes": trace.nodes, "worst": trace.worst_deviation,
        "shapes": [shape_view(one) for one in trace.shapes if not one.dropped], "thinnest": tried.thinnest,
    })  # fmt: skip


def deviation(plain: Any, artwork: str, *, asker: Asker) -> bytes:
    _, work = _worked_out(plain, asker)
    if artwork not in work.traces:
        raise NibbleError("There is no outline to measure yet.", "See what Trace says.")
    return _told(deviation_view(work.traces[artwork].value, work.cleaned[artwork].value.raster.width))


def outlines(plain: Any, artwork: str, ending: str, *, asker: Asker) -> bytes:
    """The file's name on one line, then its bytes."""
    ticket, work = _worked_out(plain, asker)
    if artwork not in work.traces:
        raise NibbleError("There is no outline to write yet.", "See what Trace says.")
    require_shapes(work.traces[artwork].value)
    drawing = traced_drawing(work.traces[artwork].value, ticket.artwork(artwork).trace.overlap)
    several = f"-{slug(ticket.artwork(artwork).name)}" if len(ticket.artworks) > 1 else ""
    name = f"{slug(ticket.name)}{several}-outlines.{ending}"
    return name.encode() + b"\n" + FORMATS[ending].write_drawing(drawing)


KINDS: dict[str, Callable[..., bytes]] = {
    one.__name__: one for one in (preview, final, list_try_outs, one_try_out, deviation, outlines)
}


def _worked_out(plain: Any, asker: Asker, *, preview: bool = False) -> tuple[Ticket, Work]:
    ticket = ticket_from_plain(plain)
    return ticket, work_out(ticket, blobs.fetch, STORE, preview=preview, cancelled=asker.cancelled, doing=asker.tell)


def _told(answer: Any) -> bytes:
    told = json.dumps(answer).encode()
    if len(told) > MOST_ANSWER_BYTES:
        raise FileTooLarge(
            f"What this job draws is too much to show: {len(told) / 1e6:.0f} MB.",
            "Raise the smallest part, or repeat an element fewer times.",
        )
    return told
