"""What was written, read back: the same size, marks, lines and pictures as were meant, to 0.001 mm."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from nibble_core.errors import FileDisagrees
from nibble_core.geometry import ARC, Affine, Path
from nibble_core.geometry.paths import all_mapped, evaluate
from nibble_core.geometry.tolerances import POSITION
from nibble_core.graphics import Page, Painted, Stroked


def check_page(meant: Page, found: Page, called: str) -> None:
    """Raises FileDisagrees at the first difference between a page and what its file holds."""
    _near([meant.width, meant.height], [found.width, found.height], f"the size of the {called}")
    _check_paths(_marks(meant), _marks(found), f"the marks of the {called}")
    _check_drawn(meant.stroked, found.stroked, f"the lines of the {called}")
    _check_inks(meant, found, called)
    _check_drawn(meant.painted, found.painted, f"the painted shapes of the {called}")
    meant_places = [
        np.array(p) for picture in meant.pictures for p in _corners(picture.width, picture.height, picture.placements)
    ]
    found_places = [np.array(p) for picture in found.pictures for p in _unit_corners(picture.placements)]
    if len(meant_places) != len(found_places):
        raise _disagree(f"the pictures of the {called}")
    if meant_places:
        _near(np.concatenate(meant_places), np.concatenate(found_places), f"the pictures of the {called}")
    if len(meant.pictures) != len(found.pictures):
        raise _disagree(f"the number of pictures stored in the {called}")


def check_same_marks(one: Page, other: Page) -> None:
    """Raises FileDisagrees unless two files have their marks in the same places."""
    _check_paths(_marks(one), _marks(other), "the marks of the print file and the cut file")


def _marks(page: Page) -> list[Path]:
    return [path for filled in page.filled for path in filled.paths]


def _check_drawn(meant: Sequence[Stroked | Painted], found: Sequence[Stroked | Painted], what: str) -> None:
    """Definition by definition where the file keeps those and their placements; else every copy."""
    if len(meant) == len(found) and all(map(_placed_alike, meant, found)):
        for one, other in zip(meant, found, strict=True):
            _check_paths(one.paths, other.paths, what)
    else:
        _check_paths(_copies(meant), _copies(found), what)


def _placed_alike(one: Stroked | Painted, other: Stroked | Painted) -> bool:
    """Whether two things are brought to the same places, as far as what is brought there can tell."""
    if len(one.placements) != len(other.placements):
        return False
    # the linear part moves places by as much as the definition is large
    reach = max((float(np.abs(path.rows[:, [0, 1, 6, 7]]).max()) for path in one.paths), default=1.0)
    weigh = np.array([reach, reach, reach, reach, 1.0, 1.0])
    return bool((np.abs(np.array(one.placements) - np.array(other.placements)) * weigh <= POSITION).all())


def _copies(drawn: Sequence[Stroked | Painted]) -> list[Path]:
    return [path for one in drawn for place in one.placements for path in all_mapped(one.paths, place)]


def _check_inks(meant: Page, found: Page, called: str) -> None:
    wanted = {(line.ink.name, line.layer) for line in meant.stroked}
    if {(line.ink.name, line.layer) for line in found.stroked} != wanted:
        raise _disagree(f"the spot colours of the {called}")


def _check_paths(meant: Sequence[Path], found: Sequence[Path], what: str) -> None:
    """Segment by segment, all of them as one array."""
    if len(meant) != len(found):
        raise _disagree(what)
    if not meant:
        return
    as_found = [_told_as(one, other) for one, other in zip(meant, found, strict=True)]
    if [(len(one), one.closed) for one in as_found] != [(len(one), one.closed) for one in found]:
        raise _disagree(what)
    kinds, other_kinds = (np.concatenate([path.kinds for path in some]) for some in (as_found, found))
    rows, other_rows = (np.vstack([path.rows for path in some]) for some in (as_found, found))
    if (kinds != other_kinds).any():
        raise _disagree(what)
    ends = [0, 1, 6, 7]
    _near(rows[:, ends], other_rows[:, ends], what)
    middles = kinds != ARC  # an arc's centre follows from its ends, less exactly
    _near(rows[middles, 2:6], other_rows[middles, 2:6], what)
    if not middles.all():
        for share in (0.25, 0.5, 0.75):
            t = np.full(len(rows), share)
            _near(evaluate(kinds, rows, t), evaluate(kinds, other_rows, t), what, 4 * POSITION)


def _told_as(one: Path, other: Path) -> Path:
    """A path as a format tells it that knows no arcs, or short ones only."""
    if not (one.kinds == ARC).any():
        return one
    if not (other.kinds == ARC).any():
        return one.as_cubics()
    return one.with_short_arcs() if len(one) != len(other) else one


def _corners(width: float, height: float, placements: Sequence[Affine]) -> list[list[float]]:
    box = np.array([[0.0, 0.0], [width, height]])
    return [p.map(box).ravel().tolist() for p in placements]


def _unit_corners(placements: Sequence[Affine]) -> list[list[float]]:
    """An image fills the unit square with its first row at the top, y = 1."""
    box = np.array([[0.0, 1.0], [1.0, 0.0]])
    return [p.map(box).ravel().tolist() for p in placements]


def _near(meant: object, found: object, what: str, within: float = POSITION) -> None:
    one, other = np.asarray(meant, float), np.asarray(found, float)
    if one.shape != other.shape or (one.size and np.abs(one - other).max() > within):
        raise _disagree(what)


def _disagree(what: str) -> FileDisagrees:
    return FileDisagrees(
        f"Read back, {what} {'are' if what.split()[1].endswith('s') else 'is'} not what was meant.",
        "No file was kept. Please report this job.",
    )
