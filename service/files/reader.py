"""Untrusted bytes are decoded in guarded children, one file a child, the next child warmed ahead."""

import multiprocessing.connection
import threading
from typing import Any

from files.children import child
from nibble_core.errors import UnreadableFile
from nibble_core.formats.profiles import Profile
from nibble_core.pipeline.guarded import answer_one, answered
from nibble_core.pipeline.read import Picture

MOST_CHILDREN = 3


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
            process, pipe = self._given((task, content, *more))
            try:
                return answered(pipe)
            finally:
                process.kill()
                pipe.close()
                self.warm_up()

    def _given(self, task: tuple[Any, ...]) -> tuple[Any, multiprocessing.connection.Connection]:
        """A child that has taken a task. One that died while it waited is no fault of the file that comes next."""
        with self._lock:
            spare, self._spare = self._spare, None
        if spare is not None:
            try:
                if spare[0].is_alive():
                    spare[1].send(task)
                    return spare
            except OSError:
                pass
            spare[1].close()
        process, pipe = child(answer_one)
        try:
            pipe.send(task)
        except OSError as error:
            process.kill()
            pipe.close()
            raise UnreadableFile("This file cannot be read now.", "Try again in a moment.") from error
        return process, pipe

    def warm_up(self) -> None:
        """Have a child ready."""
        with self._lock:
            if self._spare is None or not self._spare[0].is_alive():
                self._spare = child(answer_one)


READER = Reader()
