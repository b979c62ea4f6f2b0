"""Plain values of older tickets in today's form. They are checked afterwards: what is malformed stays as it is."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import fields
from typing import Any

from nibble_core.errors import InvalidTicket
from nibble_core.things import THINGS
from nibble_core.ticket.fields import rule_of
from nibble_core.ticket.goods import NOTHING
from nibble_core.ticket.heads import HEADS, KnifeHead
from nibble_core.ticket.line import Engraving, Line, Offset
from nibble_core.ticket.model import SCHEMA, Machine, Setting
from nibble_core.ticket.piece import Layer, Printed

Plain = dict[str, Any]


def upgrade(plain: Any) -> Any:
    """JSON values of an older schema in today's form. Raises InvalidTicket for what is no ticket, or a newer one."""
    if not isinstance(plain, dict):
        raise InvalidTicket("This is not a job ticket.", "Give a ticket that Nibble wrote.")
    schema = plain.get("schema")
    if not isinstance(schema, int) or not 1 <= schema <= SCHEMA:
        raise InvalidTicket(
            f"This ticket has schema {schema}; this Nibble reads up to {SCHEMA}.",
            "Update Nibble, or check the file.",
        )
    if schema < 4:
        plain = _with_machines_on_sheets(plain)
    if schema < 10:
        plain = plain | {"pieces": _each(plain.get("pieces"), _in_kinds)}
    if schema < 14:
        plain = plain | {"pieces": _each(plain.get("pieces"), _with_goods)}
    if schema < 17:
        plain = plain | {"sheets": _each(plain.get("sheets"), _with_head)}
    return plain | {
        "schema": SCHEMA
    }  # what schemas 2, 3, 5 to 9, 11 to 13, 15 and 16 brought has defaults that mean what was


def machine_with_head(machine: Plain) -> Plain:
    """A machine's plain values of before schema 17, when those of every kind of head stood side by side."""
    if "head" in machine:
        return machine
    kind = machine.get("kind", "a knife")
    counted = {"kind"} | {own.name for one in HEADS.values() for own in fields(one)}
    return _without(machine, *counted) | {"head": _of_kind(Machine, "head", kind, machine)}


def setting_with_how(setting: Plain, machine: Plain) -> Plain:
    """A setting's plain values of before schema 17, for a machine of today's form."""
    if "how" in setting:
        return setting
    head = HEADS.get(str(_group(machine.get("head")).get("kind")), KnifeHead)
    kind = head().usual.kind
    counted = _names(Setting, "how")
    return _without(setting, *counted) | {"how": _of_kind(Setting, "how", kind, setting)}


def _with_head(sheet: Plain) -> Plain:
    """Schema 17: what a machine's head is and can vary is one of its kinds."""
    machine = machine_with_head(_group(sheet.get("machine")))
    settings = _each(sheet.get("settings"), lambda one: setting_with_how(one, machine))
    return sheet | {"machine": machine, "settings": settings}


def _with_machines_on_sheets(plain: Plain) -> Plain:
    """Schema 4: a sheet holds any number of layers, and has the machine that was the job's."""
    machine = plain.get("machine", {})
    sheets = _each(plain.get("sheets"), lambda sheet: {
        **_without(sheet, "layer"), "holds": [{"id": "h1", "layer": sheet.get("layer", "")}], "machine": machine,
    })  # fmt: skip
    return _without(plain, "machine") | {"sheets": sheets}


def _in_kinds(piece: Plain) -> Plain:
    """Schema 10: values that do not count for the kind of an element, a print or a line do not exist any more."""
    layers = _each(piece.get("layers"), _layer_in_kinds)
    return piece | {"elements": _each(piece.get("elements"), _element_in_kinds), "layers": layers}


def _with_goods(piece: Plain) -> Plain:
    """Schema 14: what a piece is made for and what it is looked at on are one thing. A jar to look at is none any more:
    jars are round things."""
    goods, thing = _group(piece.get("goods")), piece.get("thing", NOTHING)
    own = _without(piece, "thing", "thing_colour", "thing_down")
    if goods.get("kind", "flat work") != "flat work":
        return own
    if thing not in THINGS:
        return own | {"goods": {"kind": NOTHING if thing == "a jar" else thing}}
    moved = {"colour": piece.get("thing_colour"), "down": piece.get("thing_down")}
    return own | {"goods": {name: value for name, value in moved.items() if value is not None} | {"kind": thing}}


def _element_in_kinds(element: Plain) -> Plain:
    kind = element.get("kind", "artwork")
    figure, lettering = _group(element.get("figure")), _group(element.get("lettering"))
    values = {
        "text": lettering, "simple shape": _without(figure, "kind") | {"figure": figure.get("kind", "circle")},
    }.get(str(kind), {"artwork": element.get("artwork", "")})  # fmt: skip
    return _without(element, "kind", "artwork", "lettering", "figure") | {"content": values | {"kind": kind}}


def _layer_in_kinds(layer: Plain) -> Plain:
    prints = _of_kind(Layer, "prints", layer.get("prints", "the artwork"), layer)
    if "plate" in prints:
        prints["plate"] = _of_kind(Printed, "plate", prints["plate"], layer)
    moved = ("bleed", "plate", "plate_spread", "cutting_error")
    return _without(layer, *moved) | {"prints": prints, "lines": _each(layer.get("lines"), _line_in_kinds)}


def _line_in_kinds(line: Plain) -> Plain:
    process = _of_kind(Line, "process", line.get("process", "through cut"), line)
    if process["kind"] == "engrave":
        process["fill"] = _of_kind(Engraving, "fill", line.get("fill", "along the lines"), line)
    counted = {own.name for own in fields(Offset)} | _names(Line, "source") | _names(Line, "process")
    return _without(line, *counted, *_names(Engraving, "fill")) | {
        "source": _of_kind(Line, "source", line.get("source", "the outer shape"), line),
        "offset": {own.name: line[own.name] for own in fields(Offset) if own.name in line},
        "process": process,
    }


def _of_kind(owner: type, name: str, kind: Any, flat: Plain) -> Plain:
    """The values of flat ones that count for a kind of a field."""
    rule = rule_of(owner, name)
    assert rule is not None
    own: Any = fields(rule.types[kind]) if isinstance(kind, str) and kind in rule.types else ()
    return {one.name: flat[one.name] for one in own if one.name in flat} | {"kind": kind}


def _names(owner: type, name: str) -> set[str]:
    """The values that count for any kind of a field."""
    rule = rule_of(owner, name)
    assert rule is not None
    types: Iterable[Any] = rule.types.values()
    return {own.name for one in types for own in fields(one)}


def _group(value: Any) -> Plain:
    return value if isinstance(value, dict) else {}


def _each(items: Any, change: Callable[[Plain], Plain]) -> Any:
    if not isinstance(items, list):
        return items or []
    return [change(item) if isinstance(item, dict) else item for item in items]


def _without(plain: Plain, *names: str) -> Plain:
    return {name: value for name, value in plain.items() if name not in names}
