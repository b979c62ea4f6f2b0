"""Signing the operator in, in the demo only, by the key in the address that the launcher prints."""

import secrets
from collections.abc import Callable

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect

DEMO_USER = "operator"


def demo_sign_in(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Who has the key is signed in, and sent on to the same page without it. A key cannot be forged by headers, nor
    carried along by a proxy, as “coming from this machine” could be."""

    def middleware(request: HttpRequest) -> HttpResponse:
        key = request.GET.get("key", "") if settings.DEMO and request.method == "GET" else ""
        if not key or not secrets.compare_digest(key.encode(), settings.DEMO_KEY.encode()):
            return get_response(request)
        user = get_user_model().objects.filter(username=DEMO_USER).first()
        if user is not None and not request.user.is_authenticated:
            login(request, user, backend="django.contrib.auth.backends.ModelBackend")
        rest = request.GET.copy()
        del rest["key"]
        return HttpResponseRedirect(f"{request.path}?{rest.urlencode()}".rstrip("?"))

    return middleware
