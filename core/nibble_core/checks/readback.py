"""What was written, read back: the same size, marks, lines and pictures as were meant, to 0.001 mm."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from nibble_core.errors import FileDisagrees
from nibble_core.geometry import ARC, Affine, Path
from nibble_core.geometry.paths import evaluate
from nibble_core.geometry.tolerances import POSITION
from nibble_core.graphics import Page


def check_page(meant: Page, found: Page, called: str) -> None:
    """Raises FileDisagrees at the first difference between a page and what its file holds."""
    _near([meant.width, meant.height], [found.width, found.height], f"the size of the {called}")
    _check_paths(_marks(meant), _marks(found), f"the marks of the {called}")
    _check_paths(_lines(meant), _lines(found), f"the lines of the {called}")
    _check_inks(meant, found, called)
    _check_paths(_painted(meant), _painted(found), f"the painted shapes of the {called}")
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


def _lines(page: Page) -> list[Path]:
    return [path.mapped(place) for line in page.stroked for place in line.placements for path in line.paths]


def _painted(page: Page) -> list[Path]:
    return [path.mapped(place) for one in page.painted for place in one.placements for path in one.paths]


def _check_inks(meant: Page, found: Page, called: str) -> None:
    wanted = {(line.ink.name, line.layer) for line in meant.stroked}
    if {(line.ink.name, line.layer) for line in found.stroked} != wanted:
        raise _disagree(f"the spot colours of the {called}")


def _check_paths(meant: Sequence[Path], found: Sequence[Path], what: str) -> None:
    if len(meant) != len(found):
        raise _disagree(what)
    for one, other in zip(meant, found, strict=True):
        if (one.kinds == ARC).any() and not (other.kinds == ARC).any():
            one = one.as_cubics()
        elif (one.kinds == ARC).any() and len(one) != len(other):
            one = one.with_short_arcs()
        if len(one) != len(other) or (one.kinds != other.kinds).any() or one.closed != other.closed:
            raise _disagree(what)
        ends = [0, 1, 6, 7]
        _near(one.rows[:, ends], other.rows[:, ends], what)
        middles = one.kinds != ARC  # an arc's centre follows from its ends, less exactly
        _near(one.rows[middles, 2:6], other.rows[middles, 2:6], what)
        if not middles.all():
            for share in (0.25, 0.5, 0.75):
                t = np.full(len(one), share)
                _near(evaluate(one.kinds, one.rows, t), evaluate(other.kinds, other.rows, t), what, 4 * POSITION)


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
