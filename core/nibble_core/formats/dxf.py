"""What every DXF in millimetres has: its frame, and colours as the format tells them."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING

from nibble_core.geometry import Box
from nibble_core.graphics import Colour

if TYPE_CHECKING:
    from ezdxf.document import Drawing as Document


def in_mm(width: float, height: float) -> Document:
    """An empty drawing in millimetres, with its limits stated."""
    from ezdxf import options, units  # type: ignore[attr-defined]
    from ezdxf.filemanagement import new

    options.write_fixed_meta_data_for_testing = True  # no time, no number by lot: a job made again has the same bytes
    document = new("R2000", setup=False)
    document.units = units.MM
    document.header["$MEASUREMENT"] = 1
    document.modelspace().reset_limits((0, 0), (width, height))
    return document


def number_of(colour: Colour) -> int:
    """A true colour as DXF tells it (group 420)."""
    red, green, blue = colour
    return red << 16 | green << 8 | blue


def with_extents(document: Document, box: Box) -> None:
    """Tell where a drawing's entities begin and end, as programs that zoom to all of it read it."""
    low, high = (box.left, box.top, 0.0), (box.right, box.bottom, 0.0)
    document.header["$EXTMIN"], document.header["$EXTMAX"] = low, high
    document.modelspace().reset_extents(low, high)


@cache
def index_of(colour: Colour) -> int:
    """The nearest of the 255 numbered colours (group 62), for programs that read no true ones; black is 7, which is
    drawn black on white."""
    from ezdxf.colors import aci2rgb

    if colour == (0, 0, 0):
        return 7
    return min(range(1, 256), key=lambda n: sum((a - b) ** 2 for a, b in zip(aci2rgb(n), colour, strict=True)))
