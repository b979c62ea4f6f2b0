"""Every move of a machine's head on a sheet, as a laser file holds them: travels, glides and burns."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import ARC, Affine
from nibble_core.geometry.segments import mapped_rows

TRAVEL, GLIDE, BURN = 0, 1, 2
"""What a move does: as fast as it goes with the beam off, at working speed with the beam off, with the beam on."""


@dataclass(frozen=True)
class Named:
    """A tool as files name it: its process, number within it, whether the air assist is on, and how high the head
    stands to pierce (or to travel) and to run, mm above the material; None where files say nothing of it. pen: the
    head is lowered to draw and raised to travel, and no power is ever switched on."""

    process: str
    rank: int = 1
    air: bool = False
    heights: tuple[float, float] | None = None
    pen: bool = False

    @property
    def lift(self) -> float:
        """mm that the head goes up for a travel and down again behind a pierce."""
        return 0.0 if self.heights is None else self.heights[0] - self.heights[1]


@dataclass(frozen=True, eq=False)
class Moves:
    """m moves, mm, on a sheet of width by height. does: TRAVEL, GLIDE or BURN. kinds, rows: the line or arc of each, as
    ``geometry.segments`` has them. speed: mm a second, 0 for as fast as it goes. power: share of all, 0 to 1. wait:
    seconds that the beam stands before it. tool: a number of ``tools``. path: of the job, that each belongs to; none
    where it was read from a file."""

    width: float
    height: float
    does: NDArray[np.uint8]
    kinds: NDArray[np.uint8]
    rows: NDArray[np.float64]
    speed: NDArray[np.float64]
    power: NDArray[np.float64]
    wait: NDArray[np.float64]
    tool: NDArray[np.int64]
    tools: tuple[Named, ...]
    path: NDArray[np.int64] | None = None

    def __len__(self) -> int:
        return len(self.does)

    @property
    def lengths(self) -> NDArray[np.float64]:
        """mm of each move."""
        lengths: NDArray[np.float64] = np.hypot(*(self.rows[:, 6:] - self.rows[:, :2]).T)
        arcs = self.kinds == ARC
        lengths[arcs] = np.hypot(*(self.rows[arcs, :2] - self.rows[arcs, 2:4]).T) * np.abs(self.rows[arcs, 4])
        return lengths

    @property
    def pierces(self) -> NDArray[np.bool_]:
        """Where the beam is on while the head stands. A wait before another move is a rest, the beam off."""
        return np.asarray((self.wait > 0) & (self.does == BURN), bool)

    @property
    def lets_go(self) -> NDArray[np.bool_]:
        """Where a beam that was switched on standing is switched off: before the travel behind its path."""
        standing, off, pierces = False, np.zeros(len(self), bool), self.pierces
        for k in np.nonzero(pierces | (self.does == TRAVEL))[0].tolist():
            if self.does[k] == TRAVEL:
                off[k], standing = standing, False
            standing |= bool(pierces[k])
        return off

    def mapped(self, affine: Affine) -> Moves:
        """In other axes; of straight moves alone by any affine map. Where an axis counts otherwise, as a turn in
        degrees does, speeds are counted so too: each move takes as long as before."""
        rows = mapped_rows(self.kinds, self.rows, affine)
        if affine.is_similarity:
            return replace(self, rows=rows)
        before = np.hypot(*(self.rows[:, 6:] - self.rows[:, :2]).T)
        after = np.hypot(*(rows[:, 6:] - rows[:, :2]).T)
        grown = np.divide(after, before, out=np.ones_like(after), where=before > 1e-12)
        return replace(self, rows=rows, speed=self.speed * grown)
