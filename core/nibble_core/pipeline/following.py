"""Items in an order in which each comes after the one it follows."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol, TypeVar


class Item(Protocol):
    @property
    def id(self) -> str: ...


T = TypeVar("T", bound=Item)


def followed(items: Sequence[T], follows: Callable[[T], str]) -> list[T]:
    """``follows``: the id of the item that one comes after, or empty; ids that are not there count as empty. The ticket
    has no circles of followers."""
    names = {item.id for item in items}
    ready: dict[str, T] = {}
    waiting = list(items)
    while waiting:
        free = next((one for one in waiting if follows(one) in ready or follows(one) not in names), waiting[0])
        ready[free.id] = free
        waiting.remove(free)
    return list(ready.values())
