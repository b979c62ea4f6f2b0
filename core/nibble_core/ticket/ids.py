"""Permanent ids: short, and never one that another item of the same list has."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import count


def fresh_ids(prefix: str, taken: Iterable[str]) -> Iterator[str]:
    """Ids that nothing has yet, one after the other."""
    known = set(taken)
    return (name for number in count(1) if (name := f"{prefix}{number}") not in known)
