"""A head that takes moves, led by the marks of a printed sheet: where its own G-code brings the simulated laser.

A beam runs beside the edge of what it frees, by half its width. How far, is told by the run on a sheet that lies as it
was meant; what is more on one that lies otherwise, is the error.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from nibble_core.errors import CannotMake
from nibble_core.formats.registry import FORMATS
from nibble_core.geometry import Affine
from nibble_core.geometry.nearest import nearest_places
from nibble_core.pipeline.head_files import planned, write_head
from nibble_core.pipeline.results import Work
from nibble_core.simulators.burnt import course
from nibble_core.simulators.cutter import Lies
from nibble_core.simulators.laser import Body, Laser
from nibble_core.ticket.heads import BeamHead
from nibble_core.ticket.model import Sheet, Ticket

ANYWHERE = 1e5  # mm: what lies beyond the bed is refused when the file is written


@dataclass(frozen=True, eq=False)
class LedHead:
    """written: the G-code for a sheet whose marks were found at places (n, 2) in the machine's axes, in their order, or
    that lies as it was meant, for none. to_machine: from the sheet's axes to those. full: the word of full power."""

    written: Callable[[Sequence[tuple[float, float]]], bytes]
    to_machine: Affine
    full: float

    def reached(self, lies: Lies, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Where the edges that lie at places (n, 2) of a sheet as it was meant come to lie, mm, on one that it takes to
        lie so. Raises CannotMake for what is refused, DoesNotFit where it would run beyond the bed."""
        aim = lies.forward(nearest_places(places, self._meant))
        tracks = self._run(self.to_machine.map(lies.found))
        return np.asarray(lies.forward(places) + nearest_places(aim, tracks) - aim, float)

    @cached_property
    def _meant(self) -> list[NDArray[np.float64]]:
        return self._run(np.empty((0, 2)))

    def _run(self, found: NDArray[np.float64]) -> list[NDArray[np.float64]]:
        """What is burnt, line by line, (n, 2) mm in the sheet's axes. found: see ``written``."""
        body = Body(2 * ANYWHERE, 2 * ANYWHERE, -ANYWHERE, -ANYWHERE, power=self.full)
        laser = Laser(body)
        for line in self.written([(x, y) for x, y in found.tolist()]).decode().splitlines():
            said = laser.take(line)
            if said != "ok":
                raise CannotMake(f"The simulated laser refuses a line of the G-code: {said}.", "Look at the moves.")
        back = self.to_machine.inverse()
        burnt = [course(step) for step in laser.steps if step.beam > 0 and step.length > 0]
        if not burnt:
            raise CannotMake("Nothing is burnt on this sheet.", "Set power and speed at Machine.")
        return [back.map(one) for one in burnt]


def led_head(ticket: Ticket, sheet: Sheet, work: Work) -> LedHead:
    """Of a sheet's beam. Raises CannotMake where its moves are not planned."""
    form = FORMATS["gcode"]

    def written(found: Sequence[tuple[float, float]]) -> bytes:
        return write_head(ticket, sheet, work, form, "G-code", found=found)

    return LedHead(written, planned(sheet, work).to_machine, float(sheet.machine.head_as(BeamHead).power_scale))
