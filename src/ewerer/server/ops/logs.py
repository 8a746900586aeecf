"""One line of JSON for each request, and an id that stands in every error; never a body, a password or a name typed in."""

from __future__ import annotations

import json
import time
import uuid
from collections.abc import Callable

import structlog
from django.http import HttpRequest, HttpResponse

from ..crews.who import ASKING
from .metrics import count

LOG = structlog.stdlib.get_logger("ewerer.requests")


class RequestLog:
    """Middleware: give each request an id, answer with it, and write its line."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Return the response with its ``X-Request-Id``; errors of the API carry the id in their body too."""
        id = request.META["ewerer.id"] = uuid.uuid4().hex[:12]
        began = time.perf_counter()
        response = self.get_response(request)
        response["X-Request-Id"] = id
        api = request.path.startswith("/api/")
        if api and "Cache-Control" not in response:
            response["Cache-Control"] = "no-store"
        if response.status_code >= 400 and response.get("Content-Type", "").startswith("application/problem+json"):
            _with_id(response, id)
        if api or response.status_code >= 400:
            self._line(request, response, time.perf_counter() - began)
        return response

    def process_exception(self, request: HttpRequest, error: Exception) -> None:
        """Write the traceback of what nobody caught, under the request's id."""
        LOG.error("failure", exc_info=error, request=request.META.get("ewerer.id", ""), path=request.path)

    def _line(self, request: HttpRequest, response: HttpResponse, seconds: float) -> None:
        match, person = request.resolver_match, request.META.get(ASKING)
        route = f"/{match.route}" if match else ""
        count(request.method or "", route, response.status_code, seconds)
        LOG.info(
            "request",
            request=request.META["ewerer.id"],
            method=request.method,
            route=route or request.path[:120],
            status=response.status_code,
            ms=round(seconds * 1000, 1),
            crew=person.crew.pk if person else None,
            person=person.user.pk if person else None,
            address=request.META.get("REMOTE_ADDR", ""),
        )


def _with_id(response: HttpResponse, id: str) -> None:
    try:
        body = json.loads(response.content)
    except ValueError:
        return
    if isinstance(body, dict):
        response.content = json.dumps({**body, "request": id}).encode()
        if "Content-Length" in response:
            response["Content-Length"] = str(len(response.content))
