"""How long a bad file takes to be answered: the slowest of every kind, in seconds, against the two that are allowed."""

from __future__ import annotations

import io
import struct
import time
import zlib

import numpy as np
from PIL import Image

from nibble_core.errors import NibbleError
from nibble_core.pipeline.read import inspect

ALLOWED = 2.0


def run() -> None:
    taken = {}
    for name, content in bad_files().items():
        start = time.perf_counter()
        try:
            inspect(content, name)
            answer = "TAKEN"
        except NibbleError as error:
            answer = error.code
        taken[name] = time.perf_counter() - start
        print(f"  {name:16} {taken[name]:.3f} s  {answer}")
    print(f"slowest refusal: {max(taken.values()) / ALLOWED:.2f} of what is allowed")


def bad_files() -> dict[str, bytes]:
    noise = Image.fromarray(np.random.default_rng(1).integers(0, 256, (1500, 1500, 3), np.uint8))
    whole = _encoded(noise, "JPEG")
    return {
        "empty.png": b"", "truncated.jpg": whole[: len(whole) // 2], "mislabelled.png": whole,
        "bomb.png": _promise(60_000, 60_000), "white.png": _encoded(Image.new("RGB", (3000, 3000), "white"), "PNG"),
        "clear.png": _encoded(Image.new("RGBA", (3000, 3000), (9, 9, 9, 0)), "PNG"),
        "dot.png": _encoded(Image.new("RGB", (1, 1)), "PNG"),
    }  # fmt: skip


def _encoded(image: Image.Image, kind: str) -> bytes:
    stream = io.BytesIO()
    image.save(stream, kind)
    return stream.getvalue()


def _promise(width: int, height: int) -> bytes:
    """A PNG whose header promises more than it holds."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(b"\0" * 64)) + chunk(b"IEND", b"")
    )
