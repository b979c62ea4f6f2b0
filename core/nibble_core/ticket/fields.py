"""Fields of the ticket that know their kind, limits and words.

One description serves validation, the sentence's slot and the words of a change, so the three cannot disagree.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, fields
from datetime import date
from functools import cache
from typing import Any

from nibble_core.errors import InvalidTicket
from nibble_core.geometry.units import format_number, say_length


@dataclass(frozen=True)
class Rule:
    """What a field takes. ``called`` names it in the words of a change; ``auto`` is what None is called; ``types``: of
    a value that comes in kinds, which are its choices, the type of each."""

    kind: str
    called: str
    low: float = 0.0
    high: float = 0.0
    step: float = 1.0
    choices: Mapping[str, str] | None = None
    auto: str | None = None
    types: Mapping[str, type] = field(default_factory=dict)

    def check(self, value: Any) -> Any:
        """The value as stored. Raises InvalidTicket, naming the limits or the right values."""
        return self.checker(value)

    @property
    def checker(self) -> Callable[[Any], Any]:
        """What checks a value, for many of them."""
        checked: Callable[[Any], Any] = getattr(self, f"_check_{self.kind}")
        if self.auto is None:
            return checked
        nothing = "" if self.kind == "text" else None
        return lambda value: nothing if value is None else checked(value)

    def say(self, value: Any) -> str:
        """The value in words: “2.0 mm”, “48 %”, “round”."""
        if value is None or (value == "" and self.auto):
            return self.auto or "nothing"
        if self.kind == "length":
            return say_length(value)
        if self.kind == "amount":
            return f"{value:.2f}"
        if self.kind == "share":
            return f"{format_number(100 * value, 1)} %"
        if self.kind == "angle":
            return f"{format_number(value, 2)}°"
        if self.kind == "speed":
            return f"{value:g} mm/s"
        if self.kind == "count":
            return f"{value:,}".replace(",", " ")  # a thin space, not a comma, between thousands
        return str(value)

    def _number(self, value: Any) -> float:
        if isinstance(value, bool) or not isinstance(value, (int, float)) or value != value:
            raise InvalidTicket(f"The {self.called} must be a number.", self._limits())
        if not self.low <= value <= self.high:
            said = self.say(value) if abs(value) < 1e9 else "so large"
            raise InvalidTicket(f"The {self.called} cannot be {said}.", self._limits())
        return float(value)

    def _limits(self) -> str:
        return f"It can be from {self.say(self.low)} to {self.say(self.high)}."

    def _check_length(self, value: Any) -> float:
        return round(self._number(value), 6)

    def _check_amount(self, value: Any) -> float:
        return round(self._number(value), 2)

    def _check_share(self, value: Any) -> float:
        return round(self._number(value), 6)

    def _check_angle(self, value: Any) -> float:
        return round(self._number(value), 4)

    def _check_colour(self, value: Any) -> str:
        if not isinstance(value, str) or not re.fullmatch(r"#[0-9a-fA-F]{6}", value):
            raise InvalidTicket(f"“{value}” is not a colour.", "Write it as #rrggbb, as in #1d2c52.")
        return value.lower()

    def _check_count(self, value: Any) -> int:
        number = self._number(value)
        if number != int(number):
            raise InvalidTicket(f"The {self.called} must be a whole number.", "")
        return int(number)

    _check_speed = _check_count

    def _check_choice(self, value: Any) -> str:
        choices = list(self.choices or ())
        if value not in choices:
            raise InvalidTicket(f"The {self.called} cannot be “{value}”.", f"Choose {', '.join(choices)}.")
        return str(value)

    def _check_text(self, value: Any) -> str:
        if not isinstance(value, str) or len(value) > self.high or re.search(r"[\x00-\x1f\x7f\ud800-\udfff]", value):
            raise InvalidTicket(f"The {self.called} must be one line of text.", f"Up to {self.high:.0f} letters.")
        if len(value.strip()) < self.low:
            raise InvalidTicket(f"The {self.called} cannot be empty.", "Write a name.")
        return value.strip()

    def _check_date(self, value: Any) -> str:
        try:
            return date.fromisoformat(value).isoformat()
        except (TypeError, ValueError) as error:
            raise InvalidTicket(f"“{value}” is not a date.", "Write it as year-month-day.") from error

    def _check_flag(self, value: Any) -> bool:
        if not isinstance(value, bool):
            raise InvalidTicket(f"The {self.called} is either on or off.", "")
        return value

    def _check_numbers(self, value: Any) -> tuple[float, ...]:
        good = isinstance(value, (list, tuple)) and len(value) <= self.high
        if not good or any(isinstance(n, bool) or not isinstance(n, (int, float)) or not -1 <= n <= 2 for n in value):
            raise InvalidTicket(f"The {self.called} is not a list of places.", f"At most {self.high:.0f} numbers.")
        return tuple(round(float(n), 5) for n in value)

    def _check_digest(self, value: Any) -> str:
        if not isinstance(value, str) or not re.fullmatch(r"[0-9a-f]{64}", value):
            raise InvalidTicket("A file is named by its SHA-256.", "Add the artwork again.")
        return value


def length(
    default: float | None, low: float, high: float, called: str, *, step: float = 0.1, auto: str | None = None
) -> Any:
    """Millimetres."""
    return field(default=default, metadata={"rule": Rule("length", called, low, high, step, auto=auto)})


def share(default: float | None, called: str, *, low: float = 0.0, high: float = 1.0, auto: str | None = None) -> Any:
    """A part of the whole, 0 to 1, shown in per cent."""
    return field(default=default, metadata={"rule": Rule("share", called, low, high, 0.01, auto=auto)})


def count(default: int | None, low: int, high: int, called: str, *, auto: str | None = None) -> Any:
    return field(default=default, metadata={"rule": Rule("count", called, low, high, auto=auto)})


def velocity(default: int | None, low: int, high: int, called: str, *, auto: str | None = None) -> Any:
    """Whole mm a second."""
    return field(default=default, metadata={"rule": Rule("speed", called, low, high, auto=auto)})


def numbers(most: int, called: str) -> Any:
    """A list of at most so many finite numbers from -1 to 2: places as fractions of a picture."""
    return field(default=(), metadata={"rule": Rule("numbers", called, -1, most)})


def amount(default: float, low: float, high: float, called: str) -> Any:
    """A plain number of two places, such as a price in the shop's money."""
    return field(default=default, metadata={"rule": Rule("amount", called, low, high, 0.5)})


def angle(
    default: float | None, called: str, *, low: float = -360.0, high: float = 360.0, auto: str | None = None
) -> Any:
    """Degrees, clockwise on screen."""
    return field(default=default, metadata={"rule": Rule("angle", called, low, high, 1.0, auto=auto)})


def colour(default: str, called: str) -> Any:
    """Red, green and blue as #rrggbb."""
    return field(default=default, metadata={"rule": Rule("colour", called)})


def choice(default: str, called: str, choices: Mapping[str, str]) -> Any:
    """One of the keys; the values explain each in a line."""
    return field(default=default, metadata={"rule": Rule("choice", called, choices=choices)})


def of_kinds(default: Any, called: str, choices: Mapping[str, str], type_of: Callable[[str], type]) -> Any:
    """A value that comes in kinds, each a dataclass with a field ``kind`` and what else counts for it."""
    types = _Types(choices, type_of)
    return field(default=default, metadata={"rule": Rule("choice", called, choices=choices, types=types)})


class _Types(Mapping[str, type]):
    """The type of each kind there is, asked for anew each time: a process may be added to those there are."""

    def __init__(self, kinds: Mapping[str, str], type_of: Callable[[str], type]) -> None:
        self._kinds, self._type_of = kinds, type_of

    def __getitem__(self, kind: str) -> type:
        if kind not in self._kinds:
            raise KeyError(kind)
        return self._type_of(kind)

    def __iter__(self) -> Iterator[str]:
        return iter(self._kinds)

    def __len__(self) -> int:
        return len(self._kinds)


def text(default: str, longest: int, called: str, *, shortest: int = 0, empty: str | None = None) -> Any:
    """One line; ``empty`` is what an empty one is called."""
    return field(default=default, metadata={"rule": Rule("text", called, shortest, longest, auto=empty)})


def flag(default: bool, called: str) -> Any:
    return field(default=default, metadata={"rule": Rule("flag", called)})


def day(called: str) -> Any:
    return field(default=None, metadata={"rule": Rule("date", called, auto="no date")})


def digest() -> Any:
    return field(default="0" * 64, metadata={"rule": Rule("digest", "file")})


def rule_of(owner: Any, name: str) -> Rule | None:
    """The rule of a field, by dataclass or instance and name; None for nested values."""
    return _rules(owner if isinstance(owner, type) else type(owner)).get(name)


@cache
def _rules(kind: type) -> Mapping[str, Rule]:
    return {f.name: f.metadata["rule"] for f in fields(kind) if "rule" in f.metadata}
