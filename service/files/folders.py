"""Folders of what can be made again, kept within a number of bytes: the least recently used goes first."""

import os
import shutil
import threading
import time
from pathlib import Path

SHARE = 0.05  # of the bound that may be written between two looks at how much lies there
LEFT_OVER = 3600.0  # seconds after which a draft belongs to nobody any more


class BoundedFolder:
    """Files by name in sub-folders of two letters. Any number of processes may share it: each counts what it writes
    itself, looks at the whole when that has come to a twentieth of the bound, and at its first write."""

    def __init__(self, folder: Path, most_bytes: int) -> None:
        self.folder = folder
        self._most = most_bytes
        self._written = most_bytes  # so that the first write looks
        self._lock = threading.Lock()

    def place(self, name: str) -> Path:
        return self.folder / name[:2] / name

    def read(self, name: str) -> bytearray | None:
        """The bytes of a file, which counts as used now; None where there is none."""
        file = self.place(name)
        try:
            with file.open("rb", buffering=0) as kept:
                content = bytearray(os.fstat(kept.fileno()).st_size)
                view, got = memoryview(content), 0
                while got < len(content) and (more := kept.readinto(view[got:])):
                    got += more
            file.touch()
        except OSError:
            return None
        return content

    def write(self, name: str, *parts: bytes | memoryview) -> bool:
        """Parts one after another. Whether it was kept: a full disk costs speed, not work, and leaves no half-written
        file."""
        file = self.place(name)
        draft = file.with_name(f"{name}.{os.getpid()}.{threading.get_ident()}")
        try:
            file.parent.mkdir(parents=True, exist_ok=True)
            with draft.open("wb") as kept:
                kept.writelines(parts)
            draft.replace(file)
        except OSError:
            draft.unlink(missing_ok=True)
            self.trim(self._most // 2)
            return False
        with self._lock:
            self._written += sum(map(len, parts))
            due = self._written > SHARE * self._most
            self._written = 0 if due else self._written
        if due:
            self.trim(self._most)
        return True

    def trim(self, most_bytes: int) -> None:
        """Let go of what was not used for longest, until no more than so many bytes are left."""
        files, now = [], time.time()
        for file in self.folder.glob("*/*"):
            try:
                state = file.stat()
            except OSError:
                continue
            if "." in file.stem and now - state.st_mtime > LEFT_OVER:
                file.unlink(missing_ok=True)
                continue
            files.append((state.st_mtime, state.st_size, file))
        total = sum(size for _, size, _ in files)
        for _, size, file in sorted(files):
            if total <= most_bytes:
                break
            file.unlink(missing_ok=True)
            total -= size

    def give_up(self) -> None:
        """All of it, for a disk that is full."""
        shutil.rmtree(self.folder, ignore_errors=True)
