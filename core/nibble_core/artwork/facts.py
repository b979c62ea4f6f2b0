"""What a picture is, in figures, and whether anything can be made of it."""

from __future__ import annotations

import sys
from dataclasses import dataclass, replace

import cv2
import numpy as np

from nibble_core.artwork.blended import Blend, blend_of, unblended
from nibble_core.artwork.enlarged import Squares, single_pixels, squares_of
from nibble_core.errors import NothingToTrace
from nibble_core.geometry.units import MM_PER_INCH
from nibble_core.graphics import Colour, Raster

FEWEST_PIXELS = 8
CLEAR = 0.01  # share of see-through pixels, above which more than edges is
FLAT = 2  # grey levels: less contrast than this is one flat colour
GREYISH = 32  # largest spread of red, green and blue in a grey that a lamp has tinted
GOOD_PPI, POOR_PPI = 200, 100
SOLID = 128  # alpha
SAMPLED = 400_000  # pixels, of which main colours are told


@dataclass(frozen=True)
class Facts:
    """Pixels, colours and transparency of a picture.

    ``main_colours``: up to eight colours that each cover at least 1 % of what is not see-through, most first.
    ``see_through``: share of pixels that are not fully opaque, 0 to 1. ``boxed``: the border is one flat
    opaque colour, which is probably not part of the drawing. ``squares``: the equal squares that a picture enlarged
    without smoothing consists of; else its pixels. ``blend``: what one enlarged smoothly was made of.
    """

    width_px: int
    height_px: int
    colours: int
    main_colours: tuple[Colour, ...]
    see_through: float
    boxed: bool
    border_colour: Colour
    squares: Squares
    blend: Blend | None = None

    @property
    def paper(self) -> Colour | None:
        """The colour round what is drawn, if there is one: white where a picture is see-through, or that of its box."""
        if self.see_through > CLEAR:
            return (255, 255, 255)
        return self.border_colour if self.boxed else None

    @property
    def is_grey(self) -> bool:
        """No main colour stands out from grey: a drawing in ink or pencil, however it was lit."""
        return all(max(colour) - min(colour) <= GREYISH for colour in self.main_colours)

    @property
    def own_px(self) -> tuple[int, int]:
        """Width and height in px of its own, before it was enlarged."""
        return self.px_taken(squares=True, blends=True)

    def px_taken(self, *, squares: bool, blends: bool) -> tuple[int, int]:
        """Width and height in px of what ``own_pixels`` makes of it."""
        if self.squares.is_enlarged and squares:
            return self.squares.across, self.squares.down
        if self.blend and blends:
            return self.blend.across, self.blend.down
        return self.width_px, self.height_px

    def ppi(self, width_mm: float) -> float:
        """Pixels of its own per inch when the picture is made ``width_mm`` wide."""
        return self.own_px[0] / (width_mm / MM_PER_INCH)


def picture_facts(raster: Raster) -> Facts:
    """Facts of a client's picture with at least one pixel on it (see ``refuse_blank``)."""
    facts = look_facts(raster)
    return facts if facts.squares.size > 1 else replace(facts, blend=blend_of(raster))


def look_facts(raster: Raster) -> Facts:
    """The same of how a drawing looks, which was not enlarged."""
    pixels = raster.pixels
    seen = np.zeros(1 << 24, bool)
    for rows in raster.bands():
        band = np.ascontiguousarray(pixels[rows]).view(np.uint32).ravel()  # four bytes at once
        packed = band[raster.alpha[rows].ravel() >= SOLID]
        seen[packed & 0xFFFFFF if sys.byteorder == "little" else packed >> 8] = True
    some = pixels.reshape(-1, 4)[:: max(1, raster.width * raster.height // SAMPLED)]
    sample = some[some[:, 3] >= SOLID, :3]
    if not len(sample):  # little of it is solid
        whole = pixels.reshape(-1, 4)
        sample = whole[np.flatnonzero(whole[:, 3] >= SOLID)[:SAMPLED], :3]
    border = np.concatenate([pixels[0], pixels[-1], pixels[:, 0], pixels[:, -1]])
    middle = np.median(border[:, :3], 0)
    plain = (np.abs(border[:, :3] - middle).max(1) <= 12) & (border[:, 3] >= 250)
    red, green, blue = middle.astype(int).tolist()
    return Facts(
        width_px=raster.width,
        height_px=raster.height,
        colours=int(seen.sum()),
        main_colours=_main_colours(sample),
        see_through=float((raster.alpha < 255).mean()),
        boxed=bool(plain.mean() > 0.9),
        border_colour=(red, green, blue),
        squares=squares_of(raster),
    )


def own_pixels(raster: Raster, facts: Facts, *, squares: bool = True, blends: bool = True) -> Raster:
    """A picture before it was enlarged, in squares or smoothly where that is asked for."""
    if facts.squares.is_enlarged:
        return single_pixels(raster, facts.squares) if squares else raster
    return unblended(raster, facts.blend) if facts.blend and blends else raster


def refuse_blank(raster: Raster) -> None:
    """Raises NothingToTrace when there is nothing on the picture."""
    if min(raster.width, raster.height) < FEWEST_PIXELS:
        raise NothingToTrace(
            f"This picture is only {raster.width} × {raster.height} px.",
            "Ask for one at least 300 px wide; this is a thumbnail or a tracking dot.",
        )
    if not (raster.alpha >= 8).any():
        raise NothingToTrace("This picture is wholly see-through.", "Ask for it with the drawing switched on.")
    shown = raster.over_white()
    # a channel at a time is far faster than over the last axis
    bands = (cv2.split(np.ascontiguousarray(shown[rows])) for rows in raster.bands())
    ends = np.array([[(int(channel.min()), int(channel.max())) for channel in band] for band in bands])
    least, most = ends[..., 0].min(0), ends[..., 1].max(0)
    if int((most - least).max()) <= FLAT and not (raster.is_see_through and raster.alpha.min() < 128):
        white = int(least.min()) >= 250
        colour = "white" if white else "one flat colour"
        raise NothingToTrace(f"This picture is {colour} from edge to edge.", "Check that it is the right file.")


def print_quality(ppi: float) -> str:
    """“sharp”, “fair” or “coarse”: how a picture prints at so many pixels per inch."""
    return "sharp" if ppi >= GOOD_PPI else "fair" if ppi >= POOR_PPI else "coarse"


def _main_colours(sample: np.ndarray) -> tuple[Colour, ...]:
    """Peaks of a histogram of 4 bits a channel, each as the mean of its pixels."""
    if not len(sample):
        return ()
    cell = (sample >> 4).astype(np.int32) @ np.array([256, 16, 1], np.int32)
    counts = np.bincount(cell, minlength=4096)
    colours: list[Colour] = []
    for index in np.argsort(-counts)[:8]:
        if counts[index] < 0.01 * len(sample):
            break
        red, green, blue = np.rint(sample[cell == index].mean(0)).astype(int).tolist()
        if all(abs(red - r) + abs(green - g) + abs(blue - b) > 40 for r, g, b in colours):
            colours.append((red, green, blue))
    return tuple(colours)
