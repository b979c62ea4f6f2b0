"""Programs: which lines are run, in which process and order, at which places."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nibble_core.errors import CannotMake
from nibble_core.geometry import Affine, Bundle
from nibble_core.processes import PROCESSES
from nibble_core.sheet import LaidSheet
from nibble_core.toolpaths.grain import Hatch, grained


@dataclass(frozen=True, eq=False)
class Engraved:
    """Pixels that are engraved: share of the power in 256 levels, (h, w), over a box whose upper left corner lies at
    left, top; pitch: mm of a pixel."""

    levels: NDArray[np.uint8]
    left: float
    top: float
    pitch: float


@dataclass(frozen=True, eq=False)
class Definition:
    """What one line draws on one copy of a layer, in the piece's coordinates, mm. rank: its number within its
    process. filled: whether its paths fill an area, and keep their order. one_way: whether open ones keep their
    direction. shares: of the power, by path, (n,); None for all of it. picture: what its strokes were made from. area:
    the rings of what is filled; outlined: whether they are followed as well. rings: the ring that each path is a
    stretch of, (n,), where ties interrupt any; None where each path is whole. hatch: what its strokes were made by."""

    id: str
    process: str
    paths: Bundle
    rank: int = 1
    filled: bool = False
    one_way: bool = False
    shares: NDArray[np.float64] | None = None
    picture: Engraved | None = None
    area: Bundle | None = None
    outlined: bool = False
    rings: NDArray[np.int64] | None = None
    hatch: Hatch | None = None


@dataclass(frozen=True, eq=False)
class Run:
    """One definition, followed at each place in turn. copies: numbers of the laid copies that lie at these places;
    empty for what is the sheet's own."""

    of: Definition
    places: tuple[Affine, ...]
    copies: tuple[int, ...] = ()

    @property
    def length(self) -> float:
        """mm, of all copies; placements are similarities."""
        return self.of.paths.length * sum(math.sqrt(abs(place.determinant)) for place in self.places)


@dataclass(frozen=True, eq=False)
class Program:
    """Runs in the order in which the machine makes them."""

    runs: tuple[Run, ...]

    @property
    def length(self) -> float:
        return sum(run.length for run in self.runs)


def by_process(
    laid: LaidSheet, definitions: Mapping[str, Sequence[Definition]], once: Sequence[Definition] = ()
) -> Program:
    """Every line of every copy, process by process, so that what falls out comes last; within one by rank, then layer
    by layer. ``definitions``: by layer. ``once``: what is run once, in the sheet's own coordinates. Guides are left
    out; hatched areas run one way on all copies. Raises CannotMake for a process that has no order."""
    runs: list[Run] = []
    for layer in laid.layers:
        copies = tuple(number for number, placement in enumerate(laid.placements) if placement.layer == layer)
        own = tuple(laid.placements[number].at for number in copies)
        for one in definitions.get(layer, ()):
            if one.process not in PROCESSES:
                raise CannotMake(
                    f"Nobody knows when “{one.process}” is to be run.", "Choose another process for the line."
                )
            if PROCESSES[one.process].sent and own and len(one.paths):
                runs += grained(Run(one, own, copies))
    runs += [Run(one, (Affine(),)) for one in once]
    return Program(tuple(sorted(runs, key=lambda run: (PROCESSES[run.of.process].order, run.of.rank))))
