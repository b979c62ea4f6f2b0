"""Tickets to plain JSON values and back, checked field by field."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Sequence
from dataclasses import MISSING, fields, is_dataclass
from functools import cache, partial
from types import UnionType
from typing import Any, TypeVar, Union, get_args, get_origin, get_type_hints

from nibble_core.errors import InvalidTicket
from nibble_core.ticket.fields import Rule, rule_of
from nibble_core.ticket.model import Machine, Setting, Sheet, Ticket
from nibble_core.ticket.piece import FromArtwork
from nibble_core.ticket.upgrading import upgrade

T = TypeVar("T")
MOST_ITEMS = 10_000
MOST = {
    "artworks": 100, "pieces": 100, "sheets": 300, "elements": 300, "layers": 24, "lines": 100, "touch_ups": 3000,
    "strokes": 2000, "places": 500, "areas": 200, "recolours": 200, "colours": 300, "regions": 3000, "folds": 1000,
    "hole_marks": 3000, "tie_marks": 3000, "bridges": 3000, "spots": 40,
    "holds": 300, "placed": 20_000, "formats": 12, "settings": 40, "origin": 1, "clamps": 20, "kerf_marks": 3000,
    "wordless": 500, "girths": 60, "cutters": 30, "free": 40, "accepted": 1000,
}  # fmt: skip
"""Items of a list that a ticket holds at most: more would take minutes to draw, and no job needs them."""
_PLAIN = frozenset({str, float, int, bool, type(None)})
MOST_POINTS = 600_000  # of all brush strokes and touch-ups together
MOST_COPIES = 1200  # of all elements of a piece together


def to_plain(value: Any) -> Any:
    """Dataclasses and tuples as dicts and lists."""
    kind = type(value)
    if kind in _PLAIN:
        return value
    if kind is tuple or kind is list:
        return [to_plain(item) for item in value]
    if is_dataclass(kind):
        return {name: to_plain(getattr(value, name)) for name, _ in _fields(kind)}
    return value


def fingerprint(*parts: Any) -> str:
    """A SHA-256 over any plain or dataclass values, the same in every process."""
    packed = json.dumps([to_plain(part) for part in parts], sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(packed.encode()).hexdigest()


def ticket_from_plain(plain: Any) -> Ticket:
    """A ticket from JSON values of this or an older schema. Raises InvalidTicket, naming the place."""
    ticket = from_plain(Ticket, upgrade(plain), "")
    _check_links(ticket)
    return ticket


def from_plain(kind: type[T], plain: Any, where: str) -> T:
    """A value of dataclass ``kind``. Unknown names, wrong types and values beyond limits raise InvalidTicket."""
    try:
        return _record(kind, plain)
    except InvalidTicket as error:
        raise _within(where, error) from error


def _within(part: str, error: InvalidTicket) -> InvalidTicket:
    """An error as it is told of a part of what is read: places are put together on the way out, not for each value."""
    where = "/".join(one for one in (part, error.where) if one)
    return InvalidTicket(error.message, error.what_to_do, where=where)


def _record(kind: type[T], plain: Any) -> T:
    if not isinstance(plain, dict):
        raise InvalidTicket(f"Expected a group of values, found {type(plain).__name__}.", "")
    readers = _readers(kind)  # type: ignore[arg-type]
    if not plain.keys() <= readers.keys():
        unknown = sorted(set(plain) - set(readers))
        raise InvalidTicket(f"“{unknown[0]}” does not belong there.", f"Known: {', '.join(readers)}.")
    values: dict[str, Any] = {}
    for name, (required, read) in readers.items():
        if name in plain:
            try:
                values[name] = read(plain[name])
            except InvalidTicket as error:
                raise _within(name, error) from error
        elif required:
            raise InvalidTicket(f"“{name}” is missing.", "")
    return kind(**values)


@cache
def _readers(kind: Any) -> dict[str, tuple[bool, Callable[[Any], Any]]]:
    """Of each field of a dataclass whether it must be given, and what reads its plain value."""
    hints = _hints(kind)
    return {name: (required, _reader(rule_of(kind, name), name, hints[name])) for name, required in _fields(kind)}


def _reader(rule: Rule | None, name: str, hint: Any) -> Callable[[Any], Any]:
    if rule is not None:
        return partial(_of_kind, rule) if rule.types else rule.checker
    if get_origin(hint) is tuple:
        item, *more = get_args(hint)
        return partial(_items, item, MOST.get(name, MOST_ITEMS), name, None if more == [...] else len(more) + 1)
    if get_origin(hint) in (Union, UnionType):
        bare = next(arg for arg in get_args(hint) if arg is not type(None))
        return partial(_item, bare)
    return partial(_item, hint)


def _items(kind: Any, most: int, name: str, count: int | None, plain: Any) -> tuple[Any, ...]:
    if not isinstance(plain, list):
        raise InvalidTicket("Expected a list.", f"At most {MOST_ITEMS} items.")
    if len(plain) > most:
        called = name.replace("_", " ").replace("tie marks", "ties").replace("hole marks", "holes by hand")
        raise InvalidTicket(
            f"These would be {len(plain):,} {called}; {most:,} are the most.".replace(",", " "),
            "Split them into several pieces or jobs.",
        )
    if count is not None and len(plain) != count:
        raise InvalidTicket(f"Expected {count} values.", "")
    records = is_dataclass(kind)
    items = []
    for index, value in enumerate(plain):
        try:  # what was read already is taken as it is
            items.append(value if records and type(value) is kind else _item(kind, value))
        except InvalidTicket as error:
            raise _within(_id(value, index), error) from error
    if records and "id" in _hints(kind) and len({value.id for value in items}) != len(items):
        raise InvalidTicket("Two items share an id.", "")
    return tuple(items)


def _of_kind(rule: Rule, plain: Any) -> Any:
    """A value of one of several kinds; a kind alone is that kind with its usual values."""
    plain = {"kind": plain} if isinstance(plain, str) else plain
    if not isinstance(plain, dict):
        raise InvalidTicket(f"The {rule.called} is a kind with its values.", f"Choose {', '.join(rule.choices or ())}.")
    kind = rule.check(plain.get("kind"))
    own = rule.types[kind]
    alien = sorted(plain.keys() - _hints(own).keys())
    if alien:
        can = [one for one, its in rule.types.items() if alien[0] in _hints(its)]
        raise InvalidTicket(
            f"“{alien[0]}” does not belong to “{kind}”.",
            f"It belongs to {', '.join(can)}." if can else f"Known: {', '.join(_hints(own))}.",
        )
    return _record(own, plain)


def as_kind(rule: Rule, kind: str, before: dict[str, Any]) -> dict[str, Any]:
    """A plain value made another kind of its rule: what both kinds have stays, all else has its usual values. Raises
    InvalidTicket for no kind."""
    usual: dict[str, Any] = to_plain(rule.types[rule.check(kind)](kind=kind))
    return usual | {key: value for key, value in before.items() if key in usual} | {"kind": kind}


def _item(hint: Any, plain: Any) -> Any:
    if is_dataclass(hint):
        return _record(hint, plain)  # type: ignore[arg-type]
    if hint is float and isinstance(plain, (int, float)) and not isinstance(plain, bool):
        if not -1e9 <= plain <= 1e9:  # nor what is no number
            raise InvalidTicket("Expected a number.", "")
        return float(plain)
    if not isinstance(plain, hint) or isinstance(plain, bool) is not (hint is bool):
        raise InvalidTicket(f"Expected {hint.__name__}, found {type(plain).__name__}.", "")
    if hint is str and not 1 <= len(plain) <= 40:
        raise InvalidTicket("An id has 1 to 40 letters.", "")
    if hint is str and not (plain.isprintable() and plain == plain.strip() and "/" not in plain):
        raise InvalidTicket("An id has no line breaks, slashes or invisible signs.", "")
    return plain


def _id(value: Any, index: int) -> str:
    return str(value["id"]) if isinstance(value, dict) and "id" in value else str(index)


@cache
def _fields(kind: Any) -> tuple[tuple[str, bool], ...]:
    """Names of the fields of a dataclass, and whether each must be given."""
    return tuple((f.name, f.default is MISSING and f.default_factory is MISSING) for f in fields(kind))


def type_at(owner: type, name: str, plain: dict[str, Any]) -> type:
    """The dataclass of a field's plain value, or of its items; of one of several kinds, that of its kind."""
    rule = rule_of(owner, name)
    if rule is not None and rule.types:
        return rule.types[plain[name]["kind"]]
    hint = _hints(owner).get(name, object)
    found: type = get_args(hint)[0] if get_origin(hint) is tuple else hint
    return found


@cache
def _hints(kind: Any) -> dict[str, Any]:
    """Names and types of the fields of a dataclass."""
    hints = get_type_hints(kind)
    return {own.name: hints[own.name] for own in fields(kind)}


def _check_links(ticket: Ticket) -> None:
    """Elements name artworks, sheets name layers and items name neighbours that exist, and none its own followers."""
    strokes = [one.points for own in ticket.artworks for one in own.clean.strokes]
    strokes += [one.points for own in ticket.artworks for one in own.touch_ups]
    points = sum(len(way) // 2 for way in strokes)
    if points > MOST_POINTS:
        raise InvalidTicket(
            f"The strokes of this job have {points:,} points; {MOST_POINTS:,} are the most.".replace(",", " "),
            "Use a wider brush, or the lasso.",
        )
    artworks = {artwork.id for artwork in ticket.artworks}
    layers = {layer.id for piece in ticket.pieces for layer in piece.layers}
    for piece in ticket.pieces:
        copies = sum(element.columns * element.rows for element in piece.elements)
        if copies > MOST_COPIES:
            raise InvalidTicket(
                f"The elements of “{piece.name}” would be {copies:,} with their copies; {MOST_COPIES:,} are the "
                "most.".replace(",", " "),
                "Lay more pieces on the sheet instead.", where=f"pieces/{piece.id}",
            )  # fmt: skip
        for element in piece.elements:
            if isinstance(element.content, FromArtwork) and element.artwork not in artworks:
                raise InvalidTicket("A piece uses an artwork that is not there.", "", where=f"pieces/{piece.id}")
        _check_circle({element.id: element.beside for element in piece.elements}, f"pieces/{piece.id}", "element")
        for layer in piece.layers:
            follows = {line.id: line.follows for line in layer.lines}
            _check_circle(follows, f"pieces/{piece.id}/layers/{layer.id}", "line")
    for sheet in ticket.sheets:
        laid = {one.layer for one in sheet.placed}
        if any(held.layer not in layers for held in sheet.holds):
            raise InvalidTicket("A sheet holds a piece that is not there.", "", where=f"sheets/{sheet.id}")
        if len({held.layer for held in sheet.holds}) < len(sheet.holds):
            raise InvalidTicket(
                "A sheet holds the same layer twice.", "Raise its quantity.", where=f"sheets/{sheet.id}"
            )
        if not sheet.holds:
            raise InvalidTicket("A sheet holds nothing.", "Take it away instead.", where=f"sheets/{sheet.id}")
        if laid - {held.layer for held in sheet.holds}:
            raise InvalidTicket("A copy lies on a sheet that does not hold it.", "", where=f"sheets/{sheet.id}")
        check_settings(sheet.settings, sheet.machine, f"sheets/{sheet.id}/settings")
    for sheet in ticket.sheets:
        _check_second_side(sheet, ticket)


def check_settings(settings: Sequence[Setting], machine: Machine, where: str) -> None:
    """Raises InvalidTicket for settings that the head of their machine cannot have."""
    made = type(machine.head.usual)
    for one in settings:
        if not isinstance(one.how, made):
            raise InvalidTicket(
                f"{one.process.capitalize()} is set {one.how.kind}; the {machine.name} makes it {made().kind}.",
                "Set it for this machine.", where=f"{where}/{one.id}/how",
            )  # fmt: skip


def _check_second_side(sheet: Sheet, ticket: Ticket) -> None:
    """A second side has a first one, which is none itself, and holds nothing but layers of its pieces."""
    first = ticket.first_side(sheet)
    if not sheet.behind:
        return
    if first is sheet or first.behind:
        raise InvalidTicket(
            "A second side has no first one.", "Take the second side away first.", where=f"sheets/{sheet.id}"
        )
    pieces = {ticket.piece_of_layer(held.layer).id for held in first.holds}
    if any(ticket.piece_of_layer(held.layer).id not in pieces for held in sheet.holds):
        raise InvalidTicket(
            "A second side holds a piece that its first side does not.", "Bring it onto the first side.",
            where=f"sheets/{sheet.id}",
        )  # fmt: skip


def _check_circle(follows: dict[str, str], where: str, what: str) -> None:
    """No item may depend on itself, by however many others. What names a removed one is told elsewhere."""
    for start in follows:
        at, steps = start, 0
        while follows.get(at) and steps <= len(follows):
            at, steps = follows[at], steps + 1
        if steps > len(follows):
            raise InvalidTicket(
                f"These {what}s would depend on each other in a circle.",
                f"Choose another {what} to follow.",
                where=where,
            )
