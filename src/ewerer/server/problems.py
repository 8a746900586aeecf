"""One shape for every error: RFC 7807 problem+json."""

from __future__ import annotations

import json
from typing import Any

from django.http import HttpRequest, HttpResponse

from ..core.documents import DocumentError


def problem(status: int, title: str, detail: str = "", **more: Any) -> HttpResponse:
    """Return a problem+json response."""
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail, **more}
    return HttpResponse(json.dumps(body, default=str), status=status, content_type="application/problem+json")


def refused(error: DocumentError) -> HttpResponse:
    """Return the 422 for a refused document, with every problem and its JSON pointer."""
    first = str(error.problems[0]) if error.problems else ""
    return problem(422, "The document was refused", first, problems=[p.model_dump(mode="json") for p in error.problems])


def locked_out(request: HttpRequest, response: object = None, credentials: object = None, *args: object) -> HttpResponse:
    """Return the 429 after too many failed sign-ins."""
    return problem(429, "Too many tries", "Signing in is locked for five minutes for this name from this address.")


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    """Return the 403 for a missing or wrong CSRF token."""
    return problem(403, "The page is out of date", "Reload the page and try again; nothing was stored.")
