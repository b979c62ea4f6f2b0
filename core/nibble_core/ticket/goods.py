"""What a piece goes on: nothing, a flat thing that it is looked at on, or a round one: how it is bent onto that, where
it lies, and how it is made.

Angles are degrees round the axis, to the right as the thing is seen from outside with its rim above, from the middle
of its handle or seam. Heights are mm below the rim.
"""

from __future__ import annotations

from dataclasses import KW_ONLY, dataclass, field

from nibble_core.things import THINGS, Thing
from nibble_core.ticket.fields import angle, choice, colour, count, length, of_kinds, share, text
from nibble_core.ticket.stock import ROUND_THING, Stock

NOTHING, ROUND = "nothing", "a round thing"
GOODS = {
    NOTHING: "On its own.",
    **{key: thing.words for key, thing in THINGS.items()},
    ROUND: "A cup, a bottle, a jar: bent onto its wall.",
}
TRUTHS = {
    "true to the eye": "Seen straight from the front it has its own proportions.",
    "true on the surface": "Lengths round the thing and along its wall are its own, as a label would lie.",
    "stretched by hand": "Its width is what you say, at its top and at its bottom.",
}
FACING = {
    "the handle’s opposite": "Half a turn from the handle or seam: a right-handed drinker shows it.",
    "a quarter to the right": "Of the handle, seen from outside.",
    "a quarter to the left": "Of the handle, seen from outside.",
    "the handle": "Where the handle or seam is.",
    "a stated angle": "Degrees to the right of the handle or seam.",
}
FACED = {"the handle’s opposite": 180.0, "a quarter to the right": 90.0, "a quarter to the left": 270.0,
         "the handle": 0.0}  # fmt: skip
AROUND = {
    "once": "In one place.",
    "at equal angles": "So many times, evenly round it.",
    "at stated angles": "At the angles that you write, from where it faces.",
    "as a band": "As often as fits, all round, so that the gaps are alike and the last meets the first.",
}
MADE = {
    "turned under a laser": "The thing lies on rollers or in a chuck, and turns under the beam.",
    "a label wrapped round it": "Printed and cut flat, bent so that it closes on the wall; a mask likewise.",
}
LEVELS = {
    "with its wall level": "Tilted until the wall lies level under the beam, which stays in focus.",
    "with its axis level": "Not tilted: the narrow end lies lower under the beam.",
}
POWERS = {
    "the same all over": "Where it is narrower than its ring the wall runs slower, and is burnt deeper.",
    "less where it is narrow": "Power falls with the speed of the wall: as deep everywhere.",
}
WRAPS = {
    "cut as its lines say": "Round the artwork, or what its lines follow.",
    "cut as a band all round": "From one height to another, all round, with a lap to glue.",
}


@dataclass(frozen=True)
class Goods:
    """What a piece goes on: nothing."""

    _: KW_ONLY
    kind: str = choice(NOTHING, "what it goes on", GOODS)


@dataclass(frozen=True)
class OnFlat(Goods):
    """A piece on a thing that lies or stands flat, as it is shown. down: see ``nibble_core.things``."""

    colour: str = colour("#2d4a63", "colour of what it goes on")
    down: float | None = length(None, -1000.0, 1000.0, "distance on it", step=5.0, auto="the usual distance")
    _: KW_ONLY
    kind: str = choice(next(iter(THINGS)), "what it goes on", GOODS)

    @property
    def thing(self) -> Thing:
        return THINGS[self.kind]


@dataclass(frozen=True)
class Seen:
    """How flat artwork is bent onto a wall. distance: of the eye before it; None for far away. top, bottom: width by
    hand, of the artwork's own."""

    truth: str = choice("true to the eye", "truth", TRUTHS)
    distance: float | None = length(600.0, 50.0, 10_000.0, "distance of the eye", step=50.0, auto="far away")
    top: float = share(1.1, "width at the top", low=0.2, high=5.0)
    bottom: float = share(1.1, "width at the bottom", low=0.2, high=5.0)
    most_away: float = angle(60.0, "most that it may face away")


@dataclass(frozen=True)
class Faces:
    """Where round a thing a piece lies. below: its middle, below the rim. angles: stated, from where it faces, with
    commas between. gap: between the repeats of a band, at least."""

    below: float = length(50.0, 0.0, 1000.0, "distance of its middle below the rim", step=1.0)
    facing: str = choice("the handle’s opposite", "side that it faces", FACING)
    at: float = angle(0.0, "angle that it faces")
    around: str = choice("once", "way round", AROUND)
    times: int = count(2, 1, 72, "times round it")
    angles: str = text("0, 90", 200, "angles", shortest=1)
    gap: float = length(0.0, 0.0, 500.0, "gap between repeats", step=0.5)


@dataclass(frozen=True)
class Made:
    """How work comes onto a round thing: turned under a beam. ring: diameter where rollers touch it, of which a turn is
    counted in mm."""

    ring: float | None = length(None, 1.0, 1000.0, "ring that the rollers touch", step=0.5, auto="its widest ring")
    level: str = choice("with its wall level", "way it lies", LEVELS)
    power: str = choice("the same all over", "power along the wall", POWERS)
    _: KW_ONLY
    kind: str = choice("turned under a laser", "way it is made", MADE)


@dataclass(frozen=True)
class Label:
    """A label or mask, flat until it is wrapped. lap: that is glued under its other end. upper, lower: heights of a
    band's edges below the rim."""

    edge: str = choice("cut as its lines say", "edge of the label", WRAPS)
    lap: float = length(8.0, 0.0, 100.0, "lap", step=0.5)
    upper: float = length(10.0, 0.0, 1000.0, "upper edge below the rim", step=0.5)
    lower: float = length(60.0, 0.0, 1000.0, "lower edge below the rim", step=0.5)
    _: KW_ONLY
    kind: str = choice("a label wrapped round it", "way it is made", MADE)


_MADE: dict[str, type] = {"turned under a laser": Made, "a label wrapped round it": Label}


@dataclass(frozen=True)
class OnRound(Goods):
    """A piece on a round thing. thing: the shop's record as it was chosen."""

    thing: Stock = field(default_factory=lambda: Stock("cup", "a cup", kind=ROUND_THING))
    seen: Seen = field(default_factory=Seen)
    faces: Faces = field(default_factory=Faces)
    made: Made | Label = of_kinds(Made(), "way it is made", MADE, _MADE.__getitem__)
    _: KW_ONLY
    kind: str = choice(ROUND, "what it goes on", GOODS)

    @property
    def turned(self) -> bool:
        """Whether the thing itself turns under a head."""
        return isinstance(self.made, Made)


def type_of_goods(kind: str) -> type[Goods]:
    return OnFlat if kind in THINGS else OnRound if kind == ROUND else Goods


def faces_of(faces: Faces) -> float:
    """Degrees from the handle or seam."""
    return FACED.get(faces.facing, faces.at)
