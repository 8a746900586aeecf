"""Read-only links to one job that end by themselves, and what was printed of its sheets."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Annotated, Any

from django.http import Http404, HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router, Schema
from pydantic import Field

from ...core import tasks
from ..jobs import sharing
from ..jobs.models import PrintedSheet, SharedLink
from ..record.actions import sight_of
from ..work import pool
from .asking import job_at, note, person
from .shapes import REFUSALS, Asked, Page, PageQuery, file_answer, paged

router = Router(tags=["sharing"])
HTML = "text/html"
PAGE_ALONE = "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'"
"""What the page may load: nothing but its own style."""


class LinkIn(Asked):
    """How long a link leads to a job, and for whom."""

    days: Annotated[int, Field(ge=1, le=90, description="days until it ends")] = 7
    note: Annotated[str, Field(max_length=120)] = ""


class LinkOut(Schema):
    """A link to a job; its path is told only when it is made."""

    id: int
    note: str
    until: datetime
    made_at: datetime
    made_by: str = Field(alias="made_by.username")
    path: str | None = Field(default=None, description="where it leads; only in the answer that makes it")


class PrintedIn(Asked):
    """What stood on a sheet when it was printed: what each setting was to show, by the setting's id."""

    entries: Annotated[dict[Annotated[str, Field(max_length=60)], Annotated[str, Field(max_length=80)]], Field(max_length=400)]


class PrintedOut(Schema):
    """What stood on the sheet of a device when it was last printed."""

    device: str
    revision: int
    entries: dict[str, str]
    at: datetime
    by: str = Field(alias="by.username")


@router.get("/jobs/{uuid:id}/links", response={200: Page[LinkOut], **REFUSALS})
def list_links(request: HttpRequest, id: uuid.UUID, page: PageQuery) -> dict[str, Any]:
    """List the links to a job, newest first; those that ended are not told."""
    return paged(job_at(request, id).links.filter(until__gt=timezone.now()).select_related("made_by"), page)


@router.post("/jobs/{uuid:id}/links", response={201: LinkOut, **REFUSALS})
def make_link(request: HttpRequest, id: uuid.UUID, asked: LinkIn) -> tuple[int, SharedLink]:
    """Make a link by which anybody reads the job's pages for some days, without signing in."""
    job = job_at(request, id)
    made, token = sharing.share(job, asked.days, asked.note, person(request).user)
    note(request, "link to a job", f"{job.name}, {asked.days} d{': ' if asked.note else ''}{asked.note}")
    made.path = f"/api/shared/{token}"  # type: ignore[attr-defined]  # told only now
    return 201, made


@router.delete("/jobs/{uuid:id}/links/{int:link}", response={204: None, **REFUSALS})
def end_link(request: HttpRequest, id: uuid.UUID, link: int) -> tuple[int, None]:
    """End a link; it leads nowhere then."""
    job = job_at(request, id)
    sharing.end_link(job, link)
    note(request, "link ended", job.name)
    return 204, None


@router.get(
    "/shared/{token}", auth=None, response={200: None, 404: REFUSALS[404], 422: REFUSALS[422]}, openapi_extra=file_answer(HTML)
)
def shared_pages(request: HttpRequest, token: str) -> HttpResponse:
    """Return the pages of a job by its link: answers, findings and sheets as they stand now, to read in any browser."""
    link = sharing.link_of(token)
    if link is None:
        raise Http404
    until = f"{link.until:%Y-%m-%d %H:%M} UTC"
    made = pool.run(tasks.shared_pages, sight_of(link.job).inputs, link.job.crew.name, link.job.revision, until)
    held = {
        "Cache-Control": "private, no-store",
        "Referrer-Policy": "no-referrer",
        "X-Robots-Tag": "noindex",
        "Content-Security-Policy": PAGE_ALONE,
    }
    return HttpResponse(made, content_type=f"{HTML}; charset=utf-8", headers=held)


@router.get("/jobs/{uuid:id}/printed", response={200: Page[PrintedOut], **REFUSALS})
def list_printed(request: HttpRequest, id: uuid.UUID, page: PageQuery) -> dict[str, Any]:
    """List what stood on each device's sheet when it was last printed."""
    return paged(job_at(request, id).printed.select_related("by").order_by("device"), page)


@router.put("/jobs/{uuid:id}/printed/{device}", response={200: PrintedOut, **REFUSALS})
def note_printed(
    request: HttpRequest, id: uuid.UUID, device: Annotated[str, Field(max_length=40)], asked: PrintedIn
) -> PrintedSheet:
    """Remember what stands on a device's sheet, since it is printed now."""
    return sharing.printed(job_at(request, id), device, asked.entries, person(request).user)
