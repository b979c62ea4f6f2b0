"""The service's description for those who call it, by the OpenAPI standard."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ninja import NinjaAPI

from nibble_core.ticket.json_schema import NAMED


def described(api: NinjaAPI) -> dict[str, Any]:
    """What the API offers. The core's types, which come with every use of them, stand once among the components and
    are pointed at."""
    whole: dict[str, Any] = dict(api.get_openapi_schema())
    components: dict[str, Any] = {}
    whole = _pointing(whole, components)
    whole["components"]["schemas"] = dict(sorted({**whole["components"]["schemas"], **components}.items()))
    return whole


def _pointing(part: Any, components: dict[str, Any]) -> Any:
    """A part of the description with a pointer where a named type of the core was spelt out."""
    if isinstance(part, list):
        return [_pointing(one, components) for one in part]
    if not isinstance(part, Mapping):
        return part
    made = {name: _pointing(one, components) for name, one in part.items()}
    named = made.pop(NAMED, None)
    if named is None:
        return made
    made.pop("title", None)  # what it is called where it is used
    if components.setdefault(named, made) != made:
        raise ValueError(f"Two types are both called {named}.")
    return {"$ref": f"#/components/schemas/{named}"}
