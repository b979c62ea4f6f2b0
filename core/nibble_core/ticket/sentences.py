"""The ticket says itself: rows of words and slots, the same on screen, on paper and in tests."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from nibble_core.ticket.fields import rule_of
from nibble_core.ticket.library import MACHINES, STOCKS
from nibble_core.ticket.model import Artwork, Line, Piece, Sheet, Ticket

STATIONS = ("artwork", "clean", "trace", "lines", "sheet", "machine")


@dataclass(frozen=True)
class Choice:
    value: str
    label: str
    words: str


@dataclass(frozen=True)
class Slot:
    """A value set into a sentence: where it lies in the ticket, what it is and what it may become.

    kind: length (mm), share (0 to 1, shown in %), count, choice, text or date. ``auto``: what an unset value is
    called, empty when it must be set. ``changed``: whether it differs from its default.
    """

    path: str
    kind: str
    value: Any
    text: str
    called: str
    low: float = 0.0
    high: float = 0.0
    step: float = 1.0
    auto: str = ""
    choices: tuple[Choice, ...] = ()
    changed: bool = False


@dataclass(frozen=True)
class Sentence:
    """One rule of the job. ``parts``: words and slots in order; ``more``: advanced ones behind “more”.

    ``owner``: path of the item the sentence is about, for removing or switching it; ``process`` colours it.
    """

    id: str
    station: str
    parts: tuple[str | Slot, ...]
    more: tuple[str | Slot, ...] = ()
    process: str = ""
    owner: str = ""
    on: bool = True

    @property
    def text(self) -> str:
        """The plain sentence, with “more” values that differ from their defaults."""
        said = "".join(part if isinstance(part, str) else part.text for part in self.parts)
        said = said[:1].upper() + said[1:]
        extra = [part for part in self.more if isinstance(part, Slot) and part.changed]
        return said + "".join(f" ({slot.called} {slot.text})" for slot in extra)


def sentences(ticket: Ticket) -> list[Sentence]:
    """Every sentence of the job, in the order of the stations."""
    said = [
        Sentence(
            "job", "artwork",
            ("Job ", _slot("", ticket, "name"), " for ", _slot("", ticket, "client"),
             ", due ", _slot("", ticket, "due"), "."),
        )
    ]  # fmt: skip
    for artwork in ticket.artworks:
        said += _artwork(artwork)
    for piece in ticket.pieces:
        said += _lines(piece)
    for sheet in ticket.sheets:
        said += _sheet(sheet, ticket.piece_of_layer(sheet.layer))
    said.append(
        Sentence(
            "machine", "machine",
            ("Cut on the ", _library_slot("machine", ticket.machine.key, ticket.machine.name, MACHINES.values()), "."),
        )
    )  # fmt: skip
    for spot in ticket.machine.spots:
        words = f"{spot.process.capitalize()} lines leave as the spot colour “{spot.ink}”."
        said.append(Sentence(f"spot-{spot.process}", "machine", (words,), process=spot.process))
    order = {station: index for index, station in enumerate(STATIONS)}
    return sorted(said, key=lambda sentence: order[sentence.station])


def _artwork(artwork: Artwork) -> Iterable[Sentence]:
    here = f"artworks/{artwork.id}"
    yield Sentence(
        f"{artwork.id}-size", "artwork",
        ("Make “", _slot(here, artwork, "name"), "” ", _slot(here, artwork, "width"), " wide."),
    )  # fmt: skip
    clean = artwork.clean
    tolerance = _slot(f"{here}/clean", clean, "tolerance")
    way = _slot(f"{here}/clean", clean, "background")
    if clean.background == "keep":
        parts: tuple[str | Slot, ...] = ("Background: ", way, " all of it.")
    elif clean.background == "see-through":
        parts = ("Take the background away: ", way, " stays see-through.")
    else:
        parts = ("Take the background away: ", way, ", with colours within ", tolerance, " of it.")
    yield Sentence(f"{artwork.id}-background", "clean", parts)
    at, trace = f"{here}/trace", artwork.trace
    mode, smallest = _slot(at, trace, "mode"), _slot(at, trace, "smallest")
    more = ("Stay within ", _slot(at, trace, "deviation"), " of the pixels.")
    if trace.mode == "outer":
        parts = ("Trace the ", mode, " edge of the drawing, dropping parts under ", smallest, ".")
    else:
        threshold = _slot(at, trace, "threshold")
        parts = ("Trace ", mode, " shapes, ink below ", threshold, ", dropping parts under ", smallest, ".")
    yield Sentence(f"{artwork.id}-trace", "trace", parts, more)
    for touch in artwork.touch_ups:
        words = "Drop the region by hand" if touch.kind == "drop" else "Keep the region by hand"
        place = f" at {touch.x * 100:.0f} % across, {touch.y * 100:.0f} % down."
        yield Sentence(touch.id, "trace", (words + place,), owner=f"{here}/touch_ups/{touch.id}")


def _lines(piece: Piece) -> Iterable[Sentence]:
    for layer in piece.layers:
        here = f"pieces/{piece.id}/layers/{layer.id}"
        yield Sentence(f"{layer.id}-print", "lines", ("Print ", _slot(here, layer, "prints"), "."), process="print")
        for line in layer.lines:
            yield _line(f"{here}/lines/{line.id}", line)


def _line(here: str, line: Line) -> Sentence:
    where = "outside the artwork" if line.distance > 0 else "inside the artwork" if line.distance < 0 else "on the edge"
    more: tuple[str | Slot, ...] = ()
    if line.corners == "mitred":
        more = ("Cut points off beyond ", _slot(here, line, "mitre_limit"), " of the distance.")
    parts = (
        _slot(here, line, "process"), " ", _slot(here, line, "distance"), f" {where} with ",
        _slot(here, line, "corners"), " corners, closing gaps under ", _slot(here, line, "close_gaps"), ".",
    )  # fmt: skip
    return Sentence(line.id, "lines", parts, more, line.process, here, line.on)


def _sheet(sheet: Sheet, piece: Piece) -> Iterable[Sentence]:
    here = f"sheets/{sheet.id}"
    stock = sheet.stock
    yield Sentence(
        f"{sheet.id}-lay", "sheet",
        ("Lay ", _slot(f"pieces/{piece.id}", piece, "quantity"), " on ",
         _library_slot(f"{here}/stock", stock.key, stock.name, STOCKS.values()), ", ",
         _slot(here, sheet, "spacing"), " apart, in a grid."),
    )  # fmt: skip
    yield Sentence(
        f"{sheet.id}-marks", "sheet",
        ("Put ", _slot(here, sheet, "marks"), " registration marks round them, ", _slot(here, sheet, "mark_diameter"),
         " across, ", _slot(here, sheet, "mark_gap"), " from the work."),
    )  # fmt: skip
    mirrored = "Mirrored, because this film is pressed on its face." if stock.mirrored else "Not mirrored."
    yield Sentence(f"{sheet.id}-mirror", "sheet", (mirrored,))


def _slot(here: str, owner: Any, name: str) -> Slot:
    rule, value = rule_of(owner, name), getattr(owner, name)
    assert rule is not None
    choices = tuple(Choice(key, key, words) for key, words in (rule.choices or {}).items())
    default = next(f.default for f in owner.__dataclass_fields__.values() if f.name == name)
    return Slot(
        f"{here}/{name}".lstrip("/"), rule.kind, value, rule.say(value), rule.called, rule.low, rule.high, rule.step,
        rule.auto or "", choices, value != default,
    )  # fmt: skip


def _library_slot(path: str, key: str, name: str, records: Iterable[Any]) -> Slot:
    choices = tuple(
        Choice(
            record.key,
            record.name,
            f"{record.usable_width:.0f} mm usable, parts from {record.smallest_part:g} mm.",
        )
        for record in records
    )
    return Slot(path, "choice", key, name, path.rsplit("/", 1)[-1], choices=choices)
