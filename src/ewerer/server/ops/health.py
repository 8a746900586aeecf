"""Whether the server lives, and whether it is ready to keep what people do."""

from __future__ import annotations

import shutil

from django.db import DatabaseError, connection, transaction
from django.http import HttpRequest, JsonResponse

from ... import __version__
from ..settings.base import DATA_DIR
from .limits import WAIT_S

LEAST_FREE_BYTES = 200_000_000
"""Free space of the data's disk below which the server is not ready [T]."""
MOST_WAIT_S = 1.0
"""Longest that a request may wait for its turn while the server is ready [s]."""


def alive(request: HttpRequest) -> JsonResponse:
    """Answer that the process lives."""
    return JsonResponse({"status": "ok", "version": __version__})


def ready(request: HttpRequest) -> JsonResponse:
    """Answer 200 where the database takes a write, the disk has room and no request waits long, else 503 with what does not."""
    found: dict[str, str] = {}
    try:
        with transaction.atomic(), connection.cursor() as cursor:  # takes the write lock at its begin
            cursor.execute("SELECT COUNT(*) FROM django_migrations")
        found["database"] = "ok"
    except DatabaseError:
        found["database"] = "takes no write"
    free = shutil.disk_usage(DATA_DIR if DATA_DIR.exists() else DATA_DIR.parent).free
    found["disk"] = "ok" if free >= LEAST_FREE_BYTES else f"{free // 1_000_000} MB free"
    wait_s = request.META.get(WAIT_S, 0.0)
    found["requests"] = "ok" if wait_s <= MOST_WAIT_S else f"one waits for {wait_s:.1f} s"
    good = set(found.values()) == {"ok"}
    return JsonResponse({"status": "ok" if good else "not ready", "version": __version__, **found}, status=200 if good else 503)
