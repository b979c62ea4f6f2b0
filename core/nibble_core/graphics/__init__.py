"""What files hold and stages pass on: pictures of pixels, drawings of shapes, pages of job files."""

from nibble_core.graphics.drawing import HAIRLINE, Colour, Drawing, Drawn, Shape, Stroke, colours_apart, hex_colour
from nibble_core.graphics.page import (
    BLACK,
    ClientPage,
    Engraving,
    Filled,
    Ink,
    Page,
    Painted,
    Picture,
    Plate,
    Press,
    Stroked,
    Tool,
)
from nibble_core.graphics.raster import LUMA, Grey, Pixels, Raster

__all__ = [
    "BLACK",
    "HAIRLINE",
    "LUMA",
    "ClientPage",
    "Colour",
    "Drawing",
    "Drawn",
    "Engraving",
    "Filled",
    "Grey",
    "Ink",
    "Page",
    "Painted",
    "Picture",
    "Pixels",
    "Plate",
    "Press",
    "Raster",
    "Shape",
    "Stroke",
    "Stroked",
    "Tool",
    "colours_apart",
    "hex_colour",
]
