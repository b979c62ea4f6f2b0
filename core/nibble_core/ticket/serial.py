"""Tickets to plain JSON values and back, checked field by field."""

from __future__ import annotations

import hashlib
import json
from dataclasses import MISSING, fields, is_dataclass
from functools import cache
from types import UnionType
from typing import Any, TypeVar, Union, get_args, get_origin, get_type_hints

from nibble_core.errors import InvalidTicket
from nibble_core.ticket.fields import rule_of
from nibble_core.ticket.model import SCHEMA, Ticket

T = TypeVar("T")
MOST_ITEMS = 10_000


def to_plain(value: Any) -> Any:
    """Dataclasses and tuples as dicts and lists."""
    if is_dataclass(value):
        return {f.name: to_plain(getattr(value, f.name)) for f in fields(value)}
    if isinstance(value, (tuple, list)):
        return [to_plain(item) for item in value]
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


def upgrade(plain: Any) -> Any:
    """JSON values of an older schema in today's form."""
    if not isinstance(plain, dict):
        raise InvalidTicket("This is not a job ticket.", "Give a ticket that Nibble wrote.")
    schema = plain.get("schema")
    if not isinstance(schema, int) or not 1 <= schema <= SCHEMA:
        raise InvalidTicket(
            f"This ticket has schema {schema}; this Nibble reads up to {SCHEMA}.",
            "Update Nibble, or check the file.",
        )
    return plain | {"schema": SCHEMA}  # what schemas 2 and 3 brought has defaults that mean what was


def from_plain(kind: type[T], plain: Any, where: str) -> T:
    """A value of dataclass ``kind``. Unknown names, wrong types and values beyond limits raise InvalidTicket."""
    if not isinstance(plain, dict):
        raise InvalidTicket(f"Expected a group of values, found {type(plain).__name__}.", "", where=where)
    hints: dict[str, Any] = _hints(kind)  # type: ignore[arg-type]
    unknown = sorted(set(plain) - set(hints))
    if unknown:
        raise InvalidTicket(f"“{unknown[0]}” does not belong there.", f"Known: {', '.join(hints)}.", where=where)
    values: dict[str, Any] = {}
    for f in fields(kind):  # type: ignore[arg-type]
        here = f"{where}/{f.name}".lstrip("/")
        if f.name in plain:
            values[f.name] = _value(kind, f.name, hints[f.name], plain[f.name], here)
        elif f.default is MISSING and f.default_factory is MISSING:
            raise InvalidTicket(f"“{f.name}” is missing.", "", where=where)
    return kind(**values)


def _value(owner: type, name: str, hint: Any, plain: Any, where: str) -> Any:
    rule = rule_of(owner, name)
    if rule is not None:
        try:
            return rule.check(plain)
        except InvalidTicket as error:
            raise InvalidTicket(error.message, error.what_to_do, where=where) from error
    if get_origin(hint) is tuple:
        item, *more = get_args(hint)
        if not isinstance(plain, list) or len(plain) > MOST_ITEMS:
            raise InvalidTicket("Expected a list.", f"At most {MOST_ITEMS} items.", where=where)
        if more != [...] and len(plain) != len(more) + 1:
            raise InvalidTicket(f"Expected {len(more) + 1} values.", "", where=where)
        items = tuple(_item(item, value, f"{where}/{_id(value, i)}") for i, value in enumerate(plain))
        ids = [value.id for value in items if hasattr(value, "id")]
        if len(set(ids)) != len(ids):
            raise InvalidTicket("Two items share an id.", "", where=where)
        return items
    if get_origin(hint) in (Union, UnionType):
        hint = next(arg for arg in get_args(hint) if arg is not type(None))
    return _item(hint, plain, where)


def _item(hint: Any, plain: Any, where: str) -> Any:
    if is_dataclass(hint):
        return from_plain(hint, plain, where)  # type: ignore[arg-type]
    if hint is float and isinstance(plain, int) and not isinstance(plain, bool):
        return float(plain)
    if not isinstance(plain, hint) or isinstance(plain, bool) is not (hint is bool):
        raise InvalidTicket(f"Expected {hint.__name__}, found {type(plain).__name__}.", "", where=where)
    if hint is str and not 1 <= len(plain) <= 40:
        raise InvalidTicket("An id has 1 to 40 letters.", "", where=where)
    return plain


def _id(value: Any, index: int) -> str:
    return str(value["id"]) if isinstance(value, dict) and "id" in value else str(index)


@cache
def _hints(kind: Any) -> dict[str, Any]:
    return get_type_hints(kind)


def _check_links(ticket: Ticket) -> None:
    """Elements name artworks, sheets name layers and items name neighbours that exist, and none its own followers."""
    artworks = {artwork.id for artwork in ticket.artworks}
    layers = {layer.id for piece in ticket.pieces for layer in piece.layers}
    for piece in ticket.pieces:
        for element in piece.elements:
            if element.kind == "artwork" and element.artwork not in artworks:
                raise InvalidTicket("A piece uses an artwork that is not there.", "", where=f"pieces/{piece.id}")
        _check_circle({element.id: element.beside for element in piece.elements}, f"pieces/{piece.id}", "element")
        for layer in piece.layers:
            follows = {line.id: line.of if line.source == "another line" else "" for line in layer.lines}
            _check_circle(follows, f"pieces/{piece.id}/layers/{layer.id}", "line")
    for sheet in ticket.sheets:
        if sheet.layer not in layers:
            raise InvalidTicket("A sheet holds a piece that is not there.", "", where=f"sheets/{sheet.id}")


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
