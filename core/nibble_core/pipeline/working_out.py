"""What all stations share while a ticket is worked out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TypeVar

from nibble_core.errors import Cancelled, NibbleError
from nibble_core.pipeline.client_files import Sources
from nibble_core.pipeline.results import Problem, Work
from nibble_core.pipeline.store import ResultStore
from nibble_core.ticket.model import Ticket

T = TypeVar("T")
_DOING = {
    "artwork": "reading the artwork", "clean": "cleaning", "trace": "tracing", "lines": "drawing the lines",
    "sheet": "laying out the sheet", "machine": "planning the machine’s moves",
}  # fmt: skip


@dataclass(frozen=True)
class WorkingOut:
    """What all stations share while a ticket is worked out, and the graph of results that grows; see ``work_out``."""

    ticket: Ticket
    sources: Sources
    store: ResultStore
    preview: bool
    cancelled: Callable[[], bool]
    doing: Callable[[str], None]
    work: Work = field(default_factory=Work)

    def attempt(self, station: str, where: str, step: Callable[[], T]) -> T | None:
        """What a step gives; nothing, and a problem, where it cannot be done. Raises Cancelled."""
        if self.cancelled():
            raise Cancelled("This work was superseded.")
        self.doing(_DOING[station])
        try:
            return step()
        except Cancelled:
            raise
        except NibbleError as error:
            self.work.problems.append(Problem(station, error.where or where, error))
            return None
