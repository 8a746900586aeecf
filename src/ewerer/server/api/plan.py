"""The plan of a job: as JSON, and the pages and files made of it."""

from __future__ import annotations

import uuid
from typing import Any, Literal

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router, Schema

from ...core import tasks
from ...core.documents.results.order import UnitOrder
from ...core.documents.results.plan import Plan
from ...core.documents.results.tried import TrialResult
from ...core.pages.calendar import calendar
from ...core.trade.errors import Problem
from ..jobs.planned import planned
from ..profiles.actions import library_for
from ..work import pool
from .asking import crew_of, job_at, library_of, stored
from .bodies import JobBody
from .shapes import JSON, REFUSALS, attachment, file_answer, packed

router = Router(tags=["plan"], by_alias=True)
XLSX, PDF, ICS = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "application/pdf", "text/calendar"
CSV = "text/csv"
SHEET_TYPES = {"json": JSON, "csv": f"{CSV}; charset=utf-8", "xlsx": XLSX}
Paper = Literal["A4", "Letter"]


class FoundOut(Schema):
    """Found settings that could be read, by id, and the lines that could not."""

    values: dict[str, str]
    problems: list[Problem]


@router.get("/jobs/{uuid:id}/plan", response={200: Plan, **REFUSALS})
def plan_of_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Return the plan of the saved job."""
    job = job_at(request, id)
    return packed(request, planned(tasks.inputs_of(*stored(request, job))).packed)


@router.post("/plan", response={200: Plan, **REFUSALS})
def plan_of_document(request: HttpRequest, document: JobBody) -> HttpResponse:
    """Return the plan of an unsaved document; nothing is stored."""
    return packed(request, planned(tasks.inputs_of(document, library_of(request, document))).packed)


@router.get("/jobs/{uuid:id}/sheets/{unit}", response={200: None, **REFUSALS}, openapi_extra=file_answer(JSON, CSV, XLSX))
def sheet_of_unit(request: HttpRequest, id: uuid.UUID, unit: str, format: Literal["json", "csv", "xlsx"] = "csv") -> HttpResponse:
    """Download one unit's sheet as json, csv or xlsx."""
    job = job_at(request, id)
    of = tasks.inputs_of(*stored(request, job))
    made = pool.run(tasks.sheet_file, of, unit, format)
    return attachment(made, f"{job.name} {unit}.{format}", SHEET_TYPES[format])


@router.get("/jobs/{uuid:id}/sheets/{unit}/pdf", response={200: None, **REFUSALS}, openapi_extra=file_answer(PDF))
def sheet_pdf(request: HttpRequest, id: uuid.UUID, unit: str, paper: Paper = "A4") -> HttpResponse:
    """Download one unit's working list as PDF with boxes to tick and to write in."""
    job = job_at(request, id)
    of = tasks.inputs_of(*stored(request, job))
    return attachment(pool.run(tasks.sheet_pdf, of, unit, paper), f"{job.name} {unit}.pdf", PDF)


@router.get("/jobs/{uuid:id}/cable", response={200: None, **REFUSALS}, openapi_extra=file_answer(PDF))
def cable_of_job(request: HttpRequest, id: uuid.UUID, paper: Paper = "A4") -> HttpResponse:
    """Download the cable card with its address plan as one PDF page."""
    job = job_at(request, id)
    of = tasks.inputs_of(*stored(request, job))
    return attachment(pool.run(tasks.cable_pdf, of, paper), f"{job.name} cable.pdf", PDF)


@router.get("/jobs/{uuid:id}/windows.ics", response={200: None, **REFUSALS}, openapi_extra=file_answer(ICS))
def calendar_of_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Download the windows as iCalendar."""
    job = job_at(request, id)
    document, _ = stored(request, job)
    return attachment(calendar(document), f"{job.name} windows.ics", f"{ICS}; charset=utf-8")


@router.post("/order/{unit}", response={200: UnitOrder, **REFUSALS})
def order_of_unit(request: HttpRequest, unit: str, document: JobBody) -> HttpResponse:
    """Return the working list of one unit of an unsaved document: from as found to as planned."""
    of = tasks.inputs_of(document, library_of(request, document))
    return HttpResponse(pool.run(tasks.order_of, of, unit), content_type=JSON)


@router.post("/trial", response={200: TrialResult, **REFUSALS})
def trial_of_document(request: HttpRequest, document: JobBody, as_found: bool = False) -> HttpResponse:
    """Return what the units of an unsaved document do by their entries in every situation that matters."""
    of = tasks.inputs_of(document, library_of(request, document))
    return HttpResponse(pool.run(tasks.trial_of, of, as_found), content_type=JSON)


_TEXT_BODY = {"requestBody": {"required": True, "content": {"text/plain": {"schema": {"type": "string"}}}}}


@router.post("/as-found/{profile}", response={200: FoundOut, **REFUSALS}, openapi_extra=_TEXT_BODY)
def read_as_found(request: HttpRequest, profile: str) -> dict[str, Any]:
    """Read a list of found settings (CSV, JSON or pasted lines); nothing is stored."""
    held = library_for(crew_of(request)).menu(profile)
    if held is None:
        raise Http404
    values, problems = pool.run(tasks.found_read, held.model_dump_json(by_alias=True, exclude_unset=True), request.body)
    return {"values": values, "problems": problems}
