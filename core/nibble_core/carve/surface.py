"""The surface that a cutter leaves, as heights of pixels: what the table shows, shaded."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nibble_core.carve.grooves import Course
from nibble_core.carve.kernels import carved


@dataclass(frozen=True)
class Board:
    """A board from above: its upper left corner, size, and mm of a pixel."""

    left: float
    top: float
    width: float
    height: float
    pitch: float

    @property
    def shape(self) -> tuple[int, int]:
        return max(1, round(self.height / self.pitch)), max(1, round(self.width / self.pitch))

    def fresh(self) -> NDArray[np.float64]:
        """Nothing carved: heights of nothing."""
        return np.zeros(self.shape)


def surface(
    board: Board, before: NDArray[np.float64], courses: Sequence[Course], *, rise: float, radius: float,
    round_tip: bool = False,
) -> NDArray[np.float64]:  # fmt: skip
    """What is left of a surface once a cutter has run courses. rise: of a pointed one, see ``Pointed``; 0 of others.
    radius: of its flat or round end."""
    moves = [np.hstack([one[:-1], one[1:]]) for one in courses if len(one) > 1]
    if not moves:
        return before
    return np.asarray(carved(
        before.copy(), np.ascontiguousarray(np.vstack(moves)), rise, radius, round_tip, board.left, board.top,
        board.pitch,
    ))  # fmt: skip
