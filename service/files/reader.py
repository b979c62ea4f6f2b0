"""Untrusted bytes are decoded in a child process with limits, one file a child, the next child warmed ahead."""

import io
import multiprocessing.connection
import pickle
import resource
import threading
from dataclasses import is_dataclass
from typing import Any

from files.children import child
from nibble_core.errors import FileTooLarge, NibbleError, UnreadableFile
from nibble_core.formats.profiles import Profile, read_profile
from nibble_core.pipeline.read import Picture, inspect
from nibble_core.text.lettering import tried_font

CPU_SECONDS, MEMORY_BYTES = 10, 1_000_000_000
PIXEL_CPU_SECONDS, PIXEL_MEMORY_BYTES = 30, 6_000_000_000
"""Of pictures: the largest that is taken, 100 megapixels, needs them."""
WALL_SECONDS = 300.0  # a busy machine is no fault of the file; what counts is the time the child itself was given
MOST_CHILDREN = 3
PICTURES = (b"\x89PNG", b"\xff\xd8", b"GIF8", b"RIFF", b"BM", b"II*\0", b"MM\0*")


def _read(pipe: multiprocessing.connection.Connection) -> None:
    try:
        task, content, *more = pipe.recv()
    except EOFError:  # the service ended before it needed this child
        return
    used = resource.getrusage(resource.RUSAGE_SELF)
    large = content.startswith(PICTURES) or content[4:8] == b"ftyp" or content.startswith(b"PK")
    seconds, memory = (PIXEL_CPU_SECONDS, PIXEL_MEMORY_BYTES) if large else (CPU_SECONDS, MEMORY_BYTES)
    seconds += int(used.ru_utime + used.ru_stime)
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 2))
    resource.setrlimit(resource.RLIMIT_AS, (held_bytes() + memory, held_bytes() + memory))
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
        answer = error
    except MemoryError:
        answer = FileTooLarge("This file needs more memory than there is.", "Ask for a smaller one.")
    pipe.send_bytes(pickle.dumps(_plain(answer), protocol=5))


def held_bytes() -> int:
    """Address space this process has taken already: libraries, mostly never touched."""
    with open("/proc/self/statm") as file:
        return int(file.read().split()[0]) * resource.getpagesize()


class _OwnValuesOnly(pickle.Unpickler):
    """A guarded child may have been taken over by what it read: of what it answers only values are made, arrays and
    the core's own frozen ones, never anything that acts."""

    def find_class(self, module: str, name: str) -> Any:
        if (module, name) in VALUES:
            return super().find_class(module, name)
        found = super().find_class(module, name) if module.startswith("nibble_core.") and "." not in name else None
        if isinstance(found, type) and (is_dataclass(found) or issubclass(found, (tuple, NibbleError))):
            return found
        raise pickle.UnpicklingError(f"{module}.{name} is no value")


VALUES = {
    ("numpy._core.multiarray", "_reconstruct"), ("numpy._core.numeric", "_frombuffer"), ("numpy", "ndarray"),
    ("numpy", "dtype"), ("numpy._core.multiarray", "scalar"), ("builtins", "frozenset"), ("builtins", "set"),
}  # fmt: skip


def _plain(answer: Any) -> Any:
    if isinstance(answer, NibbleError):
        return type(answer), (answer.message, answer.what_to_do)
    return answer


class Reader:
    """Decodes files in children; safe to call from any thread."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._few = threading.BoundedSemaphore(MOST_CHILDREN)
        self._spare: tuple[Any, multiprocessing.connection.Connection] | None = None

    def read(self, content: bytes, name: str, part: str = "", unit: str | None = None) -> Picture:
        """A part of a file; see ``nibble_core.pipeline.read.inspect``. Raises what that raises, and UnreadableFile
        when the child dies or takes too long."""
        picture = self._ask("picture", content, name, part, unit)
        assert isinstance(picture, Picture)
        return picture

    def font_name(self, content: bytes) -> str:
        """The name of a font, after setting a line in it. Raises UnreadableFile for what is none."""
        name = self._ask("font", content)
        assert isinstance(name, str)
        return name

    def profile(self, content: bytes) -> Profile:
        """What a colour profile says of itself. Raises what ``nibble_core.formats.profiles.read_profile`` raises."""
        profile = self._ask("profile", content)
        assert isinstance(profile, Profile)
        return profile

    def _ask(self, task: str, content: bytes, *more: Any) -> Any:
        with self._few:
            return self._asked(task, content, *more)

    def _asked(self, task: str, content: bytes, *more: Any) -> Any:
        with self._lock:
            process, pipe = self._spare or child(_read)
            self._spare = None
        try:
            pipe.send((task, content, *more))
            if not pipe.poll(WALL_SECONDS):
                raise UnreadableFile("This file takes too long to read.", "Save it again, smaller.")
            answer = _OwnValuesOnly(io.BytesIO(pipe.recv_bytes())).load()
        except (EOFError, OSError, pickle.UnpicklingError) as error:
            raise UnreadableFile("This file cannot be read safely.", "Save it again, smaller.") from error
        finally:
            process.kill()
            pipe.close()
            self.warm_up()
        if isinstance(answer, tuple):
            kind, words = answer
            raise kind(*words)
        return answer

    def warm_up(self) -> None:
        """Have a child ready."""
        with self._lock:
            if self._spare is None or not self._spare[0].is_alive():
                self._spare = child(_read)


READER = Reader()
