"""Untrusted bytes are decoded in a child process with limits, one file a child, the next child warmed ahead."""

import multiprocessing
import multiprocessing.connection
import resource
import threading
from typing import Any

from nibble_core.errors import FileTooLarge, NibbleError, UnreadableFile
from nibble_core.pipeline.read import Picture

CPU_SECONDS = 20
WALL_SECONDS = 40.0
MEMORY_BYTES = 6_000_000_000

_spawn = multiprocessing.get_context("spawn")


def _child(pipe: multiprocessing.connection.Connection) -> None:
    from nibble_core.pipeline.read import inspect  # warmed before any bytes arrive
    from nibble_core.text.lettering import tried_font

    try:
        task, content, *more = pipe.recv()
    except EOFError:  # the service ended before it needed this child
        return
    used = resource.getrusage(resource.RUSAGE_SELF)
    seconds = int(used.ru_utime + used.ru_stime) + CPU_SECONDS
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 2))
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    answer: Any
    try:
        if task == "font":
            answer = tried_font(content)
        else:
            name, part, unit = more
            answer = inspect(content, name, part=part, unit=unit)
    except NibbleError as error:
        answer = error
    except MemoryError:
        answer = FileTooLarge("This file needs more memory than there is.", "Ask for a smaller one.")
    pipe.send(_plain(answer))


def _plain(answer: Any) -> Any:
    if isinstance(answer, NibbleError):
        return type(answer), (answer.message, answer.what_to_do)
    return answer


class Reader:
    """Decodes files in children; safe to call from any thread."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
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

    def _ask(self, task: str, content: bytes, *more: Any) -> Any:
        with self._lock:
            process, pipe = self._spare or self._start()
            self._spare = None
        try:
            pipe.send((task, content, *more))
            if not pipe.poll(WALL_SECONDS):
                raise UnreadableFile("This file takes too long to read.", "Save it again, smaller.")
            answer = pipe.recv()
        except (EOFError, OSError) as error:
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
                self._spare = self._start()

    def _start(self) -> tuple[Any, multiprocessing.connection.Connection]:
        ours, theirs = _spawn.Pipe()
        process = _spawn.Process(target=_child, args=(theirs,), daemon=True)
        process.start()
        theirs.close()
        return process, ours


READER = Reader()
