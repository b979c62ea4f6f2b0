"""The API: its routers, who may call it, and how errors of the core are told."""

import logging

from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, ValidationError
from ninja.security import APIKeyCookie

from files.api import router as files_router
from jobs.actions import ChangedMeanwhile, NothingToUndo
from jobs.api import router as jobs_router
from nibble_core.errors import Cancelled, NibbleError
from people.api import router as people_router
from production.api import router as production_router

STATUS = {ChangedMeanwhile: 409, NothingToUndo: 409, Cancelled: 409}


class SignedIn(APIKeyCookie):
    """A user of this shop, by Django's session; unsafe methods need the CSRF token as well."""

    param_name = "sessionid"

    def authenticate(self, request: HttpRequest, key: str | None) -> object | None:
        return request.user if request.user.is_authenticated else None


api = NinjaAPI(title="Nibble", version="1", auth=SignedIn(), docs_url=None, openapi_url=None)
api.add_router("/session", people_router)
api.add_router("/jobs", jobs_router)
api.add_router("/", files_router)
api.add_router("/", production_router)


def told(
    request: HttpRequest, status: int, code: str, message: str, what_to_do: str = "", where: str = ""
) -> HttpResponse:
    """The one shape of an error."""
    shape = {"code": code, "message": message, "what_to_do": what_to_do, "where": where}
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
def not_there(request: HttpRequest, error: Http404) -> HttpResponse:
    return told(request, 404, "not-there", "That is not there any more.", "Go back to the board.")


@api.exception_handler(Exception)
def unexpected(request: HttpRequest, error: Exception) -> HttpResponse:
    """Logged in full here; a user sees no stack trace."""
    logging.getLogger("nibble").exception("unexpected error in %s", request.path)
    return told(request, 500, "unexpected", "Something went wrong on Nibble's side.", "Nothing was lost. Try again.")
