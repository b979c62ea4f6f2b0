"""What is found out of a sheet that a beam makes: what it follows, and every move it makes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nibble_core.geometry import Affine
from nibble_core.graphics.moves import BURN, Moves
from nibble_core.toolpaths.beam import BeamJob
from nibble_core.toolpaths.motion import Timed
from nibble_core.toolpaths.program import Definition


@dataclass(frozen=True)
class BeamNote:
    """Something about a line of a layer as a beam makes it: no lead, lost, tied or tilts; how many, and the first place
    in the piece, mm."""

    line: str
    kind: str
    count: int
    place: tuple[float, float]
    layer: str = ""


@dataclass(frozen=True, eq=False)
class BeamLines:
    """What is followed on one copy of each layer, and what is to be told of it."""

    definitions: dict[str, tuple[Definition, ...]]
    notes: tuple[BeamNote, ...]


@dataclass(frozen=True, eq=False)
class BeamRun:
    """A sheet as its beam makes it. start: the machine's origin, a place on the sheet. seconds: by tool, travels and
    waits included. saved: minutes, by rows that run over several copies. axes: from the sheet to the machine's, where
    it turns what it makes."""

    job: BeamJob
    start: tuple[float, float]
    moves: Moves
    timed: Timed
    seconds: tuple[float, ...]
    travelled: float
    saved: float = 0.0
    axes: Affine | None = None

    @property
    def to_machine(self) -> Affine:
        """From the sheet to the machine's axes: y away from the operator."""
        if self.axes is not None:
            return self.axes
        x, y = self.start
        return Affine.translation(-x, -y).then(Affine(d=-1.0))

    @property
    def minutes(self) -> float:
        return self.timed.seconds / 60

    def by_process(self) -> dict[str, float]:
        """Minutes of each process."""
        found: dict[str, float] = {}
        for tool, own in zip(self.job.tools, self.seconds, strict=True):
            found[tool.process] = found.get(tool.process, 0.0) + own / 60
        return found

    def burnt(self) -> dict[str, float]:
        """mm burnt in each process, all passes."""
        lengths = self.moves.lengths * (self.moves.does == BURN)
        by_tool = np.bincount(self.moves.tool, lengths, minlength=len(self.moves.tools))
        found: dict[str, float] = {}
        for tool, own in zip(self.moves.tools, by_tool.tolist(), strict=True):
            found[tool.process] = found.get(tool.process, 0.0) + own
        return found
