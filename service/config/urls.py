"""The API under /api/, and the application's page for every other address."""

from django.http import HttpRequest, HttpResponse
from django.template.loader import render_to_string
from django.urls import path, re_path
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import ensure_csrf_cookie

from config.api import api


@never_cache
@ensure_csrf_cookie
def application_page(request: HttpRequest) -> HttpResponse:
    return HttpResponse(render_to_string("index.html"))


urlpatterns = [path("api/", api.urls), re_path(r"^(?!api/|static/).*$", application_page)]
handler400 = "config.api.bad_request"
handler404 = "config.api.not_found"
handler500 = "config.api.failed"
