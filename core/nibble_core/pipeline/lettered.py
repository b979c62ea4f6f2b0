"""Which places of an artwork look like lettering that is going to be traced."""

from __future__ import annotations

import numpy as np

from nibble_core.geometry import Box
from nibble_core.pipeline.clean import framing_of
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.trace import TraceResult
from nibble_core.ticket import Change
from nibble_core.ticket.artwork import Artwork
from nibble_core.ticket.ids import free_ids

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
