"""The JSON Schema of what a ticket is made of, so that others can type it (json-schema.org, draft 2020-12)."""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from types import NoneType
from typing import Any, get_args, get_origin, get_type_hints

from nibble_core.ticket.fields import Rule, rule_of

NAMED = "x-type"
"""Where a schema says which type it is of; extensions of the OpenAPI standard begin so."""
_PLAIN = {str: "string", int: "integer", float: "number", bool: "boolean"}
_OF_RULES = {"flag": "boolean", "count": "integer", "speed": "integer", "length": "number", "amount": "number",
             "share": "number", "angle": "number"}  # fmt: skip


def json_schema(kind: type[Any]) -> dict[str, Any]:
    """Of a dataclass's values as ``serial.to_plain`` writes them: all of them, and no others."""
    hints = get_type_hints(kind)
    known = {own.name: _of_field(kind, own.name, hints[own.name]) for own in fields(kind)}
    return {
        "type": "object", "required": list(known), "properties": known, "additionalProperties": False,
        NAMED: kind.__name__,
    }  # fmt: skip


def _of_field(owner: type[Any], name: str, hint: Any) -> dict[str, Any]:
    rule = rule_of(owner, name)
    if rule is None:
        return _of_hint(hint)
    if rule.types:
        return _of_kinds(rule)
    found = _of_rule(rule)
    return {"anyOf": [found, {"type": "null"}]} if NoneType in get_args(hint) else found


def _of_rule(rule: Rule) -> dict[str, Any]:
    if rule.kind == "choice":
        return {"type": "string", "enum": list(rule.choices or ())}
    if rule.kind == "numbers":
        return {"type": "array", "items": {"type": "number"}, "maxItems": int(rule.high)}
    if rule.kind in _OF_RULES and rule.kind != "flag":
        return {"type": _OF_RULES[rule.kind], "minimum": rule.low, "maximum": rule.high}
    return {"type": _OF_RULES.get(rule.kind, "string")}


def _of_kinds(rule: Rule) -> dict[str, Any]:
    """One of several dataclasses, told apart by their kinds."""
    kinds: dict[type[Any], list[str]] = {}
    for kind, own in rule.types.items():
        kinds.setdefault(own, []).append(kind)
    found = []
    for own, its in kinds.items():
        schema = json_schema(own)
        found.append(schema | {"properties": schema["properties"] | {"kind": {"type": "string", "enum": its}}})
    return {"oneOf": found}


def _of_hint(hint: Any) -> dict[str, Any]:
    if get_origin(hint) is tuple:
        items = get_args(hint)
        if items[1:] == (...,):
            return {"type": "array", "items": _of_hint(items[0])}
        return {"type": "array", "prefixItems": [_of_hint(item) for item in items], "minItems": len(items),
                "maxItems": len(items)}  # fmt: skip
    if NoneType in get_args(hint):
        own = next(arg for arg in get_args(hint) if arg is not NoneType)
        return {"anyOf": [_of_hint(own), {"type": "null"}]}
    return json_schema(hint) if is_dataclass(hint) else {"type": _PLAIN[hint]}  # type: ignore[arg-type]
