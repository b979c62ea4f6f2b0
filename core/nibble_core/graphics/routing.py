"""Every move of a router in space, as columns: what its files hold, what is timed and played."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

PLUNGE = 0.5  # of a move's length that goes down, from which it is one


@dataclass(frozen=True)
class Mounted:
    """A cutter as files name it. number: its place in the rack, from 1. spindle: turns a minute."""

    number: int
    name: str
    spindle: int


@dataclass(frozen=True, eq=False)
class RouterMoves:
    """m moves over a board of width by height mm, from the place where the one before ended. xyz: ends, (m, 3), y down
    and z below nothing in the material. rapid: as fast as it goes. feed: mm a second, 0 of rapid ones. tool: a number
    of ``tools``. course: that each belongs to, -1 between them."""

    width: float
    height: float
    xyz: NDArray[np.float64]
    rapid: NDArray[np.bool_]
    feed: NDArray[np.float64]
    tool: NDArray[np.int64]
    tools: tuple[Mounted, ...]
    course: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.rapid)

    def starts(self, home: tuple[float, float, float]) -> NDArray[np.float64]:
        """Where each begins, (m, 3)."""
        return np.vstack([np.array(home)[None], self.xyz[:-1]]) if len(self) else self.xyz
