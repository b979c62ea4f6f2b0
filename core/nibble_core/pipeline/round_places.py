"""Where round a thing a piece lies: how often, by which turns, and its size that fits."""

from __future__ import annotations

import math

import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import CannotMake
from nibble_core.geometry.units import format_number
from nibble_core.pipeline.notes import Mend, setting
from nibble_core.ticket.goods import Faces
from nibble_core.ticket.model import Ticket
from nibble_core.ticket.piece import Piece
from nibble_core.wrap import Bend, Chart


def spread_of(area: BaseGeometry, chart: Chart) -> tuple[float, float]:
    """The angles from which to which an area on a laid-out wall reaches, radians."""
    if area.is_empty:
        return 0.0, 0.0
    angle = chart.lift(shapely.get_coordinates(area))[:, 0]
    return float(angle.min()), float(angle.max())


def turns_of(faces: Faces, area: BaseGeometry, bend: Bend) -> list[float]:
    """Turns, radians, from where a piece faces to each place that it has round the thing."""
    return repeats(faces, spread_of(area, bend.chart), float(bend.wall.radius_at(faces.below)))


def repeats(faces: Faces, spread: tuple[float, float], radius: float) -> list[float]:
    """The same from the angles that it fills, radians, and the wall's radius in its middle, mm. Raises CannotMake for
    angles that are none."""
    if faces.around == "once":
        return [0.0]
    if faces.around == "at stated angles":
        try:
            found = [math.radians(float(one)) for one in faces.angles.replace(";", ",").split(",") if one.strip()]
        except ValueError:
            found = []
        if not found or not all(math.isfinite(one) for one in found):
            raise CannotMake(f"“{faces.angles}” are no angles.", "Write degrees with commas between: 0, 90, 200.")
        return found
    times = faces.times
    if faces.around == "as a band":
        times = max(1, math.floor(2 * math.pi / max(spread[1] - spread[0] + faces.gap / radius, 1e-6) + 1e-9))
    return [2 * math.pi * k / times for k in range(times)]


def scaled_artwork(piece: Piece, share: float, ticket: Ticket) -> tuple[Mend, ...]:
    """The artwork of a piece made so large, where that is its only one."""
    used = {element.artwork for element in piece.elements if element.artwork}
    if len(piece.elements) != 1 or len(used) != 1:
        return ()
    artwork = ticket.artwork(used.pop())
    if artwork.sized_by != "wide":
        return ()
    width = math.floor(1000 * artwork.width * share) / 1000
    return (setting(f"Make it {format_number(width, 1)} mm wide", f"artworks/{artwork.id}/width", width),)
