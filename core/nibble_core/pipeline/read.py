"""Stage *read*: a client's bytes to an upright picture with its facts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from nibble_core.artwork.facts import Facts, picture_facts
from nibble_core.formats.pixels import read_picture
from nibble_core.graphics import Raster
from nibble_core.pipeline.store import Keyed, ResultStore, run_stage, stage_key

VERSION = 1


@dataclass(frozen=True, eq=False)
class Picture:
    """An artwork as it came in."""

    raster: Raster
    kind: str
    stated_ppi: float | None
    notes: tuple[str, ...]
    facts: Facts


def inspect(content: bytes, name: str = "") -> Picture:
    """Decode and look at a client's file. Raises UnreadableFile and NothingToTrace."""
    file = read_picture(content, name)
    return Picture(file.raster, file.kind, file.stated_ppi, file.notes, picture_facts(file.raster))


def keep_read(store: ResultStore, sha256: str, picture: Picture) -> Keyed[Picture]:
    """Put a picture that was read elsewhere (in a guarded process) where ``read`` will find it."""
    return run_stage(store, "read", VERSION, [sha256], [], lambda: picture)


def kept_read(store: ResultStore, sha256: str) -> bool:
    """Whether ``read`` will find the picture without decoding it."""
    return store.get(stage_key("read", VERSION, [sha256], [])) is not None


def read(store: ResultStore, sha256: str, content: Callable[[], bytes], name: str) -> Keyed[Picture]:
    """The picture of a file named by its SHA-256; its bytes are asked for only when needed."""
    return run_stage(store, "read", VERSION, [sha256], [], lambda: inspect(content(), name))
