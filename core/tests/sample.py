"""A small job worked out from start to files, shared by the tests of ticket, pipeline and files."""

import hashlib

from nibble_core.pipeline.results import Work
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, Ticket, apply, first_ticket
from tests.pictures import badge_png

BADGE = badge_png()
BADGE_SHA = hashlib.sha256(BADGE).hexdigest()
LINE = "pieces/p1/layers/l1/lines/k1"


def badge_ticket(*changes: Change, quantity: int = 6) -> Ticket:
    """A badge 60 mm wide, cut through 2 mm outside."""
    ticket = first_ticket(name="Badge", file=BADGE_SHA, file_name="badge.png", width=60, quantity=quantity)
    return apply(ticket, changes)


SHARED = MemoryStore(400)
"""What one test worked out serves the next, as in a shop: no test is to see a result of another's ticket."""


def badge_work(ticket: Ticket, store: MemoryStore | None = None, **options) -> Work:
    return work_out(ticket, lambda sha: {BADGE_SHA: BADGE}[sha], SHARED if store is None else store, **options)
