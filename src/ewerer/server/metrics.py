"""Counts and times of requests in the text format that Prometheus reads; told only where EWERER_METRICS=1 says so."""

from __future__ import annotations

import os
import threading
from collections import Counter

from django.http import HttpRequest, HttpResponse

from .problems import problem

BUCKETS_S = (0.01, 0.03, 0.1, 0.3, 1.0, 3.0, 10.0)
_lock = threading.Lock()
_requests: Counter[tuple[str, str, int]] = Counter()
_within: Counter[float] = Counter()
_seconds = 0.0


def count(method: str, route: str, status: int, seconds: float) -> None:
    """Count a request that was answered. ``route`` is a pattern, so that the labels stay few."""
    global _seconds
    with _lock:
        _requests[method, route, status] += 1
        _seconds += seconds
        for bound in BUCKETS_S:
            if seconds <= bound:
                _within[bound] += 1


def _label(text: str) -> str:
    return text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")


def text() -> str:
    """Return all figures, a line each."""
    with _lock:
        total = sum(_requests.values())
        lines = ["# TYPE ewerer_requests_total counter"]
        lines += [
            f'ewerer_requests_total{{method="{_label(m)}",route="{_label(r)}",status="{s}"}} {n}'
            for (m, r, s), n in sorted(_requests.items())
        ]
        lines += ["# TYPE ewerer_request_seconds histogram"]
        lines += [f'ewerer_request_seconds_bucket{{le="{bound:g}"}} {_within[bound]}' for bound in BUCKETS_S]
        lines += [f'ewerer_request_seconds_bucket{{le="+Inf"}} {total}', f"ewerer_request_seconds_sum {_seconds:.6f}"]
        lines += [f"ewerer_request_seconds_count {total}"]
    return "\n".join(lines) + "\n"


def page(request: HttpRequest) -> HttpResponse:
    """Return the figures, 404 where they are not to be told."""
    if os.environ.get("EWERER_METRICS") != "1":
        return problem(404, "Not found", "There is no such address.")
    return HttpResponse(text(), content_type="text/plain; version=0.0.4; charset=utf-8")
