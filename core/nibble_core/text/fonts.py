"""Font files: the set that ships with Nibble, under free licences, and the shop's own."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path as FilePath

import uharfbuzz as hb

from nibble_core.errors import UnreadableFile

FOLDER = FilePath(__file__).parent / "fonts"
SHIPPED = {
    "sans": "Barlow-SemiBold",
    "condensed": "BarlowCondensed-SemiBold",
    "serif": "Lora-SemiBold",
    "slab": "ZillaSlab-Bold",
    "rounded": "Nunito-Bold",
    "stencil": "SairaStencilOne-Regular",
    "script": "Pacifico-Regular",
    "numerals": "Oswald-SemiBold",
    "many scripts": "DejaVuSans-Bold",
}
"""Kind of letters to the file that ships for it; each stands beside its licence, ``…-OFL.txt`` or ``…-LICENSE.txt``."""
LARGEST_FONT = 20_000_000
_REFUSED = "This is not a font that Nibble can read."


@dataclass(frozen=True, eq=False)
class Font:
    """An opened font. upem: units per em; cap_height: height of a flat capital, in those units."""

    name: str
    upem: int
    cap_height: float
    face: hb.Font


def open_font(content: bytes) -> Font:
    """A TrueType or OpenType font. Raises UnreadableFile for anything else, and for fonts without capital letters."""
    if len(content) > LARGEST_FONT:
        raise UnreadableFile("This font is larger than 20 MB.", "Send the plain .ttf or .otf of one style.")
    if content[:4] not in (b"\0\1\0\0", b"OTTO", b"true"):
        raise UnreadableFile(_REFUSED, "Send a .ttf or .otf file.")
    face = hb.Face(hb.Blob(content))
    font = hb.Font(face)
    extents = None
    for letter in "HIEX0":
        glyph = font.get_nominal_glyph(ord(letter))
        extents = font.get_glyph_extents(glyph) if glyph else None
        if extents is not None and extents.height:
            break
    if face.glyph_count == 0 or extents is None or not extents.height:
        raise UnreadableFile(_REFUSED, "It holds no capital letters. Send another font.")
    name = face.get_name(hb.OTNameIdPredefined.FONT_FAMILY) or "a font without a name"
    return Font(str(name)[:80], int(face.upem), float(abs(extents.height)), font)


@cache
def shipped_font(kind: str) -> Font:
    """The font that ships for a kind of letters. Raises UnreadableFile with the kinds there are."""
    if kind not in SHIPPED:
        raise UnreadableFile(f"There is no font “{kind}”.", f"Choose {', '.join(SHIPPED)}.")
    return open_font((FOLDER / f"{SHIPPED[kind]}.ttf").read_bytes())
