"""A shop in one file, and back: a tar of a consistent copy of the database, every stored file, and their hashes.

The database is copied first, by SQLite's own backup, while the service runs: what it names was stored before, and
stored files are never altered. A restored shop is verified whole before it takes its place.
"""

import contextlib
import hashlib
import io
import json
import os
import re
import shutil
import sqlite3
import tarfile
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, BinaryIO, cast

from nibble_core.errors import NibbleError, UnreadableFile

DATABASE, FILES, LIST = "nibble.sqlite3", "files", "list.json"
KIND, VERSION = "Nibble backup", 1
PART = 1 << 20  # bytes copied together
STEP = 1 << 22  # bytes on their way to the disk together
LARGEST_LIST = 500_000_000  # bytes of the list of hashes
_FILE = re.compile(r"files/([0-9a-f]{2})/([0-9a-f]{64})")


class NoBackup(NibbleError):
    """A backup that cannot be written, or put back here."""

    code = "no-backup"


@dataclass(frozen=True)
class BackedUp:
    """files: how many were stored; size: bytes of the backup."""

    files: int
    size: int


def back_up(data: Path, target: Path) -> BackedUp:
    """The shop in a data folder as one file, written beside its place first. Raises NoBackup where the target is there
    already or there is no shop, and OSError."""
    if target.exists():
        raise NoBackup(f"{target} is there already.", "Choose another name: a backup is never written over.")
    if not (data / DATABASE).exists():
        raise NoBackup(f"There is no shop in {data}.", "Start Nibble once, or set NIBBLE_DATA to its folder.")
    target.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix=".backup-", dir=target.parent) as name:
        folder = Path(name)
        snapshot, draft = folder / DATABASE, folder / "draft.tar"
        _copy_database((data / DATABASE).absolute(), snapshot)
        stored = [one for one in sorted((data / FILES).glob("??/*")) if _FILE.fullmatch(_name_of(one))]
        _require_room(folder, sum(one.stat().st_size for one in (snapshot, *stored)))
        listed = {
            "kind": KIND, "version": VERSION, "made": datetime.now(UTC).isoformat(timespec="seconds"),
            "database": _digest(snapshot), "files": [one.name for one in stored],
        }  # fmt: skip
        with draft.open("xb") as out:
            os.fchmod(out.fileno(), 0o600)
            with tarfile.open(fileobj=cast(IO[bytes], _Steady(out)), mode="w", format=tarfile.PAX_FORMAT) as archive:
                _add(archive, LIST, json.dumps(listed, indent=1).encode())
                archive.add(snapshot, DATABASE, filter=_plain)
                for one in stored:
                    archive.add(one, _name_of(one), filter=_plain)
            out.flush()
            os.fsync(out.fileno())
        draft.replace(target)
        _settle(target.parent)
    return BackedUp(len(stored), target.stat().st_size)


class _Steady:
    """Writes to a file in small amounts that reach the disk one by one: an edit that must be on the disk before it is
    acknowledged waits for little of what is ahead of it."""

    def __init__(self, out: BinaryIO) -> None:
        self._out, self._waiting = out, 0

    def write(self, content: bytes) -> int:
        written = self._out.write(content)
        self._waiting += written
        if self._waiting >= STEP:
            self._out.flush()
            os.fdatasync(self._out.fileno())
            self._waiting = 0
        return written

    def tell(self) -> int:
        return self._out.tell()


def restore(source: Path, data: Path) -> BackedUp:
    """A backup as the shop of an empty data folder; nothing is there before all of it is verified. Raises NoBackup
    where a shop is there already, UnreadableFile for what is no backup or a damaged one, and OSError."""
    if any(data.glob(f"{DATABASE}*")) or any((data / FILES).glob("??/*")):
        raise NoBackup(f"There is a shop in {data} already.", "Restore into an empty folder: set NIBBLE_DATA to one.")
    data.mkdir(parents=True, exist_ok=True)
    if not source.is_file():
        raise NoBackup(f"{source} is not there.", "Check its name.")
    _require_room(data, source.stat().st_size)
    with tempfile.TemporaryDirectory(prefix=".restoring-", dir=data) as name:
        folder = Path(name)
        with _opened(source) as archive:
            listed = _list_of(archive, source)
            found = _unpacked(archive, folder, listed, source)
        missing = set(listed["files"]) - found
        if missing or not (folder / DATABASE).exists():
            raise _damaged(source, f"{len(missing)} files are missing" if missing else "its database is missing")
        with contextlib.closing(sqlite3.connect(folder / DATABASE)) as database:
            if database.execute("PRAGMA integrity_check").fetchone()[0] != "ok":
                raise _damaged(source, "its database is not whole")
        (folder / FILES).mkdir(exist_ok=True)
        with contextlib.suppress(FileNotFoundError, OSError):
            (data / FILES).rmdir()
        (folder / FILES).replace(data / FILES)
        (folder / DATABASE).replace(data / DATABASE)  # last: without it there is no shop
        _settle(data)
    return BackedUp(len(found), source.stat().st_size)


def _copy_database(source: Path, target: Path) -> None:
    """A consistent copy of a database that may be written meanwhile, in one file without a journal."""
    with (
        contextlib.closing(sqlite3.connect(source.as_uri() + "?mode=ro", uri=True, timeout=60)) as here,
        contextlib.closing(sqlite3.connect(target)) as there,
    ):
        here.backup(there)
        there.execute("PRAGMA journal_mode=DELETE")


@contextlib.contextmanager
def _opened(source: Path) -> Iterator[tarfile.TarFile]:
    try:
        with tarfile.open(source, "r:") as archive:
            yield archive
    except tarfile.TarError as error:
        raise UnreadableFile(f"{source} is no backup of Nibble, or is cut short.", "Choose another.") from error


def _list_of(archive: tarfile.TarFile, source: Path) -> dict[str, list[str]]:
    first = archive.next()
    if first is None or first.name != LIST or not first.isreg() or first.size > LARGEST_LIST:
        raise UnreadableFile(f"{source} is no backup of Nibble.", "Choose another.")
    reader = archive.extractfile(first)
    try:
        listed = json.loads(reader.read() if reader else b"")
        known = listed["kind"] == KIND and all(isinstance(one, str) for one in [listed["database"], *listed["files"]])
        version = int(listed["version"])
    except (ValueError, KeyError, TypeError, RecursionError):
        known, version = False, 0
    if not known:
        raise UnreadableFile(f"{source} is no backup of Nibble.", "Choose another.")
    if version > VERSION:
        raise UnreadableFile(f"{source} was made by a newer Nibble.", "Install that one first.")
    return dict(listed)


def _unpacked(archive: tarfile.TarFile, folder: Path, listed: dict[str, list[str]], source: Path) -> set[str]:
    """The hashes of the files that were unpacked, each verified as it is written."""
    found: set[str] = set()
    for member in archive:
        if member.name == LIST:
            continue
        named = _FILE.fullmatch(member.name)
        wanted = named[2] if named else listed["database"]
        if not member.isreg() or (not named and member.name != DATABASE) or (named and named[1] != named[2][:2]):
            raise UnreadableFile(f"{source} holds what no backup holds.", "Choose another.")
        reader = archive.extractfile(member)
        place = folder / member.name
        place.parent.mkdir(parents=True, exist_ok=True)
        digest = hashlib.sha256()
        with place.open("xb") as out:
            os.fchmod(out.fileno(), 0o600)
            while reader and (part := reader.read(PART)):
                digest.update(part)
                out.write(part)
            out.flush()
            os.fsync(out.fileno())
        if digest.hexdigest() != wanted:
            raise _damaged(source, f"{member.name} is not what it was")
        if named:
            found.add(named[2])
    return found


def _damaged(source: Path, how: str) -> UnreadableFile:
    return UnreadableFile(f"{source} is damaged: {how}.", "Choose another backup; nothing was put back.")


def _add(archive: tarfile.TarFile, name: str, content: bytes) -> None:
    member = tarfile.TarInfo(name)
    member.size, member.mode = len(content), 0o600
    archive.addfile(member, io.BytesIO(content))


def _plain(member: tarfile.TarInfo) -> tarfile.TarInfo:
    """Without the names and numbers of this machine's users."""
    member.uid = member.gid = 0
    member.uname = member.gname = ""
    member.mode = 0o600
    return member


def _digest(file: Path) -> str:
    with file.open("rb") as content:
        return hashlib.file_digest(content, "sha256").hexdigest()


def _settle(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    os.fsync(handle)
    os.close(handle)


def _name_of(file: Path) -> str:
    """Of a stored file within a backup."""
    return f"{FILES}/{file.parent.name}/{file.name}"


def _require_room(folder: Path, size: int) -> None:
    free = shutil.disk_usage(folder).free
    if free < size:
        raise NoBackup(
            f"{size / 1e6:.0f} MB are needed and {free / 1e6:.0f} MB are free.", "Make room, or choose another disk."
        )
