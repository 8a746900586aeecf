"""What can be done with jobs. Each action checks, then writes in one transaction."""

from __future__ import annotations

import uuid
from typing import Any

import jsonpatch
from django.contrib.auth.models import User
from django.utils import timezone

from ...core.documents import Job as JobDocument
from ...core.plan import plan
from ..crews.models import Crew
from ..profiles.actions import library_for
from ..writing import writes
from .models import Job, Revision


class StaleSave(Exception):
    """Someone saved in between. Carries the job as it is now and its latest revision."""

    def __init__(self, job: Job, latest: Revision) -> None:
        super().__init__(f"revision {latest.number} was saved in between")
        self.job, self.latest = job, latest


def summary_of(document: JobDocument, crew: Crew) -> dict[str, Any]:
    """Return what the list of jobs shows: counts of findings, what it waits for, key figures."""
    made = plan(document, library_for(crew, document.profile_revisions))
    counts = {s: sum(f.severity == s for f in made.findings) for s in ("stop", "caution", "note")}
    waits = next((f for f in made.findings if f.severity in ("stop", "caution")), None)
    return {
        **counts,
        "waits_for": waits.title if waits else "",
        "waits_stage": waits.stage if waits else "",
        "keys": {s.stage: s.key for s in made.stages if s.key},
    }


def _write(job: Job, document: JobDocument, summary: dict[str, Any], before: dict[str, Any], user: User) -> Revision:
    data = document.to_data()
    job.revision += 1
    job.name = document.name
    job.saved_at = timezone.now()
    job.saved_by = user
    job.summary = summary
    job.save()
    return Revision.objects.create(
        job=job, number=job.revision, document=data, changes=jsonpatch.make_patch(before, data).patch, saved_by=user
    )


def create(crew: Crew, document: JobDocument, user: User) -> Job:
    """Store a new job with its first revision. Its plan is made before the one writer is asked for."""
    return _create(crew, document, summary_of(document, crew), user)


@writes
def _create(crew: Crew, document: JobDocument, summary: dict[str, Any], user: User) -> Job:
    job = Job(crew=crew, name=document.name, saved_by=user)
    _write(job, document, summary, {}, user)
    return job


def save(job_id: uuid.UUID, crew: Crew, document: JobDocument, base_revision: int, user: User) -> Job:
    """Store a new revision on top of ``base_revision``; raise :class:`StaleSave` when it is not the latest.

    Saving what is already there makes no revision. Raises Job.DoesNotExist for another crew's job. The plan is
    made before the one writer is asked for.
    """
    Job.objects.only("id").get(pk=job_id, crew=crew)
    return _save(job_id, crew, document, summary_of(document, crew), base_revision, user)


@writes
def _save(job_id: uuid.UUID, crew: Crew, document: JobDocument, summary: dict[str, Any], base_revision: int, user: User) -> Job:
    job = Job.objects.get(pk=job_id, crew=crew)
    latest = job.revisions.get(number=job.revision)
    if latest.document == document.to_data():
        return job
    if base_revision != job.revision:
        raise StaleSave(job, latest)
    _write(job, document, summary, latest.document, user)
    return job


def copy(job_id: uuid.UUID, crew: Crew, user: User) -> Job:
    """Store a copy of a job's latest revision, without the marks of work done, as a new job."""
    source = Job.objects.get(pk=job_id, crew=crew)
    data = dict(source.revisions.get(number=source.revision).document)
    for key in ("sheet_marks", "as_found"):
        data.pop(key, None)
    data["name"] = (data["name"][:112] + " (copy)")[:120]
    return create(crew, JobDocument.model_validate(data, strict=False), user)


@writes
def put_away(job_id: uuid.UUID, crew: Crew, away: bool) -> Job:
    """Put a job away, or take it out again. Nothing is deleted."""
    job = Job.objects.get(pk=job_id, crew=crew)
    job.put_away = away
    job.save(update_fields=["put_away"])
    return job
