"""The print of a page as pixels, painted from the print PDF by a general renderer: PNG with clear ground, and TIFF with
a page for each plate of white or varnish."""

from __future__ import annotations

import io
import math
from dataclasses import replace

import numpy as np
import pypdfium2
from PIL import Image, ImageSequence, TiffImagePlugin
from PIL.TiffImagePlugin import ImageFileDirectory_v2

from nibble_core.errors import UnreadableFile
from nibble_core.formats import pdf
from nibble_core.geometry.units import MM_PER_INCH
from nibble_core.graphics import Page, Painted, Plate

PPI = 300.0
MOST_PIXELS = 80_000_000  # of a sheet; larger ones have fewer an inch
PAGE_NAME = 285
"""TIFF 6.0, “PageName”: what a page of a file is called."""
_NEARLY = 1.5  # px that two pages of a file may differ by


def pixels_per_inch(width: float, height: float) -> float:
    """Of a sheet of so many mm: 300, or what its size allows, in whole pixels."""
    inches = width * height / MM_PER_INCH**2
    return min(PPI, float(math.floor(math.sqrt(MOST_PIXELS / max(inches, 1e-9)))))


def write_png(page: Page) -> bytes:
    """What is printed of a page with its marks, without plates; its resolution is stated in the file."""
    ppi = pixels_per_inch(page.width, page.height)
    out = io.BytesIO()
    _print(page, ppi).save(out, "PNG", dpi=(ppi, ppi), compress_level=3)
    return out.getvalue()


def write_tiff(page: Page) -> bytes:
    """What is printed of a page with its marks, on a first page; then each plate as grey, named after its ink, 255
    where it is laid."""
    ppi = pixels_per_inch(page.width, page.height)
    out = io.BytesIO()
    pages = [("Print", _print(page, ppi)), *((one.ink.name, _plate(page, one, ppi)) for one in page.plates)]
    with TiffImagePlugin.AppendingTiffWriter(out, True) as file:
        for name, image in pages:
            told = ImageFileDirectory_v2()
            told[PAGE_NAME] = name
            image.save(file, "TIFF", dpi=(ppi, ppi), compression="tiff_lzw", tiffinfo=told)
            file.newFrame()
    return out.getvalue()


def read_page(content: bytes) -> Page:
    """The size of what was written, within a pixel. Raises UnreadableFile."""
    try:
        with Image.open(io.BytesIO(content)) as image:
            across, down = image.info["dpi"]
            width, height = image.size
            for layer in ImageSequence.Iterator(image):
                layer.load()
                if max(abs(layer.width - width), abs(layer.height - height)) > _NEARLY:
                    raise ValueError("the plates are of another size")
    except (OSError, KeyError, SyntaxError, ValueError) as error:
        raise UnreadableFile("This picture of a sheet cannot be read.", "Make the files again.") from error
    return Page(width / across * MM_PER_INCH, height / down * MM_PER_INCH)


def _print(page: Page, ppi: float) -> Image.Image:
    """All but the plates, which would hide on a screen what they lie over."""
    return _rendered(replace(page, plates=()), ppi, clear=True).convert("RGBA")


def _plate(page: Page, plate: Plate, ppi: float) -> Image.Image:
    """How much of its ink a plate lays, 0 to 255."""
    black = Painted(plate.paths, (0, 0, 0), plate.placements)
    ink = _rendered(Page(page.width, page.height, printed=(black,)), ppi, clear=False).convert("L")
    return Image.fromarray(255 - np.asarray(ink))


def _rendered(page: Page, ppi: float, *, clear: bool) -> Image.Image:
    document = pypdfium2.PdfDocument(pdf.write_page(page))
    try:
        ground = (255, 255, 255, 0 if clear else 255)
        made = document[0].render(scale=ppi / 72, fill_color=ground, rev_byteorder=True, maybe_alpha=True)
        found: Image.Image = made.to_pil()
        return found
    finally:
        document.close()
