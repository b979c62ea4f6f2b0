"""Carving with turning cutters: grooves, cleared areas, holes, parts cut free, and the surface that they leave."""

from nibble_core.carve.clearing import Flat, cleared, reachable
from nibble_core.carve.freeing import Tabs, freed, opened
from nibble_core.carve.grain import Edge
from nibble_core.carve.grooves import Course, Pointed, grooves, thin
from nibble_core.carve.passes import drilled, led, lowered, passes_to, ramped, screwed
from nibble_core.carve.peeling import Track
from nibble_core.carve.surface import Board, surface

__all__ = [
    "Board", "Course", "Edge", "Flat", "Pointed", "Tabs", "Track", "cleared", "drilled", "freed", "grooves", "led",
    "lowered", "opened", "passes_to", "ramped", "reachable", "screwed", "surface", "thin",
]  # fmt: skip
