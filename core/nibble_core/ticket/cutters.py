"""The cutters in a router's rack."""

from __future__ import annotations

from dataclasses import dataclass

from nibble_core.ticket.fields import angle, choice, count, length, share, text, velocity

BALL = "a tapered ball"
KINDS_OF_CUTTER = {
    "pointed": "Carves grooves, as deep as a stroke is wide.",
    BALL: "A cone that ends in a ball: carves grooves with a soft bottom.",
    "flat": "Clears areas to one depth, and cuts parts out.",
    "round": "A ball: clears with a soft bottom.",
    "a drill": "Holes as wide as it is.",
}

CHANGES = {
    "by G-code": "T and M6 call for each cutter.",
    "by hand": "A file for each cutter, in order: it is put in before.",
}


@dataclass(frozen=True)
class Cutter:
    """diameter: of its body, mm; tip: of its flat end where it is pointed, of its ball where it is tapered. angle:
    degrees that a pointed one includes. feed, plunge: mm a second along and down. deepest_pass: mm. step_over: share
    of its diameter between rings or lanes."""

    id: str
    name: str = text("cutter", 60, "name of the cutter", shortest=1)
    kind: str = choice("flat", "kind of cutter", KINDS_OF_CUTTER)
    diameter: float = length(6.0, 0.1, 100.0, "diameter of the cutter", step=0.1)
    angle: float = angle(60.0, "angle of the point", low=5.0, high=170.0)
    tip: float = length(0.0, 0.0, 50.0, "width of its tip", step=0.05)
    flutes: int = count(2, 1, 12, "flutes")
    feed: int = velocity(40, 1, 1000, "feed")
    plunge: int = velocity(10, 1, 500, "plunge")
    spindle: int = count(18_000, 100, 60_000, "turns a minute")
    deepest_pass: float = length(3.0, 0.1, 100.0, "deepest pass", step=0.1)
    step_over: float = share(0.4, "step-over", low=0.05, high=0.5)
