"""Addresses: the API, and the front end for everything else."""

from django.http import HttpRequest, HttpResponse
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from .api import api
from .ops import health, metrics
from .problems import problem
from .settings.base import STATIC_ROOT


@ensure_csrf_cookie
def front_end(request: HttpRequest) -> HttpResponse:
    """Return the page of the front end; its own router shows the view."""
    if request.method not in ("GET", "HEAD"):
        return problem(405, "Not allowed", "Pages are only read.")
    page = STATIC_ROOT / "index.html"
    if not page.exists():
        return HttpResponse("The front end is not built. Run `make build`.", status=503, content_type="text/plain")
    response = HttpResponse(page.read_bytes(), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


def service_worker(request: HttpRequest) -> HttpResponse:
    """Return the script that lets the front end open without a network; it lies at the top so that it serves every page."""
    script = STATIC_ROOT / "sw.js"
    if not script.exists():
        return problem(404, "Not found", "The front end is not built.")
    response = HttpResponse(script.read_bytes(), content_type="text/javascript; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


def nothing(request: HttpRequest) -> HttpResponse:
    """Answer unknown API addresses in the API's own error shape."""
    return problem(404, "Not found", "There is no such address.")


urlpatterns = [
    path("api/", api.urls),
    path("health", health.alive),
    path("health/ready", health.ready),
    path("metrics", metrics.page),
    path("sw.js", service_worker),
    re_path(r"^api/", nothing),
    re_path(r"^static/", nothing),
    re_path(r"^(?!api/|static/|health|metrics$).*$", front_end),
]
