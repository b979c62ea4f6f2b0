"""What a client's drawing file holds, whatever its format."""

from __future__ import annotations

from dataclasses import dataclass, field

from nibble_core.graphics import Drawing, Raster

LEFTOVERS = {
    "unpainted": "without fill or stroke",
    "hidden": "switched off",
    "clipped": "clipped away",
    "off the page": "off the page",
    "covered": "covered by others",
    "soft": "soft or see-through",
    "doubled": "lying twice on one spot",
}
"""Why a shape that nobody sees is left out, in the order it is looked for."""

CAPITALS = 0.7
"""Height of capitals for the size of a font that is not there: most text faces have 0.66 to 0.73."""


@dataclass(frozen=True)
class Lettering:
    """Live text whose font is not in the file: it has no outlines.

    at: where its baseline is anchored, in mm of the drawing; None where the file does not say. share: how much of it
    lies before that place, 0 to 1. cap_height in mm; turn in degrees, clockwise.
    """

    text: str
    font: str
    at: tuple[float, float] | None = None
    cap_height: float = 0.0
    share: float = 0.0
    turn: float = 0.0


@dataclass(frozen=True, eq=False)
class FoundPicture:
    """A picture within a drawing: its bytes, the kind of file they are, its size and top left corner in mm."""

    content: bytes
    kind: str
    width: float
    height: float
    left: float = 0.0
    top: float = 0.0


@dataclass(frozen=True, eq=False)
class ClientDrawing:
    """The shapes of a client's file at true size in mm, and what there is to say about it.

    has_unit: the file states a real unit; else a pixel or number is taken as ``unit``. leftovers: how many shapes
    nobody sees were left out, by reason. look: the page as a renderer paints it, where flat shapes cannot say how it
    looks; looked: whether there was one, once it is kept elsewhere. pages: how many there are; page: the one read,
    from 1. hazards: those of the notes that spoil a print.
    """

    drawing: Drawing
    kind: str
    has_unit: bool = True
    unit: str = "mm"
    pages: int = 1
    page: int = 1
    notes: tuple[str, ...] = ()
    lettering: tuple[Lettering, ...] = ()
    pictures: tuple[FoundPicture, ...] = ()
    leftovers: dict[str, int] = field(default_factory=dict)
    left_out: Drawing | None = None
    look: Raster | None = None
    looked: bool = False
    hazards: tuple[str, ...] = ()
