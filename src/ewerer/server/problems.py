"""One shape for every error: RFC 7807 problem+json."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import asdict
from http import HTTPStatus
from http.client import responses
from typing import Any

from django.http import HttpRequest, HttpResponse

from ..core.trade.budget import within
from ..core.trade.errors import DocumentError


def problem(status: int, title: str, detail: str = "", **more: Any) -> HttpResponse:
    """Return a problem+json response."""
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail, **more}
    answer = HttpResponse(json.dumps(body, default=str), status=status, content_type="application/problem+json")
    if status not in responses:  # ours, such as 499: the log has no word for it
        answer.reason_phrase = title
    return answer


def refused(error: DocumentError) -> HttpResponse:
    """Return the 422 for a refused document, with every problem and its JSON pointer."""
    first = str(error.problems[0]) if error.problems else ""
    return problem(422, "The document was refused", first, problems=[asdict(p) for p in error.problems])


def locked_out(request: HttpRequest, response: object = None, credentials: object = None, *args: object) -> HttpResponse:
    """Return the 429 after too many failed sign-ins."""
    return problem(429, "Too many tries", "Signing in is locked for five minutes for this name from this address.")


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    """Return the 403 for a missing or wrong CSRF token."""
    return problem(403, "The page is out of date", "Reload the page and try again; nothing was stored.")


BUDGET_S = 5.0
"""Processor time that one request may take; what is longer runs as long work."""
COMPUTES = {
    "plan", "trial", "order/<unit>", "as-found/<profile>", "simulate", "series", "verify", "symptoms/<id>",
    "library/check", "library/table", "library/registers", "library/take", "library/differences", "library/lacks", "library/try", "library/try-plan",
    "jobs/<id>/run", "jobs/<id>/run.pdf", "jobs/<id>/record", "jobs/<id>/handover.pdf",
    "jobs/<id>/cable", "shared/<token>", "jobs/<id>/sheets/<unit>", "jobs/<id>/sheets/<unit>/pdf",
}  # fmt: skip
"""Operations that answer with what they compute of a document that they are sent, or of a job; nothing is stored."""


def route_of(request: HttpRequest) -> str:
    """Return the route of a request without ``api/`` and the kinds of its parts: ``jobs/<id>``; empty before it is known."""
    match = request.resolver_match
    return re.sub(r"<\w+:", "<", match.route.removeprefix("api/")) if match else ""


class Bounded:
    """Middleware: what is computed for a request stops when its time is spent."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Return the response, computed within the budget; what only computes stops when the client is gone, a save goes on."""
        gone = request.META.get("waitress.client_disconnected", lambda: False)
        with within(BUDGET_S, lambda: gone() and route_of(request) in COMPUTES):
            return self.get_response(request)


class ApiProblems:
    """Middleware: what the framework itself answers under /api/ (405, 400, 500) takes the API's error shape."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Return the response, turned into a problem where it is a bare error page."""
        response = self.get_response(request)
        if response.status_code >= 400 and request.path.startswith("/api/") and "json" not in response.get("Content-Type", ""):
            title = HTTPStatus(response.status_code).phrase
            detail = (
                "A defect of Ewerer's own; nothing was stored."
                if response.status_code >= 500
                else f"{request.method} is not answered here."
            )
            made = problem(response.status_code, title, detail)
            if "Allow" in response:
                made["Allow"] = response["Allow"]
            return made
        return response
