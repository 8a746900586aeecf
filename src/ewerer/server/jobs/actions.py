"""What can be done with jobs. Each action checks, then writes in one transaction."""

from __future__ import annotations

import uuid
from typing import Any

import jsonpatch
from django.contrib.auth.models import AbstractBaseUser
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


def _write(job: Job, document: JobDocument, before: dict[str, Any], user: AbstractBaseUser) -> Revision:
    data = document.to_data()
    job.revision += 1
    job.name = document.name
    job.saved_at = timezone.now()
    job.saved_by = user
    job.summary = summary_of(document, job.crew)
    job.save()
    return Revision.objects.create(
        job=job, number=job.revision, document=data, changes=jsonpatch.make_patch(before, data).patch, saved_by=user
    )


@writes
def create(crew: Crew, document: JobDocument, user: AbstractBaseUser) -> Job:
    """Store a new job with its first revision."""
    job = Job(crew=crew, name=document.name, saved_by=user)
    _write(job, document, {}, user)
    return job


@writes
def save(job_id: uuid.UUID, crew: Crew, document: JobDocument, base_revision: int, user: AbstractBaseUser) -> Job:
    """Store a new revision on top of ``base_revision``; raise :class:`StaleSave` when it is not the latest.

    Saving what is already there makes no revision. Raises Job.DoesNotExist for another crew's job.
    """
    job = Job.objects.get(pk=job_id, crew=crew)
    latest = job.revisions.get(number=job.revision)
    if latest.document == document.to_data():
        return job
    if base_revision != job.revision:
        raise StaleSave(job, latest)
    _write(job, document, latest.document, user)
    return job


@writes
def copy(job_id: uuid.UUID, crew: Crew, user: AbstractBaseUser) -> Job:
    """Store a copy of a job's latest revision, without the marks of work done, as a new job."""
    source = Job.objects.get(pk=job_id, crew=crew)
    data = dict(source.revisions.get(number=source.revision).document)
    for key in ("sheet_marks", "as_found"):
        data.pop(key, None)
    data["name"] = (data["name"][:112] + " (copy)")[:120]
    document = JobDocument.model_validate(data, strict=False)
    job = Job(crew=crew, name=document.name, saved_by=user)
    _write(job, document, {}, user)
    return job


@writes
def put_away(job_id: uuid.UUID, crew: Crew, away: bool) -> Job:
    """Put a job away, or take it out again. Nothing is deleted."""
    job = Job.objects.get(pk=job_id, crew=crew)
    job.put_away = away
    job.save(update_fields=["put_away"])
    return job
