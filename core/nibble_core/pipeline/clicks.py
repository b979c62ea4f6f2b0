"""What a click on the table means at Lines: which hole, region or ring of a cut lies there, and what is changed by it.
A second click at the same takes the first back. Places are fractions of the piece's box, as the ticket keeps them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely import Polygon

from nibble_core.errors import InvalidTicket
from nibble_core.geometry import Path, Point, Region
from nibble_core.lines.contour import as_chords
from nibble_core.pipeline.compose import PieceResult
from nibble_core.pipeline.lines import LayerResult, rings_of
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.sources import holes_of, regions_at
from nibble_core.ticket import Change, Ticket, to_plain
from nibble_core.ticket.ids import free_ids
from nibble_core.ticket.line import ChosenRegions, Line, ThroughCut
from nibble_core.ticket.piece import Layer
from nibble_core.ticket.places import KERF_SIDES, Anchor, HoleMark, KerfMark

COARSE = 0.01  # mm that outlines are flattened within
SAID = tuple(side for side in KERF_SIDES if side != "by its depth")
"""Sides of a kerf in the order that clicks go through; behind the last it is told by its depth again."""


@dataclass(frozen=True, eq=False)
class Hole:
    """What may be kept or filled. line: the id of the line that closes it off; empty for a hole of the piece."""

    line: str
    area: Polygon
    outline: Path | Region


def holes_to_click(composed: PieceResult, drawn: LayerResult) -> list[Hole]:
    """Holes of the piece, and bays that a layer's lines close off."""
    own = [hole for region in composed.regions for hole in region.holes]
    found = [Hole("", Polygon(hole.flattened(COARSE)), hole) for hole in own]
    found += [Hole(line.id, bay, as_chords(bay)) for line in drawn.lines for bay in line.bays]
    return [one for one in found if one.area.is_valid and one.area.area > 0]


def widest_circle(area: Polygon) -> tuple[Point, float]:
    """The middle of the widest circle that an area holds, and how wide it is, mm."""
    circle = shapely.maximum_inscribed_circle(area, tolerance=COARSE)
    return Point(*shapely.get_coordinates(circle)[0].tolist()), 2 * float(circle.length)


def nearest_rings(rings: Sequence[Path], places: Sequence[Point]) -> list[int]:
    """Which of some rings lies nearest to each place."""
    lines = np.array([shapely.LinearRing(ring.flattened(0.05)) for ring in rings])
    return [int(np.argmin(shapely.distance(lines, shapely.Point(place)))) for place in places]


def hole_clicked(ticket: Ticket, layer_id: str, line_id: str, work: Work, x: float, y: float) -> list[Change]:
    """A hole kept where the line's rule fills it, filled where it keeps it; or left to the rule again."""
    piece, layer = ticket.piece_of_layer(layer_id), ticket.layer(layer_id)
    line, composed = _line(layer, line_id), work.pieces[piece.id].value
    place = shapely.Point(composed.at(x, y))
    holes = [
        one.area for one in holes_to_click(composed, work.layers[layer_id].drawn.value) if one.line in ("", line.id)
    ]
    hole = min((area for area in holes if area.contains(place)), key=lambda area: area.area, default=None)
    if hole is None:
        raise InvalidTicket("No hole of the piece lies here.", "Click inside one.")
    here = f"pieces/{piece.id}/layers/{layer.id}/lines/{line.id}/offset/hole_marks"
    marks = line.offset.hole_marks
    earlier = [mark for mark in marks if hole.contains(shapely.Point(composed.at(mark.x, mark.y)))]
    if earlier:
        return [Change(f"{here}/{mark.id}", operation="remove") for mark in earlier]
    x, y = composed.share_of(widest_circle(hole)[0])  # where it stays inside when the piece is changed a little
    turned = "filled" if holes_of(line.offset, composed, [hole]) else "kept"
    return [Change(here, to_plain(HoleMark(next(free_ids("h", marks)), x, y, turned)), "add")]


def region_clicked(ticket: Ticket, layer_id: str, line_id: str, work: Work, x: float, y: float) -> list[Change]:
    """A region chosen for a line, or with no line for the layer; or let go again."""
    piece, layer = ticket.piece_of_layer(layer_id), ticket.layer(layer_id)
    here, marks = f"pieces/{piece.id}/layers/{layer.id}", layer.regions
    if line_id:
        source = _line(layer, line_id).source
        if not isinstance(source, ChosenRegions):
            raise InvalidTicket("This line does not follow chosen regions.", "Let it follow them first.")
        here, marks = f"{here}/lines/{line_id}/source", source.regions
    composed = work.pieces[piece.id].value
    at = Anchor(next(free_ids("r", marks)), round(x, 6), round(y, 6))
    chosen = regions_at(composed, [at])
    if not chosen:
        raise InvalidTicket("No region of the piece lies here.", "Click one of its shapes.")
    earlier = [mark for mark in marks if regions_at(composed, [mark]) == chosen]
    if earlier:
        return [Change(f"{here}/regions/{mark.id}", operation="remove") for mark in earlier]
    return [Change(f"{here}/regions", to_plain(at), "add")]


def kerf_clicked(ticket: Ticket, layer_id: str, line_id: str, work: Work, x: float, y: float) -> list[Change]:
    """The side of the kerf along the ring of a through cut that lies nearest: said, said otherwise, or told by its
    depth again. line_id: the line in hand; the first through cut where that is none."""
    piece, layer = ticket.piece_of_layer(layer_id), ticket.layer(layer_id)
    cuts = [(line, line.process.kerf_marks) for line in layer.lines if isinstance(line.process, ThroughCut)]
    line, marks = min(cuts, key=lambda one: one[0].id != line_id, default=(None, ()))
    drawn = next((one for one in work.layers[layer_id].drawn.value.lines if line and one.id == line.id), None)
    if line is None or drawn is None or not drawn.regions:
        raise InvalidTicket("This layer has no through cut yet.", "Add one, or switch it on.")
    composed = work.pieces[piece.id].value
    at = composed.at(x, y)
    clicked, *known = nearest_rings(list(rings_of(drawn.regions)), [at, *(composed.at(one.x, one.y) for one in marks)])
    here = f"pieces/{piece.id}/layers/{layer.id}/lines/{line.id}/process/kerf_marks"
    before = next((mark for mark, ring in zip(marks, known, strict=True) if ring == clicked), None)
    if before is None:
        mark = KerfMark(next(free_ids("m", marks)), round(x, 6), round(y, 6), SAID[0])
        return [Change(here, to_plain(mark), "add")]
    if before.side not in SAID[:-1]:
        return [Change(f"{here}/{before.id}", operation="remove")]
    return [Change(f"{here}/{before.id}/side", SAID[SAID.index(before.side) + 1])]


CLICKS: dict[str, Callable[[Ticket, str, str, Work, float, float], list[Change]]] = {
    "hole": hole_clicked,
    "region": region_clicked,
    "kerf": kerf_clicked,
}
"""By what is clicked."""


def _line(layer: Layer, line_id: str) -> Line:
    """The line in hand; with none the layer's outermost cut, else its first line."""
    cuts_first = sorted(layer.lines, key=lambda one: not isinstance(one.process, ThroughCut))
    found = next((one for one in cuts_first if line_id in ("", one.id)), None)
    if found is None:
        raise InvalidTicket("That line is not there any more.", "Look again.")
    return found
