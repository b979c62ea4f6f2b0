"""A thing that a machine turns under its beam: what was burnt lies on its wall, and is looked at unrolled or in front.

An independent judge: it knows the wall by its own measures, rolls it by its own sums (rollers that slip, a chuck that
counts its own units), and shares no code with what bent the work or wrote the file.
"""

from __future__ import annotations

import json
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nibble_core.errors import UnreadableFile
from nibble_core.simulators.burnt import AS_FAST, course
from nibble_core.simulators.laser import Complaint, Laser, Step

Numbers = NDArray[np.float64]
STEP = 0.2  # mm between places at which a burn is judged
REACH = 0.05  # mm beyond an edge that rounding may lead to
FINE = 10.0  # px a mm at most
SIDE = 6000  # px at most


@dataclass(frozen=True)
class Free:
    """A part that nothing may be burnt on. middle, wide: degrees from the handle or seam; below, to: mm of height."""

    what: str
    middle: float
    wide: float
    below: float
    to: float


@dataclass(frozen=True, eq=False)
class Thing:
    """heights: mm below the rim; radii: mm there. turn: mm of the ring's surface, or units of a chuck, that are a whole
    turn when nothing slips. slip: share of each turn that is lost. rim: -1 where it points left, 1 right. level:
    whether the wall lies level. sharp: mm in height over which the beam is."""

    heights: Numbers
    radii: Numbers
    turn: float
    ring: float
    slip: float = 0.0
    rim: int = -1
    level: bool = True
    sharp: float = 2.0
    free: tuple[Free, ...] = field(default_factory=tuple)

    @property
    def slants(self) -> Numbers:
        steps = np.sqrt(np.diff(self.heights) ** 2 + np.diff(self.radii) ** 2)
        return np.concatenate([[0.0], np.cumsum(steps)])

    @property
    def long(self) -> float:
        """mm from rim to foot as the head goes."""
        return float(self.slants[-1] if self.level else self.heights[-1])

    def placed(self, places: Numbers) -> tuple[Numbers, Numbers]:
        """Where the beam is on the wall, of places in the machine's axes (n, 2): radians, and mm from the rim as the
        head goes."""
        along = places[:, 0] * -self.rim
        angle = places[:, 1] * -self.rim / self.turn * 2 * math.pi * (1 - self.slip)
        return angle, along

    def radius(self, along: Numbers) -> Numbers:
        return np.interp(along, self.slants if self.level else self.heights, self.radii)


def thing_of(content: bytes) -> Thing:
    """A thing as a file describes it, JSON. heights_mm and diameters_mm: from the rim down; turned_by: “rollers” at
    ring_mm, or “a chuck” of units_a_turn; slip_percent; rim: “to the left” or “to the right”; lies: “with its wall
    level” or “with its axis level”; sharp_mm; free: parts with what, middle_deg, wide_deg, from_mm, to_mm. Raises
    UnreadableFile."""
    try:
        plain = json.loads(content)
        heights, diameters = (np.array(plain[name], float) for name in ("heights_mm", "diameters_mm"))
        ring = float(plain.get("ring_mm", diameters.max()))
        chuck = plain.get("turned_by", "rollers") == "a chuck"
        made = Thing(
            heights, diameters / 2, float(plain["units_a_turn"]) if chuck else math.pi * ring, ring / 2,
            float(plain.get("slip_percent", 0.0)) / 100, 1 if plain.get("rim") == "to the right" else -1,
            plain.get("lies", "with its wall level") == "with its wall level", float(plain.get("sharp_mm", 2.0)),
            tuple(
                Free(str(one["what"]), float(one["middle_deg"]), float(one["wide_deg"]), float(one["from_mm"]),
                     float(heights[-1] if one.get("to_mm") is None else one["to_mm"]))
                for one in plain.get("free", [])
            ),
        )  # fmt: skip
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise UnreadableFile(
            "This is no description of a round thing.", "Give heights_mm and diameters_mm, from the rim down."
        ) from error
    sound = len(heights) == len(diameters) >= 2 and np.isfinite(np.concatenate([heights, diameters])).all()
    if not sound or (np.diff(heights) <= 0).any() or (diameters <= 0).any() or not 0 < made.turn < 1e7:
        raise UnreadableFile(
            "The wall of this thing makes no sense.", "Heights rise from the rim, and no diameter is nothing."
        )
    if not 0 <= made.slip < 1 or abs(made.radii).max() > 5000:
        raise UnreadableFile("This thing is too large, or slips whole turns.", "Correct its measures.")
    return made


def on_surface(steps: Sequence[Step], thing: Thing) -> list[Step]:
    """The same steps with the turn in mm at the ring, each as long in time: what a clock is told of."""
    grow = 2 * math.pi * thing.ring / thing.turn
    if abs(grow - 1) < 1e-12:
        return list(steps)
    made = []
    for step in steps:
        start, end = (step.start[0], step.start[1] * grow), (step.end[0], step.end[1] * grow)
        length = math.dist(start, end)
        feed = step.feed if step.rapid or step.length <= 0 else step.feed * length / step.length
        made.append(step._replace(start=start, end=end, feed=feed))
    return made


@dataclass(frozen=True)
class Burn:
    """One burn on the wall: radians, and mm from the rim, of places along it; its line, process and tone."""

    line: int
    process: str
    angle: Numbers
    along: Numbers
    strength: float


def burns(steps: Sequence[Step], thing: Thing) -> Iterator[Burn]:
    """What is burnt, in its order, at places no further apart than ``STEP``."""
    for step, surface in zip(steps, on_surface(steps, thing), strict=True):
        if step.beam <= 0 or step.length <= 0:
            continue
        places = course(step)
        if step.centre is None:
            count = max(2, math.ceil(step.length / STEP) + 1)
            places = np.linspace(places[0], places[-1], count)
        angle, along = thing.placed(places)
        yield Burn(step.line, step.process, angle, along, min(1.0, step.beam * AS_FAST / max(surface.feed, 1e-6)))


def scale_of(thing: Thing) -> float:
    """Pixels a mm of the pictures."""
    return min(FINE, SIDE / max(2 * math.pi * float(thing.radii.max()), thing.long))


def unrolled(steps: Sequence[Step], thing: Thing, *, spot: float = 0.15) -> NDArray[np.uint8]:
    """The wall unrolled, (h, w) in grey: across, the turn from the middle of the handle or seam at the widest ring;
    down, the way from the rim. 255 where nothing was burnt."""
    import cv2

    fine = scale_of(thing)
    around = 2 * math.pi * float(thing.radii.max())
    image = np.full((max(1, round(thing.long * fine)), max(1, round(around * fine))), 255, np.uint8)
    for burn in burns(steps, thing):
        turns = math.floor(float(burn.angle.min()) / (2 * math.pi))
        for shift in range(turns, math.floor(float(burn.angle.max()) / (2 * math.pi)) + 1):
            x = (burn.angle / (2 * math.pi) - shift) * around
            points = np.stack([x, burn.along], 1) * fine - 0.5
            cv2.polylines(image, [np.rint(points * 16).astype(np.int32)], False, 215 - round(150 * burn.strength),
                          max(1, round(spot * fine)), cv2.LINE_AA, 4)  # fmt: skip
    return image


def from_front(image: NDArray[np.uint8], thing: Thing, angle: float) -> NDArray[np.uint8]:
    """The thing as it looks from far away, turned so that ``angle`` (degrees from the handle or seam) faces the eye:
    (h, w) in grey, 128 beside it. image: unrolled."""
    import cv2

    fine = scale_of(thing)
    widest = float(thing.radii.max())
    h, w = max(1, round(float(thing.heights[-1]) * fine)), max(1, round(2 * widest * fine))
    z = (np.arange(h) + 0.5)[:, None] / fine
    x = (np.arange(w) + 0.5)[None, :] / fine - widest
    radius = np.interp(z, thing.heights, thing.radii)
    shown = np.abs(x) < radius
    turn = np.arcsin(np.clip(x / radius, -1, 1)) + math.radians(angle)
    across = (turn / (2 * math.pi) % 1.0) * image.shape[1] - 0.5
    along = np.interp(z, thing.heights, thing.slants) if thing.level else z
    down = np.broadcast_to(along * fine - 0.5, across.shape)
    seen = cv2.remap(image, across.astype(np.float32), down.astype(np.float32), cv2.INTER_LINEAR,
                     borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    return np.where(shown, seen, np.uint8(128)).astype(np.uint8)


def judged(laser: Laser, thing: Thing) -> tuple[dict[str, Any], list[Complaint]]:
    """Facts of what was burnt on a wall, and what is wrong with it: beyond the wall, on parts that stay free, twice
    where a band meets itself, out of focus."""
    found: list[Complaint] = []
    said: set[str] = set()
    low, high = math.inf, -math.inf
    radii: list[float] = []
    covered: dict[tuple[int, int], int] = {}

    def complain(line: int, key: str, words: str) -> None:
        if key not in said:
            said.add(key)
            found.append(Complaint(line, words))

    for burn in burns(laser.steps, thing):
        low, high = min(low, float(burn.angle.min())), max(high, float(burn.angle.max()))
        if float(burn.along.min()) < -REACH:
            complain(burn.line, "rim", "burns above the rim")
        if float(burn.along.max()) > thing.long + REACH:
            complain(burn.line, "foot", "burns below the foot")
        radius = thing.radius(burn.along)
        radii += [float(radius.min()), float(radius.max())]
        height = np.interp(burn.along, thing.slants, thing.heights) if thing.level else burn.along
        for part in thing.free:
            apart = np.abs((np.degrees(burn.angle) - part.middle + 180) % 360 - 180)
            if ((apart < part.wide / 2) & (height > part.below) & (height < part.to)).any():
                complain(burn.line, part.what, f"burns on {part.what}")
        turn = np.floor(burn.angle / (2 * math.pi)).astype(int)
        place = np.rint((burn.angle % (2 * math.pi)) * thing.ring / STEP).astype(int)
        row = np.rint(burn.along / STEP).astype(int)
        for own, x, y in zip(turn.tolist(), place.tolist(), row.tolist(), strict=True):
            if covered.setdefault((x, y), own) != own:
                complain(burn.line, "twice", "burns a place a second time, a turn later")
    sag = max(radii) - min(radii) if radii else 0.0
    if not thing.level and sag > thing.sharp:
        found.append(Complaint(0, f"out of focus: the wall falls by {sag:.1f} mm along the work"))
    facts = {
        "turned_deg": [round(math.degrees(low), 3), round(math.degrees(high), 3)] if radii else [],
        "radius_mm": [round(min(radii), 3), round(max(radii), 3)] if radii else [],
    }
    return facts, found
