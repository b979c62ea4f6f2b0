"""How tickets are kept: whole now and then, between that as what each change made different.

A change of one number is a row of some hundred bytes, whatever the ticket's size; an undo keeps nothing of its own. A
ticket is whole in its job's first row, every ``WHOLE_EACH`` changes, and in the first after Nibble writes another
schema, since differences are from a ticket as it was written. Rows of before hold every ticket whole.
"""

import json
import zlib
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, Any

from nibble_core.errors import InvalidTicket
from nibble_core.pipeline.store import MemoryStore
from nibble_core.ticket import Ticket, changed_by, difference, joined, ticket_from_plain, to_plain
from nibble_core.ticket.model import SCHEMA

if TYPE_CHECKING:
    from jobs.models import Revision

WHOLE_EACH = 64
COPY, OTHERWISE = 500, 50_000  # bytes in memory of a copy on a sheet, and of all else of a ticket, about
WRONG = (AttributeError, IndexError, KeyError, TypeError, ValueError)  # what a damaged difference leads to
DAMAGED = "What is kept of this revision is damaged."
READ = MemoryStore(64, most_bytes=64_000_000)
"""Tickets that were read or made lately, by their row."""


def whole(ticket: Ticket) -> dict[str, Any]:
    """Fields of a row that keeps a ticket by itself."""
    return {"packed": _pack(to_plain(ticket)), "schema": SCHEMA}


def changed(ticket: Ticket, before: Ticket, state: "Revision") -> dict[str, Any]:
    """Fields of a row that keeps a ticket made of the one that ``state``, a change's row, keeps."""
    if state.schema != SCHEMA or state.depth + 1 >= WHOLE_EACH:
        return whole(ticket)
    told = difference(before, ticket)
    return {"packed": _pack(told or {}), "base": state.number, "depth": state.depth + 1, "schema": SCHEMA}


def plain_of(revision: "Revision") -> Any:
    """The plain values of a revision's ticket, in the schema that they were written in. Raises InvalidTicket."""
    rows = type(revision).objects.filter(job_id=revision.job_id, number__lte=revision.state, kind="change")
    wanted: int | None = revision.state
    told = []
    for row in rows.order_by("-number").only("number", "base", "packed", "whole").iterator(chunk_size=WHOLE_EACH):
        if row.number == wanted:  # others lie on ways that were taken back
            told.append(row)
            wanted = row.base
            if wanted is None:
                break
    if wanted is not None:
        raise InvalidTicket("What this revision was made of is not there any more.", "Open an earlier one.")
    plain = _made(told.pop(), None)
    since: Any = {}  # differences are joined first: of a large ticket each would take as long as all of them
    try:
        while told:
            one = told_by(told.pop())
            both = joined(since, one)
            if both is None:
                plain, both = changed_by(plain, since), one
            since = both
        return changed_by(plain, since)
    except WRONG as error:
        raise InvalidTicket(DAMAGED, "Open an earlier one.") from error


def read_through(revisions: Iterable["Revision"]) -> Iterator[tuple["Revision", Any]]:
    """The changes among a job's revisions, given in their order, each with its plain ticket, or with the InvalidTicket
    that reading it raises."""
    made: dict[int | None, Any] = {}
    for row in revisions:
        if row.kind == "change":
            try:
                before = made.get(row.base)
                if isinstance(before, InvalidTicket):
                    raise before
                made[row.number] = _made(row, before)
            except InvalidTicket as error:
                made[row.number] = error
            yield row, made[row.number]


def told_by(revision: "Revision") -> Any:
    """What a row itself holds: a plain ticket, or a difference from one; None of an undo. Raises InvalidTicket."""
    if revision.packed is None:
        return revision.whole
    try:
        return json.loads(zlib.decompress(revision.packed))
    except (ValueError, zlib.error) as error:
        raise InvalidTicket(DAMAGED, "Open an earlier one.") from error


def _made(row: "Revision", before: Any) -> Any:
    """A change's plain ticket; before: that of its base, if it has one. Raises InvalidTicket."""
    told = told_by(row)
    try:
        return told if row.base is None else changed_by(before, told)
    except WRONG as error:
        raise InvalidTicket(DAMAGED, "Open an earlier one.") from error


def ticket_of(revision: "Revision") -> Ticket:
    """The ticket of a revision. Raises InvalidTicket."""
    found: Ticket | None = READ.get(_row(revision))
    if found is None:
        found = ticket_from_plain(plain_of(revision))
        remember(revision, found)
    return found


def remember(revision: "Revision", ticket: Ticket) -> None:
    """A ticket that was just made or read need not be read again."""
    READ.put(_row(revision), ticket, size=size_of(ticket))


def size_of(ticket: Ticket) -> int:
    """Bytes that a ticket takes in memory, about."""
    return COPY * sum(len(sheet.placed) for sheet in ticket.sheets) + OTHERWISE


def _row(revision: "Revision") -> str:
    """What no other row has, ever: numbers are given again where a database is put back."""
    return f"{revision.pk} {revision.time.isoformat()}"


def _pack(plain: Any) -> bytes:
    return zlib.compress(json.dumps(plain, separators=(",", ":")).encode())
