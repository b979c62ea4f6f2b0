"""What files hold and stages pass on: pictures of pixels, drawings of shapes, pages of job files."""

from nibble_core.graphics.drawing import Colour, Drawing, Shape, hex_colour
from nibble_core.graphics.page import BLACK, Filled, Ink, Page, Picture, Stroked
from nibble_core.graphics.raster import LUMA, Grey, Pixels, Raster

__all__ = [
    "BLACK", "LUMA", "Colour", "Drawing", "Filled", "Grey", "Ink", "Page", "Picture", "Pixels", "Raster", "Shape",
    "Stroked", "hex_colour",
]  # fmt: skip
