"""What the printed ticket says: what matters at arm's length, once.

Left out are sentences in which nothing differs from the usual, what the head of the page or the table of settings
says, and everything that is said of another artwork, piece or sheet already: what is alike for all is said of all.
"""

from __future__ import annotations

from collections.abc import Iterator

from nibble_core.ticket import Sentence, Slot, sentences
from nibble_core.ticket.model import Ticket

BLANK = "_" * 14
"""Room to write what nobody has said yet."""
ALWAYS = ("-size", "-trace", "-lay", "-marks", "-machine", "-mirror")
"""Endings of sentences that are told even where all is as usual."""
FILLED_IN = ("source", "allowed_by")


def said_at(station: str, ticket: Ticket) -> Iterator[str]:
    """The sentences of a station as they are printed, in their order."""
    names = _names(ticket)
    abouts: list[str] = []
    said: dict[tuple[str, str], dict[str, int]] = {}
    layered = any(len(piece.layers) > 1 for piece in ticket.pieces)
    for sentence in sentences(ticket):
        if sentence.station != station or not sentence.on:
            continue
        if sentence.about in names and sentence.about not in abouts:
            abouts.append(sentence.about)
        if _matters(sentence):
            # which layer a line is of is told by where it stands
            stands = sentence.id if station == "lines" and layered and sentence.process else ""
            of = said.setdefault((_text(sentence), stands), {})
            of[sentence.about] = of.get(sentence.about, 0) + 1
    for (text, _), of in said.items():
        times = max(of.values())
        often = f" ({times} of them)" if times > 1 and set(of.values()) == {times} else ""
        whose = _whose(text, list(of), abouts, names)
        yield f"{whose[:1].upper()}{whose[1:]}{text}{often}"


def _names(ticket: Ticket) -> dict[str, str]:
    """What artworks, pieces and sheets are called, by id."""
    return {
        **{one.id: one.name for one in ticket.artworks}, **{one.id: one.name for one in ticket.pieces},
        **{one.id: f"sheet {ticket.number(one)}" for one in ticket.sheets},
    }  # fmt: skip


def _whose(text: str, of: list[str], abouts: list[str], names: dict[str, str]) -> str:
    """What a sentence is of, where it is not of all alike and does not say so itself."""
    if len(abouts) < 2 or any(about not in names for about in of):
        return ""
    if len(of) == len(abouts):
        return "All: "
    called = [names[about] for about in of]
    return "" if all(name.lower() in text.lower() for name in called) else f"{', '.join(called)}: "


def _matters(sentence: Sentence) -> bool:
    if sentence.id == "job" or "-spot-" in sentence.id:
        return False
    slots = [part for part in (*sentence.parts, *sentence.more) if isinstance(part, Slot)]
    if sentence.process == "print":
        return bool(slots[0].value != "nothing")
    if sentence.process or sentence.owner or (sentence.id.endswith(ALWAYS) and slots):
        return True
    return any(one.changed or one.path.endswith(FILLED_IN) for one in slots) or sentence.id.endswith("-page")


def _text(sentence: Sentence) -> str:
    """As the sentence says itself, with room to write for what nobody has said."""
    text = sentence.text
    for part in sentence.parts:
        if isinstance(part, Slot) and part.path.endswith(FILLED_IN) and not part.value:
            text = text.replace(part.text, BLANK, 1)
    return text
