"""Signing the operator in by itself, in the demo only."""

from collections.abc import Callable

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.http import HttpRequest, HttpResponse

LOCAL_HOSTS = {"127.0.0.1", "localhost"}
FORWARDING = ("HTTP_X_FORWARDED_FOR", "HTTP_X_FORWARDED_HOST", "HTTP_X_REAL_IP", "HTTP_FORWARDED", "HTTP_VIA")
DEMO_USER = "operator"


def is_local(request: HttpRequest) -> bool:
    """Asked for from this very machine: a loopback address, a local Host header and no proxy in between."""
    host = request.META.get("HTTP_HOST", "").rsplit(":", 1)[0]
    return (
        request.META.get("REMOTE_ADDR") == "127.0.0.1"
        and host in LOCAL_HOSTS
        and not any(header in request.META for header in FORWARDING)
    )


def demo_sign_in(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    def middleware(request: HttpRequest) -> HttpResponse:
        if settings.DEMO and not request.user.is_authenticated and is_local(request):
            user = get_user_model().objects.filter(username=DEMO_USER).first()
            if user is not None:
                login(request, user, backend="django.contrib.auth.backends.ModelBackend")
        return get_response(request)

    return middleware
