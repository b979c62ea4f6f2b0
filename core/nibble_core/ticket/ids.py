"""Permanent ids: short, and never one that another item of the same list has."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import count
from typing import Protocol


class Item(Protocol):
    """Of a list of the ticket."""

    @property
    def id(self) -> str: ...


def fresh_ids(prefix: str, taken: Iterable[str]) -> Iterator[str]:
    """Ids that nothing has yet, one after the other."""
    known = set(taken)
    return (name for number in count(1) if (name := f"{prefix}{number}") not in known)


def free_ids(prefix: str, items: Iterable[Item]) -> Iterator[str]:
    """Ids for further items of a list."""
    return fresh_ids(prefix, (item.id for item in items))
