"""The wall of a round thing as a shop measures it.

Angles are degrees round the axis, to the right as the thing is seen from outside with its rim above, from the middle
of its handle or seam. Heights are mm below the rim.
"""

from __future__ import annotations

from dataclasses import dataclass

from nibble_core.ticket.fields import angle, choice, length

SHAPES = {
    "straight": "As wide at the foot as at the rim.",
    "tapered": "Wider at one end: part of a cone.",
    "a profile": "A belly, a pear or a bell: its diameter at several heights.",
}
FREE_PARTS = {
    "the handle": "And what a hand needs beside it.",
    "the seam": "Where the thing is joined, or the label meets itself.",
    "the rim": "A lip, or where a mouth drinks.",
    "the foot": "A ring, or a curve to the bottom.",
    "another part": "A badge, a window, a scale.",
}


@dataclass(frozen=True)
class Girth:
    """A place of a profile."""

    id: str
    height: float = length(0.0, 0.0, 1000.0, "height below the rim", step=1.0)
    diameter: float = length(80.0, 1.0, 1000.0, "diameter", step=0.5)


@dataclass(frozen=True)
class FreePart:
    """A part of a wall that nothing may lie on. middle, wide: degrees; 360 for all round. to: None for the foot."""

    id: str
    what: str = choice("the handle", "part kept free", FREE_PARTS)
    middle: float = angle(0.0, "middle of the part")
    wide: float = angle(60.0, "width of the part")
    below: float = length(0.0, 0.0, 1000.0, "upper end of the part", step=1.0)
    to: float | None = length(None, 0.0, 1000.0, "lower end of the part", step=1.0, auto="the foot")


@dataclass(frozen=True)
class RoundShape:
    """A wall as a shop measures it with rule, tape and calipers: what was not measured follows from the rest. taper:
    degrees of the wall from upright, above nothing where the foot is narrower. height: upright; along: of the wall, on
    its slant. tape: thickness of the tape that girths were measured with."""

    shape: str = choice("straight", "shape of the wall", SHAPES)
    rim_diameter: float | None = length(80.0, 1.0, 1000.0, "diameter at the rim", step=0.5, auto="not measured")
    rim_girth: float | None = length(None, 3.0, 3200.0, "girth at the rim", step=0.5, auto="not measured")
    foot_diameter: float | None = length(None, 1.0, 1000.0, "diameter at the foot", step=0.5, auto="not measured")
    foot_girth: float | None = length(None, 3.0, 3200.0, "girth at the foot", step=0.5, auto="not measured")
    taper: float | None = angle(None, "taper of the wall", auto="not measured")
    height: float | None = length(100.0, 1.0, 1000.0, "height", step=0.5, auto="not measured")
    along: float | None = length(None, 1.0, 1000.0, "height along the wall", step=0.5, auto="not measured")
    tape: float = length(0.0, 0.0, 3.0, "thickness of the tape", step=0.1)
    girths: tuple[Girth, ...] = ()
    free: tuple[FreePart, ...] = ()
