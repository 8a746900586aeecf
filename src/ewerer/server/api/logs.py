"""Logs of a job: received in parts, read, judged against the plan, drawn."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field

from ...core.documents.results.log import LogReport
from ...core.logs.quantities import QUANTITIES
from ...core.trade.budget import allowing
from ..logs import actions
from ..logs.models import Log
from .asking import job_at, note, person
from .record import FILE_BODY, _body
from .shapes import JSON, REFUSALS, Asked

router = Router(tags=["logs"])


class MeasuredLogIn(Asked):
    """A log that is to come: its file's name and size in bytes."""

    name: Annotated[str, Field(min_length=1, max_length=200)]
    size: Annotated[int, Field(ge=1, le=2**40)]


class LogMappingIn(Asked):
    """What the columns hold, by their names in the file; nothing where Ewerer shall propose it."""

    mapping: Annotated[dict[str, str | None], Field(max_length=400)] | None = None


class MeasuredLogOut(Schema):
    """A log of a job."""

    id: uuid.UUID
    name: str
    size: int
    state: str = Field(description="receiving or read")
    part_bytes: int = Field(description="size of each part but the last")
    parts: int = Field(description="parts that have come without a gap")
    rows: int
    mapping: dict[str, str | None]
    again: bool = Field(description="whether the file is still there, so that it can be read by another mapping")
    problem: str
    made_at: datetime
    by: str


class MeasuredLogsOut(Schema):
    """Logs of a job, newest first, and what a column may hold."""

    items: list[MeasuredLogOut]
    quantities: dict[str, str]


class LogSeriesOut(Schema):
    """Lines of a stretch of a log: pairs of seconds and figures by column."""

    from_s: float
    to_s: float
    rows: int
    raw: bool = Field(description="whether every reading is there")
    lines: dict[str, list[list[float | None]]]


def _out(log: Log) -> dict[str, Any]:
    return {
        "id": log.id,
        "name": log.name,
        "size": log.size,
        "state": log.state,
        "part_bytes": actions.PART_BYTES,
        "parts": actions.received(log) if log.state == "receiving" else -(-log.size // actions.PART_BYTES),
        "rows": log.rows,
        "mapping": log.mapping,
        "again": log.parts.filter(columns=False).exists(),
        "problem": log.problem,
        "made_at": log.made_at,
        "by": log.made_by.get_username(),
    }


def _log(request: HttpRequest, id: uuid.UUID, log: uuid.UUID) -> Log:
    return Log.objects.select_related("job__crew", "made_by").get(pk=log, job=job_at(request, id))


@router.get("/jobs/{uuid:id}/logs", response={200: MeasuredLogsOut, **REFUSALS})
def list_logs(request: HttpRequest, id: uuid.UUID) -> dict[str, Any]:
    """List the logs of a job."""
    logs = job_at(request, id).logs.select_related("made_by")
    return {
        "items": [_out(log) for log in logs],
        "quantities": {"time": "Time"}
        | {k: f"{q.word}, {unit}" if (unit := "%" if k == "soc" else q.unit) else q.word for k, q in QUANTITIES.items()},
    }


@router.post("/jobs/{uuid:id}/logs", response={201: MeasuredLogOut, **REFUSALS})
def begin_log(request: HttpRequest, id: uuid.UUID, asked: MeasuredLogIn) -> tuple[int, dict[str, Any]]:
    """Begin to receive a log; the same file begun before goes on where it stopped."""
    return 201, _out(actions.begin(job_at(request, id), asked.name, asked.size, person(request).user))


@router.put("/jobs/{uuid:id}/logs/{uuid:log}/parts/{int:number}", response={204: None, **REFUSALS}, openapi_extra=FILE_BODY)
def add_log_part(request: HttpRequest, id: uuid.UUID, log: uuid.UUID, number: int) -> tuple[int, None]:
    """Add one part of a log's file."""
    actions.add_part(_log(request, id, log), number, _body(request, actions.PART_BYTES))
    return 204, None


@router.post("/jobs/{uuid:id}/logs/{uuid:log}/read", response={200: MeasuredLogOut, **REFUSALS})
def read_log(request: HttpRequest, id: uuid.UUID, log: uuid.UUID, asked: LogMappingIn) -> dict[str, Any]:
    """Read a log that has come whole, by a mapping of its columns or by their words."""
    held = _log(request, id, log)
    with allowing(2 * actions.READ_S):
        made = actions.read(held, asked.mapping)
    note(request, "log read", f"{held.job.name}: {held.name}")
    return _out(made)


@router.get("/jobs/{uuid:id}/logs/{uuid:log}", response={200: LogReport, **REFUSALS}, by_alias=True)
def log_report(request: HttpRequest, id: uuid.UUID, log: uuid.UUID) -> HttpResponse:
    """Return a log judged against the plan as it stands now."""
    with allowing(actions.READ_S):
        return HttpResponse(actions.report(_log(request, id, log)), content_type=JSON)


@router.get("/jobs/{uuid:id}/logs/{uuid:log}/series", response={200: LogSeriesOut, **REFUSALS})
def log_series(
    request: HttpRequest,
    id: uuid.UUID,
    log: uuid.UUID,
    columns: Annotated[str, Field(max_length=400)] = "volts",
    from_s: Annotated[float, Field(ge=0, le=1e10)] = 0.0,
    to_s: Annotated[float, Field(ge=0, le=1e10)] = 1e10,
    most: Annotated[int, Field(ge=3, le=4000)] = 800,
) -> HttpResponse:
    """Return the lines of a stretch of a log, thinned to what can be drawn; every reading where there are few."""
    made = actions.series(_log(request, id, log), [c for c in columns.split(",") if c], from_s, to_s, most)
    return HttpResponse(made, content_type=JSON)


@router.delete("/jobs/{uuid:id}/logs/{uuid:log}", response={204: None, **REFUSALS})
def drop_log(request: HttpRequest, id: uuid.UUID, log: uuid.UUID) -> tuple[int, None]:
    """Delete a log."""
    held = _log(request, id, log)
    actions.drop(held)
    note(request, "log deleted", f"{held.job.name}: {held.name}")
    return 204, None
