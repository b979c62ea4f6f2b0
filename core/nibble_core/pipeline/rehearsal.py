"""A sheet rehearsed: its own files put through the press and the cutter that ship with Nibble, and what comes off.

The files are those that would be sent. What the press did is known, so every cut can be carried back to the print that
lies under it, and measured there.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nibble_core.errors import Cancelled, CannotMake, DoesNotFit
from nibble_core.geometry.nearest import nearest_places
from nibble_core.pipeline.coming_off import Freed, freed, held
from nibble_core.pipeline.rehearsal_bench import Bench, Printing
from nibble_core.pipeline.rehearsal_pictures import SheetPicture, copy_picture, sheet_picture
from nibble_core.sheet import LaidSheet
from nibble_core.simulators.cutter import (
    Blade,
    Complaint,
    Lies,
    Seen,
    clamped_words,
    cut,
    lies_by,
    look_for,
    under_clamps,
)
from nibble_core.simulators.press import Faults, PrintedSheet

CLEARS = 0.02  # mm by which a cut must leave the print for white to show
PICTURED = 6  # copies that are shown
FAULTLESS, SHARP = Faults(), Blade()
EASY_PLACE = (1.5, -1.0)  # mm that the head is driven off the first mark, as a hand does
CAMERA_PPI = 300.0


@dataclass(frozen=True)
class Errors:
    """What a press and a cutter are known to do, one in three times more: stretch of the print, per cent, across and
    along; steady: per cent across and along that every print has besides; bow, mm over a metre of length; camera, mm
    that a mark is found off; repeats, mm that a line is cut off."""

    stretch: float
    bow: float
    camera: float
    repeats: float
    steady: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True, eq=False)
class CutCopy:
    """One copy as it came off. number: among the sheet's copies, from 0. worst, mean: mm between its cuts and where
    they belong on the print. left: mm of print beyond its cuts, least; None where
    none was meant to be there. white: whether the stock shows within the cut. into: mm that a cut which was meant to
    leave a border runs into the print. strange: mm of a neighbour's print within the cut."""

    number: int
    layer: str
    worst: float
    mean: float
    left: float | None
    white: bool
    into: float = 0.0
    strange: float = 0.0

    @property
    def spoilt(self) -> bool:
        return self.white or self.into > 0 or self.strange > 0


@dataclass(frozen=True, eq=False)
class Rehearsed:
    """What came off. seen: what the camera found; copies: spoilt ones first, then by their worst place; none where
    nothing was cut. off: mean, 95th percentile and worst distance, mm; worst_at: mm on the sheet.
    pictures: of the first of the copies, pixels (rows, columns, 3); sheet: all of them at their places. ties: what is
    left of each that was measured, mm; freed: what fell free, None where nothing is cut right through."""

    seen: Seen
    copies: tuple[CutCopy, ...] = ()
    off: tuple[float, float, float] = (0.0, 0.0, 0.0)
    worst_at: tuple[float, float] = (0.0, 0.0)
    pictures: tuple[NDArray[np.uint8], ...] = ()
    ties: tuple[float, ...] = ()
    freed: Freed | None = None
    sheet: SheetPicture | None = None

    @property
    def white(self) -> int:
        return sum(copy.white for copy in self.copies)

    @property
    def strange(self) -> int:
        return sum(copy.strange > 0 for copy in self.copies)

    @property
    def cut_into(self) -> int:
        return sum(copy.into > 0 for copy in self.copies)

    @property
    def left(self) -> float | None:
        """Least print beyond any cut, mm."""
        some = [copy.left for copy in self.copies if copy.left is not None]
        return min(some) if some else None


def rehearse(
    bench: Bench, faults: Faults = FAULTLESS, *, camera: float = 0.0, blade: Blade = SHARP, pictured: int = PICTURED
) -> Rehearsed:
    """Print a sheet, look for its marks in pixels, cut it, and measure what came off. camera: mm that each mark is
    found off, beyond what the pixels show; by chance, like what the blade does."""
    sheet = PrintedSheet(bench.printed, faults)
    try:
        first = bench.printing(faults).forward(bench.marks.places[:1])[0] + EASY_PLACE
        return _came_off(bench, sheet, *_looked(bench, sheet, first, camera, blade), blade, pictured)
    finally:
        sheet.close()


def look_at(bench: Bench, number: int, faults: Faults, *, camera: float, blade: Blade) -> NDArray[np.uint8] | None:
    """A copy, by its number, as it came off a rehearsal with the same errors, pixels (rows, columns, 3); None where
    nothing was cut."""
    sheet = PrintedSheet(bench.printed, faults)
    try:
        first = bench.printing(faults).forward(bench.marks.places[:1])[0] + EASY_PLACE
        _, lies = _looked(bench, sheet, first, camera, blade)
        return None if lies is None else copy_picture(bench, sheet, lies, number)
    finally:
        sheet.close()


def _looked(
    bench: Bench, sheet: PrintedSheet, first: NDArray[np.float64], camera: float, blade: Blade
) -> tuple[Seen, Lies | None]:  # fmt: skip
    """What the camera found that was driven to where the first mark is said to be, and how the machine takes the sheet
    to lie; None where nothing is cut."""
    seen = look_for(sheet.picture, bench.marks, (float(first[0]), float(first[1])), ppi=CAMERA_PPI)
    if seen.lies is None or any(one.stops for one in seen.complaints):
        return seen, None
    lies = bench.taken(seen.lies)
    if bench.head is not None and len(lies.found) < len(bench.marks.places):
        return _stopped(seen, "A head that is led by marks needs every one of them."), None
    if bench.clamps:
        clamped = under_clamps([lies.forward(line.places) for line in bench.file.lines], bench.clamps)
        if clamped:
            return _stopped(seen, clamped_words(clamped)), None
    if camera > 0:
        off = np.random.default_rng(blade.seed).normal(0, camera, lies.found.shape)
        lies = bench.taken(lies_by(lies.meant, lies.found + off))
    return seen, lies


def _stopped(seen: Seen, words: str) -> Seen:
    """Nothing is cut, for a reason that the camera does not see."""
    return replace(seen, complaints=[*seen.complaints, Complaint(words)])


def _came_off(
    bench: Bench, sheet: PrintedSheet, seen: Seen, lies: Lies | None, blade: Blade, pictured: int
) -> Rehearsed:  # fmt: skip
    """What comes off a sheet that was looked at; nothing where its machine refuses it as it lies."""
    if lies is None:
        return Rehearsed(seen)
    try:
        return _measured(bench, sheet, seen, lies, blade, pictured)
    except (CannotMake, DoesNotFit) as error:
        return Rehearsed(_stopped(seen, error.message))


def _measured(
    bench: Bench, sheet: PrintedSheet, seen: Seen, lies: Lies, blade: Blade, pictured: int
) -> Rehearsed:  # fmt: skip
    truth = bench.printing(sheet.faults)
    tracks = _tracks(bench, truth, lies, blade) if bench.file.led or bench.ties else []
    # a tip that trails its holder follows the file; others are led along the lines as they are meant
    if bench.file.led:
        found = nearest_places(bench.places, tracks)
    else:
        there = lies.forward(bench.places) if bench.head is None else bench.head.reached(lies, bench.places)
        found = _landed(bench, truth, there, blade)
    off = np.hypot(*(found - bench.places).T)
    worst = int(np.argmax(off))
    copies = _copies(bench, off, found)
    pictures = [copy_picture(bench, sheet, lies, copy.number) for copy in copies[:pictured]]
    whole = sheet_picture(bench, sheet, lies) if pictured else None
    place = bench.places[worst]
    return Rehearsed(
        seen, copies, (float(off.mean()), float(np.quantile(off, 0.95)), float(off[worst])),
        (float(place[0]), float(place[1])), tuple(pictures), tuple(held(bench.ties, tracks)),
        freed(bench.meant.lines, bench.processes, bench.copy, tracks), whole,
    )  # fmt: skip


def _landed(bench: Bench, truth: Printing, there: NDArray[np.float64], blade: Blade) -> NDArray[np.float64]:
    """Where on the print each place comes to be cut, (n, 2) mm, by a tip that is led to places on the material."""
    if blade.repeats > 0:
        chance = np.random.default_rng(blade.seed)
        there = there + chance.normal(0, blade.repeats, (len(bench.meant.lines), 2))[bench.line]
    return truth.back(there)


def _tracks(bench: Bench, truth: Printing, lies: Lies, blade: Blade) -> list[NDArray[np.float64]]:
    """Where on the print the tip goes along each line of the file, (n, 2) mm."""
    return [truth.back(line.places) for line in cut(bench.file, lies, blade)]


def _copies(bench: Bench, off: NDArray[np.float64], found: NDArray[np.float64]) -> tuple[CutCopy, ...]:
    numbers = bench.copy[bench.line]
    left, white, into, strange = _left(bench, found)
    count = bench.laid.copies
    worst, least, shows = np.zeros(count), np.full(count, np.inf), np.zeros(count, bool)
    deep, other, total, places = (np.zeros(count) for _ in range(4))
    own = numbers >= 0
    np.maximum.at(worst, numbers[own], off[own])
    np.minimum.at(least, numbers[own], left[own])
    np.logical_or.at(shows, numbers[own], white[own])
    np.maximum.at(deep, numbers[own], into[own])
    np.maximum.at(other, numbers[own], strange[own])
    np.add.at(total, numbers[own], off[own])
    np.add.at(places, numbers[own], 1.0)
    made = [
        CutCopy(
            number, bench.laid.placements[number].layer, float(worst[number]), float(total[number] / places[number]),
            float(least[number]) if np.isfinite(least[number]) else None, bool(shows[number]),
            float(deep[number]), float(other[number]),
        )
        for number in range(count) if places[number]
    ]  # fmt: skip
    return tuple(sorted(made, key=lambda one: (not one.spoilt, -one.worst)))


def _left(
    bench: Bench, found: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.bool_], NDArray[np.float64], NDArray[np.float64]]:
    """Print that is left beyond each place of a cut, infinite where none was meant to be; whether the stock shows
    there; how deep the cut runs into print that it was meant to leave a border round; and how deep into a
    neighbour's."""
    within, neighbour = bench.within(found), bench.within_neighbours(found)
    meant = bench.kept & (bench.inner >= -CLEARS)
    left = np.where(meant, within, np.inf)
    into = np.where(bench.kept & ~meant & (within > CLEARS), within, 0.0)
    strange = np.where(bench.kept & (within < -CLEARS) & (neighbour > CLEARS), np.minimum(neighbour, -within), 0.0)
    return left, (left < -CLEARS) & (strange == 0), into, strange


@dataclass(frozen=True)
class Chances:
    """What many rehearsals came to. draws, copies: how many, of all draws together; white: copies at which the stock
    shows, into: those whose cut runs into the print, strange: those that show a neighbour's, spoilt: those of any;
    worst: the worst distance of each draw, mm, (draws,); short: mm of print that were missing, deep: mm that a cut ran
    into the print, wide: mm of a neighbour's print, at the worst; left: the least print beyond a cut, None where none
    was meant to be."""

    draws: int
    copies: int
    white: int
    into: int
    spoilt: int
    worst: tuple[float, ...]
    short: float
    deep: float
    left: float | None
    strange: int = 0
    wide: float = 0.0

    def quantile(self, share: float) -> float:
        return float(np.quantile(self.worst, share)) if self.worst else 0.0


def rehearse_often(
    bench: Bench, errors: Errors, draws: int, *, seed: int = 1,
    progress: Callable[[int], None] = lambda done: None, cancelled: Callable[[], bool] = lambda: False,
) -> Chances:  # fmt: skip
    """Rehearse with errors by chance, each as large as a press and a cutter are known to make them; told by maps,
    without pictures or a knife that trails. What was done so far is told where ``cancelled()`` turns true; raises
    Cancelled before the first."""
    told = bench.marks
    worst: list[float] = []
    white = into = spoilt = strange = done = 0
    short, deep, wide, least = 0.0, 0.0, 0.0, math.inf
    for k in range(draws):
        if cancelled():
            break
        progress(k)
        chance = np.random.default_rng((seed, k))
        truth = bench.printing(drawn_faults(errors, bench.laid, chance))
        found = truth.forward(told.places) + chance.normal(0, errors.camera, told.places.shape)
        use = [n for n in range(len(told.places)) if n != told.key]
        blade = Blade(repeats=errors.repeats, seed=k)
        there = bench.taken(lies_by(told.places[use], found[use])).forward(bench.places)
        at = _landed(bench, truth, there, blade)
        left, shows, deeper, other = _left(bench, at)
        white += _copies_at(bench, shows)
        into += _copies_at(bench, deeper > 0)
        strange += _copies_at(bench, other > 0)
        spoilt += _copies_at(bench, shows | (deeper > 0) | (other > 0))
        wide = max(wide, float(other.max(initial=0.0)))
        deep = max(deep, float(deeper.max(initial=0.0)))
        least = min(least, float(left.min(initial=np.inf)))
        short = max(short, float(-left.min(initial=0.0)))
        worst.append(float(np.hypot(*(at - bench.places).T).max()))
        done += 1
    if not done:
        raise Cancelled("The rehearsals were stopped.", "Rehearse again when you like.")
    return Chances(
        done, done * bench.laid.copies, white, into, spoilt, tuple(worst), short, deep,
        least if least < math.inf else None, strange, wide,
    )  # fmt: skip


def _copies_at(bench: Bench, where: NDArray[np.bool_]) -> int:
    """How many copies have such a place."""
    copies = bench.copy[bench.line]
    return len(np.unique(copies[where & (copies >= 0)]))


def press_faults(errors: Errors, laid: LaidSheet, step: float) -> list[tuple[Faults, float]]:
    """Each way in which a press is off, by a step of it, per cent or mm, and how much of that one in three exceeds."""
    return [
        (Faults(across=step), errors.stretch), (Faults(along=step), errors.stretch),
        (Faults(bow=step), errors.bow * (laid.height / 1000) ** 2),
    ]  # fmt: skip


def drawn_faults(errors: Errors, laid: LaidSheet, chance: np.random.Generator) -> Faults:
    """What a press does to a sheet this time. A print bows by the square of its length."""
    across, along = (chance.normal(0, errors.stretch, 2) + errors.steady).tolist()
    bow = chance.normal(0, errors.bow) * (laid.height / 1000) ** 2
    return Faults(
        across=across, along=along, bow=float(bow), turn=float(chance.uniform(-0.5, 0.5)),
        shift=(float(chance.uniform(-2, 2)), float(chance.uniform(-2, 2))),
    )  # fmt: skip


WAYS = {
    "turned by a quarter": Faults(turn=90.0),
    "turned round": Faults(turn=180.0),
    "turned by three quarters": Faults(turn=270.0),
    "face down, through clear film": Faults(mirrored=True),
    "face down and turned round, through clear film": Faults(turn=180.0, mirrored=True),
}


def fed_wrong(bench: Bench) -> dict[str, Rehearsed]:
    """What happens when the sheet is put in each wrong way round; the head is driven to where the first mark should
    be."""
    made = {}
    for way, faults in WAYS.items():
        sheet = PrintedSheet(bench.printed, faults)
        try:
            looked = _looked(bench, sheet, bench.marks.places[0], 0.0, SHARP)
            made[way] = _came_off(bench, sheet, *looked, SHARP, 0)
        finally:
            sheet.close()
    return made
