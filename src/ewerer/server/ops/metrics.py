"""Counts and times of requests in the text format that Prometheus reads; told only where EWERER_METRICS=1 says so."""

from __future__ import annotations

import os

from django.http import HttpRequest, HttpResponse
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Counter, Histogram, generate_latest

from ..problems import problem

REGISTRY = CollectorRegistry()
REQUESTS = Counter("ewerer_requests", "Requests answered", ["method", "route", "status"], registry=REGISTRY)
SECONDS = Histogram("ewerer_request_seconds", "Time to answer", buckets=(0.01, 0.03, 0.1, 0.3, 1.0, 3.0, 10.0), registry=REGISTRY)


def count(method: str, route: str, status: int, seconds: float) -> None:
    """Count a request that was answered. ``route`` is a pattern, so that the labels stay few."""
    REQUESTS.labels(method, route, str(status)).inc()
    SECONDS.observe(seconds)


def page(request: HttpRequest) -> HttpResponse:
    """Return the figures, 404 where they are not to be told."""
    if os.environ.get("EWERER_METRICS") != "1":
        return problem(404, "Not found", "There is no such address.")
    return HttpResponse(generate_latest(REGISTRY), content_type=CONTENT_TYPE_LATEST)
