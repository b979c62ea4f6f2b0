"""What every answer carries."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; font-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)


def content_policy(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Only our own scripts, fonts and pictures; an answer may set a stricter policy of its own."""

    def middleware(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response

    return middleware


def api_answers(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """What the API answers about a shop stays in no cache, unless the answer says that it may; a method that an address
    does not take is told in the shape of all errors."""
    from config.api import told

    def middleware(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        if request.path.startswith("/api/"):
            if response.status_code == 405 and "json" not in response.headers.get("Content-Type", ""):
                response = told(request, 405, "misshapen", "That cannot be done at this address.", "Reload the page.")
            response.headers.setdefault("Cache-Control", "no-store")
        return response

    return middleware
