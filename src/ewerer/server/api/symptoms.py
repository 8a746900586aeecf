"""The fault finder."""

from __future__ import annotations

import json
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field

from ...core import tasks
from ...core.symptoms.finder import Diagnosis, diagnose, knowledge
from ...core.trade.finding import Finding
from ..jobs.planned import planned
from .asking import library_of
from .bodies import JobBody
from .shapes import REFUSALS, Asked, Page, PageQuery, paged, ready

router = Router(tags=["symptoms"])


class SymptomLine(Schema):
    """A symptom by its id and words."""

    id: str
    word: str


class Inquiry(Asked):
    """Answers by test id (number of the outcome), and the job whose plan is evidence."""

    answers: Annotated[dict[str, int], Field(max_length=200)] = {}
    document: JobBody | None = None


@router.get("", response={200: Page[SymptomLine], **REFUSALS})
def list_symptoms(request: HttpRequest, page: PageQuery) -> dict[str, Any]:
    """List what a person may see go wrong."""
    return paged(knowledge().symptoms, page, lambda s: {"id": s.id, "word": s.word})


@router.post("/{id}", response={200: Diagnosis, **REFUSALS})
def diagnose_symptom(request: HttpRequest, id: str, asked: Inquiry) -> HttpResponse:
    """Rank the causes of a symptom after the answers given so far; a job's own plan counts as evidence."""
    document = asked.document
    told = (
        [] if document is None else json.loads(planned(tasks.inputs_of(document, library_of(request, document))).json)["findings"]
    )
    return ready(diagnose(id, asked.answers, [Finding.model_validate(f) for f in told]))
