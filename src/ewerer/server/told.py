"""One line of JSON for each request, and an id that stands in every error; never a body, a password or a name typed in.

The lines go to ``logs/ewerer.log`` beside the data, five files of 5 MB in turn.
"""

from __future__ import annotations

import json
import logging
import time
import traceback
import uuid
from collections.abc import Callable
from datetime import UTC, datetime
from io import TextIOWrapper
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import Any

from django.http import HttpRequest, HttpResponse

from .metrics import count

LOG = logging.getLogger("ewerer.requests")


class Kept(RotatingFileHandler):
    """A log file whose folder is made on first use, for its owner only."""

    def _open(self) -> TextIOWrapper:
        Path(self.baseFilename).parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        return super()._open()


class Lines(logging.Formatter):
    """A record as one line of JSON: time, level, message and whatever ``told`` holds."""

    def format(self, record: logging.LogRecord) -> str:
        """Return the line."""
        line: dict[str, Any] = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "what": record.getMessage(),
            **getattr(record, "told", {}),
        }
        if record.exc_info:
            line["trace"] = "".join(traceback.format_exception(*record.exc_info))
        return json.dumps(line, ensure_ascii=False, default=str)


class Told:
    """Middleware: give each request an id, answer with it, and write its line."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Return the response with its ``X-Request-Id``; errors of the API carry the id in their body too."""
        id = uuid.uuid4().hex[:12]
        request.told_id = id  # type: ignore[attr-defined]
        began = time.perf_counter()
        response = self.get_response(request)
        response["X-Request-Id"] = id
        api = request.path.startswith("/api/")
        if api and "Cache-Control" not in response:
            response["Cache-Control"] = "no-store"
        if response.status_code >= 400 and response.get("Content-Type", "").startswith("application/problem+json"):
            _with_id(response, id)
        if api or response.status_code >= 400:
            self._line(request, response, id, time.perf_counter() - began)
        return response

    def process_exception(self, request: HttpRequest, error: Exception) -> None:
        """Write the traceback of what nobody caught, under the request's id."""
        LOG.error("failure", exc_info=error, extra={"told": {"request": getattr(request, "told_id", ""), "path": request.path}})

    def _line(self, request: HttpRequest, response: HttpResponse, id: str, seconds: float) -> None:
        match = getattr(request, "resolver_match", None)
        # Who asked, where the request had to find that out; a line of log is no reason to ask the database.
        user, who = getattr(request, "_cached_user", None), getattr(request, "_person", None)
        route = f"/{match.route}" if match else ""
        count(request.method or "", route, response.status_code, seconds)
        LOG.info(
            "request",
            extra={
                "told": {
                    "request": id,
                    "method": request.method,
                    "route": route or request.path[:120],
                    "status": response.status_code,
                    "ms": round(seconds * 1000, 1),
                    "crew": None if who is None else who.crew.pk,
                    "person": getattr(user, "pk", None),
                    "address": request.META.get("REMOTE_ADDR", ""),
                }
            },
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
