"""Inks of a drawing: colours that differ too little to be meant are one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from nibble_core.graphics import Colour, Drawn, Stroke, colours_apart

LEVELS = 255
HAIR = 0.1  # mm: what a stroke without width is weighed as
MIXED, TELLING = 48, 40.0  # levels off a mixture that are another ink, in a region of so many px²
DARKER, LIGHTEST = -0.3, 0.85  # shares of paper in what is still the ink


def with_joined_inks(shapes: Sequence[Drawn], nearer: float) -> list[Drawn]:
    """Shapes in the colour that is used most among those no further than ``nearer`` from it.

    nearer: the largest difference of a channel, as a share of its whole range; 0 keeps every colour. Colours are never
    chained: each is within that distance of the one it becomes. What the client has named keeps its own.
    """
    weights: dict[Colour, float] = {}
    for shape in shapes:
        weights[shape.colour] = weights.get(shape.colour, 0.0) + _covered(shape)
    inks: list[Colour] = []
    becomes: dict[Colour, Colour] = {}
    for colour in sorted(weights, key=lambda one: -weights[one]):
        near = [ink for ink in inks if colours_apart(ink, colour) <= nearer * LEVELS]
        becomes[colour] = min(near, key=lambda ink: colours_apart(ink, colour)) if near else colour
        if not near:
            inks.append(colour)
    return [shape if shape.spot else replace(shape, colour=becomes[shape.colour]) for shape in shapes]


def _covered(shape: Drawn) -> float:
    if isinstance(shape, Stroke):
        return shape.path.length() * max(shape.width, HAIR)
    return abs(shape.region.area())


def inks_of(colours: Sequence[Colour], areas: Sequence[float], paper: Colour) -> list[Colour]:
    """The ink of each region of a two-tone drawing, in which thin parts and losses in saving leave lighter and other
    colours: that of the largest region from which mixing with ``paper`` explains it. ``areas``: px²; of a few pixels
    the colour says little, so that they take the nearest ink."""
    inks: list[Colour] = []
    found: dict[int, Colour] = {}
    for k in sorted(range(len(colours)), key=lambda k: -areas[k]):
        off = [_off_mixture(colours[k], ink, paper) for ink in inks]
        nearest = int(np.argmin(off)) if off else -1
        if nearest < 0 or (off[nearest] > MIXED and areas[k] >= TELLING):
            inks.append(colours[k])
            nearest = len(inks) - 1
        found[k] = inks[nearest]
    return [found[k] for k in range(len(colours))]


def _off_mixture(colour: Colour, ink: Colour, paper: Colour) -> float:
    """Levels by which a colour lies off the nearest mixture of ink and paper."""
    own, pure, ground = (np.array(one, float) for one in (colour, ink, paper))
    way = ground - pure
    share = float(np.clip((own - pure) @ way / max(way @ way, 1.0), DARKER, LIGHTEST))
    return float(np.abs(own - pure - share * way).max())
