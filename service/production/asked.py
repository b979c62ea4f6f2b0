"""What a worker is asked for: pure functions of a plain ticket, answered as bytes. They read and keep results, and
write nothing else."""

import io
import json
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from functools import lru_cache, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from files import blobs
from files.pictures import show
from files.results import DRAFTS, STORE
from nibble_core.errors import FileTooLarge, NibbleError, NothingToCut
from nibble_core.formats.package import pack
from nibble_core.formats.registry import FORMATS, OUTLINE_FORMATS
from nibble_core.geometry.units import format_growth
from nibble_core.graphics import Raster
from nibble_core.papers import printed_ticket, proof, quote
from nibble_core.pipeline.clicks import CLICKS
from nibble_core.pipeline.engraving_ways import look, minutes_of_run, single_run
from nibble_core.pipeline.error_sheet import error_sheet
from nibble_core.pipeline.files import JobFile
from nibble_core.pipeline.head_files import (
    how_it_lies,
    marks_on_machine,
    planned,
    write_guides,
    write_pen_run,
)
from nibble_core.pipeline.heads import work_of
from nibble_core.pipeline.line_files import lines_drawing
from nibble_core.pipeline.names import slug
from nibble_core.pipeline.nested import nested
from nibble_core.pipeline.rehearsal_words import rehearsed_line
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.route_files import routed
from nibble_core.pipeline.sheets import one_more
from nibble_core.pipeline.sizing import Side, What, sized_to
from nibble_core.pipeline.stocktaking import taken
from nibble_core.pipeline.swatch import Grid, kerf_comb, swatch
from nibble_core.pipeline.trace import require_shapes
from nibble_core.pipeline.traced_drawing import traced_drawing
from nibble_core.pipeline.trial import test_cut, trial_copy, trial_ticket
from nibble_core.pipeline.try_outs import try_out, try_outs
from nibble_core.pipeline.turn_trial import test_turn
from nibble_core.pipeline.work import work_out
from nibble_core.sheet import Limits, Nest
from nibble_core.ticket import (
    STARTING,
    Change,
    Library,
    Ticket,
    apply,
    fingerprint,
    from_plain,
    ticket_from_plain,
    to_plain,
)
from nibble_core.ticket.heads import BeamHead
from nibble_core.ticket.library import Rates
from nibble_core.ticket.model import Machine, Sheet
from nibble_core.ticket.saying import STATIONS
from nibble_core.ticket.sentences import copies_name
from production.carved_view import carved_view
from production.moves_view import moves_view
from production.rehearsing import many_rehearsals, one_copy, one_rehearsal, wrong_ways
from production.view import card_view, deviation_view, shape_view, work_view

MOST_ANSWER_BYTES = 60_000_000


@dataclass(frozen=True)
class Asker:
    """Who asked. cancelled: whether the answer is still wanted; tell: passes on what is being done."""

    cancelled: Callable[[], bool] = lambda: False
    tell: Callable[[str], None] = lambda words: None


def preview(plain: Any, revision: int, upto: str, machines: Sequence[Any] = (), *, asker: Asker) -> bytes:
    """The view of a draft, up to the station that is looked at. machines: the shop's, for what mends name."""
    ticket, work = _worked_out(plain, asker, preview=True, upto=upto, machines=machines)
    view = work_view(ticket, work, preview=True)
    told = view["stations"][: STATIONS.index(upto) + 1]
    return _told(view | {"stations": told, "revision": revision})


def final(plain: Any, revision: int, machines: Sequence[Any] = (), *, asker: Asker) -> bytes:
    """The job's card on one line, then the final view."""
    ticket, work = _worked_out(plain, asker, machines=machines)
    view = work_view(ticket, work, preview=False) | {"revision": revision}
    return json.dumps(card_view(ticket, work, view)).encode() + b"\n" + _told(view)


def list_try_outs(plain: Any, artwork: str, *, asker: Asker) -> bytes:
    ticket, work = _worked_out(plain, asker)
    if artwork not in work.artworks:
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
        "reduced": tried.reduced,
    })  # fmt: skip


def deviation(plain: Any, artwork: str, *, asker: Asker) -> bytes:
    _, work = _worked_out(plain, asker)
    own = work.artworks.get(artwork)
    if own is None or own.trace is None or own.cleaned is None:
        raise NibbleError("There is no outline to measure yet.", "See what Trace says.")
    return _told(deviation_view(own.trace.value, own.cleaned.value.raster.width))


def outlines(plain: Any, artwork: str, key: str, *, asker: Asker) -> bytes:
    """The file's name on one line, then its bytes."""
    ticket, work = _worked_out(plain, asker)
    traced = work.trace_of(artwork)
    if traced is None:
        raise NibbleError("There is no outline to write yet.", "See what Trace says.")
    require_shapes(traced.value)
    drawing = traced_drawing(traced.value, ticket.artwork(artwork).trace.overlap)
    form = OUTLINE_FORMATS[key]
    several = f"-{slug(ticket.artwork(artwork).name)}" if len(ticket.artworks) > 1 else ""
    name = f"{slug(ticket.name)}{several}-outlines{form.tail}.{form.ending}"
    return name.encode() + b"\n" + form.outlines(drawing)


def lines(plain: Any, layer: str, key: str, perforation: str, *, asker: Asker) -> bytes:
    """The file's name on one line, then its bytes."""
    ticket, work = _worked_out(plain, asker)
    if layer not in work.layers:
        raise NibbleError("There is no line to write yet.", "See what Lines says.")
    drawing = lines_drawing(work.layers[layer].drawn.value, plain_perforation=perforation == "plain")
    form = OUTLINE_FORMATS[key]
    several = f"-{slug(copies_name(layer, ticket))}" if sum(len(piece.layers) for piece in ticket.pieces) > 1 else ""
    tail = "-plain" if perforation == "plain" else ""
    name = f"{slug(ticket.name)}{several}-lines{tail}{form.tail}.{form.ending}"
    return name.encode() + b"\n" + form.outlines(drawing)


def sized(plain: Any, artwork: str, what: What, side: Side, wanted: float, *, asker: Asker) -> bytes:
    """Changes that make the subject, or the finished piece, as large as is wanted."""

    def work_of(ticket: Ticket) -> Work:
        return work_out(ticket, blobs.fetch, STORE, upto="lines", cancelled=asker.cancelled, doing=asker.tell)

    changes = sized_to(ticket_from_plain(plain), artwork, what, side, wanted, work_of, blobs.fetch)
    return _told({"changes": [asdict(change) for change in changes]})


def nest(plain: Any, sheet_id: str, seconds: float, *, asker: Asker) -> bytes:
    """Changes that lay a sheet as tight as was found in the time; told to stop, the best that was found by then."""
    ticket, work = _worked_out(plain, Asker(tell=asker.tell))
    sheet = _sheet_of(ticket, sheet_id)

    def better(found: Nest) -> None:
        asker.tell(f"nesting: {len(found.placements)} copies on {found.length:.0f} mm")

    def work_of(other: Ticket) -> Work:
        return work_out(other, blobs.fetch, STORE, doing=asker.tell)

    made = nested(ticket, sheet, work, Limits(seconds, better, asker.cancelled), work_of)
    changes = [asdict(change) for change in made.changes]
    return _told({"changes": changes, "copies": made.copies, "runs": made.runs, "length": made.length,
                  "waste": made.waste})  # fmt: skip


def one_more_copy(plain: Any, sheet_id: str, layer: str, *, asker: Asker) -> bytes:
    """The change that puts one more copy of a layer where there is room."""
    ticket, work = _worked_out(plain, asker)
    sheet = _sheet_of(ticket, sheet_id)
    placed = one_more(ticket, sheet, work, layer)
    change = {"path": f"sheets/{sheet_id}/placed", "value": to_plain(placed), "operation": "add"}
    return _told({"changes": [change]})


def click(plain: Any, layer: str, what: str, line: str, x: float, y: float, *, asker: Asker) -> bytes:
    """What a click at Lines changes."""
    ticket, work = _worked_out(plain, asker, upto="lines")
    if layer not in work.layers:
        raise NibbleError("There is nothing to click yet.", "See what Lines says.")
    return _told([asdict(one) for one in CLICKS[what](ticket, layer, line, work, x, y)])


def take(plain: Any, sheet_id: str, *, asker: Asker) -> bytes:
    """What making a sheet takes off its stock, and what is left to be kept."""
    ticket, work = _worked_out(plain, asker)
    work.require_whole()
    sheet = _sheet_of(ticket, sheet_id)
    found = taken(sheet, work)
    return _told({"length": found.length, "offcut": to_plain(found.offcut), "count": found.count})


def paper(plain: Any, kind: str, code: str, size: str, rates: Any, *, asker: Asker) -> bytes:
    """The file's name on one line, then a PDF of one page: the ticket, the proof or the quote."""
    ticket, work = _worked_out(plain, asker)
    asked = from_plain(Rates, rates, "")
    if kind == "ticket":
        told = {sheet.id: rehearsed_line(ticket, sheet, work) for sheet in ticket.sheets if sheet.id in work.sheets}
        content = printed_ticket(ticket, work, code=code, size=size, rehearsed=told)
    elif kind == "proof":
        content = proof(ticket, work, code=code, shop=asked.shop, size=size)
    else:
        content = quote(ticket, work, asked, code=code, shop=asked.shop, size=size)
    stem = "-".join(filter(None, (slug(ticket.client, empty=""), slug(ticket.name))))
    return f"{stem}-{kind}-{code.replace('.', '-rev')}.pdf".encode() + b"\n" + content


def moves(plain: Any, sheet_id: str, *, asker: Asker) -> bytes:
    """Every move of a sheet's beam; see ``moves_view``."""
    ticket, work = _worked_out(plain, asker)
    sheet = _sheet_of(ticket, sheet_id)
    return moves_view(sheet, planned(sheet, work))


def carved(plain: Any, sheet_id: str, share: float, *, asker: Asker) -> bytes:
    """The surface that a sheet's router leaves; see ``carved_view``."""
    ticket, work = _worked_out(plain, asker)
    sheet = _sheet_of(ticket, sheet_id)
    return carved_view(routed(sheet, work), sheet.machine, share)


def marks(plain: Any, sheet_id: str, found: list[tuple[float, float]], *, asker: Asker) -> bytes:
    """Where a sheet's printed marks are meant to lie on its machine; how it lies, where they were found."""
    ticket, work = _worked_out(plain, asker)
    sheet = _sheet_of(ticket, sheet_id)
    meant = marks_on_machine(sheet, work) if ticket.prints_on(sheet) else []
    said, at = "", None
    if found:
        lies = how_it_lies(sheet, work, found)
        at = list(lies.at)
        out = f", mark {lies.left_out[0] + 1} left out" if lies.left_out else ""
        said = (
            f"Shifted by {lies.shift[0]:.2f} and {lies.shift[1]:.2f} mm, turned by {lies.turn:.2f}°, stretched by "
            f"{format_growth(lies.across)} across and {format_growth(lies.down)} down{out}; within "
            f"{lies.worst:.2f} mm."
        )
    return _told({"meant": meant, "found": found, "said": said, "at": at})


def program(plain: Any, sheet_id: str, revision: int, found: list[tuple[float, float]], *, asker: Asker) -> bytes:
    """What a sheet's machine is sent, read back: HP-GL for a knife, which finds the marks itself, else G-code. found:
    where its printed marks lie, in their order; none where they do not count."""
    ticket, work = _worked_out(plain, asker)
    work.require_whole()
    sheet = _sheet_of(ticket, sheet_id)
    return work_of(sheet.machine).in_one(ticket, sheet, work, revision, found)


def one_way(plain: Any, line: str, changes: list[dict[str, Any]], *, asker: Asker) -> bytes:
    """What one way of engraving takes, and its look."""
    made = tuple(Change(**one) for one in changes)
    _, _, _, layer_id, _, line_id = line.split("/")
    ticket = single_run(apply(ticket_from_plain(plain), made), layer_id)
    work = work_out(ticket, blobs.fetch, STORE, cancelled=asker.cancelled, doing=asker.tell)
    lines = work.layers[layer_id].drawn.value.lines if layer_id in work.layers else ()
    drawn = next((one for one in lines if one.id == line_id), None)
    if drawn is None or not drawn.filled:
        raise NothingToCut("This way leaves nothing to engrave.", "Choose another.")
    image = look(drawn, ticket.sheets[0].machine.head_as(BeamHead).beam)
    minutes = minutes_of_run(ticket, work)
    return _told(
        {"minutes": minutes, "strokes": len(drawn.paths), "look": show(fingerprint(line, changes, plain), _grey(image))}
    )


def _grey(image: NDArray[np.uint8]) -> Raster:
    return Raster(np.dstack([image, image, image, np.full_like(image, 255)]))


def rehearsal(plain: Any, sheet_id: str, turn: int, panel: int, *, asker: Asker) -> bytes:
    """A sheet's own files through the press and the cutter that ship, once."""
    ticket, work = _worked_out(plain, asker)
    work.require_whole()
    return _told(one_rehearsal(ticket, _sheet_of(ticket, sheet_id), work, turn, panel))


def rehearsed_copy(plain: Any, sheet_id: str, turn: int, panel: int, number: int, *, asker: Asker) -> bytes:
    """A copy that came off such a rehearsal, from close by."""
    ticket, work = _worked_out(plain, asker)
    work.require_whole()
    return _told(one_copy(ticket, _sheet_of(ticket, sheet_id), work, turn, panel, number))


def rehearsals(plain: Any, sheet_id: str, draws: int, panel: int, *, asker: Asker) -> bytes:
    """The same many times; told to stop, what was done by then."""
    ticket = ticket_from_plain(plain)

    def work_of(other: Ticket) -> Work:
        work = work_out(other, blobs.fetch, STORE, doing=asker.tell)
        work.require_whole()
        return work

    sheet = _sheet_of(ticket, sheet_id)
    return _told(many_rehearsals(ticket, sheet, work_of, draws, panel, asker.tell, asker.cancelled))


def test_sheet(plain: Any, sheet_id: str, *, asker: Asker) -> bytes:
    """The zip's name on one line, then its bytes: a sheet that tells what a press and a cutter are off by."""
    sheet = _sheet_of(ticket_from_plain(plain), sheet_id)
    return _zipped(f"{slug(sheet.machine.name)}-test-sheet.zip", error_sheet(sheet))


def rehearsal_fed_wrong(plain: Any, sheet_id: str, panel: int, *, asker: Asker) -> bytes:
    """A sheet put into the cutter in each wrong way."""
    ticket, work = _worked_out(plain, asker)
    work.require_whole()
    return _told(wrong_ways(ticket, _sheet_of(ticket, sheet_id), work, panel))


def test_swatch(plain: Any, sheet_id: str, grid: dict[str, Any], *, asker: Asker) -> bytes:
    """The file's name on one line, then the G-code of a swatch."""
    ticket = ticket_from_plain(plain)
    sheet = _sheet_of(ticket, sheet_id)
    asked = Grid(grid["process"], tuple(grid["powers"]), grid["across"], tuple(grid["values"]))
    return (
        f"{slug(sheet.stock.name)}-swatch-{slug(asked.process)}.gcode".encode() + b"\n" + swatch(ticket, sheet, asked)
    )


def test_comb(plain: Any, sheet_id: str, thickness: float, kerfs: list[float], *, asker: Asker) -> bytes:
    """The file's name on one line, then the G-code of a kerf comb."""
    ticket = ticket_from_plain(plain)
    sheet = _sheet_of(ticket, sheet_id)
    return f"{slug(sheet.stock.name)}-kerf-comb.gcode".encode() + b"\n" + kerf_comb(ticket, sheet, thickness, kerfs)


def turn_trial(plain: Any, sheet_id: str, turn: str, *, asker: Asker) -> bytes:
    """The file's name on one line, then the G-code of a test turn."""
    ticket = ticket_from_plain(plain)
    sheet = _sheet_of(ticket, sheet_id)
    return f"{slug(sheet.stock.name)}-test-turn.gcode".encode() + b"\n" + test_turn(ticket, sheet, turn)


def trial(plain: Any, sheet_id: str, kind: str, *, asker: Asker) -> bytes:
    """The zip's name on one line, then its bytes: a single copy of a sheet, or a test cut with its settings."""
    ticket = ticket_from_plain(plain)
    sheet = _sheet_of(ticket, sheet_id)
    if kind in HEAD_TRIALS:
        ticket, work = _worked_out(plain, asker)
        content = HEAD_TRIALS[kind](ticket, sheet, work)
        return f"{slug(ticket.name)}-{slug(kind)}.gcode".encode() + b"\n" + content
    if kind == "one copy":
        single, work = _worked_out(to_plain(trial_ticket(ticket, sheet)), asker)
        files = trial_copy(single, work)
    else:
        ticket, work = _worked_out(plain, asker)
        work.require_whole()
        files = test_cut(ticket, sheet, work)
    return _zipped(f"{slug(ticket.name)}-{slug(kind)}.zip", files)


def _zipped(name: str, files: Sequence[JobFile]) -> bytes:
    packed = io.BytesIO()
    pack(((file.name, file.content) for file in files), packed)
    return name.encode() + b"\n" + packed.getvalue()


def _frame(ticket: Ticket, sheet: Sheet, work: Work, shape: str = "a box") -> bytes:
    return work_of(sheet.machine).write_frame(ticket, sheet, work, shape)


def _pen_run(ticket: Ticket, sheet: Sheet, work: Work) -> bytes:
    return write_pen_run(ticket, sheet, work, FORMATS["gcode"])


def _guides(ticket: Ticket, sheet: Sheet, work: Work) -> bytes:
    return write_guides(ticket, sheet, work, FORMATS["gcode"])


HEAD_TRIALS: dict[str, Callable[[Ticket, Sheet, Work], bytes]] = {
    "a framing pass": _frame, "a framing pass along the hull": partial(_frame, shape="the hull"),
    "a pen run": _pen_run,
    "guides": _guides,
}  # fmt: skip
"""Small files for a machine with a beam, by what the trial is called."""

KINDS: dict[str, Callable[..., bytes]] = {
    one.__name__: one
    for one in (
        preview,
        final,
        list_try_outs,
        one_try_out,
        deviation,
        outlines,
        lines,
        sized,
        nest,
        one_more_copy,
        click,
        paper,
        take,
        trial,
        moves,
        carved,
        program,
        marks,
        one_way,
        rehearsal,
        rehearsed_copy,
        rehearsals,
        rehearsal_fed_wrong,
        test_sheet,
        test_swatch,
        test_comb,
        turn_trial,
    )
}


def _sheet_of(ticket: Ticket, sheet_id: str) -> Sheet:
    return next(one for one in ticket.sheets if one.id == sheet_id)


def _worked_out(
    plain: Any, asker: Asker, *, preview: bool = False, upto: str = STATIONS[-1], machines: Sequence[Any] = ()
) -> tuple[Ticket, Work]:
    ticket = ticket_from_plain(plain)
    shop = _shop(json.dumps(machines)) if machines else STARTING
    return ticket, work_out(
        ticket, blobs.fetch, DRAFTS if preview else STORE, preview=preview, upto=upto, library=shop,
        cancelled=asker.cancelled, doing=asker.tell,
    )  # fmt: skip


@lru_cache(maxsize=4)
def _shop(machines: str) -> Library:
    """The shop's machines, JSON: they are the same from one question to the next."""
    return Library((), tuple(from_plain(Machine, one, "") for one in json.loads(machines)))


def _told(answer: Any) -> bytes:
    told = json.dumps(answer).encode()
    if len(told) > MOST_ANSWER_BYTES:
        raise FileTooLarge(
            f"What this job draws is too much to show: {len(told) / 1e6:.0f} MB.",
            "Raise the smallest part, or repeat an element fewer times.",
        )
    return told
