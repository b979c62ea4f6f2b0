"""Which places of an artwork look like lettering that is going to be traced."""

from __future__ import annotations

import numpy as np

from nibble_core.geometry import Box
from nibble_core.graphics import hex_colour
from nibble_core.pipeline.clean import framing_of
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.trace import TraceResult
from nibble_core.pipeline.within_report import LEAST_CAPITALS, MOST_CAPITALS, as_drawn
from nibble_core.ticket import Change
from nibble_core.ticket.artwork import Artwork
from nibble_core.ticket.ids import free_ids
from nibble_core.ticket.model import Ticket

BEARING = 0.1  # of its height, that a letter stands off the beginning of its line
CAPITALS = 80  # per cent of a word's letters are as high as its capitals, or lower
SLACK = 0.25  # of a box's height, by which the shapes of its letters may reach beyond it


def lettered(artwork: Artwork, picture: Picture, size: tuple[float, float], trace: TraceResult | None) -> list[Box]:
    """Boxes in mm of the part that is used, ``size`` mm: without those that the operator has said to be none, and
    without those in which nothing is traced."""
    framing, verdict = framing_of(artwork), picture.verdict
    if not verdict.lettering:
        return []
    corners = np.array([[[one.left, one.top], [one.right, one.bottom]] for one in verdict.lettering])
    placed = framing.forward(corners.reshape(-1, 2)).reshape(-1, 2, 2) * size
    none = framing.forward(np.array([[one.x, one.y] for one in artwork.wordless]).reshape(-1, 2)) * size
    boxes = [Box(*pair.min(0).tolist(), *pair.max(0).tolist()) for pair in placed]
    rings = None if trace is None else np.array(
        [ring.bounds() for region in trace.kept_regions for ring in region.rings]
    ).reshape(-1, 4)  # fmt: skip
    return [box for box in boxes if _is_used(box, size) and not _holds(box, none) and _is_traced(box, rings)]


def is_no_lettering(artwork: Artwork, boxes: list[Box], size: tuple[float, float]) -> tuple[Change, ...]:
    """Changes that put boxes away for good."""
    middles = np.array([[(box.left + box.right) / 2, (box.top + box.bottom) / 2] for box in boxes]) / size
    places = np.round(framing_of(artwork).back(middles), 5).tolist()
    return tuple(
        Change(f"artworks/{artwork.id}/wordless", {"id": id, "x": x, "y": y}, "add")
        for id, (x, y) in zip(free_ids("w", artwork.wordless), places, strict=False)
    )


def set_in_words(
    artwork: Artwork, box: Box, trace: TraceResult, ticket: Ticket, size: tuple[float, float]
) -> tuple[Change, ...]:
    """Changes that drop the traced shapes within a box, and put words in their place, as high as its letters and still
    to be written; none where the artwork does not stand in its piece as it was drawn. size: of the artwork, mm."""
    place = as_drawn(artwork, ticket)
    slack = SLACK * box.height
    inside = [
        one for one in trace.shapes
        if not one.dropped and _within(one.shape.bounds(), box, slack)
    ]  # fmt: skip
    if place is None or not inside:
        return ()
    piece, _ = place
    heights = [one.shape.bounds().height for one in inside]
    capitals = round(min(max(float(np.percentile(heights, CAPITALS)), LEAST_CAPITALS), MOST_CAPITALS), 2)
    dark = min((one.shape.colour for one in inside), key=sum)
    words = {"kind": "text", "words": "Text", "cap_height": capitals, "colour": hex_colour(dark)}
    element = {
        "id": next(free_ids("w", piece.elements)), "content": words, "way": "apart",
        "x": round(box.left - BEARING * capitals, 2), "y": round(box.top, 2),
    }  # fmt: skip
    return (
        *(
            Change(f"artworks/{artwork.id}/touch_ups", {
                "id": id, "kind": "drop", "x": round(one.x, 6), "y": round(one.y, 6),
                "colour": list(one.shape.colour), "size": one.size,
            }, "add")
            for id, one in zip(free_ids("t", artwork.touch_ups), inside, strict=False)
        ),
        Change(f"pieces/{piece.id}/elements", element, "add"),
    )  # fmt: skip


def _within(inner: Box, box: Box, slack: float) -> bool:
    return (
        inner.left >= box.left - slack and inner.top >= box.top - slack
        and inner.right <= box.right + slack and inner.bottom <= box.bottom + slack
    )  # fmt: skip


def _is_used(box: Box, size: tuple[float, float]) -> bool:
    return box.right > 0 and box.bottom > 0 and box.left < size[0] and box.top < size[1]


def _holds(box: Box, places: np.ndarray) -> bool:
    inside = (places >= (box.left, box.top)) & (places <= (box.right, box.bottom))
    return bool(inside.all(1).any())


def _is_traced(box: Box, rings: np.ndarray | None) -> bool:
    """Whether the outline of a shape or hole lies within: letters dropped, rubbed out or never traced leave none."""
    if rings is None:
        return True
    slack = SLACK * (box.bottom - box.top)
    low = (rings[:, :2] >= (box.left - slack, box.top - slack)).all(1)
    return bool((low & (rings[:, 2:] <= (box.right + slack, box.bottom + slack)).all(1)).any())
