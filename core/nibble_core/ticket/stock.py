"""A material, or a thing, as it lay in the shop when it was chosen."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from nibble_core.ticket.fields import amount, choice, count, flag, length, share, text
from nibble_core.ticket.round_shape import RoundShape

ROUND_THING = "a round thing"
KINDS_OF_STOCK = {
    "a roll": "Cut off as long as needed.",
    "a sheet": "Of one size.",
    ROUND_THING: "A cup, a bottle, a jar; its price is of one.",
}
RENDERINGS = {
    "perceptual": "Colours are drawn together until all can be printed: for pictures.",
    "relative colorimetric": "Colours that can be printed stay, others go to the nearest: for logos.",
    "saturation": "As full as can be: for charts.",
    "absolute colorimetric": "The stock's own tint is printed as well: for proofs.",
}
"""Rendering intents of colour profiles (ICC.1)."""
GRAINS = {
    "in no direction": "The same whichever way a cutter runs.",
    "from left to right": "Its fibres run across the sheet.",
    "from front to back": "Its fibres run along the sheet.",
}


@dataclass(frozen=True)
class Stock:
    """thinnest: part it holds. liner: whether one carries the cut parts. wall: of a round thing. profile: SHA-256 of
    the ICC file of what is printed on it, empty for sRGB. feeds: of a router's cutters, a share of what their records
    say. printable: whether the press takes it. machines: keys of those that had settings for it when it was chosen;
    empty where nobody knows of any."""

    key: str = text("", 60, "stock", shortest=1)
    name: str = text("", 80, "stock", shortest=1)
    width: float = length(1000.0, 10.0, 10_000.0, "width")
    usable_width: float = length(1000.0, 10.0, 10_000.0, "usable width")
    usable_length: float = length(3000.0, 10.0, 100_000.0, "usable length")
    smallest_part: float = length(1.0, 0.0, 100.0, "smallest part")
    colour: str = text("#ffffff", 7, "colour", shortest=7)
    mirrored: bool = flag(False, "mirroring")
    thinnest: float = length(0.8, 0.0, 50.0, "thinnest part")
    liner: bool = flag(True, "liner")
    kind: str = choice("a roll", "kind of stock", KINDS_OF_STOCK)
    thickness: float = length(0.1, 0.0, 100.0, "thickness", step=0.01)
    price: float = amount(0.0, 0.0, 100_000.0, "price a square metre")
    length_left: float | None = length(None, 0.0, 1_000_000.0, "length left", auto="not counted")
    beneath: str = text("", 80, "what is under it", empty="nothing")
    finishing: str = text("", 200, "notes for finishing", empty="nothing")
    press_heat: int | None = count(None, 0, 400, "press heat", auto="none")
    press_seconds: int | None = count(None, 0, 600, "press time", auto="none")
    press_pressure: str = text("", 40, "press pressure", empty="none")
    peel: str = text("", 40, "peel", empty="none")
    profile: str = text("", 64, "colour profile", empty="none")
    profile_name: str = text("", 80, "name of the colour profile", empty="none")
    rendering: str = choice("perceptual", "rendering intent", RENDERINGS)
    printable: bool = flag(True, "printing")
    feeds: float = share(1.0, "feeds of cutters in it", low=0.1, high=4.0)
    grain: str = choice("in no direction", "way the grain runs", GRAINS)
    wall: RoundShape = field(default_factory=RoundShape)
    machines: tuple[str, ...] = ()

    @property
    def grain_angle(self) -> float | None:
        """Radians of its fibres on a sheet; None where it has none."""
        return {"from left to right": 0.0, "from front to back": math.pi / 2}.get(self.grain)

    def taken_by(self, machine: str) -> bool:
        """Whether a machine has settings for it, by its key; of a stock that nobody has set, any may."""
        return not self.machines or machine in self.machines

    @property
    def is_round(self) -> bool:
        return self.kind == ROUND_THING
