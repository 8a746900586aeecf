"""All that a page needs to open a job, in one answer: on a slow device every question costs more than what it brings."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime
from functools import cache
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field, TypeAdapter

from ...core import tasks
from ...core.documents.job import Job as JobDocument
from ...core.documents.parse import parse_document
from ...core.documents.results.plan import Plan
from ...core.trade.budget import DeadlineExceeded, within
from ...core.trade.errors import DocumentError
from ...core.trade.stages import ALL, Stage
from ..jobs.models import Job
from ..jobs.planned import planned
from ..record.actions import bring_up, last_event
from .asking import job_of, stored
from .jobs import JobOut, job_out
from .session import SessionOut, session_out
from .shapes import JSON, REFUSALS, as_json
from .trade import FieldOut, field_lines

router = Router(tags=["jobs"], by_alias=True)
PLAN_S = 2.0
"""Processor time for the plan here; one that takes longer is asked for by itself, while the page is open already."""


class Opening(Schema):
    """Who is signed in, the words of the screens, the job, and its plan as the record stands."""

    session: SessionOut
    stages: list[Stage]
    fields: list[FieldOut]
    job: JobOut
    plan: Plan | None = Field(description="nothing where the document is refused now, or planning takes long")
    events: int = Field(description="the place of the latest event that the plan knows")
    at: datetime


@cache
def _words() -> str:
    stages = TypeAdapter(list[Stage]).dump_json(list(ALL))
    fields = TypeAdapter(list[FieldOut]).dump_json(TypeAdapter(list[FieldOut]).validate_python(field_lines()))
    return f'"stages":{stages.decode()},"fields":{fields.decode()}'


def _plan(request: HttpRequest, job: Job, document: Any) -> str:
    try:
        with within(PLAN_S):
            made = planned(tasks.inputs_of(*stored(request, job, parse_document(JobDocument, document)))).json
            bring_up(job)
            return made
    except (DocumentError, DeadlineExceeded):
        return "null"


@router.get("/jobs/{uuid:id}/opening", response={200: Opening, **REFUSALS})
def open_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Return all that a page needs to open a job."""
    job, latest = job_of(request, id)
    session = SessionOut.model_validate(session_out(request)).model_dump_json()
    last = last_event(job.pk)
    told = job_out(job, latest)
    made = _plan(request, job, told["document"])
    at = datetime.now(UTC).isoformat()
    parts = f'"job":{as_json(told).content.decode()},"plan":{made},"events":{last},"at":"{at}"'
    return HttpResponse(f'{{"session":{session},{_words()},{parts}}}', content_type=JSON)
