"""Inks of a client's drawing: colours that differ too little to be meant are one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from nibble_core.graphics import Colour, Drawn, Stroke, colours_apart

LEVELS = 255
HAIR = 0.1  # mm: what a stroke without width is weighed as


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
