"""What each station says of the work: its state, one short fact, notes in words, and figures."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from nibble_core.artwork.facts import POOR_PPI, print_quality
from nibble_core.geometry.units import format_number
from nibble_core.pipeline.work import Work
from nibble_core.ticket.model import Artwork, Sheet, Ticket
from nibble_core.ticket.sentences import STATIONS

FINE, LOOK, BLOCKED, WAITING = "fine", "look", "blocked", "waiting"


@dataclass(frozen=True)
class Note:
    """Something to know or to mend; ``where`` is a path into the ticket. Only a blocking note stops files."""

    text: str
    what_to_do: str = ""
    where: str = ""
    weight: str = "told"  # told, look or blocked


@dataclass(frozen=True)
class Station:
    """A tile of the track: key, state (fine, look, blocked or waiting), fact, notes, figures (value, label)."""

    key: str
    state: str = FINE
    fact: str = ""
    notes: tuple[Note, ...] = ()
    figures: tuple[tuple[str, str], ...] = ()


@dataclass
class _Draft:
    fact: str = ""
    notes: list[Note] = field(default_factory=list)
    figures: list[tuple[str, str]] = field(default_factory=list)


def stations(ticket: Ticket, work: Work) -> list[Station]:
    """The six stations in order."""
    drafts = {key: _Draft() for key in STATIONS}
    for artwork in ticket.artworks:
        _artwork(drafts["artwork"], artwork, ticket, work)
        _clean(drafts["clean"], artwork, work)
        _trace(drafts["trace"], artwork, work)
    _lines(drafts["lines"], ticket, work)
    for sheet in ticket.sheets:
        _sheet(drafts["sheet"], sheet, ticket, work)
    drafts["machine"].fact = "ready to make files"
    drafts["machine"].figures = [(ticket.machine.name, "machine"), (str(len(ticket.machine.spots)), "spot colours")]
    for problem in work.problems:
        error = problem.error
        drafts[problem.station].notes.insert(0, Note(error.message, error.what_to_do, problem.where, BLOCKED))
    return _with_states(drafts)


def _with_states(drafts: dict[str, _Draft]) -> list[Station]:
    told: list[Station] = []
    blocked_by = ""
    for key, draft in drafts.items():
        station = Station(key, FINE, draft.fact, tuple(draft.notes), tuple(draft.figures))
        weights = {note.weight for note in draft.notes}
        if BLOCKED in weights:
            station = replace(station, state=BLOCKED, fact=draft.fact or "blocked")
            blocked_by = blocked_by or key
        elif blocked_by:
            station = replace(station, state=WAITING, fact=f"waits for {blocked_by.capitalize()}", figures=())
        elif LOOK in weights:
            station = replace(station, state=LOOK)
        told.append(station)
    return told


def _artwork(draft: _Draft, artwork: Artwork, ticket: Ticket, work: Work) -> None:
    if artwork.id not in work.pictures:
        return
    picture = work.pictures[artwork.id].value
    facts = picture.facts
    ppi = facts.ppi(artwork.width)
    height = artwork.width * facts.height_px / facts.width_px
    draft.fact = f"{ppi:.0f} px/in"
    draft.notes += [Note(text, where=f"artworks/{artwork.id}") for text in picture.notes]
    prints = any(layer.prints != "nothing" for piece in ticket.pieces for layer in piece.layers)
    if prints and ppi < POOR_PPI:
        wanted = artwork.width / 25.4 * 200
        draft.notes.append(
            Note(
                f"This {picture.kind} is {facts.width_px} px wide. At {artwork.width:.0f} mm it prints at {ppi:.0f} px "
                "per inch and will look like bricks.",
                f"Ask for one at least {wanted:.0f} px wide, make it smaller, or only cut it.",
                f"artworks/{artwork.id}/width",
                LOOK,
            )
        )
    draft.figures = [
        (f"{facts.width_px} × {facts.height_px}", f"px, {picture.kind}"),
        (f"{artwork.width:.1f} × {height:.1f}", "mm, whole picture"),
        (f"{ppi:.0f} px/in", f"prints {print_quality(ppi)}"),
        (_thousands(facts.colours), f"colours, {len(facts.main_colours)} main ones"),
    ]


def _clean(draft: _Draft, artwork: Artwork, work: Work) -> None:
    if artwork.id not in work.cleaned:
        return
    cleaned = work.cleaned[artwork.id].value
    words = {"flood": "background away", "see-through": "see-through", "keep": "background kept"}
    draft.fact = words[cleaned.way]
    draft.figures = [(f"{100 * cleaned.taken:.0f} %", "of the picture is clear"), (cleaned.way, "way taken")]
    facts = work.pictures[artwork.id].value.facts
    if cleaned.way == "keep" and artwork.clean.background == "by itself" and not facts.boxed:
        draft.notes.append(
            Note("The border of this picture is not plain, so all of it is kept.", "Choose “flood” to take it away.",
                 f"artworks/{artwork.id}/clean/background")
        )  # fmt: skip


def _trace(draft: _Draft, artwork: Artwork, work: Work) -> None:
    if artwork.id not in work.traces:
        return
    trace = work.traces[artwork.id].value
    here = f"artworks/{artwork.id}/trace"
    draft.fact = f"{trace.nodes} nodes"
    small = sum(1 for shape in trace.shapes if shape.dropped == "small")
    if small:
        specks = "1 speck" if small == 1 else f"{small} specks"
        limit = format_number(artwork.trace.smallest)
        draft.notes.append(Note(f"{specks} under {limit} mm left out.", "Click one to keep it.", f"{here}/smallest"))
    for id in trace.lost:
        draft.notes.append(
            Note(
                "A touch-up by hand has lost its place: no such region is there now.",
                "Remove it, or move the threshold back.", f"artworks/{artwork.id}/touch_ups/{id}", LOOK,
            )
        )  # fmt: skip
    draft.figures = [(str(len(trace.kept)), "shapes"), (str(trace.nodes), "nodes")]
    if trace.worst_deviation is not None and trace.mean_deviation is not None:
        draft.figures += [
            (f"{trace.worst_deviation:.3f} mm", "worst deviation"),
            (f"{trace.mean_deviation:.4f} mm", "mean deviation"),
        ]


def _lines(draft: _Draft, ticket: Ticket, work: Work) -> None:
    drawn = [line for layer in work.layers.values() for line in layer.value.lines]
    if not work.layers:
        return
    draft.fact = "1 line" if len(drawn) == 1 else f"{len(drawn)} lines"
    for piece in ticket.pieces:
        for layer in piece.layers:
            here = f"pieces/{piece.id}/layers/{layer.id}"
            if layer.id in work.layers and not work.layers[layer.id].value.lines:
                draft.notes.append(Note("No line is switched on: nothing will be cut.", "Add a line.", here, LOOK))
            for line in work.layers[layer.id].value.lines if layer.id in work.layers else ():
                if len(line.regions) > 1:
                    draft.notes.append(
                        Note(
                            f"The {line.process} makes {len(line.regions)} separate pieces.",
                            "Close wider gaps or cut further out to join them, or drop what is not wanted.",
                            f"{here}/lines/{line.id}", LOOK,
                        )
                    )  # fmt: skip
                for region in line.regions:
                    box = region.bounds()
                    if min(box.width, box.height) < ticket.machine.smallest_part:
                        limit = format_number(ticket.machine.smallest_part)
                        draft.notes.append(
                            Note(
                                f"A part of the {line.process} is {min(box.width, box.height):.2f} mm small.",
                                f"The {ticket.machine.name} holds parts from {limit} mm.",
                                f"{here}/lines/{line.id}", LOOK,
                            )
                        )  # fmt: skip
    for process in ("kiss cut", "through cut"):
        length = sum(line.length for line in drawn if line.process == process)
        if length:
            draft.figures.append((f"{length:.0f} mm", process))
    if drawn:
        draft.figures.append((str(sum(line.nodes for line in drawn)), "nodes"))
        box = next(iter(work.layers.values())).value.box
        draft.figures.append((f"{box.width:.1f} × {box.height:.1f}", "mm, the piece"))


def _sheet(draft: _Draft, sheet: Sheet, ticket: Ticket, work: Work) -> None:
    if sheet.id not in work.layouts:
        return
    layout = work.layouts[sheet.id]
    long = f"{layout.height / 1000:.2f} m" if layout.height >= 1000 else f"{layout.height:.0f} mm"
    draft.fact = f"{layout.copies} up, {long}"
    quantity = ticket.piece_of_layer(sheet.layer).quantity
    if layout.sheets > 1:
        made = layout.copies * layout.sheets
        extra = f" ({made - quantity} more than wanted)" if made != quantity else ""
        draft.notes.append(
            Note(f"Run this sheet {layout.sheets} times: {made} copies{extra}.", where=f"sheets/{sheet.id}")
        )
    draft.figures = [
        (f"{layout.columns} × {layout.rows}", "across and down"),
        (f"{layout.width:.1f} × {layout.height:.1f}", "mm, the sheet"),
        (_thousands(layout.copies * layout.sheets), "copies in all"),
        (str(len(layout.marks)), "registration marks"),
    ]


def _thousands(number: int) -> str:
    return f"{number:,}".replace(",", " ")
