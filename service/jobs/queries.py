"""What is asked about jobs."""

import re
from typing import Any

from django.db.models import Q, QuerySet

from jobs.models import Job, Revision
from nibble_core.ticket import Ticket, upgrade

MOST_SEARCHED = 200  # letters
MOST_WORDS = 12


ORDERS = {
    "due": ("turn", "-created"), "client": ("client", "turn", "-created"), "waiting": ("waits", "turn", "-created"),
}  # fmt: skip
"""Of the board: by due day, those without one last; by client; by what they wait for."""


def jobs_on_board(search: str = "", archived: bool = False, order: str = "due") -> QuerySet[Job]:
    """Jobs of which name, client, ticket or a piece's size holds every word of ``search``, in one of ``ORDERS``."""
    code = re.fullmatch(r"\s*(\d{1,9})\.\d+\s*", search)
    if code:  # of a printed ticket: job and revision
        return Job.objects.filter(id=int(code[1]))
    found = Job.objects.filter(archived__in=[archived])  # “NOT archived” would pass the index by
    for word in search[:MOST_SEARCHED].split()[:MOST_WORDS]:
        size = word.replace("×", "x")
        held = Q(name__icontains=word) | Q(client__icontains=word) | Q(sought__icontains=word)
        found = found.filter(held | Q(sizes__icontains=size))
    return found.order_by(*ORDERS[order])


def undrawn_jobs(archived: bool) -> int:
    """How many jobs wait for their card, and with it for the sizes that a search finds them by."""
    return Job.objects.filter(archived__in=[archived], card__isnull=True).count()


def newest_revision(job_id: int) -> Revision:
    """Raises Job.DoesNotExist."""
    newest = Revision.objects.filter(job_id=job_id).select_related("author", "job").last()
    if newest is None:
        raise Job.DoesNotExist
    return newest


def undo_words(revision: Revision) -> str:
    """What an undo from this revision would take back; empty at the beginning."""
    own = revision.words, revision.parent
    words, parent = own if revision.state == revision.number else _words(revision.job_id, revision.state)
    return words if parent is not None else ""


def redo_words(revision: Revision) -> str:
    """What a redo from this revision would make again; empty when there is nothing."""
    if revision.redo_from is None:
        return ""
    state = Revision.objects.values_list("state", flat=True).get(job_id=revision.job_id, number=revision.redo_from)
    return _words(revision.job_id, state)[0]


def _words(job_id: int, number: int) -> tuple[str, int | None]:
    """Words and parent of a revision, without its ticket."""
    return Revision.objects.values_list("words", "parent").get(job_id=job_id, number=number)


def changed_origins(ticket: Ticket) -> list[dict[str, Any]]:
    """Brought pieces that have changed over there since: their id here, name, and the job they are of."""
    found = []
    for piece in ticket.pieces:
        for origin in piece.origin:
            newest = Revision.objects.filter(job_id=origin.job).order_by("-number").first()
            if newest is None or newest.number == origin.revision:
                continue
            then = Revision.objects.filter(job_id=origin.job, number=origin.revision).first()
            if then is not None and _piece_of(then, origin.piece) != _piece_of(newest, origin.piece):
                found.append({"piece": piece.id, "called": piece.name, "job": origin.job, "of": origin.called})
    return found


def _piece_of(revision: Revision, piece: str) -> Any:
    """A piece with its artworks, as plain values."""
    ticket = upgrade(revision.ticket)
    own = next((one for one in ticket["pieces"] if one["id"] == piece), None)
    used = {one["content"].get("artwork") for one in (own or {}).get("elements", [])}
    return own, [one for one in ticket["artworks"] if one["id"] in used]


MOST_EARLIER = 40


def remembered_lines(job_id: int) -> list[dict[str, Any]]:
    """Lines that earlier jobs of the same client drew along a named ink or layer, the newest of each name."""
    job = Job.objects.get(id=job_id)
    if not job.client:
        return []
    found: dict[str, dict[str, Any]] = {}
    for other in Job.objects.filter(client__iexact=job.client).exclude(id=job_id).order_by("-created")[:MOST_EARLIER]:
        layers = (layer for piece in upgrade(newest_revision(other.pk).ticket)["pieces"] for layer in piece["layers"])
        for line in (line for layer in layers for line in layer["lines"]):
            for one in line["source"].get("colours", []):
                if one["named"] and one["named"] not in found:
                    process = line["process"]["kind"]
                    told = {"named": one["named"], "colour": one["colour"], "process": process, "line": line}
                    found[one["named"]] = told
    return list(found.values())
