"""Shapes that several resources share: problems, pages of lists, downloads."""

from __future__ import annotations

import gzip
import json
import re
import unicodedata
from collections.abc import Callable, Sequence
from datetime import datetime
from typing import Annotated, Any, Generic, TypeVar
from urllib.parse import quote

from django.db.models import Model, QuerySet
from django.http import HttpRequest, HttpResponse
from ninja import Query, Schema
from pydantic import BaseModel, ConfigDict, Field

from ...core.documents.results.base import PlanPart
from ...core.trade.errors import Problem

JSON = "application/json"
T = TypeVar("T")
M = TypeVar("M", bound=Model)


class ProblemDetails(Schema):
    """RFC 7807 problem details."""

    type: str
    title: str
    status: int
    detail: str
    problems: list[Problem] = []


REFUSALS = {401: ProblemDetails, 403: ProblemDetails, 404: ProblemDetails, 422: ProblemDetails}


class Asked(BaseModel):
    """Base of bodies: unknown keys are refused."""

    model_config = ConfigDict(extra="forbid")


class Page(Schema, Generic[T]):
    """A page of a list: some of its items, where they begin, and how many there are in all."""

    items: list[T]
    total: int = Field(description="items in the whole list")
    limit: int = Field(description="most items of a page")
    offset: int = Field(description="items before this page")


class PageIn(Schema):
    """Which page of a list is wanted."""

    limit: Annotated[int, Field(ge=1, le=500, description="most items of a page")] = 40
    offset: Annotated[int, Field(ge=0, le=1_000_000, description="items before the page")] = 0


PageQuery = Query[PageIn]


def paged(
    rows: QuerySet[M] | Sequence[M] | Sequence[Any], page: PageIn, shape: Callable[[Any], Any] = lambda row: row
) -> dict[str, Any]:
    """Return a page of rows, each in its shape."""
    total = rows.count() if isinstance(rows, QuerySet) else len(rows)
    part = rows[page.offset : page.offset + page.limit]
    return {"items": [shape(r) for r in part], "total": total, "limit": page.limit, "offset": page.offset}


def ready(made: PlanPart) -> HttpResponse:
    """Return a result as the ready-made JSON of its own model; large answers need no second validation."""
    return HttpResponse(made.model_dump_json(by_alias=True), content_type=JSON)


def packed(request: HttpRequest, made: bytes) -> HttpResponse:
    """Return a result that was compressed (gzip) where it was made: so where the client reads that, else as plain JSON."""
    if "gzip" not in request.headers.get("Accept-Encoding", ""):
        return HttpResponse(gzip.decompress(made), content_type=JSON)
    return HttpResponse(made, content_type=JSON, headers={"Content-Encoding": "gzip", "Vary": "Accept-Encoding"})


def as_json(data: Any) -> HttpResponse:
    """Return plain data as JSON; times as ISO 8601, ids as text."""
    return HttpResponse(json.dumps(data, default=lambda v: v.isoformat() if isinstance(v, datetime) else str(v)), content_type=JSON)


def file_name(name: str, instead: str = "ewerer") -> str:
    """Return a name with nothing in it that a file name may not have, letters of every script kept; ``instead`` where nothing is left.

    >>> file_name("Mühle am Bach / 2"), file_name("..")
    ('Mühle-am-Bach-2', 'ewerer')
    """
    kept = "".join(c if c.isalnum() or c in "._-" else "-" for c in unicodedata.normalize("NFC", name))
    return re.sub(r"-{2,}", "-", kept).strip("-.")[:150] or instead


def attachment(data: bytes, name: str, kind: str) -> HttpResponse:
    """Return a file to download under ``name``; a name beyond ASCII goes as UTF-8 (RFC 6266), with a plain one for old readers."""
    kept = file_name(name)
    plain = re.sub(r"[^A-Za-z0-9._-]+", "-", kept).strip("-")
    if not plain or plain.startswith("."):  # nothing of the name is left but its ending
        plain = f"ewerer{plain}"
    beside = "" if kept.isascii() else f"; filename*=UTF-8''{quote(kept, safe='')}"
    held = {"Content-Disposition": f'attachment; filename="{plain}"{beside}'}
    return HttpResponse(data, content_type=kind, headers=held)


def file_answer(*kinds: str) -> dict[str, Any]:
    """Return what an operation that answers with a file says of itself in the OpenAPI document."""
    content = {kind: {"schema": {"type": "string", "format": "binary"}} for kind in kinds}
    return {"responses": {200: {"description": "The file", "content": content}}}
