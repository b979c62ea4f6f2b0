"""Sentences and the slots set into them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from nibble_core.ticket.fields import rule_of

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


Parts = tuple[str | Slot, ...]


@dataclass(frozen=True)
class Sentence:
    """One rule of the job. ``parts``: words and slots in order; ``more``: advanced ones behind “more”.

    ``owner``: path of the item the sentence is about, for removing or switching it; ``process`` colours it.
    ``about``: id of the artwork or piece it belongs to, empty for the whole job.
    """

    id: str
    station: str
    parts: Parts
    more: Parts = ()
    process: str = ""
    owner: str = ""
    on: bool = True
    about: str = ""

    @property
    def text(self) -> str:
        """The plain sentence, with “more” values that differ from their defaults."""
        said = "".join(part if isinstance(part, str) else part.text for part in self.parts)
        said = said[:1].upper() + said[1:]
        extra = [part for part in self.more if isinstance(part, Slot) and part.changed and not _said_already(part)]
        return said + "".join(f" ({slot.called} {slot.text})" for slot in extra)


def _said_already(one: Slot) -> bool:
    """Where an element stands, and that a line runs along shapes themselves, is in the sentence's own words."""
    name = one.path.rsplit("/", 1)[-1]
    placed = "/elements/" in one.path and name in ("across", "down", "x", "y", "beside")
    return placed or (one.path.endswith("offset/distance") and not one.value)


def slot(here: str, owner: Any, name: str) -> Slot:
    """The slot of a field; of a value that comes in kinds, the choice among these."""
    rule, value = rule_of(owner, name), getattr(owner, name)
    assert rule is not None
    choices = tuple(Choice(key, key, words) for key, words in (rule.choices or {}).items())
    default = next(f.default for f in owner.__dataclass_fields__.values() if f.name == name)
    if rule.types:
        value, default = value.kind, default.kind
    return Slot(
        f"{here}/{name}".lstrip("/"), rule.kind, value, rule.say(value), rule.called, rule.low, rule.high, rule.step,
        rule.auto or "", choices, value != default,
    )  # fmt: skip


def item_slot(path: str, value: str, called: str, items: Mapping[str, str], empty: str) -> Slot:
    """A choice among items of the ticket, by id; empty: what none of them is called."""
    choices = (Choice("", empty, ""), *(Choice(id, name, "") for id, name in items.items()))
    return Slot(path, "choice", value, items.get(value, empty), called, choices=choices)


def library_slot(
    path: str, key: str, name: str, records: Iterable[Any], beside: Callable[[Any], str] = lambda record: ""
) -> Slot:
    """A choice among records of the library. beside: what else is said of each."""
    choices = tuple(
        Choice(
            record.key,
            record.name,
            f"{record.usable_width:.0f} mm usable, parts from {record.smallest_part:g} mm{beside(record)}.",
        )
        for record in records
    )
    return Slot(path, "choice", key, name, path.rsplit("/", 1)[-1], choices=choices)
