"""From what a shop measured of a round thing to its wall; what does not fit together is told."""

from __future__ import annotations

import math

from nibble_core.errors import InvalidTicket
from nibble_core.ticket.round_shape import RoundShape
from nibble_core.wrap import Wall, cone, profile

AGREES = 0.6  # mm that two measures of the same may differ by
STEEPEST = 80.0  # degrees of a taper


def wall_of(shape: RoundShape) -> Wall:
    """The wall that measures describe. Raises InvalidTicket for too few, or such as contradict each other."""
    if shape.shape == "a profile":
        return profile([(one.height, one.diameter) for one in shape.girths])
    rim = _diameter("rim", shape.rim_diameter, shape.rim_girth, shape.tape)
    if rim is None:
        raise InvalidTicket("Nobody has measured the rim.", "Write its diameter, or its girth by a tape.")
    if shape.shape == "straight":
        height = shape.height if shape.height is not None else shape.along
        if height is None:
            raise InvalidTicket("Nobody has measured how high the wall is.", "Write its height.")
        return cone(rim, rim, height)
    return _tapered(shape, rim)


def _tapered(shape: RoundShape, rim: float) -> Wall:
    foot = _diameter("foot", shape.foot_diameter, shape.foot_girth, shape.tape)
    height, along = shape.height, shape.along
    if height is None and along is None:
        raise InvalidTicket("Nobody has measured how high the wall is.", "Write its height, or that along the wall.")
    if foot is None:
        if shape.taper is None:
            raise InvalidTicket("Nobody has measured the foot.", "Write its diameter, its girth, or the taper.")
        slant = math.radians(shape.taper)
        if abs(shape.taper) > STEEPEST:
            raise InvalidTicket("A wall leans by 80° at most.", "Measure its taper from upright.")
        if height is None:
            assert along is not None
            height = along * math.cos(slant)
        foot = rim - 2 * height * math.tan(slant)
        if foot <= 0:
            raise InvalidTicket(
                f"At {shape.taper:g}° it would taper to nothing {rim / 2 / math.tan(slant):.0f} mm below the rim.",
                "Measure its taper from upright, or its foot.",
            )
    elif height is None:
        assert along is not None
        lean = (rim - foot) / 2
        if along <= abs(lean):
            raise InvalidTicket(
                f"A wall of {along:g} mm cannot lead from {rim:g} to {foot:g} mm across.", "Measure it again."
            )
        height = math.sqrt(along**2 - lean**2)
    made = cone(rim, foot, height)
    if along is not None and abs(made.slant - along) > AGREES:
        raise InvalidTicket(
            f"Along its wall it would be {made.slant:.1f} mm high, not {along:g} mm.",
            "Measure again, or leave one of the heights out.",
        )
    lean = math.degrees(math.atan2((rim - foot) / 2, height))
    off = abs(math.tan(math.radians(lean)) - math.tan(math.radians(shape.taper or lean))) * height
    if off > AGREES:
        raise InvalidTicket(
            f"From rim to foot it tapers by {lean:.1f}°, not {shape.taper:g}°.", "Measure again, or leave one out."
        )
    return made


def _diameter(where: str, diameter: float | None, girth: float | None, tape: float) -> float | None:
    """By calipers, or by a tape, whose middle runs half its thickness beyond the wall."""
    if girth is None:
        return diameter
    by_tape = girth / math.pi - tape
    if by_tape <= 0:
        raise InvalidTicket(f"The tape is thicker than the {where} is wide.", "Measure again.")
    if diameter is not None and abs(by_tape - diameter) > AGREES:
        raise InvalidTicket(
            f"A girth of {girth:g} mm at the {where} is {by_tape:.1f} mm across, not {diameter:g} mm.",
            "Measure again, or leave one of the two out.",
        )
    return by_tape
