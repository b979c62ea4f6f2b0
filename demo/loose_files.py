"""Files to try, as clients send them, by name; each is drawn when it is asked for."""

from __future__ import annotations

from collections.abc import Callable

from demo.degrade import as_boxed_jpeg, as_phone_photo, as_png
from demo.drawings import lighthouse, oars, owl
from demo.paths import boat_sign, bracket
from demo.photo import harbour_cat

LOOSE_FILES = {
    "reading-room-owl.jpg": "a pencil drawing, photographed with a phone",
    "crossed-oars.png": "a small two-colour badge saved from a web page",
    "lighthouse.jpg": "a picture with a white box round it",
    "harbour-cat.jpg": "a photo, for flat tones or a subject alone",
    "boat-sign.svg": "a drawing with text whose font is missing",
    "bracket.dxf": "loose lines that do not say their unit",
}

_DRAWN: dict[str, Callable[[], bytes]] = {
    "reading-room-owl.jpg": lambda: as_phone_photo(owl(760, "#ffffff")),
    "crossed-oars.png": lambda: as_png(oars(240, "#ffffff")),
    "lighthouse.jpg": lambda: as_boxed_jpeg(lighthouse(900), 78),
    "harbour-cat.jpg": harbour_cat,
    "boat-sign.svg": boat_sign,
    "bracket.dxf": bracket,
}


def draw_loose_file(name: str) -> bytes:
    """The bytes of a loose file. Raises KeyError for a name that is not in LOOSE_FILES."""
    return _DRAWN[name]()
