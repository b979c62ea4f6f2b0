"""Every move of a router in space, as columns: what its files hold, what is timed and played."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Mounted:
    """A cutter as files name it. number: its place in the rack, from 1; 0 of one put in by hand, which no word calls
    for. spindle: turns a minute."""

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

    def by_cutter(self) -> list[RouterMoves]:
        """These moves in parts, in order, each of one cutter, which is put in by hand before it."""
        parts = np.split(np.arange(len(self)), np.nonzero(np.diff(self.tool))[0] + 1) if len(self) else []
        by_hand = tuple(replace(one, number=0) for one in self.tools)
        return [
            replace(
                self, xyz=self.xyz[part], rapid=self.rapid[part], feed=self.feed[part], tool=self.tool[part],
                course=self.course[part], tools=by_hand,
            )
            for part in parts
        ]  # fmt: skip

    def starts(self, home: tuple[float, float, float]) -> NDArray[np.float64]:
        """Where each begins, (m, 3)."""
        return np.vstack([np.array(home)[None], self.xyz[:-1]]) if len(self) else self.xyz
