"""Pictures for the screen: PNGs that Nibble drew itself, by the key of the result they show."""

import hashlib
import re
from functools import cache
from pathlib import Path

import cv2
import numpy as np
from django.conf import settings

from files.folders import BoundedFolder
from nibble_core.formats.pixels import write_png
from nibble_core.graphics import Raster

LONGEST = 2400


@cache
def _folder() -> BoundedFolder:
    return BoundedFolder(Path(settings.PICTURES), settings.MOST_PICTURE_BYTES)


def show(key: str, raster: Raster) -> str:
    """Have a PNG of ``raster`` under ``key``; returns its address."""
    if not _folder().place(f"{key}.png").exists():
        _folder().write(f"{key}.png", write_png(_for_screen(raster)))
    return f"/api/pictures/{key}"


def content(key: str) -> bytes:
    """The PNG under a key. Raises FileNotFoundError for none, and for anything that is not a key."""
    found = _folder().read(f"{key}.png") if re.fullmatch(r"[0-9a-f]{64}", key) else None
    if found is None:
        raise FileNotFoundError(key)
    return bytes(found)


def keep_drawing(told: bytes) -> str:
    """Keep a card's drawing, JSON, by its SHA-256; returns that."""
    key = hashlib.sha256(told).hexdigest()
    if not _folder().place(f"{key}.json").exists():
        _folder().write(f"{key}.json", told)
    return key


def drawing(key: str) -> bytes:
    """A card's drawing. Raises FileNotFoundError for none, and for anything that is not a key."""
    found = _folder().read(f"{key}.json") if re.fullmatch(r"[0-9a-f]{64}", key) else None
    if found is None:
        raise FileNotFoundError(key)
    return bytes(found)


def give_up() -> None:
    """All of them, for a disk that is full."""
    _folder().give_up()


def _for_screen(raster: Raster) -> Raster:
    scale = LONGEST / max(raster.width, raster.height)
    if scale >= 1:
        return raster
    size = max(1, round(raster.width * scale)), max(1, round(raster.height * scale))
    return Raster(np.ascontiguousarray(cv2.resize(raster.pixels, size, interpolation=cv2.INTER_AREA)))
