"""A cutter with a camera: finds the marks of a printed sheet in pixels, works out how it lies, and draws its blade.

An independent judge: it shares no code with writers or planners. It is told what a cutter is told: a cut file, where
the marks are meant to be, and where the first of them lies. What it finds, how sure it is and where its blade really
went is its report.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from nibble_core.simulators.camera import Found, Look, MarkLook, find_mark
from nibble_core.simulators.cut_files import CutFile, CutLine

Places = NDArray[np.float64]
Clamp = tuple[float, float, float, float]
"""What holds the material down, and what no head may touch: left, top, right and bottom, mm on the material."""

FIRST_REACH = 12.0  # mm round the place where the first mark is said to be
REACH, TURNED_A_METRE = 3.0, 60.0  # mm round the second, and so much more for each metre that it lies away
STRETCHED_A_METRE = 15.0  # mm round the third, once two tell how the sheet is turned
KNOWN_REACH, KNOWN_A_METRE = 3.0, 5.0  # mm, once three tell how the sheet lies
FURTHEST = 0.05  # share by which a print may have grown or shrunk
ENOUGH = 3  # marks, where there are more than two
BESIDE = 3.0  # of their width, that a direction mark stands from the first, at most
UNEVEN = 0.04  # mm between the arms of a corner, from which an end was scratched off
APART = 1.0  # mm between two marks, at least: nearer, one was taken twice
LINE = 0.002  # of the square of their spread, that a triangle of marks covers, doubled
DISAGREES = 0.5  # mm that a mark may lie off what the others say
TURN_STEP = 8.0  # degrees in which a blade swings round, of its track
STRAIGHT = 0.0005  # mm beside its way, from which a blade that is drawn on runs straight
MOST_STRETCH_OFF = 0.02  # by which a sheet's two directions may differ


@dataclass(frozen=True)
class Blade:
    """How a tool runs. trails: mm that its tip lies behind the holder. repeats: mm (one in three lies further off) by
    which each line lands elsewhere; backlash: mm that an axis is behind after it turned back. seed: of what is by
    chance."""

    trails: float = 0.0
    repeats: float = 0.0
    backlash: float = 0.0
    seed: int = 1


@dataclass(frozen=True)
class Marks:
    """What a cutter is told of the marks: middles (n, 2) in mm on the sheet as it was meant, first the one it is driven
    to; how they look. key: number of the one that tells which way round the sheet lies; None where there is none."""

    places: Places
    looks: tuple[MarkLook, ...]
    key: int | None = None

    @classmethod
    def of(cls, places: Places, shape: str, width: float, size: tuple[float, float]) -> Marks:
        """Marks of one shape, so wide, on a sheet of such a size: corners open towards its middle, and a last one close
        beside the first tells which way round it lies."""
        across, down = (np.where(places[:, k] <= size[k] / 2, 1, -1).tolist() for k in (0, 1))
        looks = tuple(MarkLook(shape, width, *way) for way in zip(across, down, strict=True))
        last = len(places) - 1
        beside = last > 1 and math.dist(places[0], places[last]) < BESIDE * width
        return cls(places, looks, last if beside else None)


@dataclass(frozen=True)
class Lies:
    """How a sheet lies. meant, found: places of the marks that count, (n, 2) each; model: how what lies between them is
    told. shift: mm of the middle; turn: degrees against the clock; across, down: sizes as shares
    of what was meant; worst: mm that a mark lies off."""

    meant: Places
    found: Places
    model: str
    shift: tuple[float, float]
    turn: float
    across: float
    down: float
    worst: float

    def forward(self, places: Places) -> Places:
        """From the file's places to where the head goes for them."""
        if self.model == "pairs":
            return _by_pairs(self.meant, self.found, places)
        if self.model == "projective":
            matrix = _projective(self.meant, self.found)
            there = np.column_stack([places, np.ones(len(places))]) @ matrix
            return np.asarray(there[:, :2] / there[:, 2:], float)
        return _linear(self.meant, self.found, places)


@dataclass(frozen=True)
class Complaint:
    """What is wrong, in a sentence; stops: whether nothing is cut for it."""

    words: str
    stops: bool = True


@dataclass
class Seen:
    """What the camera found: a mark or nothing for each that it was told of."""

    marks: list[Found | None] = field(default_factory=list)
    lies: Lies | None = None
    complaints: list[Complaint] = field(default_factory=list)


def look_for(look: Look, marks: Marks, first: tuple[float, float], *, ppi: float = 300.0) -> Seen:
    """Drive to each mark in turn and work out how the sheet lies. first: where the first is said to be. Nothing is cut
    where fewer than three are whole, or two of two."""
    seen = Seen(marks=[None] * len(marks.places))
    start = find_mark(look, first, FIRST_REACH, marks.looks[0], ppi=ppi)
    if start is None:
        seen.complaints.append(Complaint("The first mark was not found: nothing there looks like it."))
        return seen
    seen.marks[0] = start
    turn = 0.0
    for k in range(1, len(marks.places)):
        known = [n for n, one in enumerate(seen.marks) if one is not None and one.whole]
        expected, reach = _expected(marks, seen, known, k)
        if len(known) > 1:
            turn = lies_by(*_pairs_of(marks, seen, known), similar=True).turn
        found = find_mark(look, expected, reach, marks.looks[k], ppi=ppi, turn=turn)
        taken = [one for one in seen.marks if one is not None and found is not None]
        if found is not None and all(math.dist((found.x, found.y), (one.x, one.y)) > APART for one in taken):
            seen.marks[k] = found
    known = [n for n, one in enumerate(seen.marks) if one is not None and one.whole]
    if len(known) > 1 and any(one.shape == "corners" for one in marks.looks):
        lies = lies_by(*_pairs_of(marks, seen, known))
        for k, one in enumerate(seen.marks):  # the middle of a corner's ink turns and stretches with the sheet
            if one is not None:
                seen.marks[k] = find_mark(
                    look, (one.x, one.y), 1.0, marks.looks[k], ppi=ppi, turn=lies.turn,
                    stretch=(lies.across, lies.down), uneven=UNEVEN,
                )  # fmt: skip
    _told(marks, seen)
    return seen


def _expected(marks: Marks, seen: Seen, known: Sequence[int], k: int) -> tuple[tuple[float, float], float]:
    """Where a mark should be by those that were found, and how far round it is looked: a print may have grown one way
    and shrunk the other, which two marks do not tell."""
    near = float(np.hypot(*(marks.places[list(known)] - marks.places[k]).T).min()) if known else 0.0
    if len(known) > 2:
        place = _linear(*_pairs_of(marks, seen, known), marks.places[k : k + 1])[0]
        return (float(place[0]), float(place[1])), KNOWN_REACH + KNOWN_A_METRE * near / 1000
    first = seen.marks[0]
    assert first is not None
    off = marks.places[k] - marks.places[0]
    if len(known) == 2:
        turn = math.radians(lies_by(*_pairs_of(marks, seen, known), similar=True).turn)
        c, s = math.cos(turn), math.sin(turn)
        off = np.array([off[0] * c + off[1] * s, -off[0] * s + off[1] * c])
        return (first.x + float(off[0]), first.y + float(off[1])), REACH + STRETCHED_A_METRE * math.hypot(*off) / 1000
    return (first.x + float(off[0]), first.y + float(off[1])), REACH + TURNED_A_METRE * math.hypot(*off) / 1000


def _told(marks: Marks, seen: Seen) -> None:
    """Judge what was found, and work out how the sheet lies."""
    whole = [k for k, one in enumerate(seen.marks) if one is not None and one.whole]
    for k, one in enumerate(seen.marks):
        if one is None and k == marks.key:
            seen.complaints.append(
                Complaint("The direction mark is not beside the first: it is hurt, or the sheet is turned round.")
            )
            return
        if one is None:
            seen.complaints.append(Complaint(f"Mark {k + 1} was not found.", stops=False))
        elif not one.whole:
            words = f"Mark {k + 1} is not whole: its middle would be wrong, so it does not count."
            seen.complaints.append(Complaint(words, stops=False))
        elif one.others:
            words = f"Beside mark {k + 1} something else looks like it; the nearer one was taken."
            seen.complaints.append(Complaint(words, stops=False))
    if len(whole) < min(ENOUGH, len(seen.marks)):
        words = f"Only {len(whole)} of {len(seen.marks)} marks were found, too few to say how the sheet lies."
        seen.complaints.append(Complaint(words))
        return
    lies = lies_by(*_pairs_of(marks, seen, whole))
    if len(whole) > 3:  # one that disagrees with all others is something else, such as a part of the artwork
        off = _affine_off(marks, seen, whole)
        k = int(np.argmax(off))
        others = [n for n in whole if n != whole[k]]
        if off[k] > DISAGREES and _affine_off(marks, seen, others).max() < DISAGREES / 2:
            words = (
                f"What was taken for mark {whole[k] + 1} is {off[k]:.1f} mm off what the others say: it is left out."
            )
            seen.complaints.append(Complaint(words, stops=False))
            lies = lies_by(*_pairs_of(marks, seen, others))
    if max(abs(lies.across - 1), abs(lies.down - 1)) > FURTHEST:
        seen.complaints.append(Complaint("These marks are not those of this sheet: their distances are others."))
        return
    if abs(lies.across - lies.down) > MOST_STRETCH_OFF:
        seen.complaints.append(
            Complaint("The sheet seems stretched one way only: was it fed the wrong way round?", stops=False)
        )
    seen.lies = lies


def _affine_off(marks: Marks, seen: Seen, which: Sequence[int]) -> Places:
    meant, found = _pairs_of(marks, seen, which)
    return np.asarray(np.hypot(*(_linear(meant, found, meant) - found).T), float)


def _pairs_of(marks: Marks, seen: Seen, which: Sequence[int]) -> tuple[Places, Places]:
    found = np.array([(one.x, one.y) for k in which if (one := seen.marks[k]) is not None])
    return marks.places[list(which)], found


def lies_by(meant: Places, found: Places, *, similar: bool = False) -> Lies:
    """How a sheet lies whose marks (n, 2), at least two, were found (n, 2): by a similarity from two, an affine map
    from three, a projective one from four, piece by piece where they stand in pairs. similar: by shift, turn and size
    only."""
    fitted = _matrix(meant, found, similar=similar)
    (a, b), (c, d), _ = fitted.tolist()
    middle = meant.mean(0)
    shift = np.array([*middle, 1.0]) @ fitted - middle
    model = "similar" if similar or len(meant) < 3 else "affine"
    if not similar and len(meant) >= 4:
        paired = len(meant) >= 6 and _sections(meant) is not None
        model = "pairs" if paired else "projective" if len(meant) == 4 and _is_quad(meant) else model
    lies = Lies(
        meant, found, model, (float(shift[0]), float(shift[1])), -math.degrees(math.atan2(b, a)),
        math.hypot(a, b), math.hypot(c, d), 0.0,
    )  # fmt: skip
    return replace(lies, worst=float(np.hypot(*(lies.forward(meant) - found).T).max()))


def _is_quad(meant: Places) -> bool:
    """Whether no three of four places are nearly on one line."""
    spread = float(np.ptp(meant, axis=0).max()) ** 2
    doubled = []
    for k in range(4):
        a, b, c = np.delete(meant, k, axis=0)
        doubled.append(abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])))
    return bool(min(doubled) > LINE * spread)


def _matrix(meant: Places, found: Places, *, similar: bool) -> Places:
    """The (3, 2) matrix that brings places from one to the other by least squares: a similarity where two marks, or all
    on a line, tell no more."""
    middle, there = meant.mean(0), found.mean(0)
    own, seen = meant - middle, found - there
    sizes = np.linalg.svd(own, compute_uv=False)
    if similar or len(meant) < 3 or sizes[1] < 0.02 * sizes[0]:
        x, y = own.T
        left = np.concatenate([np.stack([x, -y], 1), np.stack([y, x], 1)])
        c, s = np.linalg.lstsq(left, seen.T.ravel(), rcond=None)[0].tolist()
        linear = np.array([[c, s], [-s, c]])
    else:
        linear = np.linalg.lstsq(own, seen, rcond=None)[0]
    return np.vstack([linear, there - middle @ linear])


def _linear(meant: Places, found: Places, places: Places) -> Places:
    matrix = _matrix(meant, found, similar=len(meant) < 3)
    return np.column_stack([places, np.ones(len(places))]) @ matrix


def _projective(meant: Places, found: Places) -> Places:
    """The (3, 3) matrix of a map of the plane by four places (the direct linear transformation), about their middles
    and at one scale, so that it is well conditioned."""
    middle, there, size = meant.mean(0), found.mean(0), float(np.abs(meant - meant.mean(0)).max())
    rows = []
    for (x, y), (u, v) in zip((meant - middle) / size, (found - there) / size, strict=True):
        rows.append([x, y, 1, 0, 0, 0, -u * x, -u * y, -u])
        rows.append([0, 0, 0, x, y, 1, -v * x, -v * y, -v])
    flat = np.linalg.svd(np.array(rows))[2][-1].reshape(3, 3)
    to = np.array([[1 / size, 0, -middle[0] / size], [0, 1 / size, -middle[1] / size], [0, 0, 1]])
    fro = np.array([[size, 0, there[0]], [0, size, there[1]], [0, 0, 1]])
    whole = fro @ flat @ to
    return np.asarray((whole / whole[2, 2]).T, float)


def _sections(meant: Places) -> tuple[int, list[tuple[int, int]]] | None:
    """The axis along which marks stand in pairs, and the pairs in order: at both sides, at equal places along it; None
    where they do not. Marks beside a pair (a direction mark) are passed over."""
    for axis in (1, 0):
        across = meant[:, 1 - axis]
        sides = [np.flatnonzero(np.abs(across - edge) < 1.0) for edge in (across.min(), across.max())]
        if min(len(one) for one in sides) < 3:
            continue
        ordered = [one[np.argsort(meant[one, axis])] for one in sides]
        if len(ordered[0]) == len(ordered[1]) and np.allclose(
            meant[ordered[0], axis], meant[ordered[1], axis], atol=1.0
        ):
            return axis, list(zip(ordered[0].tolist(), ordered[1].tolist(), strict=True))
    return None


def _by_pairs(meant: Places, found: Places, places: Places) -> Places:
    """Between one pair of marks and the next each place keeps its shares of the way across and along; beyond the first
    and last pair the nearest section goes on."""
    sections = _sections(meant)
    assert sections is not None
    axis, pairs = sections
    one, other = (np.array([pair[k] for pair in pairs]) for k in (0, 1))
    along = meant[one, axis]
    k = np.clip(np.searchsorted(along, places[:, axis]) - 1, 0, len(pairs) - 2)
    v = (places[:, axis] - along[k]) / (along[k + 1] - along[k])
    near, far = meant[one, 1 - axis], meant[other, 1 - axis]
    u = (places[:, 1 - axis] - near[k]) / (far[k] - near[k])
    u, v = u[:, None], v[:, None]
    left = found[one[k]] * (1 - v) + found[one[k + 1]] * v
    right = found[other[k]] * (1 - v) + found[other[k + 1]] * v
    return np.asarray(left * (1 - u) + right * u, float)


def cut(file: CutFile, lies: Lies, blade: Blade = Blade()) -> list[CutLine]:
    """Where the tip of the blade went on the material, line by line. Of files that are led for a knife that trails the
    holder follows the places and the tip trails; of others the machine leads it itself, and the tip is on the line."""
    chance = np.random.default_rng(blade.seed)
    made = []
    facing: float | None = None
    for line in file.lines:
        there = lies.forward(line.places)
        if blade.backlash > 0:
            there = _behind(there, blade.backlash)
        if file.led and blade.trails > 0:
            there, facing = tip_track(there, blade.trails, facing)
        if blade.repeats > 0:
            there = there + chance.normal(0, blade.repeats, 2)
        made.append(CutLine(line.called, there))
    return made


def under_clamps(tracks: Sequence[Places], clamps: Sequence[Clamp]) -> int:
    """How many of some tracks, (n, 2) mm on the material, touch a clamp."""
    return sum(any(_touches(track, clamp) for clamp in clamps) for track in tracks)


def _touches(track: Places, clamp: Clamp) -> bool:
    """Whether any straight way of a track touches a rectangle (Liang and Barsky's clipping)."""
    start, step = track[:-1], np.diff(track, axis=0)
    enter, leave = np.zeros(len(start)), np.ones(len(start))
    for axis, low, high in ((0, clamp[0], clamp[2]), (1, clamp[1], clamp[3])):
        along, off = step[:, axis], start[:, axis]
        still = np.abs(along) < 1e-12
        with np.errstate(divide="ignore", invalid="ignore"):
            one, other = (low - off) / along, (high - off) / along
        enter = np.where(still, enter, np.maximum(enter, np.minimum(one, other)))
        leave = np.where(still, leave, np.minimum(leave, np.maximum(one, other)))
        leave = np.where(still & ((off < low) | (off > high)), -1.0, leave)
    return bool((enter <= leave).any())


def clamped_words(count: int) -> str:
    """What is said of so many lines that touch a clamp."""
    return f"{count:,} {'line runs' if count == 1 else 'lines run'} under a clamp: nothing is cut."


def _behind(places: Places, backlash: float) -> Places:
    """An axis with play follows only when it is pushed: it stays within half the play of where it is told to be."""
    made, at = np.empty_like(places), places[0].copy()
    for k, place in enumerate(places):
        at = np.clip(at, place - backlash / 2, place + backlash / 2)
        made[k] = at
    return made


def tip_track(holder: Places, trails: float, facing: float | None = None) -> tuple[Places, float]:
    """Where a tip goes that is drawn ``trails`` mm behind its holder (a tractrix), and the way it then faces, in
    radians: along a straight way of length s the angle a between way and tip falls as tan(a / 2) = tan(a0 / 2)
    exp(-s / trails). facing: before it; raised, a knife keeps it. None for the way it is first drawn."""
    steps = np.diff(holder, axis=0)
    long = np.hypot(*steps.T)
    kept = long > 1e-9
    ways = np.arctan2(steps[:, 1], steps[:, 0])
    if facing is None:
        facing = float(ways[np.argmax(kept)])
    if not kept.any():
        return holder - trails * np.array([math.cos(facing), math.sin(facing)]), facing
    track = [holder[0] - trails * np.array([math.cos(facing), math.sin(facing)])]
    for start, way, length in zip(holder[:-1][kept], ways[kept], long[kept], strict=True):
        off = math.remainder(facing - way, 2 * math.pi)
        count = max(1, math.ceil(abs(math.degrees(off)) / TURN_STEP))
        half = math.tan(off / 2) if abs(abs(off) - math.pi) > 1e-9 else math.copysign(1e9, off)
        # places where the tip has swung by equal parts of the angle, then by half of what is left, and the end
        left = [off * (1 - n / count) for n in range(1, count)]
        rest = off / count / 2
        while trails * abs(rest) > STRAIGHT:
            left.append(rest)
            rest /= 2
        parts = [trails * math.log(half / math.tan(one / 2)) for one in left]
        for s in [*(one for one in parts if one < length), length]:
            facing = way + 2 * math.atan(half * math.exp(-s / trails))
            at = start + s * np.array([math.cos(way), math.sin(way)])
            track.append(at - trails * np.array([math.cos(facing), math.sin(facing)]))
    return np.array(track), facing
