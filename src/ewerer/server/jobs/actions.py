"""What can be done with jobs. Each action checks, then writes in one transaction."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import User
from django.db.models import Q, QuerySet
from django.utils import timezone

from ...core.devices.library import Library
from ...core.documents import DocumentError, Problem, parse_document
from ...core.documents import Job as JobDocument
from ...core.record.imports import as_now
from ..crews.models import Crew
from ..planned import planned
from ..profiles.actions import library_of_job
from ..writing import writes
from . import keeping
from .models import Job, Revision, Series


class StaleSave(Exception):
    """Someone saved in between. Carries the job as it is now and its latest revision."""

    def __init__(self, job: Job, latest: Revision) -> None:
        super().__init__(f"revision {latest.number} was saved in between")
        self.job, self.latest = job, latest


def document_of(job: Job) -> JobDocument:
    """Return the latest document of a job, as this version stores it: without what its events say. Raises DocumentError where it cannot be read."""
    return parse_document(JobDocument, as_now(job.revisions.get(number=job.revision).document))


@dataclass(frozen=True, slots=True)
class _Parted:
    """A document to be stored, taken apart before the one writer is asked for."""

    document: JobDocument
    envelope: keeping.Envelope
    bodies: keeping.Bodies

    @staticmethod
    def of(document: JobDocument) -> _Parted:
        return _Parted(document, *keeping.parted(as_now(document.to_data())))


def _write(job: Job, parts: _Parted, summary: dict[str, Any], before: keeping.Envelope, follows: bool, user: User) -> Revision:
    """Write a revision; ``follows`` where ``before`` is what the revision before it holds, to the letter."""
    job.revision += 1
    job.name = parts.document.name
    job.saved_at = timezone.now()
    job.saved_by = user
    job.summary = {**job.summary, **summary}
    job.save()
    if parts.bodies:
        known = set(Series.objects.filter(key__in=parts.bodies).values_list("key", flat=True))
        Series.objects.bulk_create([Series(key=k, body=keeping.compressed(b)) for k, b in parts.bodies.items() if k not in known])
    whole = not follows or job.revision % keeping.EVERY == 1
    return Revision.objects.create(
        job=job,
        number=job.revision,
        whole=keeping.packed(parts.envelope) if whole else None,
        patch=keeping.packed(keeping.patch_between(before, parts.envelope)),
        saved_by=user,
    )


Beside = Callable[[Job], None]
"""What else is written with a job, in the same transaction."""


def create(crew: Crew, document: JobDocument, user: User, beside: Beside | None = None) -> Job:
    """Store a new job with its first revision. Its plan is made before the one writer is asked for."""
    return _create(crew, _Parted.of(document), planned(document, library_of_job(crew, document)).summary, user, beside)


@writes
def _create(crew: Crew, parts: _Parted, summary: dict[str, Any], user: User, beside: Beside | None) -> Job:
    job = Job(crew=crew, name=parts.document.name, saved_by=user)
    _write(job, parts, summary, keeping.NOTHING, False, user)
    if beside is not None:
        beside(job)
    return job


def save(
    job_id: uuid.UUID,
    crew: Crew,
    document: JobDocument,
    base_revision: int,
    user: User,
    beside: Beside | None = None,
    library: Library | None = None,
) -> Job:
    """Store a new revision on top of ``base_revision``; raise :class:`StaleSave` when it is not the latest.

    Saving what is already there makes no revision. Raises Job.DoesNotExist for another crew's job. The plan, with
    ``library`` where it was looked up already, is made before the one writer is asked for; ``document`` has what
    its events say laid over it, which is not stored.
    """
    summary = planned(document, library or library_of_job(crew, document)).summary
    return _save(job_id, crew, _Parted.of(document), summary, base_revision, user, beside)


@writes
def _save(
    job_id: uuid.UUID, crew: Crew, parts: _Parted, summary: dict[str, Any], base_revision: int, user: User, beside: Beside | None
) -> Job:
    job = Job.objects.get(pk=job_id, crew=crew)
    latest = job.revisions.get(number=job.revision)
    try:
        held = latest.envelope
        stands = {**held, "document": as_now(held["document"])}
    except DocumentError:  # damaged: whatever is saved now is whole
        held, stands = {}, keeping.NOTHING
    if stands != parts.envelope:
        if base_revision != job.revision:
            raise StaleSave(job, latest)
        _write(job, parts, summary, stands, stands == held, user)
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
    chosen = Job.objects.filter(crew=crew, pk__in=list(ids))
    return chosen.update(put_away=True) if away else chosen.update(put_away=False, delete_after=None)


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
    """Put a job away, or take it out again. Nothing is deleted; what was to go for good stays when it is taken out."""
    job = Job.objects.get(pk=job_id, crew=crew)
    job.put_away = away
    job.delete_after = job.delete_after if away else None
    job.save(update_fields=["put_away", "delete_after"])
    return job


GRACE = timedelta(days=30)


@writes
def delete_later(job_id: uuid.UUID, crew: Crew) -> Job:
    """Mark a job that is put away to go for good after the time of grace, with its revisions and its record."""
    job = Job.objects.get(pk=job_id, crew=crew)
    if not job.put_away:
        raise DocumentError([Problem(pointer="", message="the job is at work", expected="put it away first")])
    job.delete_after = job.delete_after or timezone.now() + GRACE
    job.save(update_fields=["delete_after"])
    return job


@writes
def thin(job_id: uuid.UUID, keep: int, protected: Collection[int]) -> int:
    """Let the oldest revisions of a job go but for the newest ``keep`` (all where 0) and the protected; return how many went."""
    job = Job.objects.get(pk=job_id)
    first = job.revision - keep + 1
    going = job.revisions.filter(number__lt=first).exclude(number__in=protected)
    if keep < 1 or first <= 1 or not going.exists():
        return 0
    for revision in job.revisions.filter(Q(number=first) | Q(number__lt=first, number__in=protected)):
        revision.whole = keeping.packed(revision.envelope)
        revision.save(update_fields=["whole"])
    gone: int = going.delete()[0]
    return gone


@writes
def sweep_series() -> int:
    """Let the long lists go that no revision holds any more; return how many went."""
    held: set[str] = set()
    for whole, patch in Revision.objects.values_list("whole", "patch").iterator(chunk_size=200):
        for packed in (whole, patch):
            if packed:
                held.update(keeping.keys_in(packed))
    gone = [k for k in Series.objects.values_list("key", flat=True) if k not in held]
    for at in range(0, len(gone), 500):
        Series.objects.filter(key__in=gone[at : at + 500]).delete()
    return len(gone)
