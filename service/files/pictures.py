"""Pictures for the screen: PNGs that Nibble drew itself, by the key of the result they show."""

import re
import threading
from pathlib import Path

import cv2
import numpy as np
from django.conf import settings

from nibble_core.formats.pixels import write_png
from nibble_core.graphics import Raster

LONGEST = 2400


def show(key: str, raster: Raster) -> str:
    """Have a PNG of ``raster`` under ``key``; returns its address."""
    file = place(key)
    if not file.exists():
        file.parent.mkdir(parents=True, exist_ok=True)
        draft = file.with_suffix(f".{threading.get_ident()}")
        draft.write_bytes(write_png(_for_screen(raster)))
        draft.replace(file)
    return f"/api/pictures/{key}"


def place(key: str) -> Path:
    """Raises FileNotFoundError for anything that is not a key."""
    if not re.fullmatch(r"[0-9a-f]{64}", key):
        raise FileNotFoundError(key)
    return Path(settings.PICTURES) / key[:2] / f"{key}.png"


def _for_screen(raster: Raster) -> Raster:
    scale = LONGEST / max(raster.width, raster.height)
    if scale >= 1:
        return raster
    size = max(1, round(raster.width * scale)), max(1, round(raster.height * scale))
    return Raster(np.ascontiguousarray(cv2.resize(raster.pixels, size, interpolation=cv2.INTER_AREA)))
