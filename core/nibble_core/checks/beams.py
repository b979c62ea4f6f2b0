"""What can be wrong with the moves of a beam: beyond the bed, over a clamp, in the wrong order, finer than the beam."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import CannotMake, DoesNotFit
from nibble_core.geometry import Box
from nibble_core.graphics.moves import BURN, GLIDE, Moves
from nibble_core.processes import PROCESSES
from nibble_core.toolpaths.beam import BeamJob

REACH = 0.01  # mm beyond the bed that counts as within
THIN = 0.98  # of the beam's width
TWICE = 1.0  # mm² that two engraved areas may share


def beyond_bed(moves: Moves, bed: Box) -> None:
    """Raises DoesNotFit for burns, or for run-ups and run-outs, that leave the bed. Both on the sheet."""
    run = (moves.does == BURN) | (moves.does == GLIDE)
    over = _beyond(moves, run, bed)
    if over <= REACH:
        return
    burnt = _beyond(moves, moves.does == BURN, bed)
    if burnt > REACH:
        said, mend = f"It would cut or burn {burnt:.1f}", "Move the work further in, or make it smaller."
    else:
        said, mend = f"The head would run {over:.1f}", "Move the work further in, or lower the overscan."
    raise DoesNotFit(f"{said} mm beyond the bed.", mend)


def _beyond(moves: Moves, chosen: NDArray[np.bool_], bed: Box) -> float:
    """How far some moves leave the bed, mm; negative within."""
    x, y = moves.rows[:, 0::6][chosen], moves.rows[:, 1::6][chosen]
    if not len(x):
        return -math.inf
    return float(max(bed.left - x.min(), bed.top - y.min(), x.max() - bed.right, y.max() - bed.bottom))


def over_clamps(moves: Moves, clamps: Sequence[Box]) -> None:
    """Raises DoesNotFit for moves of any kind through a clamped rectangle of the sheet."""
    if not clamps or not len(moves):
        return
    boxes = shapely.box(*np.array(clamps).T)
    lines = shapely.linestrings(moves.rows[:, [0, 1, 6, 7]].reshape(-1, 2, 2))
    count = len(np.unique(shapely.STRtree(lines).query(boxes, predicate="intersects")[0]))
    if count:
        raise DoesNotFit(f"The head would run over {count} clamp{'s' * (count > 1)}.", "Move the work, or the clamps.")


def out_of_order(job: BeamJob) -> None:
    """Raises CannotMake when anything on a copy is burnt after what should come later."""
    order = np.array([PROCESSES[tool.process].order for tool in job.tools])[job.tool]
    by_copy = np.lexsort((np.arange(len(order)), job.copy))
    falls = (np.diff(order[by_copy]) < 0) & (np.diff(job.copy[by_copy]) == 0)
    if falls.any():
        raise CannotMake("A copy would be cut before it is engraved.", "Report this job.")


def finer_than(area: BaseGeometry, beam: float) -> float:
    """mm² of an engraved area in parts narrower than the beam."""
    kept = area.buffer(-beam / 2 * THIN).buffer(beam / 2 * THIN * 1.05)
    return float(area.difference(kept).area)


def burnt_twice(areas: Sequence[BaseGeometry]) -> float:
    """mm² that two or more engraved areas share."""
    total = 0.0
    for k, one in enumerate(areas):
        for other in areas[k + 1 :]:
            total += float(one.intersection(other).area)
    return total if total > TWICE else 0.0
