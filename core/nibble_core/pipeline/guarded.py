"""Clients' bytes are decoded in a child process with limits of its own; what it answers are values that do nothing."""

from __future__ import annotations

import logging
import multiprocessing
import multiprocessing.connection
import pickle
import resource
import struct
from collections.abc import Sequence
from dataclasses import is_dataclass
from typing import Any

from nibble_core.errors import FileTooLarge, NibbleError, UnreadableFile
from nibble_core.formats.profiles import read_profile
from nibble_core.pipeline.packing import packed, size_of, unpacked
from nibble_core.pipeline.read import Picture, inspect
from nibble_core.text.lettering import tried_font

_LOG = logging.getLogger(__name__)
CPU_SECONDS, MEMORY_BYTES = 10, 1_000_000_000
PIXEL_CPU_SECONDS, PIXEL_MEMORY_BYTES = 30, 6_000_000_000
"""Of pictures: the largest that is taken, 100 megapixels, needs them."""
PIECE, MOST_ANSWER = 1 << 22, 1_500_000_000  # bytes: at once, and of the largest picture with all that is told of it
WALL_SECONDS = 300.0  # a busy machine is no fault of the file; what counts is the time the child itself was given
PICTURES = (b"\x89PNG", b"\xff\xd8", b"GIF8", b"RIFF", b"BM", b"II*\0", b"MM\0*")
VALUES = {
    ("numpy._core.multiarray", "_reconstruct"), ("numpy._core.numeric", "_frombuffer"), ("numpy", "ndarray"),
    ("numpy", "dtype"), ("numpy._core.multiarray", "scalar"), ("builtins", "frozenset"), ("builtins", "set"),
}  # fmt: skip


def answer_one(pipe: multiprocessing.connection.Connection, seconds: int = CPU_SECONDS) -> None:
    """What a child does: one task with its bytes comes, one answer goes. Tasks are “picture” (name, part, unit),
    “font” and “profile”. seconds: of processor, for what is no picture."""
    try:
        task, content, *more = pipe.recv()
    except EOFError:  # the process it served ended before it needed this child
        return
    _limit(content, seconds)
    answer: Any
    try:
        if task == "font":
            answer = tried_font(content)
        elif task == "profile":
            answer = read_profile(content)
        else:
            name, part, unit = more
            answer = inspect(content, name, part=part, unit=unit)
    except NibbleError as error:
        answer = type(error), (error.message, error.what_to_do)
    except MemoryError:
        answer = FileTooLarge, ("This file needs more memory than there is.", "Ask for a smaller one.")
    except Exception:  # a decoder's own fault over a file that no reader of ours turned away
        _LOG.info("a %s could not be decoded", task, exc_info=True)
        answer = UnreadableFile, ("This file is damaged: it cannot be read to its end.", "Save or send it again.")
    send_answer(pipe, packed(answer))


def answered(pipe: multiprocessing.connection.Connection) -> Any:
    """What a child that was given a task answers. Raises what its decoding raised, and UnreadableFile where the child
    died or takes too long."""
    try:
        if not pipe.poll(WALL_SECONDS):
            raise UnreadableFile("This file takes too long to read.", "Save it again, smaller.")
        answer = unpacked(_received(pipe), OwnValuesOnly)
    except (EOFError, OSError, multiprocessing.ProcessError, pickle.UnpicklingError, struct.error) as error:
        raise UnreadableFile(
            "This file cannot be read safely: it takes too much time or memory.", "Save it again, simpler or smaller."
        ) from error
    if isinstance(answer, tuple):
        kind, words = answer
        raise kind(*words) if issubclass(kind, NibbleError) else UnreadableFile("This file cannot be read safely.")
    return answer


def send_answer(pipe: multiprocessing.connection.Connection, parts: Sequence[memoryview]) -> None:
    """Piece by piece: a pipe copies what it sends at once."""
    pipe.send_bytes(struct.pack("<Q", size_of(parts)))
    for part in parts:
        for begin in range(0, part.nbytes, PIECE):
            pipe.send_bytes(part[begin : begin + PIECE])


def _received(pipe: multiprocessing.connection.Connection) -> bytearray:
    """What ``send_answer`` sent. Raises UnreadableFile for more than any answer is."""
    (size,) = struct.unpack("<Q", pipe.recv_bytes(8))
    if size > MOST_ANSWER:
        raise UnreadableFile("This file cannot be read safely.", "Save it again, smaller.")
    content = bytearray(size)
    got = 0
    while got < size:
        if not pipe.poll(WALL_SECONDS):
            raise EOFError
        got += pipe.recv_bytes_into(content, got)
    return content


def read_guarded(content: bytes, name: str, part: str = "", unit: str | None = None) -> Picture:
    """A part of a file, read in a child of this process; see ``inspect``. For the command line: a service keeps
    children ready. Raises what ``answered`` raises."""
    ours, theirs = multiprocessing.Pipe()
    # a copy of this process would have its locks, and not the threads that let them go
    process = multiprocessing.get_context("spawn").Process(target=answer_one, args=(theirs, CPU_SECONDS), daemon=True)
    process.start()
    theirs.close()
    try:
        ours.send(("picture", content, name, part, unit))
        picture = answered(ours)
    finally:
        process.kill()
        process.join()
        ours.close()
    assert isinstance(picture, Picture)
    return picture


def _limit(content: bytes, seconds: int) -> None:
    """Time and memory for some bytes, on top of what this process has used and holds."""
    used = resource.getrusage(resource.RUSAGE_SELF)
    large = content.startswith(PICTURES) or content[4:8] == b"ftyp" or content.startswith(b"PK")
    seconds, memory = (PIXEL_CPU_SECONDS, PIXEL_MEMORY_BYTES) if large else (seconds, MEMORY_BYTES)
    seconds += int(used.ru_utime + used.ru_stime)
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 2))
    resource.setrlimit(resource.RLIMIT_AS, (held_bytes() + memory, held_bytes() + memory))


def held_bytes() -> int:
    """Address space this process has taken already: libraries, mostly never touched."""
    with open("/proc/self/statm") as file:
        return int(file.read().split()[0]) * resource.getpagesize()


class OwnValuesOnly(pickle.Unpickler):
    """A guarded child may have been taken over by what it read: of what it answers only values are made, arrays and
    the core's own frozen ones, never anything that acts."""

    def find_class(self, module: str, name: str) -> Any:
        if (module, name) in VALUES:
            return super().find_class(module, name)
        found = super().find_class(module, name) if module.startswith("nibble_core.") and "." not in name else None
        if isinstance(found, type) and (is_dataclass(found) or issubclass(found, (tuple, NibbleError))):
            return found
        raise pickle.UnpicklingError(f"{module}.{name} is no value")
