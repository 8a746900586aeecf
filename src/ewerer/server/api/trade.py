"""What the trade knows, for the screens: stages, fields, rules, quantities, protocols, schemas."""

from __future__ import annotations

from dataclasses import asdict
from functools import cache
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router, Schema

from ...core.devices.wire.protocols import FAMILIES
from ...core.documents.fields import fields
from ...core.documents.job import Chemistry, Job as JobDocument
from ...core.documents.parse import bounds_at
from ...core.documents.schema import KINDS, schema
from ...core.trade.chemistries import CHEMISTRIES
from ...core.trade.quantities import QUANTITIES, Quantity
from ...core.trade.rules import STATUS_WORDS, load_all
from ...core.trade.stages import ALL, Stage
from .shapes import REFUSALS, Page, PageQuery, attachment, file_answer, paged

router = Router(tags=["trade"], by_alias=True)


class ChoiceOut(Schema):
    """A choice as stored and in words."""

    value: str | int
    word: str


class FieldOut(Schema):
    """The words of one field of the job document; ``*`` in its pointer stands for an index or an id."""

    pointer: str
    label: str
    stage: str
    unit: str
    scale: float
    choices: list[ChoiceOut]
    default: str | int
    low: float | None = None
    high: float | None = None
    whole: bool = False


class RuleOut(Schema):
    """A rule of the trade."""

    id: str
    stage: str
    statement: str
    formula: str
    source: str
    status: str
    status_words: str


class ProtocolLine(Schema):
    """A protocol family."""

    name: str
    word: str
    layer: str
    open: bool
    carries: str
    dbc: bool


@cache
def field_lines() -> list[dict[str, Any]]:
    """Return the fields of the job document with their words and bounds."""

    def line(f: Any) -> dict[str, Any]:
        low, high, whole = bounds_at(JobDocument, f.pointer)
        choices = [{"value": v, "word": w} for v, w in f.choices]
        return {**asdict(f), "choices": choices, "low": low, "high": high, "whole": whole}

    return [line(f) for f in fields().values()]


@router.get("/stages", response={200: Page[Stage], **REFUSALS})
def list_stages(request: HttpRequest, page: PageQuery) -> dict[str, Any]:
    """List the stages in the order of the work."""
    return paged(ALL, page)


@router.get("/fields", response={200: Page[FieldOut], **REFUSALS})
def list_fields(request: HttpRequest, page: PageQuery) -> dict[str, Any]:
    """List the fields of the job document with their words."""
    return paged(field_lines(), page, dict)


@router.get("/rules", response={200: Page[RuleOut], **REFUSALS})
def list_rules(request: HttpRequest, page: PageQuery, chemistry: Chemistry = "lfp") -> dict[str, Any]:
    """List every rule of the trade that plans rest on, with the figures that hold for a chemistry."""
    return paged(
        list(load_all().values()), page, lambda r: {**r.told(CHEMISTRIES[chemistry]), "status_words": STATUS_WORDS[r.status]}
    )


@router.get("/quantities", response={200: Page[Quantity], **REFUSALS})
def list_quantities(request: HttpRequest, page: PageQuery) -> dict[str, Any]:
    """List the canonical quantities."""
    return paged(list(QUANTITIES.values()), page, asdict)


@router.get("/protocols", response={200: Page[ProtocolLine], **REFUSALS})
def list_protocols(request: HttpRequest, page: PageQuery) -> dict[str, Any]:
    """List the protocol families, invented and open."""
    return paged(list(FAMILIES.values()), page, lambda f: {**asdict(f), "dbc": f.dbc is not None})


@router.get("/protocols/{name}/dbc", response={200: None, **REFUSALS}, openapi_extra=file_answer("text/plain"))
def dbc_of_protocol(request: HttpRequest, name: str) -> HttpResponse:
    """Download the DBC file of a CAN protocol."""
    text = FAMILIES[name].dbc_text() if name in FAMILIES else None
    if text is None:
        raise Http404
    return attachment(text.encode(), f"{name}.dbc", "text/plain; charset=utf-8")


@router.get("/schema/{kind}", response={200: dict[str, Any], **REFUSALS})
def read_schema(request: HttpRequest, kind: str) -> dict[str, Any]:
    """Return the JSON Schema of job, profile or plan."""
    if kind not in KINDS:
        raise Http404
    return schema(kind)
