"""What a job file holds: filled, stroked and placed things on one page in mm, whatever the format.

A writer turns a page into bytes; the reader of the same format turns bytes back into a page, so that what was
written can be compared with what was meant.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Affine, Box, Bundle
from nibble_core.graphics.drawing import Colour
from nibble_core.graphics.raster import Raster


@dataclass(frozen=True)
class Ink:
    """A named spot colour, with the cyan, magenta, yellow and black (0 to 1) that shows it on screen. rgb: its colour
    in files that know no inks, where that is another."""

    name: str
    cmyk: tuple[float, float, float, float]
    rgb: Colour | None = None

    @property
    def screen(self) -> Colour:
        """The colour that shows it on screen."""
        if self.rgb is not None:
            return self.rgb
        c, m, y, k = self.cmyk
        red, green, blue = (round(255 * (1 - v) * (1 - k)) for v in (c, m, y))
        return red, green, blue


@dataclass(frozen=True)
class Tool:
    """How a machine of pens runs a line. force: grams, speed: mm a second; None for the machine's own."""

    pen: int = 1
    force: int | None = None
    speed: int | None = None


BLACK = Ink("Black", (0.0, 0.0, 0.0, 1.0))


@dataclass(frozen=True, eq=False)
class Filled:
    """Closed paths filled with one ink by the even-odd rule (registration marks)."""

    paths: Bundle
    ink: Ink = BLACK


@dataclass(frozen=True, eq=False)
class Stroked:
    """Paths drawn as hairlines of one ink, once at every placement. layer: the process they are followed in. tool: told
    to machines of pens."""

    paths: Bundle
    ink: Ink
    layer: str
    placements: tuple[Affine, ...] = (Affine(),)
    tool: Tool = Tool()


@dataclass(frozen=True, eq=False)
class Picture:
    """Pixels stretched over a width by height mm box with its corner at the origin, at every placement. pixels: of a
    picture that was read back from a file their digest alone, see ``Raster.digest``."""

    pixels: Raster | str
    width: float
    height: float
    placements: tuple[Affine, ...]

    @property
    def digest(self) -> str:
        return self.pixels if isinstance(self.pixels, str) else self.pixels.digest


@dataclass(frozen=True, eq=False)
class ClientPage:
    """A client's PDF page over a width by height mm box with its corner at the origin, brought by ``at`` to where
    ``clip`` is drawn (even-odd), and with it to every placement. digest: SHA-256 of content, a PDF of that page alone;
    a page that was read back has no content."""

    digest: str
    width: float
    height: float
    at: Affine
    clip: Bundle
    placements: tuple[Affine, ...]
    content: bytes = b""


@dataclass(frozen=True, eq=False)
class Painted:
    """Closed paths filled with one RGB colour by the even-odd rule, at every placement."""

    paths: Bundle
    colour: Colour
    placements: tuple[Affine, ...]


@dataclass(frozen=True, eq=False)
class Plate:
    """Closed paths filled with a named ink of its own by the even-odd rule, at every placement: white or varnish.
    under: whether it lies beneath what it carries; else it overprints what is there."""

    paths: Bundle
    ink: Ink
    placements: tuple[Affine, ...]
    under: bool = False


@dataclass(frozen=True, eq=False)
class Engraving:
    """What a beam engraves of an area, at every placement: closed paths to be filled (even-odd), or pixels, share of
    the power in 256 levels (h, w), ``pitch`` mm each, with their upper left corner at left, top. layer: its
    process."""

    paths: Bundle
    ink: Ink
    layer: str
    placements: tuple[Affine, ...]
    levels: NDArray[np.uint8] | None = None
    left: float = 0.0
    top: float = 0.0
    pitch: float = 0.1


@dataclass(frozen=True)
class Press:
    """What the colours of a print are meant for: an ICC profile by its name, of so many channels, and the rendering
    intent they are brought into it by. prints: whether it describes a printer."""

    profile: bytes
    name: str
    channels: int
    rendering: str
    prints: bool


@dataclass(frozen=True, eq=False)
class Page:
    """One page of width by height mm, origin top left, y down. printed: pictures, clients' pages and painted shapes,
    lowest first. press: None for the colours of a screen, sRGB. engravings: areas, for formats that fill them. trim,
    bleed: the boxes round what is cut out, and round that with its bleed; None for the whole page."""

    width: float
    height: float
    filled: tuple[Filled, ...] = ()
    stroked: tuple[Stroked, ...] = ()
    printed: tuple[Picture | ClientPage | Painted, ...] = ()
    title: str = ""
    plates: tuple[Plate, ...] = ()
    press: Press | None = None
    engravings: tuple[Engraving, ...] = ()
    trim: Box | None = None
    bleed: Box | None = None

    def scaled(self, across: float, down: float) -> Page:
        """The same page made larger or smaller, each way by its own factor."""
        if across == down == 1:
            return self
        by = Affine.scale(across, down)

        def places(some: tuple[Affine, ...]) -> tuple[Affine, ...]:
            return tuple(one.then(by) for one in some)

        def box(one: Box | None) -> Box | None:
            return (
                None if one is None else Box(one.left * across, one.top * down, one.right * across, one.bottom * down)
            )

        return replace(
            self, width=self.width * across, height=self.height * down,
            filled=tuple(replace(one, paths=one.paths.mapped(by)) for one in self.filled),
            stroked=tuple(replace(one, placements=places(one.placements)) for one in self.stroked),
            printed=tuple(replace(one, placements=places(one.placements)) for one in self.printed),
            plates=tuple(replace(one, placements=places(one.placements)) for one in self.plates),
            engravings=tuple(replace(one, placements=places(one.placements)) for one in self.engravings),
            trim=box(self.trim), bleed=box(self.bleed),
        )  # fmt: skip

    @property
    def pictures(self) -> tuple[Picture, ...]:
        return tuple(one for one in self.printed if isinstance(one, Picture))

    @property
    def client_pages(self) -> tuple[ClientPage, ...]:
        return tuple(one for one in self.printed if isinstance(one, ClientPage))

    @property
    def painted(self) -> tuple[Painted, ...]:
        return tuple(one for one in self.printed if isinstance(one, Painted))


__all__ = [
    "BLACK",
    "ClientPage",
    "Colour",
    "Engraving",
    "Filled",
    "Ink",
    "Page",
    "Painted",
    "Picture",
    "Plate",
    "Press",
    "Stroked",
    "Tool",
]
