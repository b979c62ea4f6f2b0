"""Pictures as they lie on the laid-out wall of a round thing; a client's page becomes one before it is bent."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import shapely

from nibble_core.formats.pdf_drawing import page_look
from nibble_core.geometry.units import MM_PER_INCH
from nibble_core.graphics import Raster
from nibble_core.pipeline.prints import MOST_PX, PRINT_PPI, PrintedPage, PrintedPicture, cover
from nibble_core.wrap import Bend


@dataclass(frozen=True, eq=False)
class BentPicture(PrintedPicture):
    """A picture that was bent, and what from: an engraving reads that, so that its pixels are read once."""

    flat: PrintedPicture
    bend: Bend


def pictured(page: PrintedPage) -> PrintedPicture:
    """What is printed of a client's page as pixels, as fine as drawings are printed: the whole page, clear beyond what
    is printed of it. Its pixels for screens where the renderer cannot paint it."""
    (place,) = page.places
    at = page.framed.then(place)
    long, short = max(page.page_width, page.page_height), min(page.page_width, page.page_height)
    fine = min(PRINT_PPI / MM_PER_INCH * abs(at.determinant) ** 0.5, (MOST_PX / (long * short)) ** 0.5)  # px a mm
    look = page_look(page.content, 1, max(8, round(long * fine)))
    if look is None:
        return PrintedPicture(page.raster, page.width, page.height, page.places)
    whole = PrintedPicture(look, page.page_width, page.page_height, (at,))
    clip = shapely.union_all([region.polygon() for region in page.clip])
    pixels = look.pixels.copy()
    pixels[..., 3] = np.rint(pixels[..., 3] * cover(clip, whole, 0))
    return replace(whole, raster=Raster(pixels))
