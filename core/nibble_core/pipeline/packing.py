"""Values as bytes, with their arrays beside them: pickle's protocol 5 out of band (PEP 574), so that hundreds of
megabytes of pixels are copied neither into the bytes nor out of them."""

from __future__ import annotations

import io
import pickle
import struct
from collections.abc import Sequence
from typing import Any

ALIGNED = 64  # bytes to a multiple of which parts begin: compiled loops want their arrays so


def packed(value: object) -> list[memoryview]:
    """The parts of a value, one after another: how many and how long they are, its pickle, its arrays."""
    arrays: list[pickle.PickleBuffer] = []
    words = pickle.dumps(value, protocol=5, buffer_callback=arrays.append)
    parts = [memoryview(words), *(array.raw() for array in arrays)]
    sizes = struct.pack(f"<{len(parts) + 1}Q", len(parts), *(part.nbytes for part in parts))
    made: list[memoryview] = []
    for part in (memoryview(sizes), *parts):
        made += [part, memoryview(bytes(-part.nbytes % ALIGNED))]
    return made


def size_of(parts: Sequence[memoryview]) -> int:
    """Bytes of what ``packed`` made."""
    return sum(part.nbytes for part in parts)


def unpacked(content: bytearray, unpickler: type[pickle.Unpickler] = pickle.Unpickler) -> Any:
    """The value of what ``packed`` made; its arrays lie in ``content``. Raises UnpicklingError for other bytes."""
    whole = memoryview(content)
    try:
        (count,) = struct.unpack_from("<Q", whole)
        sizes = struct.unpack_from(f"<{count}Q", whole, 8)
    except (struct.error, OverflowError) as error:
        raise pickle.UnpicklingError("this begins with no sizes of its parts") from error
    begin = _aligned(8 * (count + 1))
    parts = []
    for size in sizes:
        parts.append(whole[begin : begin + size])
        begin += _aligned(size)
    if not parts or begin != len(content):
        raise pickle.UnpicklingError("its parts are not as long as it says")
    return unpickler(io.BytesIO(parts[0]), buffers=parts[1:]).load()


def _aligned(size: int) -> int:
    return size + -size % ALIGNED
