"""The print of a page as pixels: PNG with clear ground, painted from the print PDF by a general renderer."""

from __future__ import annotations

import io
import math

import pypdfium2
from PIL import Image

from nibble_core.errors import UnreadableFile
from nibble_core.formats import pdf
from nibble_core.geometry.units import MM_PER_INCH
from nibble_core.graphics import Page

PPI = 300.0
MOST_PIXELS = 80_000_000  # of a sheet; larger ones have fewer an inch


def pixels_per_inch(width: float, height: float) -> float:
    """Of a sheet of so many mm: 300, or what its size allows, in whole pixels."""
    inches = width * height / MM_PER_INCH**2
    return min(PPI, float(math.floor(math.sqrt(MOST_PIXELS / max(inches, 1e-9)))))


def write_page(page: Page) -> bytes:
    """What is printed of a page with its marks; its resolution is stated in the file."""
    ppi = pixels_per_inch(page.width, page.height)
    document = pypdfium2.PdfDocument(pdf.write_page(page))
    try:
        made = document[0].render(scale=ppi / 72, fill_color=(255, 255, 255, 0), rev_byteorder=True, maybe_alpha=True)
        image = made.to_pil().convert("RGBA")
    finally:
        document.close()
    out = io.BytesIO()
    image.save(out, "PNG", dpi=(ppi, ppi), compress_level=3)
    return out.getvalue()


def read_page(content: bytes) -> Page:
    """The size of what ``write_page`` wrote, within a pixel. Raises UnreadableFile."""
    try:
        with Image.open(io.BytesIO(content)) as image:
            image.verify()
            across, down = image.info["dpi"]
            width, height = image.size
    except (OSError, KeyError, SyntaxError, ValueError) as error:
        raise UnreadableFile("This print of pixels cannot be read.", "Make the files again.") from error
    return Page(width / across * MM_PER_INCH, height / down * MM_PER_INCH)
