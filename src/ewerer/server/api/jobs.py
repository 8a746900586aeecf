"""Jobs: their documents, revisions, and the file of each."""

from __future__ import annotations

import io
import json
import uuid
import zipfile
from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Schema
from pydantic import Field

from ...core.documents.compare import Difference, differences
from ...core.documents.job import Job as JobDocument
from ...core.documents.parse import parse_document
from ...core.record.imports import as_now
from ..jobs import actions, keeping
from ..jobs.models import Job, Revision
from ..problems import problem
from ..record import actions as record
from .asking import crew_of, job_at, job_of, library_of, note, person
from .bodies import JobBody
from .shapes import JSON, REFUSALS, Asked, Page, PageQuery, ProblemDetails, as_json, attachment, file_answer, file_name, paged

router = Router(tags=["jobs"], by_alias=True)


class RunCounts(Schema):
    """How far the work on site is: steps by what became of them, and whether the visit is signed."""

    done: int = 0
    failed: int = 0
    overridden: int = 0
    open: int = 0
    stands: str = ""


class Summary(Schema):
    """What the list of jobs shows: counts of findings, what it waits for, key figures by stage, the run."""

    run: RunCounts = RunCounts()

    stop: int = 0
    caution: int = 0
    note: int = 0
    waits_for: str = ""
    waits_stage: str = ""
    keys: dict[str, str] = {}


class Saved(Schema):
    """The revision that now holds the document."""

    revision: int
    saved_at: datetime
    saved_by: str

    @staticmethod
    def resolve_saved_by(job: Any) -> str:
        """Return the name of who saved it."""
        return job["saved_by"] if isinstance(job, dict) else str(job.saved_by)


class JobLine(Saved):
    """A job in the list."""

    id: uuid.UUID
    name: str
    put_away: bool
    delete_after: datetime | None = Field(default=None, description="when it goes for good")
    planned: bool = Field(description="whether the summary is of the latest revision; else it is behind")
    summary: Summary

    @staticmethod
    def resolve_planned(job: Job) -> bool:
        """Return whether nothing of the summary is due."""
        return not job.summary_due


class JobOut(Schema):
    """A job with its latest document."""

    id: uuid.UUID
    revision: int
    saved_at: datetime
    saved_by: str
    put_away: bool
    document: JobDocument


class SaveIn(Asked):
    """A save: the revision it was made from, and the whole document."""

    base_revision: int
    document: JobBody


class Stale(ProblemDetails):
    """A save that came too late: both versions, so that nothing is lost."""

    current_revision: int
    saved_by: str
    saved_at: datetime
    yours: JobDocument
    theirs: JobDocument


class RevisionLine(Schema):
    """A revision in the history of a job."""

    number: int
    saved_at: datetime
    saved_by: str
    changes: list[dict[str, Any]] = Field(description="the first of what changed, as an RFC 6902 patch; long values are cut")
    more: int = Field(description="changes beyond those")


class RestoreIn(Asked):
    """The revision that was the latest when it was asked for."""

    base_revision: int


def job_out(job: Job, latest: Revision) -> dict[str, Any]:
    """Return a job with its latest document."""
    told = {"id": job.id, "revision": job.revision, "saved_at": job.saved_at, "saved_by": str(job.saved_by)}
    return {**told, "put_away": job.put_away, "document": as_now(latest.document)}


def _file_of(job: Job) -> bytes:
    return (json.dumps(record.sight_of(job).document.to_data(), indent=2, ensure_ascii=False) + "\n").encode()


State = Literal["stop", "caution", "clear"]
Sort = Literal["saved", "name", "state"]
MOST_TOGETHER, MOST_CHANGES = 500, 12
NOTHING: keeping.Envelope = {"document": {}, "series": {}}


@router.get("", response={200: Page[JobLine], **REFUSALS})
def list_jobs(
    request: HttpRequest,
    page: PageQuery,
    put_away: bool = False,
    words: Annotated[str, Query(max_length=200)] = "",
    state: State | None = None,
    stage: Annotated[str, Query(max_length=40)] = "",
    sort: Sort = "saved",
) -> dict[str, Any]:
    """List the crew's jobs: newest first, by name or by state; those with every word in name, what it waits for or who saved it."""
    crew = crew_of(request)
    jobs = Job.objects.filter(crew=crew, put_away=put_away).select_related("saved_by")
    return paged(actions.narrowed(jobs, words, state, stage, sort), page)


class TogetherIn(Asked):
    """Several jobs, and what is done with them."""

    ids: Annotated[list[uuid.UUID], Field(min_length=1, max_length=MOST_TOGETHER)]
    act: Literal["put-away", "take-out", "copy"]


class TogetherOut(Schema):
    """How many jobs it was done with."""

    count: int


@router.post("/together", response={200: TogetherOut, **REFUSALS})
def with_several(request: HttpRequest, asked: TogetherIn) -> dict[str, int]:
    """Archive, restore or copy several jobs of the crew; those of other crews are not seen."""
    who = person(request)
    if asked.act == "copy":
        ids = Job.objects.filter(crew=who.crew, pk__in=asked.ids).values_list("pk", flat=True)
        return {"count": len([actions.copy(id, who.crew, who.user) for id in ids])}
    return {"count": actions.put_away_all(asked.ids, who.crew, asked.act == "put-away")}


@router.get("/files", response={**REFUSALS}, openapi_extra=file_answer("application/zip"))
def export_several(
    request: HttpRequest, ids: Annotated[list[uuid.UUID], Query(min_length=1, max_length=MOST_TOGETHER)]
) -> HttpResponse:
    """Return the job files of several jobs of the crew in one ZIP archive."""
    note(request, "export", f"{len(ids)} jobs")
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        taken: set[str] = set()
        for job in Job.objects.filter(crew=crew_of(request), pk__in=ids).order_by("name", "pk"):
            stem = file_name(job.name, "job")
            name = stem if stem not in taken else f"{stem}-{str(job.pk)[:8]}"
            taken.add(name)
            archive.writestr(f"{name}.json", _file_of(job))
    return attachment(held.getvalue(), "ewerer-jobs.zip", "application/zip")


@router.post("", response={201: JobLine, **REFUSALS})
def create_job(request: HttpRequest, document: JobBody) -> tuple[int, Job]:
    """Create or import a job from a job document."""
    library_of(request, document)
    who = person(request)
    return 201, record.create(who.crew, document, who.user)


@router.get("/{uuid:id}", response={200: JobOut, **REFUSALS})
def read_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Return a job with its latest document."""
    return as_json(job_out(*job_of(request, id)))


@router.put("/{uuid:id}", response={200: Saved, 409: Stale, **REFUSALS})
def save_job(request: HttpRequest, id: uuid.UUID, save: SaveIn) -> Any:
    """Save a document on top of a revision. A stale save gets 409 with both versions; nothing is lost."""
    return _save(request, id, save.document, save.base_revision)


def _save(request: HttpRequest, id: uuid.UUID, document: JobDocument, base_revision: int) -> Any:
    library = library_of(request, document)
    who = person(request)
    try:
        return record.save(id, who.crew, document, base_revision, who.user, library)
    except actions.StaleSave as stale:
        by = stale.latest.saved_by.get_username()
        return problem(
            409,
            "Someone saved in between",
            f"{by} saved revision {stale.latest.number} after you opened revision {base_revision}.",
            current_revision=stale.latest.number,
            saved_by=by,
            saved_at=stale.latest.saved_at,
            yours=as_now(document.to_data()),
            theirs=as_now(stale.latest.document),
        )


@router.delete("/{uuid:id}", response={200: JobLine, **REFUSALS})
def put_away_job(request: HttpRequest, id: uuid.UUID) -> Job:
    """Put a job away. Nothing is deleted."""
    job = actions.put_away(id, crew_of(request), True)
    note(request, "job archived", job.name)
    return job


@router.post("/{uuid:id}/delete-for-good", response={200: JobLine, **REFUSALS})
def delete_job_later(request: HttpRequest, id: uuid.UUID) -> Job:
    """Mark an archived job to be deleted for good in 30 days, with all that was recorded. Until then it can be restored."""
    job = actions.delete_later(id, crew_of(request))
    note(request, "delete for good", job.name)
    return job


@router.post("/{uuid:id}/take-out", response={200: JobLine, **REFUSALS})
def take_out_job(request: HttpRequest, id: uuid.UUID) -> Job:
    """Take a job out again."""
    return actions.put_away(id, crew_of(request), False)


@router.post("/{uuid:id}/copy", response={201: JobLine, **REFUSALS})
def copy_job(request: HttpRequest, id: uuid.UUID) -> tuple[int, Job]:
    """Copy a job's latest document to a new job, without the marks of work done."""
    who = person(request)
    return 201, actions.copy(id, who.crew, who.user)


@router.get("/{uuid:id}/revisions", response={200: Page[RevisionLine], **REFUSALS})
def list_revisions(request: HttpRequest, id: uuid.UUID, page: PageQuery) -> dict[str, Any]:
    """List who saved what and when, newest first."""
    job = job_at(request, id)

    def line(r: Revision) -> dict[str, Any]:
        before = Revision.objects.filter(job=job, number__lt=r.number).first()
        changes = keeping.changes_between(before.envelope if before else NOTHING, r.envelope)
        shown = {"changes": changes[:MOST_CHANGES], "more": max(0, len(changes) - MOST_CHANGES)}
        return {"number": r.number, "saved_at": r.saved_at, "saved_by": r.saved_by.get_username(), **shown}

    return paged(job.revisions.select_related("saved_by"), page, line)


@router.get("/{uuid:id}/revisions/{int:number}", response={200: JobDocument, **REFUSALS})
def read_revision(request: HttpRequest, id: uuid.UUID, number: int) -> HttpResponse:
    """Return the document of one revision."""
    job = job_at(request, id)
    return as_json(as_now(job.revisions.get(number=number).document))


@router.get("/{uuid:id}/revisions/{int:number}/against/{int:other}", response={200: Page[Difference], **REFUSALS})
def compare_revisions(request: HttpRequest, id: uuid.UUID, number: int, other: int, page: PageQuery) -> dict[str, Any]:
    """Compare a revision with another: every field that differs, with label, unit, and both figures in words."""
    job = job_at(request, id)
    before, after = (as_now(job.revisions.get(number=n).document) for n in (number, other))
    return paged(differences(before, after), page)


@router.post("/{uuid:id}/revisions/{int:number}/restore", response={200: Saved, 409: Stale, **REFUSALS})
def restore_revision(request: HttpRequest, id: uuid.UUID, number: int, asked: RestoreIn) -> Any:
    """Store an earlier revision's document as a new revision; what was saved since stays in the history."""
    document = parse_document(JobDocument, as_now(job_at(request, id).revisions.get(number=number).document))
    return _save(request, id, document, asked.base_revision)


@router.get("/{uuid:id}/export", response={200: JobDocument, **REFUSALS})
def export_job(request: HttpRequest, id: uuid.UUID) -> HttpResponse:
    """Download the job file, with what its events say of the devices laid over it, so that whoever reads it has that too."""
    job = job_at(request, id)
    note(request, "export", job.name)
    return attachment(_file_of(job), f"{job.name}.json", JSON)
