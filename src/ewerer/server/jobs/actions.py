"""What can be done with jobs. Each action checks, then writes in one transaction."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Sequence
from typing import Any

import jsonpatch
from django.contrib.auth.models import User
from django.db.models import Q, QuerySet
from django.utils import timezone

from ...core.documents import Job as JobDocument
from ...core.plan import plan
from ...core.record.imports import as_now
from ..crews.models import Crew
from ..profiles.actions import library_of_job
from ..writing import writes
from .models import Job, Revision


class StaleSave(Exception):
    """Someone saved in between. Carries the job as it is now and its latest revision."""

    def __init__(self, job: Job, latest: Revision) -> None:
        super().__init__(f"revision {latest.number} was saved in between")
        self.job, self.latest = job, latest


def document_of(job: Job) -> JobDocument:
    """Return the latest document of a job, as this version stores it: without what its events say."""
    return JobDocument.model_validate(as_now(job.revisions.get(number=job.revision).document), strict=False)


def summary_of(document: JobDocument, crew: Crew) -> dict[str, Any]:
    """Return what the list of jobs shows: counts of findings, what it waits for, key figures."""
    made = plan(document, library_of_job(crew, document))
    counts = {s: sum(f.severity == s for f in made.findings) for s in ("stop", "caution", "note")}
    waits = next((f for f in made.findings if f.severity in ("stop", "caution")), None)
    return {
        **counts,
        "waits_for": waits.title if waits else "",
        "waits_stage": waits.stage if waits else "",
        "keys": {s.stage: s.key for s in made.stages if s.key},
    }


def _write(job: Job, document: JobDocument, summary: dict[str, Any], before: dict[str, Any], user: User) -> Revision:
    data = as_now(document.to_data())
    job.revision += 1
    job.name = document.name
    job.saved_at = timezone.now()
    job.saved_by = user
    job.summary = {**job.summary, **summary}
    job.save()
    return Revision.objects.create(
        job=job, number=job.revision, document=data, changes=jsonpatch.make_patch(before, data).patch, saved_by=user
    )


Beside = Callable[[Job], None]
"""What else is written with a job, in the same transaction."""


def create(crew: Crew, document: JobDocument, user: User, beside: Beside | None = None) -> Job:
    """Store a new job with its first revision. Its plan is made before the one writer is asked for."""
    return _create(crew, document, summary_of(document, crew), user, beside)


@writes
def _create(crew: Crew, document: JobDocument, summary: dict[str, Any], user: User, beside: Beside | None) -> Job:
    job = Job(crew=crew, name=document.name, saved_by=user)
    _write(job, document, summary, {}, user)
    if beside is not None:
        beside(job)
    return job


def save(job_id: uuid.UUID, crew: Crew, document: JobDocument, base_revision: int, user: User, beside: Beside | None = None) -> Job:
    """Store a new revision on top of ``base_revision``; raise :class:`StaleSave` when it is not the latest.

    Saving what is already there makes no revision. Raises Job.DoesNotExist for another crew's job. The plan is
    made before the one writer is asked for; ``document`` has what its events say laid over it, which is not stored.
    """
    Job.objects.only("id").get(pk=job_id, crew=crew)
    return _save(job_id, crew, document, summary_of(document, crew), base_revision, user, beside)


@writes
def _save(
    job_id: uuid.UUID,
    crew: Crew,
    document: JobDocument,
    summary: dict[str, Any],
    base_revision: int,
    user: User,
    beside: Beside | None,
) -> Job:
    job = Job.objects.get(pk=job_id, crew=crew)
    latest = job.revisions.get(number=job.revision)
    stands = as_now(latest.document)
    if stands != as_now(document.to_data()):
        if base_revision != job.revision:
            raise StaleSave(job, latest)
        _write(job, document, summary, stands, user)
    if beside is not None:
        beside(job)
    return job


def narrowed(jobs: QuerySet[Job], words: str, state: str | None, stage: str, sort: str) -> QuerySet[Job]:
    """Return jobs with every word in name, what it waits for or who saved it; of one state (stop, caution, clear) and stage; sorted."""
    for word in words.split():
        jobs = jobs.filter(Q(name__icontains=word) | Q(summary__waits_for__icontains=word) | Q(saved_by__username__icontains=word))
    if state == "stop":
        jobs = jobs.filter(summary__stop__gt=0)
    elif state == "caution":
        jobs = jobs.filter(summary__stop=0, summary__caution__gt=0)
    elif state == "clear":
        jobs = jobs.filter(summary__stop=0, summary__caution=0)
    if stage:
        jobs = jobs.filter(summary__waits_stage=stage)
    order = {"name": ("name", "-saved_at"), "state": ("-summary__stop", "-summary__caution", "-saved_at")}
    return jobs.order_by(*order.get(sort, ("-saved_at", "pk")))


@writes
def put_away_all(ids: Sequence[uuid.UUID], crew: Crew, away: bool) -> int:
    """Put several jobs of a crew away, or take them out; return how many. Nothing is deleted."""
    return Job.objects.filter(crew=crew, pk__in=list(ids)).update(put_away=away)


@writes
def tell(job_id: uuid.UUID, crew: Crew, beside: Callable[[Job], dict[str, Any]]) -> None:
    """Write something beside a job, and what its list shows of it, in one transaction."""
    job = Job.objects.get(pk=job_id, crew=crew)
    job.summary = {**job.summary, **beside(job)}
    job.save(update_fields=["summary"])


def copy(job_id: uuid.UUID, crew: Crew, user: User) -> Job:
    """Store a copy of a job's latest revision, without the marks of work done, as a new job."""
    source = Job.objects.get(pk=job_id, crew=crew)
    document = document_of(source)
    return create(crew, document.model_copy(update={"name": (document.name[:112] + " (copy)")[:120]}), user)


@writes
def put_away(job_id: uuid.UUID, crew: Crew, away: bool) -> Job:
    """Put a job away, or take it out again. Nothing is deleted."""
    job = Job.objects.get(pk=job_id, crew=crew)
    job.put_away = away
    job.save(update_fields=["put_away"])
    return job
