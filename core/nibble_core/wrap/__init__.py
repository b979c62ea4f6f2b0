"""Round goods: walls of cups and pots, what flat artwork becomes on them, and how that lies flat or turns under a head.

``wall`` measures the thing, ``looks`` bends artwork onto it (true on the surface, or to the eye), ``charts`` lays the
wall out again (as a label, or as the machine that turns it sees it), ``bending`` takes paths and pixels through both.
"""

from nibble_core.wrap.bending import Bend, Grid, Relaid, bent, bent_pixels, read_through
from nibble_core.wrap.charts import Chart, Label, Turning
from nibble_core.wrap.looks import ByHand, Look, OnSurface, ToTheEye
from nibble_core.wrap.wall import Wall, cone, profile, straight_part

__all__ = [
    "Bend", "ByHand", "Chart", "Grid", "Label", "Look", "OnSurface", "Relaid", "ToTheEye", "Turning", "Wall", "bent",
    "bent_pixels", "cone", "profile", "read_through",
    "straight_part",
]  # fmt: skip
