"""Clients' files as inputs of stages: bytes by their SHA-256, fetched when they are needed."""

from __future__ import annotations

from collections.abc import Callable

from nibble_core.pipeline.store import Keyed

Sources = Callable[[str], bytes]
"""Bytes of a client's file by its SHA-256. Raises FileNotFoundError or KeyError for one that is not here."""


def client_file(sha256: str, sources: Sources) -> Keyed[bytes]:
    """A file whose key is what its bytes are known by."""
    return Keyed(sha256, lambda: sources(sha256))
