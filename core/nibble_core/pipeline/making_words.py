"""How a picture was made, in words: what its pixels tell, and what is made of it."""

from __future__ import annotations

from nibble_core.artwork.blended import Blend
from nibble_core.artwork.enlarged import Squares
from nibble_core.artwork.facts import Facts
from nibble_core.tracing.making import Making

STEPS, LIGHT, FRINGES = "steps", "light", "fringes"
_EDGES = {
    "sharpened": ("It was sharpened: pale and dark rims run along its edges.", "The rims are not followed"),
    "without greys": ("It has no greys: its edges go in steps of a whole pixel.", "The steps are not followed"),
    "in steps": ("Its edges were drawn with few samples to a pixel.", "Their steps are not followed"),
}


def enlarged_in_words(made_of: Squares | Blend) -> str:
    """That a picture was enlarged, in squares or smoothly, and how much of it there is."""
    how = "with" if isinstance(made_of, Blend) else "without"
    return (
        f"This picture was enlarged {made_of.size:.3g} times {how} smoothing: it has {made_of.across} × "
        f"{made_of.down} px of its own."
    )


def saved_before(kind: str, facts: Facts, making: Making) -> str:
    """That a picture was saved as JPEG before it became what it is now, in words; nothing where nothing tells that.

    The grid of a JPEG is its own; that of equal squares may be of the picture after it was enlarged.
    """
    if kind == "JPEG" or not making.jpeg_grid:
        return ""
    at = f", at {facts.blend.across} × {facts.blend.down} px," if facts.blend else " it came as this file,"
    return f"It was saved as JPEG before{at} which left noise round its edges."


def making_in_words(making: Making) -> list[tuple[str, str, str]]:
    """What is to be known of a picture's edges, nothing of crisp ones: of each its kind (STEPS, LIGHT or FRINGES), the
    words, and what is made of it."""
    told = []
    if making.edges in _EDGES:
        what, done = _EDGES[making.edges]
        told.append((STEPS, what, f"{done}; places along an edge are known to {max(making.known_to, 0.01):.2f} px."))
    if making.edges == "soft":
        told.append(
            (
                STEPS,
                f"Its edges are {making.softness:.1f} times as wide as crisp ones: it was enlarged smoothly, or is out "
                "of focus.",
                "Corners are looked for at that scale.",
            )
        )
    if making.in_light:
        told.append(
            (
                LIGHT,
                "The greys of its edges were mixed in linear light.",
                "An edge lies half-way in light, not in grey.",
            )
        )
    if making.fringed:
        told.append((FRINGES, "Its edges have the coloured fringes of a screen.", "They are taken for greys."))
    return told
