"""The finished size of an artwork, from what the ticket states and what came in."""

from __future__ import annotations

from nibble_core.pipeline.clean import framing_of, size_in_px
from nibble_core.pipeline.read import Picture
from nibble_core.ticket.artwork import Artwork


def finished_size(artwork: Artwork, picture: Picture) -> tuple[float, float]:
    """Width and height in mm of the part that is used, proportions kept or stretched. Raises InvalidTicket for an
    empty crop."""
    framing = framing_of(artwork)
    if picture.drawing is not None:
        whole = picture.drawing.drawing
        wide, high = whole.width, whole.height
    else:  # its own proportions: enlarging rounds them
        across, down = size_in_px(artwork, picture)
        framing = framing.snapped(across, down)
        wide, high = float(across), float(down)
    wide *= 1 - framing.left - framing.right
    high *= 1 - framing.top - framing.bottom
    own = picture.own_width * (1 - framing.left - framing.right)
    if framing.quarters % 2:
        own *= high / wide
        wide, high = high, wide
    wide, own = wide * framing.stretch, own * framing.stretch
    if artwork.sized_by == "high":
        return artwork.height * wide / high, artwork.height
    width = artwork.width if artwork.sized_by == "wide" else own * artwork.scale
    return width, width * high / wide
