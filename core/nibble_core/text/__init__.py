"""Lettering: words to outlines that a knife can follow, in real fonts with real shaping and kerning.

``fonts`` opens font files, those that ship with Nibble and the shop's own; ``lettering`` shapes a line of text, sets it
on a straight line or an arc at a cap height in mm, and gives its letters as joined regions.
"""

from nibble_core.text.fonts import SHIPPED, Font, open_font, shipped_font
from nibble_core.text.lettering import Lettering, set_line

__all__ = ["SHIPPED", "Font", "Lettering", "open_font", "set_line", "shipped_font"]
