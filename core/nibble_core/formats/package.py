"""Zips: of a client's files, what is in one, a file at a time, within limits; of job files, packed."""

from __future__ import annotations

import io
import time
import zipfile
import zlib
from collections.abc import Iterable
from pathlib import PurePosixPath
from typing import IO

from nibble_core.errors import FileTooLarge, UnreadableFile

MOST_MEMBERS = 2_000
MOST_BYTES = 250_000_000
MOST_GROWTH = 300  # unpacked over packed; more is a bomb, not a drawing
EARLIEST = (1980, 1, 1, 0, 0, 0)  # that a zip can tell; a machine whose clock has no battery says 1970
_READABLE = {
    ".png", ".jpg", ".jpeg", ".webp", ".bmp", ".gif", ".tif", ".tiff", ".heic", ".heif", ".svg", ".svgz", ".pdf",
    ".dxf", ".ai",
}  # fmt: skip


def members(content: bytes, name: str = "") -> list[str]:
    """The artwork in a zip, by path. Raises UnreadableFile and FileTooLarge."""
    called = f"“{name}”" if name else "This zip"
    with _opened(content, called) as package:
        infos = package.infolist()
        if len(infos) > MOST_MEMBERS:
            raise FileTooLarge(f"{called} holds {len(infos):,} files.", "Ask for the artwork alone.")
        names = [info.filename for info in infos]
        if "[Content_Types].xml" in names or "mimetype" in names:
            raise UnreadableFile(f"{called} is an office file.", "Ask for the picture that was put into it.")
        usable = [
            info.filename for info in infos
            if not info.is_dir() and PurePosixPath(info.filename).suffix.lower() in _READABLE
            and not any(part.startswith((".", "__MACOSX")) for part in PurePosixPath(info.filename).parts)
        ]  # fmt: skip
    if not usable:
        raise UnreadableFile(f"{called} holds no artwork that Nibble knows.", "Ask for the artwork itself.")
    return sorted(usable)


def member(content: bytes, path: str, name: str = "") -> bytes:
    """One file of a zip. Raises UnreadableFile and FileTooLarge."""
    called = f"“{name}”" if name else "This zip"
    with _opened(content, called) as package:
        try:
            info = package.getinfo(path)
        except KeyError as error:
            raise UnreadableFile(f"{called} holds no “{path}” any more.", "Choose another file of it.") from error
        if info.flag_bits & 1:
            raise UnreadableFile(f"{called} is locked with a password.", "Ask for it without one.")
        growth = info.file_size / max(info.compress_size, 1)
        if info.file_size > MOST_BYTES or (growth > MOST_GROWTH and info.file_size > 50_000_000):
            raise FileTooLarge(
                f"“{path}” in {called} unpacks to {info.file_size / 1e6:,.0f} MB.",
                "Ask for the artwork alone, smaller.",
            )
        try:
            with package.open(info) as stream:
                unpacked = stream.read(MOST_BYTES + 1)
        except (zipfile.BadZipFile, zlib.error, EOFError, ValueError, RuntimeError, OSError) as error:
            raise UnreadableFile(f"“{path}” in {called} is damaged.", "Ask for it again.") from error
    if len(unpacked) > MOST_BYTES:
        raise FileTooLarge(f"“{path}” in {called} unpacks without end.", "Ask for the artwork alone.")
    return unpacked


def pack(files: Iterable[tuple[str, bytes]], into: IO[bytes]) -> None:
    """Write a zip of files, name and content."""
    now = max(time.localtime()[:6], EARLIEST)
    with zipfile.ZipFile(into, "w") as package:
        for name, content in files:
            info = zipfile.ZipInfo(name, now)
            package.writestr(info, content, zipfile.ZIP_DEFLATED, compresslevel=1)


def _opened(content: bytes, called: str) -> zipfile.ZipFile:
    try:
        return zipfile.ZipFile(io.BytesIO(content))
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        raise UnreadableFile(f"{called} is a damaged zip.", "Save or send it again.") from error
