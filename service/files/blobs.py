"""Files by their SHA-256: written once, never altered, never lost half-way."""

import contextlib
import hashlib
import os
import re
import tempfile
from pathlib import Path

from django.conf import settings

from nibble_core.errors import NibbleError


class MissingFile(NibbleError, FileNotFoundError):
    """A stored file that the shop names is not there."""

    code = "missing-file"


def keep(content: bytes) -> str:
    """Store bytes durably and return their SHA-256: temporary name, fsync, rename, fsync of the folder."""
    sha256 = hashlib.sha256(content).hexdigest()
    place = path(sha256)
    if place.exists():
        with contextlib.suppress(OSError):  # a read-only shop still reads
            os.utime(place)  # it is about to be named: tidying keeps what is young
        return sha256
    place.parent.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(dir=place.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        Path(name).replace(place)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise
    folder = os.open(place.parent, os.O_RDONLY)
    os.fsync(folder)
    os.close(folder)
    return sha256


def fetch(sha256: str) -> bytes:
    """The bytes of a stored file. Raises FileNotFoundError: MissingFile, in words, for one that is gone."""
    place = path(sha256)
    try:
        return place.read_bytes()
    except FileNotFoundError as error:
        raise MissingFile(
            "A file of this job is missing from the shop’s folder “files”.",
            "Bring that folder back from a backup; ./nibble check tells all that is missing.",
        ) from error


def is_kept(sha256: str) -> bool:
    try:
        return path(sha256).exists()
    except FileNotFoundError:
        return False


def path(sha256: str) -> Path:
    """Where a file lies. Raises FileNotFoundError for anything that is not a SHA-256."""
    if not re.fullmatch(r"[0-9a-f]{64}", sha256):
        raise FileNotFoundError(sha256)
    return Path(settings.BLOBS) / sha256[:2] / sha256
