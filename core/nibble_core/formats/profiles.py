"""Colour profiles of the shop's own (ICC): what they are for."""

from __future__ import annotations

import io
from dataclasses import dataclass

from PIL import ImageCms

from nibble_core.errors import FileTooLarge, UnreadableFile

LARGEST_PROFILE = 20_000_000
_SPACES = {"RGB ": ("RGB", 3), "CMYK": ("CMYK", 4), "GRAY": ("grey", 1)}


@dataclass(frozen=True)
class Profile:
    """name: as it calls itself. space: “RGB”, “CMYK” or “grey”, of so many channels. prints: whether it describes a
    printer."""

    name: str
    space: str
    channels: int
    prints: bool


def read_profile(content: bytes) -> Profile:
    """What a profile says of itself. Raises UnreadableFile and FileTooLarge."""
    if len(content) > LARGEST_PROFILE:
        raise FileTooLarge("A colour profile over 20 MB is none.", "Send the .icc file of the printer and stock.")
    try:
        found = ImageCms.ImageCmsProfile(io.BytesIO(content)).profile
        space, kind = found.xcolor_space, found.device_class
        name = " ".join((found.profile_description or "").split())[:80]
    except (OSError, ValueError, TypeError, AttributeError, ImageCms.PyCMSError) as error:
        raise UnreadableFile(
            "This is no colour profile that can be read.", "Send the .icc or .icm file of the printer and stock."
        ) from error
    if space not in _SPACES or kind not in ("prtr", "mntr", "spac"):
        raise UnreadableFile(
            f"This colour profile is of the kind {kind.strip()} in {space.strip()}; prints are not made by it.",
            "Send the profile of a printer in CMYK, RGB or grey.",
        )
    return Profile(name or "a profile without a name", *_SPACES[space], kind == "prtr")
