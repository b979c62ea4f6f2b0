"""What became another value of a tree of plain values, and that tree made anew from it.

A difference is plain itself: a list of one item, the new value; of a record a dict of the differences of its fields;
of a list of items with ids a dict of theirs, with ``SPLICE`` where items came, went or moved: ``[begin, how many ids
leave, [ids that come]]``; of another list of as many values, where few changed, ``NUMBERED`` with a dict of theirs by
number. An id or a field's name never holds a “/”.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import fields, is_dataclass
from typing import Any

from nibble_core.ticket.serial import to_plain

SPLICE, NUMBERED = "/", "//"
SHORT = 400  # values of a list: a longer one, such as the points of a stroke, is told whole
FEW = 4  # of so many values of a list, that are told by their numbers: of more the list is told whole
Difference = dict[str, Any] | list[Any]


def difference(before: Any, after: Any) -> Difference | None:
    """What turns one value into the other, of plain values or of the dataclasses that they stand for; None where
    nothing does. What is one object in both is passed over."""
    if before is after:
        return None
    if is_dataclass(after) and type(before) is type(after):
        names = [one.name for one in fields(after)]
        return _of_fields({one: getattr(before, one) for one in names}, {one: getattr(after, one) for one in names})
    if isinstance(before, dict) and isinstance(after, dict) and before.keys() == after.keys() and after:
        return _of_fields(before, after)
    if isinstance(before, Sequence) and isinstance(after, Sequence) and not isinstance(after, str):
        was, now = _ids(before), _ids(after)
        if was is not None and now is not None:
            return _of_items(dict(zip(was, before, strict=True)), dict(zip(now, after, strict=True)))
        if was is now is None and len(before) == len(after) <= SHORT and before != after:
            told = {str(k): one for k, value in enumerate(after) if (one := difference(before[k], value)) is not None}
            if len(told) <= len(after) / FEW:
                return {NUMBERED: told} if told else None
    same = before == after and isinstance(before, bool) is isinstance(after, bool)
    return None if same else [to_plain(after)]


def changed_by(before: Any, told: Difference) -> Any:
    """The plain value that ``difference`` told of; ``before`` stays as it is, and what did not change is shared with
    it. Raises KeyError or TypeError for a difference from something else."""
    if isinstance(told, list):
        return told[0]
    if isinstance(before, Mapping):
        return {**before, **{name: changed_by(before[name], one) for name, one in told.items()}}
    if NUMBERED in told:
        values = list(before)
        for number, one in told[NUMBERED].items():
            values[int(number)] = changed_by(values[int(number)], one)
        return values
    ids = [item["id"] for item in before]
    begin, leave, come = told.get(SPLICE, [0, 0, []])
    if not come and not leave:
        return [changed_by(item, told[id]) if id in told else item for id, item in zip(ids, before, strict=True)]
    items = dict(zip(ids, before, strict=True))
    ids[begin : begin + leave] = come
    return [changed_by(items.get(id), told[id]) if id in told else items[id] for id in ids]


def joined(first: Difference, second: Difference) -> Difference | None:
    """One difference for two that follow each other; None where items came, went or moved in one list twice."""
    if isinstance(second, list):
        return second
    if isinstance(first, list):
        return [changed_by(first[0], second)]
    if SPLICE in first and SPLICE in second:
        return None
    both = dict(first)
    for name, one in second.items():
        if name in first and name != SPLICE:
            one = joined(first[name], one)
            if one is None:
                return None
        both[name] = one
    return both


def _of_fields(before: Mapping[str, Any], after: Mapping[str, Any]) -> Difference | None:
    found = {name: difference(before[name], value) for name, value in after.items()}
    return {name: one for name, one in found.items() if one is not None} or None


def _of_items(before: Mapping[str, Any], after: Mapping[str, Any]) -> Difference | None:
    told: dict[str, Any] = {}
    for id, item in after.items():
        one = difference(before[id], item) if id in before else [to_plain(item)]
        if one is not None:
            told[id] = one
    was, now = list(before), list(after)
    if was != now:
        shorter = min(len(was), len(now))
        begin = next((k for k in range(shorter) if was[k] != now[k]), shorter)
        rest = next((k for k in range(shorter - begin) if was[-1 - k] != now[-1 - k]), shorter - begin)
        told[SPLICE] = [begin, len(was) - rest - begin, now[begin : len(now) - rest]]
    return told or None


def _ids(items: Sequence[Any]) -> list[str] | None:
    """Of items that have one each, and no two the same."""
    ids: list[str] = []
    for item in items:
        id = item.get("id") if isinstance(item, dict) else getattr(item, "id", None)
        if not isinstance(id, str):
            return None
        ids.append(id)
    return ids if len(set(ids)) == len(ids) else None
