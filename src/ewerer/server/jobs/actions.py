"""What can be done with jobs. Each action checks, then writes in one transaction."""

from __future__ import annotations

import time
import uuid
from collections.abc import Callable, Collection, Sequence
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import User
from django.db.models import Q, QuerySet
from django.utils import timezone

from ...core.documents.job import Job as JobDocument
from ...core.documents.parse import parse_document
from ...core.record.imports import as_now
from ...core.trade.errors import DocumentError, Error, Problem
from ..crews.models import Crew
from ..writing import writes
from . import keeping
from .models import Job, Revision, Series


class StaleSave(Error):
    """Someone saved in between. Carries the job as it is now and its latest revision."""

    def __init__(self, job: Job, latest: Revision) -> None:
        super().__init__(f"revision {latest.number} was saved in between")
        self.job, self.latest = job, latest


def document_of(job: Job) -> JobDocument:
    """Return the latest document of a job, as this version stores it: without what its events say. Raises DocumentError where it cannot be read."""
    return parse_document(JobDocument, as_now(job.revisions.get(number=job.revision).document))


Summary = dict[str, Any] | None
"""What the list of jobs shows of a plan; None where it is brought up later."""
Beside = Callable[[Job], None]
"""What else is written with a job, in the same transaction."""


def _note_summary(job: Job, summary: Summary) -> None:
    if summary is None:
        job.summary_due = time.time_ns()
    else:
        job.summary, job.summary_due = {**job.summary, **summary}, 0


@writes
def keep_summary(job_id: uuid.UUID, at: int, summary: dict[str, Any]) -> None:
    """Store what the list shows of a plan as it was due at a time [ns]; it stays due where something changed it since."""
    job = Job.objects.filter(pk=job_id).first()
    if job is None or job.summary_due != at:
        return
    job.summary, job.summary_due = {**job.summary, **summary}, 0
    job.save(update_fields=["summary", "summary_due"])


def _write(job: Job, name: str, parts: tuple[keeping.Envelope, keeping.Bodies], summary: Summary, user: User) -> None:
    envelope, bodies = parts
    job.revision += 1
    job.name, job.saved_at, job.saved_by = name, timezone.now(), user
    _note_summary(job, summary)
    job.save()
    if bodies:
        known = set(Series.objects.filter(key__in=bodies).values_list("key", flat=True))
        Series.objects.bulk_create([Series(key=k, body=keeping.compressed(b)) for k, b in bodies.items() if k not in known])
    Revision.objects.create(job=job, number=job.revision, whole=keeping.packed(envelope), saved_by=user)


def create(crew: Crew, document: JobDocument, user: User, beside: Beside | None = None) -> Job:
    """Store a new job with its first revision; what the list shows of its plan is due."""
    return _create(crew, document.name, keeping.parted(as_now(document.to_data())), user, beside)


@writes
def _create(crew: Crew, name: str, parts: tuple[keeping.Envelope, keeping.Bodies], user: User, beside: Beside | None) -> Job:
    job = Job(crew=crew, name=name, saved_by=user)
    _write(job, name, parts, None, user)
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
    summary: Callable[[], Summary] = lambda: None,
) -> Job:
    """Store a new revision on top of ``base_revision``; raise :class:`StaleSave` when it is not the latest.

    Saving what is already there makes no revision. Raises Job.DoesNotExist for another crew's job. ``summary`` is asked,
    in the transaction, for what the list shows of the plan of this document, where that is known.
    """
    return _save(job_id, crew, document.name, keeping.parted(as_now(document.to_data())), base_revision, user, beside, summary)


@writes
def _save(
    job_id: uuid.UUID,
    crew: Crew,
    name: str,
    parts: tuple[keeping.Envelope, keeping.Bodies],
    base_revision: int,
    user: User,
    beside: Beside | None,
    summary: Callable[[], Summary],
) -> Job:
    job = Job.objects.select_related("saved_by").get(pk=job_id, crew=crew)
    latest = job.revisions.get(number=job.revision)
    if not _holds(latest, parts[0]):
        if base_revision != job.revision:
            raise StaleSave(job, latest)
        _write(job, name, parts, summary(), user)
    if beside is not None:
        beside(job)
    return job


def _holds(latest: Revision, envelope: keeping.Envelope) -> bool:
    """Whether a revision holds an envelope already; one that is damaged holds nothing."""
    try:
        held = latest.envelope
        return {**held, "document": as_now(held["document"])} == envelope
    except DocumentError:
        return False


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
def tell(job_id: uuid.UUID, crew: Crew, beside: Callable[[Job], dict[str, Any]], changes_plan: bool = False) -> Job:
    """Write something beside a job, and what its list shows of it, in one transaction; where that ``changes_plan``, that is due."""
    job = Job.objects.select_related("crew").get(pk=job_id, crew=crew)
    told = beside(job)
    job.summary = {**job.summary, **told}
    if told and changes_plan:
        _note_summary(job, None)
    job.save(update_fields=["summary", "summary_due"])
    return job


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
        raise DocumentError([Problem(pointer="", message="the job is at work", expected="archive it first")])
    job.delete_after = job.delete_after or timezone.now() + GRACE
    job.save(update_fields=["delete_after"])
    return job


@writes
def thin(job_id: uuid.UUID, keep: int, protected: Collection[int]) -> int:
    """Let the oldest revisions of a job go but for the newest ``keep`` (all where 0) and the protected; return how many went."""
    job = Job.objects.get(pk=job_id)
    going = job.revisions.filter(number__lte=job.revision - keep).exclude(number__in=protected)
    gone: int = going.delete()[0] if keep > 0 else 0
    return gone


@writes
def sweep_series() -> int:
    """Let the long lists go that no revision holds any more; return how many went."""
    held: set[str] = set()
    for whole in Revision.objects.values_list("whole", flat=True).iterator(chunk_size=200):
        held.update(keeping.keys_in(whole))
    gone = [k for k in Series.objects.values_list("key", flat=True) if k not in held]
    for at in range(0, len(gone), 500):
        Series.objects.filter(key__in=gone[at : at + 500]).delete()
    return len(gone)
