"""Words that are cut out of a shape and reach beyond its edge: those letters are lost, and nobody would see it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import shapely
import shapely.affinity
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Box
from nibble_core.geometry.regions import polygons
from nibble_core.lines.composing import Member, area_of
from nibble_core.ticket.piece import Element, Lettering

OUTSIDE = 0.02  # of an outline's area that must lie beyond the edge to be told
MARGIN = 0.5  # mm of material that a mend leaves beside letters
SMALLEST = 0.1  # of its size that a mend makes words
HALVINGS = 12


@dataclass(frozen=True)
class Fallen:
    """Words that reach beyond what they are cut out of. element: its id; lost: outlines of letters that do, of ``of``.
    moved: by how much they would have to be moved to lie within, mm, None where that is not enough. smaller: their
    size, as a share, at which they lie within where they are, or at ``smaller_moved`` from there; None where none is.
    middle: of their box, from the middle of the one that they stand beside, mm."""

    element: str
    lost: int
    of: int
    middle: tuple[float, float]
    moved: tuple[float, float] | None
    smaller: float | None
    smaller_moved: tuple[float, float]


def fallen_words(elements: Sequence[Element], members: Mapping[str, Member], boxes: Mapping[str, Box]) -> list[Fallen]:
    """Every lettering of a piece that is cut out and reaches beyond what stands before it. members, boxes: by element,
    as they are placed."""
    ground: list[BaseGeometry] = []
    found = []
    for element in elements:
        member = members[element.id]
        areas = [area_of(shape) for shape in member.shapes]
        if element.way != "cut out":
            ground += areas
            continue
        base = shapely.union_all(ground)
        if not isinstance(element.content, Lettering) or base.is_empty or not areas:
            continue
        lost = sum(area.difference(base).area > OUTSIDE * area.area for area in areas if area.area > 0)
        if lost:
            first = next((own.id for own in elements if own.id != element.id), "")
            beside = boxes.get(element.beside) or boxes[first]
            found.append(
                _fallen(element.id, shapely.union_all(areas), lost, len(areas), base, boxes[element.id], beside)
            )
    return found


def _fallen(
    id: str, words: BaseGeometry, lost: int, of: int, base: BaseGeometry, box: Box, beside: Box
) -> Fallen:  # fmt: skip
    room = base.buffer(-MARGIN)
    x, y = (box.left + box.right) / 2, (box.top + box.bottom) / 2
    middle = x - (beside.left + beside.right) / 2, y - (beside.top + beside.bottom) / 2
    ink = words.envelope.centroid
    aims = [(0.0, 0.0)]
    for part in sorted(polygons(room), key=lambda one: -one.area)[:1]:
        inner = shapely.get_point(shapely.maximum_inscribed_circle(part, tolerance=0.5), 0)
        aims += [(aim.x - ink.x, aim.y - ink.y) for aim in (part.envelope.centroid, part.centroid, inner)]
    moved = next((aim for aim in aims if room.contains(shapely.affinity.translate(words, *aim))), None)
    sizes = {aim: _largest(words, (x, y), aim, room) for aim in aims}
    best = max(sizes, key=lambda aim: sizes[aim])
    smaller = sizes[best] if sizes[best] >= SMALLEST else None
    return Fallen(id, lost, of, middle, moved, smaller, best)


def _largest(words: BaseGeometry, about: tuple[float, float], aim: tuple[float, float], room: BaseGeometry) -> float:
    """The largest share of its size at which an area lies within a room, moved there; 0 for none."""

    def fits(share: float) -> bool:
        made = shapely.affinity.scale(words, share, share, origin=about)
        return bool(room.contains(shapely.affinity.translate(made, *aim)))

    if not fits(SMALLEST):
        return 0.0
    low, high = SMALLEST, 1.0
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    return low
