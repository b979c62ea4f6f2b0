"""The API: its routers, who may call it, and how errors of the core are told."""

import errno
import json
import logging
import sys

from django.core.exceptions import RequestDataTooBig, SuspiciousOperation
from django.db import OperationalError
from django.http import Http404, HttpRequest, HttpResponse, UnreadablePostError
from django.http.multipartparser import MultiPartParserError
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from ninja.security import APIKeyCookie

from files import pictures, results
from files.api import router as files_router
from jobs.actions import ChangedMeanwhile, NothingToUndo
from jobs.api import router as jobs_router
from jobs.models import Job
from library.api import router as library_router
from nibble_core.errors import Cancelled, NibbleError
from people.api import FROM_ELSEWHERE, FromElsewhere, TooManyTries
from people.api import router as people_router
from production.api import router as production_router
from production.machine_api import router as machine_router
from production.rehearsal_api import router as rehearsal_router

STATUS = {
    ChangedMeanwhile: 409, NothingToUndo: 409, Cancelled: 409, FromElsewhere: 403, TooManyTries: 429,
}  # fmt: skip


class SignedIn(APIKeyCookie):
    """A user of this shop, by Django's session; unsafe methods need the CSRF token as well."""

    param_name = "sessionid"

    def authenticate(self, request: HttpRequest, key: str | None) -> object | None:
        return request.user if request.user.is_authenticated else None


api = NinjaAPI(title="Nibble", version="1", auth=SignedIn(), docs_url=None, openapi_url=None)
api.add_router("/session", people_router)
api.add_router("/jobs", jobs_router)
api.add_router("/library", library_router)
api.add_router("/", files_router)
api.add_router("/", production_router)
api.add_router("/", machine_router)
api.add_router("/", rehearsal_router)


def told(
    request: HttpRequest, status: int, code: str, message: str, what_to_do: str = "", where: str = ""
) -> HttpResponse:
    """The one shape of an error."""
    shape = {"code": code, "message": message, "what_to_do": what_to_do, "where": where}
    shape = {name: value.encode("utf-8", "replace").decode() for name, value in shape.items()}  # half letters and all
    return api.create_response(request, shape, status=status)


@api.exception_handler(NibbleError)
def core_error(request: HttpRequest, error: NibbleError) -> HttpResponse:
    status = next((code for kind, code in STATUS.items() if isinstance(error, kind)), 422)
    return told(request, status, error.code, error.message, error.what_to_do, error.where)


@api.exception_handler(AuthenticationError)
def not_signed_in(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
    return told(request, 401, "signed-out", "You are not signed in.", "Sign in again.")


@api.exception_handler(ValidationError)
def misshapen(request: HttpRequest, error: ValidationError) -> HttpResponse:
    return told(request, 422, "misshapen", "That request was not understood.", "Reload the page.")


@api.exception_handler(Http404)
@api.exception_handler(Job.DoesNotExist)
def not_there(request: HttpRequest, error: Exception) -> HttpResponse:
    return told(request, 404, "not-there", "That is not there any more.", "Go back to the board.")


@api.exception_handler(HttpError)
def refused(request: HttpRequest, error: HttpError) -> HttpResponse:
    """What the framework itself turns away."""
    if error.status_code == 403:
        return told(request, 403, FromElsewhere.code, *FROM_ELSEWHERE)
    return told(request, error.status_code, "misshapen", "That request was not understood.", "Reload the page.")


@api.exception_handler(SuspiciousOperation)
@api.exception_handler(MultiPartParserError)
@api.exception_handler(UnreadablePostError)
@api.exception_handler(UnicodeError)
def strange(request: HttpRequest, error: Exception) -> HttpResponse:
    if isinstance(error, RequestDataTooBig):
        return told(request, 413, "too-large", "That is more than 20 MB of text.", "Make fewer changes at once.")
    return told(request, 400, "misshapen", "That request was not understood.", "Reload the page.")


@api.exception_handler(OSError)
@api.exception_handler(OperationalError)
def out_of_room(request: HttpRequest, error: Exception) -> HttpResponse:
    """A full disk is named, and what can be made again is given up for it; so is one that cannot be written."""
    if getattr(error, "errno", 0) == errno.EROFS or "readonly" in str(error):
        return told(
            request, 507, "disk-read-only", "The data folder cannot be written any more: this was not kept.",
            "Look at the disk, then try again.",
        )  # fmt: skip
    if getattr(error, "errno", 0) != errno.ENOSPC and "full" not in str(error):
        return unexpected(request, error)
    results.give_up()
    pictures.give_up()
    return told(
        request, 507, "disk-full", "The disk is full: this was not kept.",
        "Nibble has cleared its own caches. Make more room on the disk, then try again.",
    )  # fmt: skip


@api.exception_handler(Exception)
def unexpected(request: HttpRequest, error: Exception) -> HttpResponse:
    """Logged in full here; a user sees no stack trace."""
    logging.getLogger("nibble").exception("unexpected error in %s", request.path)
    return told(request, 500, "unexpected", "Something went wrong on Nibble's side.", "Nothing was lost. Try again.")


def from_elsewhere(request: HttpRequest, reason: str = "") -> HttpResponse:
    """Django's own refusal of a page that is not ours, in the one shape."""
    return told(request, 403, FromElsewhere.code, *FROM_ELSEWHERE)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    return told(request, 400, "misshapen", "That request was not understood.", "Check the address.")


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """An address of the API that is none, in the one shape as well."""
    return told(request, 404, "not-there", "There is no such address.", "Reload the page.")


def failed(request: HttpRequest) -> HttpResponse:
    """What goes wrong outside of the API's own answers, such as keeping a session, in the same words."""
    raised = sys.exc_info()[1]
    error = raised if isinstance(raised, Exception) else Exception()
    known = isinstance(error, OSError | OperationalError)
    answer = out_of_room(request, error) if known else unexpected(request, error)
    if request.path.startswith("/api/"):
        return answer
    said = json.loads(answer.content)
    text = f"{said['message']} {said['what_to_do']}"
    return HttpResponse(text, status=answer.status_code, content_type="text/plain; charset=utf-8")
