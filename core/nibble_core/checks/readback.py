"""What was written, read back: the same size, marks, lines and pictures as were meant.

Lines are compared definition by definition and placement by placement. A format that keeps definitions is asked for
both; of one that holds every copy, the first is held against the definition and the others against the first.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.errors import FileDisagrees
from nibble_core.geometry import ARC, Affine, Bundle
from nibble_core.geometry.regions import courses
from nibble_core.geometry.segments import Rows, evaluate
from nibble_core.geometry.tolerances import POSITION
from nibble_core.graphics import Engraving, Page, Painted, Plate, Stroked
from nibble_core.graphics.moves import BURN, Moves

Drawn = Stroked | Painted | Plate


def check_page(meant: Page, found: Page, called: str, *, tolerance: float = POSITION, layers: bool = True) -> None:
    """Raises FileDisagrees at the first difference between a page and what its file holds. tolerance: mm, how far
    curves may lie off in a format that knows no such ones. layers: whether the format names processes beside inks."""
    _near([meant.width, meant.height], [found.width, found.height], f"the size of the {called}")
    _check_paths(_marks(meant), _marks(found), f"the marks of the {called}", tolerance)
    _check_drawn(meant.stroked, found.stroked, f"the lines of the {called}", tolerance)
    named = {(line.ink.name, line.layer if layers else "") for line in meant.stroked}
    if {(line.ink.name, line.layer) for line in found.stroked} != named:
        raise _disagree(f"the spot colours of the {called}")
    _check_drawn(meant.painted, found.painted, f"the painted shapes of the {called}", tolerance)
    _check_drawn(meant.plates, found.plates, f"the plates of the {called}", tolerance)
    if [plate.ink.name for plate in found.plates] != [plate.ink.name for plate in meant.plates]:
        raise _disagree(f"the plates of the {called}")
    meant_places = [
        np.array(p) for picture in meant.pictures for p in _corners(picture.width, picture.height, picture.placements)
    ]
    found_places = [np.array(p) for picture in found.pictures for p in _unit_corners(picture.placements)]
    if len(meant_places) != len(found_places):
        raise _disagree(f"the pictures of the {called}")
    if meant_places:
        _near(np.concatenate(meant_places), np.concatenate(found_places), f"the pictures of the {called}")
    if [one.digest for one in meant.pictures] != [one.digest for one in found.pictures]:
        raise _disagree(f"the pixels of the pictures in the {called}")
    _check_client_pages(meant, found, f"the clients' pages of the {called}", tolerance)
    _check_engravings(meant, found, f"the engravings of the {called}", tolerance)


def _check_engravings(meant: Page, found: Page, what: str, tolerance: float) -> None:
    """Areas as they lie on the sheet, pictures pixel by pixel and corner by corner."""
    own, read = (
        Bundle.joined([e.paths.mapped(at) for e in page.engravings if e.levels is None for at in e.placements])
        for page in (meant, found)
    )
    _check_paths(own, read, what, tolerance)
    pictures = [
        [(e, at) for e in page.engravings if e.levels is not None for at in e.placements] for page in (meant, found)
    ]
    if len(pictures[0]) != len(pictures[1]):
        raise _disagree(what)
    for (one, at), (other, there) in zip(*pictures, strict=True):
        if one.levels is None or other.levels is None or not np.array_equal(one.levels, other.levels):
            raise _disagree(what)
        _near(_engraved_corners(one, at), _engraved_corners(other, there), what)


def _engraved_corners(one: Engraving, at: Affine) -> NDArray[np.float64]:
    assert one.levels is not None
    h, w = one.levels.shape
    box = np.array([(x, y) for x in (0.0, w) for y in (0.0, h)]) * one.pitch + [one.left, one.top]
    return np.asarray(at.map(box))


def check_moves(meant: Moves, found: Moves, called: str, *, scale: float, tolerance: float) -> None:
    """Raises FileDisagrees at the first difference between the moves of a head and what their file holds. scale: the
    word of full power, whose hundredths are told. tolerance: mm, what an arc may lie off."""
    what = f"the moves of the {called}"
    _near([meant.width, meant.height], [found.width, found.height], f"the size of the {called}")
    if len(meant) != len(found) or (meant.does != found.does).any() or (meant.kinds != found.kinds).any():
        raise _disagree(what)
    _near(meant.rows[:, 6:], found.rows[:, 6:], what)
    arcs = meant.kinds == ARC
    if arcs.any():
        for share in (0.25, 0.5, 0.75):
            t = np.full(int(arcs.sum()), share)
            one, other = (evaluate(some.kinds[arcs], some.rows[arcs], t) for some in (meant, found))
            _near(one, other, what, tolerance)
    _near(meant.power * (meant.does == BURN), found.power, f"the powers of the {called}", 0.006 / scale)
    _near(meant.speed, found.speed, f"the speeds of the {called}", 0.001)
    _near(meant.wait, found.wait, f"the waits of the {called}", 0.001)
    told, read = ([some.tools[k] for k in _turns(some.tool).tolist()] for some in (meant, found))
    if [(one.process, one.rank) for one in told] != [(one.process, one.rank) for one in read]:
        raise _disagree(f"the processes of the {called}")
    for one, other in zip(told, read, strict=True):
        if one.heights is not None:
            _near(list(one.heights), list(other.heights or ()), f"the heights of the {called}", 0.001)


def _turns(tool: NDArray[np.int64]) -> NDArray[np.int64]:
    """Numbers of tools, one after another."""
    return tool[np.nonzero(np.diff(tool, prepend=-1))[0]]


def check_size(meant: Page, found: Page, called: str) -> None:
    """Raises FileDisagrees when a page of pixels is not as large as was meant, within a pixel of 36 an inch."""
    within = 0.71
    _near([meant.width, meant.height], [found.width, found.height], f"the size of the {called}", within)


def check_same_marks(one: Page, other: Page) -> None:
    """Raises FileDisagrees unless two files, of any formats, have their marks in the same places."""
    first, second = ([path.bounds() for path in _marks(page)] for page in (one, other))
    _near(first, second, "the marks of the print file and the cut file", 2 * POSITION)


def _check_client_pages(meant: Page, found: Page, what: str, tolerance: float) -> None:
    if [one.digest for one in meant.client_pages] != [one.digest for one in found.client_pages]:
        raise _disagree(what)
    for one, other in zip(meant.client_pages, found.client_pages, strict=True):
        _check_paths(one.clip, other.clip, what, tolerance)
        own = _corners(one.width, one.height, [one.at.then(place) for place in one.placements])
        _near(own, _unit_corners([other.at.then(place) for place in other.placements]), what)


def _marks(page: Page) -> Bundle:
    return Bundle.joined([filled.paths for filled in page.filled])


def _check_drawn(meant: Sequence[Drawn], found: Sequence[Drawn], what: str, tolerance: float) -> None:
    once = _gathered(meant)
    if len(once) == len(found) and all(map(_placed_alike, once, found)):
        for one, other in zip(once, found, strict=True):
            _check_paths(one.paths, other.paths, what, tolerance)
        return
    held = Bundle.joined([one.paths.mapped(place) for one in found for place in one.placements])
    at = 0
    for run in meant:
        first: Bundle | None = None
        back = Affine()
        for place in run.placements:
            if at + len(run.paths) > len(held):
                raise _disagree(what)
            copy = held.part(at, at + len(run.paths))
            at += len(run.paths)
            if first is None:
                _check_paths(run.paths.mapped(place), copy, what, tolerance)
                first, back = copy, place.inverse()
            else:
                _check_paths(first.mapped(back.then(place)), copy, what, POSITION)
    if at != len(held):
        raise _disagree(what)


def _gathered(drawn: Sequence[Drawn]) -> list[Drawn]:
    """What is drawn from one definition in one look, once, with all its placements."""
    known: dict[tuple[object, ...], Drawn] = {}
    for one in drawn:
        look: tuple[object, ...]
        if isinstance(one, Stroked):
            look = one.ink, one.layer
        else:
            look = (one.ink,) if isinstance(one, Plate) else (one.colour,)
        before = known.get((one.paths, *look))
        placements = (*before.placements, *one.placements) if before else one.placements
        if isinstance(one, Stroked):
            known[(one.paths, *look)] = Stroked(one.paths, one.ink, one.layer, placements)
        elif isinstance(one, Plate):
            known[(one.paths, *look)] = Plate(one.paths, one.ink, placements)
        else:
            known[(one.paths, *look)] = Painted(one.paths, one.colour, placements)
    return list(known.values())


def _placed_alike(one: Drawn, other: Drawn) -> bool:
    """Whether two things are brought to the same places, as far as what is brought there can tell."""
    if len(one.placements) != len(other.placements):
        return False
    # the linear part moves places by as much as the definition is large
    reach = float(np.abs(one.paths.rows[:, [0, 1, 6, 7]]).max()) if len(one.paths) else 1.0
    weigh = np.array([reach, reach, reach, reach, 1.0, 1.0])
    return bool((np.abs(np.array(one.placements) - np.array(other.placements)) * weigh <= POSITION).all())


def _check_paths(meant: Bundle, found: Bundle, what: str, tolerance: float) -> None:
    """Segment by segment, all of them as one array; by their course where the format has segments of its own."""
    if len(meant) != len(found):
        raise _disagree(what, f"{len(found)} lines for {len(meant)}")
    if (meant.closed != found.closed).any():
        at = int(np.nonzero(meant.closed != found.closed)[0][0])
        raise _disagree(what, f"line {at + 1} is {'open' if meant.closed[at] else 'closed'}{_beside(meant, at)}")
    if not len(meant):
        return
    told = _told_as(meant, found)
    if (
        len(told.kinds) != len(found.kinds)
        or (told.kinds != found.kinds).any()
        or (told.offsets != found.offsets).any()
    ):
        _check_course(meant, found, what, tolerance)
        return
    kinds, rows, other = told.kinds, told.rows, found.rows
    ends = [0, 1, 6, 7]
    _check_segments(told, rows[:, ends], other[:, ends], what, POSITION)
    middles = kinds != ARC  # an arc's centre follows from its ends, less exactly
    handles = [2, 3, 4, 5]
    _check_segments(told, np.where(middles[:, None], rows[:, handles], 0.0),
                    np.where(middles[:, None], other[:, handles], 0.0), what, POSITION)  # fmt: skip
    if not middles.all():
        some, others = rows[~middles], other[~middles]
        for share in (0.25, 0.5, 0.75):
            t = np.full(len(some), share)
            one, two = np.zeros((len(rows), 2)), np.zeros((len(rows), 2))
            one[~middles], two[~middles] = evaluate(kinds[~middles], some, t), evaluate(kinds[~middles], others, t)
            _check_segments(told, one, two, what, 4 * POSITION)


def _check_segments(of: Bundle, meant: Rows, found: Rows, what: str, within: float) -> None:
    """Values of each segment, with the line that differs most."""
    off = np.abs(meant - found).max(1)
    if off.size and not off.max() <= within:
        worst = int(np.nanargmax(np.where(np.isnan(off), np.inf, off)))
        path = int(np.searchsorted(of.offsets, worst, side="right")) - 1
        raise _disagree(what, f"line {path + 1} is off by {off[worst]:.4f} mm{_beside(of, path)}")


def _beside(of: Bundle, path: int) -> str:
    x, y = of.rows[of.offsets[path], :2].tolist()
    return f", near {x:.2f}, {y:.2f} mm"


def _check_course(meant: Bundle, found: Bundle, what: str, tolerance: float) -> None:
    """Path by path the same ends, and each way along within ``tolerance`` of the other."""
    if tolerance <= POSITION:
        counts = np.diff(meant.offsets), np.diff(found.offsets)
        differs = np.nonzero(counts[0] != counts[1])[0]
        path = int(differs[0]) if len(differs) else 0
        fault = f"line {path + 1} has {counts[1][path]} segments for {counts[0][path]}{_beside(meant, path)}"
        raise _disagree(what, fault)
    apart = shapely.hausdorff_distance(courses(meant, tolerance / 8), courses(found, tolerance / 8))
    if (apart > tolerance).any():
        path = int(np.argmax(apart))
        raise _disagree(what, f"line {path + 1} is off by {apart[path]:.4f} mm{_beside(meant, path)}")
    first, last = meant.offsets[:-1], meant.offsets[1:] - 1
    own, end = found.offsets[:-1], found.offsets[1:] - 1
    _near(meant.rows[first, :2], found.rows[own, :2], what, tolerance)
    _near(meant.rows[last, 6:], found.rows[end, 6:], what, tolerance)


def _told_as(one: Bundle, other: Bundle) -> Bundle:
    """Paths as a format tells them that knows no arcs, or short ones only."""
    if not (one.kinds == ARC).any():
        return one
    if not (other.kinds == ARC).any():
        return one.as_cubics()
    return one.with_short_arcs() if one.segments != other.segments else one


def _corners(width: float, height: float, placements: Sequence[Affine]) -> list[list[float]]:
    box = np.array([[0.0, 0.0], [width, height]])
    return [p.map(box).ravel().tolist() for p in placements]


def _unit_corners(placements: Sequence[Affine]) -> list[list[float]]:
    """An image fills the unit square with its first row at the top, y = 1."""
    box = np.array([[0.0, 1.0], [1.0, 0.0]])
    return [p.map(box).ravel().tolist() for p in placements]


def _near(meant: object, found: object, what: str, within: float = POSITION) -> None:
    one, other = np.asarray(meant, float), np.asarray(found, float)
    if one.shape != other.shape:
        raise _disagree(what, f"{len(other)} for {len(one)}" if one.ndim else "")
    if one.size and not np.abs(one - other).max() <= within:
        raise _disagree(what, f"off by {np.abs(one - other).max():.4f}")


def _disagree(what: str, fault: str = "") -> FileDisagrees:
    return FileDisagrees(
        f"Read back, {what} {'are' if what.split()[1].endswith('s') else 'is'} not what was meant"
        f"{f' ({fault})' if fault else ''}.",
        "This file was not kept. Please report this job.",
    )
