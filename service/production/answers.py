"""What the rooms of the API share: the newest revision of a job, a sheet of it, and what a worker made as an answer."""

from django.http import Http404, HttpResponse

from jobs import queries
from jobs.keeping import ticket_of
from jobs.models import Revision
from nibble_core.ticket import Ticket
from nibble_core.ticket.model import Sheet


def sheet_of(job_id: int, sheet_id: str) -> tuple[Revision, Ticket, Sheet]:
    """A sheet of a job's newest revision, with its ticket. Raises Http404, Job.DoesNotExist."""
    revision = queries.newest_revision(job_id)
    ticket = ticket_of(revision)
    sheet = next((one for one in ticket.sheets if one.id == sheet_id), None)
    if sheet is None:
        raise Http404
    return revision, ticket, sheet


def as_json(content: bytes) -> HttpResponse:
    return HttpResponse(content, content_type="application/json")


def as_file(named: bytes, content_type: str) -> HttpResponse:
    """A download of what a worker made: its name on one line, then its bytes."""
    name, _, content = named.partition(b"\n")
    response = HttpResponse(content, content_type=content_type)
    response["Content-Disposition"] = f'attachment; filename="{name.decode()}"'
    response["Content-Security-Policy"] = "default-src 'none'; sandbox"
    response["X-Content-Type-Options"] = "nosniff"
    return response
